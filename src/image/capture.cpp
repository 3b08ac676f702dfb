#include "image/capture.h"

#include <algorithm>
#include <cassert>

namespace image
{
using base::ErrorCode;
using base::fail;

namespace
{
// Lowest to highest as 16 bit grey, missing as 0.
Image shownOf(const Image& heights)
{
    float low = std::numeric_limits<float>::infinity(), high = -low;
    const auto row = [&](int y) { return reinterpret_cast<const float*>(heights.row(y)); };
    for (int y = 0; y < heights.height(); ++y)
        for (int x = 0; x < heights.width(); ++x)
            if (const float z = row(y)[x]; !std::isnan(z)) low = std::min(low, z), high = std::max(high, z);
    Image out = Image::unwritten(heights.width(), heights.height(), PixelFormat::Grey16);
    const double step = high > low ? 65534.0 / (double(high) - double(low)) : 0;
    for (int y = 0; y < heights.height(); ++y) {
        auto* to = reinterpret_cast<std::uint16_t*>(out.row(y));
        for (int x = 0; x < heights.width(); ++x) {
            const float z = row(y)[x];
            to[x] = std::isnan(z) ? std::uint16_t(0) : std::uint16_t(1 + (double(z) - double(low)) * step);
        }
    }
    return out;
}
} // namespace

Picture makePicture(Image pixels, std::string key)
{
    Picture out;
    out.key = std::move(key);
    if (channels(pixels.format()) == 3) {
        out.content = Content::Colour;
        out.greyed = toGrey(pixels);
    }
    if (pixels.format() == PixelFormat::Real32) return makeHeights(std::move(pixels), {}, std::move(out.key));
    out.pixels = std::move(pixels);
    return out;
}

Picture makeHeights(Image pixels, const HeightScale& scale, std::string key)
{
    assert(pixels.format() == PixelFormat::Real32 || pixels.format() == PixelFormat::Grey16);
    Picture out;
    out.key = std::move(key);
    out.content = Content::Height;
    out.scale = scale;
    if (pixels.format() == PixelFormat::Real32) out.greyed = shownOf(pixels);
    out.pixels = std::move(pixels);
    return out;
}

HeightView Picture::heights() const
{
    assert(content == Content::Height && scale);
    return {pixels.row(0), pixels.width(), pixels.height(), pixels.width(), pixels.format() == PixelFormat::Real32,
            *scale};
}

Capture makeCapture(Image picture, std::string id)
{
    std::vector<Picture> one;
    one.push_back(makePicture(std::move(picture)));
    return {std::move(id), std::move(one)};
}

const Picture& Capture::none()
{
    static const Picture nothing;
    return nothing;
}
const Picture& Capture::first() const { return m_pictures.empty() ? none() : m_pictures.front(); }

const Picture* Capture::find(const std::string& key) const
{
    if (key.empty()) return m_pictures.empty() ? nullptr : &m_pictures.front();
    for (const Picture& p : m_pictures)
        if (p.key == key) return &p;
    return nullptr;
}

std::string Capture::keys() const
{
    std::string out;
    for (const Picture& p : m_pictures)
        out += (out.empty() ? "" : ", ") + (p.key.empty() ? "one without a name" : p.key);
    return out;
}

base::Result<const Picture*> Capture::wanted(const std::string& key) const
{
    if (const Picture* p = find(key)) return p;
    if (m_pictures.empty()) return fail(ErrorCode::NotFound, "the capture holds no picture", m_id);
    return fail(ErrorCode::NotFound, "the capture holds no picture \"" + key + "\"; there is " + keys(), m_id);
}

base::Result<GreyView> Capture::grey(const std::string& key) const
{
    auto p = wanted(key);
    if (!p) return base::passOn(p.error());
    if ((*p)->content == Content::Height)
        return fail(ErrorCode::InvalidArgument, "the picture \"" + (*p)->key + "\" holds heights, not light", m_id);
    return (*p)->grey();
}

base::Result<HeightView> Capture::height(const std::string& key) const
{
    auto p = wanted(key);
    if (!p) return base::passOn(p.error());
    if ((*p)->content != Content::Height)
        return fail(ErrorCode::InvalidArgument, "the picture \"" + (*p)->key + "\" holds light, not heights", m_id);
    return (*p)->heights();
}

std::size_t Capture::byteCount() const
{
    std::size_t sum = 0;
    for (const Picture& p : m_pictures) sum += p.pixels.byteCount() + p.greyed.byteCount();
    return sum;
}

} // namespace image

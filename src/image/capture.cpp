#include "image/capture.h"

namespace image
{
using base::ErrorCode;
using base::fail;

Picture makePicture(Image pixels, std::string key)
{
    Picture out;
    out.key = std::move(key);
    if (channels(pixels.format()) == 3) {
        out.content = Content::Colour;
        out.greyed = toGrey(pixels);
    }
    out.pixels = std::move(pixels);
    return out;
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
    const GreyView raw = (*p)->grey();
    return HeightView{raw.data, raw.width, raw.height, raw.stride, false, *(*p)->scale};
}

std::size_t Capture::byteCount() const
{
    std::size_t sum = 0;
    for (const Picture& p : m_pictures) sum += p.pixels.byteCount() + p.greyed.byteCount();
    return sum;
}

} // namespace image

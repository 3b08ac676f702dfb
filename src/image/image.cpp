#include "image/image.h"

#include <algorithm>
#include <cassert>

namespace image
{

Image::Image(int width, int height, PixelFormat format) : m_width(width), m_height(height), m_format(format)
{
    assert(width > 0 && height > 0);
    m_bytes.assign(rowBytes() * std::size_t(height), std::uint8_t(0));
}

Image Image::unwritten(int width, int height, PixelFormat format)
{
    assert(width > 0 && height > 0);
    Image out;
    out.m_width = width, out.m_height = height, out.m_format = format;
    out.m_bytes.resize(out.rowBytes() * std::size_t(height));
    return out;
}

Image Image::clone() const
{
    Image copy;
    copy.m_width = m_width;
    copy.m_height = m_height;
    copy.m_format = m_format;
    copy.m_bytes = m_bytes;
    return copy;
}

GreyView Image::grey() const
{
    assert(channels(m_format) == 1 && m_format != PixelFormat::Real32);
    return {m_bytes.data(), m_width, m_height, m_width, m_format == PixelFormat::Grey16};
}

Image oriented(Image stored, int orientation)
{
    if (orientation <= 1 || orientation > 8) return stored;
    const int w = stored.width(), h = stored.height();
    const bool across = orientation >= 5; // rows are columns
    Image out = Image::unwritten(across ? h : w, across ? w : h, stored.format());
    const std::size_t n = std::size_t(channels(stored.format()) * bytesPerSample(stored.format()));
    for (int y = 0; y < out.height(); ++y)
        for (int x = 0; x < out.width(); ++x) {
            int sx = across ? y : x, sy = across ? x : y;
            if (orientation == 2 || orientation == 3 || orientation == 7 || orientation == 8) sx = w - 1 - sx;
            if (orientation == 3 || orientation == 4 || orientation == 6 || orientation == 7) sy = h - 1 - sy;
            std::copy_n(stored.row(sy) + std::size_t(sx) * n, n, out.row(y) + std::size_t(x) * n);
        }
    return out;
}

namespace
{
template <class T> void greyRow(const T* in, T* out, int width)
{
    for (int x = 0; x < width; ++x, in += 3) out[x] = T((299u * in[0] + 587u * in[1] + 114u * in[2] + 500u) / 1000u);
}
} // namespace

Image toGrey(const Image& colour)
{
    if (channels(colour.format()) == 1) return colour.clone();
    const bool wide = bytesPerSample(colour.format()) == 2;
    Image out(colour.width(), colour.height(), wide ? PixelFormat::Grey16 : PixelFormat::Grey8);
    for (int y = 0; y < colour.height(); ++y) {
        if (wide)
            greyRow(reinterpret_cast<const std::uint16_t*>(colour.row(y)), reinterpret_cast<std::uint16_t*>(out.row(y)),
                    colour.width());
        else greyRow(colour.row(y), out.row(y), colour.width());
    }
    return out;
}

} // namespace image

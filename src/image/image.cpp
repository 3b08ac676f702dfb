#include "image/image.h"

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
    assert(channels(m_format) == 1);
    return {m_bytes.data(), m_width, m_height, m_width, m_format == PixelFormat::Grey16};
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
        if (wide) greyRow(reinterpret_cast<const std::uint16_t*>(colour.row(y)), reinterpret_cast<std::uint16_t*>(out.row(y)), colour.width());
        else greyRow(colour.row(y), out.row(y), colour.width());
    }
    return out;
}

} // namespace image

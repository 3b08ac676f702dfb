// image.h - pictures as the camera gave them, and read-only views for measuring.
//
// Pixel centres are whole numbers: the first pixel's centre is (0, 0), x to the right, y down.
// Grey levels are always stated on the scale 0 to 255. A 16-bit picture keeps its full depth: its level is raw / 257.
#pragma once
#include <cstddef>
#include <cstdint>
#include <memory>
#include <utility>
#include <vector>

namespace image
{

enum class PixelFormat { Grey8, Grey16, Colour8, Colour16, Real32 }; // Real32: heights only

constexpr int channels(PixelFormat f) { return f == PixelFormat::Colour8 || f == PixelFormat::Colour16 ? 3 : 1; }
constexpr int bytesPerSample(PixelFormat f)
{
    return f == PixelFormat::Real32 ? 4 : f == PixelFormat::Grey16 || f == PixelFormat::Colour16 ? 2 : 1;
}

// A non-owning grey picture of one sample type; row-major.
template <class T> struct View {
    using Sample = T;
    const T* data = nullptr;
    int width = 0, height = 0;
    std::ptrdiff_t stride = 0;                                                  // in samples
    static constexpr double levelsPerStep = sizeof(T) == 1 ? 1.0 : 1.0 / 257.0; // grey levels per raw step
    static constexpr int maximum = sizeof(T) == 1 ? 255 : 65535;
    const T* row(int y) const { return data + y * stride; }
    T at(int x, int y) const { return data[y * stride + x]; }
};

// A grey picture of either depth. visit() hands out the typed view.
struct GreyView {
    const void* data = nullptr;
    int width = 0, height = 0;
    std::ptrdiff_t stride = 0; // in samples
    bool wide = false;         // 16 bit

    template <class F> decltype(auto) visit(F&& f) const
    {
        if (wide) return f(View<std::uint16_t>{static_cast<const std::uint16_t*>(data), width, height, stride});
        return f(View<std::uint8_t>{static_cast<const std::uint8_t*>(data), width, height, stride});
    }
    double levelAt(int x, int y) const
    {
        return visit([&](auto v) { return double(v.at(x, y)) * v.levelsPerStep; });
    }
    bool contains(double x, double y) const { return x >= 0 && y >= 0 && x <= width - 1 && y <= height - 1; }
};

// Owns its pixels; move-only, steps get views. Rows are contiguous without padding.
class Image
{
public:
    Image() = default;
    Image(int width, int height, PixelFormat format);
    // Its pixels hold anything until they are written.
    static Image unwritten(int width, int height, PixelFormat format);
    Image(Image&&) noexcept = default;
    Image& operator=(Image&&) noexcept = default;
    Image(const Image&) = delete;
    Image& operator=(const Image&) = delete;
    Image clone() const;

    int width() const { return m_width; }
    int height() const { return m_height; }
    PixelFormat format() const { return m_format; }
    bool empty() const { return m_bytes.empty(); }
    std::size_t byteCount() const { return m_bytes.size(); }
    std::size_t rowBytes() const
    {
        return std::size_t(m_width) * std::size_t(channels(m_format) * bytesPerSample(m_format));
    }
    std::uint8_t* row(int y) { return m_bytes.data() + std::size_t(y) * rowBytes(); }
    const std::uint8_t* row(int y) const { return m_bytes.data() + std::size_t(y) * rowBytes(); }

    // Only for grey formats.
    GreyView grey() const;

private:
    int m_width = 0, m_height = 0;
    PixelFormat m_format = PixelFormat::Grey8;
    // Memory that is written at once need not be cleared before.
    template <class T> struct Raw : std::allocator<T> {
        template <class U> struct rebind {
            using other = Raw<U>;
        };
        template <class U> void construct(U* p) { ::new (static_cast<void*>(p)) U; }
        template <class U, class... A> void construct(U* p, A&&... a)
        {
            ::new (static_cast<void*>(p)) U(std::forward<A>(a)...);
        }
    };
    std::vector<std::uint8_t, Raw<std::uint8_t>> m_bytes;
};

// The picture as it is seen when its stored rows and columns run as TIFF 6.0 says by `orientation` 1 to 8; 1 changes
// nothing.
Image oriented(Image stored, int orientation);
// Grey from colour: (299 R + 587 G + 114 B) / 1000 of ITU-R BT.601, rounded; depth is kept.
Image toGrey(const Image& colour);

} // namespace image

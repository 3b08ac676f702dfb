#include "demo/painted.h"

#include <algorithm>
#include <cmath>

namespace demo
{
using geometry::Point;

namespace
{
struct Box {
    int left, top, right, bottom; // [left, right)
};
Box boxOf(const Outlines& shapes, int width, int height, double more)
{
    double l = 1e9, t = 1e9, r = -1e9, b = -1e9;
    for (const auto& o : shapes)
        for (const Point p : o) l = std::min(l, p.x), r = std::max(r, p.x), t = std::min(t, p.y), b = std::max(b, p.y);
    const auto in = [](double v, int most) { return int(std::clamp(v, 0.0, double(most))); };
    return {in(std::floor(l - more), width), in(std::floor(t - more), height), in(std::ceil(r + more) + 1, width),
            in(std::ceil(b + more) + 1, height)};
}
Outlines moved(Outlines shapes, const Box& b)
{
    for (auto& o : shapes)
        for (Point& p : o) p = p - Point{double(b.left), double(b.top)};
    return shapes;
}
} // namespace

image::Image painted(const std::array<double, 3>& ground, const std::vector<Ink>& inks, int width, int height,
                     const PaintLook& look, Random& random, bool colour)
{
    const std::size_t n = std::size_t(width) * std::size_t(height);
    const std::size_t channels = colour ? 3 : 1;
    const auto value = [&](const std::array<double, 3>& c, std::size_t ch) {
        return colour ? c[ch] : 0.299 * c[0] + 0.587 * c[1] + 0.114 * c[2];
    };
    std::vector<std::vector<float>> level(channels);
    for (std::size_t ch = 0; ch < channels; ++ch) level[ch].assign(n, float(value(ground, ch)));
    for (const Ink& ink : inks) {
        if (ink.shapes.empty()) continue;
        // Only where the ink is; its blur reaches a little farther.
        const Box b = boxOf(ink.shapes, width, height, 4 * look.blur + 2);
        const int w = b.right - b.left, h = b.bottom - b.top;
        if (w < 2 || h < 2) continue;
        const auto cover = blurredCoverage(moved(ink.shapes, b), moved(ink.holes, b), w, h, look.blur, 2);
        for (int y = 0; y < h; ++y)
            for (int x = 0; x < w; ++x) {
                const float c = cover[std::size_t(y) * std::size_t(w) + std::size_t(x)];
                if (c <= 0) continue;
                const auto i = std::size_t(y + b.top) * std::size_t(width) + std::size_t(x + b.left);
                for (std::size_t ch = 0; ch < channels; ++ch)
                    level[ch][i] += c * (float(value(ink.colour, ch)) - level[ch][i]);
            }
    }
    image::Image out(width, height, colour ? image::PixelFormat::Colour8 : image::PixelFormat::Grey8);
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            const double fx = (x - width / 2.0) / width, fy = (y - height / 2.0) / height;
            double here = look.light * (1 + look.slopeX * fx + look.slopeY * fy);
            if (look.darkCorner > 0) {
                const double d = std::hypot(double(x) / width, double(y) / height);
                here *= 1 - look.darkCorner * std::max(0.0, 1 - d / 0.7);
            }
            for (std::size_t ch = 0; ch < channels; ++ch)
                out.row(y)[channels * std::size_t(x) + ch] = std::uint8_t(
                    std::clamp(double(level[ch][std::size_t(y) * std::size_t(width) + std::size_t(x)]) * here +
                                   random.normal(look.noise, 4 * look.noise) + 0.5,
                               0.0, 255.0));
        }
    return out;
}

} // namespace demo

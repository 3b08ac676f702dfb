#include "demo/conveyor.h"

#include <algorithm>
#include <cmath>

namespace demo
{

image::Image exposed(const image::Image& picture, double light, double smear, std::uint64_t seed)
{
    const int width = picture.width(), height = picture.height();
    image::Image out(width, height, image::PixelFormat::Grey8);
    Random random(seed * 977 + 5);
    std::vector<double> sums(std::size_t(width) + 1);
    for (int y = 0; y < height; ++y) {
        const std::uint8_t* from = picture.row(y);
        for (int x = 0; x < width; ++x) sums[std::size_t(x) + 1] = sums[std::size_t(x)] + from[x];
        // Of the row up to a place that need not be whole.
        const auto upTo = [&](double x) {
            x = std::clamp(x, 0.0, double(width));
            const int i = std::min(int(x), width - 1);
            return sums[std::size_t(i)] + (x - i) * from[i];
        };
        for (int x = 0; x < width; ++x) {
            double v = from[x];
            if (smear > 0.01) {
                const double left = std::max(0.0, x + 0.5 - (1 + smear) / 2),
                             right = std::min(double(width), x + 0.5 + (1 + smear) / 2);
                v = (upTo(right) - upTo(left)) / (right - left);
            }
            v *= light;
            if (light != 1) v += random.normal(0.5 + 0.06 * std::sqrt(std::max(0.0, v)), 4);
            out.row(y)[x] = std::uint8_t(std::clamp(std::lround(v), 0L, 255L));
        }
    }
    return out;
}

image::Image passingPlate(const Field& field, std::uint64_t seed, int n, bool faulty, double light, double smearMm)
{
    PlatePicture made = plate(field, seed, 3 * n + (faulty ? 2 : 0));
    if (light == 1 && smearMm == 0) return std::move(made.picture);
    return exposed(made.picture, light, smearMm / field.mmPerPixel, seed + std::uint64_t(n));
}

} // namespace demo

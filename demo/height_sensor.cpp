#include "demo/height_sensor.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace demo
{
namespace
{
constexpr double kGone = std::numeric_limits<double>::quiet_NaN();
} // namespace

std::vector<float> sensed(int width, int height, double mm, const std::function<double(double, double)>& z,
                          const Sensor& s, Random& random)
{
    std::vector<float> out(std::size_t(width) * std::size_t(height));
    std::vector<double> line(static_cast<std::size_t>(width));
    for (int y = 0; y < height; ++y) {
        for (int x = 0; x < width; ++x) line[std::size_t(x)] = z(x, y);
        // The light comes from the left: what lies lower than a line down from something to its left is dark.
        double edge = -1e9; // height of the shadow's border here
        for (int x = 0; x < width; ++x) {
            double v = line[std::size_t(x)];
            edge -= mm / s.shadow;
            if (!std::isnan(v)) {
                if (v < edge - 1e-9) v = kGone;
                else edge = v;
            }
            if (!std::isnan(v)) {
                v += s.tiltX * x + s.tiltY * y + random.normal(s.noise, 5 * s.noise);
                const double chance = random.uniform(0, 1);
                if (chance < s.lost) v = kGone;
                else if (chance < s.lost + s.flyers) v += random.uniform(-s.flight, s.flight);
            }
            out[std::size_t(y) * std::size_t(width) + std::size_t(x)] = float(v);
        }
    }
    return out;
}
image::Image asSteps(const std::vector<float>& z, int width, int height, double step, double offset)
{
    image::Image out(width, height, image::PixelFormat::Grey16);
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            const float v = z[std::size_t(y) * std::size_t(width) + std::size_t(x)];
            reinterpret_cast<std::uint16_t*>(out.row(y))[x] =
                std::uint16_t(std::isnan(v) ? 0 : std::clamp(std::lround((double(v) - offset) / step), 1L, 65535L));
        }
    return out;
}
image::Image asFloats(const std::vector<float>& z, int width, int height)
{
    image::Image out(width, height, image::PixelFormat::Real32);
    for (int y = 0; y < height; ++y)
        std::copy_n(z.data() + std::size_t(y) * std::size_t(width), width, reinterpret_cast<float*>(out.row(y)));
    return out;
}

} // namespace demo

// Height pictures with known geometry, as 16 bit steps or float samples.
#pragma once
#include "demo/render.h"
#include "image/capture.h"

#include <cmath>
#include <functional>
#include <limits>

namespace heights
{

struct Made {
    double noise = 0;    // mm
    double missing = 0;  // share of the points
    bool real = true;    // float samples, else 16 bit
    double step = 0.001; // mm, of 16 bit
    double offset = -5;  // mm, of 16 bit
    double pixel = 0.05; // mm
    std::uint64_t seed = 1;
};
// z in mm of a place in px; NaN: nothing is there.
inline image::Picture picture(int width, int height, const std::function<double(double, double)>& z,
                              const Made& made = {})
{
    demo::Random random(made.seed);
    image::Image out(width, height, made.real ? image::PixelFormat::Real32 : image::PixelFormat::Grey16);
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            double v = z(x, y);
            if (made.noise > 0) v += random.normal(made.noise, 6 * made.noise);
            if (made.missing > 0 && random.uniform(0, 1) < made.missing) v = std::numeric_limits<double>::quiet_NaN();
            if (made.real) {
                reinterpret_cast<float*>(out.row(y))[x] = float(v);
            } else {
                const double raw = std::isnan(v) ? 0 : std::round((v - made.offset) / made.step);
                reinterpret_cast<std::uint16_t*>(out.row(y))[x] =
                    std::uint16_t(std::isnan(v) ? 0 : std::min(65535.0, std::max(1.0, raw)));
            }
        }
    image::HeightScale scale;
    scale.pixelMm = made.pixel;
    if (!made.real) scale = {made.step, made.offset, made.pixel, 0, {}};
    return image::makeHeights(std::move(out), scale);
}

} // namespace heights

// painted.h - pictures in colour or grey by inks laid over each other: exact area coverage, lens blur, light that may be
// uneven, sensor noise.
#pragma once
#include "demo/render.h"

#include <array>

namespace demo
{

using Outlines = std::vector<std::vector<geometry::Point>>;
// The ink of one colour covers what lies below it; outlines in px.
struct Ink {
    std::array<double, 3> colour; // 0 to 255 at light 1
    Outlines shapes, holes{};
};
struct PaintLook {
    double blur = 0.8;
    double light = 1;
    double slopeX = 0, slopeY = 0; // of the light, across the whole picture
    double noise = 2;
    // A corner in shade: how much of the light is lost there, at the upper left.
    double darkCorner = 0;
};
image::Image painted(const std::array<double, 3>& ground, const std::vector<Ink>& inks, int width, int height,
                     const PaintLook& look, Random& random, bool colour = true);

} // namespace demo

// wedge.h - a wedge and its two lines, for the constructions.
#pragma once
#include "../support.h"

namespace support
{
using geometry::Point;
using geometry::Region;

// Two lines of a wedge: the top edge level, the lower one rising.
inline recipe::Recipe wedge(double degrees)
{
    recipe::Recipe r;
    chain(r, "line", "top", [](recipe::Step& s) { s.regions["window"] = Region::window({60, 60}, {240, 60}, 24); });
    const Point u = geometry::direction(geometry::radians(degrees));
    chain(r, "line", "low", [&](recipe::Step& s) {
        s.regions["window"] = Region::window(Point{150, 160} - u * 90, Point{150, 160} + u * 90, 24);
    });
    return r;
}
inline image::Image picture(double degrees)
{
    const double rise = std::tan(geometry::radians(degrees));
    return draw({{{30, 60}, {270, 60}, {270, 160 - 120 * rise}, {30, 160 + 120 * rise}}}, 300, 240);
}

} // namespace support

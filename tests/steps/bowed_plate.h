// bowed_plate.h - a plate whose edge bows and slopes by known amounts, for the tolerances of form.
#pragma once
#include "../support.h"

namespace support
{
using geometry::Point;
using geometry::Region;

// A dark plate whose top edge bows out by `bow` px and slopes by `slope` px over 200 px.
inline image::Image plate(double bow, double slope)
{
    std::vector<Point> p;
    for (int i = 0; i <= 200; ++i) {
        const double t = i / 200.0;
        p.push_back({50.0 + i, 80 - bow * 4 * t * (1 - t) - slope * t});
    }
    p.push_back({250, 170}), p.push_back({50, 170});
    return draw({p}, 300, 220, {}, 0.5);
}
inline recipe::Recipe topLine()
{
    recipe::Recipe r;
    chain(r, "line", "top", [](recipe::Step& s) {
        s.regions["window"] = Region::window({56, 78}, {244, 78}, 30);
        put(s, "reach", 5.0);
    });
    chain(r, "line", "base", [](recipe::Step& s) { s.regions["window"] = Region::window({70, 170}, {230, 170}, 24); });
    chain(r, "line", "side", [](recipe::Step& s) { s.regions["window"] = Region::window({50, 150}, {50, 100}, 24); });
    return r;
}

} // namespace support

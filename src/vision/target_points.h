// target_points.h - what a corner, a dot and the orientation mark of a target look like, first roughly, then to a
// fraction of a px. For target.cpp.
//
// Source  see target.h.
#pragma once
#include "image/image.h"
#include "vision/target_grid.h"

#include <algorithm>

namespace vision
{

// A grey picture as floats, `1 / scale` of the size.
struct Plane {
    int width = 0, height = 0, scale = 1;
    std::vector<float> level;
    float at(int x, int y) const { return level[std::size_t(y) * std::size_t(width) + std::size_t(x)]; }
    float& at(int x, int y) { return level[std::size_t(y) * std::size_t(width) + std::size_t(x)]; }
    float clamped(int x, int y) const { return at(std::clamp(x, 0, width - 1), std::clamp(y, 0, height - 1)); }
    double sample(geometry::Point p) const
    {
        const double x = std::clamp(p.x, 0.0, width - 1.001), y = std::clamp(p.y, 0.0, height - 1.001);
        const int ix = int(x), iy = int(y);
        const double u = x - ix, v = y - iy;
        return (1 - v) * ((1 - u) * at(ix, iy) + u * at(ix + 1, iy)) +
               v * ((1 - u) * at(ix, iy + 1) + u * at(ix + 1, iy + 1));
    }
    geometry::Point toFull(geometry::Point p) const
    {
        return {p.x * scale + (scale - 1) / 2.0, p.y * scale + (scale - 1) / 2.0};
    }
};
Plane planeOf(const image::GreyView& picture, int scale);
void smooth(Plane& plane, double sigma);

// Saddle points whose surroundings change between dark and bright four times; in px of the plane. At most some twelve
// times what is expected.
std::vector<Node> cornersOf(const Plane& raw, std::size_t expected);
// Roundish objects of about one size.
std::vector<Node> dotsOf(const image::GreyView& picture, bool bright);

// The place all grey gradients about it point along or past. Förstner and Gülch 1987.
geometry::Point towardsBorders(const Plane& plane, geometry::Point start, double radius);
// A corner as a lens shows it: level + contrast × E(first border) × E(second border), E a blurred step from -1 to 1;
// level and contrast are planes, because light falls off on both. False: what is there is no corner.
bool fitCorner(const Plane& plane, geometry::Point& at, double firstAngle, double secondAngle, double radius);
// Grey-weighted centroid of a dot. The weight is the share of ink: light that falls off across the dot would pull a
// plain one to the bright side.
bool centreDot(const Plane& plane, geometry::Point& at, double diameter, double gap, bool hollow);
// Is there a disc of the opposite kind in the middle of the square with these corners?
bool discInSquare(const Plane& plane, geometry::Point a, geometry::Point b, geometry::Point c, geometry::Point d);

} // namespace vision

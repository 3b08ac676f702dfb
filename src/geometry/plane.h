// plane.h - a plane in a height picture: heights are measured over it.
//
// Input   places in picture px (heights are seen straight from above; no lens bends them).
// Output  heights in mm.
#pragma once
#include "geometry/geometry.h"

namespace geometry
{

struct HeightPlane {
    double base = 0;            // mm at picture place (0, 0)
    double right = 0, down = 0; // mm a px
    Point middle{};             // of the area it was fitted to
    double at(double x, double y) const { return base + right * x + down * y; }
    double at(Point p) const { return at(p.x, p.y); }
    // Against the plane of the picture, radians; px of this side, mm.
    double tilt(double pixelMm) const { return std::atan(std::hypot(right, down) / pixelMm); }
    friend bool operator==(const HeightPlane& a, const HeightPlane& b)
    {
        return a.base == b.base && a.right == b.right && a.down == b.down;
    }
};

} // namespace geometry

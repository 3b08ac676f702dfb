#include "geometry/geometry.h"

namespace geometry
{

double wrapped(double angle)
{
    angle = std::remainder(angle, 2 * kPi);
    return angle <= -kPi ? angle + 2 * kPi : angle;
}

double signedDistance(const Segment& line, Point p) { return dot(leftOf(line.along()), p - line.from); }

Point foot(const Segment& line, Point p)
{
    const Point u = line.along();
    return line.from + u * dot(u, p - line.from);
}

bool crossing(const Segment& a, const Segment& b, Point& out)
{
    const Point u = a.along(), v = b.along();
    const double d = cross(u, v);
    if (std::abs(d) < 1e-12) return false;
    out = a.from + u * (cross(b.from - a.from, v) / d);
    return true;
}

double angleBetween(const Segment& a, const Segment& b)
{
    const double turn = std::abs(wrapped(angleOf(a.along()) - angleOf(b.along())));
    return std::min(turn, kPi - turn);
}

} // namespace geometry

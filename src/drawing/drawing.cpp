#include "drawing/drawing.h"

#include <algorithm>

namespace drawing
{
using geometry::kPi;
using geometry::Point;

namespace
{
double turnedTo(double angle) // 0 to 2π
{
    double a = std::fmod(angle, 2 * kPi);
    return a < 0 ? a + 2 * kPi : a;
}
} // namespace

Element lineElement(Point from, Point to)
{
    Element e;
    e.from = from;
    e.to = to;
    return e;
}
Element arcElement(Point centre, double radius, double start, double sweep)
{
    Element e;
    e.arc = true;
    e.centre = centre;
    e.radius = radius;
    e.start = start;
    e.sweep = std::min(sweep, 2 * kPi);
    e.curvature = 1 / radius;
    e.from = centre + geometry::direction(start) * radius;
    e.to = e.whole() ? e.from : centre + geometry::direction(start + e.sweep) * radius;
    return e;
}

Point Element::at(double mm) const
{
    if (arc) return centre + geometry::direction(start + mm / radius) * radius;
    const double n = length();
    return n > 0 ? from + (to - from) * (mm / n) : from;
}
Point Element::along(double mm) const
{
    if (arc) return geometry::direction(start + mm / radius + kPi / 2);
    return geometry::unit(to - from);
}
Point Element::nearest(Point p) const
{
    if (!arc) {
        const Point d = to - from;
        const double n = geometry::dot(d, d);
        return n > 0 ? from + d * std::clamp(geometry::dot(p - from, d) / n, 0.0, 1.0) : from;
    }
    if (p == centre) return from;
    if (whole() || turnedTo(geometry::angleOf(p - centre) - start) <= sweep)
        return centre + geometry::unit(p - centre) * radius;
    return geometry::distance(p, from) <= geometry::distance(p, to) ? from : to;
}
double Element::distanceTo(Point p) const { return geometry::distance(p, nearest(p)); }

const char* name(LengthUnit unit)
{
    constexpr const char* names[] = {"not stated", "mm", "cm", "m", "µm", "inch", "foot", "thousandth inch"};
    return names[std::size_t(unit)];
}
double mmOf(LengthUnit unit)
{
    constexpr double factors[] = {1, 1, 10, 1000, 0.001, 25.4, 304.8, 0.0254};
    return factors[std::size_t(unit)];
}

void Box::add(DrawnPoint p)
{
    if (empty) *this = {p.x, p.y, p.x, p.y, false};
    left = std::min(left, p.x);
    right = std::max(right, p.x);
    bottom = std::min(bottom, p.y);
    top = std::max(top, p.y);
}

Box boxOf(const std::vector<Element>& elements)
{
    Box box;
    for (const Element& e : elements) {
        box.add(drawn(e.from));
        box.add(drawn(e.to));
        if (!e.arc) continue;
        for (int quarter = 0; quarter < 4; ++quarter)
            if (turnedTo(quarter * kPi / 2 - e.start) <= e.sweep)
                box.add(drawn(e.centre + geometry::direction(quarter * kPi / 2) * e.radius));
    }
    return box;
}
Box Drawing::box() const { return boxOf(elements); }

} // namespace drawing

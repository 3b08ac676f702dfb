#include "geometry/region.h"

#include <algorithm>

namespace geometry
{

const char* name(Shape shape)
{
    switch (shape) {
    case Shape::Whole: return "whole";
    case Shape::Window: return "window";
    case Shape::Rectangle: return "rectangle";
    case Shape::Circle: return "circle";
    case Shape::Ring: return "ring";
    }
    return "";
}

Region Region::window(Point from, Point to, double width)
{
    Region r;
    r.shape = Shape::Window;
    r.from = from, r.to = to, r.width = width;
    return r;
}
Region Region::rectangle(Point centre, double width, double height, double angle)
{
    Region r;
    r.shape = Shape::Rectangle;
    r.centre = centre, r.width = width, r.height = height, r.angle = angle;
    return r;
}
Region Region::circle(Point centre, double radius)
{
    Region r;
    r.shape = Shape::Circle;
    r.centre = centre, r.outer = radius;
    return r;
}
Region Region::ring(Point centre, double inner, double outer)
{
    Region r;
    r.shape = Shape::Ring;
    r.centre = centre, r.inner = inner, r.outer = outer;
    return r;
}

Region Region::carried(const Motion& motion) const
{
    Region r = *this;
    if (shape == Shape::Whole) return r;
    r.from = motion.carry(from), r.to = motion.carry(to), r.centre = motion.carry(centre);
    r.angle = angle + motion.turn();
    return r;
}

namespace
{
std::vector<Point> polygonOf(Point centre, double radius, int segments)
{
    std::vector<Point> out;
    for (int i = 0; i < segments; ++i) out.push_back(centre + direction(2 * kPi * i / segments) * radius);
    return out;
}
std::vector<Point> box(Point centre, Point along, double length, double across)
{
    const Point u = along * (length / 2), v = leftOf(along) * (across / 2);
    return {centre - u + v, centre + u + v, centre + u - v, centre - u - v};
}
} // namespace

std::vector<std::vector<Point>> Region::outlines(int segments) const
{
    switch (shape) {
    case Shape::Whole: return {};
    case Shape::Window: return {box((from + to) * 0.5, unit(to - from), distance(from, to), width)};
    case Shape::Rectangle: return {box(centre, direction(angle), width, height)};
    case Shape::Circle: return {polygonOf(centre, outer, segments)};
    case Shape::Ring: return {polygonOf(centre, outer, segments), polygonOf(centre, inner, segments)};
    }
    return {};
}

bool Region::contains(Point p) const
{
    switch (shape) {
    case Shape::Whole: return true;
    case Shape::Window: {
        const Point u = unit(to - from), d = p - (from + to) * 0.5;
        return std::abs(dot(u, d)) <= distance(from, to) / 2 && std::abs(cross(u, d)) <= width / 2;
    }
    case Shape::Rectangle: {
        const Point u = direction(angle), d = p - centre;
        return std::abs(dot(u, d)) <= width / 2 && std::abs(cross(u, d)) <= height / 2;
    }
    case Shape::Circle: return distance(p, centre) <= outer;
    case Shape::Ring: return distance(p, centre) <= outer && distance(p, centre) >= inner;
    }
    return false;
}

Point Region::middle() const { return shape == Shape::Window ? (from + to) * 0.5 : centre; }

base::Status Region::check() const
{
    using base::ErrorCode;
    for (const double v : {from.x, from.y, to.x, to.y, centre.x, centre.y, width, height, angle, inner, outer})
        if (!(std::abs(v) <= 1e6))
            return base::fail(ErrorCode::OutOfRange, std::string(name(shape)) + ": a number is outside -1000000 .. 1000000 px");
    const auto positive = [&](double v, const char* field) -> base::Status {
        if (v > 0) return {};
        return base::fail(ErrorCode::OutOfRange, std::string(name(shape)) + ": " + field + " must be greater than 0 px");
    };
    switch (shape) {
    case Shape::Whole: return {};
    case Shape::Window:
        if (auto ok = positive(distance(from, to), "the distance from 'from' to 'to'"); !ok) return ok;
        return positive(width, "width");
    case Shape::Rectangle:
        if (auto ok = positive(width, "size[0]"); !ok) return ok;
        return positive(height, "size[1]");
    case Shape::Circle: return positive(outer, "radius");
    case Shape::Ring:
        if (inner < 0) return base::fail(ErrorCode::OutOfRange, "ring: inner must be at least 0 px");
        return positive(outer - inner, "outer minus inner");
    }
    return {};
}

namespace
{
// Row by row interval of a convex polygon, pixel centres inside or on the outline.
void convexSpans(const std::vector<Point>& polygon, int width, int height, std::vector<Span>& out)
{
    double top = polygon[0].y, bottom = polygon[0].y;
    for (const Point p : polygon) top = std::min(top, p.y), bottom = std::max(bottom, p.y);
    const int y0 = int(std::max(0.0, std::ceil(top))), y1 = int(std::min(double(height) - 1, std::floor(bottom)));
    for (int y = y0; y <= y1; ++y) {
        double left = 1e300, right = -1e300;
        for (std::size_t i = 0; i < polygon.size(); ++i) {
            const Point a = polygon[i], b = polygon[(i + 1) % polygon.size()];
            if ((a.y < y && b.y < y) || (a.y > y && b.y > y)) continue;
            if (a.y == b.y) {
                left = std::min({left, a.x, b.x}), right = std::max({right, a.x, b.x});
                continue;
            }
            const double x = a.x + (b.x - a.x) * (y - a.y) / (b.y - a.y);
            left = std::min(left, x), right = std::max(right, x);
        }
        const double from = std::max(0.0, std::ceil(left - 1e-9)), to = std::min(double(width), std::floor(right + 1e-9) + 1);
        if (from < to) out.push_back({y, int(from), int(to)});
    }
}
} // namespace

std::vector<Span> spans(const Region& region, int width, int height)
{
    std::vector<Span> out;
    switch (region.shape) {
    case Shape::Whole:
        for (int y = 0; y < height; ++y) out.push_back({y, 0, width});
        break;
    case Shape::Window:
    case Shape::Rectangle: convexSpans(region.outlines().front(), width, height, out); break;
    case Shape::Circle:
    case Shape::Ring: {
        const double r = region.outer, r0 = region.shape == Shape::Ring ? region.inner : 0;
        const int y0 = int(std::max(0.0, std::ceil(region.centre.y - r))), y1 = int(std::min(height - 1.0, std::floor(region.centre.y + r)));
        for (int y = y0; y <= y1; ++y) {
            const double dy = y - region.centre.y, half = std::sqrt(std::max(0.0, r * r - dy * dy));
            const auto add = [&](double left, double right) { // closed interval
                const double from = std::max(0.0, std::ceil(left)), to = std::min(double(width), std::floor(right) + 1);
                if (from < to) out.push_back({y, int(from), int(to)});
            };
            if (std::abs(dy) >= r0 || r0 <= 0) {
                add(region.centre.x - half, region.centre.x + half);
            } else {
                const double hole = std::sqrt(r0 * r0 - dy * dy);
                add(region.centre.x - half, region.centre.x - hole);
                add(region.centre.x + hole, region.centre.x + half);
            }
        }
        break;
    }
    }
    return out;
}

long long pixelCount(const std::vector<Span>& spans)
{
    long long n = 0;
    for (const Span& s : spans) n += s.to - s.from;
    return n;
}

} // namespace geometry

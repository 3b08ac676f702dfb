#include "geometry/region.h"

#include <cmath>

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
    case Shape::Arc: return "arc";
    case Shape::Polygon: return "polygon";
    case Shape::Polyline: return "polyline";
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
Region Region::arc(Point centre, double inner, double outer, double start, double sweep)
{
    Region r = ring(centre, inner, outer);
    r.shape = Shape::Arc;
    r.start = start, r.sweep = sweep;
    return r;
}
Region Region::polygon(std::vector<Point> corners)
{
    Region r;
    r.shape = Shape::Polygon;
    r.points = std::move(corners);
    return r;
}
Region Region::polyline(std::vector<Point> points, double width)
{
    Region r;
    r.shape = Shape::Polyline;
    r.points = std::move(points), r.width = width;
    return r;
}

std::optional<std::pair<int, int>> crossingSides(const std::vector<Point>& corners)
{
    const std::size_t n = corners.size();
    const auto side = [&](Point a, Point b, Point p) { return cross(b - a, p - a); };
    for (std::size_t i = 0; i < n; ++i)
        for (std::size_t k = i + 2; k < n; ++k) {
            if (i == 0 && k + 1 == n) continue; // neighbours across the end
            const Point a = corners[i], b = corners[i + 1], c = corners[k], d = corners[(k + 1) % n];
            if (std::max(a.x, b.x) < std::min(c.x, d.x) || std::max(c.x, d.x) < std::min(a.x, b.x) ||
                std::max(a.y, b.y) < std::min(c.y, d.y) || std::max(c.y, d.y) < std::min(a.y, b.y))
                continue;
            if (side(a, b, c) * side(a, b, d) < 0 && side(c, d, a) * side(c, d, b) < 0)
                return std::pair{int(i), int(k)};
        }
    return std::nullopt;
}

bool withinSweep(double a, double start, double sweep)
{
    double d = std::fmod(a - start, 2 * kPi);
    if (d < 0) d += 2 * kPi;
    return d <= sweep + 1e-12 || d >= 2 * kPi - 1e-12;
}

Region Region::mapped(const std::function<Point(Point)>& carry) const
{
    Region r = *this;
    if (shape == Shape::Whole) return r;
    const Point c = middle(), way = carry(c + Point{0.5, 0}) - carry(c - Point{0.5, 0}),
                side = carry(c + Point{0, 0.5}) - carry(c - Point{0, 0.5});
    const double grows = std::sqrt(std::abs(cross(way, side)));
    const double turn = std::atan2(-(way.y - side.x), way.x + side.y);
    r.from = carry(from), r.to = carry(to), r.centre = carry(centre);
    r.width = width * grows, r.height = height * grows;
    r.inner = inner * grows, r.outer = outer * grows;
    r.angle = angle + turn, r.start = start + turn;
    for (Point& p : r.points) p = carry(p);
    return r;
}

Region Region::carried(const Motion& motion) const
{
    Region r = *this;
    if (shape == Shape::Whole) return r;
    r.from = motion.carry(from), r.to = motion.carry(to), r.centre = motion.carry(centre);
    r.width = width * motion.scale, r.height = height * motion.scale;
    r.inner = inner * motion.scale, r.outer = outer * motion.scale;
    r.angle = angle + motion.turn();
    r.start = start + motion.turn();
    for (Point& p : r.points) p = motion.carry(p);
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
    case Shape::Arc: {
        std::vector<Point> out;
        const int n = std::max(2, int(std::ceil(segments * sweep / (2 * kPi))));
        for (int i = 0; i <= n; ++i) out.push_back(centre + direction(start + sweep * i / n) * outer);
        for (int i = n; i >= 0; --i) out.push_back(centre + direction(start + sweep * i / n) * inner);
        return {out};
    }
    case Shape::Polygon: return {points};
    case Shape::Polyline: {
        // Both sides, offset along the bisector at each corner.
        std::vector<Point> left, right;
        for (std::size_t i = 0; i < points.size(); ++i) {
            const Point before = unit(points[i] - points[i ? i - 1 : 0]),
                        after = unit(points[std::min(i + 1, points.size() - 1)] - points[i]);
            const Point a = i ? before : after, b = i + 1 < points.size() ? after : before;
            const Point mean = unit(a + b);
            const double stretch = std::min(2.0, 1 / std::max(0.1, dot(mean, a)));
            left.push_back(points[i] + leftOf(mean) * (width / 2 * stretch)),
                right.push_back(points[i] - leftOf(mean) * (width / 2 * stretch));
        }
        left.insert(left.end(), right.rbegin(), right.rend());
        return {left};
    }
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
    case Shape::Arc:
        return distance(p, centre) <= outer && distance(p, centre) >= inner &&
               withinSweep(angleOf(p - centre), start, sweep);
    case Shape::Polygon: {
        bool in = false;
        for (std::size_t i = 0, j = points.size() - 1; i < points.size(); j = i++) {
            const Point a = points[i], b = points[j];
            if ((a.y > p.y) != (b.y > p.y) && p.x < (b.x - a.x) * (p.y - a.y) / (b.y - a.y) + a.x) in = !in;
        }
        return in;
    }
    case Shape::Polyline:
        for (std::size_t i = 0; i + 1 < points.size(); ++i) {
            const Point u = unit(points[i + 1] - points[i]), d = p - points[i];
            const double t = std::clamp(dot(u, d), 0.0, distance(points[i], points[i + 1]));
            if (distance(p, points[i] + u * t) <= width / 2) return true;
        }
        return false;
    }
    return false;
}

Point Region::middle() const
{
    switch (shape) {
    case Shape::Window: return (from + to) * 0.5;
    case Shape::Arc: return centre + direction(start + sweep / 2) * ((inner + outer) / 2);
    case Shape::Polygon: {
        double left = 1e300, right = -1e300, top = 1e300, bottom = -1e300;
        for (const Point p : points)
            left = std::min(left, p.x), right = std::max(right, p.x), top = std::min(top, p.y),
            bottom = std::max(bottom, p.y);
        return points.empty() ? Point{} : Point{(left + right) / 2, (top + bottom) / 2};
    }
    case Shape::Polyline: return points.empty() ? Point{} : points[points.size() / 2];
    default: return centre;
    }
}

base::Status Region::check() const
{
    using base::ErrorCode;
    const auto wild = [&] {
        return base::fail(ErrorCode::OutOfRange,
                          std::string(name(shape)) + ": a number is outside -1000000 .. 1000000 px");
    };
    for (const double v :
         {from.x, from.y, to.x, to.y, centre.x, centre.y, width, height, angle, inner, outer, start, sweep})
        if (!(std::abs(v) <= 1e6)) return wild();
    for (const Point p : points)
        if (!(std::abs(p.x) <= 1e6 && std::abs(p.y) <= 1e6)) return wild();
    const auto positive = [&](double v, const char* field) -> base::Status {
        if (v > 0) return {};
        return base::fail(ErrorCode::OutOfRange,
                          std::string(name(shape)) + ": " + field + " must be greater than 0 px");
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
    case Shape::Arc:
        if (inner < 0) return base::fail(ErrorCode::OutOfRange, "arc: inner must be at least 0 px");
        if (!(sweep > 0 && sweep <= 2 * kPi + 1e-9))
            return base::fail(ErrorCode::OutOfRange, "arc: sweep must be greater than 0 and at most 360 degree");
        return positive(outer - inner, "outer minus inner");
    case Shape::Polygon:
        if (points.size() < 3 || points.size() > kMostCorners)
            return base::fail(ErrorCode::OutOfRange, "polygon: " + std::to_string(points.size()) + " corners; 3 to " +
                                                         std::to_string(kMostCorners) + " are possible");
        return {};
    case Shape::Polyline: {
        if (points.size() < 2 || points.size() > kMostCorners)
            return base::fail(ErrorCode::OutOfRange, "polyline: " + std::to_string(points.size()) + " points; 2 to " +
                                                         std::to_string(kMostCorners) + " are possible");
        for (std::size_t i = 0; i + 1 < points.size(); ++i)
            if (auto ok = positive(distance(points[i], points[i + 1]), "the distance of neighbouring points"); !ok)
                return ok;
        return positive(width, "width");
    }
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
        const double from = std::max(0.0, std::ceil(left - 1e-9)),
                     to = std::min(double(width), std::floor(right + 1e-9) + 1);
        if (from < to) out.push_back({y, int(from), int(to)});
    }
}

std::vector<Span> joined(std::vector<Span> all)
{
    std::sort(all.begin(), all.end(),
              [](const Span& a, const Span& b) { return a.y != b.y ? a.y < b.y : a.from < b.from; });
    std::vector<Span> out;
    for (const Span& s : all) {
        if (!out.empty() && out.back().y == s.y && s.from <= out.back().to)
            out.back().to = std::max(out.back().to, s.to);
        else out.push_back(s);
    }
    return out;
}

// Even-odd filling; a pixel centre on a crossing counts as inside on the left hand and outside on the right.
void polygonSpans(const std::vector<Point>& p, int width, int height, std::vector<Span>& out)
{
    double top = 1e300, bottom = -1e300;
    for (const Point q : p) top = std::min(top, q.y), bottom = std::max(bottom, q.y);
    std::vector<double> cuts;
    for (int y = int(std::max(0.0, std::ceil(top))), last = int(std::min(height - 1.0, std::floor(bottom))); y <= last;
         ++y) {
        cuts.clear();
        for (std::size_t i = 0, j = p.size() - 1; i < p.size(); j = i++)
            if ((p[i].y > y) != (p[j].y > y))
                cuts.push_back((p[j].x - p[i].x) * (y - p[i].y) / (p[j].y - p[i].y) + p[i].x);
        std::sort(cuts.begin(), cuts.end());
        for (std::size_t i = 0; i + 1 < cuts.size(); i += 2) {
            const double from = std::max(0.0, std::ceil(cuts[i])), to = std::min(double(width), std::ceil(cuts[i + 1]));
            if (from < to) out.push_back({y, int(from), int(to)});
        }
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
    case Shape::Polygon: polygonSpans(region.points, width, height, out); return joined(std::move(out));
    case Shape::Polyline: {
        // Each leg is a capsule: a box and a disc at each end.
        for (std::size_t i = 0; i < region.points.size(); ++i) {
            const auto disc = spans(Region::circle(region.points[i], region.width / 2), width, height);
            out.insert(out.end(), disc.begin(), disc.end());
            if (i + 1 < region.points.size())
                convexSpans(box((region.points[i] + region.points[i + 1]) * 0.5,
                                unit(region.points[i + 1] - region.points[i]),
                                distance(region.points[i], region.points[i + 1]), region.width),
                            width, height, out);
        }
        return joined(std::move(out));
    }
    case Shape::Arc: {
        // Of a ring's spans the pixels whose direction lies in the sweep.
        for (const Span& s : spans(Region::ring(region.centre, region.inner, region.outer), width, height)) {
            int from = -1;
            for (int x = s.from; x <= s.to; ++x) {
                const bool in = x < s.to && withinSweep(angleOf(Point{double(x), double(s.y)} - region.centre),
                                                        region.start, region.sweep);
                if (in && from < 0) from = x;
                if (!in && from >= 0) out.push_back({s.y, from, x}), from = -1;
            }
        }
        break;
    }
    case Shape::Circle:
    case Shape::Ring: {
        const double r = region.outer, r0 = region.shape == Shape::Ring ? region.inner : 0;
        const int y0 = int(std::max(0.0, std::ceil(region.centre.y - r))),
                  y1 = int(std::min(height - 1.0, std::floor(region.centre.y + r)));
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
                // The inner border may fall on a pixel centre, which then belongs to both halves.
                const std::size_t n = out.size();
                add(region.centre.x + hole, region.centre.x + half);
                if (n && out.size() > n && out[n - 1].y == y && out[n].from <= out[n - 1].to)
                    out[n - 1].to = out[n].to, out.pop_back();
            }
        }
        break;
    }
    }
    return out;
}

std::vector<Span> without(const std::vector<Span>& all, const std::vector<Region>& leftOut, int width, int height)
{
    if (leftOut.empty()) return all;
    std::vector<Span> off;
    for (const Region& r : leftOut) {
        const auto part = spans(r, width, height);
        off.insert(off.end(), part.begin(), part.end());
    }
    off = joined(std::move(off));
    std::vector<Span> out;
    std::size_t k = 0;
    for (const Span& s : all) {
        while (k < off.size() && (off[k].y < s.y || (off[k].y == s.y && off[k].to <= s.from))) ++k;
        int at = s.from;
        for (std::size_t i = k; i < off.size() && off[i].y == s.y && off[i].from < s.to; ++i) {
            if (off[i].from > at) out.push_back({s.y, at, off[i].from});
            at = std::max(at, off[i].to);
        }
        if (at < s.to) out.push_back({s.y, at, s.to});
    }
    return out;
}

bool containsAny(const std::vector<Region>& regions, Point p)
{
    return std::any_of(regions.begin(), regions.end(), [&](const Region& r) { return r.contains(p); });
}

long long pixelCount(const std::vector<Span>& spans)
{
    long long n = 0;
    for (const Span& s : spans) n += s.to - s.from;
    return n;
}

} // namespace geometry

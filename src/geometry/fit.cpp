#include "geometry/fit.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cstdint>

namespace geometry
{
using base::ErrorCode;
using base::fail;

namespace
{
constexpr int kSamples = 200;

// A fixed sequence: the same points always give the same fit.
class Sequence
{
public:
    std::size_t below(std::size_t n)
    {
        m_state = m_state * 6364136223846793005ULL + 1442695040888963407ULL;
        return std::size_t((m_state >> 33) % n);
    }

private:
    std::uint64_t m_state = 42;
};

bool lineThrough(const std::vector<Point>& p, const std::vector<bool>& use, Segment& out)
{
    Point mean;
    int n = 0;
    for (std::size_t i = 0; i < p.size(); ++i)
        if (use[i]) mean = mean + p[i], ++n;
    if (n < 2) return false;
    mean = mean * (1.0 / n);
    double xx = 0, xy = 0, yy = 0;
    for (std::size_t i = 0; i < p.size(); ++i)
        if (use[i]) {
            const Point d = p[i] - mean;
            xx += d.x * d.x, xy += d.x * d.y, yy += d.y * d.y;
        }
    if (xx + yy < 1e-18) return false;
    const double a = 0.5 * std::atan2(2 * xy, xx - yy);
    const Point u{std::cos(a), std::sin(a)};
    double low = 1e300, high = -1e300;
    for (std::size_t i = 0; i < p.size(); ++i)
        if (use[i]) {
            const double t = dot(u, p[i] - mean);
            low = std::min(low, t), high = std::max(high, t);
        }
    out = {mean + u * low, mean + u * high};
    // Keep the direction in which the points came.
    const Point trend = p.back() - p.front();
    if (dot(trend, u) < 0) std::swap(out.from, out.to);
    return true;
}

bool circleOfThree(Point a, Point b, Point c, Circle& out)
{
    const Point u = b - a, v = c - a;
    const double d = 2 * cross(u, v);
    if (std::abs(d) < 1e-9 * (dot(u, u) + dot(v, v))) return false;
    const double uu = dot(u, u), vv = dot(v, v);
    out.centre = a + Point{(v.y * uu - u.y * vv) / d, (u.x * vv - v.x * uu) / d};
    out.radius = distance(out.centre, a);
    return true;
}

bool circleThrough(const std::vector<Point>& p, const std::vector<bool>& use, Circle& c)
{
    for (int round = 0; round < 20; ++round) {
        Eigen::Matrix3d h = Eigen::Matrix3d::Zero();
        Eigen::Vector3d g = Eigen::Vector3d::Zero();
        for (std::size_t i = 0; i < p.size(); ++i) {
            if (!use[i]) continue;
            const Point d = p[i] - c.centre;
            const double r = length(d);
            if (r < 1e-12) continue;
            const Eigen::Vector3d j(-d.x / r, -d.y / r, -1);
            h += j * j.transpose();
            g += j * (r - c.radius);
        }
        const auto solver = h.ldlt();
        if (solver.info() != Eigen::Success || std::abs(h.determinant()) < 1e-12) return false;
        const Eigen::Vector3d step = -solver.solve(g);
        c.centre = c.centre + Point{step[0], step[1]};
        c.radius += step[2];
        if (!(c.radius > 0) || !std::isfinite(c.centre.x) || !std::isfinite(c.centre.y)) return false;
        if (step.norm() < 1e-10) break;
    }
    return true;
}

double distanceTo(const Segment& s, Point p) { return std::abs(signedDistance(s, p)); }
double distanceTo(const Circle& c, Point p) { return std::abs(distance(c.centre, p) - c.radius); }

template <class Shape, class Start, class Refine>
base::Result<Fit<Shape>> robust(const std::vector<Point>& points, std::size_t least, double reach, Start start, Refine refine)
{
    Fit<Shape> best;
    double bestMedian = 1e300;
    std::vector<double> d(points.size());
    Sequence sequence;
    for (int s = 0; s < kSamples; ++s) {
        Shape candidate;
        if (!start(sequence, candidate)) continue;
        for (std::size_t i = 0; i < points.size(); ++i) d[i] = distanceTo(candidate, points[i]);
        const auto middle = d.begin() + std::ptrdiff_t(d.size() / 2);
        std::nth_element(d.begin(), middle, d.end());
        if (*middle < bestMedian) bestMedian = *middle, best.shape = candidate;
    }
    if (bestMedian > 1e299) return fail(ErrorCode::NoResult, "the edge points lie in one place or in a row");
    double scale = 1.4826 * bestMedian * (1 + 5.0 / double(std::max<std::size_t>(1, points.size() - least)));
    for (int round = 0; round < 12; ++round) {
        const double limit = std::max(reach, 3 * scale);
        std::vector<bool> used(points.size());
        int count = 0;
        for (std::size_t i = 0; i < points.size(); ++i) used[i] = distanceTo(best.shape, points[i]) <= limit, count += used[i];
        if (count < int(least)) return fail(ErrorCode::NoResult, "too few edge points agree");
        const bool stable = used == best.used;
        best.used = std::move(used);
        best.usedCount = count;
        if (!refine(best.used, best.shape)) return fail(ErrorCode::NoResult, "the edge points do not fix the shape");
        double sum = 0;
        for (std::size_t i = 0; i < points.size(); ++i)
            if (best.used[i]) sum += distanceTo(best.shape, points[i]) * distanceTo(best.shape, points[i]);
        best.rms = std::sqrt(sum / count);
        if (stable) break;
    }
    return best;
}
} // namespace

base::Result<Fit<Segment>> fitLine(const std::vector<Point>& points, double reach)
{
    if (points.size() < 2) return fail(ErrorCode::NoResult, std::to_string(points.size()) + " edge points, a line needs 2");
    return robust<Segment>(
        points, 2, reach,
        [&](Sequence& q, Segment& out) {
            out = {points[q.below(points.size())], points[q.below(points.size())]};
            return out.length() > 1e-9;
        },
        [&](const std::vector<bool>& use, Segment& out) { return lineThrough(points, use, out); });
}

base::Result<Fit<Circle>> fitCircle(const std::vector<Point>& points, double reach)
{
    if (points.size() < 3) return fail(ErrorCode::NoResult, std::to_string(points.size()) + " edge points, a circle needs 3");
    return robust<Circle>(
        points, 3, reach,
        [&](Sequence& q, Circle& out) {
            return circleOfThree(points[q.below(points.size())], points[q.below(points.size())], points[q.below(points.size())], out);
        },
        [&](const std::vector<bool>& use, Circle& out) { return circleThrough(points, use, out); });
}

} // namespace geometry

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

// Conic a x² + b xy + c y² + d x + e y + 1-ish = 0 to centre, axes, angle; coordinates already centred and scaled.
bool ellipseOfConic(const Eigen::Matrix<double, 6, 1>& q, Ellipse& out)
{
    const double a = q[0], b = q[1], c = q[2], d = q[3], e = q[4], f = q[5];
    const double det = 4 * a * c - b * b;
    if (!(det > 1e-14)) return false;
    const double x = (b * e - 2 * c * d) / det, y = (b * d - 2 * a * e) / det;
    const double value = f + 0.5 * (d * x + e * y);
    const double mean = (a + c) / 2, gap = std::hypot((a - c) / 2, b / 2);
    const double l1 = mean - gap, l2 = mean + gap;
    if (!(-value / l1 > 0 && -value / l2 > 0)) return false;
    const double r1 = std::sqrt(-value / l1), r2 = std::sqrt(-value / l2);
    double turn = 0.5 * std::atan2(b, a - c); // direction (y down) of the eigenvector of the larger eigenvalue
    out.centre = {x, y};
    out.major = 2 * std::max(r1, r2), out.minor = 2 * std::min(r1, r2);
    // The larger eigenvalue belongs to the shorter axis.
    turn += (std::abs(l2) >= std::abs(l1)) ? kPi / 2 : 0;
    double angle = -turn;
    while (angle > kPi / 2) angle -= kPi;
    while (angle <= -kPi / 2) angle += kPi;
    out.angle = angle;
    return std::isfinite(out.major) && out.minor > 0;
}

bool ellipseThrough(const std::vector<Point>& all, const std::vector<bool>& use, Ellipse& out)
{
    Point mean;
    int n = 0;
    for (std::size_t i = 0; i < all.size(); ++i)
        if (use[i]) mean = mean + all[i], ++n;
    if (n < 5) return false;
    mean = mean * (1.0 / n);
    double size = 0;
    for (std::size_t i = 0; i < all.size(); ++i)
        if (use[i]) size += length(all[i] - mean);
    size /= n;
    if (size < 1e-9) return false;
    Eigen::MatrixXd d1(n, 3), d2(n, 3);
    int k = 0;
    for (std::size_t i = 0; i < all.size(); ++i) {
        if (!use[i]) continue;
        const Point p = (all[i] - mean) * (1 / size);
        d1.row(k) << p.x * p.x, p.x * p.y, p.y * p.y;
        d2.row(k) << p.x, p.y, 1;
        ++k;
    }
    const Eigen::Matrix3d s1 = d1.transpose() * d1, s2 = d1.transpose() * d2, s3 = d2.transpose() * d2;
    if (std::abs(s3.determinant()) < 1e-12) return false;
    const Eigen::Matrix3d t = -s3.inverse() * s2.transpose();
    Eigen::Matrix3d m = s1 + s2 * t;
    Eigen::Matrix3d c;
    c.row(0) = m.row(2) / 2, c.row(1) = -m.row(1), c.row(2) = m.row(0) / 2;
    const Eigen::EigenSolver<Eigen::Matrix3d> solver(c);
    if (solver.info() != Eigen::Success) return false;
    Ellipse e;
    bool found = false;
    for (int i = 0; i < 3 && !found; ++i) {
        const Eigen::Vector3d v = solver.eigenvectors().col(i).real();
        if (!(4 * v[0] * v[2] - v[1] * v[1] > 0)) continue;
        Eigen::Matrix<double, 6, 1> q;
        q << v, t * v;
        if (q[0] < 0) q = -q;
        found = ellipseOfConic(q, e);
    }
    if (!found) return false;
    e.centre = mean + e.centre * size, e.major *= size, e.minor *= size;
    // Geometric refinement, five unknowns, derivatives by differences.
    for (int round = 0; round < 10; ++round) {
        Eigen::Matrix<double, 5, 5> h = Eigen::Matrix<double, 5, 5>::Zero();
        Eigen::Matrix<double, 5, 1> g = Eigen::Matrix<double, 5, 1>::Zero();
        const auto moved = [&](int j, double by) {
            Ellipse x = e;
            (j == 0 ? x.centre.x : j == 1 ? x.centre.y : j == 2 ? x.major : j == 3 ? x.minor : x.angle) += by;
            return x;
        };
        const double stepOf[5] = {1e-4, 1e-4, 1e-4, 1e-4, 1e-4 / std::max(1.0, e.major)};
        for (std::size_t i = 0; i < all.size(); ++i) {
            if (!use[i]) continue;
            const double r = offsetFrom(e, all[i]);
            Eigen::Matrix<double, 5, 1> j;
            for (int a = 0; a < 5; ++a)
                j[a] = (offsetFrom(moved(a, stepOf[a]), all[i]) - offsetFrom(moved(a, -stepOf[a]), all[i])) /
                       (2 * stepOf[a]);
            h += j * j.transpose(), g += j * r;
        }
        h.diagonal().array() += 1e-12 * h.trace() + 1e-15;
        const Eigen::Matrix<double, 5, 1> step = -h.ldlt().solve(g);
        if (!step.allFinite()) return false;
        Ellipse next = e;
        next.centre = next.centre + Point{step[0], step[1]}, next.major += step[2], next.minor += step[3],
        next.angle += step[4];
        if (!(next.minor > 0 && next.major > 0 && next.major < 1e7)) break;
        e = next;
        if (step.norm() < 1e-9) break;
    }
    if (e.minor > e.major) std::swap(e.minor, e.major), e.angle += kPi / 2;
    e.angle = wrapped(2 * e.angle) / 2;
    out = e;
    return true;
}

double distanceTo(const Ellipse& e, Point p) { return std::abs(offsetFrom(e, p)); }
double distanceTo(const Segment& s, Point p) { return std::abs(signedDistance(s, p)); }
double distanceTo(const Circle& c, Point p) { return std::abs(distance(c.centre, p) - c.radius); }

template <class Shape, class Start, class Refine>
base::Result<Fit<Shape>> robust(const std::vector<Point>& points, std::size_t least, double reach, Start start,
                                Refine refine)
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
        for (std::size_t i = 0; i < points.size(); ++i)
            used[i] = distanceTo(best.shape, points[i]) <= limit, count += used[i];
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

double offsetFrom(const Ellipse& e, Point p)
{
    const Point d = p - e.centre, u = direction(e.angle), v = leftOf(u);
    const double a = e.major / 2, b = e.minor / 2, x = dot(u, d), y = dot(v, d);
    if (!(a > 0 && b > 0)) return 1e9;
    const double f = std::sqrt(x * x / (a * a) + y * y / (b * b));
    if (f < 1e-9) return -b;
    const double gx = x / (a * a) / f, gy = y / (b * b) / f;
    return (f - 1) / std::max(1e-12, std::hypot(gx, gy));
}

double offsetFromOutline(const Ellipse& e, Point p) { return std::abs(offsetFrom(e, p)); }

void arcOf(const Circle& circle, const std::vector<Point>& points, double& start, double& sweep)
{
    std::vector<double> a;
    for (const Point p : points) a.push_back(angleOf(p - circle.centre));
    std::sort(a.begin(), a.end());
    start = 0, sweep = 2 * kPi;
    if (a.size() < 2) return;
    double widest = 0;
    for (std::size_t i = 0; i < a.size(); ++i) {
        const double next = i + 1 < a.size() ? a[i + 1] : a[0] + 2 * kPi;
        if (next - a[i] > widest) widest = next - a[i], start = wrapped(next);
    }
    sweep = 2 * kPi - widest;
}

base::Result<Fit<Ellipse>> fitEllipse(const std::vector<Point>& points, double reach)
{
    if (points.size() < 6)
        return fail(ErrorCode::NoResult, std::to_string(points.size()) + " edge points, an ellipse needs 6");
    return robust<Ellipse>(
        points, 6, reach,
        [&](Sequence& q, Ellipse& out) {
            std::vector<Point> five;
            for (int i = 0; i < 6; ++i) five.push_back(points[q.below(points.size())]);
            return ellipseThrough(five, std::vector<bool>(6, true), out);
        },
        [&](const std::vector<bool>& use, Ellipse& out) { return ellipseThrough(points, use, out); });
}

base::Result<Fit<Segment>> fitLine(const std::vector<Point>& points, double reach)
{
    if (points.size() < 2)
        return fail(ErrorCode::NoResult, std::to_string(points.size()) + " edge points, a line needs 2");
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
    if (points.size() < 3)
        return fail(ErrorCode::NoResult, std::to_string(points.size()) + " edge points, a circle needs 3");
    return robust<Circle>(
        points, 3, reach,
        [&](Sequence& q, Circle& out) {
            return circleOfThree(points[q.below(points.size())], points[q.below(points.size())],
                                 points[q.below(points.size())], out);
        },
        [&](const std::vector<bool>& use, Circle& out) { return circleThrough(points, use, out); });
}

std::vector<std::vector<double>> fitSpread(const std::vector<std::vector<double>>& rows,
                                           const std::vector<double>& sigma, const std::vector<int>& place,
                                           const std::vector<double>& shared)
{
    const auto n = Eigen::Index(rows.size());
    if (n == 0) return {};
    const auto p = Eigen::Index(rows.front().size());
    Eigen::MatrixXd j(n, p);
    for (Eigen::Index i = 0; i < n; ++i)
        for (Eigen::Index k = 0; k < p; ++k) j(i, k) = rows[std::size_t(i)][std::size_t(k)];
    const Eigen::MatrixXd normal = j.transpose() * j;
    const Eigen::LDLT<Eigen::MatrixXd> solver(normal);
    if (solver.info() != Eigen::Success || !(solver.rcond() > 1e-14)) return {};
    Eigen::MatrixXd middle = Eigen::MatrixXd::Zero(p, p);
    Eigen::RowVectorXd others(p);
    for (Eigen::Index a = 0; a < n; ++a) {
        // What a point shares its error with; points stand in their order.
        others.setZero();
        for (const Eigen::Index way : {Eigen::Index(-1), Eigen::Index(1)})
            for (Eigen::Index b = a + (way > 0 ? 0 : -1); b >= 0 && b < n; b += way) {
                const std::size_t apart = std::size_t(std::abs(place[std::size_t(b)] - place[std::size_t(a)]));
                if (apart >= shared.size()) break;
                others += j.row(b) * (sigma[std::size_t(b)] * shared[apart]);
            }
        middle.noalias() += j.row(a).transpose() * others * sigma[std::size_t(a)];
    }
    const Eigen::MatrixXd half = solver.solve(middle);
    const Eigen::MatrixXd covariance = solver.solve(half.transpose());
    const Eigen::SelfAdjointEigenSolver<Eigen::MatrixXd> parts((covariance + covariance.transpose()) / 2);
    std::vector<std::vector<double>> out;
    out.resize(rows.front().size(), std::vector<double>(rows.front().size()));
    for (Eigen::Index k = 0; k < p; ++k)
        for (Eigen::Index i = 0; i < p; ++i)
            out[std::size_t(i)][std::size_t(k)] =
                parts.eigenvectors()(i, k) * std::sqrt(std::max(0.0, parts.eigenvalues()[k]));
    return out;
}

} // namespace geometry

#include "geometry/zones.h"

#include <Eigen/Dense>
#include <algorithm>
#include <array>

namespace geometry
{

std::vector<Point> convexHull(std::vector<Point> p)
{
    std::sort(p.begin(), p.end(), [](Point a, Point b) { return a.x != b.x ? a.x < b.x : a.y < b.y; });
    p.erase(std::unique(p.begin(), p.end()), p.end());
    if (p.size() < 3) return p;
    std::vector<Point> h;
    const auto half = [&](auto from, auto to) {
        const std::size_t base = h.size();
        for (auto it = from; it != to; ++it) {
            // y points down: turning clockwise in numbers is counter-clockwise as seen.
            while (h.size() >= base + 2 && cross(h.back() - h[h.size() - 2], *it - h.back()) >= 0) h.pop_back();
            h.push_back(*it);
        }
        h.pop_back();
    };
    half(p.begin(), p.end());
    half(p.rbegin(), p.rend());
    return h;
}

double perimeterOf(const std::vector<Point>& p)
{
    double sum = 0;
    for (std::size_t i = 0; i < p.size(); ++i) sum += distance(p[i], p[(i + 1) % p.size()]);
    return sum;
}

double areaOf(const std::vector<Point>& p)
{
    double sum = 0;
    for (std::size_t i = 0; i < p.size(); ++i) sum += cross(p[i], p[(i + 1) % p.size()]);
    return std::abs(sum) / 2;
}

namespace
{
std::pair<double, double> reachAlong(const std::vector<Point>& p, Point u)
{
    double low = 1e300, high = -1e300;
    for (const Point q : p) low = std::min(low, dot(u, q)), high = std::max(high, dot(u, q));
    return {low, high};
}
} // namespace

TurnedBox smallestBox(const std::vector<Point>& points)
{
    TurnedBox best;
    if (points.empty()) return best;
    const std::vector<Point> h = convexHull(points);
    double least = 1e300;
    for (std::size_t i = 0; i < h.size(); ++i) {
        const Point u = unit(h[(i + 1) % h.size()] - h[i]), v = leftOf(u);
        const auto a = reachAlong(h, u), b = reachAlong(h, v);
        const double area = (a.second - a.first) * (b.second - b.first);
        if (area >= least * (1 - 1e-12)) continue;
        least = area;
        best.centre = u * ((a.first + a.second) / 2) + v * ((b.first + b.second) / 2);
        best.length = a.second - a.first, best.width = b.second - b.first;
        best.angle = angleOf(u);
    }
    if (best.width > best.length) std::swap(best.width, best.length), best.angle += kPi / 2;
    best.angle = wrapped(2 * best.angle) / 2;
    return best;
}

StripZone stripAlong(const std::vector<Point>& points, Point along)
{
    StripZone z;
    if (points.empty()) return z;
    const Point u = unit(along), v = leftOf(u);
    const auto a = reachAlong(points, u), b = reachAlong(points, v);
    z.width = b.second - b.first;
    const Point middle = v * ((b.first + b.second) / 2);
    z.line = {middle + u * a.first, middle + u * a.second};
    return z;
}

StripZone straightness(const std::vector<Point>& points)
{
    const std::vector<Point> h = convexHull(points);
    if (h.size() < 2) return stripAlong(points, {1, 0});
    StripZone best;
    best.width = 1e300;
    for (std::size_t i = 0; i < h.size(); ++i) {
        const StripZone z = stripAlong(h, h[(i + 1) % h.size()] - h[i]);
        if (z.width < best.width) best = z;
    }
    return best;
}

RingZone roundness(const std::vector<Point>& points)
{
    RingZone best;
    best.width = 1e300;
    if (points.size() < 3) {
        best.width = 0;
        return best;
    }
    Point centre;
    for (const Point p : points) centre = centre + p;
    centre = centre * (1.0 / double(points.size()));
    // A first centre by algebraic least squares, so that an arc starts well too.
    {
        Eigen::Matrix3d m = Eigen::Matrix3d::Zero();
        Eigen::Vector3d r = Eigen::Vector3d::Zero();
        for (const Point p : points) {
            const Point d = p - centre;
            const Eigen::Vector3d j(d.x, d.y, 1);
            m += j * j.transpose(), r += j * dot(d, d);
        }
        if (std::abs(m.determinant()) > 1e-9) {
            const Eigen::Vector3d x = m.ldlt().solve(r);
            if (x.allFinite()) centre = centre + Point{x[0] / 2, x[1] / 2};
        }
    }
    const std::size_t n = points.size();
    for (int round = 0; round < 30; ++round) {
        // Linearised: residual_i = d_i - (ux δx + uy δy + R); minimise its largest size over δ and R by exchange of
        // four points.
        std::vector<double> d(n);
        std::vector<Point> u(n);
        double low = 1e300, high = -1e300;
        for (std::size_t i = 0; i < n; ++i) {
            d[i] = distance(points[i], centre), u[i] = unit(points[i] - centre);
            low = std::min(low, d[i]), high = std::max(high, d[i]);
        }
        if (high - low < best.width - 1e-12) {
            best.width = high - low;
            best.inner = {centre, low}, best.outer = {centre, high};
        } else if (round > 3) {
            break;
        }
        // Dual form by a simple ascent: keep four active points, solve for δ, R and the level, bring in the worst
        // point.
        std::array<std::size_t, 4> active{};
        for (std::size_t k = 0; k < 4; ++k) active[k] = k * n / 4;
        Eigen::Vector3d x = Eigen::Vector3d::Zero();
        double level = -1;
        for (int step = 0; step < 200; ++step) {
            // Signs of the four follow from the null vector of their equations.
            Eigen::Matrix<double, 3, 4> a;
            Eigen::Vector4d rhs;
            for (int k = 0; k < 4; ++k) {
                a.col(k) << u[active[std::size_t(k)]].x, u[active[std::size_t(k)]].y, 1;
                rhs[k] = d[active[std::size_t(k)]];
            }
            // The null vector of the four equations, by cofactors.
            Eigen::Vector4d lambda;
            for (int k = 0; k < 4; ++k) {
                Eigen::Matrix3d m;
                for (int j = 0, c = 0; j < 4; ++j)
                    if (j != k) m.col(c++) = a.col(j);
                lambda[k] = (k % 2 ? -1 : 1) * m.determinant();
            }
            if (lambda.cwiseAbs().sum() < 1e-12) {
                // Points in one place: start with others.
                active[std::size_t(step) % 4] = (active[std::size_t(step) % 4] + 1) % n;
                continue;
            }
            const double h = lambda.dot(rhs) / lambda.cwiseAbs().sum();
            Eigen::Matrix4d full;
            Eigen::Vector4d sign;
            for (int k = 0; k < 4; ++k) sign[k] = lambda[k] >= 0 ? 1 : -1;
            full.leftCols<3>() = a.transpose();
            full.col(3) = sign;
            if (std::abs(full.determinant()) < 1e-14) break;
            const Eigen::Vector4d solved = full.inverse() * rhs;
            if (!solved.allFinite()) break;
            x = solved.head<3>(), level = std::abs(h);
            std::size_t worst = 0;
            double size = -1, value = 0;
            for (std::size_t i = 0; i < n; ++i) {
                const double r = d[i] - (u[i].x * x[0] + u[i].y * x[1] + x[2]);
                if (std::abs(r) > size) size = std::abs(r), value = r, worst = i;
            }
            if (size <= level + 1e-10) break;
            // Exchange: the new point replaces the one that keeps the signs right (ratio rule of the dual simplex).
            const Eigen::Vector3d col(u[worst].x, u[worst].y, 1);
            const double s = value >= 0 ? 1 : -1, s0 = solved[3] >= 0 ? 1 : -1;
            Eigen::Matrix4d dual;
            Eigen::Vector4d dualRhs;
            for (int k = 0; k < 4; ++k) dual.col(k) << s0 * sign[k] * a.col(k), 1;
            dualRhs << s * col, 1;
            if (std::abs(dual.determinant()) < 1e-14) break;
            const Eigen::Vector4d gamma = dual.inverse() * dualRhs;
            int leave = -1;
            double ratio = 1e300;
            for (int k = 0; k < 4; ++k)
                if (gamma[k] > 1e-12 && std::abs(lambda[k]) / gamma[k] < ratio)
                    ratio = std::abs(lambda[k]) / gamma[k], leave = k;
            if (leave < 0) break;
            active[std::size_t(leave)] = worst;
        }
        if (level < 0) break;
        const Point move{x[0], x[1]};
        centre = centre + move;
        if (length(move) < 1e-12) break;
    }
    return best;
}

} // namespace geometry

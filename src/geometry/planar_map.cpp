#include "geometry/planar_map.h"

#include <cmath>

namespace geometry
{
namespace
{
using Complex = std::complex<double>;
Complex z(Point p, bool mirrored) { return {p.x, mirrored ? -p.y : p.y}; }

std::optional<PlanarMap> fitted(const std::vector<std::pair<Point, Point>>& pairs, bool mirrored)
{
    Complex from(0), to(0), over(0);
    const double n = double(pairs.size());
    for (const auto& [p, q] : pairs) from += z(p, mirrored) / n, to += z(q, false) / n;
    double under = 0, spread = 0;
    for (const auto& [p, q] : pairs) {
        const Complex dz = z(p, mirrored) - from, dw = z(q, false) - to;
        over += std::conj(dz) * dw, under += std::norm(dz), spread += std::norm(dw);
    }
    if (!(under > 1e-18) || !(spread > 1e-18) || !(std::abs(over) > 0)) return {};
    PlanarMap m;
    m.mirrored = mirrored;
    m.a = over / under;
    m.b = to - m.a * from;
    for (const auto& [p, q] : pairs) {
        const Point at = m.map(p);
        const double d = std::hypot(at.x - q.x, at.y - q.y);
        m.residual += d * d / n, m.worst = std::max(m.worst, d);
    }
    m.residual = std::sqrt(m.residual);
    return m;
}
} // namespace

Point PlanarMap::map(Point p) const
{
    const Complex w = a * z(p, mirrored) + b;
    return {w.real(), w.imag()};
}
base::Result<PlanarMap> fitPlanarMap(const std::vector<std::pair<Point, Point>>& pairs, std::optional<bool> mirrored)
{
    if (pairs.size() < 2)
        return base::fail(base::ErrorCode::InvalidArgument,
                          "needs two pairs of points or more, has " + std::to_string(pairs.size()));
    auto best = fitted(pairs, mirrored.value_or(false));
    if (!mirrored && pairs.size() > 2) {
        const auto other = fitted(pairs, true);
        if (other && (!best || other->residual < best->residual)) best = other;
    }
    if (!best) return base::fail(base::ErrorCode::InvalidArgument, "the points of its pairs lie on one place");
    return *best;
}

} // namespace geometry

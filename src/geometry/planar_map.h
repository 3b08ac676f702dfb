// planar_map.h - turn, scale and shift of a plane, mirrored or not, that lays points on points best.
//
// Method  least squares in closed form on complex numbers: w = a z + b, mirrored w = a z* + b; a = Σ z* w / Σ |z|² of the
//         centred points.
#pragma once
#include "base/result.h"
#include "geometry/geometry.h"

#include <complex>
#include <optional>
#include <utility>
#include <vector>

namespace geometry
{

struct PlanarMap {
    std::complex<double> a{1, 0}, b{0, 0};
    bool mirrored = false;
    double residual = 0, worst = 0; // root mean square and largest distance of a point from its own
    Point map(Point p) const;
    double scale() const { return std::abs(a); }
};
// `mirrored`: as stated; nothing: whichever fits better, which two points do not tell (then it is not).
// Fails with InvalidArgument for fewer than two pairs or when all lie on one place.
base::Result<PlanarMap> fitPlanarMap(const std::vector<std::pair<Point, Point>>& pairs, std::optional<bool> mirrored);

} // namespace geometry

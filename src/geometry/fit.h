// fit.h - lines and circles through edge points, stray points dropped.
//
// Input   points in px; `reach`: points farther than max(reach, 3 × robust scale) from the fit are stray.
// Output  the fit by total (orthogonal) least squares over the used points, which points were used, rms of their
//         distances.
// Fails   NoResult: fewer than 2 (line) or 3 (circle) or 6 (ellipse) points, all in one place, or three points in a row
//         for a circle.
// Accuracy  circle of 48 points, R = 100 px, noise 0.05 px: centre within 0.02 px (tests/geometry_test.cpp); up to 40 %
//           stray points do no harm.
// Source  start by least median of squares (Rousseeuw 1984) over a fixed sequence of samples, then least squares of the
//         points kept, repeated until the kept set is stable; circle by Gauss-Newton on the geometric distance. Same
//         points, same bits.
// Cost    O(200 n).
//         Ellipse: five-point samples, direct least squares (Fitzgibbon 1999 in the stable form of Halir, Flusser
//         1998), then Gauss-Newton on the distance to first order (Sampson).
#pragma once
#include "base/result.h"
#include "geometry/geometry.h"

#include <vector>

namespace geometry
{

template <class Shape> struct Fit {
    Shape shape;
    std::vector<bool> used;
    int usedCount = 0;
    double rms = 0; // px, over the used points
};

base::Result<Fit<Segment>> fitLine(const std::vector<Point>& points, double reach = 0.25);
base::Result<Fit<Circle>> fitCircle(const std::vector<Point>& points, double reach = 0.25);
base::Result<Fit<Ellipse>> fitEllipse(const std::vector<Point>& points, double reach = 0.25);
// What least squares makes of points that lie off by `sigma` (one standard deviation along the offset) each. `rows`: how
// the offset of each point changes with each of the shape's numbers; `place`: where each point stands in its row, and
// `shared[k]` how much of their error two points have in common that stand k apart. A matrix, number by source: L with
// L Lᵀ the covariance of the numbers; empty when they cannot be told. Source: JCGM 102:2011, 6.2.
std::vector<std::vector<double>> fitSpread(const std::vector<std::vector<double>>& rows,
                                           const std::vector<double>& sigma, const std::vector<int>& place,
                                           const std::vector<double>& shared);
// Distance of p from the ellipse along its gradient, to first order; positive outside.
double offsetFrom(const Ellipse& e, Point p);
// Ends of a fitted circle's arc: the start angle and the sweep (counter-clockwise) that leave out the widest gap
// between the points.
void arcOf(const Circle& circle, const std::vector<Point>& points, double& start, double& sweep);

} // namespace geometry

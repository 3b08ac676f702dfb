// zones.h - the smallest zones that hold every point: form and place tolerances of ISO 1101, boxes and widths of
// outlines.
//
// Input   points in px; all of them count, none is dropped or thinned.
// Output  widths in px.
// Fails   an empty list gives a zone of width 0.
// Accuracy  straightness and box are exact (calipers on the convex hull); roundness within 1e-6 px of the minimum
//           (tests/geometry_test.cpp).
// Source  ISO 1101, ISO 12780-1 (minimum zone straightness), ISO 12181-1 (minimum zone roundness, MZCI); hull: Andrew
//         1979; turned box: Freeman, Shapira 1975; roundness by the exchange method for linear Chebyshev fits (Stiefel
//         1959), repeated about the new centre.
#pragma once
#include "geometry/geometry.h"

namespace geometry
{

// Counter-clockwise as seen, without points on a side.
std::vector<Point> convexHull(std::vector<Point> points);
double perimeterOf(const std::vector<Point>& closed);
double areaOf(const std::vector<Point>& closed); // always ≥ 0

struct TurnedBox {
    Point centre;
    double length = 0, width = 0; // longer and shorter side
    double angle = 0;             // of the longer side, radians in (-pi/2, pi/2]
};
TurnedBox smallestBox(const std::vector<Point>& points);

struct StripZone {
    double width = 0;
    Segment line; // middle of the zone
};
// Two parallel lines as near as possible with all points between them.
StripZone straightness(const std::vector<Point>& points);
// The same with their direction given: parallelism and perpendicularity to a datum.
StripZone stripAlong(const std::vector<Point>& points, Point direction);

struct RingZone {
    double width = 0;
    Circle inner, outer;
};
// Two circles about one centre, as near as possible, with all points between them.
RingZone roundness(const std::vector<Point>& points);

} // namespace geometry

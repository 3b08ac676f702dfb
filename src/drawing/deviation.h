// deviation.h - how far an outline that was seen lies from the one that was drawn.
//
// Input   a laid drawing; outlines of the picture in level px, in order, material at the right hand of their way.
// Output  for every point its signed distance, mm, positive where there is too much material, with its place along the
//         drawn outline; drawn loops that were not found and found ones that were not drawn; stretches beyond a
//         tolerance.
// Accuracy  0.02 px and the points' noise (tests/drawing_test.cpp). Blur rounds sharp corners: there points within
//           `cornerAllowance` of the drawing do not count.
// Source  ISO 1101 profile of a line: the zone is twice the largest distance. Blur and averaging move an edge of
//         curvature k by (σ² + s²) k / 2 towards the inside of the bend; undone.
#pragma once
#include "drawing/fit.h"

namespace drawing
{

struct FoundLoop {
    std::vector<geometry::Point> points; // level px
    double blur = 0;                     // px, sigma
    double spread = 0;                   // px², of the places averaged along the edge
};
struct DeviationOptions {
    double reach = 1;           // mm: farther away nothing is the drawn outline
    double cornerGap = 0;       // mm along the outline
    double cornerAllowance = 0; // mm
};
struct DeviationPoint {
    geometry::Point found, foot; // level px, mm
    geometry::Point outward;     // of the drawing there, mm
    double offset = 0;           // mm
    double along = 0;            // mm along the drawn loop
    int element = -1, loop = -1;
    bool counts = true;
};
struct Extra {
    geometry::Point at; // mm
    double size = 0;    // mm, diameter of a circle of its area
    int loop = 0;       // index of the found one
};
struct Deviations {
    std::vector<std::vector<DeviationPoint>> lines; // one a found loop that belongs to the drawing, in its order
    std::vector<int> missing;                       // drawn loops
    std::vector<double> covered;                    // of each drawn loop, 0 to 1, within the reach
    std::vector<double> seen;                       // the same, however far off
    std::vector<Extra> surplus;
    double most = 0, least = 0; // mm, of those that count: most too much, most too little (negative)
    double zone() const { return 2 * std::max(most, -least); }
};
Deviations deviations(const Outline& outline, const Laid& laid, const std::vector<FoundLoop>& found,
                      const DeviationOptions& options);

struct Stretch {
    int loop = -1, element = -1;
    double from = 0, to = 0; // mm along the drawn loop, where it begins and ends
    double length = 0;       // mm
    double worst = 0;        // mm, signed
    geometry::Point at;      // level px, of the worst place
    geometry::Point foot;    // mm
    int line = 0;            // of Deviations::lines, and the points from `first` to `last` (may run over the end)
    std::size_t first = 0, last = 0;
};
// Largest first.
std::vector<Stretch> stretchesBeyond(const Deviations& d, double tolerance);

} // namespace drawing

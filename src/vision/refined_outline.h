// refined_outline.h - the pixel outline of a blob moved onto the edge it stands for.
//
// Input   a grey picture and an outline along pixel corners (blobs.h), inside at the right hand of its way.
// Output  in the same order, about one point a px: the place along the normal where the grey level changes most; where
//         there is no such place the smoothed pixel outline itself, marked as not sure.
// Accuracy  bias under 0.003 px on straight edges (edges.h); on bends blur and averaging move it inwards, see
//           OutlinePoints::blur and spread (tests/contour_test.cpp, tests/drawing_test.cpp).
// Cost    about 1 µs a point.
#pragma once
#include "vision/edges.h"

namespace vision
{

struct RefineOptions {
    double smoothing = 1.5;   // px, sigma along the normal
    double averaging = 1;     // px along the edge
    double leastStrength = 2; // grey levels
    double most = 2.5;        // px, farthest an edge may lie from the pixel outline
};
struct OutlinePoints {
    std::vector<geometry::Point> points;
    std::vector<bool> sure;
    double blur = 0;   // px, median sigma of the edge, of what moves it on bends
    double spread = 0; // px², of the places averaged along it
    double sureShare() const;
};
OutlinePoints refinedOutline(const image::GreyView& picture, const std::vector<geometry::Point>& corners,
                             const RefineOptions& options);

} // namespace vision

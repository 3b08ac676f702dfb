// trace.h - lines and arcs through the outline points of a part that has no drawing.
//
// Input   a closed outline in px, in order, about one point a px; tolerance in px; blur and averaging of its points.
// Output  lines and arcs that meet end to end, tangent where they seem to be, or one whole circle; how far the points
//         lie from them.
// Fails   NoResult: fewer than 12 points.
// Accuracy  arc centres and radii within 0.02 px on rendered parts (tests/trace_test.cpp).
// Source  break points by dynamic programming with the points' noise as cost scale; then all parameters together with
//         tangency as constraint by Levenberg-Marquardt (Ceres); circles by Gauss-Newton on the geometric distance.
// Cost    O(n²) in break places, at most 500 of them an outline.
#pragma once
#include "base/result.h"
#include "drawing/deviation.h"

namespace drawing
{

struct TraceOptions {
    double tolerance = 0.5;  // px, farthest a point may lie from its line or arc
    double leastRadius = 3;  // px: a tighter bend is a corner
    double mostRadius = 2e4; // px: a flatter one is a line
};
struct TracedLoop {
    std::vector<Element> elements; // in order along the points, px
    std::vector<bool> tangent;     // at the beginning of each
    double rms = 0, worst = 0;     // px, of the points off the corners
};
base::Result<TracedLoop> traceLoop(const FoundLoop& loop, const TraceOptions& options);

} // namespace drawing

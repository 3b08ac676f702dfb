// fit.h - lays a drawing on a picture: point to line, all points at once, stray ones without weight.
//
// Input   places of the drawing with their normals (mm) and the edge found for each (level px), a start.
// Output  the pose, the scale when asked for, residuals in mm, which points were used; the ways a drawing looks like
//         itself turned or mirrored.
// Fails   NoResult: fewer than 3 points, or points that leave a shift or turn free.
// Accuracy  see steps/drawing (tests/drawing_test.cpp).
// Source  Chen and Medioni 1992; weights of Tukey with the median of the residuals as scale (Huber 1981).
#pragma once
#include "drawing/outline.h"

namespace drawing
{

// How a drawing lies on a picture. Its origin is the pose's, its x direction the pose's.
struct Laid {
    geometry::Pose pose; // level px
    double pxPerMm = 1;
    bool mirrored = false; // seen from its other side
    geometry::Point toPicture(geometry::Point mm) const
    {
        return pose.toPicture(geometry::Point{mirrored ? -mm.x : mm.x, mm.y} * pxPerMm);
    }
    geometry::Point toDrawing(geometry::Point px) const
    {
        const geometry::Point mm = pose.toLocal(px) * (1 / pxPerMm);
        return {mirrored ? -mm.x : mm.x, mm.y};
    }
};

struct Pairing {
    geometry::Point at, outward; // mm
    geometry::Point found;       // level px
};
struct LayingOptions {
    bool scale = false;   // free as well
    double floor = 0.002; // mm, residuals below it are all alike
    int rounds = 12;
};
struct Laying {
    Laid laid;
    std::vector<double> residuals; // mm, positive outward
    std::vector<bool> used;
    int usedCount = 0;
    double rms = 0; // mm, of the used ones
};
base::Result<Laying> lay(const std::vector<Pairing>& pairs, const Laid& start, const LayingOptions& options = {});

// A motion that lays the drawing (mirrored or not) on itself, in mm.
struct Likeness {
    double turn = 0; // radians
    geometry::Point shift;
    bool mirrored = false;
    double share = 0; // of its length that coincides within `reach`
    geometry::Point map(geometry::Point mm) const;
};
// All but the drawing as it is; the best first. `reach` mm.
std::vector<Likeness> likenesses(const Outline& outline, double reach, double leastShare = 0.6);
// The laid drawing, moved so that it lies as the likeness says.
Laid alike(const Laid& laid, const Likeness& likeness);

} // namespace drawing

// distance.h - step kind: distance of two features found by other steps.
//
// nearest and farthest: between the outlines of circles, ellipses and contours; overlapping outlines are 0 apart at the
// nearest. point–point and centres: straight. point–line: perpendicular. line–line: mean perpendicular distance over
// the part where both were seen.
#pragma once
#include "recipe/step_kind.h"

namespace steps
{

enum class Reach { Centre, Nearest, Farthest };
enum class Along { Direct, DatumX, DatumY };
struct DistanceParams {
    Along along = Along::Direct;
    Reach reach = Reach::Centre;
};
recipe::StepKind distance();

// The two ends between which the distance is taken; fails for two lines more than 5° apart.
base::Result<std::pair<geometry::Point, geometry::Point>> ends(const recipe::Feature& a, const recipe::Feature& b,
                                                               Reach reach);

} // namespace steps

// distance.h - step kind: distance of two features found by other steps.
//
// point–point and centres: straight. point–line: perpendicular. line–line: mean perpendicular distance over the part where both were seen.
#pragma once
#include "recipe/step_kind.h"

namespace steps
{

enum class Along { Direct, DatumX, DatumY };
struct DistanceParams {
    Along along = Along::Direct;
};
recipe::StepKind distance();

// The two ends between which the distance is taken; fails for two lines more than 5° apart.
base::Result<std::pair<geometry::Point, geometry::Point>> ends(const recipe::Feature& a, const recipe::Feature& b);

} // namespace steps

// distances.h - step kind: the distance of each of many objects from a feature or from the datum.
#pragma once
#include "recipe/step_kind.h"
#include "steps/distance/distance.h"

namespace steps
{

struct DistancesParams {
    Along along = Along::Direct;
};
recipe::StepKind distances();

} // namespace steps

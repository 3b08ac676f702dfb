// crossing.h - step kind: point where two lines cross, also beyond their ends.
#pragma once
#include "recipe/step_kind.h"

namespace steps
{

struct CrossingParams {
};
recipe::StepKind crossing();

} // namespace steps

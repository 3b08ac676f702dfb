// circle_through.h - step kind: the circle through the centres of several features: a bolt circle.
#pragma once
#include "recipe/step_kind.h"

namespace steps
{

struct CircleThroughParams {
};
recipe::StepKind circle_through();

} // namespace steps

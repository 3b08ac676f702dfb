// midpoint.h - step kind: point midway between two features.
#pragma once
#include "recipe/step_kind.h"

namespace steps
{

struct MidpointParams {
};
recipe::StepKind midpoint();

} // namespace steps

// corner.h - step kind: the datum of two edges: the crossing is the origin, the first edge the x direction.
#pragma once
#include "recipe/step_kind.h"

namespace steps
{

struct CornerParams {
};
recipe::StepKind corner();

} // namespace steps

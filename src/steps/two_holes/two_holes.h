// two_holes.h - step kind: the datum of two features: origin on the first, x direction towards the second.
#pragma once
#include "recipe/step_kind.h"

namespace steps
{

struct TwoHolesParams {
};
recipe::StepKind two_holes();

} // namespace steps

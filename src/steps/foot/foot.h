// foot.h - step kind: point of a line nearest to another feature.
#pragma once
#include "recipe/step_kind.h"

namespace steps
{

struct FootParams {
};
recipe::StepKind foot();

} // namespace steps

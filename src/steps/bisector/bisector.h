// bisector.h - step kind: line midway between two lines; of parallel ones the middle line.
#pragma once
#include "recipe/step_kind.h"

namespace steps
{

struct BisectorParams {
};
recipe::StepKind bisector();

} // namespace steps

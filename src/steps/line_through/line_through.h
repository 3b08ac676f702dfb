// line_through.h - step kind: line through two points or centres.
#pragma once
#include "recipe/step_kind.h"

namespace steps
{

struct LineThroughParams {
};
recipe::StepKind line_through();

} // namespace steps

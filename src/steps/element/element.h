// element.h - step kind: one object of a group, by number from either end or by place.
#pragma once
#include "recipe/step_kind.h"

namespace steps
{

enum class PickBy { Number, Place };
struct ElementParams {
    PickBy by = PickBy::Number;
    int number = 1;
};
recipe::StepKind element();

} // namespace steps

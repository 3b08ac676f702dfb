// drawn_circle.h - step kind: a circle of the drawing, measured where the drawing says it is.
//
// Accuracy  as the circle kind (tests/steps/drawn_circle_test.cpp).
// Source    edges square to the drawn element, blur and bend undone; fit as in geometry/fit.h.
#pragma once
#include "recipe/step_kind.h"
#include "steps/drawing_glue.h"

namespace steps
{

struct DrawnCircleParams : DrawnSettings {
};
recipe::StepKind drawn_circle();

} // namespace steps

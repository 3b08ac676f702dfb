// drawn_line.h - step kind: a line of the drawing, measured where the drawing says it is.
//
// Accuracy  as the line kind (tests/steps/drawn_line_test.cpp).
// Source    edges square to the drawn element, blur and bend undone; fit as in geometry/fit.h.
#pragma once
#include "recipe/step_kind.h"
#include "steps/drawing_glue.h"

namespace steps
{

struct DrawnLineParams : DrawnSettings {
};
recipe::StepKind drawn_line();

} // namespace steps

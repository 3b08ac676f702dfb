// drawing_datum.h - step kind: a datum by the recipe's drawing, found at any place and angle without teaching.
//
// Accuracy  0.02 px and 0.005° with a fifth of the outline hidden (tests/steps/drawing_datum_test.cpp).
// Source    the drawing's outline searched as a pattern (vision/pattern.h), then laid by all edges (drawing/fit.h), or
//           by two datum features in the order of ISO 5459.
#pragma once
#include "recipe/step_kind.h"
#include "steps/selection.h"

namespace steps
{

enum class LaidBy { AllEdges, TwoHoles, EdgeAndPoint };
struct DrawingDatumParams {
    Objects material = Objects::Dark;
    LaidBy by = LaidBy::AllEdges;
    int first = 0;
    int second = 0;
    double leastScore = 0.5;
    double leastContrast = 12;
    double reach = 0.4;
    int most = 1;
    int expected = 0;
};
recipe::StepKind drawing_datum();

} // namespace steps

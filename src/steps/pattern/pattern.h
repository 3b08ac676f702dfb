// pattern.h - step kind: a datum by a taught pattern at any angle. Algorithm and accuracy: vision/pattern.h.
#pragma once
#include "recipe/step_kind.h"

namespace steps
{

struct PatternParams {
    double leastScore = 0.65;
    double angleRange = 180;
    double leastContrast = 10;
    int most = 1;
    double direction = 0;
};
recipe::StepKind pattern();

} // namespace steps

// pattern.h - step kind: a datum by a taught pattern at any angle. Algorithm and accuracy: vision/pattern.h.
#pragma once
#include "recipe/step_kind.h"

namespace steps
{

enum class FindOrder { Score, Rows, AlongX, AlongY, Angle };
struct PatternParams {
    double leastScore = 0.65;
    double angleRange = 180;
    double leastContrast = 10;
    int most = 1;
    int expected = 0;
    FindOrder order = FindOrder::Rows;
    double leastDistance = 0;
    double scaleRange = 0;
    bool reversal = false;
    double direction = 0;
};
recipe::StepKind pattern();

} // namespace steps

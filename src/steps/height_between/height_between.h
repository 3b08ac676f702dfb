// height_between.h - step kind: how much higher one area lies than another.
#pragma once
#include "steps/height_glue.h"

namespace steps
{

struct HeightBetweenParams {
    HeightOf of = HeightOf::Median;
    double leftOut = 1;
    double leastCovered = 50;
};
recipe::StepKind height_between();

} // namespace steps

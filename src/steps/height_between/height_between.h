// height_between.h - step kind: how much higher one area lies than another.
#pragma once
#include "steps/height_glue.h"

namespace steps
{

struct HeightBetweenParams : CoverSettings {
    HeightOf of = HeightOf::Median;
    double leftOut = 1;
};
recipe::StepKind height_between();

} // namespace steps

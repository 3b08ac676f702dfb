// height_area.h - step kind: how high an area lies.
#pragma once
#include "steps/height_glue.h"

namespace steps
{

struct HeightAreaParams : BandSettings {
    HeightOf of = HeightOf::Median;
    double leftOut = 1;
    double leastCovered = 50;
};
recipe::StepKind height_area();

} // namespace steps

// height_area.h - step kind: how high an area lies.
#pragma once
#include "steps/height_glue.h"

namespace steps
{

struct HeightAreaParams : BandSettings, CoverSettings {
    HeightOf of = HeightOf::Median;
    double leftOut = 1;
};
recipe::StepKind height_area();

} // namespace steps

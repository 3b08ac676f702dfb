// learned_area.h - step kind: an area compared with the same area of good parts, pixel by pixel.
#pragma once
#include "steps/learned_glue.h"

namespace steps
{

struct LearnedAreaParams : LearnSettings {
    double leastArea = 6;
    double drift = 0;
};
recipe::StepKind learned_area();

} // namespace steps

// highest_point.h - step kind: the highest or lowest point of an area, and where it is.
#pragma once
#include "steps/height_glue.h"

namespace steps
{

enum class WhichExtreme { Highest, Lowest };
struct HighestPointParams : BandSettings, CoverSettings {
    WhichExtreme which = WhichExtreme::Highest;
    int side = 5;
};
recipe::StepKind highest_point();

} // namespace steps

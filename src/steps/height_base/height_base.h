// height_base.h - step kind: a plane through the flat of a height picture, for heights to be measured over.
#pragma once
#include "steps/height_glue.h"

namespace steps
{

enum class PlaneBy { Areas, Points };
struct HeightBaseParams {
    PlaneBy by = PlaneBy::Areas;
    double reach = 0;
    double radius = 5;
    double leastCovered = 20;
};
recipe::StepKind height_base();

} // namespace steps

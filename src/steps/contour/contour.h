// contour.h - step kind: the outline of a whole part to a fraction of a pixel, with overall sizes along the datum axes.
#pragma once
#include "steps/selection.h"

namespace steps
{

struct ContourParams : SelectionSettings {
    double leastArea = 200;
    double smoothing = 1.5;
};
recipe::StepKind contour();

} // namespace steps

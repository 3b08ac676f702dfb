// roundness.h - step kind: roundness of a circle: width of the narrowest ring that holds every edge point.
#pragma once
#include "steps/glue.h"

namespace steps
{

struct RoundnessParams : DenseSettings {
};
recipe::StepKind roundness();

} // namespace steps

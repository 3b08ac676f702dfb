// straightness.h - step kind: straightness of an edge: width of the narrowest strip that holds every edge point.
#pragma once
#include "steps/glue.h"

namespace steps
{

struct StraightnessParams : DenseSettings {
};
recipe::StepKind straightness();

} // namespace steps

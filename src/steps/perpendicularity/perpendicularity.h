// perpendicularity.h - step kind: perpendicularity of an edge to a datum line: width of the strip square to the datum
// that holds every edge point.
#pragma once
#include "steps/glue.h"

namespace steps
{

struct PerpendicularityParams : DenseSettings {
};
recipe::StepKind perpendicularity();

} // namespace steps

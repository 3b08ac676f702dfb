// height_parallelism.h - step kind: parallelism of an area to the base plane.
#pragma once
#include "steps/flatness/flatness.h"

namespace steps
{

struct HeightParallelismParams : ZoneSettings {
};
recipe::StepKind height_parallelism();

} // namespace steps

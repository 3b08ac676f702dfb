// volume.h - step kind: volume over the base plane.
#pragma once
#include "steps/height_glue.h"

namespace steps
{

struct VolumeParams : BandSettings {
    double leastCovered = 50;
};
recipe::StepKind volume();

} // namespace steps

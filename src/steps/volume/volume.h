// volume.h - step kind: volume over the base plane.
#pragma once
#include "steps/height_glue.h"

namespace steps
{

struct VolumeParams : BandSettings, CoverSettings {
};
recipe::StepKind volume();

} // namespace steps

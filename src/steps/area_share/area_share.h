// area_share.h - step kind: share and number of the pixels that are taken: the simplest check of presence.
#pragma once
#include "steps/selection.h"

namespace steps
{

struct AreaShareParams : SelectionSettings {
};
recipe::StepKind area_share();

} // namespace steps

// circle.h - step kind: a circle or arc through edge points of radial windows, stray points dropped, blur's inward
// shift undone.
#pragma once
#include "steps/fit_settings.h"

namespace steps
{

struct CircleParams : FitSettings {
};
recipe::StepKind circle();

} // namespace steps

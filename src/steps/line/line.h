// line.h - step kind: a straight line through edge points of many small windows, stray points dropped.
#pragma once
#include "steps/fit_settings.h"

namespace steps
{

struct LineParams : FitSettings {
};
recipe::StepKind line();

} // namespace steps

// ellipse.h - step kind: an ellipse through edge points of radial windows, stray points dropped.
#pragma once
#include "steps/fit_settings.h"

namespace steps
{

struct EllipseParams : FitSettings {
};
recipe::StepKind ellipse();

} // namespace steps

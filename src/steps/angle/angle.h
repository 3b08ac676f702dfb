// angle.h - step kind: angle between two lines, or between a line and the datum.
#pragma once
#include "recipe/step_kind.h"

namespace steps
{

enum class Sector { Acute, Obtuse, Directed, Signed };
struct AngleParams {
    Sector sector = Sector::Acute;
};
recipe::StepKind angle();

} // namespace steps

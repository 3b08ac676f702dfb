// component_places.h - step kind: places that each hold a component like the good one; what is wrong has a name.
#pragma once
#include "steps/learned_glue.h"

namespace steps
{

struct ComponentPlacesParams : LearnSettings {
    double mayShift = 3;
    double mayTurn = 3;
    double search = 15;
    double searchTurn = 25;
    double alike = 60;
    double leastArea = 8;
    double mayLift = 0.2; // mm
};
recipe::StepKind component_places();

} // namespace steps

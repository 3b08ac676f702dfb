// joint_areas.h - step kind: areas that must be covered by a material of one colour: too little, none, too much,
// sticking out, bridged.
#pragma once
#include "steps/selection.h"

namespace steps
{

struct JointAreasParams : SelectionSettings {
    double none = 5;
    double least = 50;
    double most = 100;
    double mayStick = 30;
    double reach = 25;
    double leastArea = 6;
};
recipe::StepKind joint_areas();

} // namespace steps

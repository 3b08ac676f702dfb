// circle.h - step kind: a circle through edge points of radial windows, stray points dropped, blur's inward shift undone.
#pragma once
#include "recipe/step_kind.h"
#include "vision/edges.h"

namespace steps
{

struct CircleParams {
    vision::Polarity polarity = vision::Polarity::Any;
    vision::Pick which = vision::Pick::Strongest;
    bool inward = false;
    int windows = 48;
    double windowWidth = 3;
    double leastStrength = 12;
    double smoothing = 1.5;
    double reach = 0.5;
    double leastShare = 50;
};
recipe::StepKind circle();

} // namespace steps

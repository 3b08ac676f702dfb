// line.h - step kind: a straight line through edge points of many small windows, stray points dropped. geometry/fit.h, vision/edges.h.
#pragma once
#include "recipe/step_kind.h"
#include "vision/edges.h"

namespace steps
{

struct LineParams {
    vision::Polarity polarity = vision::Polarity::Any;
    vision::Pick which = vision::Pick::Strongest;
    bool towardsRight = false;
    int windows = 30;
    double windowWidth = 5;
    double leastStrength = 12;
    double smoothing = 1.5;
    double reach = 0.5;
    double leastShare = 50;
};
recipe::StepKind line();

} // namespace steps

// height_line.h - step kind: a straight line along an edge in height.
#pragma once
#include "steps/height_step/height_step.h"

namespace steps
{

struct HeightLineParams {
    int windows = 24;
    double windowWidth = 5;
    double least = 0.05;
    Sense sense = Sense::Either;
    vision::Pick pick = vision::Pick::Strongest;
    bool backwards = false;
    double reach = 0.5;
    double leastShare = 50;
    double smoothing = 1.5;
    double mostGap = 30;
};
recipe::StepKind height_line();

} // namespace steps

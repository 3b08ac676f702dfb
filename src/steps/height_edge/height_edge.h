// height_edge.h - step kind: where along a way the height steps up or down.
#pragma once
#include "steps/height_step/height_step.h"

namespace steps
{

struct HeightEdgeParams {
    double least = 0.05;
    Sense sense = Sense::Either;
    vision::Pick pick = vision::Pick::Strongest;
    double smoothing = 1.5;
    double mostGap = 30;
};
recipe::StepKind height_edge();

} // namespace steps

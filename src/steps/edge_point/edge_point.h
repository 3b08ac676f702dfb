// edge_point.h - step kind: one edge along a directed window. Algorithm and accuracy: vision/edges.h.
#pragma once
#include "recipe/step_kind.h"
#include "vision/edges.h"

namespace steps
{

struct EdgePointParams {
    vision::Polarity polarity = vision::Polarity::Any;
    vision::Pick which = vision::Pick::First;
    int number = 1; // from the start; negative: from the end
    bool backwards = false;
    double leastStrength = 12;
    double smoothing = 1.5;
};
recipe::StepKind edge_point();

} // namespace steps

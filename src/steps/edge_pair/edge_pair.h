// edge_pair.h - step kind: distance of two edges along a directed window. Algorithm and accuracy: vision/edges.h.
#pragma once
#include "recipe/step_kind.h"
#include "vision/edges.h"

namespace steps
{

enum class PairRule { Outermost, Innermost, Numbered };
struct EdgePairParams {
    PairRule rule = PairRule::Outermost;
    vision::Polarity first = vision::Polarity::Any;
    int firstNumber = 1; // from the start
    int lastNumber = 1;  // from the end
    bool backwards = false;
    double leastStrength = 12;
    double smoothing = 1.5;
};
recipe::StepKind edge_pair();

} // namespace steps

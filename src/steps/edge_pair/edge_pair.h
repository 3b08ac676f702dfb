// edge_pair.h - step kind: distance of two edges along a directed window. Algorithm and accuracy: vision/edges.h.
#pragma once
#include "recipe/step_kind.h"
#include "vision/edges.h"

namespace steps
{

enum class PairRule { Outermost, Innermost, Numbered };
enum class CountedFrom { Start, End };
struct EdgePairParams {
    PairRule rule = PairRule::Outermost;
    vision::Polarity first = vision::Polarity::Any;
    int firstNumber = 1; // from the start, unless said otherwise
    int lastNumber = 1;  // from the end
    CountedFrom firstFrom = CountedFrom::Start, lastFrom = CountedFrom::End;
    bool backwards = false;
    double leastStrength = 12;
    double smoothing = 1.5;
};
recipe::StepKind edge_pair();

} // namespace steps

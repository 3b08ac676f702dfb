// each_object.h - step kind: a circle, a width or an edge line in each object of a group, as lists. Edges and fits:
// vision/edges.h, geometry/fit.h.
#pragma once
#include "recipe/step_kind.h"

namespace steps
{

enum class InEach { Circle, Width, Line };
enum class EachSide { Longer, Shorter };
struct EachObjectParams {
    InEach what = InEach::Circle;
    EachSide side = EachSide::Shorter;
    double band = 30; // % of the object's size searched to both sides of its border
    double leastStrength = 12;
    double smoothing = 1.5;
    double reach = 0.5;
    double leastShare = 50;
};
recipe::StepKind each_object();

} // namespace steps

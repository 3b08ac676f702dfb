// outline_profile.h - step kind: the outline of the part against its drawing, profile of a line of ISO 1101.
//
// Accuracy  0.02 px and the points' noise; profile value within 0.003 mm (tests/steps/outline_profile_test.cpp).
// Source    drawing/deviation.h; outlines as in the contour kind.
#pragma once
#include "recipe/step_kind.h"
#include "steps/selection.h"

namespace steps
{

enum class ProfileOf { Everything, Outer, Holes, Element };
enum class ProfileTo { Datum, BestFit };
struct OutlineProfileParams : SelectionSettings {
    ProfileOf of = ProfileOf::Everything;
    int element = 0;
    ProfileTo to = ProfileTo::Datum;
    double zone = 0.2;
    double reach = 0.5;
    double leastArea = 20;
    double averaging = 5;
    double leastSeen = 80;
};
recipe::StepKind outline_profile();

} // namespace steps

// position.h - step kind: position tolerance of ISO 1101: the diameter of the zone about the true place.
#pragma once
#include "recipe/step_kind.h"

namespace steps
{

enum class PlaceUnit { Value, Pixel, Millimetre, Micrometre, Inch };
struct PositionParams {
    double x = 0;
    double y = 0;
    PlaceUnit unit = PlaceUnit::Value;
};
recipe::StepKind position();

} // namespace steps

// spreading.h - how far what a step said may lie off, and what hangs on it.
//
// Input   what one run gave, with the spreads the step worked out itself (from the picture's noise), and the results it
//         read.
// Output  spreads of values and features with sources the whole recipe shares. A step that only constructs gets its own
//         by central differences over what it reads; a value in mm hangs on the calibration's scale, too.
// Fails   nothing: what cannot be known is left out (counts, scores, what reads a list of objects, what follows a datum
//         whose own spread is not known and depends on it).
// Source  JCGM 100:2008, 5.1.2 and 5.2.2; sensitivities by central differences (5.1.4, note 2).
#pragma once
#include "inspect/result.h"
#include "recipe/step_kind.h"

namespace inspect
{

// The name under which a datum's place is spread: x, y (level px) and angle (radians).
inline constexpr const char* kPoseSpread = "pose";
// Before values are turned into the recipe's units.
void spreadOut(const recipe::Recipe& recipe, const recipe::Step& step, const recipe::StepKind& kind,
               const recipe::RunInput& in, const ItemResult& item, recipe::RunOutput& out);
// `values` in px become mm by `factor`; the scale's own spread is one more source.
recipe::Spreads inUnits(const recipe::Spreads& px, const std::vector<double>& values, base::Unit unit,
                        double mmPerPixel, double scaleSpread);

} // namespace inspect

// soundness.h - everything that is wrong with a recipe in itself, said without a picture.
//
// Input   a recipe as it was read: every field within its range, every name spelled right.
// Output  one Error for each thing that cannot work or contradicts itself, in the order of the steps: `where` names the
//         step and its field by the keys of the file, the message names value and bound, and what there is to choose
//         from. Empty: nothing. Broken references (datum, inputs, regions, names in formulas), undrawn regions, regions
//         and points outside the reference, settings and limits that contradict each other, polygons that cross
//         themselves, what is taught without a reference.
// Fails   never.
// The window opens such a recipe, so that it can be mended there; the command line refuses it (exit 2).
#pragma once
#include "recipe/recipe.h"

namespace recipe
{

std::vector<base::Error> unsound(const Recipe& recipe);

} // namespace recipe

// drawn_dimensions.h - checks made from the drawing: what a person would pick on it, all at once.
//
// Output  steps that follow the drawing's datum, each with its checks; nominals from the drawing, tolerances from the
//         recipe's general class when it has one (ISO 2768-1), else none: such checks are unjudged until they are
//         typed.
#pragma once
#include "recipe/recipe.h"

namespace inspect
{

// The datum that lays the recipe's drawing; "" when there is none.
std::string drawingDatum(const recipe::Recipe& recipe);
// Every round hole (diameter, position), the pitch of each hole from the first one, overall length and height. Steps
// have ids and names that are free in the recipe, and refer to each other.
std::vector<recipe::Step> everythingDrawn(const recipe::Recipe& recipe, const std::string& datum);
// Gives a check on a drawn size the recipe's general tolerance, when it has a class and the nominal is in its tables.
void withGeneralTolerance(const recipe::Recipe& recipe, recipe::Check& check, recipe::General table);

} // namespace inspect

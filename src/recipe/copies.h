// copies.h - steps made of other steps: repeated over the part, carried to another place of the list or another recipe.
#pragma once
#include "recipe/recipe.h"

namespace recipe
{

// Where copies lie, in reference px. The first place is the step's own and is no copy.
struct Repeat {
    bool round = false;
    // in rows and columns: from one to the next
    int columns = 2, rows = 1;
    geometry::Point columnStep, rowStep;
    // round a centre: so many in all over `sweep` radians, the last one left out when it is a whole turn
    int count = 4;
    geometry::Point centre;
    double sweep = 2 * geometry::kPi;
    int copies() const { return round ? count - 1 : columns * rows - 1; }
};
// The motion that carries the step to its n-th place (from 1).
geometry::Motion placeOf(const Repeat& repeat, int n);
// The step and the features it alone is made of, once for every place but its own: fresh ids, names ("Gap 2") and
// balloons, ranges and limits of their own. Fails with OutOfRange for less than one copy or more than 500, and with
// InvalidArgument when nothing of it has a place.
base::Result<std::vector<Step>> repeated(const Recipe& recipe, const std::string& id, const Repeat& repeat);

// Steps as text for a clipboard.
std::string stepsToText(const Recipe& recipe, const std::vector<std::string>& ids);
struct Pasted {
    std::vector<Step> steps;          // with fresh ids, names, letters and balloons
    std::vector<std::string> missing; // "Width reads Top edge, which is not here"
};
// Fails with InvalidArgument when the text holds no steps. What they read and what is not among them is looked for in
// the recipe by id and name; what is not there is named.
base::Result<Pasted> stepsFromText(const Recipe& into, const std::string& text);

// Moves a step past its neighbour in the list (-1 up, 1 down) among those that follow the same datum. Fails with
// InvalidArgument naming what holds it: what it reads stands above, what reads it below.
base::Status moveStep(Recipe& recipe, const std::string& id, int direction);
// The step and all that read it, directly or not.
std::vector<std::string> withReaders(const Recipe& recipe, const std::string& id);

} // namespace recipe

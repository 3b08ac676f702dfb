// differences.h - in what two recipes differ, in words: what runs against what is being edited.
#pragma once
#include "recipe/recipe.h"

namespace recipe
{

// One short sentence for each step, check or setting that differs, steps in the order of `now`; empty when both do the
// same. Trials, labels and names of pictures are no difference (see recipe::identity).
std::vector<std::string> differences(const Recipe& before, const Recipe& now);

// What became of the trials and their labels, in a few words; empty when they are the same.
std::vector<std::string> trialDifferences(const Recipe& before, const Recipe& now);

} // namespace recipe

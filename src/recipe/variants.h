// variants.h - one part in several variants: each a recipe of its own with its reference, one of them in work.
//
// Fails   InvalidArgument: a name that is empty or taken, or the only variant; NotFound: no such variant, naming those
//         there are.
#pragma once
#include "recipe/recipe.h"

namespace recipe
{

std::vector<std::string> variantNames(const Recipe& recipe); // in alphabetical order; empty: there is but one recipe
// That variant in work, the others beside it. Name, revision and history belong to all of them.
base::Result<Recipe> withVariant(const Recipe& recipe, const std::string& name);
// A variant like this one, without trials and in work; this one gets a name when it has none.
base::Result<Recipe> withNewVariant(const Recipe& recipe, const std::string& name);
base::Result<Recipe> withVariantNamed(const Recipe& recipe, const std::string& name); // the one in work
base::Result<Recipe> withoutVariant(const Recipe& recipe); // the one in work goes, the first of the others comes

} // namespace recipe

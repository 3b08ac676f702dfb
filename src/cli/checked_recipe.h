// checked_recipe.h - a recipe for the command line: read, and refused when anything in it cannot work.
#pragma once
#include "base/result.h"
#include "recipe/recipe.h"

#include <ostream>
#include <string>
#include <vector>

namespace cli
{

// The recipe with this variant in work ("": the one it was saved with), or nothing: then everything that is wrong was
// said on the error stream, a line each.
std::optional<recipe::Recipe> soundRecipe(const std::string& path, std::ostream& err, const std::string& variant = {});
// dikkat-cli check RECIPE [--json FILE|-]: all that is wrong with a recipe, without a picture.
int check(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err);
// An output that is one of the inputs: writing it would destroy what was read. `what` names the option.
base::Status keepsInputs(const std::string& what, const std::string& output, const std::vector<std::string>& inputs);
// Files a recipe reads: itself, its pictures beside it, its trials.
std::vector<std::string> filesOf(const std::string& path, const recipe::Recipe& recipe);

} // namespace cli

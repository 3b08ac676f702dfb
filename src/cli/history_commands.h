// history_commands.h - what a recipe was, and what a change of it does: without a window.
#pragma once
#include "recipe/recipe.h"

#include <iosfwd>
#include <string>
#include <vector>

namespace cli
{

// "plate.dikkat@3": the third revision; without a number what the file says now. Fails as recipe::load; NotFound.
base::Result<recipe::Recipe> revisionAt(const std::string& word);
// dikkat-cli history RECIPE [--json FILE|-]
int history(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err);
// dikkat-cli compare RECIPE[@N] RECIPE[@N] [PICTURE...] [--json FILE|-] [--jobs N]
int compare(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err);

} // namespace cli

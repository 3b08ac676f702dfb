// review_command.h - review: what is doubtful about a recipe, by its own trials, without a window.
#pragma once
#include <iosfwd>
#include <string>
#include <vector>

namespace cli
{

int review(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err);

} // namespace cli

// history_commands.h - what a recipe was, and what a change of it does: without a window.
#pragma once
#include <iosfwd>
#include <string>
#include <vector>

namespace cli
{

// dikkat-cli history RECIPE [--json FILE|-]
int history(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err);
// dikkat-cli compare RECIPE[@N] RECIPE[@N] [PICTURE...] [--json FILE|-] [--jobs N]
int compare(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err);

} // namespace cli

// prove_command.h - how far a recipe can be trusted, without a window.
#pragma once
#include <iosfwd>
#include <string>
#include <vector>

namespace cli
{

// Exit: 0 all that is asked for is met, 1 something is not, 2 it could not be worked out.
int prove(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err);

} // namespace cli

// study_commands.h - repeat and study: how well values repeat, without a window.
#pragma once
#include <iosfwd>
#include <string>
#include <vector>

namespace cli
{

int repeat(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err);
int study(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err);

} // namespace cli

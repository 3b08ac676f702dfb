// commands.h - `dikkat-cli`, as a function: arguments in, exit code out. Knows no single step kind and needs no
// display.
#pragma once
#include <ostream>
#include <string>
#include <vector>

namespace cli
{

constexpr int kDone = 0, kSomeRejected = 1, kBadInput = 2;
int run(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err);

} // namespace cli

// calibration_commands.h - calibrate, map and target: calibration without a window.
#pragma once
#include <iosfwd>
#include <string>
#include <vector>

namespace cli
{

int calibrate(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err);
int mapPoints(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err);
int makeTarget(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err);

} // namespace cli

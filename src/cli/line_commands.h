// line_commands.h - pictures inspected one after another: `inspect`, and the line without a window `run`.
#pragma once
#include <ostream>
#include <string>
#include <vector>

namespace cli
{

// Log, table and results follow picture by picture; SIGTERM and SIGINT end after the pictures under way.
int inspectPictures(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err);
int runLine(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err);
int listCameras(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err);
// The addresses a recipe's Modbus output has, for the other side's engineer.
int listRegisters(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err);

} // namespace cli

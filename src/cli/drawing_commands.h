// drawing_commands.h - drawings from the command line: what one holds, parts against it, one made of a part.
#pragma once
#include <ostream>
#include <string>
#include <vector>

namespace cli
{

// Whether the first word after the command is a DXF file.
bool isDrawing(const std::vector<std::string>& arguments);
int describeDrawing(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err);
int compareWithDrawing(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err);
int tracePart(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err);

} // namespace cli

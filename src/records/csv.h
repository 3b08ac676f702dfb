// csv.h - one row per item, growing, for statistics programs. Comma, decimal point, RFC 4180 quoting, UTF-8, one header line.
//
// Fails  InvalidArgument: the file exists with other columns (another recipe's); Io: cannot be written.
#pragma once
#include "inspect/result.h"

namespace records
{

std::string csvHeader(const recipe::Recipe& recipe);
// A list stands in one field, its values parted by semicolons. Not measured is an empty field; the verdict beside it says so.
std::string csvRows(const recipe::Recipe& recipe, const inspect::PictureResult& result, const std::string& time);
// Appends whole rows in one write and syncs them; makes the file with its header when it is not there.
base::Status appendCsv(const std::string& path, const recipe::Recipe& recipe, const std::vector<const inspect::PictureResult*>& results);

} // namespace records

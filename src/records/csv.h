// csv.h - one row per item, growing, for statistics programs. Comma, decimal point, RFC 4180 quoting, UTF-8, one header
// line.
//
// Text that a spreadsheet would take for a formula (beginning with = + - @) has an apostrophe before it; line breaks in
// names are spaces, so that a row is a line; what is no UTF-8 is U+FFFD.
//
// Promise  ok => the rows are on disk, whole; any number of programs may grow one file. !ok => the file is as it was.
// Fails    InvalidArgument: the file exists with other columns (another recipe's); Io: cannot be written.
#pragma once
#include "base/files.h"
#include "inspect/result.h"

namespace records
{

// As a field of RFC 4180; what a spreadsheet would take for a formula has an apostrophe before it.
std::string csvField(const std::string& text);
std::string csvHeader(const recipe::Recipe& recipe);
// A list stands in one field, its values parted by semicolons. Not measured is an empty field; the verdict beside it
// says so.
std::string csvRows(const recipe::Recipe& recipe, const inspect::PictureResult& result, const std::string& time);
// Makes the file with its header when it is not there; `rows` are whole lines, or none.
base::Status appendCsv(base::FileSystem& files, const std::string& path, const recipe::Recipe& recipe,
                       const std::string& rows);

} // namespace records

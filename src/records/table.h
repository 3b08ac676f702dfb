// table.h - logged items as a table for other programs: CSV with a row an item or a row a value, or JSON.
//
// CSV as csv.h: comma, decimal point, RFC 4180 quoting, UTF-8, one header line. Figures are the shortest that read back as
// the same number. A row an item has two columns for each check: its value (of a list all, parted by semicolons; empty: not
// measured) and its verdict. Checks of one name and unit share a column, whatever revision they are of.
//
// Promise  writeTable() ok => the whole file stands under its name; !ok => what stood there stands there still.
// Fails    Io (named), Cancelled; NotFound: an item is not in the log.
#pragma once
#include "base/zip.h"
#include "records/record_log.h"

#include <functional>

namespace records
{

enum class TableForm { Items, Values, Json };
using TableSink = std::function<bool(const std::string&)>; // false: cannot be written

base::Status tableOf(const RecordLog& log, const std::vector<long long>& ids, TableForm form, const TableSink& sink,
                     base::Watch* watch = nullptr);
base::Status writeTable(const QString& log, const std::vector<long long>& ids, TableForm form, const QString& path,
                        base::Watch* watch = nullptr);

} // namespace records

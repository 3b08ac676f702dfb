// records_command.h - what a record log holds, for people, tables and programs.
#pragma once
#include <iosfwd>
#include <string>
#include <vector>

namespace cli
{

// records LOG [--where WORDS] [--limit N] [--events] [--json FILE|-] [--csv FILE|- [--rows items|values]]
int listRecords(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err);

// statistics LOG --check NAME [--where WORDS] [--chart individuals|mean-range|mean-deviation] [--group N] [--json FILE|-]
int valueStatistics(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err);

// replay LOG [ITEM...] [--where WORDS] [--recipe RECIPE[@N]] [--json FILE|-]: logged items inspected again.
int replay(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err);

// report LOG --item N | --batch NAME | --where WORDS  --pdf FILE [--paper a4|letter] [--png FILE]
int report(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err);

// forward LOG --server URL [--station NAME]: sends what waits to a server.
int forward(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err);

// retain LOG [--days N] [--most GB] [--remove]: what is too old or too much; without --remove only said.
int retain(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err);

} // namespace cli

// json_results.h - inspection results as JSON; keys in docs/file-formats.md.
#pragma once
#include "inspect/inspect.h"

#include <iosfwd>
#include <nlohmann/json.hpp>

namespace cli
{

nlohmann::ordered_json toJson(const recipe::Recipe& recipe, const std::vector<inspect::PictureResult>& results);
// Every declared step kind with its settings, ranges, defaults, regions, inputs and outputs.
nlohmann::ordered_json kindsJson();
// Writes JSON to a file, or to `out` for "-"; nothing for "". The exit code.
int writeJson(const std::string& where, const nlohmann::ordered_json& json, std::ostream& out, std::ostream& err);
// The step reference page, Markdown.
std::string kindsPage();

} // namespace cli

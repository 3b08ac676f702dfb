// json_results.h - inspection results as JSON; keys in docs/file-formats.md.
#pragma once
#include "inspect/inspect.h"

#include <iosfwd>
#include <memory>
#include <nlohmann/json.hpp>

namespace cli
{

// The results of any number of pictures, written as they come: to a file that has its name only when it is whole, or to
// `out` for "-".
class ResultsWriter
{
public:
    // Io: the file cannot be written.
    static base::Result<std::unique_ptr<ResultsWriter>> open(const std::string& where, const recipe::Recipe& recipe,
                                                             std::ostream& out);
    ~ResultsWriter(); // a file that was not finished goes
    void add(const inspect::PictureResult& result);
    base::Status finish();

private:
    ResultsWriter(std::string where, const recipe::Recipe& recipe, std::ostream& out)
        : m_where(std::move(where)), m_recipe(recipe), m_out(&out)
    {
    }
    std::string m_where, m_part;
    const recipe::Recipe& m_recipe;
    std::ostream* m_out;
    std::unique_ptr<std::ostream> m_file;
    inspect::Totals m_totals;
    bool m_any = false;
};
// Every declared step kind with its settings, ranges, defaults, regions, inputs and outputs.
nlohmann::ordered_json kindsJson();
// Writes JSON to a file, or to `out` for "-"; nothing for "". The exit code.
int writeJson(const std::string& where, const nlohmann::ordered_json& json, std::ostream& out, std::ostream& err);
// The step reference page, Markdown.
std::string kindsPage();

} // namespace cli

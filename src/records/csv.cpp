#include "records/csv.h"

#include "base/text.h"

#include <set>
#include <vector>

namespace records
{
namespace
{
// A name from outside: never a formula, never more than one line.
std::string field(const std::string& from)
{
    std::string text = base::toUtf8(from);
    for (char& c : text)
        if (static_cast<unsigned char>(c) < 0x20 || c == 0x7f) c = ' ';
    if (!text.empty() && std::string("=+-@").find(text.front()) != std::string::npos) text.insert(text.begin(), '\'');
    if (text.find_first_of(",\"") == std::string::npos) return text;
    std::string out = "\"";
    for (const char c : text) out += c == '"' ? std::string("\"\"") : std::string(1, c);
    return out + "\"";
}
// Fields of one line; quotes as in RFC 4180.
std::vector<std::string> fieldsOf(const std::string& line)
{
    std::vector<std::string> out(1);
    bool quoted = false;
    for (const char c : line) {
        if (c == '"') quoted = !quoted;
        else if (c == ',' && !quoted) out.emplace_back();
        else out.back() += c;
    }
    return out;
}
} // namespace

std::string csvField(const std::string& text) { return field(text); }

std::string csvHeader(const recipe::Recipe& r)
{
    std::string out = "time,picture,item,recipe,revision,verdict,reason";
    for (const recipe::Step& s : r.steps)
        for (const recipe::Check& c : s.checks) {
            if (!s.inUse) continue;
            const recipe::StepKind* kind = recipe::findKind(s.kind);
            const recipe::OutputSpec* o = kind ? kind->output(c.output) : nullptr;
            const std::string unit = o ? base::symbol(r.unitOf(s, *o)) : "";
            out += "," + field(c.name + (unit.empty() ? "" : " [" + unit + "]")) + "," + field(c.name + " verdict");
        }
    return out + "\n";
}

std::string csvRows(const recipe::Recipe& r, const inspect::PictureResult& result, const std::string& time)
{
    std::string out;
    const std::string start = field(time) + "," + field(result.picture) + ",";
    if (result.error) { // as many fields as every other row
        std::size_t checks = 0;
        for (const recipe::Step& s : r.steps) checks += s.inUse ? s.checks.size() : 0;
        return start + "," + field(r.name) + "," + std::to_string(r.revision) + ",error," + field(*result.error) +
               std::string(2 * checks, ',') + "\n";
    }
    for (const inspect::ItemResult& item : result.items) {
        out += start + std::to_string(item.number) + "," + field(r.name) + "," + std::to_string(r.revision) + "," +
               inspect::name(item.outcome) + "," + field(item.sentence());
        for (const inspect::CheckResult& c : item.checks) {
            std::string values;
            for (const double v : c.values) values += (values.empty() ? "" : ";") + base::shortest(v);
            out += "," + values + "," + inspect::name(c.verdict);
        }
        out += "\n";
    }
    return out;
}

base::Status appendCsv(base::FileSystem& files, const std::string& path, const recipe::Recipe& recipe,
                       const std::string& rows)
{
    const std::string header = csvHeader(recipe);
    // A row whose line end was lost (an editor left it out) is whole when it has all fields and ends as rows do.
    const auto whole = [&](const std::string& line) {
        const auto fields = fieldsOf(line);
        static const std::set<std::string> ends{"pass", "fail", "not_measured", "unjudged"};
        return fields.size() == fieldsOf(header).size() && (ends.count(fields.back()) > 0 || fields.size() == 7);
    };
    auto ok = files.append(path, header, rows, whole);
    if (!ok && ok.error().code == base::ErrorCode::InvalidArgument)
        return base::fail(base::ErrorCode::InvalidArgument,
                          "the file has other columns than this recipe; choose another name", path);
    return ok;
}

} // namespace records

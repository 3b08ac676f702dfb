#include "records/csv.h"

#include "base/files.h"

#include <QDateTime>
#include <QFile>

namespace records
{
namespace
{
std::string field(const std::string& text)
{
    if (text.find_first_of(",\"\r\n") == std::string::npos) return text;
    std::string out = "\"";
    for (const char c : text) out += c == '"' ? std::string("\"\"") : std::string(1, c);
    return out + "\"";
}
} // namespace

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
        return start + "," + field(r.name) + "," + std::to_string(r.revision) + ",error," + field(*result.error) + std::string(2 * checks, ',') +
               "\n";
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

base::Status appendCsv(const std::string& path, const recipe::Recipe& recipe, const std::vector<const inspect::PictureResult*>& results)
{
    using base::ErrorCode;
    const std::string header = csvHeader(recipe);
    const std::string now = QDateTime::currentDateTime().toString(Qt::ISODateWithMs).toStdString();
    QFile file(QString::fromStdString(path));
    const auto cannot = [&] { return base::fail(ErrorCode::Io, "cannot write: " + file.errorString().toStdString(), path); };
    if (!file.open(QIODevice::ReadWrite)) return cannot();
    std::string text;
    if (file.size() == 0) {
        text = header;
    } else {
        if (file.readLine().toStdString() != header)
            return base::fail(ErrorCode::InvalidArgument, "the file has other columns than this recipe; choose another name", path);
        // A row that was cut off by a crash is ended, so that the next one starts on a line of its own.
        file.seek(file.size() - 1);
        if (file.read(1) != "\n") text = "\n";
    }
    for (const auto* r : results) text += csvRows(recipe, *r, now);
    file.seek(file.size());
    if (file.write(text.data(), qint64(text.size())) != qint64(text.size()) || !file.flush()) return cannot();
    file.close();
    return base::realFiles().sync(path);
}

} // namespace records

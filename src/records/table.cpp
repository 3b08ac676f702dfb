#include "records/table.h"

#include "base/text.h"
#include "base/unit.h"
#include "records/csv.h"

#include <QSaveFile>
#include <map>
#include <nlohmann/json.hpp>

namespace records
{
using json = nlohmann::ordered_json;

namespace
{
std::string s(const QString& text) { return text.toStdString(); }
std::string number(const std::optional<double>& v) { return v ? base::shortest(*v) : std::string(); }
std::string figures(const ValueRow& v)
{
    std::string all;
    for (const double one : v.values) all += (all.empty() ? "" : ";") + base::shortest(one);
    return all;
}
std::string headOf(const ItemRow& r)
{
    return std::to_string(r.id) + "," + csvField(s(r.at)) + "," + csvField(s(r.picture)) + "," +
           std::to_string(r.item) + "," + csvField(s(r.batch)) + "," + csvField(s(r.station)) + "," +
           csvField(s(r.recipe)) + "," + std::to_string(r.revision) + "," + s(r.verdict) + "," + s(r.overruled) + ",";
}
constexpr const char* kHead = "record,time,picture,item,batch,station,recipe,revision,verdict,overruled,";

// One row a value.
std::string valueRows(const ItemRow& r, const std::vector<ValueRow>& values)
{
    const std::string head = headOf(r);
    std::string out;
    for (const auto& v : values)
        out += head + csvField(s(v.name)) + "," + figures(v) + "," + csvField(s(v.unit)) + "," + number(v.nominal) +
               "," + number(v.low) + "," + number(v.high) + "," + s(v.verdict) + "\n";
    if (values.empty()) out += head + ",,,,,,\n";
    return out;
}
json jsonOf(const ItemRow& r, const std::vector<ValueRow>& values)
{
    const auto orNone = [](const std::optional<double>& v) { return v ? json(*v) : json(); };
    json j{{"record", r.id},
           {"at", s(r.at)},
           {"verdict", s(r.verdict)},
           {"picture", s(r.picture)},
           {"item", r.item},
           {"batch", s(r.batch)},
           {"station", s(r.station)},
           {"recipe",
            {{"name", s(r.recipe)}, {"revision", r.revision}, {"identity", s(r.identity)}, {"released_by", s(r.by)}}},
           {"values", json::array()}};
    if (!r.sentence.isEmpty()) j["reason"] = s(r.sentence);
    if (!r.kept.isEmpty()) j["kept"] = s(r.kept);
    if (!r.overruled.isEmpty())
        j["overruled"] = {{"verdict", s(r.overruled)}, {"by", s(r.overruledBy)}, {"why", s(r.overruledWhy)}};
    for (const auto& v : values) {
        json one{{"name", s(v.name)}, {"balloon", v.balloon}, {"unit", s(v.unit)}, {"verdict", s(v.verdict)}};
        if (v.list) one["values"] = v.values;
        else one["value"] = v.values.empty() ? json() : json(v.values.front());
        if (v.nominal || v.low || v.high)
            one["nominal"] = orNone(v.nominal), one["low"] = orNone(v.low), one["high"] = orNone(v.high);
        if (v.uncertainty) one["uncertainty"] = *v.uncertainty;
        if (!v.reason.isEmpty()) one["reason"] = s(v.reason);
        j["values"].push_back(std::move(one));
    }
    return j;
}

// Columns of a row an item: by name and unit, in the order they first came.
class ItemColumns
{
public:
    void take(const std::vector<ValueRow>& values)
    {
        for (const auto& v : values)
            if (m_at.emplace(std::make_pair(v.name, v.unit), m_at.size()).second)
                m_all.push_back(&m_at.find({v.name, v.unit})->first);
    }
    std::string head() const
    {
        std::string out = std::string(kHead) + "reason";
        for (const auto* c : m_all) {
            const std::string unit = s(c->second), name = s(c->first) + (unit.empty() ? "" : " [" + unit + "]");
            out += "," + csvField(name) + "," + csvField(s(c->first) + " verdict");
        }
        return out + "\n";
    }
    std::string row(const ItemRow& r, const std::vector<ValueRow>& values) const
    {
        std::vector<std::string> cells(m_all.size(), ",");
        for (const auto& v : values) cells[m_at.at({v.name, v.unit})] = figures(v) + "," + s(v.verdict);
        std::string out = headOf(r) + csvField(s(r.sentence));
        for (const std::string& c : cells) out += "," + c;
        return out + "\n";
    }

private:
    std::map<std::pair<QString, QString>, std::size_t> m_at;
    std::vector<const std::pair<QString, QString>*> m_all;
};
} // namespace

base::Status tableOf(const RecordLog& log, const std::vector<long long>& ids, TableForm form, const TableSink& sink,
                     base::Watch* watch)
{
    const auto cannot = [] { return base::fail(base::ErrorCode::Io, "cannot be written"); };
    const double work = double(ids.size()) * (form == TableForm::Items ? 2 : 1) + 1;
    double done = 0;
    const auto next = [&]() -> base::Status {
        if (watch && watch->cancel) return base::fail(base::ErrorCode::Cancelled, "stopped");
        if (watch) watch->share = ++done / work;
        return {};
    };
    ItemColumns columns;
    if (form == TableForm::Items)
        for (const long long id : ids) {
            if (auto ok = next(); !ok) return ok;
            const auto values = log.values(id);
            if (!values) return base::passOn(values.error());
            columns.take(*values);
        }
    const std::string head = form == TableForm::Items ? columns.head()
                             : form == TableForm::Values
                                 ? kHead + std::string("check,value,unit,nominal,low,high,check "
                                                       "verdict\n")
                                 : "[";
    if (!sink(head)) return cannot();
    bool first = true;
    for (const long long id : ids) {
        if (auto ok = next(); !ok) return ok;
        const auto row = log.item(id);
        if (!row) return base::passOn(row.error());
        const auto values = log.values(id);
        if (!values) return base::passOn(values.error());
        const std::string text =
            form == TableForm::Items ? columns.row(*row, *values)
            : form == TableForm::Values
                ? valueRows(*row, *values)
                : (first ? "\n" : ",\n") + jsonOf(*row, *values).dump(1, ' ', false, json::error_handler_t::replace);
        first = false;
        if (!sink(text)) return cannot();
    }
    if (form == TableForm::Json && !sink(first ? "]\n" : "\n]\n")) return cannot();
    return {};
}

base::Status writeTable(const QString& logPath, const std::vector<long long>& ids, TableForm form, const QString& path,
                        base::Watch* watch)
{
    const auto log = RecordLog::open(logPath);
    if (!log) return base::passOn(log.error());
    QSaveFile file(path); // has its name only when all is on disk
    const auto cannot = [&] {
        return base::fail(base::ErrorCode::Io, "cannot be written: " + s(file.errorString()), s(path));
    };
    if (!file.open(QIODevice::WriteOnly)) return cannot();
    const auto ok = tableOf(
        **log, ids, form,
        [&](const std::string& text) { return file.write(text.data(), qint64(text.size())) == qint64(text.size()); },
        watch);
    if (!ok) {
        file.cancelWriting();
        return ok.error().code == base::ErrorCode::Io ? base::Status(cannot()) : ok;
    }
    if (!file.commit()) return cannot();
    return {};
}

} // namespace records

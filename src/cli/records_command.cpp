#include "cli/records_command.h"

#include "base/files.h"
#include "cli/arguments.h"
#include "cli/checked_recipe.h"
#include "cli/history_commands.h"
#include "cli/json_results.h"
#include "records/again.h"
#include "records/column_reader.h"
#include "records/csv.h"
#include "records/record_log.h"
#include "records/retention.h"
#include "records/server.h"
#include "records/statistics.h"
#include "records/table.h"
#include "report/record_report.h"
#include "report/theme.h"

#include <QDateTime>
#include <charconv>
#include <filesystem>
#include <nlohmann/json.hpp>
#include <sstream>

namespace cli
{
using json = nlohmann::ordered_json;

namespace
{
std::string s(const QString& text) { return text.toStdString(); }

// A day, or a moment; UTC unless it says otherwise.
base::Result<QString> moment(const std::string& text)
{
    QDateTime at = QDateTime::fromString(QString::fromStdString(text), Qt::ISODateWithMs);
    if (!at.isValid())
        return base::fail(base::ErrorCode::InvalidArgument,
                          "\"" + text + "\" is neither a day (2026-11-29) nor a moment (2026-11-29T08:15:00Z)");
    if (at.timeSpec() == Qt::LocalTime) at.setTimeSpec(Qt::UTC);
    return at.toUTC().toString(Qt::ISODateWithMs);
}

// "verdict=reject,batch=B7,since=2026-11-29"
// A file that is not there is not made; a server is asked itself.
bool missing(const std::string& log)
{
    std::error_code none;
    return !records::isServer(QString::fromStdString(log)) && !std::filesystem::exists(log, none);
}

base::Result<records::Filter> filterFrom(const std::string& text)
{
    records::Filter f;
    std::istringstream parts(text);
    for (std::string part; std::getline(parts, part, ',');) {
        const auto equals = part.find('=');
        const std::string word = part.substr(0, equals),
                          value = equals == std::string::npos ? "" : part.substr(equals + 1);
        const QString v = QString::fromStdString(value).isNull() ? QStringLiteral("") : QString::fromStdString(value);
        const auto number = [&](long long& to) -> base::Status {
            bool right = false;
            to = v.toLongLong(&right);
            if (!right || to < 1)
                return base::fail(base::ErrorCode::OutOfRange,
                                  word + " = " + value + " is not a whole number from 1 on", "--where");
            return {};
        };
        base::Status ok;
        if (equals == std::string::npos)
            ok = base::fail(base::ErrorCode::InvalidArgument, "\"" + part + "\" is not WORD=VALUE", "--where");
        else if (word == "verdict") {
            f.verdict = v;
            if (!QStringList{"accept", "reject", "unjudged", "error"}.contains(v))
                ok = base::fail(base::ErrorCode::InvalidArgument,
                                "verdict = " + value + " is not one of: accept, reject, unjudged, error", "--where");
        } else if (word == "text") f.text = v;
        else if (word == "batch") f.batch = v;
        else if (word == "station") f.station = v;
        else if (word == "recipe") f.recipe = v;
        else if (word == "picture") f.picture = v;
        else if (word == "since" || word == "until") {
            const auto at = moment(value);
            if (!at) ok = base::passOn(at.error(), "--where: " + word);
            else (word == "since" ? f.since : f.until) = *at;
        } else if (word == "from") ok = number(f.from);
        else if (word == "to") ok = number(f.to);
        else
            ok = base::fail(base::ErrorCode::InvalidArgument,
                            "\"" + word +
                                "\" is not one of: verdict, text, batch, station, recipe, picture, since, until, "
                                "from, to",
                            "--where");
        if (!ok) return base::passOn(ok.error());
    }
    return f;
}

json orNone(const std::optional<double>& v) { return v ? json(*v) : json(); }

int listEvents(const records::RecordLog& log, const Arguments& a, std::ostream& out, std::ostream& err)
{
    const auto events = log.events();
    if (!events) return badInput(err, events.error());
    if (!a.option("--json").empty()) {
        json all = json::array();
        for (const auto& e : *events)
            all.push_back({{"at", s(e.at)},
                           {"by", s(e.by)},
                           {"what", s(e.what)},
                           {"subject", s(e.subject)},
                           {"before", s(e.before)},
                           {"after", s(e.after)},
                           {"revision", e.revision}});
        return writeJson(a.option("--json"), all, out, err);
    }
    for (const auto& e : *events) {
        out << s(e.at) << "  " << s(e.what) << "  " << s(e.subject);
        if (!e.before.isEmpty() || !e.after.isEmpty()) out << "  " << s(e.before) << " → " << s(e.after);
        if (!e.by.isEmpty()) out << "  (" << s(e.by) << ")";
        out << "\n";
    }
    return kDone;
}
} // namespace

int listRecords(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err)
{
    const auto bad = [&](const base::Error& e) { return badInput(err, e); };
    auto a = Arguments::read(arguments, {"--where", "--limit", "--json", "--csv", "--rows"}, {"--events"});
    if (!a) return bad(a.error());
    if (a->words.size() != 1) return bad({base::ErrorCode::InvalidArgument, "records takes LOG", ""});
    const auto limit = a->number("--limit", 0, 0, 1000000000);
    if (!limit) return bad(limit.error());
    auto filter = filterFrom(a->option("--where"));
    if (!filter) return bad(filter.error());
    filter->limit = int(std::min<long long>(*limit, 2000000000));
    // A log is looked at, never made.
    if (missing(a->words[0])) return bad({base::ErrorCode::NotFound, "no such file", a->words[0]});
    const auto log = records::RecordLog::open(QString::fromStdString(a->words[0]));
    if (!log) return bad(log.error());
    if (a->options.count("--events")) return listEvents(**log, *a, out, err);
    const auto items = (*log)->items(*filter);
    if (!items) return bad(items.error());
    const std::string jsonFile = a->option("--json"), csvFile = a->option("--csv"), form = a->option("--rows");
    if (!form.empty() && form != "items" && form != "values")
        return bad({base::ErrorCode::InvalidArgument, form + " is not one of: items, values", "--rows"});
    std::vector<long long> ids;
    for (auto r = items->rbegin(); r != items->rend(); ++r) ids.push_back(r->id); // oldest first
    const auto write = [&](const std::string& where, records::TableForm as) -> base::Status {
        if (where.empty()) return {};
        if (where != "-")
            return records::writeTable(QString::fromStdString(a->words[0]), ids, as, QString::fromStdString(where));
        return records::tableOf(**log, ids, as, [&](const std::string& text) { return bool(out << text); });
    };
    if (auto ok = write(csvFile, form == "items" ? records::TableForm::Items : records::TableForm::Values); !ok)
        return bad(ok.error());
    if (auto ok = write(jsonFile, records::TableForm::Json); !ok) return bad(ok.error());
    if (jsonFile.empty() && csvFile.empty())
        for (auto r = items->rbegin(); r != items->rend(); ++r) {
            out << r->id << "  " << s(r->at) << "  " << s(r->verdict) << "  " << s(r->picture);
            if (r->item > 1) out << " item " << r->item;
            if (!r->batch.isEmpty()) out << "  " << s(r->batch);
            if (!r->sentence.isEmpty()) out << "  " << s(r->sentence);
            if (!r->overruled.isEmpty())
                out << "  overruled: " << s(r->overruled) << " by " << s(r->overruledBy) << ": " << s(r->overruledWhy);
            out << "\n";
        }
    const auto counts = (*log)->counts(*filter);
    if (!counts) return bad(counts.error());
    std::ostream& text = jsonFile == "-" || csvFile == "-" ? err : out;
    if (jsonFile.empty() && csvFile.empty())
        text << items->size() << (items->size() == 1 ? " record, " : " records, ") << counts->rejects << " rejected"
             << (counts->items > (long long)(items->size()) ? " (of " + std::to_string(counts->items) + ")" : "")
             << "\n";
    return out ? kDone : bad({base::ErrorCode::Io, "cannot be written", "standard output"});
}

namespace
{
base::Result<records::ChartKind> chartFrom(const std::string& word)
{
    if (word.empty() || word == "individuals") return records::ChartKind::Individuals;
    if (word == "mean-range") return records::ChartKind::MeanAndRange;
    if (word == "mean-deviation") return records::ChartKind::MeanAndDeviation;
    return base::fail(base::ErrorCode::InvalidArgument,
                      word + " is not one of: individuals, mean-range, mean-deviation", "--chart");
}
// The record a point of the chart ends at.
long long recordAt(const records::RecordLog::Series& v, const records::ControlChart& c, std::size_t point)
{
    return v.records[(point + 1) * std::size_t(c.group) - 1];
}
json chartJson(const records::RecordLog::Series& v, const records::ControlChart& c,
               const std::vector<records::RuleHit>& hits)
{
    static const char* kinds[] = {"individuals", "mean-range", "mean-deviation"};
    json all = json::array();
    for (const auto& h : hits)
        all.push_back({{"rule", std::string(1, records::letterOf(h.rule))},
                       {"first_record", recordAt(v, c, h.first)},
                       {"last_record", recordAt(v, c, h.last)},
                       {"text", records::ruleText(h)}});
    return {{"kind", kinds[int(c.kind)]},
            {"group", c.group},
            {"points", c.places.size()},
            {"mean", c.mean},
            {"lower_limit", c.lower},
            {"upper_limit", c.upper},
            {"mean_spread", c.meanSpread},
            {"lower_spread_limit", c.lowerSpread},
            {"upper_spread_limit", c.upperSpread},
            {"spread_within", c.within},
            {"rule_hits", std::move(all)}};
}
} // namespace

int valueStatistics(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err)
{
    const auto bad = [&](const base::Error& e) { return badInput(err, e); };
    auto a = Arguments::read(arguments, {"--check", "--where", "--json", "--chart", "--group", "--without"}, {});
    if (!a) return bad(a.error());
    if (a->words.size() != 1 || a->option("--check").empty())
        return bad({base::ErrorCode::InvalidArgument, "statistics takes LOG --check NAME", ""});
    const auto filter = filterFrom(a->option("--where"));
    if (!filter) return bad(filter.error());
    const auto kind = chartFrom(a->option("--chart"));
    if (!kind) return bad(kind.error());
    const auto group = a->number("--group", 5, 2, records::kLargestGroup);
    if (!group) return bad(group.error());
    if (missing(a->words[0])) return bad({base::ErrorCode::NotFound, "no such file", a->words[0]});
    const auto log = records::RecordLog::open(QString::fromStdString(a->words[0]));
    if (!log) return bad(log.error());
    const auto series = (*log)->series(QString::fromStdString(a->option("--check")), *filter);
    if (!series) return bad(series.error());
    const auto& v = *series;
    const records::Statistics st = records::statisticsOf(v.values, v.low, v.high);
    const auto normal = records::normality(v.values);
    const auto byQuantiles = records::quantilePerformance(v.values, v.low, v.high);
    const auto chart = records::controlChart(v.values, *kind, int(*group));
    const auto hits = records::ruleHits(chart.places, chart.mean, chart.sigma);
    std::vector<long long> beyond;
    for (const std::size_t i : st.beyond) beyond.push_back(v.records[i]);
    if (!a->option("--json").empty())
        return writeJson(a->option("--json"),
                         json{{"check", s(v.name)},
                              {"unit", s(v.unit)},
                              {"values", st.count},
                              {"not_measured", v.notMeasured},
                              {"mean", st.mean},
                              {"least", st.least},
                              {"most", st.most},
                              {"standard_deviation", st.deviation},
                              {"mean_moving_range", st.movingRange},
                              {"spread_within", st.within},
                              {"lower_control_limit", st.lowerControl},
                              {"upper_control_limit", st.upperControl},
                              {"upper_range_limit", st.upperRange},
                              {"low", orNone(v.low)},
                              {"high", orNone(v.high)},
                              {"limits_moved", v.limitsMoved},
                              {"out_of_tolerance", st.outOfTolerance},
                              {"beyond_control_limits", beyond},
                              {"cp", orNone(st.cp)},
                              {"cpk", orNone(st.cpk)},
                              {"pp", orNone(st.pp)},
                              {"ppk", orNone(st.ppk)},
                              {"normality", normal ? json{{"statistic", normal->statistic},
                                                          {"probability", normal->probability},
                                                          {"likely", normal->likely()}}
                                                   : json()},
                              {"by_quantiles", byQuantiles ? json{{"low", byQuantiles->low},
                                                                  {"median", byQuantiles->median},
                                                                  {"high", byQuantiles->high},
                                                                  {"pp", orNone(byQuantiles->pp)},
                                                                  {"ppk", orNone(byQuantiles->ppk)}}
                                                           : json()},
                              {"chart", chartJson(v, chart, hits)}},
                         out, err);
    const auto number = [&](double x) { return base::toText(x, 5) + (v.unit.isEmpty() ? "" : " " + s(v.unit)); };
    const auto index = [](const std::optional<double>& x) { return x ? base::toText(*x, 3) : std::string("–"); };
    out << s(v.name) << ": " << st.count << " values";
    if (v.notMeasured) out << ", " << v.notMeasured << " not measured";
    out << "\nmean " << number(st.mean) << ", " << number(st.least) << " to " << number(st.most)
        << ", standard deviation " << number(st.deviation) << "\nmoving range " << number(st.movingRange)
        << ", control limits " << number(st.lowerControl) << " to " << number(st.upperControl) << "\n";
    if (v.low || v.high)
        out << "limits " << (v.low ? number(*v.low) : "–") << " to " << (v.high ? number(*v.high) : "–")
            << (v.limitsMoved ? " (they were others before)" : "") << ", " << st.outOfTolerance << " outside\nCp "
            << index(st.cp) << ", Cpk " << index(st.cpk) << ", Pp " << index(st.pp) << ", Ppk " << index(st.ppk)
            << " (for normally distributed values)\n";
    if (normal)
        out << (normal->likely() ? "normally distributed: nothing speaks against it"
                                 : "not normally distributed: Cp and Cpk do not hold")
            << (normal->probability < 0.001 ? " (p < 0.001)" : " (p = " + base::toText(normal->probability, 3) + ")")
            << "\n";
    if (byQuantiles)
        out << "by quantiles 0.135, 50, 99.865 %: Pp " << index(byQuantiles->pp) << ", Ppk " << index(byQuantiles->ppk)
            << "\n";
    else if (normal && !normal->likely()) out << "by quantiles: needs " << records::kEnoughForQuantiles << " values\n";
    if (chart.kind != records::ChartKind::Individuals)
        out << chart.places.size() << " groups of " << chart.group << ": mean " << number(chart.mean)
            << ", control limits " << number(chart.lower) << " to " << number(chart.upper)
            << (chart.kind == records::ChartKind::MeanAndRange ? "; mean range " : "; mean standard deviation ")
            << number(chart.meanSpread) << ", limits " << number(chart.lowerSpread) << " to "
            << number(chart.upperSpread) << "\n";
    for (std::size_t i = 0; i < hits.size() && i < 20; ++i)
        out << records::letterOf(hits[i].rule) << "  record " << recordAt(v, chart, hits[i].first) << " to "
            << recordAt(v, chart, hits[i].last) << ": " << records::ruleText(hits[i]) << "\n";
    if (hits.size() > 20) out << "and " << hits.size() - 20 << " signs more\n";
    if (v.unitChanged) out << "values in another unit are left out\n";
    if (!beyond.empty()) {
        out << "beyond the control limits: record";
        for (std::size_t i = 0; i < beyond.size() && i < 20; ++i) out << " " << beyond[i];
        if (beyond.size() > 20) out << " and " << beyond.size() - 20 << " more";
        out << "\n";
    }
    return out ? kDone : bad({base::ErrorCode::Io, "cannot be written", "standard output"});
}

// ---------------------------------------------------------------- replay
namespace
{
std::string said(const std::vector<double>& values, const std::string& unit)
{
    if (values.empty()) return "none";
    std::string out;
    for (const double v : values) out += (out.empty() ? "" : ";") + base::shortest(v);
    return out + (unit.empty() ? "" : " " + unit);
}
struct Difference {
    std::string what, logged, now;
};
std::vector<Difference> differences(const records::Again& a)
{
    std::vector<Difference> out;
    const auto differs = [&](const std::string& what, const std::string& logged, const std::string& now) {
        if (logged != now) out.push_back({what, logged, now});
    };
    if (!a.itemNow()) return {{"item", s(a.row.verdict), a.verdictNow}};
    differs("verdict", s(a.row.verdict), a.verdictNow);
    differs("sentence", s(a.row.sentence), a.sentenceNow);
    for (const records::CheckAgain& c : a.checks) {
        if (!c.wasThere || !c.isThere) {
            out.push_back({c.name, c.wasThere ? said(c.before, c.unit) : "not in the recipe",
                           c.isThere ? said(c.now, c.unitNow) : "not in the recipe"});
            continue;
        }
        const bool units = c.unit != c.unitNow;
        differs(c.name, said(c.before, units ? c.unit : ""), said(c.now, units ? c.unitNow : ""));
        differs(c.name + " verdict", c.verdictBefore, c.verdictNow);
        differs(c.name + " reason", c.reasonBefore, c.reasonNow);
    }
    return out;
}
json againJson(const records::Again& a)
{
    const std::vector<Difference> found = differences(a);
    json one{{"item", a.row.id},           {"same", found.empty()}, {"verdict_changed", a.verdictChanged()},
             {"logged", s(a.row.verdict)}, {"now", a.verdictNow},   {"differences", json::array()},
             {"checks", json::array()}};
    for (const Difference& d : found)
        one["differences"].push_back({{"what", d.what}, {"logged", d.logged}, {"now", d.now}});
    for (const records::CheckAgain& c : a.checks)
        one["checks"].push_back({{"check", c.name},
                                 {"logged", c.before},
                                 {"unit", c.unit},
                                 {"now", c.now},
                                 {"unit_now", c.unitNow},
                                 {"verdict_logged", c.verdictBefore},
                                 {"verdict_now", c.verdictNow}});
    return one;
}
// The numbers given, or those the words choose, oldest first.
base::Result<std::vector<long long>> itemsWanted(const records::RecordLog& log, const Arguments& a)
{
    std::vector<long long> ids;
    for (std::size_t w = 1; w < a.words.size(); ++w) {
        const std::string& word = a.words[w];
        long long id = 0;
        if (const auto r = std::from_chars(word.data(), word.data() + word.size(), id);
            r.ec != std::errc() || r.ptr != word.data() + word.size() || id < 1)
            return base::fail(base::ErrorCode::InvalidArgument, "\"" + word + "\" is no number of an item");
        ids.push_back(id);
    }
    if (!ids.empty()) return ids;
    auto filter = filterFrom(a.option("--where"));
    if (!filter) return base::passOn(filter.error());
    filter->limit = 0;
    const auto rows = log.items(*filter);
    if (!rows) return base::passOn(rows.error());
    for (auto r = rows->rbegin(); r != rows->rend(); ++r) ids.push_back(r->id);
    return ids;
}
} // namespace

int replay(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err)
{
    const auto bad = [&](const base::Error& e) { return badInput(err, e); };
    auto a = Arguments::read(arguments, {"--json", "--where", "--recipe"}, {});
    if (!a) return bad(a.error());
    const bool given = a->words.size() > 1;
    if (a->words.empty() || (given && a->options.count("--where")) ||
        (!given && !a->options.count("--where") && !a->options.count("--recipe")))
        return bad({base::ErrorCode::InvalidArgument,
                    "replay takes a record log and the numbers of items, or --where, or --recipe", ""});
    const std::string path = a->words[0];
    if (missing(path)) return bad({base::ErrorCode::NotFound, "there is no such record log", path});
    auto log = records::RecordLog::open(QString::fromStdString(path));
    if (!log) return bad(log.error());
    std::optional<inspect::Prepared> other;
    if (a->options.count("--recipe")) {
        auto recipe = revisionAt(a->option("--recipe"));
        if (!recipe) return bad(recipe.error());
        auto made = inspect::Prepared::make(std::move(*recipe));
        if (!made) return bad(made.error());
        other = std::move(*made);
    }
    const auto ids = itemsWanted(**log, *a);
    if (!ids) return bad(ids.error());
    std::ostream& text = a->option("--json") == "-" ? err : out;
    records::OwnRecipes own;
    // Items whose verdict changed come first.
    std::vector<std::pair<bool, json>> found;
    std::size_t same = 0, changed = 0, missing = 0;
    for (const long long id : *ids) {
        const auto again = [&]() -> base::Result<records::Again> {
            if (other) return records::inspectAgain(**log, id, *other);
            const auto row = (*log)->item(id);
            if (!row) return base::passOn(row.error());
            const auto with = own.of(**log, *row);
            if (!with) return base::passOn(with.error());
            return records::inspectAgain(**log, id, **with);
        }();
        if (!again) {
            if (given) return bad(again.error());
            ++missing;
            found.emplace_back(false, json{{"item", id}, {"error", again.error().text()}});
            continue;
        }
        same += again->same(), changed += again->verdictChanged();
        found.emplace_back(again->verdictChanged(), againJson(*again));
    }
    std::stable_sort(found.begin(), found.end(), [](const auto& x, const auto& y) { return x.first && !y.first; });
    json list = json::array();
    for (auto& [first, one] : found) {
        text << "item " << one["item"].get<long long>() << ": ";
        if (one.contains("error")) text << "not inspected: " << one["error"].get<std::string>() << "\n";
        else {
            text << one["logged"].get<std::string>()
                 << (one["same"] == true ? ", the same again\n" : ", NOT the same\n");
            for (const auto& d : one["differences"])
                text << "  " << d["what"].get<std::string>() << ": logged " << d["logged"].get<std::string>()
                     << ", now " << d["now"].get<std::string>() << "\n";
        }
        list.push_back(std::move(one));
    }
    if (!given)
        text << ids->size() << " items: " << same << " the same, " << changed << " with another verdict"
             << (missing ? ", " + std::to_string(missing) + " not inspected" : "") << "\n";
    if (const int written = writeJson(a->option("--json"), list, out, err); written != kDone) return written;
    return same + missing < ids->size() ? kSomeRejected : missing == ids->size() && missing > 0 ? kBadInput : kDone;
}

// ---------------------------------------------------------------- report
namespace
{
base::Result<records::Choice> choiceFrom(const records::Filter& f)
{
    if (!f.picture.isNull())
        return base::fail(base::ErrorCode::InvalidArgument, "a picture is reported by its items: --item N", "--where");
    records::Choice c;
    const auto at = [](const QString& text) {
        return QDateTime::fromString(text, Qt::ISODateWithMs).toMSecsSinceEpoch();
    };
    if (!f.since.isEmpty()) c.since = at(f.since);
    if (!f.until.isEmpty()) c.until = at(f.until);
    c.recipe = f.recipe, c.batch = f.batch, c.station = f.station, c.text = f.text, c.from = f.from, c.to = f.to;
    if (f.verdict == QLatin1String("accept")) c.verdict = records::ItemVerdict::Accept;
    if (f.verdict == QLatin1String("reject")) c.verdict = records::ItemVerdict::Reject;
    if (f.verdict == QLatin1String("unjudged")) c.verdict = records::ItemVerdict::Unjudged;
    if (f.verdict == QLatin1String("error")) c.verdict = records::ItemVerdict::Error;
    return c;
}
// The item's picture with its marks, as the report shows it.
base::Status writePng(const std::string& logFile, long long item, const std::string& file)
{
    const auto log = records::RecordLog::open(QString::fromStdString(logFile));
    if (!log) return base::passOn(log.error());
    records::OwnRecipes own;
    return ::report::writeItemPicture(**log, own, item, QString::fromStdString(file));
}
} // namespace

int report(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err)
{
    const auto bad = [&](const base::Error& e) { return badInput(err, e); };
    auto a = Arguments::read(arguments,
                             {"--item", "--batch", "--where", "--pdf", "--paper", "--png", "--chart", "--group"}, {});
    if (!a) return bad(a.error());
    const int ways = int(a->options.count("--item") + a->options.count("--batch") + a->options.count("--where"));
    if (a->words.size() != 1 || ways != 1 || (!a->options.count("--pdf") && !a->options.count("--png")))
        return bad({base::ErrorCode::InvalidArgument,
                    "report takes LOG, one of --item N, --batch NAME, --where WORDS, and --pdf FILE", ""});
    const std::string paper = a->option("--paper"), log = a->words[0], pdf = a->option("--pdf"),
                      png = a->option("--png");
    if (!paper.empty() && paper != "a4" && paper != "letter")
        return bad({base::ErrorCode::InvalidArgument, paper + " is not one of: a4, letter", "--paper"});
    if (missing(log)) return bad({base::ErrorCode::NotFound, "there is no such record log", log});
    for (const auto& [option, file] : {std::pair("--pdf", pdf), std::pair("--png", png)})
        if (auto ok = keepsInputs(option, file, {log}); !ok) return bad(ok.error());
    ::report::BatchReport batch;
    batch.paper = paper == "letter" ? ::report::Paper::Letter : ::report::Paper::A4;
    const auto kind = chartFrom(a->option("--chart"));
    if (!kind) return bad(kind.error());
    const auto group = a->number("--group", 5, 2, records::kLargestGroup);
    if (!group) return bad(group.error());
    batch.kind = *kind, batch.group = int(*group);
    ::report::loadFonts();
    if (a->options.count("--item")) {
        ::report::ItemPages pages;
        std::istringstream without(a->option("--without"));
        for (std::string word; std::getline(without, word, ',');) {
            if (word == "deviation") pages.deviation = false;
            else if (word == "drawing") pages.drawing = false;
            else
                return bad(
                    {base::ErrorCode::InvalidArgument, word + " is not one of: deviation, drawing", "--without"});
        }
        const auto item = a->number("--item", 0, 1, 1000000000000LL);
        if (!item) return bad(item.error());
        if (!pdf.empty())
            if (auto ok = ::report::writeItemReport(QString::fromStdString(log), *item, QString::fromStdString(pdf),
                                                    batch.paper, pages);
                !ok)
                return bad(ok.error());
        if (!png.empty())
            if (auto ok = writePng(log, *item, png); !ok) return bad(ok.error());
        return out ? kDone : kBadInput;
    }
    if (!png.empty()) return bad({base::ErrorCode::InvalidArgument, "goes with --item", "--png"});
    records::Filter filter;
    if (a->options.count("--batch")) filter.batch = QString::fromStdString(a->option("--batch"));
    else {
        const auto words = filterFrom(a->option("--where"));
        if (!words) return bad(words.error());
        filter = *words;
    }
    const auto choice = choiceFrom(filter);
    if (!choice) return bad(choice.error());
    auto reader = records::ColumnReader::open(QString::fromStdString(log));
    if (!reader) return bad(reader.error());
    const auto columns = (*reader)->update();
    if (!columns) return bad(columns.error());
    batch.heading = filter.batch.isNull() ? QStringLiteral("Report") : QStringLiteral("Batch ") + filter.batch;
    batch.sentence =
        QString::fromStdString(a->options.count("--batch") ? "batch " + a->option("--batch") : a->option("--where"));
    if (auto ok = ::report::writeBatchReport(QString::fromStdString(log), **columns, *choice, batch,
                                             QString::fromStdString(pdf));
        !ok)
        return bad(ok.error());
    return kDone;
}

// ---------------------------------------------------------------- forward
int forward(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err)
{
    const auto bad = [&](const base::Error& e) { return badInput(err, e); };
    const auto a = Arguments::read(arguments, {"--server", "--station"}, {});
    if (!a) return bad(a.error());
    if (a->words.size() != 1 || a->option("--server").empty())
        return bad(
            {base::ErrorCode::InvalidArgument, "forward takes LOG --server postgresql://user@host:port/database", ""});
    if (std::error_code none; !std::filesystem::exists(a->words[0], none))
        return bad({base::ErrorCode::NotFound, "there is no such record log", a->words[0]});
    const auto address = records::ServerAddress::fromUrl(QString::fromStdString(a->option("--server")));
    if (!address) return bad(address.error());
    records::Sender sender(QString::fromStdString(a->words[0]), *address,
                           QString::fromStdString(a->option("--station")));
    long long items = 0;
    for (;;) {
        const auto sent = sender.sendSome();
        if (!sent) return bad(sent.error());
        items += sent->items;
        if (sent->all) break;
    }
    out << items << (items == 1 ? " item sent\n" : " items sent\n");
    return kDone;
}

// ---------------------------------------------------------------- retain
int retain(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err)
{
    const auto bad = [&](const base::Error& e) { return badInput(err, e); };
    const auto a = Arguments::read(arguments, {"--days", "--most"}, {"--remove"});
    if (!a) return bad(a.error());
    const auto days = a->number("--days", 0, 1, 36500);
    const auto most = a->real("--most", 0, 0.000001, 1e6);
    if (!days) return bad(days.error());
    if (!most) return bad(most.error());
    if (a->words.size() != 1 || (*days == 0 && *most == 0))
        return bad({base::ErrorCode::InvalidArgument, "retain takes LOG and --days N or --most GB", ""});
    if (missing(a->words[0])) return bad({base::ErrorCode::NotFound, "no such file", a->words[0]});
    const auto log = records::RecordLog::open(QString::fromStdString(a->words[0]));
    if (!log) return bad(log.error());
    const auto l = records::leaving(**log, {int(*days), (long long)(*most * 1e9)});
    if (!l) return bad(l.error());
    out << l->items << " of " << l->of << " items" << (l->items ? ", taken " + s(l->first) + " to " + s(l->last) : "")
        << ", " << l->values << " values, about " << base::toText(double(l->bytes) / 1e6, 1) << " MB\n";
    if (l->notSent) out << l->notSent << " more are kept: the server does not have them yet\n";
    if (!a->options.count("--remove")) {
        out << "nothing was removed (--remove does it)\n";
        return kDone;
    }
    if (auto ok = records::remove(**log, *l); !ok) return bad(ok.error());
    out << "removed; the recipes, the events and all that is younger stay\n";
    return kDone;
}

} // namespace cli

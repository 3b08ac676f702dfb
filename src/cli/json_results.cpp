#include "cli/json_results.h"

#include "base/files.h"
#include "cli/arguments.h"

#include <cerrno>
#include <cstring>
#include <fstream>

namespace cli
{
using nlohmann::ordered_json;

namespace
{
ordered_json orNull(const std::optional<double>& v) { return v ? ordered_json(*v) : ordered_json(); }
ordered_json orNull(const std::string& s) { return s.empty() ? ordered_json() : ordered_json(s); }

ordered_json stepJson(const recipe::Recipe& recipe, const inspect::StepResult& r)
{
    const recipe::Step* s = recipe.find(r.step);
    ordered_json outputs = ordered_json::object();
    for (const auto& o : r.outputs) {
        ordered_json v;
        if (o.list) v["values"] = o.values;
        else v["value"] = o.values.empty() ? ordered_json() : ordered_json(o.values.front());
        v["unit"] = base::symbol(o.unit);
        outputs[o.name] = std::move(v);
    }
    ordered_json j{{"id", r.step},
                   {"name", s ? s->name : ""},
                   {"kind", s ? s->kind : ""},
                   {"state", inspect::name(r.state)},
                   {"reason", orNull(r.reason)}};
    if (!r.note.empty()) j["note"] = r.note;
    j["outputs"] = std::move(outputs);
    return j;
}

ordered_json checkJson(const inspect::CheckResult& c)
{
    ordered_json j{{"step", c.step}, {"name", c.name}};
    const bool missing =
        c.values.empty() && (c.verdict == inspect::Verdict::NotMeasured || c.verdict == inspect::Verdict::Fail);
    if (c.list) j["values"] = missing ? ordered_json() : ordered_json(c.values);
    else j["value"] = c.values.empty() ? ordered_json() : ordered_json(c.values.front());
    j["unit"] = base::symbol(c.unit);
    j["nominal"] = orNull(c.nominal), j["low"] = orNull(c.low), j["high"] = orNull(c.high);
    j["verdict"] = inspect::name(c.verdict);
    j["reason"] = orNull(c.reason);
    if (!c.fault.empty()) j["fault"] = c.fault;
    if (c.guard > 0) j["guard"] = c.guard;
    if (c.uncertainty) j["uncertainty"] = *c.uncertainty;
    j["share"] = c.share ? ordered_json(*c.share) : ordered_json();
    if (c.list && !c.elements.empty()) {
        const auto failed = c.failed();
        j["failed"] = failed.size(), j["failed_numbers"] = failed;
        j["missing"] = c.missing, j["surplus"] = c.surplus;
        ordered_json elements = ordered_json::array();
        for (const auto& e : c.elements) {
            ordered_json one{{"name", e.name},
                             {"value", e.value >= 0 ? ordered_json(c.values[std::size_t(e.value)]) : ordered_json()}};
            one["verdict"] = inspect::name(e.verdict), one["reason"] = orNull(e.reason);
            if (!e.says.empty()) one["says"] = e.says;
            one["nominal"] = orNull(e.nominal), one["low"] = orNull(e.low), one["high"] = orNull(e.high);
            if (e.uncertainty) one["uncertainty"] = *e.uncertainty;
            if (e.at) one["at_px"] = {e.at->x, e.at->y};
            elements.push_back(std::move(one));
        }
        j["elements"] = std::move(elements);
    }
    return j;
}
} // namespace

namespace
{
ordered_json pictureJson(const recipe::Recipe& recipe, const inspect::PictureResult& r)
{
    ordered_json p{{"picture", r.picture},
                   {"error", r.error ? ordered_json(*r.error) : ordered_json()},
                   {"items", ordered_json::array()}};
    for (const auto& item : r.items) {
        ordered_json i{{"item", item.number},
                       {"verdict", inspect::name(item.outcome)},
                       {"word", item.word},
                       {"milliseconds", item.milliseconds},
                       {"steps", ordered_json::array()},
                       {"checks", ordered_json::array()}};
        for (const auto& s : item.steps) i["steps"].push_back(stepJson(recipe, *s));
        for (const auto& c : item.checks) i["checks"].push_back(checkJson(c));
        p["items"].push_back(std::move(i));
    }
    if (!r.warnings.empty()) p["warnings"] = r.warnings;
    return p;
}
std::string dumped(const ordered_json& json, const std::string& indent)
{
    std::string out;
    for (const char c : json.dump(2, ' ', false, nlohmann::json::error_handler_t::replace)) {
        out += c;
        if (c == '\n') out += indent;
    }
    return out;
}
} // namespace

base::Result<std::unique_ptr<ResultsWriter>> ResultsWriter::open(const std::string& where, const recipe::Recipe& recipe,
                                                                 std::ostream& out)
{
    std::unique_ptr<ResultsWriter> w(new ResultsWriter(where, recipe, out));
    if (where != "-") {
        const auto target = base::realFiles().target(where);
        if (!target) return base::passOn(target.error());
        w->m_where = target->path;
        auto part = target->inPlace ? base::Result<std::string>(target->path) : base::realFiles().beside(target->path);
        if (!part) return base::passOn(part.error());
        w->m_part = *part;
        w->m_file = std::make_unique<std::ofstream>(*part, std::ios::binary);
        w->m_out = w->m_file.get();
    }
    *w->m_out << "{\n  \"recipe\": " << dumped(recipe.name, "") << ",\n  \"revision\": " << recipe.revision
              << ",\n  \"pictures\": [";
    return w;
}
ResultsWriter::~ResultsWriter()
{
    if (m_file && m_part != m_where) (void)base::realFiles().remove(m_part);
}
void ResultsWriter::add(const inspect::PictureResult& r)
{
    m_totals.add(m_recipe, r);
    *m_out << (m_any ? ",\n    " : "\n    ") << dumped(pictureJson(m_recipe, r), "    ");
    m_any = true;
}
base::Status ResultsWriter::finish()
{
    *m_out << (m_any ? "\n  ]" : "]");
    if (!m_recipe.totals.empty()) {
        ordered_json list = ordered_json::array();
        for (std::size_t i = 0; i < m_totals.sums().size(); ++i) {
            const auto& s = m_totals.sums()[i];
            list.push_back({{"name", m_recipe.totals[i].name},
                            {"value", s.value},
                            {"unit", base::symbol(m_recipe.totals[i].unit)},
                            {"items", s.items},
                            {"left_out", s.left},
                            {"reason", orNull(s.reason)}});
        }
        *m_out << ",\n  \"totals\": " << dumped(list, "  ");
    }
    *m_out << "\n}\n";
    errno = 0;
    m_out->flush();
    if (!*m_out)
        return base::fail(base::ErrorCode::Io, std::string("cannot write: ") + std::strerror(errno ? errno : ENOSPC),
                          m_where);
    if (!m_file) return {};
    m_file.reset();
    if (m_part == m_where) return {};
    auto done = base::realFiles().sync(m_part);
    if (done) done = base::realFiles().rename(m_part, m_where);
    if (!done) (void)base::realFiles().remove(m_part);
    return done ? base::realFiles().sync(m_where) : done;
}

namespace
{
template <class F> void eachKind(F f)
{
    for (const recipe::StepKind& k : recipe::allStepKinds()) f(k);
}
std::string valueText(const recipe::Value& v)
{
    return std::visit(
        [](const auto& x) -> std::string {
            using T = std::decay_t<decltype(x)>;
            if constexpr (std::is_same_v<T, bool>) return x ? "true" : "false";
            else if constexpr (std::is_same_v<T, std::string>) return x;
            else if constexpr (std::is_same_v<T, double>) return base::shortest(x);
            else return std::to_string(x);
        },
        v);
}
std::string shapesText(const recipe::RegionSpec& r)
{
    std::string s;
    for (const auto shape : r.shapes) s += (s.empty() ? "" : ", ") + std::string(geometry::name(shape));
    return s;
}
} // namespace

ordered_json kindsJson()
{
    ordered_json out = ordered_json::array();
    eachKind([&](const recipe::StepKind& k) {
        ordered_json j{{"kind", k.key},        {"label", k.label}, {"help", k.help},    {"purpose", k.purpose},
                       {"version", k.version}, {"datum", k.datum}, {"source", k.source}};
        j["params"] = ordered_json::array();
        for (const auto& p : k.params) {
            ordered_json d;
            std::visit([&](const auto& v) { d = v; }, p.fallback);
            ordered_json one{{"key", p.key},           {"label", p.label},
                             {"help", p.help},         {"unit", base::symbol(p.unit)},
                             {"range", p.rangeText()}, {"default", d}};
            j["params"].push_back(std::move(one));
        }
        j["regions"] = ordered_json::array();
        for (const auto& r : k.regions)
            j["regions"].push_back({{"key", r.key},
                                    {"label", r.label},
                                    {"help", r.help},
                                    {"shapes", shapesText(r)},
                                    {"needed", r.needed}});
        j["points"] = ordered_json::array();
        for (const auto& p : k.points) j["points"].push_back({{"key", p.key}, {"label", p.label}, {"help", p.help}});
        j["pictures"] = ordered_json::array();
        for (const auto& p : k.pictures)
            j["pictures"].push_back({{"key", p.key},
                                     {"label", p.label},
                                     {"help", p.help},
                                     {"holds", p.height ? "heights" : "light"},
                                     {"needed", p.needed}});
        j["inputs"] = ordered_json::array();
        for (const auto& i : k.inputs) {
            ordered_json accepts = ordered_json::array();
            for (const auto t : i.accepts) accepts.push_back(recipe::name(t));
            j["inputs"].push_back({{"key", i.key}, {"label", i.label}, {"help", i.help}, {"accepts", accepts}});
        }
        j["outputs"] = ordered_json::array();
        for (const auto& o : k.outputs)
            j["outputs"].push_back({{"key", o.key},
                                    {"label", o.label},
                                    {"help", o.help},
                                    {"unit", base::symbol(o.unit)},
                                    {"list", o.list},
                                    {"calibrates", o.calibrates}});
        out.push_back(std::move(j));
    });
    return out;
}

std::string kindsPage()
{
    std::string s =
        "# Step reference\n\nMade from the declarations by `dikkat-cli kinds --page`; not edited by hand.\n";
    eachKind([&](const recipe::StepKind& k) {
        s += "\n## " + k.label + " (`" + k.key + "`)\n\n" + k.help + "\n\nFor: " + k.purpose + ". Source: " + k.source +
             ".\n";
        if (k.datum) s += "\nA datum: it finds parts, and other steps follow it.\n";
        if (!k.regions.empty() || !k.points.empty()) {
            s += "\n| region or point | shapes | needed | |\n|---|---|---|---|\n";
            for (const auto& r : k.regions)
                s += "| `" + r.key + "` " + r.label + " | " + shapesText(r) + " | " +
                     (r.needed ? "yes" : "no: the whole picture") + " | " + r.help + " |\n";
            for (const auto& p : k.points) s += "| `" + p.key + "` " + p.label + " | point | no | " + p.help + " |\n";
        }
        if (!k.inputs.empty()) {
            s += "\n| input | takes | |\n|---|---|---|\n";
            for (const auto& i : k.inputs) {
                std::string accepts;
                for (const auto t : i.accepts) accepts += (accepts.empty() ? "" : ", ") + std::string(recipe::name(t));
                s += "| `" + i.key + "` " + i.label + " | " + accepts + " | " + i.help + " |\n";
            }
        }
        s += "\n| setting | range | default | |\n|---|---|---|---|\n";
        for (const auto& p : k.params)
            s += "| `" + p.key + "` " + p.label + " | " + p.rangeText() + " | " + valueText(p.fallback) + " | " +
                 p.help + " |\n";
        s += "\n| output | unit | |\n|---|---|---|\n";
        for (const auto& o : k.outputs) {
            std::string unit = base::symbol(o.unit);
            if (o.calibrates && base::calibrated(o.unit) != o.unit)
                unit += " (" + std::string(base::symbol(base::calibrated(o.unit))) + " when calibrated)";
            s += "| `" + o.key + "` " + o.label + (o.list ? " (list)" : "") + (o.main ? ", main" : "") + " | " + unit +
                 " | " + o.help + " |\n";
        }
    });
    return s;
}

int writeJson(const std::string& where, const ordered_json& json, std::ostream& out, std::ostream& err)
{
    if (where.empty()) return kDone;
    const std::string text = json.dump(2, ' ', false, nlohmann::json::error_handler_t::replace) + "\n";
    if (where == "-") out << text;
    else if (auto ok = base::writeAtomic(base::realFiles(), where, text); !ok) return badInput(err, ok.error());
    return kDone;
}

} // namespace cli

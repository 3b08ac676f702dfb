#include "proof/proof.h"

#include "base/parallel.h"
#include "image/capture_files.h"
#include "inspect/review.h"
#include "recipe/recipe_file.h"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <nlohmann/json.hpp>
#include <set>

namespace proof
{
using base::ErrorCode;
using nlohmann::json;

namespace
{
constexpr double kWide =
    40; // spreads of good values between both limits: nothing between is a fault, or it is too wide

std::string checkText(int balloon, const std::string& name)
{
    return (balloon > 0 ? std::to_string(balloon) + " " : "") + name;
}
std::string number(double v)
{
    const double a = std::abs(v);
    return base::toText(v, a >= 100 ? 0 : a >= 10 ? 1 : a >= 1 ? 2 : 3);
}

// Those that are strained: some bad ones, else good ones, spread over all.
std::vector<std::size_t> chosen(const std::vector<Sample>& all, std::size_t most)
{
    std::vector<std::size_t> good, bad, out;
    for (std::size_t i = 0; i < all.size(); ++i)
        if (all[i].result.accepted() != all[i].bad) (all[i].bad ? bad : good).push_back(i);
    const std::size_t bads = std::min(bad.size(), std::max<std::size_t>(1, most / 3)),
                      goods = std::min(good.size(), most - bads);
    for (std::size_t k = 0; k < bads; ++k) out.push_back(bad[k * bad.size() / bads]);
    for (std::size_t k = 0; k < goods; ++k) out.push_back(good[k * good.size() / goods]);
    std::sort(out.begin(), out.end());
    return out;
}

std::vector<Sureness> surenessOf(const std::vector<Sample>& samples)
{
    std::vector<Sureness> out;
    for (const Sample& s : samples) {
        if (s.bad) continue;
        for (const auto& item : s.result.items)
            for (const auto& c : item.checks) {
                if (!c.uncertainty || c.values.empty()) continue;
                auto it = std::find_if(out.begin(), out.end(),
                                       [&](const Sureness& x) { return x.step == c.step && x.output == c.output; });
                if (it == out.end()) {
                    out.push_back({c.step, c.output, c.name, c.balloon, c.unit, 0, -1, -1, c.low, c.high, {}});
                    it = std::prev(out.end());
                }
                if (*c.uncertainty <= it->uncertainty) continue;
                it->uncertainty = *c.uncertainty, it->value = c.values.front(), it->trial = s.trial;
                if (c.low && c.high && *c.high > *c.low) it->share = 2 * it->uncertainty / (*c.high - *c.low);
            }
    }
    return out;
}

// A check that fails, or has nothing to judge, on a trial labelled good.
std::vector<Wrong> wrongOf(const std::vector<Sample>& samples)
{
    std::vector<Wrong> out;
    for (const Sample& s : samples) {
        if (s.bad || s.result.accepted()) continue;
        std::set<std::pair<std::string, std::string>> told; // once a trial, however many items it has
        for (const auto& item : s.result.items)
            for (const auto& c : item.checks) {
                if (c.verdict == inspect::Verdict::Pass || c.verdict == inspect::Verdict::Unjudged) continue;
                if (!told.insert({c.step, c.output}).second) continue;
                auto it = std::find_if(out.begin(), out.end(),
                                       [&](const Wrong& w) { return w.step == c.step && w.output == c.output; });
                if (it == out.end()) it = out.insert(out.end(), {c.step, c.output, c.name, c.balloon, 0});
                ++it->count;
            }
    }
    std::stable_sort(out.begin(), out.end(), [](const Wrong& a, const Wrong& b) { return a.count > b.count; });
    return out;
}

// A change or fault that is misspelt would silently never be asked.
template <class Kinds>
base::Status known(const std::map<std::string, double>& asked, const Kinds& kinds, const char* field)
{
    std::string all;
    for (const auto& k : kinds) all += (all.empty() ? "" : ", ") + std::string(k.key);
    for (const auto& [key, level] : asked)
        if (std::none_of(kinds.begin(), kinds.end(), [&](const auto& k) { return key == k.key; }))
            return base::fail(ErrorCode::InvalidArgument, "\"" + key + "\" is not one of: " + all,
                              std::string("proof: ") + field);
    return {};
}
base::Status namesAreKnown(const recipe::ProofAsk& ask)
{
    if (auto ok = known(ask.changes, changeKinds(), "changes"); !ok) return ok;
    return known(ask.faults, faultKinds(), "faults");
}

class OpenPoints
{
public:
    OpenPoints(const recipe::Recipe& recipe, const Proof& proof) : m_recipe(recipe), m_proof(proof) {}
    std::vector<OpenPoint> all()
    {
        disagreements(), fixed(), strained(), planted(), limits(), few();
        for (OpenPoint& p : m_out)
            for (const auto& r : m_recipe.proof.reasons)
                if (r.point == p.key) p.reason = r.text, p.by = r.by;
        return std::move(m_out);
    }

private:
    OpenPoint& add(PointKind kind, const std::string& key, std::string text, std::string remedy)
    {
        OpenPoint p;
        p.kind = kind, p.key = std::string(name(kind)) + ":" + key, p.text = std::move(text),
        p.remedy = std::move(remedy);
        m_out.push_back(std::move(p));
        return m_out.back();
    }
    void disagreements()
    {
        if (m_proof.unread > 0)
            add(PointKind::Disagrees, "unread",
                std::to_string(m_proof.unread) + " trials cannot be read: " + m_proof.unreadWhy,
                "find their pictures, or remove them");
        const auto of = [](int n, int all, const char* what) {
            return std::to_string(n) + " of " + std::to_string(all) + " trials labelled " + what;
        };
        for (const Wrong& w : m_proof.wrong) {
            OpenPoint& p = add(PointKind::Disagrees, w.step + "/" + w.output,
                               checkText(w.balloon, w.name) + " rejects " + of(w.count, m_proof.good, "good"),
                               "look at them in Set up: F3 leads there");
            p.step = w.step, p.output = w.output;
        }
        const int rest = m_proof.trials - m_proof.agree - m_proof.passing;
        if (m_proof.passing > 0)
            add(PointKind::Disagrees, "passes", of(m_proof.passing, m_proof.bad, "bad") + " are accepted",
                "look at them in Set up: F3 leads there");
        if (m_proof.wrong.empty() && rest > 0)
            add(PointKind::Disagrees, "", of(rest, m_proof.good, "good") + " are rejected",
                "look at them in Set up: F3 leads there");
    }
    // What stays where it was drawn while the part moves.
    void fixed()
    {
        for (const auto& f :
             inspect::review(m_recipe, std::vector<const inspect::PictureResult*>(m_recipe.trials.size())))
            if (f.doubt == inspect::Doubt::Fixed)
                add(PointKind::Fixed, f.step, f.subject + ": " + f.text, f.remedy).step = f.step;
    }
    void strained()
    {
        for (const StrainRow& r : m_proof.strain.rows)
            for (const Cell& c : r.cells) {
                const ChangeKind* kind = findChange(c.change);
                if (c.holds() || !kind) continue;
                const char* what = c.turn == Turn::GoodRejected  ? "a good part is rejected"
                                   : c.turn == Turn::BadAccepted ? "a bad part passes"
                                                                 : "nothing is measured";
                OpenPoint& p = add(PointKind::GivesWay, r.step + "/" + r.output + "/" + c.change,
                                   checkText(r.balloon, r.name) + " gives way at " + said(*kind, c.level) +
                                       ", expected is " + said(*kind, c.expected) + ": " + what,
                                   remedyFor(c));
                p.step = r.step, p.output = r.output, p.change = c.change;
            }
    }
    static std::string remedyFor(const Cell& c)
    {
        const std::string& k = c.change;
        if (k == "darker" || k == "brighter" || k == "uneven" || k == "bands" || k == "colour")
            return "let the limit of grey be worked out in each picture, or follow the light";
        if (k == "turn" || k == "shift" || k == "size" || k == "tilt")
            return "let it follow the datum, or make its region wider";
        if (k == "noise" || k == "dust" || k == "jpeg") return "smooth more, or ask for a least size or strength";
        if (k == "blur") return "lower the least strength, or measure on a wider stretch";
        return "look at the picture that turned";
    }
    void planted()
    {
        for (const auto& [key, size] : m_recipe.proof.faults)
            if (const FaultKind* kind = findFault(key); kind && kind->sized && size > 0 &&
                                                        std::none_of(m_proof.faults.begin(), m_proof.faults.end(),
                                                                     [&](const Detection& d) { return d.kind == key; }))
                add(PointKind::Late, key,
                    std::string(kind->label) +
                        " is asked for, and could not be planted: this part has no place for it, or no good trial",
                    "take the demand back, or label a good trial")
                    .fault = key;
        for (const Detection& d : m_proof.faults) {
            const FaultKind* kind = findFault(d.kind);
            const std::string label = kind ? kind->label : d.kind, unit = base::symbol(d.unit);
            if (d.kind == "part_missing" && !d.sizes.empty() && d.sizes.front().share() < 1) {
                add(PointKind::FalseFind, d.kind,
                    "where the part is missing the recipe still accepts in " +
                        std::to_string(d.sizes.front().planted - d.sizes.front().found) + " of " +
                        std::to_string(d.sizes.front().planted),
                    "raise the datum's least score")
                    .fault = d.kind;
                continue;
            }
            if (d.gap) {
                const std::string up =
                    d.sizes.back().size > 0 ? " up to " + number(d.sizes.back().size) + " " + unit : "";
                add(PointKind::Gap, d.kind,
                    label + up + ": no check sees it (" + std::to_string(d.sizes.back().found) + " of " +
                        std::to_string(d.sizes.back().planted) + ")",
                    "add a check where it would be, or say why it does not matter")
                    .fault = d.kind;
            }
            if (d.asked && !d.met())
                add(PointKind::Late, d.kind,
                    label + " is surely found from " +
                        (d.bound ? number(*d.bound) : "beyond " + number(d.sizes.back().size)) + " " + unit +
                        " on, asked is " + number(*d.asked) + " " + unit,
                    "narrow the limit of the check that sees it")
                    .fault = d.kind;
        }
    }
    void limits()
    {
        const double most = m_recipe.proof.uncertaintyShare;
        for (const Sureness& s : m_proof.sure)
            if (most > 0 && s.share && *s.share > most) {
                OpenPoint& p =
                    add(PointKind::Unsure, s.step + "/" + s.output,
                        checkText(s.balloon, s.name) + ": ± " + base::toText(s.uncertainty, s.unit) + " takes " +
                            number(100 * *s.share) + " % of its tolerance, asked is " + number(100 * most) + " %",
                        "measure on more points, smooth more, or take a sharper picture");
                p.step = s.step, p.output = s.output;
            }
        for (const Margin& m : m_proof.margins.checks) {
            const auto point = [&](PointKind kind, std::string text, std::string remedy) {
                OpenPoint& p =
                    add(kind, m.step + "/" + m.output, checkText(m.balloon, m.name) + text, std::move(remedy));
                p.step = m.step, p.output = m.output;
            };
            if (m.oneSided)
                point(PointKind::OneSided, " has a limit to one side only: what is wrong to the other side passes",
                      "state both limits");
            const bool seen =
                m.bad > 0 || std::any_of(m_proof.faults.begin(), m_proof.faults.end(),
                                         [&](const Detection& d) { return d.by.count(m.step + "/" + m.output) > 0; });
            if (m.widthSpreads && *m.widthSpreads > kWide && !seen && !m_proof.faults.empty())
                point(PointKind::Wide,
                      ": its limits lie " + number(*m.widthSpreads) +
                          " spreads of the good parts apart, and no fault ever reached one",
                      "narrow them: Propose limits");
            else if (!seen && !m_proof.faults.empty())
                point(PointKind::NeverFails, " was never failed, by no bad trial and no planted fault",
                      "label a bad trial of it, or narrow its limits");
        }
    }
    void few()
    {
        if (m_proof.good < 5 || m_proof.bad < 1)
            add(PointKind::FewTrials, "",
                "it rests on " + std::to_string(m_proof.good) + " good and " + std::to_string(m_proof.bad) +
                    " bad trials",
                "5 good and 1 bad at least; for a risk of 5 % " + std::to_string(Margins::neededFor(0.05)) +
                    " of each");
    }
    const recipe::Recipe& m_recipe;
    const Proof& m_proof;
    std::vector<OpenPoint> m_out;
};
} // namespace

const char* name(PointKind p)
{
    constexpr const char* names[] = {"disagrees", "gives_way",  "gap",         "late",       "unsure", "one_sided",
                                     "wide",      "false_find", "never_fails", "few_trials", "fixed"};
    return names[std::size_t(p)];
}

bool Proof::met() const
{
    if (!whole || strain.good == 0 || strain.cells() == 0) return false;
    return std::none_of(open.begin(), open.end(), [](const OpenPoint& p) {
        const bool asked = p.kind == PointKind::Disagrees || p.kind == PointKind::GivesWay ||
                           p.kind == PointKind::Late || p.kind == PointKind::FalseFind || p.kind == PointKind::Unsure;
        return asked && p.reason.empty();
    });
}

base::Result<Proof> prove(std::shared_ptr<const inspect::Prepared> prepared, const std::vector<std::string>& pictures,
                          const Settings& settings, base::Watch* watch, const std::function<void(const Proof&)>& done)
{
    if (auto ok = namesAreKnown(prepared->recipe().proof); !ok) return base::passOn(ok.error());
    const auto start = std::chrono::steady_clock::now();
    const recipe::Recipe& recipe = prepared->recipe();
    Proof out;
    out.recipe = recipe.name, out.revision = recipe.revision, out.identity = recipe::identity(recipe),
    out.quick = settings.quick;
    struct From {
        std::string picture;
        recipe::Label label;
        int trial;
    };
    std::vector<From> from;
    if (pictures.empty()) {
        for (std::size_t i = 0; i < recipe.trials.size(); ++i) {
            recipe::Label label = recipe.trials[i].label;
            if (!recipe.trials[i].items.empty()) {
                label = recipe::Label::Good;
                for (const auto& item : recipe.trials[i].items)
                    if (item.label == recipe::Label::Bad) label = recipe::Label::Bad;
            }
            from.push_back({recipe.trials[i].picture, label, int(i)});
        }
        const bool any =
            std::any_of(from.begin(), from.end(), [](const From& f) { return f.label != recipe::Label::Open; });
        // Labelled ones alone; without a label all count as good.
        if (any)
            from.erase(
                std::remove_if(from.begin(), from.end(), [](const From& f) { return f.label == recipe::Label::Open; }),
                from.end());
    } else {
        for (const std::string& p : image::captures(recipe.pictures, pictures))
            from.push_back({p, recipe::Label::Good, int(from.size())});
    }
    const auto cancelled = [&] { return watch && watch->cancel.load(); };
    std::vector<Sample> all(from.size());
    std::vector<std::string> errors(from.size());
    const image::Naming naming = recipe.picturesTaken();
    base::parallelFor(int(from.size()), settings.threads, [&](int i) {
        if (cancelled()) return;
        Sample& s = all[std::size_t(i)];
        s.trial = from[std::size_t(i)].trial, s.picture = from[std::size_t(i)].picture,
        s.bad = from[std::size_t(i)].label == recipe::Label::Bad;
        auto c = image::loadCapture(s.picture, naming);
        if (!c) {
            errors[std::size_t(i)] = c.error().text();
            return;
        }
        s.result = inspect::evaluate(*prepared, *c);
        // Kept until it is known which are strained; pictures are large.
        s.capture = all.size() <= 64 ? std::make_shared<const image::Capture>(std::move(*c)) : nullptr;
    });
    if (cancelled()) return base::fail(ErrorCode::Cancelled, "stopped");
    for (std::size_t i = all.size(); i-- > 0;)
        if (!errors[i].empty()) {
            out.unreadWhy = errors[i], ++out.unread;
            all.erase(all.begin() + std::ptrdiff_t(i));
        }
    if (all.empty())
        return base::fail(ErrorCode::InvalidArgument, from.empty() ? "there are no trials to prove it on"
                                                                   : "no trial can be read: " + out.unreadWhy);
    out.trials = int(all.size());
    for (const Sample& s : all) {
        ++(s.bad ? out.bad : out.good);
        out.agree += s.result.accepted() != s.bad;
        out.passing += s.bad && s.result.accepted();
    }
    out.wrong = wrongOf(all);
    out.margins = margins(recipe, all);
    out.sure = surenessOf(all);
    std::vector<Sample> used;
    for (const std::size_t i : chosen(all, std::size_t(settings.quick ? Settings::kQuick : Settings::kFull))) {
        Sample s = all[i];
        if (!s.capture)
            if (auto c = image::loadCapture(s.picture, naming))
                s.capture = std::make_shared<const image::Capture>(std::move(*c));
        if (s.capture) used.push_back(std::move(s));
    }
    all.clear();
    out.samples = used;
    if (done) done(out);

    StrainSettings st;
    st.seed = settings.seed, st.threads = settings.threads;
    st.until = 0.6;
    if (settings.quick) st.levels = {1}, st.refine = 1;
    auto strained = strain(*prepared, used, st, watch);
    if (!strained) return base::passOn(strained.error());
    out.strain = std::move(*strained);
    out.open = OpenPoints(recipe, out).all();
    if (done) done(out);
    DetectionSettings ds;
    ds.seed = settings.seed, ds.threads = settings.threads;
    ds.from = 0.6;
    if (settings.quick) ds.count = 2, ds.more = 0, ds.down = true;
    auto found = detections(*prepared, used, ds, watch);
    if (!found) return base::passOn(found.error());
    out.faults = std::move(*found);
    out.open = OpenPoints(recipe, out).all();
    out.whole = true;
    out.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    if (done) done(out);
    return out;
}

json toJson(const Proof& p)
{
    const auto maybe = [](const std::optional<double>& v) { return v ? json(*v) : json(); };
    json j{{"format", "dikkat-proof"},
           {"version", 1},
           {"recipe", p.recipe},
           {"revision", p.revision},
           {"identity", p.identity},
           {"quick", p.quick},
           {"seconds", std::round(p.seconds * 10) / 10},
           {"met", p.met()},
           {"trials", {{"count", p.trials}, {"good", p.good}, {"bad", p.bad}, {"agree", p.agree}}}};
    json& strain = j["strain"] = {{"samples", p.strain.samples},
                                  {"short", p.strain.shortCells()},
                                  {"cells", p.strain.cells()},
                                  {"rows", json::array()}};
    for (const StrainRow& r : p.strain.rows) {
        json row{{"step", r.step},
                 {"output", r.output},
                 {"name", r.name},
                 {"reserve", r.reserve()},
                 {"cells", json::array()}};
        for (const Cell& c : r.cells) {
            const ChangeKind* kind = findChange(c.change);
            row["cells"].push_back(
                {{"change", c.change},
                 {"unit", kind ? kind->unit : ""},
                 {"expected", c.expected},
                 {"level", c.level},
                 {"turns", name(c.turn)},
                 {"holds", c.holds()},
                 {"picture", c.sample >= 0 ? json(p.samples[std::size_t(c.sample)].picture) : json()}});
        }
        strain["rows"].push_back(std::move(row));
    }
    j["faults"] = json::array();
    for (const Detection& d : p.faults) {
        json one{{"kind", d.kind},
                 {"unit", base::symbol(d.unit)},
                 {"found_9_of_10_from", maybe(d.size90)},
                 {"surely_from", maybe(d.bound)},
                 {"asked", maybe(d.asked)},
                 {"met", d.met()},
                 {"gap", d.gap},
                 {"sizes", json::array()},
                 {"by", d.by}};
        for (const Trialled& t : d.sizes)
            one["sizes"].push_back({{"size", t.size}, {"planted", t.planted}, {"found", t.found}});
        j["faults"].push_back(std::move(one));
    }
    j["uncertainty"] = json::array();
    for (const Sureness& s : p.sure)
        j["uncertainty"].push_back({{"step", s.step},
                                    {"output", s.output},
                                    {"name", s.name},
                                    {"unit", base::symbol(s.unit)},
                                    {"value", s.value},
                                    {"uncertainty", s.uncertainty},
                                    {"share_of_tolerance", maybe(s.share)}});
    json& margins = j["margins"] = {{"good", p.margins.good},
                                    {"bad", p.margins.bad},
                                    {"good_rejected", p.margins.rejectedGood},
                                    {"bad_accepted", p.margins.passedBad},
                                    {"good_rejected_at_most", p.margins.goodBound},
                                    {"bad_accepted_at_most", p.margins.badBound},
                                    {"checks", json::array()}};
    for (const Margin& m : p.margins.checks)
        margins["checks"].push_back({{"step", m.step},
                                     {"output", m.output},
                                     {"name", m.name},
                                     {"good", m.good},
                                     {"bad", m.bad},
                                     {"good_spreads", maybe(m.goodSpreads)},
                                     {"bad_spreads", maybe(m.badSpreads)},
                                     {"rejected", maybe(m.rejected)},
                                     {"rejected_at_most", maybe(m.rejectedBound)}});
    j["open"] = json::array();
    for (const OpenPoint& o : p.open) {
        json one{{"kind", name(o.kind)}, {"point", o.key}, {"text", o.text}, {"remedy", o.remedy}};
        for (const auto& [key, v] : {std::pair{"step", &o.step},
                                     {"output", &o.output},
                                     {"change", &o.change},
                                     {"fault", &o.fault},
                                     {"reason", &o.reason},
                                     {"by", &o.by}})
            if (!v->empty()) one[key] = *v;
        j["open"].push_back(std::move(one));
    }
    return j;
}

Against compared(const Proof& before, const Proof& now)
{
    Against out;
    for (const StrainRow& r : now.strain.rows) {
        const StrainRow* was = before.strain.row(r.step, r.output);
        if (!was) continue;
        for (const Cell& c : r.cells) {
            const auto it =
                std::find_if(was->cells.begin(), was->cells.end(), [&](const Cell& x) { return x.change == c.change; });
            if (it == was->cells.end() || it->holds() == c.holds()) continue;
            const ChangeKind* kind = findChange(c.change);
            (c.holds() ? out.better : out.worse)
                .push_back(checkText(r.balloon, r.name) + " under " + (kind ? kind->label : c.change));
        }
    }
    for (const Detection& d : now.faults) {
        const auto it = std::find_if(before.faults.begin(), before.faults.end(),
                                     [&](const Detection& x) { return x.kind == d.kind; });
        if (it == before.faults.end()) continue;
        const FaultKind* kind = findFault(d.kind);
        const std::string label = kind ? kind->label : d.kind;
        if (it->gap != d.gap) (d.gap ? out.worse : out.better).push_back(label);
        else if (it->size90 && d.size90 && std::abs(std::log(*d.size90 / *it->size90)) > 0.25)
            (*d.size90 > *it->size90 ? out.worse : out.better)
                .push_back(label + " from " + number(*it->size90) + " to " + number(*d.size90));
    }
    return out;
}

} // namespace proof

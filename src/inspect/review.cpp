#include "inspect/review.h"

#include "inspect/labels.h"

#include "recipe/naming.h"

#include <algorithm>
#include <cctype>
#include <cmath>
#include <set>

namespace inspect
{
using namespace recipe;

namespace
{
struct Words {
    Doubt doubt;
    const char *name, *title;
};
constexpr Words kWords[] = {{Doubt::Unit, "unit", "limit in another unit"},
                            {Doubt::Limits, "limits", "limits that cannot be used"},
                            {Doubt::NotMeasured, "not_measured", "not measured on good trials"},
                            {Doubt::Fixed, "fixed", "does not follow the part"},
                            {Doubt::Label, "label", "label and verdict disagree"},
                            {Doubt::Picture, "picture", "doubtful picture"},
                            {Doubt::Unjudged, "unjudged", "not judged"},
                            {Doubt::Unread, "unread", "changes nothing"},
                            {Doubt::Uncertainty, "uncertainty", "no uncertainty"},
                            {Doubt::NeverFails, "never_fails", "no bad trial fails it"},
                            {Doubt::ThinMargin, "thin_margin", "thin margin"},
                            {Doubt::Names, "names", "names alike"},
                            {Doubt::Trials, "trials", "trials that prove little"}};
const Words& wordsOf(Doubt d)
{
    for (const Words& w : kWords)
        if (w.doubt == d) return w;
    return kWords[0];
}

// What two names look like at a glance: case, spaces and most signs do not tell them apart, neither do l and 1 or O and
// 0. A plus does, and a minus at the end.
std::string atAGlance(const std::string& name)
{
    std::string out;
    for (std::size_t i = 0; i < name.size(); ++i) {
        const char raw = name[i];
        const auto u = static_cast<unsigned char>(raw);
        if (u < 0x80 && !std::isalnum(u) && raw != '+' && !(raw == '-' && i + 1 == name.size())) continue;
        const char c = u < 0x80 ? char(std::tolower(u)) : raw;
        out += c == 'l' || c == 'i' ? '1' : c == 'o' ? '0' : c;
    }
    return out.empty() ? name : out;
}

class Reviewer
{
public:
    Reviewer(const Recipe& recipe, const std::vector<const PictureResult*>& trials, double thin)
        : m_recipe(recipe), m_trials(trials), m_thin(thin)
    {
    }

    std::vector<Finding> all()
    {
        units();
        regions();
        for (const Step& s : m_recipe.steps)
            if (s.inUse) step(s);
        names();
        labels();
        std::stable_sort(m_out.begin(), m_out.end(),
                         [](const Finding& a, const Finding& b) { return a.doubt < b.doubt; });
        return std::move(m_out);
    }

private:
    void say(Doubt d, const Step* s, const std::string& output, int trial, std::string subject, std::string text,
             std::string remedy)
    {
        m_out.push_back({d, s ? s->id : "", output, trial, std::move(subject), std::move(text), std::move(remedy)});
    }
    static bool judged(const Check& c)
    {
        return c.limits.any() || c.match == Match::Place ||
               std::any_of(c.elements.begin(), c.elements.end(), [](const Element& e) { return bool(e.own); });
    }
    Label labelOf(std::size_t trial) const { return inspect::labelOf(m_recipe.trials[trial]); }
    static std::string trialName(std::size_t t) { return "trial " + std::to_string(t + 1); }
    static std::string percent(double share) { return std::to_string(int(std::floor(share * 100 + 0.5))) + " %"; }
    // Calls with every result of a check: trial, the part's label, result.
    template <class F> void eachResult(const Step& s, const Check& c, F call) const
    {
        for (std::size_t t = 0; t < m_trials.size() && t < m_recipe.trials.size(); ++t)
            if (m_trials[t]) {
                const auto labels = labelsOf(m_recipe, m_recipe.trials[t], *m_trials[t]);
                for (std::size_t i = 0; i < labels.size(); ++i)
                    if (const CheckResult* r = m_trials[t]->items[i].check(s.id, c.output)) call(t, labels[i], *r);
            }
    }

    void units()
    {
        for (const auto& [id, output] : foreignLimits(m_recipe)) {
            const Step* s = m_recipe.find(id);
            const StepKind* kind = findKind(s->kind);
            for (const Check& c : s->checks)
                if (c.output == output) {
                    const base::Unit value = m_recipe.unitOf(*s, *kind->output(output));
                    const auto word = [](base::Unit u) {
                        return u == base::Unit::None ? std::string("no unit") : std::string(base::symbol(u));
                    };
                    say(Doubt::Unit, s, output, -1, c.name,
                        "the limit is in " + word(c.limits.unit) + ", the value in " + word(value) +
                            ": it is not judged",
                        convertedCheck(m_recipe, *s, c).limits.unit == c.limits.unit
                            ? "calibrate, or type the limit anew"
                            : "convert the limit");
                }
        }
    }
    void regions()
    {
        const bool anyDatum = std::any_of(m_recipe.steps.begin(), m_recipe.steps.end(), [](const Step& s) {
            const StepKind* k = findKind(s.kind);
            return s.inUse && k && k->datum;
        });
        int drawn = 0;
        for (const Step& s : m_recipe.steps) {
            const StepKind* k = findKind(s.kind);
            if (!s.inUse || !k || k->datum || !s.datum.empty()) continue;
            const bool fixed = std::any_of(s.regions.begin(), s.regions.end(), [&](const auto& r) {
                const RegionSpec* spec = k->region(r.first);
                return spec && spec->follows && !spec->teaching && r.second.shape != geometry::Shape::Whole;
            });
            if (!fixed) continue;
            ++drawn;
            if (anyDatum)
                say(Doubt::Fixed, &s, "", -1, s.name,
                    "it looks at a fixed place of the picture: a part that lies elsewhere is measured beside it",
                    "let it follow a datum");
        }
        if (!anyDatum && drawn)
            say(Doubt::Fixed, nullptr, "", -1, m_recipe.name,
                "no datum: every region stays where it was drawn when the part moves", "make a datum first");
    }
    void step(const Step& s)
    {
        const StepKind* kind = findKind(s.kind);
        bool anyJudged = false;
        for (const Check& c : s.checks) {
            if (!judged(c)) {
                if (!kind || !kind->datum)
                    say(Doubt::Unjudged, &s, c.output, -1, c.name,
                        "it has no limits: whatever it is, nothing is judged",
                        "give it limits, or take the check away");
                continue;
            }
            anyJudged = true;
            check(s, c);
        }
        const bool summed =
            named(m_recipe.rule, s) || std::any_of(m_recipe.totals.begin(), m_recipe.totals.end(),
                                                   [&](const Total& t) { return named(t.expression, s); });
        if (!anyJudged && s.checks.empty() && !(kind && kind->datum) && m_recipe.readBy(s.id).empty() && !summed)
            say(Doubt::Unread, &s, "", -1, s.name, "no check judges it and no step reads it",
                "add a check, or delete the step");
        if (!m_recipe.rule.empty() && anyJudged && !named(m_recipe.rule, s))
            say(Doubt::Unread, &s, "", -1, s.name, "the item's rule does not name it: its fail rejects nothing",
                "name it in the rule");
    }
    static bool named(const std::string& text, const Step& s)
    {
        const auto all = namings(text);
        return std::any_of(all.begin(), all.end(), [&](const Naming& n) { return n.step == s.id; });
    }
    void check(const Step& s, const Check& c)
    {
        // A unit is said above; a general tolerance without a class, or beyond its table, is said here.
        if (auto l = limitsInValueUnit(m_recipe, s, c); !l && base::convertible(c.limits.unit, unitOf(s, c)))
            return say(Doubt::Limits, &s, c.output, -1, c.name, l.error().message,
                       "state the limit in full, or choose a class");
        if (m_recipe.guardBand && !m_recipe.guardMeasured && !c.uncertainty)
            say(Doubt::Uncertainty, &s, c.output, -1, c.name,
                "the guard band is on, this check has no uncertainty: it is judged by its bare limits",
                "enter the expanded uncertainty, or take it from a repeatability study");
        int lost = 0, worstTrial = -1, lostTrial = -1;
        double worst = 0;
        std::string why;
        std::set<std::size_t> goodTrials, lostTrials, badTrials, caughtTrials;
        eachResult(s, c, [&](std::size_t t, Label label, const CheckResult& r) {
            const bool open = r.verdict == Verdict::Fail || r.verdict == Verdict::NotMeasured;
            if (label == Label::Bad) badTrials.insert(t);
            if (label == Label::Bad && open) caughtTrials.insert(t);
            if (label != Label::Good) return;
            goodTrials.insert(t);
            if (r.verdict == Verdict::NotMeasured) {
                ++lost, lostTrials.insert(t);
                if (lostTrial < 0) lostTrial = int(t), why = r.reason;
            }
            if (r.verdict == Verdict::Pass && r.share && *r.share > worst) worst = *r.share, worstTrial = int(t);
        });
        if (!base::convertible(c.limits.unit, unitOf(s, c))) return; // said already
        if (lost)
            say(Doubt::NotMeasured, &s, c.output, lostTrial, c.name,
                "not measured on " + std::to_string(lostTrials.size()) + " of " + std::to_string(goodTrials.size()) +
                    " good trials: " + why,
                "see why on " + trialName(std::size_t(lostTrial)));
        // A whole number that has to be exactly that leaves no room and needs none.
        const auto l = limitsInValueUnit(m_recipe, s, c);
        const bool exact = l && l->lowest() && l->highest() && *l->lowest() == *l->highest();
        if (worst > 1 - m_thin && !exact)
            say(Doubt::ThinMargin, &s, c.output, worstTrial, c.name,
                "the good part of " + trialName(std::size_t(worstTrial)) + " uses " + percent(worst) +
                    " of the tolerance",
                "measure better, or ask whether the limit is right");
        if (!badTrials.empty() && caughtTrials.empty())
            say(Doubt::NeverFails, &s, c.output, -1, c.name,
                (badTrials.size() == 1 ? std::string("the one bad trial passes it")
                                       : "all " + std::to_string(badTrials.size()) + " bad trials pass it") +
                    ": nothing shows that it can reject",
                "add a picture of a part that is bad in this respect");
    }
    base::Unit unitOf(const Step& s, const Check& c) const
    {
        const StepKind* kind = findKind(s.kind);
        const OutputSpec* spec = kind ? kind->output(c.output) : nullptr;
        return spec ? m_recipe.unitOf(s, *spec) : base::Unit::None;
    }
    void names()
    {
        std::map<std::string, std::vector<std::pair<const Step*, std::string>>> seen;
        for (const Step& s : m_recipe.steps) {
            seen[atAGlance(s.name)].push_back({&s, s.name});
            // A check that is called like its own step is not another name.
            for (const Check& c : s.checks)
                if (atAGlance(c.name) != atAGlance(s.name)) seen[atAGlance(c.name)].push_back({&s, c.name});
        }
        for (const auto& [key, all] : seen) {
            if (all.size() < 2) continue;
            const std::string &first = all[0].second, &other = all[1].second;
            say(Doubt::Names, all[1].first, "", -1, other,
                first == other ? std::to_string(all.size()) + " steps or checks have this name"
                               : "nobody can tell it from \"" + first + "\" at a glance",
                "give it a name of its own");
        }
    }
    void labels()
    {
        int good = 0, bad = 0;
        // One cause rejects many trials: one finding names them all.
        std::vector<std::pair<std::string, std::vector<std::size_t>>> disagreeing;
        const auto disagrees = [&](std::size_t trial, const std::string& text) {
            for (auto& [said, trials] : disagreeing)
                if (said == text) return trials.push_back(trial);
            disagreeing.push_back({text, {trial}});
        };
        for (std::size_t t = 0; t < m_recipe.trials.size(); ++t) {
            good += labelOf(t) == Label::Good, bad += labelOf(t) == Label::Bad;
            const PictureResult* r = t < m_trials.size() ? m_trials[t] : nullptr;
            if (!r) continue;
            if (r->error) {
                say(Doubt::Picture, nullptr, "", int(t), trialName(t), *r->error,
                    "put the picture back, or take it out of the trials");
                continue;
            }
            for (const std::string& w : r->warnings)
                say(Doubt::Picture, nullptr, "", int(t), trialName(t), w,
                    "take it out of the trials, or calibrate for it");
            // Labels of parts whose part is not there: the part was lost, or another picture took the place.
            for (const std::size_t l : labelsWithoutItem(m_recipe, m_recipe.trials[t], *r))
                say(Doubt::Label, nullptr, "", int(t), trialName(t),
                    "the " + std::string(recipe::name(m_recipe.trials[t].items[l].label)) + " part labelled at " +
                        std::to_string(int(std::lround(m_recipe.trials[t].items[l].at.x))) + ", " +
                        std::to_string(int(std::lround(m_recipe.trials[t].items[l].at.y))) + " px was not found",
                    "see why it is not found, or take its label away");
            if (!m_recipe.trials[t].items.empty()) {
                const auto labels = labelsOf(m_recipe, m_recipe.trials[t], *r);
                for (std::size_t i = 0; i < labels.size(); ++i) {
                    const ItemResult& item = r->items[i];
                    const std::string part = "part " + std::to_string(item.number) + " is labelled ";
                    if (labels[i] == Label::Good && item.rejected())
                        disagrees(t, part + "good and rejected: " + item.sentence());
                    if (labels[i] == Label::Bad && item.accepted()) disagrees(t, part + "bad and accepted");
                }
                continue;
            }
            if (labelOf(t) == Label::Good && r->rejected()) {
                std::string why;
                for (const ItemResult& item : r->items)
                    if (item.rejected() && why.empty()) why = item.sentence();
                disagrees(t, "labelled good and rejected" + (why.empty() ? "" : ": " + why));
            } else if (labelOf(t) == Label::Bad && r->accepted()) {
                disagrees(t, "labelled bad and accepted");
            }
        }
        for (const auto& [text, trials] : disagreeing) {
            std::string subject = trialName(trials[0]);
            if (trials.size() > 1) {
                subject = std::to_string(trials.size()) + " trials:";
                for (std::size_t i = 0; i < trials.size() && i < 6; ++i)
                    subject += (i ? ", " : " ") + std::to_string(trials[i] + 1);
                if (trials.size() > 6) subject += ", …";
            }
            say(Doubt::Label, nullptr, "", int(trials[0]), subject, text,
                trials.size() > 1 ? "change the labels or the recipe" : "change the label or the recipe");
        }
        const bool anyJudged = std::any_of(m_recipe.steps.begin(), m_recipe.steps.end(), [](const Step& s) {
            return s.inUse && std::any_of(s.checks.begin(), s.checks.end(), [](const Check& c) { return judged(c); });
        });
        if (!anyJudged)
            say(Doubt::Trials, nullptr, "", -1, m_recipe.name,
                m_recipe.steps.empty() ? "it has no steps: nothing is judged and nothing accepted"
                                       : "no check has limits: nothing is judged and nothing accepted",
                m_recipe.steps.empty() ? "draw what matters on the part" : "give limits to what matters");
        if (m_recipe.steps.empty()) return;
        if (!good)
            say(Doubt::Trials, nullptr, "", -1, m_recipe.name, "no trial is labelled good",
                "label pictures of good parts");
        if (!bad)
            say(Doubt::Trials, nullptr, "", -1, m_recipe.name,
                "no trial is labelled bad: nothing shows that the recipe can reject", "add pictures of bad parts");
    }

    const Recipe& m_recipe;
    const std::vector<const PictureResult*>& m_trials;
    double m_thin;
    std::vector<Finding> m_out;
};
} // namespace

const char* name(Doubt doubt) { return wordsOf(doubt).name; }
const char* title(Doubt doubt) { return wordsOf(doubt).title; }

std::vector<Finding> review(const Recipe& recipe, const std::vector<const PictureResult*>& trials, double thin)
{
    return Reviewer(recipe, trials, thin).all();
}

} // namespace inspect

#include "geometry/matching.h"
#include "inspect/inspect.h"
#include "recipe/expression.h"
#include "recipe/naming.h"

#include <algorithm>
#include <cmath>

namespace inspect
{
using namespace recipe;
using geometry::Point;

namespace
{
std::string unitName(base::Unit u) { return u == base::Unit::None ? "no unit" : base::symbol(u); }

struct Judged {
    Verdict verdict = Verdict::Unjudged;
    std::string reason;
    std::optional<double> share;
};
// The limits as they hold for a value of this unit, or why they cannot be used.
base::Result<Limits> usable(const Recipe& recipe, const Limits& stated, base::Unit unit)
{
    if (!base::convertible(stated.unit, unit))
        return base::fail(base::ErrorCode::InvalidArgument,
                          "limit is in " + unitName(stated.unit) + ", the value in " + unitName(unit));
    auto l = stated.resolved(recipe.toleranceClass);
    if (!l) return base::passOn(l.error());
    return l->in(unit);
}
constexpr double kCoverage = 2; // of the expanded uncertainty: about 95 %

Judged judgeValue(const Limits& l, double x, double guard, base::Unit unit, base::Unit length)
{
    Judged j;
    if (!l.any()) return j;
    j.share = l.share(x);
    const auto text = [&](double v) { return base::toText(v, unit, length); };
    const auto lo = l.lowest(), hi = l.highest();
    if (!l.holds(x)) {
        j.verdict = Verdict::Fail;
        const bool low = lo && x < *lo;
        j.reason = (low ? "at least " : "at most ") + text(low ? *lo : *hi);
        if (text(x) == text(low ? *lo : *hi)) j.reason += " (missed by less than the figures shown)";
        return j;
    }
    // ISO 14253-1: conformity is proved only where the uncertainty cannot reach a limit.
    const double room = std::min(lo ? x - *lo : 1e300, hi ? *hi - x : 1e300);
    if (guard > 0 && room < guard * (1 - 1e-12)) {
        const bool low = lo && x - *lo == room;
        j.verdict = Verdict::Fail;
        j.reason = "within uncertainty: " + text(room) + " from " +
                   (low ? "the lower limit " + text(*lo) : "the upper limit " + text(*hi)) + ", expanded uncertainty " +
                   text(guard);
        return j;
    }
    j.verdict = Verdict::Pass;
    return j;
}

double leastDistance(const std::vector<Point>& places)
{
    double least = 1e300;
    for (std::size_t i = 0; i < places.size(); ++i)
        for (std::size_t k = i + 1; k < places.size(); ++k)
            least = std::min(least, geometry::distance(places[i], places[k]));
    return least;
}
std::string elementName(const Check& check, const StepResult& result, std::size_t i)
{
    if (i < check.elements.size() && !check.elements[i].name.empty()) return check.elements[i].name;
    const std::string own = check.match == Match::Place ? std::string() : result.elementName(check.output, i);
    return own.empty() ? std::to_string(i + 1) : own;
}

// A list in which some elements have no value: c.values are those that have one; where they stand in the list.
struct Listed {
    std::vector<int> value;           // of each element, its index in c.values; -1: missing
    std::vector<std::size_t> element; // of each value
};

void judgeList(const Recipe& recipe, const Check& check, const StepResult& result, const Listed& list, CheckResult& c)
{
    const auto& cal = recipe.calibration;
    // A list with names of its own does not speak of the objects one by one.
    const bool ownNames = result.elementNames.count(check.output) > 0;
    const std::vector<Point> spots = ownNames ? std::vector<Point>() : result.elementPlaces();
    const bool placed = spots.size() == list.value.size();
    std::vector<Point> found; // of each value
    if (placed)
        for (const std::size_t e : list.element) found.push_back(spots[e]);
    const auto picture = [&](Point level) { return cal.bends() ? cal.picture(level) : level; };
    const double guard = c.guard;
    std::string first;
    int failed = 0;
    const auto say = [&](ElementResult e) {
        if (e.verdict == Verdict::Fail || e.verdict == Verdict::NotMeasured) {
            c.verdict = e.verdict == Verdict::Fail || c.verdict == Verdict::Fail ? Verdict::Fail : Verdict::NotMeasured;
            if (++failed <= 3) {
                first += (first.empty() ? "" : "; ");
                if (e.value < 0) first += e.name + " " + (e.says.empty() ? e.reason : e.says);
                else if (e.reason == "surplus") first += e.name;
                else if (!e.says.empty()) first += e.name + " " + e.says;
                else
                    first += "no. " + e.name + " is " +
                             base::toText(c.values[std::size_t(e.value)], c.unit, recipe.shownIn) + ", " + e.reason;
            }
        } else if (e.verdict == Verdict::Pass && c.verdict == Verdict::Unjudged) {
            c.verdict = Verdict::Pass;
        }
        c.elements.push_back(std::move(e));
    };
    // The common limits, or an element's own.
    const auto limitsOf = [&](std::size_t i) -> base::Result<Limits> {
        const bool own = i < check.elements.size() && check.elements[i].own;
        return usable(recipe, own ? *check.elements[i].own : check.limits, c.unit);
    };
    const auto judgeAs = [&](std::size_t element, int value) {
        ElementResult e;
        e.name = elementName(check, result, element);
        e.value = value;
        if (value >= 0) e.listed = int(list.element[std::size_t(value)]);
        else if (check.match != Match::Place && element < list.value.size()) e.listed = int(element);
        if (placed && value >= 0) e.at = picture(found[std::size_t(value)]);
        else if (placed && element < spots.size() && check.match != Match::Place) e.at = picture(spots[element]);
        const auto l = limitsOf(element);
        if (!l) {
            e.verdict = Verdict::NotMeasured, e.reason = l.error().message;
            return e;
        }
        e.nominal = l->nominal, e.low = l->lowest(), e.high = l->highest();
        if (const auto s = result.spreads.find(check.output); s != result.spreads.end() && e.listed >= 0 &&
                                                              std::size_t(e.listed) < s->second.size() &&
                                                              s->second[std::size_t(e.listed)].known)
            e.uncertainty = kCoverage * s->second[std::size_t(e.listed)].sigma();
        if (value < 0) {
            // It is there, and its kind says why it has no value.
            if (e.listed >= 0) e.says = result.elementSays(check.output, std::size_t(e.listed));
            if (!e.says.empty()) {
                e.verdict = Verdict::NotMeasured, e.reason = "no value";
                return e;
            }
            e.verdict = Verdict::Fail, e.reason = "missing";
            if (check.match != Match::Place && element < list.value.size()) ++c.missing;
            return e;
        }
        const Judged j = judgeValue(*l, c.values[std::size_t(value)], guard, c.unit, recipe.shownIn);
        e.verdict = j.verdict, e.reason = j.reason, e.share = j.share;
        if (j.verdict == Verdict::Fail && e.listed >= 0)
            e.says = result.elementSays(check.output, std::size_t(e.listed));
        if (j.share && (!c.share || *j.share > *c.share)) c.share = j.share;
        return e;
    };
    if (check.elements.empty()) {
        for (std::size_t i = 0; i < list.value.size(); ++i) say(judgeAs(i, list.value[i]));
    } else if (check.match == Match::Place) {
        if (!placed && !c.values.empty()) {
            c.verdict = Verdict::NotMeasured;
            c.reason = "this value does not say where each element lies: match by order";
            return;
        }
        std::vector<Point> level, places;
        for (const Element& e : check.elements) level.push_back(cal.bends() ? cal.level(*e.at) : *e.at);
        const double least = leastDistance(level);
        const double reach = (check.reach > 0 ? check.reach : least < 1e300 ? least / 2 : 50) * result.motion.scale;
        for (const Point p : level) places.push_back(result.motion.carry(p));
        const std::vector<int> value = geometry::nearestPairs(places, found, reach);
        std::vector<char> used(found.size(), 0);
        for (std::size_t i = 0; i < check.elements.size(); ++i) {
            ElementResult e = judgeAs(i, value[i]);
            if (value[i] < 0) e.at = picture(places[i]), ++c.missing;
            else used[std::size_t(value[i])] = 1;
            say(std::move(e));
        }
        for (std::size_t i = 0; i < found.size(); ++i) {
            if (used[i]) continue;
            ++c.surplus;
            ElementResult e;
            e.value = int(i), e.listed = int(list.element[i]), e.verdict = Verdict::Fail, e.reason = "surplus";
            e.at = picture(found[i]);
            e.name = "surplus object at " + base::toText(e.at->x, 0) + ", " + base::toText(e.at->y, 0) + " px";
            say(std::move(e));
        }
    } else {
        const std::size_t n = list.value.size();
        for (std::size_t i = 0; i < check.elements.size(); ++i) say(judgeAs(i, i < n ? list.value[i] : -1));
        for (std::size_t i = check.elements.size(); i < n; ++i) {
            ++c.surplus;
            ElementResult e;
            e.name = "surplus value " + std::to_string(i + 1), e.value = list.value[i], e.verdict = Verdict::Fail,
            e.reason = "surplus";
            if (placed) e.at = picture(spots[i]);
            say(std::move(e));
        }
        c.missing += std::max(0, int(check.elements.size()) - int(n));
        if (n != check.elements.size() && failed)
            first = std::to_string(n) + " values for " + std::to_string(check.elements.size()) +
                    " elements: by order each value after a missing or surplus one meets its neighbour's limits (match "
                    "by place to name it); " +
                    first;
    }
    // What is not listed was not judged, and of nothing nothing can be said.
    if (c.values.empty() && !failed) {
        c.verdict = Verdict::NotMeasured;
        c.reason = "no object: there is nothing to judge";
    } else if (result.unlisted > 0) {
        const std::string cut = "the list is cut off: " + std::to_string(result.unlisted) + " objects are not in it";
        if (!failed) c.verdict = Verdict::NotMeasured;
        first += (first.empty() ? "" : "; ") + cut;
        if (!failed) c.reason = cut;
    }
    if (failed) c.reason = first + (failed > 3 ? "; and " + std::to_string(failed - 3) + " more" : "");
}
} // namespace

base::Result<Limits> limitsInValueUnit(const Recipe& recipe, const Step& step, const Check& check)
{
    const StepKind* kind = findKind(step.kind);
    const OutputSpec* spec = kind ? kind->output(check.output) : nullptr;
    if (!spec) return base::fail(base::ErrorCode::NotFound, "the kind has no such value");
    return usable(recipe, check.limits, recipe.unitOf(step, *spec));
}

CheckResult judgeCheck(const Recipe& recipe, const Step& step, const Check& check, const StepResult* result)
{
    CheckResult c;
    c.step = step.id, c.output = check.output, c.name = check.name, c.balloon = check.balloon, c.fault = check.fault;
    const StepKind* kind = findKind(step.kind);
    const OutputSpec* spec = kind ? kind->output(check.output) : nullptr;
    c.unit = spec ? recipe.unitOf(step, *spec) : base::Unit::None;
    c.list = spec && spec->list;
    c.shownIn = recipe.shownIn;
    const auto own =
        std::any_of(check.elements.begin(), check.elements.end(), [](const Element& e) { return e.own.has_value(); });
    const bool judged = check.limits.any() || own || check.match == Match::Place;
    const auto limits = usable(recipe, check.limits, c.unit);
    if (limits) c.nominal = limits->nominal, c.low = limits->lowest(), c.high = limits->highest();
    if (limits && recipe.guardBand && check.uncertainty && base::convertible(check.limits.unit, c.unit))
        c.guard = base::converted(*check.uncertainty, check.limits.unit, c.unit);
    const OutputValue* v = result && result->state == State::Ok ? result->output(check.output) : nullptr;
    if (!v || (!v->list && v->values.empty())) {
        // A part that was asked for and is absent is a fault; a value that cannot be worked out is not.
        c.verdict = judged && result && result->absent ? Verdict::Fail : Verdict::NotMeasured;
        c.reason = !result ? "not run" : result->reason.empty() ? "no value" : result->reason;
        return c;
    }
    Listed list;
    for (std::size_t i = 0; i < v->values.size(); ++i) {
        const bool there = !std::isnan(v->values[i]);
        list.value.push_back(there ? int(c.values.size()) : -1);
        if (!there) continue;
        list.element.push_back(i);
        c.values.push_back(v->values[i]);
    }
    if (!c.list && c.values.empty()) {
        c.verdict = Verdict::NotMeasured, c.reason = "no value";
        return c;
    }
    if (const auto s = result->spreads.find(check.output); s != result->spreads.end())
        for (const Spread& one : s->second)
            if (const double u = kCoverage * one.sigma(); one.known && (!c.uncertainty || u > *c.uncertainty))
                c.uncertainty = u;
    if (recipe.guardBand && recipe.guardMeasured && !check.uncertainty && c.uncertainty) c.guard = *c.uncertainty;
    if (!judged) return c;
    if (!limits && (check.limits.any() || !base::convertible(check.limits.unit, c.unit))) {
        c.verdict = Verdict::NotMeasured;
        c.reason = limits.error().message;
        return c;
    }
    if (c.list) {
        judgeList(recipe, check, *result, list, c);
        return c;
    }
    const Judged j = judgeValue(*limits, c.values.front(), c.guard, c.unit, recipe.shownIn);
    c.verdict = j.verdict, c.reason = j.reason, c.share = j.share;
    return c;
}

namespace
{
// How many elements of a check failed, are missing or too many; 1 or 0 for a single value. Nothing, and `missing` says
// why, when it was not measured.
std::optional<double> countOf(const Recipe& recipe, const ItemResult& item, const Naming& n, std::string& missing)
{
    const CheckResult* found = nullptr;
    for (const CheckResult& c : item.checks)
        if (c.step == n.step && (n.output.empty() ? !found || (c.list && !found->list) : c.output == n.output))
            found = &c;
    if (!found) return {}; // the formula says so, at the character
    if (found->verdict == Verdict::NotMeasured) {
        const Step* s = recipe.find(n.step);
        missing = "\"" + (s ? s->name : n.step) + "\" was not measured" +
                  (found->reason.empty() ? "" : " (" + found->reason + ")");
        return {};
    }
    if (n.count == "missing") return found->missing;
    if (n.count == "surplus") return found->surplus;
    return found->list ? double(found->failed().size()) : found->verdict == Verdict::Fail ? 1.0 : 0.0;
}
} // namespace

std::map<std::string, NamedValue> namedResults(const Recipe& recipe, const ItemResult& item, const std::string& text,
                                               std::string& missing)
{
    std::map<std::string, NamedValue> out;
    for (const Naming& n : namings(text)) {
        const Step* s = recipe.find(n.step);
        const StepKind* kind = s ? findKind(s->kind) : nullptr;
        if (!kind) continue; // the formula says so, at the character
        if (!n.count.empty()) {
            const auto v = countOf(recipe, item, n, missing);
            if (!missing.empty()) return {};
            if (v) out[n.key()] = {base::Unit::None, false, {*v}};
            continue;
        }
        const OutputSpec* spec = !n.output.empty() ? kind->output(n.output) : kind->mainOutput();
        if (!spec && n.output.empty() && !kind->outputs.empty()) spec = &kind->outputs.front();
        if (!spec) continue;
        const StepResult* r = item.step(s->id);
        const OutputValue* v = r && r->state == State::Ok ? r->output(spec->key) : nullptr;
        if (!v) {
            missing = "\"" + s->name + "\" was not measured" + (r && !r->reason.empty() ? " (" + r->reason + ")" : "");
            return {};
        }
        if (v->list && r->unlisted > 0) {
            missing =
                "the list of \"" + s->name + "\" is cut off: " + std::to_string(r->unlisted) + " objects are not in it";
            return {};
        }
        for (std::size_t i = 0; i < v->values.size(); ++i)
            if (std::isnan(v->values[i])) {
                const std::string own = r->elementName(v->name, i);
                missing = "\"" + s->name + "\": " + (own.empty() ? std::to_string(i + 1) : own) + " is missing";
                return {};
            }
        out[n.key()] = {v->unit, v->list, v->values};
    }
    return out;
}

base::Result<double> totalOf(const Recipe& recipe, const Total& total, const ItemResult& item)
{
    std::string missing;
    const auto values = namedResults(recipe, item, total.expression, missing);
    if (!missing.empty()) return base::fail(base::ErrorCode::NoResult, missing);
    return evaluateFormula(total.expression, values);
}

void Totals::add(const Recipe& recipe, const PictureResult& result)
{
    if (m_sums.size() != recipe.totals.size()) m_sums.assign(recipe.totals.size(), {});
    for (const ItemResult& item : result.items) {
        ++m_items;
        for (std::size_t i = 0; i < recipe.totals.size(); ++i) {
            const auto v = totalOf(recipe, recipe.totals[i], item);
            if (v) m_sums[i].value += *v, ++m_sums[i].items;
            else ++m_sums[i].left;
            if (!v) m_sums[i].reason = v.error().message;
        }
    }
}

namespace
{
// 1 for a check that passes or has no limits, 0 for one that fails or was not measured; by "step.output" and by "step"
// for its first check.
std::map<std::string, NamedValue> verdictsOf(const ItemResult& item, const Recipe& recipe)
{
    std::map<std::string, NamedValue> out;
    for (const CheckResult& c : item.checks) {
        const double v = c.verdict == Verdict::Pass || c.verdict == Verdict::Unjudged ? 1 : 0;
        out[c.step + "." + c.output] = {base::Unit::None, false, {v}};
        out.try_emplace(c.step, NamedValue{base::Unit::None, false, {v}});
    }
    for (const Step& s : recipe.steps) {
        const StepResult* r = item.step(s.id);
        out.try_emplace(s.id, NamedValue{base::Unit::None, false, {r && r->state == State::Ok ? 1.0 : 0.0}});
    }
    return out;
}
} // namespace

namespace
{
// A rule judges when something it names was judged: a check with limits, or a step without a check that was found or
// not.
bool ruleJudges(const Recipe& recipe, const ItemResult& item)
{
    for (const Naming& n : namings(recipe.rule)) {
        const Step* s = recipe.find(n.step);
        if (s && s->checks.empty()) return true;
        for (const CheckResult& c : item.checks)
            if (c.step == n.step && (n.output.empty() || n.output == c.output) && c.verdict != Verdict::Unjudged)
                return true;
    }
    return false;
}
} // namespace

void judge(const Recipe& recipe, PictureResult& result)
{
    for (ItemResult& item : result.items) {
        item.checks.clear();
        item.checks.reserve(recipe.steps.size());
        item.reason.clear();
        bool bad = false, judged = false, surplus = false;
        for (std::size_t i = 0; i < recipe.steps.size(); ++i) {
            const Step& s = recipe.steps[i];
            if (!s.inUse) continue;
            const StepResult* r =
                i < item.steps.size() && item.steps[i]->step == s.id ? item.steps[i].get() : item.step(s.id);
            if (r && r->surplus && !surplus) surplus = bad = true, item.reason = s.name + ": " + r->reason;
            if ((!r || r->state != State::Ok) && !bad) {
                bad = true;
                item.reason = s.name + ": " + (r ? r->reason : std::string("not run"));
            }
            for (const Check& c : s.checks) item.checks.push_back(judgeCheck(recipe, s, c, r));
        }
        for (const CheckResult& c : item.checks) {
            bad = bad || c.verdict == Verdict::Fail || c.verdict == Verdict::NotMeasured;
            judged = judged || c.verdict != Verdict::Unjudged;
        }
        item.outcome = bad ? Outcome::Reject : judged ? Outcome::Accept : Outcome::Unjudged;
        // A rule of the recipe's own decides instead; a rule that cannot be worked out accepts nothing, and one that
        // names nothing judged neither.
        if (!recipe.rule.empty() && !surplus) {
            auto values = verdictsOf(item, recipe);
            std::string missing;
            for (const Naming& n : namings(recipe.rule))
                if (!n.count.empty())
                    if (const auto count = countOf(recipe, item, n, missing))
                        values[n.key()] = {base::Unit::None, false, {*count}};
            const auto v = missing.empty() ? evaluateFormula(recipe.rule, values)
                                           : base::Result<double>(base::fail(base::ErrorCode::NoResult, missing));
            item.outcome = !v || *v == 0              ? Outcome::Reject
                           : ruleJudges(recipe, item) ? Outcome::Accept
                                                      : Outcome::Unjudged;
            if (!v) item.reason = "the item's rule: " + v.error().message;
            else if (!item.rejected()) item.reason.clear();
            else if (item.reason.empty()) item.reason = "the item's rule is not met";
        }
        item.word = item.accepted() ? recipe.acceptWord : item.rejected() ? recipe.rejectWord : "UNJUDGED";
    }
}

} // namespace inspect

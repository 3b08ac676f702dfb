#include "inspect/proposals.h"

#include "inspect/labels.h"

#include <algorithm>
#include <cmath>

namespace inspect
{
using namespace recipe;
using base::ErrorCode;
using base::fail;

std::string Proposal::words(base::Unit length) const
{
    const base::Unit shown = base::shownAs(unit, length);
    const auto n = std::to_string(good.size());
    return (labelled ? "proposed from " + n + " good: "
                     : "proposed from " + n + " unlabelled values, no trial is labelled good: ") +
           limits.in(shown).text() + " " + base::symbol(shown) + "; passes " + std::to_string(goodPass) +
           " good, fails " + std::to_string(badCaught) + " of " + std::to_string(bad.size()) + " bad; margin " +
           base::toText(margin, unit, length);
}

base::Result<Proposal> proposeLimits(const std::vector<double>& good, const std::vector<double>& bad, base::Unit unit,
                                     const ValueSense& sense)
{
    using Better = OutputSpec::Better;
    if (good.empty()) return fail(ErrorCode::NoResult, "no good part has this value");
    Proposal p;
    p.unit = unit, p.good = good, p.bad = bad;
    p.limits.unit = unit;
    const auto [lowest, highest] = std::minmax_element(good.begin(), good.end());
    const auto isWhole = [](double v) { return v == std::floor(v); };
    const bool whole = unit == base::Unit::None && std::all_of(good.begin(), good.end(), isWhole) &&
                       std::all_of(bad.begin(), bad.end(), isWhole) && sense.better == Better::Within;
    if (whole) {
        p.limits.low = *lowest, p.limits.high = *highest;
    } else {
        const double grain = std::pow(10.0, -(base::decimals(unit) + (unit == base::Unit::None ? 3 : 0)));
        const double spread = std::max(*highest - *lowest, grain * 4);
        // The nearest bad value on each side; the limit stands in the middle of that gap.
        std::optional<double> below, above;
        for (const double b : bad) {
            if (b < *lowest && (!below || b > *below)) below = b;
            if (b > *highest && (!above || b < *above)) above = b;
        }
        const double low = below ? (*below + *lowest) / 2 : *lowest - spread / 2,
                     high = above ? (*above + *highest) / 2 : *highest + spread / 2;
        if (sense.better != Better::Less) p.limits.low = std::min(*lowest, std::floor(low / grain) * grain);
        if (sense.better != Better::More) p.limits.high = std::max(*highest, std::ceil(high / grain) * grain);
    }
    // Nothing is limited beyond what the value can be: a share ends at 0 and 100 %, a size at 0.
    if (p.limits.low && sense.least && *p.limits.low <= *sense.least) {
        p.limits.low = *sense.least;
        if (sense.better == Better::Within && p.limits.high && unit != base::Unit::Percent) p.limits.low.reset();
    }
    if (p.limits.high && sense.most && *p.limits.high > *sense.most) p.limits.high = std::max(*highest, *sense.most);
    if (unit == base::Unit::Percent) {
        if (p.limits.low) p.limits.low = std::max(0.0, *p.limits.low);
        if (p.limits.high) p.limits.high = std::max(*highest, std::min(100.0, *p.limits.high));
    }
    p.margin =
        std::min(p.limits.low ? *lowest - *p.limits.low : 1e300, p.limits.high ? *p.limits.high - *highest : 1e300);
    for (const double v : good) p.goodPass += p.limits.holds(v);
    for (const double v : bad) p.badCaught += !p.limits.holds(v);
    return p;
}

base::Result<Proposal> proposeFor(const Recipe& recipe, const std::vector<const PictureResult*>& trials,
                                  const std::string& step, const std::string& output)
{
    const bool anyGood = std::any_of(recipe.trials.begin(), recipe.trials.end(), [](const Trial& t) {
        return t.label == Label::Good ||
               std::any_of(t.items.begin(), t.items.end(), [](const ItemLabel& i) { return i.label == Label::Good; });
    });
    std::vector<double> good, bad;
    base::Unit unit = base::Unit::None;
    std::string name;
    for (std::size_t i = 0; i < trials.size() && i < recipe.trials.size(); ++i) {
        if (!trials[i]) continue;
        const auto labels = labelsOf(recipe, recipe.trials[i], *trials[i]);
        for (std::size_t k = 0; k < labels.size(); ++k)
            if (const CheckResult* c = trials[i]->items[k].check(step, output); c && !c->values.empty()) {
                const Label label = labels[k];
                unit = c->unit, name = c->name;
                if (label == Label::Open && anyGood) continue;
                auto& to = label == Label::Bad ? bad : good;
                to.insert(to.end(), c->values.begin(), c->values.end());
            }
    }
    ValueSense sense;
    if (const Step* s = recipe.find(step))
        if (const StepKind* kind = findKind(s->kind))
            if (const OutputSpec* spec = kind->output(output)) {
                // Where a length or an area ends is 0 in every unit.
                sense = {spec->better, spec->least, spec->most};
                const bool size = spec->unit == base::Unit::SquarePixel ||
                                  (spec->unit == base::Unit::Pixel && spec->better == OutputSpec::Better::Less);
                if (size && !sense.least) sense.least = 0.0;
            }
    auto p = proposeLimits(good, bad, unit, sense);
    if (p) p->step = step, p->output = output, p->name = name, p->labelled = anyGood;
    return p;
}

std::vector<Proposal> proposeAll(const Recipe& recipe, const std::vector<const PictureResult*>& trials)
{
    std::vector<Proposal> out;
    for (const Step& s : recipe.steps)
        for (const Check& c : s.checks)
            if (s.inUse)
                if (auto p = proposeFor(recipe, trials, s.id, c.output)) out.push_back(std::move(*p));
    return out;
}

base::Result<Proposal> proposeFromPair(const Recipe& recipe, const PictureResult& complete, const PictureResult& gap,
                                       const std::string& step, const std::string& output)
{
    struct Seen {
        std::vector<double> values;
        base::Unit unit = base::Unit::None;
        std::string name;
        int missing = 0; // elements that have no value
    };
    const auto valuesOf = [&](const PictureResult& r, const char* which) -> base::Result<Seen> {
        Seen out;
        for (const ItemResult& item : r.items)
            if (const CheckResult* c = item.check(step, output)) {
                out.unit = c->unit, out.name = c->name;
                out.values.insert(out.values.end(), c->values.begin(), c->values.end());
                const StepResult* s = item.step(step);
                if (const OutputValue* v = s && s->state == State::Ok ? s->output(output) : nullptr)
                    out.missing +=
                        int(std::count_if(v->values.begin(), v->values.end(), [](double x) { return std::isnan(x); }));
            }
        if (out.values.empty())
            return fail(ErrorCode::NoResult, std::string("the ") + which + " sample has no value of this check");
        return out;
    };
    const auto full = valuesOf(complete, "complete"), open = valuesOf(gap, "incomplete");
    if (!full) return base::passOn(full.error());
    if (!open) return base::passOn(open.error());
    if (full->missing > 0)
        return fail(ErrorCode::InvalidArgument,
                    std::to_string(full->missing) + " of the complete sample's elements are missing: " +
                        (open->missing > 0 ? "it is not complete" : "both samples seem to be swapped"));
    // A height fails above as well as below: another one may lie on top.
    const Step* of = recipe.find(step);
    const StepKind* kind = of ? findKind(of->kind) : nullptr;
    const OutputSpec* spec = kind ? kind->output(output) : nullptr;
    const bool height = spec && spec->list && spec->unit == base::Unit::Millimetre &&
                        spec->better == OutputSpec::Better::Within && !kind->pictures.empty() &&
                        kind->pictures.front().height;
    // A gap lowers what is counted or covered: the least of the incomplete sample against the least of the complete
    // one.
    const double a = *std::min_element(full->values.begin(), full->values.end()),
                 b = *std::min_element(open->values.begin(), open->values.end());
    const auto text = [&](double v) { return base::toText(v, full->unit); };
    const double top = *std::max_element(full->values.begin(), full->values.end());
    // Its gap has no height at all and is missing whatever the limits are: they come from the complete one alone.
    const bool noPoint = height && open->missing > 0 && b > a - 0.25 * std::abs(a);
    if (noPoint) {
        Proposal p;
        p.step = step, p.output = output, p.name = full->name, p.unit = full->unit;
        p.good = full->values, p.bad = open->values;
        p.limits.unit = full->unit;
        p.margin = std::max(top - a, 0.1 * std::abs((top + a) / 2));
        p.limits.low = a - p.margin, p.limits.high = top + p.margin;
        p.goodPass = int(p.good.size()), p.badCaught = open->missing;
        return p;
    }
    if (std::abs(a - b) <= 1e-9 * std::max(1.0, std::abs(a)))
        return fail(ErrorCode::InvalidArgument, "both samples show " + text(a) + ": nothing tells them apart");
    if (b > a)
        return fail(ErrorCode::InvalidArgument, "the sample with a gap shows " + text(b) +
                                                    ", more than the complete one with " + text(a) +
                                                    ": they seem to be swapped");
    Proposal p;
    p.step = step, p.output = output, p.name = full->name, p.unit = full->unit;
    p.good = full->values, p.bad = open->values;
    p.limits.unit = full->unit;
    const bool whole = full->unit == base::Unit::None && a == std::floor(a) && b == std::floor(b);
    p.limits.low = whole ? std::floor((a + b) / 2) + 1 : (a + b) / 2;
    p.margin = a - *p.limits.low;
    if (height) p.limits.high = top + p.margin;
    for (const double v : p.good) p.goodPass += p.limits.holds(v);
    for (const double v : p.bad) p.badCaught += !p.limits.holds(v);
    p.badCaught += open->missing;
    return p;
}

base::Result<Check> fromThisPart(const Recipe& recipe, const ItemResult& item, const Check& check,
                                 const std::string& step, double tolerance, bool byPlace)
{
    const Step* s = recipe.find(step);
    const StepResult* r = item.step(step);
    const OutputValue* v = r && r->state == State::Ok ? r->output(check.output) : nullptr;
    if (!s || !v || v->values.empty()) return fail(ErrorCode::NoResult, "this part has no value of this check");
    if (!(tolerance >= 0)) return fail(ErrorCode::OutOfRange, "the tolerance must not be below 0");
    // Typed in the unit lengths are shown in, kept in it.
    const base::Unit unit = base::shownAs(v->unit, recipe.shownIn);
    const double grain = std::pow(10.0, -(base::decimals(unit) + (unit == base::Unit::None ? 3 : 0)));
    const auto limits = [&](double value) {
        Limits l;
        l.unit = unit;
        l.nominal = std::round(base::converted(value, v->unit, unit) / grain) * grain;
        l.plus = l.minus = tolerance, l.hasTolerance = true;
        return l;
    };
    Check out = check;
    out.elements.clear();
    out.match = Match::Order;
    if (!v->list) {
        out.limits = limits(v->values.front());
        return out;
    }
    const std::vector<geometry::Point> at = r->elementPlaces();
    if (byPlace && at.size() != v->values.size())
        return fail(ErrorCode::InvalidArgument, "this value does not say where each element lies: match by order");
    const geometry::Motion back = r->motion.inverse();
    for (std::size_t i = 0; i < v->values.size(); ++i) {
        Element e;
        e.own = limits(v->values[i]);
        if (byPlace)
            e.at = recipe.calibration.bends() ? recipe.calibration.picture(back.carry(at[i])) : back.carry(at[i]);
        out.elements.push_back(std::move(e));
    }
    if (byPlace) out.match = Match::Place;
    out.limits = Limits{};
    out.limits.unit = unit;
    return out;
}

} // namespace inspect

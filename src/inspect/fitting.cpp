#include "inspect/fitting.h"

#include "inspect/labels.h"

#include <algorithm>
#include <cmath>

namespace inspect
{
using namespace recipe;
using base::ErrorCode;
using base::fail;

std::vector<int> trialsThatCount(const Recipe& recipe, const std::vector<const PictureResult*>& results,
                                 const std::string& step, const std::string& output)
{
    std::vector<int> out;
    for (std::size_t t = 0; t < recipe.trials.size(); ++t) {
        const Label label = labelOf(recipe.trials[t]);
        if (label == Label::Good) out.push_back(int(t));
        if (label != Label::Bad || t >= results.size() || !results[t]) continue;
        // What reads this step is not measured when it fails; that says nothing of its own.
        const bool elsewhere =
            std::any_of(results[t]->items.begin(), results[t]->items.end(), [&](const ItemResult& i) {
                return std::any_of(i.checks.begin(), i.checks.end(), [&](const CheckResult& c) {
                    const Step* s = recipe.find(c.step);
                    const auto reads = s ? Recipe::reads(*s) : std::vector<std::string>();
                    const bool follows = std::find(reads.begin(), reads.end(), step) != reads.end();
                    if (c.step == step && c.output == output) return false;
                    return c.verdict == Verdict::Fail ||
                           (c.verdict == Verdict::NotMeasured && !follows && c.step != step);
                });
            });
        if (!elsewhere) out.push_back(int(t));
    }
    return out;
}

std::vector<const ParamSpec*> settingsToFit(const Step& step)
{
    std::vector<const ParamSpec*> out;
    const StepKind* kind = findKind(step.kind);
    if (!kind) return out;
    for (const ParamSpec& p : kind->params) {
        const auto* r = std::get_if<Real>(&p.domain);
        const bool stated = std::find(kind->lengths.begin(), kind->lengths.end(), p.key) != kind->lengths.end();
        if (r && !stated && p.unit != base::Unit::Degree) out.push_back(&p);
    }
    std::stable_sort(out.begin(), out.end(), [](const auto* a, const auto* b) { return a->primary > b->primary; });
    return out;
}

std::vector<double> valuesToTry(const ParamSpec& setting, double now, int count)
{
    const auto* r = std::get_if<Real>(&setting.domain);
    if (!r) return {};
    double low = r->usualMax > r->usualMin ? r->usualMin : r->min,
           high = r->usualMax > r->usualMin ? r->usualMax : r->max;
    // Near the present value first: a range of many decades says little about where to look.
    if (now > 0 && low >= 0 && high > 40 * now) high = std::max(now * 8, low + 8 * r->step);
    if (now > 0 && low >= 0 && now > 40 * std::max(low, r->step)) low = std::max(low, now / 8);
    low = std::clamp(low, r->min, r->max), high = std::clamp(high, r->min, r->max);
    const bool ratio = low > 0 && high / low > 12;
    const double grain = std::min(r->step, 0.5);
    std::vector<double> out{now};
    for (int i = 0; i < count; ++i) {
        const double f = double(i) / std::max(1, count - 1);
        const double x = ratio ? low * std::pow(high / low, f) : low + (high - low) * f;
        out.push_back(std::clamp(std::round(x / grain) * grain, r->min, r->max));
    }
    std::sort(out.begin(), out.end());
    out.erase(std::unique(out.begin(), out.end(), [](double a, double b) { return std::abs(a - b) < 1e-9; }),
              out.end());
    return out;
}

SettingMargin marginOf(const std::vector<std::vector<double>>& good, const std::vector<std::vector<double>>& bad,
                       const Limits& limits)
{
    SettingMargin m;
    m.good = int(good.size()), m.bad = int(bad.size());
    double low = INFINITY, high = -INFINITY;
    for (const auto& values : good) {
        if (values.empty()) ++m.goodLost;
        for (const double v : values) low = std::min(low, v), high = std::max(high, v);
    }
    if (m.goodLost > 0) {
        m.margin = -double(m.goodLost) / std::max(1, m.good);
        return m;
    }
    const double spread = high - low, size = 0.02 * std::max(std::abs(low), std::abs(high)) + 1e-9;
    if (bad.empty()) { // how far the good ones keep from their limits
        double used = 0;
        for (const auto& values : good)
            for (const double v : values) {
                const auto share = limits.share(v);
                if (share) used = std::max(used, *share);
                else if (!limits.holds(v)) used = 2;
                else {
                    const double edge = limits.lowest()    ? v - *limits.lowest()
                                        : limits.highest() ? *limits.highest() - v
                                                           : 0;
                    used = std::max(used, 1 - edge / (edge + spread + size));
                }
            }
        m.margin = std::clamp(1 - used, -1.0, 1.0);
        return m;
    }
    double gap = INFINITY;
    for (const auto& values : bad) {
        if (values.empty()) continue; // not measured: rejected anyway
        double off = -INFINITY;       // its most telling value
        for (const double v : values) off = std::max(off, std::max(low - v, v - high));
        if (off <= 0) ++m.badAmong;
        gap = std::min(gap, off);
    }
    if (m.badAmong > 0) m.margin = -double(m.badAmong) / m.bad;
    else m.margin = std::isinf(gap) ? 1 : gap / (gap + spread + size);
    return m;
}

SettingSearch::SettingSearch(Recipe recipe, std::string step, std::string output, std::vector<int> trials,
                             Reader reader)
    : m_recipe(std::move(recipe)), m_step(std::move(step)), m_output(std::move(output)), m_trials(std::move(trials)),
      m_reader(std::move(reader)), m_results(m_trials.size())
{
}

base::Result<SettingMargin> SettingSearch::at(const std::string& setting, double value, const std::atomic<bool>* cancel)
{
    Recipe r = m_recipe;
    Step* s = r.find(m_step);
    const StepKind* kind = s ? findKind(s->kind) : nullptr;
    const ParamSpec* spec = kind ? kind->param(setting) : nullptr;
    if (!spec) return fail(ErrorCode::NotFound, "no setting \"" + setting + "\"");
    spec->put(s->params, value);
    if (auto ok = kind->consistent(s->params); !ok) return base::passOn(ok.error());
    const Check* check = nullptr;
    for (const Check& c : s->checks)
        if (c.output == m_output) check = &c;
    if (!check) return fail(ErrorCode::NotFound, "the step has no check on \"" + m_output + "\"");
    const auto limits = limitsInValueUnit(r, *s, *check);
    const bool anyBad = std::any_of(m_trials.begin(), m_trials.end(),
                                    [&](int t) { return labelOf(r.trials[std::size_t(t)]) == Label::Bad; });
    const bool anyGood = std::any_of(m_trials.begin(), m_trials.end(),
                                     [&](int t) { return labelOf(r.trials[std::size_t(t)]) == Label::Good; });
    if (!anyGood) return fail(ErrorCode::NoResult, "label good trials first (G)");
    if (!anyBad && (!limits || !limits->any()))
        return fail(ErrorCode::NoResult,
                    "label a bad trial this check must tell apart, or give the check limits to keep clear of");
    auto prepared = Prepared::make(r, m_before ? &*m_before : nullptr);
    if (!prepared) return base::passOn(prepared.error());
    std::vector<std::vector<double>> good, bad;
    for (std::size_t i = 0; i < m_trials.size(); ++i) {
        if (cancel && *cancel) return fail(ErrorCode::Cancelled, "cancelled");
        const Trial& trial = r.trials[std::size_t(m_trials[i])];
        const auto capture = m_reader(trial.picture);
        if (!capture) return base::passOn(capture.error());
        m_results[i] = evaluate(*prepared, **capture, m_before ? &m_results[i] : nullptr, cancel, 2);
        // Of a picture whose parts were labelled each part counts by its own label.
        const auto labels = labelsOf(r, trial, m_results[i]);
        for (const Label side : {Label::Good, Label::Bad}) {
            if (trial.items.empty() && trial.label != side) continue;
            std::vector<double> values;
            bool any = trial.items.empty();
            for (std::size_t k = 0; k < labels.size(); ++k) {
                if (labels[k] != side) continue;
                any = true;
                if (const CheckResult* c = m_results[i].items[k].check(m_step, m_output))
                    values.insert(values.end(), c->values.begin(), c->values.end());
            }
            if (any) (side == Label::Good ? good : bad).push_back(std::move(values));
        }
    }
    m_before = std::move(*prepared);
    SettingMargin m = marginOf(good, bad, limits ? *limits : Limits{});
    m.setting = value;
    return m;
}

int bestOf(const std::vector<SettingMargin>& tried)
{
    double widest = 0;
    for (const SettingMargin& m : tried) widest = std::max(widest, m.margin);
    if (widest <= 0) return -1;
    int best = -1;
    std::size_t longest = 0;
    for (std::size_t i = 0; i < tried.size();) {
        if (tried[i].margin < 0.97 * widest) {
            ++i;
            continue;
        }
        std::size_t end = i;
        while (end < tried.size() && tried[end].margin >= 0.97 * widest) ++end;
        if (end - i > longest) longest = end - i, best = int(i + (end - i - 1) / 2);
        i = end;
    }
    return best;
}

} // namespace inspect

#include "proof/margins.h"

#include <algorithm>
#include <cmath>

namespace proof
{
using inspect::Verdict;

namespace
{
constexpr double k95 = 1.6448536269514722;
constexpr int kFew = 5; // good values without a spread worth naming
double tail(double z) { return 0.5 * std::erfc(z / std::sqrt(2.0)); }
// How many spreads away a limit surely is (95 %), seen `k` spreads away in n values.
double surely(double k, int n) { return k - k95 * std::sqrt(1.0 / n + k * k / (2.0 * (n - 1))); }
} // namespace

double shareBound(int k, int n)
{
    if (n <= 0) return 1;
    if (k >= n) return 1;
    // Clopper and Pearson by halving: the share at which so few are seen once in twenty times.
    double low = double(k) / n, high = 1;
    for (int i = 0; i < 60; ++i) {
        const double p = (low + high) / 2;
        double sum = 0, term = std::pow(1 - p, n);
        for (int j = 0; j <= k; ++j) {
            sum += term;
            term *= p / (1 - p) * double(n - j) / double(j + 1);
        }
        (sum > 0.05 ? low : high) = p;
    }
    return (low + high) / 2;
}
int Margins::neededFor(double share)
{
    return share > 0 && share < 1 ? int(std::ceil(std::log(0.05) / std::log(1 - share))) : 0;
}

Margins margins(const recipe::Recipe& recipe, const std::vector<Sample>& samples)
{
    Margins out;
    for (const Sample& s : samples) {
        ++(s.bad ? out.bad : out.good);
        if (s.bad && s.result.accepted()) ++out.passedBad;
        if (!s.bad && !s.result.accepted()) ++out.rejectedGood;
    }
    out.goodBound = shareBound(out.rejectedGood, out.good), out.badBound = shareBound(out.passedBad, out.bad);
    for (const recipe::Step& step : recipe.steps) {
        const auto* kind = recipe::findKind(step.kind);
        if (!kind || !step.inUse) continue;
        for (const recipe::Check& check : step.checks) {
            const auto* spec = kind->output(check.output);
            const auto limits = inspect::limitsInValueUnit(recipe, step, check);
            if (!spec || !limits || !check.limits.any()) continue;
            Margin m;
            m.step = step.id, m.output = check.output, m.name = check.name.empty() ? step.name : check.name;
            m.balloon = check.balloon;
            const auto low = limits->lowest(), high = limits->highest();
            // What a formula means nobody knows but who wrote it.
            m.oneSided = spec->unitParam.empty() && spec->better == recipe::OutputSpec::Better::Within &&
                         (low.has_value() != high.has_value()) && !(spec->least && high && !low && *spec->least >= 0);
            std::vector<double> good;
            std::optional<double> nearestBad;
            const auto beyond = [&](double v) { return std::max(low ? *low - v : -1e300, high ? v - *high : -1e300); };
            for (const Sample& s : samples)
                for (const auto& item : s.result.items) {
                    const auto* c = item.check(step.id, check.output);
                    if (!c || c->values.empty()) continue;
                    // Of a list the one that lies worst.
                    double worst = c->values.front();
                    for (const double v : c->values)
                        if (beyond(v) > beyond(worst)) worst = v;
                    if (!s.bad) good.push_back(worst), ++m.good;
                    else if (beyond(worst) > 0) {
                        ++m.bad;
                        if (!nearestBad || beyond(worst) < *nearestBad) nearestBad = beyond(worst);
                    }
                }
            if (int(good.size()) >= kFew) {
                double mean = 0, var = 0;
                for (const double v : good) mean += v / double(good.size());
                for (const double v : good) var += (v - mean) * (v - mean) / double(good.size() - 1);
                const double spread = std::sqrt(var);
                if (spread > 1e-12) {
                    double rejected = 0, bound = 0;
                    double nearest = 1e300;
                    for (const auto& [limit, sign] : {std::pair{low, -1.0}, {high, 1.0}}) {
                        if (!limit) continue;
                        const double k = (*limit - mean) * sign / spread;
                        nearest = std::min(nearest, k);
                        rejected += tail(k), bound += tail(surely(k, int(good.size())));
                    }
                    m.goodSpreads = nearest, m.rejected = rejected, m.rejectedBound = std::min(1.0, bound);
                    if (low && high) m.widthSpreads = (*high - *low) / spread;
                    if (nearestBad) m.badSpreads = *nearestBad / spread;
                }
            }
            out.checks.push_back(std::move(m));
        }
    }
    return out;
}

} // namespace proof

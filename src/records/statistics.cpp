#include "records/statistics.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>
#include <tuple>

namespace records
{
namespace
{
constexpr double kD2 = 1.128, kD4 = 3.267; // ranges of two, ISO 7870-2
}

double processSpread(double meanMovingRange) { return meanMovingRange / kD2; }

std::pair<std::optional<double>, std::optional<double>>
capability(double mean, double spread, std::optional<double> low, std::optional<double> high)
{
    std::pair<std::optional<double>, std::optional<double>> out;
    if (!(spread > 0) || (!low && !high) || (low && high && !(*high > *low)))
        return out; // a count has no spread to fit
    if (low && high) out.first = (*high - *low) / (6 * spread);
    double nearer = 1e300;
    if (low) nearer = std::min(nearer, mean - *low);
    if (high) nearer = std::min(nearer, *high - mean);
    out.second = nearer / (3 * spread);
    return out;
}

Statistics statisticsOf(const std::vector<double>& values, std::optional<double> low, std::optional<double> high)
{
    Statistics s;
    s.count = values.size();
    if (values.empty()) return s;
    const double n = double(values.size());
    s.least = s.most = values.front();
    for (const double v : values) {
        s.mean += v / n;
        s.least = std::min(s.least, v), s.most = std::max(s.most, v);
        s.outOfTolerance += (low && v < *low) || (high && v > *high);
    }
    if (values.size() < 2) {
        s.upperControl = s.lowerControl = s.mean;
        return s;
    }
    double squares = 0, ranges = 0;
    for (std::size_t i = 0; i < values.size(); ++i) {
        squares += (values[i] - s.mean) * (values[i] - s.mean);
        if (i > 0) ranges += std::abs(values[i] - values[i - 1]);
    }
    s.deviation = s.most > s.least ? std::sqrt(squares / (n - 1)) : 0; // a mean rounds
    s.movingRange = ranges / (n - 1);
    s.within = processSpread(s.movingRange);
    s.upperControl = s.mean + 3 * s.within, s.lowerControl = s.mean - 3 * s.within;
    s.upperRange = kD4 * s.movingRange;
    for (std::size_t i = 0; i < values.size(); ++i)
        if (values[i] > s.upperControl || values[i] < s.lowerControl) s.beyond.push_back(i);
    std::tie(s.cp, s.cpk) = capability(s.mean, s.within, low, high);
    std::tie(s.pp, s.ppk) = capability(s.mean, s.deviation, low, high);
    return s;
}

namespace
{
// Mean of the range of `n` and mean of its square, by sums over steps of `step` (Tippett, 1925).
std::pair<double, double> rangeMoments(int n, double step)
{
    constexpr double kEnd = 7;
    const int nodes = int(2 * kEnd / step) + 1;
    std::vector<double> below, lowPower, highPower; // of the distribution; to the n-th from below and from above
    for (int i = 0; i < nodes; ++i) {
        const double f = 0.5 * std::erfc((kEnd - i * step) / std::sqrt(2.0));
        below.push_back(f), lowPower.push_back(std::pow(f, n)), highPower.push_back(std::pow(1 - f, n));
    }
    double mean = 0, square = 0;
    for (std::size_t i = 0; i < below.size(); ++i) {
        mean += step * (1 - lowPower[i] - highPower[i]);
        for (std::size_t j = i; j < below.size(); ++j) {
            double between = 1;
            for (int k = 0; k < n; ++k) between *= below[j] - below[i];
            square += (j == i ? 1 : 2) * step * step * (1 - lowPower[j] - highPower[i] + between);
        }
    }
    return {mean, square};
}
} // namespace

GroupConstants groupConstants(int n)
{
    static const std::array<GroupConstants, kLargestGroup + 1> table = [] {
        std::array<GroupConstants, kLargestGroup + 1> out{};
        for (int k = 2; k <= kLargestGroup; ++k) {
            const auto coarse = rangeMoments(k, 1.0 / 8), fine = rangeMoments(k, 1.0 / 16);
            const double square = fine.second + (fine.second - coarse.second) / 3; // the edge's error goes with step²
            out[std::size_t(k)] = {fine.first, std::sqrt(square - fine.first * fine.first),
                                   std::sqrt(2.0 / (k - 1)) *
                                       std::exp(std::lgamma(k / 2.0) - std::lgamma((k - 1) / 2.0))};
        }
        return out;
    }();
    return table[std::size_t(std::clamp(n, 2, kLargestGroup))];
}

namespace
{
ControlChart individuals(const std::vector<double>& values)
{
    const Statistics s = statisticsOf(values, {}, {});
    ControlChart c;
    c.places = values;
    c.mean = s.mean, c.lower = s.lowerControl, c.upper = s.upperControl, c.sigma = c.within = s.within;
    for (std::size_t i = 1; i < values.size(); ++i) c.spreads.push_back(std::abs(values[i] - values[i - 1]));
    c.meanSpread = s.movingRange, c.upperSpread = s.upperRange;
    return c;
}
} // namespace

ControlChart controlChart(const std::vector<double>& values, ChartKind kind, int group)
{
    if (kind == ChartKind::Individuals) return individuals(values);
    ControlChart c;
    c.kind = kind;
    c.group = std::clamp(group, 2, kLargestGroup);
    const std::size_t n = std::size_t(c.group), groups = values.size() / n;
    const GroupConstants k = groupConstants(c.group);
    for (std::size_t g = 0; g < groups; ++g) {
        const auto from = values.begin() + std::ptrdiff_t(g * n), to = from + std::ptrdiff_t(n);
        const double mean = std::accumulate(from, to, 0.0) / double(n);
        c.places.push_back(mean);
        if (kind == ChartKind::MeanAndRange) {
            const auto [least, most] = std::minmax_element(from, to);
            c.spreads.push_back(*most - *least);
        } else {
            double squares = 0;
            for (auto v = from; v != to; ++v) squares += (*v - mean) * (*v - mean);
            c.spreads.push_back(std::sqrt(squares / double(n - 1)));
        }
    }
    if (groups == 0) return c;
    c.mean = std::accumulate(c.places.begin(), c.places.end(), 0.0) / double(groups);
    c.meanSpread = std::accumulate(c.spreads.begin(), c.spreads.end(), 0.0) / double(groups);
    const bool range = kind == ChartKind::MeanAndRange;
    // Factors as the standard tables them, to three decimals: worked examples come out digit for digit.
    const auto tabled = [](double factor) { return std::round(factor * 1000) / 1000; };
    const double expected = range ? tabled(k.d2) : std::round(k.c4 * 10000) / 10000,
                 toLimits = tabled(3 / ((range ? k.d2 : k.c4) * std::sqrt(double(n)))),
                 ofSpread = 3 * (range ? k.d3 / k.d2 : std::sqrt(1 - k.c4 * k.c4) / k.c4);
    c.within = c.meanSpread / expected;
    c.lower = c.mean - toLimits * c.meanSpread, c.upper = c.mean + toLimits * c.meanSpread;
    c.sigma = toLimits * c.meanSpread / 3;
    c.lowerSpread = std::max(0.0, tabled(1 - ofSpread)) * c.meanSpread;
    c.upperSpread = tabled(1 + ofSpread) * c.meanSpread;
    return c;
}

namespace
{
// A row of points that goes on as long as `goes` says of each point and the one before it; hits are those of `length`.
template <class Side>
void rows(std::vector<RuleHit>& out, std::size_t points, Rule rule, std::size_t length, std::size_t overlap, Side side)
{
    std::size_t first = 0;
    int now = 0;
    const auto close = [&](std::size_t end) { // before `end`
        if (now != 0 && end - first >= length) out.push_back({rule, first, end - 1, now});
    };
    for (std::size_t i = 0; i < points; ++i) {
        const int s = i < overlap ? 0 : side(i);
        if (s == now) continue;
        close(i);
        now = s;
        first = i - (s != 0 ? overlap : 0);
    }
    close(points);
}
// `needed` of `of` points on one side beyond `distance`; hits that touch are one.
void several(std::vector<RuleHit>& out, const std::vector<double>& z, Rule rule, int needed, std::size_t of,
             double distance)
{
    for (const int side : {1, -1}) {
        std::optional<RuleHit> open;
        for (std::size_t i = 0; i < z.size(); ++i) {
            if (!(side * z[i] > distance)) continue; // complete at a point that counts
            std::size_t first = i;
            int found = 0;
            for (std::size_t k = i + 1 - std::min(i + 1, of); k <= i; ++k)
                if (side * z[k] > distance) first = found++ == 0 ? k : first;
            if (found < needed) continue;
            if (open && first <= open->last) open->last = i;
            else {
                if (open) out.push_back(*open);
                open = RuleHit{rule, first, i, side};
            }
        }
        if (open) out.push_back(*open);
    }
}
} // namespace

std::vector<RuleHit> ruleHits(const std::vector<double>& points, double mean, double sigma)
{
    std::vector<RuleHit> out;
    if (!(sigma > 0)) return out;
    std::vector<double> z;
    z.reserve(points.size());
    for (const double v : points) z.push_back((v - mean) / sigma);
    const std::size_t n = z.size();
    const auto sign = [](double v) { return (v > 0) - (v < 0); };
    for (std::size_t i = 0; i < n; ++i)
        if (std::abs(z[i]) > 3) out.push_back({Rule::Beyond, i, i, sign(z[i])});
    rows(out, n, Rule::OneSide, 9, 0, [&](std::size_t i) { return sign(z[i]); });
    rows(out, n, Rule::Trend, 6, 1, [&](std::size_t i) { return sign(z[i] - z[i - 1]); });
    std::vector<RuleHit> turns;
    // In turn: each step against the one before it.
    rows(turns, n, Rule::Alternating, 14, 2,
         [&](std::size_t i) { return int(sign(z[i] - z[i - 1]) * sign(z[i - 1] - z[i - 2]) < 0); });
    for (RuleHit& h : turns) h.side = 0;
    out.insert(out.end(), turns.begin(), turns.end());
    several(out, z, Rule::TwoOfThree, 2, 3, 2);
    several(out, z, Rule::FourOfFive, 4, 5, 1);
    std::vector<RuleHit> zones;
    rows(zones, n, Rule::Hugging, 15, 0, [&](std::size_t i) { return int(std::abs(z[i]) < 1); });
    rows(zones, n, Rule::Avoiding, 8, 0, [&](std::size_t i) { return int(std::abs(z[i]) > 1); });
    for (RuleHit& h : zones) {
        h.side = 0;
        const auto at = [&](std::size_t i) { return z.begin() + std::ptrdiff_t(i); };
        const auto [least, most] = std::minmax_element(at(h.first), at(h.last + 1));
        if (h.rule == Rule::Hugging || (*least < 0 && *most > 0)) out.push_back(h);
    }
    std::stable_sort(out.begin(), out.end(), [](const RuleHit& a, const RuleHit& b) {
        return std::tie(a.last, a.rule) < std::tie(b.last, b.rule);
    });
    return out;
}

char letterOf(Rule rule) { return char('a' + int(rule)); }

std::string ruleText(const RuleHit& h)
{
    const std::string n = std::to_string(h.last - h.first + 1), side = h.side > 0 ? "above" : "below";
    switch (h.rule) {
    case Rule::Beyond: return side + " the control limit";
    case Rule::OneSide: return n + " in a row " + side + " the mean (rule: 9)";
    case Rule::Trend: return n + " in a row " + (h.side > 0 ? "rising" : "falling") + " (rule: 6)";
    case Rule::Alternating: return n + " in a row up and down in turn (rule: 14)";
    case Rule::TwoOfThree: return "2 of 3 far " + side + " the mean (beyond 2 spreads)";
    case Rule::FourOfFive: return "4 of 5 " + side + " the mean (beyond 1 spread)";
    case Rule::Hugging: return n + " in a row close to the mean (rule: 15 within 1 spread)";
    case Rule::Avoiding: return n + " in a row away from the mean (rule: 8 beyond 1 spread)";
    }
    return {};
}

std::optional<Normality> normality(const std::vector<double>& all)
{
    constexpr std::size_t kMost = 2000;
    std::vector<double> values;
    if (all.size() <= kMost) values = all;
    else
        for (std::size_t i = 0; i < kMost; ++i) values.push_back(all[i * all.size() / kMost]);
    if (values.size() < 8) return std::nullopt;
    const Statistics s = statisticsOf(values, {}, {});
    if (!(s.most > s.least)) return std::nullopt;
    std::sort(values.begin(), values.end());
    const double n = double(values.size());
    double sum = 0;
    const auto logBelow = [&](double z) { return std::log(std::max(0.5 * std::erfc(-z / std::sqrt(2.0)), 1e-300)); };
    for (std::size_t i = 0; i < values.size(); ++i) {
        const double z = (values[i] - s.mean) / s.deviation,
                     back = (values[values.size() - 1 - i] - s.mean) / s.deviation;
        sum += (2.0 * double(i) + 1) * (logBelow(z) + logBelow(-back));
    }
    Normality out;
    const double a = out.statistic = (-n - sum / n) * (1 + 0.75 / n + 2.25 / (n * n));
    out.probability = a >= 0.6   ? std::exp(1.2937 - 5.709 * a + 0.0186 * a * a)
                      : a > 0.34 ? std::exp(0.9177 - 4.279 * a - 1.38 * a * a)
                      : a > 0.2  ? 1 - std::exp(-8.318 + 42.796 * a - 59.938 * a * a)
                                 : 1 - std::exp(-13.436 + 101.14 * a - 223.73 * a * a);
    if (a > 13) out.probability = 0; // the formula turns up again far out
    return out;
}

double quantile(const std::vector<double>& ascending, double p)
{
    const double at = p * double(ascending.size() + 1);
    if (at <= 1) return ascending.front();
    if (at >= double(ascending.size())) return ascending.back();
    const std::size_t k = std::size_t(at);
    return ascending[k - 1] + (at - double(k)) * (ascending[k] - ascending[k - 1]);
}

std::optional<QuantilePerformance> quantilePerformance(const std::vector<double>& values, std::optional<double> low,
                                                       std::optional<double> high)
{
    if (values.size() < kEnoughForQuantiles) return std::nullopt;
    std::vector<double> ascending = values;
    std::sort(ascending.begin(), ascending.end());
    QuantilePerformance q{quantile(ascending, 0.00135), quantile(ascending, 0.5), quantile(ascending, 0.99865), {}, {}};
    if (low && high && q.high > q.low) q.pp = (*high - *low) / (q.high - q.low);
    std::optional<double> nearer;
    if (high && q.high > q.median) nearer = (*high - q.median) / (q.high - q.median);
    if (low && q.median > q.low) nearer = std::min(nearer.value_or(1e300), (q.median - *low) / (q.median - q.low));
    q.ppk = nearer;
    return q;
}

} // namespace records

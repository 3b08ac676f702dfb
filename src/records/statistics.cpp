#include "records/statistics.h"

#include <algorithm>
#include <cmath>
#include <tuple>

namespace records
{
namespace
{
constexpr double kD2 = 1.128, kD4 = 3.267; // ranges of two, ISO 7870-2

// Nearer limit over three spreads, and both over six; nothing without a limit or a spread.
std::pair<std::optional<double>, std::optional<double>>
capability(double mean, double spread, std::optional<double> low, std::optional<double> high)
{
    std::pair<std::optional<double>, std::optional<double>> out;
    if (!(spread > 0) || (!low && !high)) return out;
    if (low && high) out.first = (*high - *low) / (6 * spread);
    double nearer = 1e300;
    if (low) nearer = std::min(nearer, mean - *low);
    if (high) nearer = std::min(nearer, *high - mean);
    out.second = nearer / (3 * spread);
    return out;
}
} // namespace

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
    s.deviation = std::sqrt(squares / (n - 1));
    s.movingRange = ranges / (n - 1);
    s.within = s.movingRange / kD2;
    s.upperControl = s.mean + 3 * s.within, s.lowerControl = s.mean - 3 * s.within;
    s.upperRange = kD4 * s.movingRange;
    for (std::size_t i = 0; i < values.size(); ++i)
        if (values[i] > s.upperControl || values[i] < s.lowerControl) s.beyond.push_back(i);
    std::tie(s.cp, s.cpk) = capability(s.mean, s.within, low, high);
    std::tie(s.pp, s.ppk) = capability(s.mean, s.deviation, low, high);
    return s;
}

} // namespace records

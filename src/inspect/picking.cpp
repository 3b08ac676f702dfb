#include "inspect/picking.h"

#include <algorithm>
#include <cmath>

namespace inspect
{
using recipe::Filter;
using recipe::ObjectTable;

namespace
{
// A bound people can read: as few figures as lie safely within the gap.
double readable(double from, double to)
{
    const double middle = (from + to) / 2, gap = std::abs(to - from);
    const double grain = std::pow(10.0, std::floor(std::log10(gap / 4)));
    return std::round(middle / grain) * grain;
}

struct Range {
    int column = -1;
    Filter filter;
    double margin = 0;
    std::vector<char> parts; // unwanted rows it turns away
    int count = 0;
};

// The range of one column about the wanted values, as far as unwanted ones lie beside it.
Range rangeOf(const std::string& key, int column, std::span<const Values> wanted, std::span<const Values> unwanted,
              const std::vector<char>& done)
{
    Range r;
    r.column = column, r.filter.output = key, r.parts.assign(unwanted.size(), 0), r.margin = 1;
    double low = INFINITY, high = -INFINITY;
    for (const Values& v : wanted) {
        const double x = v[std::size_t(column)];
        if (!std::isfinite(x)) return {};
        low = std::min(low, x), high = std::max(high, x);
    }
    double below = -INFINITY, above = INFINITY;
    for (std::size_t i = 0; i < unwanted.size(); ++i) {
        const double x = unwanted[i][std::size_t(column)];
        if (!std::isfinite(x) || (x >= low && x <= high)) continue;
        if (done[i]) continue;
        r.parts[i] = 1, ++r.count;
        if (x < low) below = std::max(below, x);
        else above = std::min(above, x);
    }
    // Against what is wanted and what lies beyond it: a gap is wide or narrow by that.
    const double spread = high - low;
    for (const auto& [bound, edge, isLow] : {std::tuple{below, low, true}, {above, high, false}}) {
        if (!std::isfinite(bound)) continue;
        const double gap = std::abs(edge - bound);
        r.margin = std::min(r.margin, gap / (gap + spread + 0.05 * std::max(std::abs(edge), std::abs(bound))));
        (isLow ? r.filter.low : r.filter.high) = readable(bound, edge);
    }
    return r;
}
} // namespace

base::Result<Picked> pick(const std::vector<ObjectTable::Column>& columns, std::span<const Values> wanted,
                          std::span<const Values> unwanted, std::span<const std::string> fixed)
{
    if (wanted.empty() || unwanted.empty())
        return base::fail(base::ErrorCode::InvalidArgument, wanted.empty()
                                                                ? "show at least one object that is wanted"
                                                                : "show at least one object that is not wanted");
    Picked out;
    out.margin = 1;
    std::vector<char> done(unwanted.size(), 0);
    std::size_t left = unwanted.size();
    while (left > 0) {
        Range best;
        for (std::size_t c = 0; c < columns.size(); ++c) {
            if (std::find(fixed.begin(), fixed.end(), columns[c].key) != fixed.end()) continue;
            const bool used = std::any_of(out.filters.begin(), out.filters.end(),
                                          [&](const Filter& f) { return f.output == columns[c].key; });
            if (used) continue;
            Range r = rangeOf(columns[c].key, int(c), wanted, unwanted, done);
            if (r.count > best.count || (r.count == best.count && r.count > 0 && r.margin > best.margin))
                best = std::move(r);
        }
        if (best.count == 0)
            return base::fail(base::ErrorCode::NoResult, std::to_string(left) +
                                                             " of the objects that are not wanted have no value that "
                                                             "tells them from the wanted ones");
        out.margin = std::min(out.margin, best.margin);
        out.filters.push_back(best.filter);
        for (std::size_t i = 0; i < done.size(); ++i)
            if (best.parts[i] && !done[i]) done[i] = 1, --left;
    }
    return out;
}

bool keeps(const ObjectTable& table, const Values& values, std::span<const Filter> filters)
{
    return std::all_of(filters.begin(), filters.end(), [&](const Filter& f) {
        const int c = table.column(f.output);
        if (c < 0 || std::size_t(c) >= values.size()) return false;
        const double x = values[std::size_t(c)];
        return (!f.low || x >= *f.low) && (!f.high || x <= *f.high);
    });
}

} // namespace inspect

#include "records/choice.h"

#include <QByteArrayMatcher>
#include <algorithm>
#include <cmath>
#include <limits>
#include <thread>
#include <tuple>

namespace records
{
namespace
{
using Mask = std::vector<std::uint8_t>;

// Which of a block's words are wanted.
template <class List, class Wanted> Mask maskOf(const List& words, Wanted wanted)
{
    Mask out;
    for (const auto& w : words) out.push_back(wanted(w));
    return out;
}
void keepText(const Block& b, const QByteArrayMatcher& matcher, Mask& keep)
{
    const std::uint32_t length = std::uint32_t(matcher.pattern().size());
    Mask found(b.size(), 0);
    std::uint32_t from = 0;
    for (;;) {
        const qsizetype at = matcher.indexIn(b.text, int(from));
        if (at < 0) break;
        const auto item = std::upper_bound(b.textEnd.begin(), b.textEnd.end(), std::uint32_t(at)) - b.textEnd.begin();
        const std::uint32_t end = b.textEnd[std::size_t(item)];
        if (std::uint32_t(at) + length <= end) found[std::size_t(item)] = 1, from = end;
        else from = std::uint32_t(at) + 1; // it would reach into the next item's
    }
    for (std::size_t i = 0; i < keep.size(); ++i) keep[i] = keep[i] && found[i];
}
} // namespace

std::vector<Row> rowsOf(const Columns& columns, const Choice& c)
{
    std::vector<Row> out;
    const QByteArrayMatcher matcher(c.text.toLower().toUtf8());
    const int failed = c.failed ? checkIndex(columns, *c.failed) : -1;
    std::vector<int> spanChecks;
    for (const auto& span : c.spans) spanChecks.push_back(checkIndex(columns, span.check));
    Mask keep;
    for (std::size_t k = 0; k < columns.blocks.size(); ++k) {
        const Block& b = *columns.blocks[k];
        if ((c.from > 0 && b.first + kBlockItems <= c.from) || (c.to > 0 && b.first > c.to)) continue;
        const Mask batch = maskOf(b.batches, [&](const QString& s) { return c.batch.isNull() || s == c.batch; });
        const Mask station = maskOf(b.stations, [&](const QString& s) { return c.station.isNull() || s == c.station; });
        const Mask release = maskOf(b.releases, [&](const ReleaseName& r) {
            return (c.recipe.isNull() || r.recipe == c.recipe) &&
                   (c.revisions.empty() ||
                    std::find(c.revisions.begin(), c.revisions.end(), r.revision) != c.revisions.end());
        });
        const std::size_t n = b.size();
        keep.assign(n, 1);
        for (std::size_t i = 0; i < n; ++i) keep[i] = batch[b.batch[i]] & station[b.station[i]] & release[b.release[i]];
        if (c.since || c.until)
            for (std::size_t i = 0; i < n; ++i)
                keep[i] = keep[i] && (!c.since || b.at[i] >= *c.since) && (!c.until || b.at[i] < *c.until);
        if (c.from > 0 || c.to > 0)
            for (std::size_t i = 0; i < n; ++i)
                keep[i] =
                    keep[i] && (c.from == 0 || b.first + b.id[i] >= c.from) && (c.to == 0 || b.first + b.id[i] <= c.to);
        if (c.verdict)
            for (std::size_t i = 0; i < n; ++i) keep[i] = keep[i] && b.verdict[i] == *c.verdict;
        const auto columnOf = [&](int check) -> const Block::Column* {
            const auto& of = columns.words[k].columnOf;
            return check < 0 || std::size_t(check) >= of.size() || of[std::size_t(check)] < 0
                       ? nullptr
                       : &b.columns[std::size_t(of[std::size_t(check)])];
        };
        if (c.failed) {
            const Block::Column* column = columnOf(failed);
            for (std::size_t i = 0; i < n; ++i)
                keep[i] = keep[i] && column &&
                          (column->state[i] == CellState::Fail || column->state[i] == CellState::NotMeasured);
        }
        for (std::size_t s = 0; s < c.spans.size(); ++s) {
            const Block::Column* column = columnOf(spanChecks[s]);
            for (std::size_t i = 0; i < n; ++i)
                keep[i] =
                    keep[i] && column && column->value[i] >= c.spans[s].low && column->value[i] <= c.spans[s].high;
        }
        if (!c.text.isEmpty()) keepText(b, matcher, keep);
        for (std::size_t i = 0; i < n; ++i)
            if (keep[i]) out.push_back(rowOf(k, i));
    }
    return out;
}

int checkIndex(const Columns& columns, const CheckName& check)
{
    for (std::size_t i = 0; i < columns.checks.size(); ++i)
        if (columns.checks[i].sameCheck(check)) return int(i);
    return -1;
}

ItemCounts countsOf(const Columns& columns, const std::vector<Row>& rows)
{
    std::array<long long, 4> n{};
    for (const Row r : rows) ++n[std::size_t(columns.verdict(r))];
    return {(long long)(rows.size()), n[0], n[1], n[2], n[3]};
}

int harm(CellState s)
{
    switch (s) {
    case CellState::Absent: return 0;
    case CellState::Unjudged: return 1;
    case CellState::Pass: return 2;
    case CellState::NotMeasured: return 3;
    case CellState::Fail: return 4;
    }
    return 0;
}

namespace
{
// Of every chosen item that has the check: its place among the chosen, column of its block, place in it.
template <class Each> void eachCell(const Columns& columns, const std::vector<Row>& rows, std::size_t check, Each each)
{
    for (std::size_t i = 0; i < rows.size();) {
        const std::size_t k = blockOf(rows[i]);
        std::size_t end = i;
        while (end < rows.size() && blockOf(rows[end]) == k) ++end;
        const auto& of = columns.words[k].columnOf;
        if (check < of.size() && of[check] >= 0) {
            const Block::Column& column = columns.blocks[k]->columns[std::size_t(of[check])];
            for (; i < end; ++i) {
                const std::size_t at = itemOf(rows[i]);
                if (column.state[at] != CellState::Absent) each(i, column, at);
            }
        }
        i = end;
    }
}
// The limits the newest of the chosen items was judged by.
LimitSet newestLimits(const Columns& columns, const std::vector<Row>& rows, std::size_t check)
{
    for (std::size_t i = rows.size(); i > 0; --i)
        if (const auto cell = columns.cell(rows[i - 1], check); cell.state != CellState::Absent) return *cell.limits;
    return {};
}
// Whether the limits of a value are the newest ones, looked at once for each set of a column.
class UnderLimits
{
public:
    explicit UnderLimits(LimitSet limits) : m_limits(limits) {}
    bool operator()(const Block::Column& column, std::size_t at)
    {
        if (&column != m_column) {
            m_column = &column;
            m_same.clear();
            for (const LimitSet& l : column.limitSets) m_same.push_back(l == m_limits);
        }
        return m_same[column.limits.empty() ? 0 : column.limits[at]] != 0;
    }

private:
    LimitSet m_limits;
    const Block::Column* m_column = nullptr;
    Mask m_same;
};

CheckSummary summary(const Columns& columns, const std::vector<Row>& rows, std::size_t check, std::size_t per)
{
    CheckSummary s;
    const std::size_t count = per > 0 ? (rows.size() + per - 1) / per : 0;
    s.worst.assign(count, CellState::Absent);
    s.fails.assign(count, 0);
    const float none = std::numeric_limits<float>::quiet_NaN();
    s.low.assign(count, none), s.middle.assign(count, none), s.high.assign(count, none);
    std::vector<double> sums(count, 0);
    std::vector<std::uint32_t> measured(count, 0);
    s.limits = newestLimits(columns, rows, check);
    UnderLimits under(s.limits);
    // Mean and moving range of those under the newest limits; as offsets from the first value, which lies near.
    double first = 0, sum = 0, ranges = 0, before = 0, all = 0;
    eachCell(columns, rows, check, [&](std::size_t i, const Block::Column& column, std::size_t at) {
        const CellState state = column.state[at];
        ++s.asked;
        s.failed += state == CellState::Fail;
        s.notMeasured += state == CellState::NotMeasured;
        const std::size_t c = count > 0 ? i / per : 0;
        if (count > 0) {
            s.fails[c] += state == CellState::Fail;
            if (harm(state) > harm(s.worst[c])) s.worst[c] = state;
        }
        const double v = column.value[at];
        if (!under(column, at)) s.limitsMoved = true;
        if (std::isnan(v)) return;
        if (s.measured == 0) s.least = s.most = first = v;
        ++s.measured;
        all += v - first;
        s.least = std::min(s.least, v), s.most = std::max(s.most, v);
        if (count > 0) {
            if (measured[c]++ == 0) s.low[c] = s.high[c] = float(v);
            s.low[c] = std::min(s.low[c], float(v)), s.high[c] = std::max(s.high[c], float(v));
            sums[c] += v;
        }
        if (!under(column, at)) return;
        sum += v - first;
        if (s.counted++ > 0) ranges += std::abs(v - before);
        before = v;
    });
    if (s.measured > 0) s.mean = first + all / double(s.measured);
    for (std::size_t c = 0; c < count; ++c)
        if (measured[c] > 0) s.middle[c] = float(sums[c] / measured[c]);
    if (s.counted >= kEnoughForCapability)
        std::tie(s.cp, s.cpk) = capability(first + sum / double(s.counted),
                                           processSpread(ranges / double(s.counted - 1)), s.limits.low, s.limits.high);
    return s;
}
} // namespace

std::vector<CheckSummary> summaries(const Columns& columns, const std::vector<Row>& rows, std::size_t per,
                                    bool wantsCapability)
{
    std::vector<CheckSummary> out(columns.checks.size());
    const auto work = [&](std::size_t begin) {
        for (std::size_t check = begin; check < out.size(); check += 2) {
            out[check] = summary(columns, rows, check, per);
            if (!wantsCapability) out[check].cp = out[check].cpk = std::nullopt;
        }
    };
    if (rows.size() < 20000) work(0), work(1);
    else {
        std::thread other(work, 1);
        work(0);
        other.join();
    }
    return out;
}

namespace
{
void spread(const Columns& columns, std::size_t check, const Mask& counts, CheckDetail& d)
{
    d.inForce.assign(CheckDetail::kBins, 0), d.older.assign(CheckDetail::kBins, 0);
    double low = 1e300, high = -1e300;
    const auto take = [&](double v) { low = std::min(low, v), high = std::max(high, v); };
    for (const double v : d.values) take(v);
    // Limits of all items, so that the axis stands still whatever is chosen.
    for (std::size_t k = 0; k < columns.blocks.size(); ++k) {
        const auto& of = columns.words[k].columnOf;
        if (check >= of.size() || of[check] < 0) continue;
        for (const LimitSet& l : columns.blocks[k]->columns[std::size_t(of[check])].limitSets) {
            if (l.low) take(*l.low);
            if (l.high) take(*l.high);
        }
    }
    if (d.chart.places.size() > 1) take(d.chart.lower), take(d.chart.upper);
    if (low > high) return;
    const double room = high > low ? 0.08 * (high - low) : std::max(1e-6, std::abs(high) * 0.01);
    d.low = low - room, d.high = high + room;
    const double scale = double(CheckDetail::kBins) / (d.high - d.low);
    for (std::size_t i = 0; i < d.values.size(); ++i)
        ++(counts[i] ? d.inForce
                     : d.older)[std::min(CheckDetail::kBins - 1, std::size_t((d.values[i] - d.low) * scale))];
}
} // namespace

CheckDetail detailOf(const Columns& columns, const std::vector<Row>& rows, std::size_t check, bool process,
                     ChartKind kind, int group)
{
    CheckDetail d;
    d.limits = newestLimits(columns, rows, check);
    UnderLimits under(d.limits);
    d.at.reserve(rows.size()), d.values.reserve(rows.size());
    Mask counts; // which values lie under the newest limits
    counts.reserve(rows.size());
    eachCell(columns, rows, check, [&](std::size_t i, const Block::Column& column, std::size_t at) {
        const bool same = under(column, at);
        d.limitsMoved = d.limitsMoved || !same;
        const double v = column.value[at];
        if (std::isnan(v)) return;
        d.at.push_back(std::uint32_t(i));
        d.values.push_back(v);
        counts.push_back(same);
    });
    std::vector<double> some;
    if (d.limitsMoved)
        for (std::size_t i = 0; i < d.values.size(); ++i)
            if (counts[i]) some.push_back(d.values[i]);
    const std::vector<double>& counted = d.limitsMoved ? some : d.values;
    d.under = counted.size();
    d.statistics = statisticsOf(counted, d.limits.low, d.limits.high);
    if (!process || counted.size() < kEnoughForCapability)
        d.statistics.cp = d.statistics.cpk = d.statistics.pp = d.statistics.ppk = std::nullopt;
    if (process) {
        d.chart = controlChart(d.values, kind, group);
        d.hits = ruleHits(d.chart.places, d.chart.mean, d.chart.sigma);
        d.normality = normality(counted);
        if (d.normality && !d.normality->likely())
            d.quantiles = quantilePerformance(counted, d.limits.low, d.limits.high);
    }
    spread(columns, check, counts, d);
    return d;
}

Ribbon ribbonOf(const Columns& columns, std::size_t bins, std::int64_t from, std::int64_t to)
{
    Ribbon r;
    if (columns.blocks.empty() || bins == 0) return r;
    if (from >= to) {
        from = columns.blocks.front()->at.front(), to = from;
        // Clocks of several stations need not agree.
        for (const auto& b : columns.blocks) {
            const auto [least, most] = std::minmax_element(b->at.begin(), b->at.end());
            from = std::min(from, *least), to = std::max(to, *most + 1);
        }
    }
    r.from = from, r.to = to;
    r.items.assign(bins, 0), r.rejects.assign(bins, 0);
    const double scale = double(bins) / double(to - from);
    std::int64_t batch = -1, release = -1;
    for (std::size_t k = 0; k < columns.blocks.size(); ++k) {
        const Block& b = *columns.blocks[k];
        const auto& words = columns.words[k];
        for (std::size_t i = 0; i < b.size(); ++i) {
            const std::int64_t at = b.at[i];
            const std::uint32_t thisBatch = words.batch[b.batch[i]], thisRelease = words.release[b.release[i]];
            const bool inside = at >= from && at < to;
            if (inside && thisBatch != batch) r.batches.push_back({at, thisBatch});
            if (inside && thisRelease != release) r.releases.push_back({at, thisRelease});
            batch = thisBatch, release = thisRelease;
            if (!inside) continue;
            const std::size_t bin = std::min(bins - 1, std::size_t(double(at - from) * scale));
            ++r.items[bin];
            r.rejects[bin] += b.verdict[i] == ItemVerdict::Reject || b.verdict[i] == ItemVerdict::Error;
        }
    }
    return r;
}

} // namespace records

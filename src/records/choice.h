// choice.h - which items of a log are looked at, and what they say together: counts, bins, columns, charts.
//
// Everything here is worked out from Columns alone, and for a million items with a dozen checks in some hundred
// milliseconds; it may be called from any thread.
#pragma once
#include "records/columns.h"
#include "records/statistics.h"

#include <array>

namespace records
{

// Which items are looked at; every part narrows.
struct Choice {
    std::optional<std::int64_t> since{}, until{}; // milliseconds; `until` is outside
    QString recipe{}, batch{}, station{};         // exactly these; null: any
    std::vector<int> revisions{};                 // none: any
    std::optional<ItemVerdict> verdict{};
    std::optional<CheckName> failed{}; // of which this check failed or was not measured
    QString text{};                    // part of picture or sentence, in any case
    struct Span {
        CheckName check;
        double low = 0, high = 0; // both inside
        bool operator==(const Span&) const = default;
    };
    std::vector<Span> spans{};
    long long from = 0, to = 0; // ids, both inside; 0: any
    // Chosen by what was found: what is worked out of such items says nothing of the process.
    bool operator==(const Choice&) const = default;
    bool byOutcome() const { return verdict || failed || !spans.empty() || !text.isEmpty(); }
};
// Oldest first.
std::vector<Row> rowsOf(const Columns& columns, const Choice& choice);
// Of the check in `columns`, -1: none of that name.
int checkIndex(const Columns& columns, const CheckName& check);

struct ItemCounts {
    long long items = 0, accepted = 0, rejected = 0, unjudged = 0, unreadable = 0;
};
ItemCounts countsOf(const Columns& columns, const std::vector<Row>& rows);

// Fewer values say nothing of capability.
constexpr std::size_t kEnoughForCapability = 25;
struct CheckSummary {
    long long asked = 0, failed = 0, notMeasured = 0, measured = 0;
    double mean = 0, least = 0, most = 0;
    LimitSet limits;          // of the newest
    bool limitsMoved = false; // the others had others
    std::size_t counted = 0;  // values under the newest limits: what cp and cpk are of
    std::optional<double> cp, cpk;
    // By column: the worst state (the greatest), how many failed, lowest, mean and highest value (NaN: none).
    std::vector<CellState> worst;
    std::vector<std::uint32_t> fails;
    std::vector<float> low, middle, high;
};
// By check; `per` items make a column, 0: no columns. Capability where there are enough values and a spread.
std::vector<CheckSummary> summaries(const Columns& columns, const std::vector<Row>& rows, std::size_t per,
                                    bool capability = true);
// Order of harm: of several in one column the last of these is shown.
int harm(CellState s);

// One check over the chosen items.
struct CheckDetail {
    std::vector<std::uint32_t> at; // places among the chosen items of those that have a number
    std::vector<double> values;
    ControlChart chart; // no limits when chosen by outcome
    std::vector<RuleHit> hits;
    Statistics statistics; // of the values under the newest limits
    LimitSet limits;
    std::size_t under = 0; // how many those are
    bool limitsMoved = false;
    std::optional<Normality> normality;
    std::optional<QuantilePerformance> quantiles;
    // What the values, their limits and control limits reach from and to, with some room; how many values lie where of it,
    // under the newest limits and under others.
    double low = 0, high = 1;
    static constexpr std::size_t kBins = 24;
    std::vector<std::uint32_t> inForce, older; // by bin from the lowest
    bool stable() const { return hits.empty(); }
    // The item a point of the chart ends at, among the chosen.
    std::uint32_t itemOfPoint(std::size_t point) const { return at[(point + 1) * std::size_t(chart.group) - 1]; }
};
CheckDetail detailOf(const Columns& columns, const std::vector<Row>& rows, std::size_t check, bool process = true,
                     ChartKind kind = ChartKind::Individuals, int group = 5);

// The whole log by time.
struct Ribbon {
    std::int64_t from = 0, to = 0; // milliseconds; `to` is outside
    std::vector<std::uint32_t> items, rejects;
    struct Mark {
        std::int64_t at = 0;
        std::uint32_t word = 0; // batch or release
    };
    std::vector<Mark> batches, releases; // where another one begins
};
// `from` = `to`: all of it.
Ribbon ribbonOf(const Columns& columns, std::size_t bins, std::int64_t from = 0, std::int64_t to = 0);

} // namespace records

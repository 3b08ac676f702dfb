// statistics.h - what a row of measured values says of the process that made them.
//
// Values are in the order they were made and finite.
//
// Method  control charts of ISO 7870-2 with its factors as tabled, to three decimals: single values by moving ranges of
//         two (d2 = 1.128, D4 = 3.267), groups by ranges (A2, D3, D4) or standard deviations (A3, B3, B4). Signs of
//         special causes by the same standard, in zones of one spread. Capability by the process's own spread (Cp, Cpk)
//         and performance by the overall standard deviation (Pp, Ppk) for normally distributed values; by the quantiles
//         0.135, 50 and 99.865 % for others (ISO 22514-2). Normality after Anderson and Darling with mean and spread
//         from the values (D'Agostino and Stephens, Goodness-of-Fit Techniques, 1986, table 4.9).
#pragma once
#include <cstdint>
#include <optional>
#include <string>
#include <vector>

namespace records
{

struct Statistics {
    std::size_t count = 0;
    double mean = 0, least = 0, most = 0;
    double deviation = 0;                      // overall, n - 1; 0 below two values
    double movingRange = 0;                    // mean of the ranges of neighbours; 0 below two values
    double within = 0;                         // spread of the process by it
    double upperControl = 0, lowerControl = 0; // of single values
    double upperRange = 0;                     // of the moving range
    std::vector<std::size_t> beyond;           // values outside the control limits, from 0
    std::optional<double> cp, cpk, pp, ppk;    // cp and pp need both limits; none without spread
    std::size_t outOfTolerance = 0;            // outside the limits
};
Statistics statisticsOf(const std::vector<double>& values, std::optional<double> low, std::optional<double> high);

// The process's own spread from the mean moving range of two.
double processSpread(double meanMovingRange);
// Both limits over six spreads, and the nearer one over three; nothing without a limit, a spread or room between
// the limits.
std::pair<std::optional<double>, std::optional<double>>
capability(double mean, double spread, std::optional<double> low, std::optional<double> high);

enum class ChartKind { Individuals, MeanAndRange, MeanAndDeviation };
constexpr int kLargestGroup = 25;
// Two charts, one above the other: places (single values or means of groups) and spreads (moving range, range, standard
// deviation). What is left at the end and fills no group is left out.
struct ControlChart {
    ChartKind kind = ChartKind::Individuals;
    int group = 1; // values a point stands for
    std::vector<double> places;
    double mean = 0, lower = 0, upper = 0;
    double sigma = 0; // of a point: a third of the way from the mean to a limit
    std::vector<double> spreads;
    double meanSpread = 0, lowerSpread = 0, upperSpread = 0;
    double within = 0; // of single values
};
// `group` from 2 to kLargestGroup for groups, not looked at for single values.
ControlChart controlChart(const std::vector<double>& values, ChartKind kind, int group);
// Expected range and standard deviation of a range, expected standard deviation, of `n` normally distributed values of
// spread 1. n from 2 to kLargestGroup.
struct GroupConstants {
    double d2, d3, c4;
};
GroupConstants groupConstants(int n);

// Signs of a special cause, in the standard's order.
enum class Rule {
    Beyond,      // one beyond a control limit
    OneSide,     // nine in a row on one side of the mean
    Trend,       // six in a row rising or falling
    Alternating, // fourteen in a row up and down in turn
    TwoOfThree,  // beyond two spreads on one side
    FourOfFive,  // beyond one spread on one side
    Hugging,     // fifteen in a row within one spread
    Avoiding     // eight in a row beyond one spread, on both sides
};
struct RuleHit {
    Rule rule = Rule::Beyond;
    std::size_t first = 0, last = 0; // points, from 0; a run that goes on is one hit
    int side = 0;                    // +1 above or rising, -1 below or falling, 0 neither
    bool operator==(const RuleHit&) const = default;
};
// By the point they are complete at, then by rule. None without spread.
std::vector<RuleHit> ruleHits(const std::vector<double>& points, double mean, double sigma);
char letterOf(Rule rule);                 // 'a' .. 'h'
std::string ruleText(const RuleHit& hit); // "11 in a row above the mean (rule: 9)"

struct Normality {
    double statistic = 0;   // Anderson and Darling's, for the number of values
    double probability = 0; // of one as large from a normal distribution
    bool likely() const { return probability >= 0.05; }
};
// None below 8 values or without spread. Of more than 2000, 2000 evenly spaced in time are looked at.
std::optional<Normality> normality(const std::vector<double>& values);

// Of ascending values, between the two nearest by p (n + 1) (NIST/SEMATECH handbook 7.2.6.2); the ends beyond them.
double quantile(const std::vector<double>& ascending, double p);
struct QuantilePerformance {
    double low = 0, median = 0, high = 0; // at 0.135, 50, 99.865 %
    std::optional<double> pp, ppk;
};
constexpr std::size_t kEnoughForQuantiles = 1000; // fewer say nothing of one in 740
std::optional<QuantilePerformance> quantilePerformance(const std::vector<double>& values, std::optional<double> low,
                                                       std::optional<double> high);

} // namespace records

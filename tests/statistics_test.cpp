// statistics_test.cpp - control charts, signs of special causes, capability and normality against published figures.
#include "records/statistics.h"
#include "support.h"

#include <cmath>
#include <numeric>
#include <random>

using namespace records;

namespace
{
// Inside diameters of piston rings, mm, in groups of five: Montgomery, Introduction to Statistical Quality Control,
// the example of charts for mean and range; the first 25 groups, then the 15 watched after them.
const std::vector<double> kRings{
    74.030, 74.002, 74.019, 73.992, 74.008, 73.995, 73.992, 74.001, 74.011, 74.004, 73.988, 74.024, 74.021, 74.005,
    74.002, 74.002, 73.996, 73.993, 74.015, 74.009, 73.992, 74.007, 74.015, 73.989, 74.014, 74.009, 73.994, 73.997,
    73.985, 73.993, 73.995, 74.006, 73.994, 74.000, 74.005, 73.985, 74.003, 73.993, 74.015, 73.988, 74.008, 73.995,
    74.009, 74.005, 74.004, 73.998, 74.000, 73.990, 74.007, 73.995, 73.994, 73.998, 73.994, 73.995, 73.990, 74.004,
    74.000, 74.007, 74.000, 73.996, 73.983, 74.002, 73.998, 73.997, 74.012, 74.006, 73.967, 73.994, 74.000, 73.984,
    74.012, 74.014, 73.998, 73.999, 74.007, 74.000, 73.984, 74.005, 73.998, 73.996, 73.994, 74.012, 73.986, 74.005,
    74.007, 74.006, 74.010, 74.018, 74.003, 74.000, 73.984, 74.002, 74.003, 74.005, 73.997, 74.000, 74.010, 74.013,
    74.020, 74.003, 73.982, 74.001, 74.015, 74.005, 73.996, 74.004, 73.999, 73.990, 74.006, 74.009, 74.010, 73.989,
    73.990, 74.009, 74.014, 74.015, 74.008, 73.993, 74.000, 74.010, 73.982, 73.984, 73.995, 74.017, 74.013};
const std::vector<double> kRingsAfter{
    74.012, 74.015, 74.030, 73.986, 74.000, 73.995, 74.010, 73.990, 74.015, 74.001, 73.987, 73.999, 73.985,
    74.000, 73.990, 74.008, 74.010, 74.003, 73.991, 74.006, 74.003, 74.000, 74.001, 73.986, 73.997, 73.994,
    74.003, 74.015, 74.020, 74.004, 74.008, 74.002, 74.018, 73.995, 74.005, 74.001, 74.004, 73.990, 73.996,
    73.998, 74.015, 74.000, 74.016, 74.025, 74.000, 74.030, 74.005, 74.000, 74.016, 74.012, 74.001, 73.990,
    73.995, 74.010, 74.024, 74.015, 74.020, 74.024, 74.005, 74.019, 74.035, 74.010, 74.012, 74.015, 74.026,
    74.017, 74.013, 74.036, 74.025, 74.026, 74.010, 74.005, 74.029, 74.000, 74.020};

bool digits(double value, double published, double half) // of the last digit that was printed
{
    if (std::abs(value - published) <= half) return true;
    qWarning("%.10g is not %.10g", value, published);
    return false;
}
std::vector<double> normal(std::size_t n, unsigned seed, double mean = 0, double spread = 1)
{
    std::mt19937 random(seed);
    std::normal_distribution<double> d(mean, spread);
    std::vector<double> out(n);
    for (double& v : out) v = d(random);
    return out;
}
bool only(const std::vector<RuleHit>& hits, Rule rule, std::size_t first, std::size_t last, int side)
{
    if (hits == std::vector<RuleHit>{{rule, first, last, side}}) return true;
    for (const RuleHit& h : hits)
        qWarning("%c from %zu to %zu, %d: %s", letterOf(h.rule), h.first, h.last, h.side, ruleText(h).c_str());
    return false;
}
} // namespace

class StatisticsTest : public QObject
{
    Q_OBJECT
private slots:
    void constantsOfGroupsAreTheTabled()
    {
        // ISO 7870-2 table 2, more digits after Harter (1960): d2, d3, c4.
        const struct {
            int n;
            double d2, d3, c4;
        } tabled[] = {
            {2, 1.128379, 0.852502, 0.797885}, {3, 1.692569, 0.888368, 0.886227}, {4, 2.058751, 0.879808, 0.921318},
            {5, 2.325929, 0.864082, 0.939986}, {6, 2.534413, 0.848040, 0.951533}, {7, 2.704357, 0.833205, 0.959369},
            {8, 2.847201, 0.819831, 0.965030}, {9, 2.970026, 0.807834, 0.969311}, {10, 3.077505, 0.797051, 0.972659}};
        for (const auto& t : tabled) {
            const GroupConstants k = groupConstants(t.n);
            QVERIFY(digits(k.d2, t.d2, 1e-6) && digits(k.d3, t.d3, 2e-6) && digits(k.c4, t.c4, 1e-6));
        }
        QVERIFY(digits(groupConstants(25).d2, 3.931, 5e-4) && digits(groupConstants(25).d3, 0.708, 5e-4));
    }
    void chartsOfGroupsAgreeWithPublishedExamples()
    {
        // Mean 74.001, mean range 0.581 / 25; limits 74.014 and 73.988, of the range 0.049.
        const ControlChart r = controlChart(kRings, ChartKind::MeanAndRange, 5);
        QVERIFY(r.places.size() == 25 && digits(r.mean, 74.001, 5e-4) && digits(r.meanSpread, 0.581 / 25, 1e-12));
        QVERIFY(digits(r.within, 0.581 / 25 / 2.326, 1e-12));
        QVERIFY(digits(r.lower, 73.988, 5e-4) && digits(r.upper, 74.014, 6e-4));
        QVERIFY(digits(r.upperSpread, 0.049, 5e-4) && r.lowerSpread == 0);
        QVERIFY(ruleHits(r.places, r.mean, r.sigma).empty());
        // By standard deviations: mean 0.0094, limits 73.988 and 74.014; 0 and 0.0196.
        const ControlChart s = controlChart(kRings, ChartKind::MeanAndDeviation, 5);
        QVERIFY(digits(s.meanSpread, 0.0094, 5e-5) && digits(s.lower, 73.988, 5e-4) && digits(s.upper, 74.014, 6e-4));
        QVERIFY(digits(s.upperSpread, 0.0196, 5e-5) && s.lowerSpread == 0);
        // Flow width of a hard bake process, the same book: mean 1.5056 and mean range 0.32521 of groups of five give
        // limits 1.69325 and 1.31795, of the range 0.68749.
        std::vector<double> flow;
        for (int i = 0; i < 25; ++i)
            for (const double d : {-0.5, 0.0, 0.5, 0.0, 0.0}) flow.push_back(1.5056 + d * 0.32521);
        const ControlChart f = controlChart(flow, ChartKind::MeanAndRange, 5);
        QVERIFY(digits(f.upper, 1.69325, 5e-6) && digits(f.lower, 1.31795, 5e-6) &&
                digits(f.upperSpread, 0.68749, 5e-6));
        // The fifteen watched after them: groups 37, 38 and 39 lie outside.
        std::vector<double> all = kRings;
        all.insert(all.end(), kRingsAfter.begin(), kRingsAfter.end());
        const ControlChart a = controlChart(all, ChartKind::MeanAndRange, 5);
        std::vector<std::size_t> beyond;
        for (const RuleHit& h : ruleHits(a.places, r.mean, r.sigma))
            if (h.rule == Rule::Beyond) beyond.push_back(h.last + 1);
        QCOMPARE(beyond, (std::vector<std::size_t>{37, 38, 39}));
    }
    void groupsThatAreNotFullAreLeftOut()
    {
        const ControlChart c = controlChart({1, 2, 3, 4, 5, 6, 7}, ChartKind::MeanAndRange, 3);
        QVERIFY(c.places == (std::vector<double>{2, 5}) && c.spreads == (std::vector<double>{2, 2}));
        QVERIFY(controlChart({1, 2}, ChartKind::MeanAndRange, 3).places.empty());
        QVERIFY(controlChart({}, ChartKind::Individuals, 1).places.empty());
        const ControlChart one = controlChart({5, 6, 5, 7}, ChartKind::Individuals, 1);
        QVERIFY(one.spreads == (std::vector<double>{1, 1, 2}) && digits(one.within, 4.0 / 3 / 1.128, 1e-12));
    }
    // Each sign in a row of its own that shows no other; one point less shows none.
    void everySignIsSeenWhereItIsComplete()
    {
        const auto hits = [](std::vector<double> v) { return ruleHits(v, 0, 1); };
        QVERIFY(only(hits({0.5, -0.6, 3.1, -0.5}), Rule::Beyond, 2, 2, 1));
        QVERIFY(hits({0.5, -0.6, 2.9, -0.5}).empty());
        const std::vector<double> side{-0.4, 0.5, 0.2, 1.3, 0.4, 1.2, 0.1, 0.6, 0.5, 0.9, -0.2};
        QVERIFY(only(hits(side), Rule::OneSide, 1, 9, 1));
        QVERIFY(hits({-0.4, 0.5, 0.2, 1.3, 0.4, 1.2, 0.1, 0.6, 0.5, -0.9, 0.2}).empty());
        // A run that goes on is one.
        std::vector<double> longer = side;
        longer.insert(longer.begin() + 5, {0.3, 1.1});
        QVERIFY(only(hits(longer), Rule::OneSide, 1, 11, 1));
        QVERIFY(only(hits({0.2, -1.5, -0.9, -0.3, 0.4, 0.8, 1.2, 0.7}), Rule::Trend, 1, 6, 1));
        QVERIFY(only(hits({-0.2, 1.5, 0.9, 0.3, -0.4, -0.8, -1.2, -0.7}), Rule::Trend, 1, 6, -1));
        QVERIFY(hits({0.2, -1.5, -0.9, -0.3, 0.4, 0.8, 0.7}).empty());
        QVERIFY(hits({0.2, -1.5, -0.9, -0.9, 0.4, 0.8, 1.2, 0.7}).empty()); // equal ones do not rise
        std::vector<double> turns;
        for (int i = 0; i < 14; ++i) turns.push_back((i % 2 == 0 ? 1.2 : -0.3) + 0.02 * (i % 3));
        QVERIFY(only(hits(turns), Rule::Alternating, 0, 13, 0));
        turns.pop_back();
        QVERIFY(hits(turns).empty());
        QVERIFY(only(hits({0.5, 2.2, -0.3, 2.4, 0.1}), Rule::TwoOfThree, 1, 3, 1));
        QVERIFY(hits({0.5, 2.2, -0.3, 0.2, 2.4}).empty() && hits({0.5, 2.2, -2.3, 0.2}).empty());
        QVERIFY(only(hits({0.5, -1.2, -1.4, 0.3, -1.1, -1.9, 0.4}), Rule::FourOfFive, 1, 5, -1));
        QVERIFY(hits({0.5, -1.2, -1.4, 0.3, 0.4, -1.1, -1.9}).empty());
        std::vector<double> close;
        for (int i = 0; i < 15; ++i) close.push_back(0.3 * ((i * 7) % 5 - 2) + (i % 4 == 3 ? 0.05 : 0));
        QVERIFY(only(hits(close), Rule::Hugging, 0, 14, 0));
        close[7] = 1.05;
        QVERIFY(hits(close).empty());
        QVERIFY(only(hits({1.2, -1.3, -1.1, 1.4, 1.1, -1.2, 1.3, -1.5}), Rule::Avoiding, 0, 7, 0));
        QVERIFY(hits({1.2, -1.3, -1.1, 1.4, 1.1, -1.2, 1.3, -0.5}).empty());
        QVERIFY(hits({}).empty() && ruleHits({1, 2, 9}, 0, 0).empty());
        QCOMPARE(ruleText({Rule::OneSide, 1, 11, 1}), std::string("11 in a row above the mean (rule: 9)"));
        QVERIFY(letterOf(Rule::Beyond) == 'a' && letterOf(Rule::OneSide) == 'b' && letterOf(Rule::Avoiding) == 'h');
    }
    void mirroredValuesShowMirroredSigns()
    {
        for (unsigned seed = 0; seed < 40; ++seed) {
            std::vector<double> v = normal(300, seed);
            const auto up = ruleHits(v, 0.1, 0.8);
            for (double& x : v) x = 5 - 2 * x;
            auto down = ruleHits(v, 5 - 0.2, 1.6);
            QCOMPARE(up.size(), down.size());
            for (RuleHit& h : down) h.side = -h.side;
            QVERIFY(std::is_permutation(up.begin(), up.end(), down.begin()));
        }
    }
    void normalityTellsNormalFromOthers()
    {
        int refused = 0;
        for (unsigned seed = 0; seed < 1000; ++seed) refused += !normality(normal(50, seed, 12, 0.01))->likely();
        QVERIFY2(refused > 25 && refused < 80, qPrintable(QString::number(refused))); // 5 % of a thousand
        std::vector<double> skew = normal(200, 5);
        for (double& v : skew) v = std::exp(v);
        QVERIFY(!normality(skew)->likely() && normality(skew)->probability < 1e-6);
        std::vector<double> two = normal(400, 6);
        for (std::size_t i = 0; i < two.size(); i += 2) two[i] += 6;
        QVERIFY(!normality(two)->likely());
        // Place and scale do not matter.
        std::vector<double> v = normal(80, 9);
        const double before = normality(v)->statistic;
        for (double& x : v) x = 1000 + 0.001 * x;
        QVERIFY(std::abs(normality(v)->statistic - before) < 1e-6);
        QVERIFY(!normality({1, 2, 3}) && !normality(std::vector<double>(20, 4.0)));
        QVERIFY(normality(normal(100000, 3))->likely()); // of so many a part
    }
    void quantilesAgreeWithPublishedExamples()
    {
        // NIST/SEMATECH handbook 7.2.6.2: the 90th percentile of twelve gauge readings is 95.1981.
        std::vector<double> v{95.1772, 95.1567, 95.1937, 95.1959, 95.1442, 95.0610,
                              95.1591, 95.1195, 95.1065, 95.0925, 95.1990, 95.1682};
        std::sort(v.begin(), v.end());
        QVERIFY(digits(quantile(v, 0.9), 95.1981, 5e-5));
        QVERIFY(quantile(v, 0.001) == 95.0610 && quantile(v, 0.999) == 95.1990);
        // ISO 22514-2: a position's radius is distributed after Rayleigh; quantiles by its formula.
        std::vector<double> radius;
        const std::size_t n = 99999;
        for (std::size_t i = 1; i <= n; ++i)
            radius.push_back(0.02 * std::sqrt(-2 * std::log(1 - double(i) / double(n + 1))));
        std::shuffle(radius.begin(), radius.end(), std::mt19937(1));
        const auto at = [](double p) { return 0.02 * std::sqrt(-2 * std::log(1 - p)); };
        const auto q = quantilePerformance(radius, {}, 0.1);
        QVERIFY(q && digits(q->low, at(0.00135), 1e-8) && digits(q->median, at(0.5), 1e-8) &&
                digits(q->high, at(0.99865), 1e-8));
        QVERIFY(!q->pp && digits(*q->ppk, (0.1 - at(0.5)) / (at(0.99865) - at(0.5)), 1e-6));
        // Of normal values both methods say the same.
        const auto many = normal(200000, 2, 10, 0.5);
        const auto s = statisticsOf(many, 8.0, 12.5);
        const auto m = quantilePerformance(many, 8.0, 12.5);
        QVERIFY(digits(*m->pp, *s.pp, 0.03) && digits(*m->ppk, *s.ppk, 0.03));
        QVERIFY(!quantilePerformance(normal(kEnoughForQuantiles - 1, 1), 0.0, 1.0));
    }
};

QTEST_GUILESS_MAIN(StatisticsTest)
#include "statistics_test.moc"

// Limits worked out from trials and samples: what holds for any values, and the places they come from.
#include "inspect/proposals.h"
#include "support.h"

using namespace support;
using namespace recipe;
using inspect::proposeLimits;

namespace
{
image::Image bar(double wide) { return draw({box(90, 60, 90 + wide, 140)}, 300, 200, {}, 0.5); }
image::Image discs(int n)
{
    std::vector<std::vector<geometry::Point>> all;
    for (int i = 0; i < n; ++i) all.push_back(demo::circleOutline({60.0 + 60 * i, 100}, 14 + i));
    return draw(all, 420, 200, {}, 0.5);
}
Recipe width()
{
    Recipe r;
    chain(r, "edge_pair", "width", [](Step& s) {
        s.regions["window"] = geometry::Region::window({20, 100}, {280, 100}, 21);
    });
    return r;
}
Recipe counting()
{
    Recipe r;
    chain(r, "blobs", "discs", [](Step& s) {
        put(s, "objects", std::string("dark"));
        s.checks.clear();
        for (const char* output : {"count", "areas"}) {
            Check c;
            c.output = output, c.name = output;
            c.limits.unit = c.output == "areas" ? base::Unit::SquarePixel : base::Unit::None;
            s.checks.push_back(c);
        }
    });
    return r;
}
} // namespace

class ProposalsTest : public QObject
{
    Q_OBJECT
private slots:
    void everyGoodPartPassesAndNoLimitLiesBeyondABadOne()
    {
        demo::Random random(77);
        for (int round = 0; round < 3000; ++round) {
            std::vector<double> good, bad;
            const double middle = random.uniform(-50, 50), spread = std::exp(random.uniform(-7, 3));
            for (int i = 0, n = 1 + int(random.uniform(0, 20)); i < n; ++i)
                good.push_back(middle + random.uniform(-spread, spread));
            for (int i = 0, n = int(random.uniform(0, 12)); i < n; ++i)
                bad.push_back(middle + random.uniform(-5, 5) * spread);
            const auto p = proposeLimits(good, bad, base::Unit::Millimetre);
            QVERIFY(p);
            QCOMPARE(p->goodPass, int(good.size()));
            int caught = 0;
            const auto [lowest, highest] = std::minmax_element(good.begin(), good.end());
            for (const double v : bad) {
                caught += !p->limits.holds(v);
                // A bad value outside what the good ones span is never let in, but for the rounding of the limit.
                if (v < *lowest - 0.002 || v > *highest + 0.002)
                    QVERIFY2(!p->limits.holds(v), qPrintable(QString::number(v)));
            }
            QCOMPARE(p->badCaught, caught);
            QVERIFY(p->margin >= 0 && *p->limits.low <= *lowest && *p->limits.high >= *highest);
            QVERIFY(std::abs(p->margin - std::min(*lowest - *p->limits.low, *p->limits.high - *highest)) < 1e-12);
        }
    }
    void countsAreProposedAsTheyAre()
    {
        const auto p = proposeLimits({10, 10, 10}, {9, 11}, base::Unit::None);
        QVERIFY(p && *p->limits.low == 10 && *p->limits.high == 10 && p->badCaught == 2);
        const auto some = proposeLimits({3, 5}, {}, base::Unit::None);
        QVERIFY(some && *some->limits.low == 3 && *some->limits.high == 5);
    }
    void sharesEndWhereSharesEnd()
    {
        const auto p = proposeLimits({0.2, 99.9}, {}, base::Unit::Percent);
        QVERIFY(p && *p->limits.low == 0 && *p->limits.high == 100);
    }
    void noGoodPartNoLimits()
    {
        const auto none = proposeLimits({}, {1, 2}, base::Unit::Millimetre);
        QVERIFY(!none && none.error().message.find("no good part") == 0);
    }
    void labelsDecideWhoIsGood()
    {
        Recipe r = width();
        std::vector<inspect::PictureResult> results;
        for (const double wide : {120.0, 121.0, 140.0, 160.0})
            r.trials.push_back({std::to_string(wide), Label::Open}), results.push_back(runChain(r, bar(wide)));
        std::vector<const inspect::PictureResult*> all;
        for (const auto& x : results) all.push_back(&x);
        // Nothing labelled: all count as good.
        auto p = inspect::proposeFor(r, all, "width", "distance");
        QVERIFY(p && p->good.size() == 4 && p->limits.holds(160));
        r.trials[0].label = r.trials[1].label = Label::Good, r.trials[2].label = Label::Bad;
        p = inspect::proposeFor(r, all, "width", "distance");
        QVERIFY(p && p->good.size() == 2 && p->bad.size() == 1); // the open one is nobody's
        QVERIFY(p->limits.holds(120) && p->limits.holds(121) && !p->limits.holds(140));
        all[1] = nullptr; // not answered yet
        p = inspect::proposeFor(r, all, "width", "distance");
        QVERIFY(p && p->good.size() == 1);
        QVERIFY(!inspect::proposeFor(r, all, "width", "nothing"));
        QCOMPARE(int(inspect::proposeAll(r, all).size()), 1);
        r.steps[0].inUse = false;
        QVERIFY(inspect::proposeAll(r, all).empty());
    }
    void aCompleteSampleAndOneWithAGap()
    {
        const Recipe r = counting();
        const auto full = runChain(r, discs(5)), gap = runChain(r, discs(3)), again = runChain(r, discs(5));
        const auto p = inspect::proposeFromPair(r, full, gap, "discs", "count");
        QVERIFY(p);
        QVERIFY(p->limits.holds(5) && !p->limits.holds(3) && !p->limits.high);
        QCOMPARE(p->goodPass, 1);
        QCOMPARE(p->badCaught, 1);
        const auto swapped = inspect::proposeFromPair(r, gap, full, "discs", "count"),
                   equal = inspect::proposeFromPair(r, full, again, "discs", "count");
        QVERIFY(!swapped && swapped.error().message.find("swapped") != std::string::npos);
        QVERIFY(!equal && equal.error().message.find("nothing tells them apart") != std::string::npos);
        const auto empty = inspect::proposeFromPair(r, full, inspect::PictureResult{}, "discs", "count");
        QVERIFY(!empty && empty.error().message.find("incomplete sample") != std::string::npos);
    }
    void thisPartGivesNominals()
    {
        Recipe r = width();
        r.calibration = geometry::Calibration::factor(0.25, "");
        const auto result = runChain(r, bar(120));
        const auto& item = result.items.front();
        auto c = inspect::fromThisPart(r, item, r.steps[0].checks[0], "width", 0.05, false);
        QVERIFY(c && std::abs(*c->limits.nominal - 30) < 0.01 && c->limits.plus == 0.05 &&
                c->limits.unit == base::Unit::Millimetre);
        // Stated in the unit lengths are shown in.
        r.shownIn = base::Unit::Inch;
        c = inspect::fromThisPart(r, item, r.steps[0].checks[0], "width", 0.002, false);
        QVERIFY(c && c->limits.unit == base::Unit::Inch && std::abs(*c->limits.nominal - 30 / 25.4) < 0.0005);
        QVERIFY(!inspect::fromThisPart(r, item, r.steps[0].checks[0], "width", -1, false));
        QVERIFY(!inspect::fromThisPart(r, item, r.steps[0].checks[0], "gone", 1, false));
    }
    void everyElementGetsItsOwn()
    {
        Recipe r = counting();
        const auto result = runChain(r, discs(5));
        const auto byPlace = inspect::fromThisPart(r, result.items.front(), r.steps[0].checks[1], "discs", 30, true);
        QVERIFY2(byPlace.has_value(), byPlace ? "" : byPlace.error().message.c_str());
        QVERIFY(byPlace->match == Match::Place && byPlace->elements.size() == 5);
        for (std::size_t i = 0; i < 5; ++i) {
            QVERIFY(byPlace->elements[i].at &&
                    geometry::distance(*byPlace->elements[i].at, {60.0 + 60 * double(i), 100}) < 0.2);
            QVERIFY(std::abs(*byPlace->elements[i].own->nominal -
                             geometry::kPi * (14.0 + double(i)) * (14.0 + double(i))) < 12);
        }
        // It passes itself; without the second it names the second.
        r.steps[0].checks[1] = *byPlace;
        QVERIFY(runChain(r, discs(5)).items.front().checks[1].verdict == inspect::Verdict::Pass);
        std::vector<std::vector<geometry::Point>> some;
        for (const int i : {0, 2, 3, 4}) some.push_back(demo::circleOutline({60.0 + 60 * i, 100}, 14 + i));
        const auto gap = runChain(r, draw(some, 420, 200, {}, 0.5)).items.front().checks[1];
        QCOMPARE(gap.failed(), std::vector<int>{2});
        QCOMPARE(gap.reason, std::string("2 missing"));
        const auto byOrder = inspect::fromThisPart(r, result.items.front(), r.steps[0].checks[1], "discs", 30, false);
        QVERIFY(byOrder && byOrder->match == Match::Order && !byOrder->elements[0].at);
    }
    void wordsSayWhatTheyWouldDecide()
    {
        auto p = proposeLimits({25.98, 26.02}, {26.4, 26.01}, base::Unit::Millimetre);
        QVERIFY(p);
        QCOMPARE(p->words(base::Unit::Millimetre), std::string("proposed from 2 good: ") + p->limits.text() +
                                                       " mm; passes 2 good, fails 1 of 2 bad; margin 0.020 mm");
        QVERIFY(p->words(base::Unit::Inch).find(" in; passes 2 good") != std::string::npos);
    }
};
QTEST_GUILESS_MAIN(ProposalsTest)
#include "proposals_test.moc"

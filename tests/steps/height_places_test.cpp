#include "../height_support.h"
#include "inspect/proposals.h"

using namespace support;
using geometry::Point;
using geometry::Region;

class HeightPlacesTest : public QObject
{
    Q_OBJECT
    // 3 × 4 boxes of 0.5 mm on tilted ground; 7 is not there, 10 has another one on top, 4 casts no points.
    static image::Capture tray(bool complete = false)
    {
        return heightCapture(heights::picture(320, 240,
                                              [complete](double x, double y) {
                                                  const int c = int((x - 10) / 75), r = int((y - 10) / 75),
                                                            n = r * 4 + c + 1;
                                                  const double ground = 0.3 + 0.001 * x - 0.0005 * y,
                                                               dx = std::abs(x - (47.5 + 75 * c)),
                                                               dy = std::abs(y - (47.5 + 75 * r));
                                                  if (x < 10 || y < 10 || dx > 28 || dy > 24) return ground;
                                                  if (!complete && n == 7) return ground;
                                                  if (!complete && n == 4) return kGone;
                                                  return ground + (!complete && n == 10 ? 1.0 : 0.5);
                                              },
                                              {0.004, 0.05, true, 0.001, -5, 0.05, 3}));
    }
    static recipe::Recipe recipe()
    {
        recipe::Recipe r;
        chain(r, "height_base", "b", [](recipe::Step& s) {
            s.regions["region"] = Region::rectangle({160, 4}, 316, 8),
            s.regions["region_2"] = Region::rectangle({160, 85}, 310, 16);
        });
        chain(r, "height_places", "p", [](recipe::Step& s) {
            s.inputs = {{"base", "b"}};
            s.regions["field"] = Region::rectangle({160, 122.5}, 300, 225);
            recipe::Check h, c;
            h.output = "heights", h.balloon = 1, h.limits.low = 0.4, h.limits.high = 0.6,
            h.limits.unit = base::Unit::Millimetre;
            c.output = "shares", c.balloon = 2, c.limits.low = 60, c.limits.unit = base::Unit::Percent;
            s.checks = {h, c};
        });
        return r;
    }

private slots:
    void eachPlaceByHeightAndShare()
    {
        auto result = runOn(recipe(), tray(true));
        QVERIFY2(result.accepted(), result.items.front().sentence().c_str());
        QVERIFY(value(result, "missing") == 0 && value(result, "range") < 0.01);
        result = runOn(recipe(), tray());
        const auto& heights = *result.items.front().check("p", "heights");
        const auto& shares = *result.items.front().check("p", "shares");
        QVERIFY(heights.verdict == inspect::Verdict::Fail && heights.failed() == (std::vector<int>{4, 7, 10}));
        QVERIFY(heights.missing == 1 && heights.elements.size() == 12 && heights.values.size() == 11);
        QVERIFY(heights.elements[3].value == -1 && heights.elements[3].reason == "missing" && heights.elements[3].at);
        QVERIFY(heights.elements[6].reason.find("at least") == 0 && heights.elements[9].reason.find("at most") == 0);
        QVERIFY2(heights.reason.find("4 missing") != std::string::npos &&
                     heights.reason.find("no. 10") != std::string::npos,
                 heights.reason.c_str());
        QVERIFY(shares.failed() == std::vector<int>{4});
        // Too high fails as well as too low; the worst is named.
        QVERIFY(std::abs(heights.values[std::size_t(heights.elements[9].value)] - 1.0) < 0.01);
        QVERIFY(std::isnan(value(result, "range")) && value(result, "missing") == 1);
        QVERIFY(result.items.front().steps.back()->note == "missing: 4");
        // A formula over a list with a missing element has no value, and says which one it is.
        auto sum = recipe();
        chain(sum, "formula", "f", [](recipe::Step& s) { put(s, "expression", std::string("maxof([p.heights])")); });
        QVERIFY(fails(runOn(sum, tray()), "4 is missing"));
        const auto most = runOn(sum, tray(true));
        QVERIFY2(std::abs(value(most, "value") - 0.5) < 0.01,
                 (reason(most) + std::to_string(value(most, "value"))).c_str());
    }
    void aLimitOfItsOwnAndAName()
    {
        auto r = recipe();
        for (int i = 0; i < 12; ++i) r.steps[1].checks[0].elements.push_back({i == 9 ? "corner" : "", {}, {}});
        r.steps[1].checks[0].elements[9].own.emplace();
        r.steps[1].checks[0].elements[9].own->high = 1.1;
        r.steps[1].checks[0].elements[9].own->unit = base::Unit::Millimetre;
        auto result = runOn(r, tray());
        QVERIFY(result.items.front().check("p", "heights")[0].failed() == (std::vector<int>{4, 7}));
        QVERIFY(result.items.front().check("p", "heights")[0].elements[9].name == "corner");
    }
    void roundACircleAndFree()
    {
        // Eight pegs on a circle of 70 px, one short.
        const auto c = heightCapture(heights::picture(240, 240, [](double x, double y) {
            for (int i = 0; i < 8; ++i)
                if (geometry::distance(Point{120, 120} + geometry::direction(-geometry::kPi / 4 * i) * 70, {x, y}) < 10)
                    return i == 2 ? 0.3 : 1.0;
            return 0.0;
        }));
        recipe::Recipe r;
        chain(r, "height_places", "p", [](recipe::Step& s) {
            put(s, "layout", std::string("circle")), put(s, "count", std::int64_t(8)), put(s, "size", 12.0),
                put(s, "round", true);
            s.regions["field"] = Region::circle({120, 120}, 70);
        });
        auto result = runOn(r, c);
        const auto heights = list(result, "heights");
        QVERIFY2(heights.size() == 8, reason(result).c_str());
        for (std::size_t i = 0; i < 8; ++i) QVERIFY(std::abs(heights[i] - (i == 2 ? 0.3 : 1.0)) < 1e-6);
        r.steps[0].regions["field"] = Region::rectangle({120, 120}, 70, 70);
        QVERIFY(fails(runOn(r, c), "need a circle"));
        put(r.steps[0], "layout", std::string("free"));
        QVERIFY(fails(runOn(r, c), "no place has been drawn"));
        r.steps[0].places = {{"right", {190, 120}}, {"low", {120, 190}}};
        result = runOn(r, c);
        QVERIFY(std::abs(list(result, "heights")[0] - 1) < 1e-6 && std::abs(list(result, "heights")[1] - 0.3) < 1e-6);
        recipe::Check check;
        check.output = "heights", check.limits.low = 0.9, check.limits.unit = base::Unit::Millimetre;
        r.steps[0].checks = {check};
        QVERIFY(runOn(r, c).items.front().checks[0].elements[1].name == "low");
    }
    // From a complete tray and one with a gap: both sides of the height, one of the share; swapped and equal ones refused.
    void limitsFromACompleteTrayAndOneWithAGap()
    {
        const auto full = runOn(recipe(), tray(true)), gap = runOn(recipe(), tray());
        const auto h = inspect::proposeFromPair(recipe(), full, gap, "p", "heights");
        QVERIFY2(h.has_value(), h ? "" : h.error().text().c_str());
        // Place 7 shows the ground: half way between it and the organs, and as far above them.
        QVERIFY(std::abs(*h->limits.low - 0.25) < 0.01 && std::abs(*h->limits.high - 0.75) < 0.02);
        const auto c = inspect::proposeFromPair(recipe(), full, gap, "p", "shares");
        QVERIFY(c && *c->limits.low > 40 && *c->limits.low < 50 && !c->limits.high);
        QVERIFY(inspect::proposeFromPair(recipe(), gap, full, "p", "heights").error().message.find("swapped") !=
                std::string::npos);
        QVERIFY(inspect::proposeFromPair(recipe(), full, full, "p", "shares").error().message.find("nothing tells") !=
                std::string::npos);
        // A gap without a point is missing by itself: the limits are those of the complete one.
        auto hole = recipe();
        hole.steps[1].regions["field"] = Region::rectangle({272.5, 47.5}, 75, 75);
        put(hole.steps[1], "rows", std::int64_t(1)), put(hole.steps[1], "columns", std::int64_t(2)),
            put(hole.steps[1], "fill", 90.0);
        put(hole.steps[1], "layout", std::string("free")), put(hole.steps[1], "size", 30.0);
        hole.steps[1].places = {{"3", {197.5, 47.5}}, {"4", {272.5, 47.5}}};
        const auto p = inspect::proposeFromPair(hole, runOn(hole, tray(true)), runOn(hole, tray()), "p", "heights");
        QVERIFY2(p && *p->limits.low > 0.4 && *p->limits.high < 0.6 && p->badCaught == 1,
                 p ? "" : p.error().text().c_str());
    }
    void aFrameReadsRowsAndColumns()
    {
        const auto made = offers("height_places", tray(true), frame({10, 10}, {310, 235}));
        QVERIFY(made.size() == 1);
        QVERIFY2(made[0].words == "3 × 4 places", made[0].words.c_str());
        QVERIFY(made[0].judged.size() == 2);
    }
};
QTEST_APPLESS_MAIN(HeightPlacesTest)
#include "height_places_test.moc"

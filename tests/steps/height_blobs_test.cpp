#include "../height_support.h"

#include <nlohmann/json.hpp>
#include <numeric>

using namespace support;
using geometry::Point;
using geometry::Region;

class HeightBlobsTest : public QObject
{
    Q_OBJECT
    // Three low discs, two high ones, one box lying, on tilted ground; a disc of 20 % missing points.
    static image::Capture tray()
    {
        return heightCapture(heights::picture(300, 200,
                                              [](double x, double y) {
                                                  const double ground = 0.2 + 0.0015 * x + 0.001 * y;
                                                  for (const Point c : {Point{50, 50}, Point{110, 50}, Point{170, 50}})
                                                      if (geometry::distance(c, {x, y}) < 20)
                                                          return c.x == 110 && std::fmod(x * 7 + y * 13, 5) < 1
                                                                     ? kGone
                                                                     : ground + 0.5;
                                                  for (const Point c : {Point{50, 130}, Point{110, 130}})
                                                      if (geometry::distance(c, {x, y}) < 25) return ground + 1.1;
                                                  if (std::abs(x - 200) < 30 && std::abs(y - 140) < 8)
                                                      return ground + 0.3;
                                                  return ground;
                                              },
                                              {0.004, 0, true, 0.001, -5, 0.05, 3}));
    }
    static recipe::Recipe recipe()
    {
        recipe::Recipe r;
        chain(r, "height_base", "b", [](recipe::Step& s) {
            s.regions["region"] = Region::rectangle({150, 90}, 290, 20);
        });
        chain(r, "height_blobs", "o", [](recipe::Step& s) {
            s.inputs = {{"base", "b"}};
            put(s, "low", 0.15), put(s, "order", std::string("rows"));
        });
        return r;
    }

private slots:
    void eachWithItsHeightsAndItsVolume()
    {
        const auto r = runOn(recipe(), tray());
        QVERIFY2(value(r, "count") == 6, reason(r).c_str());
        const auto median = list(r, "height_median"), volume = list(r, "volume"), covered = list(r, "object_covered"),
                   areas = list(r, "areas"), low = list(r, "height_lowest"), high = list(r, "height_highest");
        const double expected[] = {0.5, 0.5, 0.5, 1.1, 1.1, 0.3};
        for (std::size_t i = 0; i < 6; ++i) {
            QVERIFY2(std::abs(median[i] - expected[i]) < 0.002, qPrintable(QString::number(median[i])));
            QVERIFY(low[i] < median[i] && low[i] > median[i] - 0.02 && high[i] > median[i] &&
                    high[i] < median[i] + 0.02);
            const double full = areas[i] * 0.05 * 0.05 * expected[i] * covered[i] / 100;
            QVERIFY2(std::abs(volume[i] / full - 1) < 0.005, qPrintable(QString("%1 %2").arg(volume[i]).arg(full)));
        }
        QVERIFY(std::abs(covered[1] - 80) < 2 && covered[0] == 100);
        QVERIFY(std::abs(areas[1] - geometry::kPi * 400) < 60); // holes of missing points are filled, and said to be
        QVERIFY(std::abs(value(r, "total_volume") - std::accumulate(volume.begin(), volume.end(), 0.0)) < 1e-9);
    }
    void aBandKeepsWhatLiesInIt()
    {
        auto r = recipe();
        put(r.steps[1], "low", 0.8), put(r.steps[1], "high", 1.4);
        QVERIFY(value(runOn(r, tray()), "count") == 2);
        put(r.steps[1], "low", 3.0), put(r.steps[1], "high", 4.0);
        QVERIFY(value(runOn(r, tray()), "count") == 0);
        put(r.steps[1], "low", 5.0);
        QVERIFY(fails(runOn(r, tray()), "5.000 mm, lies above the highest, 4.000 mm"));
        // Without the base the tilt is in the heights.
        r.steps[1].inputs.clear();
        put(r.steps[1], "low", 0.6), put(r.steps[1], "high", 50.0);
        QVERIFY(value(runOn(r, tray()), "count") != 6);
        r.steps[1].filters = {{"volume", 1.0, {}}};
        r.steps[1].inputs = {{"base", "b"}};
        put(r.steps[1], "low", 0.15);
        QVERIFY(value(runOn(r, tray()), "count") < 6);
        auto without = tray();
        auto pictures = std::vector<image::Picture>();
        pictures.push_back(image::makeHeights(without.first().pixels.clone(), {}, ""));
        QVERIFY(fails(runOn(r, {"x", std::move(pictures)}), "needs to know how many mm a pixel is"));
    }
    // What was not measured is not counted as none.
    void nothingMeasuredIsNotNothingThere()
    {
        recipe::Recipe r;
        chain(r, "height_blobs", "o", [](recipe::Step& s) {
            recipe::Check none;
            none.output = "count", none.balloon = 1, none.limits.high = 0;
            s.checks = {none};
        });
        const auto shown = [](double share) {
            return heightCapture(
                heights::picture(100, 100, [=](double x, double) { return x < share * 100 ? 0.0 : kGone; }, {}));
        };
        const auto verdict = [&](double share) { return runOn(r, shown(share)).items.front().checks.front().verdict; };
        QVERIFY(verdict(1) == inspect::Verdict::Pass);
        QVERIFY(verdict(0.7) == inspect::Verdict::Pass);
        QVERIFY(verdict(0.3) != inspect::Verdict::Pass);
        QVERIFY(verdict(0) != inspect::Verdict::Pass);
        put(r.steps[0], "least_covered", 20.0);
        QVERIFY(verdict(0.3) == inspect::Verdict::Pass);
    }
    void kindsAreToldApart()
    {
        auto r = recipe();
        r.steps[1].kinds = {{"low", 0.4, 0.6, {}, {}}, {"high", 0.9, {}, 500.0, {}}};
        recipe::Check each, none;
        each.output = "of_kind", each.balloon = 1;
        each.elements = {{"low", {}, {}}, {"high", {}, {}}};
        each.elements[0].own.emplace(), each.elements[1].own.emplace();
        each.elements[0].own->low = each.elements[0].own->high = 3,
        each.elements[1].own->low = each.elements[1].own->high = 3;
        none.output = "no_kind", none.balloon = 2, none.limits.high = 0;
        r.steps[1].checks = {each, none};
        const auto result = runOn(r, tray());
        QVERIFY(list(result, "of_kind") == (std::vector<double>{3, 2}));
        QVERIFY(list(result, "kind") == (std::vector<double>{1, 1, 1, 2, 2, 0}));
        QVERIFY(value(result, "no_kind") == 1);
        const auto& all = result.items.front().checks; // the base's own comes first
        const std::vector<inspect::CheckResult> checks(all.begin() + 1, all.end());
        QVERIFY(checks[0].verdict == inspect::Verdict::Fail &&
                checks[0].elements[0].verdict == inspect::Verdict::Pass &&
                checks[0].elements[1].verdict == inspect::Verdict::Fail && checks[0].elements[1].name == "high");
        QVERIFY(checks[1].verdict == inspect::Verdict::Fail);
        const auto& step = *result.items.front().steps.back();
        QVERIFY2(step.note.find("3 low, 2 high, 1 of no kind") != std::string::npos, step.note.c_str());
        QVERIFY(std::any_of(step.marks.begin(), step.marks.end(), [](const auto& m) { return m.text == "4 high"; }));
        // Kinds are kept in the file.
        const auto back = recipe::stepFromJson(recipe::stepToJson(r.steps[1]), "step");
        QVERIFY(back && back->kinds == r.steps[1].kinds);
        auto twice = recipe::stepToJson(r.steps[1]);
        twice["kinds"][1]["name"] = "low";
        QVERIFY(recipe::stepFromJson(twice, "step").error().message.find("stands twice") != std::string::npos);
    }
    void aFrameCountsWhatStandsOut()
    {
        const auto made = offers("height_blobs", tray(), frame({15, 15}, {205, 85}));
        QVERIFY(made.size() == 2 && made[0].rank == 0);
        recipe::Recipe r;
        r.steps.push_back(made[0].step);
        r.steps[0].id = std::string("o"), r.steps[0].kind = "height_blobs";
        QVERIFY2(value(runOn(r, tray()), "count") == 3, qPrintable(QString::number(value(runOn(r, tray()), "count"))));
        // On the flat there is nothing to count.
        QVERIFY(offers("height_blobs", tray(), frame({215, 20}, {290, 100})).empty());
    }
};
QTEST_APPLESS_MAIN(HeightBlobsTest)
#include "height_blobs_test.moc"

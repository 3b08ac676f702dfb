#include "../height_support.h"

using namespace support;
using geometry::Point;
using geometry::Region;

class HeightBaseTest : public QObject
{
    Q_OBJECT
    // A tilted plate with a block on it, in a picture whose ground lies 3 mm deeper.
    static image::Capture plate(double missing = 0)
    {
        return heightCapture(heights::picture(200, 150,
                                              [](double x, double y) {
                                                  if (x < 20 || x > 180 || y < 15 || y > 135) return -3.0;
                                                  const double z = 0.5 + 0.002 * x - 0.001 * y;
                                                  return x > 80 && x < 120 && y > 50 && y < 100 ? z + 1 : z;
                                              },
                                              {0.004, missing, true, 0.001, -5, 0.05, 7}));
    }

private slots:
    void aPlaneAndItsTilt()
    {
        for (const double missing : {0.0, 0.3}) {
            recipe::Recipe r;
            chain(r, "height_base", "b", [](recipe::Step& s) {
                s.regions["region"] = Region::rectangle({100, 75}, 150, 110);
            });
            const auto result = runOn(r, plate(missing));
            QVERIFY2(state(result, "b") == inspect::State::Ok, reason(result).c_str());
            QVERIFY(std::abs(value(result, "b", "tilt") -
                             geometry::degrees(std::atan(std::hypot(0.002, 0.001) / 0.05))) < 0.002);
            QVERIFY(std::abs(value(result, "b", "tilt_x") - geometry::degrees(std::atan(0.002 / 0.05))) < 0.002);
            QVERIFY(std::abs(value(result, "b", "tilt_y") + geometry::degrees(std::atan(0.001 / 0.05))) < 0.002);
            QVERIFY(std::abs(value(result, "b", "covered") - 100 * (1 - missing)) < 1);
            QVERIFY(std::abs(value(result, "b", "spread") - 0.004) < 0.0005);
            // The block is dropped, shown and said.
            QVERIFY(std::abs(value(result, "b", "used") - (100 - 100 * 39.0 * 49 / (150 * 110))) < 1);
            const auto& step = *result.items.front().step("b");
            QVERIFY(std::any_of(step.marks.begin(), step.marks.end(),
                                [](const auto& m) { return m.role == recipe::MarkRole::Stray; }));
            QVERIFY(step.note.find("% of the points lie off the plane") != std::string::npos);
        }
    }
    void severalAreasAndThreePoints()
    {
        recipe::Recipe r;
        chain(r, "height_base", "b", [](recipe::Step& s) {
            s.regions["region"] = Region::rectangle({40, 40}, 30, 30);
            s.regions["region_2"] = Region::circle({160, 40}, 12);
            s.regions["region_3"] = Region::rectangle({100, 125}, 80, 12);
            s.regions["region_4"] = Region::rectangle({45, 45}, 30, 30); // over the first: each pixel once
        });
        auto result = runOn(r, plate());
        QVERIFY(std::abs(value(result, "b", "tilt_x") - geometry::degrees(std::atan(0.002 / 0.05))) < 0.01);
        QVERIFY(std::abs(value(result, "b", "covered") - 100) < 1e-9);
        recipe::Recipe three;
        chain(three, "height_base", "b", [](recipe::Step& s) {
            put(s, "by", std::string("points"));
            put(s, "radius", 6.0);
            s.points = {{"first", {30, 30}}, {"second", {170, 30}}, {"third", {100, 125}}};
        });
        result = runOn(three, plate());
        QVERIFY2(std::abs(value(result, "b", "tilt_x") - geometry::degrees(std::atan(0.002 / 0.05))) < 0.02,
                 reason(result).c_str());
        three.steps[0].points.erase("third");
        QVERIFY(fails(runOn(three, plate()), "third point has not been placed"));
    }
    // A stated reach keeps what lies so near, and nothing else.
    void theReachCanBeStated()
    {
        recipe::Recipe r;
        chain(r, "height_base", "b", [](recipe::Step& s) {
            s.regions["region"] = Region::rectangle({100, 75}, 150, 110);
            put(s, "reach", 5.0);
        });
        const auto result = runOn(r, plate());
        QVERIFY(value(result, "b", "used") > 99.9);
        const auto e = inspect::evidence(*inspect::Prepared::make(r), plate(), result.items.front(), "b");
        QVERIFY(e && e->handles.size() == 1 && e->handles[0].param == "reach" && e->handles[0].value == 5);
    }
    void nothingThereIsAReason()
    {
        recipe::Recipe r;
        chain(r, "height_base", "b", [](recipe::Step& s) {
            s.regions["region"] = Region::rectangle({100, 75}, 150, 110);
        });
        QVERIFY(fails(runOn(r, heightCapture(heights::picture(200, 150, [](double, double) { return kGone; }))),
                      "no point was measured"));
        QVERIFY(fails(
            runOn(r, heightCapture(heights::picture(200, 150, [](double x, double) { return x < 40 ? 1.0 : kGone; }))),
            "% are needed"));
        r.steps[0].regions["region"] = Region::rectangle({900, 75}, 15, 11);
        QVERIFY(fails(runOn(r, plate()), "outside the picture"));
        // Grey is no height.
        QVERIFY(fails(runChain(r, draw({}, 60, 40)), "holds light"));
    }
    void aFrameOffersOne()
    {
        const auto made = offers("height_base", plate(), frame({40, 20}, {160, 45}));
        QVERIFY(made.size() == 1 && made[0].rank < 3 && made[0].step.regions.count("region"));
        QVERIFY(offers("height_base", captureOf(draw({}, 60, 40)), frame({4, 2}, {50, 35})).empty());
    }
};
QTEST_APPLESS_MAIN(HeightBaseTest)
#include "height_base_test.moc"

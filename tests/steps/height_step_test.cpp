#include "../height_support.h"

using namespace support;
using geometry::Region;

class HeightStepTest : public QObject
{
    Q_OBJECT
    // Tilted ground, 0.4 up at x = 60, 0.15 down at x = 100.
    static image::Capture stairs(double missing = 0)
    {
        return heightCapture(heights::picture(
            160, 60,
            [](double x, double y) { return 0.004 * x + 0.001 * y + (x > 60 ? 0.4 : 0.0) - (x > 100 ? 0.15 : 0.0); },
            {0.004, missing, true, 0.001, -5, 0.05, 3}));
    }
    static recipe::Recipe across(double from, double to)
    {
        recipe::Recipe r;
        chain(r, "height_step", "s", [&](recipe::Step& s) {
            s.regions["window"] = Region::window({from, 30}, {to, 30}, 21);
        });
        return r;
    }

private slots:
    void theGroundOnBothSidesMayTilt()
    {
        for (const double missing : {0.0, 0.3}) {
            auto r = runOn(across(20, 150), stairs(missing));
            QVERIFY2(std::abs(value(r, "step") - 0.4) < 0.003, qPrintable(QString::number(value(r, "step"))));
            QVERIFY(std::abs(value(r, "x") - 60.5) < 0.2 && value(r, "rise") > 0);
            QVERIFY(std::abs(value(r, "slope") - geometry::degrees(std::atan(0.004 / 0.05))) < 0.3);
            recipe::Recipe down = across(20, 150);
            put(down.steps[0], "sense", std::string("down"));
            r = runOn(down, stairs(missing));
            QVERIFY(std::abs(value(r, "step") - 0.15) < 0.003 && std::abs(value(r, "rise") + 0.15) < 0.003);
            // Backwards up is down.
            r = runOn(across(150, 20), stairs(missing));
            QVERIFY(std::abs(value(r, "rise") + 0.4) < 0.003);
        }
    }
    void noStepIsSaid()
    {
        QVERIFY(fails(runOn(across(10, 50), stairs()), "no step of 0.050 mm or more"));
        QVERIFY(
            fails(runOn(across(10, 50), heightCapture(heights::picture(160, 60, [](double, double) { return kGone; }))),
                  "no point"));
        const auto r = across(10, 50);
        const auto result = runOn(r, stairs());
        const auto e = inspect::evidence(*inspect::Prepared::make(r), stairs(), result.items.front(), "s");
        QVERIFY(e && !e->curves.empty() && e->note.find("no step") != std::string::npos); // why is seen in the section
    }
    void evidenceShowsBothPlateausAndTheGap()
    {
        const auto shadow = heightCapture(heights::picture(160, 60, [](double x, double) {
            return x < 60 ? 1.0 : x < 75 ? kGone : 0.6;
        }));
        const auto r = across(20, 150);
        const auto result = runOn(r, shadow);
        QVERIFY(std::abs(value(result, "step") - 0.4) < 1e-6 && value(result, "gap") == 15);
        const auto e = inspect::evidence(*inspect::Prepared::make(r), shadow, result.items.front(), "s");
        QVERIFY(e && e->gaps.size() == 1 && e->rules.size() == 1 && e->rules[0].text == "0.400 mm");
        QVERIFY(std::abs(e->gaps[0].to - e->gaps[0].from - 15 * 0.05) < 0.06);
        QVERIFY(std::count_if(e->curves.begin(), e->curves.end(),
                              [](const auto& c) { return c.look == recipe::Evidence::Curve::Look::Bold; }) == 2);
    }
    // Flat before, rising behind: at the edge, each side by its own line.
    void eachSideMayHaveItsOwnSlope()
    {
        const auto c = heightCapture(
            heights::picture(160, 60, [](double x, double) { return x <= 60 ? 0.1 : 0.6 - 0.006 * (x - 60); },
                             {0.003, 0, true, 0.001, -5, 0.05, 3}));
        recipe::Recipe r = across(20, 150);
        QVERIFY(std::abs(value(runOn(r, c), "step") - 0.5) > 0.02);
        put(r.steps[0], "slopes", std::string("own"));
        QVERIFY2(std::abs(value(runOn(r, c), "step") - 0.5) < 0.005,
                 qPrintable(QString::number(value(runOn(r, c), "step"))));
        put(r.steps[0], "reach", 20.0);
        QVERIFY(std::abs(value(runOn(r, c), "step") - 0.5) < 0.01);
        const auto made = offers("height_step", c, stroke({20, 30}, {150, 30}));
        QCOMPARE(made.size(), std::size_t(1));
        r.steps[0].params = made[0].step.params, r.steps[0].regions = made[0].step.regions;
        QVERIFY2(std::abs(value(runOn(r, c), "step") - 0.5) < 0.005,
                 qPrintable(QString::number(value(runOn(r, c), "step"))));
    }
    void aStrokeMakesIt()
    {
        const auto made = offers("height_step", stairs(), stroke({20, 30}, {90, 31}));
        QVERIFY(made.size() == 1 && made[0].rank == 0);
        recipe::Recipe r;
        r.steps.push_back(made[0].step);
        r.steps[0].id = std::string("made"), r.steps[0].kind = "height_step";
        QVERIFY(std::abs(value(runOn(r, stairs()), "step") - 0.4) < 0.005);
        QVERIFY(offers("height_step", stairs(), stroke({10, 30}, {50, 30})).empty());
    }
};
QTEST_APPLESS_MAIN(HeightStepTest)
#include "height_step_test.moc"

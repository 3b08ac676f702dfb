#include "../height_support.h"

using namespace support;
using geometry::Region;

class HeightAreaTest : public QObject
{
    Q_OBJECT
    static recipe::Recipe at(const Region& region, bool base = true)
    {
        recipe::Recipe r;
        if (base)
            chain(r, "height_base", "b", [](recipe::Step& s) {
                s.regions["region"] = Region::rectangle({30, 40}, 40, 60);
            });
        chain(r, "height_area", "a", [&](recipe::Step& s) {
            s.regions["region"] = region;
            if (base) s.inputs = {{"base", "b"}};
        });
        return r;
    }
    static image::Capture scene(double missing = 0)
    {
        return heightCapture(heights::picture(
            120, 80, [](double x, double y) { return 1 + 0.003 * x + 0.002 * y + (x > 60 ? 0.37 : 0.0); },
            {0.003, missing, false, 0.0005, -5, 0.05, 3}));
    }

private slots:
    void overTheBase()
    {
        for (const double missing : {0.0, 0.3}) {
            const auto r = runOn(at(Region::rectangle({90, 40}, 40, 50)), scene(missing));
            QVERIFY2(std::abs(value(r, "height") - 0.37) < 0.001, qPrintable(QString::number(value(r, "height"))));
            QVERIFY(std::abs(value(r, "mean") - 0.37) < 0.001 && std::abs(value(r, "spread") - 0.003) < 0.0005);
            QVERIFY(value(r, "lowest") < 0.366 && value(r, "lowest") > 0.355 && value(r, "highest") > 0.374);
            QVERIFY(std::abs(value(r, "covered") - 100 * (1 - missing)) < 3);
        }
        // Without a base over 0 of the scale.
        const auto r = runOn(at(Region::rectangle({90, 40}, 10, 10), false), scene());
        QVERIFY(std::abs(value(r, "height") - (1 + 0.27 + 0.08 + 0.37)) < 0.003);
    }
    void beyondThePictureNothingIsCovered()
    {
        const auto r = runOn(at(Region::rectangle({119.5, 40}, 40, 40), false), scene());
        QVERIFY2(std::abs(value(r, "covered") - 50) < 2, qPrintable(QString::number(value(r, "covered"))));
        QVERIFY(std::isnan(value(runOn(at(Region::rectangle({130, 40}, 40, 40), false), scene()), "height"))); // 24 %
    }
    void tooFewPointsGiveNoHeightButTheirShare()
    {
        const auto r =
            runOn(at(Region::rectangle({90, 40}, 40, 50)),
                  heightCapture(heights::picture(120, 80, [](double x, double) { return x < 76 ? 1.0 : kGone; })));
        QVERIFY(std::isnan(value(r, "height")) && value(r, "covered") > 5 && value(r, "covered") < 25);
        QVERIFY(r.items.front().steps.back()->note.find("at least 50 %") != std::string::npos);
        // A check on it is not measured, and no pass.
        recipe::Recipe judged = at(Region::rectangle({90, 40}, 40, 50));
        judged.steps[1].checks[0].limits.low = -100;
        judged.steps[1].checks[0].limits.unit = base::Unit::Millimetre;
        const auto j = runOn(
            judged, heightCapture(heights::picture(120, 80, [](double x, double) { return x < 76 ? 1.0 : kGone; })));
        QVERIFY(j.items.front().rejected() &&
                j.items.front().check("a", "height")->verdict == inspect::Verdict::NotMeasured);
    }
    // Half of the area lies 0.37 higher: with a bound in height only the lower half counts, the rest is as if missing.
    void onlyFromAndTo()
    {
        auto r = at(Region::rectangle({61, 40}, 80, 50));
        put(r.steps[1], "to", 0.2), put(r.steps[1], "least_covered", 10.0);
        auto result = runOn(r, scene());
        QVERIFY(std::abs(value(result, "height")) < 0.002 && std::abs(value(result, "covered") - 50) < 1.5);
        put(r.steps[1], "from", 0.2), put(r.steps[1], "to", 1.0);
        result = runOn(r, scene());
        QVERIFY(std::abs(value(result, "height") - 0.37) < 0.002 && value(result, "lowest") > 0.3);
        put(r.steps[1], "from", 2.0);
        QVERIFY(std::isnan(value(runOn(r, scene()), "height")));
    }
    void aFrameOffersIt() { QVERIFY(offers("height_area", scene(), frame({70, 10}, {110, 60})).front().rank == 0); }
};
QTEST_APPLESS_MAIN(HeightAreaTest)
#include "height_area_test.moc"

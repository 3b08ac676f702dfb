#include "../height_support.h"

using namespace support;
using geometry::Region;

class HeightBetweenTest : public QObject
{
    Q_OBJECT
private slots:
    void theSecondOverTheFirst()
    {
        const auto c = heightCapture(heights::picture(120, 80, [](double x, double) { return x > 60 ? 0.25 : 0.6; },
                                                      {0.004, 0.3, true, 0.001, -5, 0.05, 3}));
        recipe::Recipe r;
        chain(r, "height_between", "s", [](recipe::Step& s) {
            s.regions["region"] = Region::rectangle({30, 40}, 40, 50),
            s.regions["other"] = Region::circle({90, 40}, 20);
        });
        auto result = runOn(r, c);
        QVERIFY(std::abs(value(result, "step") + 0.35) < 0.001 && std::abs(value(result, "covered") - 70) < 4);
        r.steps[0].regions["other"] = Region::rectangle({200, 40}, 100, 10);
        QVERIFY(fails(runOn(r, c), "outside the picture"));
        // A stroke from one flat to the other offers it.
        const auto made = offers("height_between", c, stroke({20, 40}, {100, 40}));
        QVERIFY(made.size() == 1);
        recipe::Recipe offered;
        offered.steps.push_back(made[0].step);
        offered.steps[0].id = std::string("made"), offered.steps[0].kind = "height_between";
        QVERIFY(std::abs(value(runOn(offered, c), "step") + 0.35) < 0.003);
    }
};
QTEST_APPLESS_MAIN(HeightBetweenTest)
#include "height_between_test.moc"

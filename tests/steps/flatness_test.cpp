#include "../height_support.h"

using namespace support;
using geometry::Region;

class FlatnessTest : public QObject
{
    Q_OBJECT
private slots:
    // A plate that sags by 0.08 mm as a cylinder, tilted: its zone is 0.08 wide whatever way it is tilted.
    void aSaggingPlate()
    {
        for (const double missing : {0.0, 0.3}) {
            const auto c = heightCapture(heights::picture(201, 101,
                                                          [](double x, double y) {
                                                              const double d = (x - 100) / 100;
                                                              return 0.01 * x + 0.005 * y - 0.08 * d * d;
                                                          },
                                                          {0, missing, true, 0.001, -5, 0.5, 4}));
            recipe::Recipe r;
            chain(r, "flatness", "f", [](recipe::Step& s) {
                s.regions["region"] = Region::rectangle({100, 50}, 300, 300);
                put(s, "least_covered", 0.0);
            });
            auto result = runOn(r, c);
            QVERIFY2(std::abs(value(result, "flatness") - 0.08) < (missing > 0 ? 3e-4 : 3e-5),
                     qPrintable(QString::number(value(result, "flatness"), 'g', 9)));
            QVERIFY(std::abs(value(result, "tilt") - geometry::degrees(std::atan(std::hypot(0.01, 0.005) / 0.5))) <
                    0.01);
            const auto e = inspect::evidence(*inspect::Prepared::make(r), c, result.items.front(), "f");
            QVERIFY(e && e->rules.size() == 1);
        }
    }
    void spikesAndNothing()
    {
        const auto spike =
            heightCapture(heights::picture(100, 80, [](double x, double y) { return x == 30 && y == 20 ? 9.0 : 1.0; }));
        recipe::Recipe r;
        chain(r, "flatness", "f", [](recipe::Step&) {});
        QVERIFY(value(runOn(r, spike), "flatness") > 7);
        put(r.steps[0], "left_out", 0.1);
        const auto result = runOn(r, spike);
        QVERIFY(value(result, "flatness") < 1e-6 &&
                result.items.front().steps.back()->note.find("spikes") != std::string::npos);
        QVERIFY(fails(runOn(r, heightCapture(heights::picture(100, 80, [](double, double) { return kGone; }))),
                      "no point"));
        const auto few =
            runOn(r, heightCapture(heights::picture(100, 80, [](double x, double) { return x < 30 ? 1.0 : kGone; })));
        QVERIFY(std::isnan(value(few, "flatness")) && std::abs(value(few, "covered") - 30) < 1);
    }
};
QTEST_APPLESS_MAIN(FlatnessTest)
#include "flatness_test.moc"

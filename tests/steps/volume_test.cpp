#include "../height_support.h"

using namespace support;
using geometry::Region;

class VolumeTest : public QObject
{
    Q_OBJECT
private slots:
    // A cap of a ball, 2 mm high on 6 mm radius: π h² (3 r - h) / 3.
    void aCapOfABall()
    {
        for (const double missing : {0.0, 0.3}) {
            const auto c = heightCapture(
                heights::picture(240, 240,
                                 [](double x, double y) {
                                     const double d = std::hypot(x - 120, y - 120) * 0.05;
                                     return 0.002 * x + std::max(0.0, d < 6 ? std::sqrt(36 - d * d) - 4 : 0.0);
                                 },
                                 {0.002, missing, true, 0.001, -5, 0.05, 4}));
            recipe::Recipe r;
            chain(r, "height_base", "b", [](recipe::Step& s) {
                s.regions["region"] = Region::rectangle({120, 12}, 230, 20);
                s.regions["region_2"] = Region::rectangle({120, 228}, 230, 20);
            });
            chain(r, "volume", "v", [](recipe::Step& s) {
                s.inputs = {{"base", "b"}};
                s.regions["region"] = Region::circle({120, 120}, 95);
            });
            const auto result = runOn(r, c);
            const double full = geometry::kPi * 4 * (18 - 2) / 3, share = value(result, "covered") / 100;
            QVERIFY2(std::abs(value(result, "volume") / share / full - 1) < 0.005,
                     qPrintable(QString::number(value(result, "volume"))));
            QVERIFY(std::abs(share - (1 - missing)) < 0.02);
            QVERIFY(std::abs(value(result, "above") - value(result, "below") - value(result, "volume")) < 1e-9);
            QVERIFY((missing > 0) == (result.items.front().steps.back()->note.find("in which points were measured") !=
                                      std::string::npos));
        }
    }
    void withoutAScaleThereIsNone()
    {
        recipe::Recipe r;
        chain(r, "volume", "v", [](recipe::Step&) {});
        std::vector<image::Picture> plain;
        plain.push_back(
            image::makeHeights(heights::picture(30, 30, [](double, double) { return 1.0; }).pixels.clone(), {}, ""));
        const image::Capture c{"x", std::move(plain)};
        QVERIFY(fails(runOn(r, c), "how many mm a pixel is"));
        // The recipe's calibration says it too.
        r.calibration = geometry::Calibration::factor(0.1, "");
        QVERIFY(std::abs(value(runOn(r, c), "volume") - 9) < 1e-9);
        r.calibration = {};
        const auto few =
            runOn(r, heightCapture(heights::picture(30, 30, [](double x, double) { return x < 9 ? 1.0 : kGone; })));
        QVERIFY(std::isnan(value(few, "volume")) && value(few, "covered") == 30);
    }
};
QTEST_APPLESS_MAIN(VolumeTest)
#include "volume_test.moc"

#include "../height_support.h"

using namespace support;
using geometry::Region;

class HighestPointTest : public QObject
{
    Q_OBJECT
private slots:
    void overTheBaseAndNoSpike()
    {
        const auto c = heightCapture(heights::picture(160, 100, [](double x, double y) {
            const double ground = 0.01 * x;
            if (x == 20 && y == 20) return 40.0;
            if (std::hypot(x - 60, y - 70) < 7) return ground + 0.8;
            return std::hypot(x - 120, y - 30) < 7 ? ground - 0.6 : ground;
        }));
        recipe::Recipe r;
        chain(r, "height_base", "b", [](recipe::Step&) {});
        chain(r, "highest_point", "h", [](recipe::Step& s) { s.inputs = {{"base", "b"}}; });
        auto result = runOn(r, c);
        QVERIFY(std::abs(value(result, "height") - 0.8) < 1e-3 &&
                std::hypot(value(result, "x") - 60, value(result, "y") - 70) < 5);
        put(r.steps[1], "which", std::string("lowest"));
        result = runOn(r, c);
        QVERIFY(std::abs(value(result, "height") + 0.6) < 1e-3 &&
                std::hypot(value(result, "x") - 120, value(result, "y") - 30) < 5);
        // The point is a feature others read.
        chain(r, "height_area", "a", [](recipe::Step& s) { s.regionsOf["region"] = {"h", 3}; });
        QVERIFY(fails(runOn(r, heightCapture(heights::picture(160, 100, [](double, double) { return kGone; }))),
                      "was not found"));
    }
    // Of an area that is mostly not there the highest place is not known.
    void halfThereIsNotJudged()
    {
        recipe::Recipe r;
        chain(r, "highest_point", "h", [](recipe::Step&) {});
        const auto shown = [](double share) {
            return heightCapture(
                heights::picture(100, 100, [=](double x, double) { return x < share * 100 ? 0.3 : kGone; }));
        };
        QVERIFY(std::abs(value(runOn(r, shown(0.6)), "height") - 0.3) < 1e-6);
        QVERIFY(fails(runOn(r, shown(0.4)), "40 % of the area has points, at least 50 % are needed"));
        put(r.steps[0], "least_covered", 30.0);
        QVERIFY(std::abs(value(runOn(r, shown(0.4)), "height") - 0.3) < 1e-6);
    }
};
QTEST_APPLESS_MAIN(HighestPointTest)
#include "highest_point_test.moc"

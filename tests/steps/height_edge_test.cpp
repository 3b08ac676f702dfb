#include "../height_support.h"

using namespace support;
using geometry::Region;

class HeightEdgeTest : public QObject
{
    Q_OBJECT
private slots:
    void everyEdgeOfAGroove()
    {
        const auto c = heightCapture(
            heights::picture(160, 60, [](double x, double) { return x > 59.75 && x < 99.75 ? -0.3 : 0.0; },
                             {0.004, 0, true, 0.001, -5, 0.05, 3}));
        recipe::Recipe r;
        chain(r, "height_edge", "e", [](recipe::Step& s) {
            s.regions["window"] = Region::window({20, 30}, {150, 30}, 15);
            put(s, "pick", std::string("first"));
        });
        auto result = runOn(r, c);
        QVERIFY2(value(result, "edges") == 2, reason(result).c_str());
        QVERIFY(std::abs(value(result, "x") - 59.5) < 0.1 && std::abs(value(result, "rise") + 0.3) < 0.01);
        const auto positions = list(result, "positions");
        QVERIFY(std::abs(positions[1] - positions[0] - 40) < 0.1);
        put(r.steps[0], "sense", std::string("up"));
        result = runOn(r, c);
        QVERIFY(value(result, "edges") == 1 && std::abs(value(result, "x") - 99.5) < 0.1);
        r.steps[0].leaveOut.push_back(Region::rectangle({99, 30}, 10, 40));
        QVERIFY(fails(runOn(r, c), "no step of"));
        const auto made = offers("height_edge", c, stroke({30, 30}, {80, 30}));
        QVERIFY(made.size() == 1 && made[0].step.kind.empty());
    }
};
QTEST_APPLESS_MAIN(HeightEdgeTest)
#include "height_edge_test.moc"

#include "../support.h"

using namespace support;
using geometry::Point;
using geometry::Region;

class CircleThroughTest : public QObject
{
    Q_OBJECT
private slots:
    void boltCircleOfAGroup()
    {
        std::vector<std::vector<Point>> holes;
        for (int i = 0; i < 6; ++i)
            holes.push_back(
                demo::circleOutline(Point{150, 150} + geometry::direction(i * geometry::kPi / 3 + 0.1) * 90, 11));
        recipe::Recipe r;
        chain(r, "blobs", "holes", [](recipe::Step& s) {
            put(s, "objects", std::string("dark"));
            put(s, "order", std::string("round"));
        });
        chain(r, "circle_through", "bolt", [](recipe::Step& s) { s.inputs = {{"c1", "holes"}}; });
        const auto result = runChain(r, draw(holes, 300, 300));
        QVERIFY(std::abs(value(result, "bolt", "diameter") - 180) < 0.1);
        QVERIFY(std::abs(value(result, "bolt", "x") - 150) < 0.05 && value(result, "bolt", "deviation") < 0.1);
    }
    void twoCentresAreTooFew()
    {
        recipe::Recipe r;
        chain(r, "circle", "a", [](recipe::Step& s) { s.regions["ring"] = Region::ring({60, 60}, 2, 30); });
        chain(r, "circle_through", "bolt", [](recipe::Step& s) { s.inputs = {{"c1", "a"}, {"c2", "a"}}; });
        QVERIFY(runChain(r, draw({demo::circleOutline({60, 60}, 20)}, 120, 120))
                    .items[0]
                    .step("bolt")
                    ->reason.find("needs 3") != std::string::npos);
    }
};
QTEST_APPLESS_MAIN(CircleThroughTest)
#include "circle_through_test.moc"

#include "../support.h"

using namespace support;
using geometry::Point;
using geometry::Region;

class RoundnessTest : public QObject
{
    Q_OBJECT
    static image::Image lobes(double height)
    {
        std::vector<Point> p;
        for (int i = 0; i < 1440; ++i) {
            const double a = i * geometry::kPi / 720;
            p.push_back(Point{130, 130} + geometry::direction(a) * (80 + height * std::cos(3 * a)));
        }
        return draw({p}, 260, 260, {}, 0.5);
    }
private slots:
    void threeLobesAreTwiceTheirHeight()
    {
        for (const double height : {0.0, 1.0, 3.0}) {
            recipe::Recipe r;
            chain(r, "circle", "c", [](recipe::Step& s) {
                s.regions["ring"] = Region::ring({130, 130}, 60, 100);
                put(s, "reach", 6.0);
            });
            chain(r, "roundness", "r", [](recipe::Step& s) { s.inputs = {{"of", "c"}}; });
            const auto result = runChain(r, lobes(height));
            const double z = value(result, "r", "zone");
            QVERIFY2(z > 2 * height - 0.05 && z < 2 * height + 0.16, qPrintable(QString::number(z)));
            QVERIFY(value(result, "r", "points") > 490); // every px of the way round
        }
    }
};
QTEST_APPLESS_MAIN(RoundnessTest)
#include "roundness_test.moc"

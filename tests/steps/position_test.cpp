#include "../support.h"

using namespace support;
using geometry::Point;
using geometry::Region;

class PositionTest : public QObject
{
    Q_OBJECT
private slots:
    void diameterOfTheZoneInBothUnits()
    {
        for (const double scale : {0.0, 0.05}) {
            recipe::Recipe r;
            r.calibration = geometry::Calibration::factor(scale, "");
            chain(r, "circle", "hole", [](recipe::Step& s) { s.regions["ring"] = Region::ring({100, 80}, 5, 40); });
            const double k = scale > 0 ? scale : 1;
            chain(r, "position", "p", [&](recipe::Step& s) {
                s.inputs = {{"of", "hole"}};
                put(s, "x", 97.0 * k), put(s, "y", 84.0 * k);
            });
            const auto result = runChain(r, draw({demo::circleOutline({100, 80}, 20)}, 200, 160));
            QVERIFY2(std::abs(value(result, "p", "position") - 10 * k) < 0.05 * k,
                     qPrintable(QString::number(value(result, "p", "position"))));
            QVERIFY(std::abs(value(result, "p", "dx") - 3 * k) < 0.05 * k &&
                    std::abs(value(result, "p", "dy") + 4 * k) < 0.05 * k);
        }
    }
};
QTEST_APPLESS_MAIN(PositionTest)
#include "position_test.moc"

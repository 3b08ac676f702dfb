#include "bowed_plate.h"

using namespace support;
using geometry::Point;
using geometry::Region;

class PerpendicularityTest : public QObject
{
    Q_OBJECT
private slots:
    void theSlopeAgainstTheSide()
    {
        auto r = topLine();
        chain(r, "perpendicularity", "p", [](recipe::Step& s) { s.inputs = {{"of", "top"}, {"datum", "side"}}; });
        const double z = value(runChain(r, plate(0, 4)), "p", "zone");
        QVERIFY2(std::abs(z - 4 * 188 / 200.0) < 0.25, qPrintable(QString::number(z)));
    }
};
QTEST_APPLESS_MAIN(PerpendicularityTest)
#include "perpendicularity_test.moc"

#include "bowed_plate.h"

using namespace support;
using geometry::Point;
using geometry::Region;

class ParallelismTest : public QObject
{
    Q_OBJECT
private slots:
    void theSlopeIsTheZone()
    {
        auto r = topLine();
        chain(r, "parallelism", "p", [](recipe::Step& s) { s.inputs = {{"of", "top"}, {"datum", "base"}}; });
        const double length = 188;
        const double z = value(runChain(r, plate(0, 4)), "p", "zone");
        QVERIFY2(std::abs(z - 4 * length / 200) < 0.2, qPrintable(QString::number(z)));
        QVERIFY(value(runChain(r, plate(0, 0)), "p", "zone") < 0.15);
    }
};
QTEST_APPLESS_MAIN(ParallelismTest)
#include "parallelism_test.moc"

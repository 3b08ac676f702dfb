#include "bowed_plate.h"

using namespace support;
using geometry::Point;
using geometry::Region;

class StraightnessTest : public QObject
{
    Q_OBJECT
private slots:
    void theBowIsTheZone()
    {
        for (const double bow : {0.0, 1.5, 4.0}) {
            auto r = topLine();
            chain(r, "straightness", "s", [](recipe::Step& s) { s.inputs = {{"of", "top"}}; });
            const auto result = runChain(r, plate(bow, 3));
            const double z = value(result, "s", "zone");
            // Between the ends looked at the bow is a little less than over the whole edge.
            QVERIFY2(z > bow * 0.8 - 0.02 && z < bow * 1.02 + 0.12, qPrintable(QString::number(z)));
        }
    }
    void aBurrIsNotDropped()
    {
        auto r = topLine();
        chain(r, "straightness", "s", [](recipe::Step& s) { s.inputs = {{"of", "top"}}; });
        demo::Random random(3);
        const auto p = draw({box(50, 80, 250, 170), box(120, 74, 126, 82)}, 300, 220, {}, 0.5);
        QVERIFY(value(runChain(r, p.clone()), "s", "zone") > 5);
    }
};
QTEST_APPLESS_MAIN(StraightnessTest)
#include "straightness_test.moc"

#include "wedge.h"

using namespace support;
using geometry::Point;
using geometry::Region;

class FootTest : public QObject
{
    Q_OBJECT
private slots:
    void nearestPointOfTheLine()
    {
        auto r = wedge(0);
        chain(r, "edge_point", "p", [](recipe::Step& s) {
            s.regions["window"] = Region::window({15, 100}, {60, 100}, 7);
        });
        chain(r, "foot", "f", [](recipe::Step& s) { s.inputs = {{"first", "top"}, {"second", "p"}}; });
        const auto result = runChain(r, picture(0));
        QVERIFY(std::abs(value(result, "f", "x") - 30) < 0.05 && std::abs(value(result, "f", "y") - 60) < 0.05);
    }
};
QTEST_APPLESS_MAIN(FootTest)
#include "foot_test.moc"

#include "wedge.h"

using namespace support;
using geometry::Point;
using geometry::Region;

class LineThroughTest : public QObject
{
    Q_OBJECT
private slots:
    void throughTwoEdgePoints()
    {
        auto r = wedge(0);
        chain(r, "edge_point", "a", [](recipe::Step& s) {
            s.regions["window"] = Region::window({15, 100}, {60, 100}, 7);
        });
        chain(r, "edge_point", "b", [](recipe::Step& s) {
            s.regions["window"] = Region::window({285, 120}, {240, 120}, 7);
        });
        chain(r, "line_through", "l", [](recipe::Step& s) { s.inputs = {{"first", "a"}, {"second", "b"}}; });
        const auto result = runChain(r, picture(0));
        QVERIFY(std::abs(value(result, "l", "length") - std::hypot(240.0, 20.0)) < 0.1);
        QVERIFY(std::abs(value(result, "l", "angle") + geometry::degrees(std::atan2(20.0, 240.0))) < 0.03);
    }
};
QTEST_APPLESS_MAIN(LineThroughTest)
#include "line_through_test.moc"

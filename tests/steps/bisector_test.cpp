#include "wedge.h"

using namespace support;
using geometry::Point;
using geometry::Region;

class BisectorTest : public QObject
{
    Q_OBJECT
private slots:
    void ofAWedgeAndOfParallelEdges()
    {
        for (const double degrees : {0.0, 10.0}) {
            auto r = wedge(degrees);
            chain(r, "bisector", "b", [](recipe::Step& s) { s.inputs = {{"first", "top"}, {"second", "low"}}; });
            const auto result = runChain(r, picture(degrees));
            QVERIFY(std::abs(std::remainder(value(result, "b", "angle") - degrees / 2, 180)) < 0.05);
            if (degrees == 0.0)
                QVERIFY(std::abs(std::get<geometry::Segment>(result.items[0].step("b")->features.at("line")).from.y -
                                 110) < 0.05);
        }
    }
};
QTEST_APPLESS_MAIN(BisectorTest)
#include "bisector_test.moc"

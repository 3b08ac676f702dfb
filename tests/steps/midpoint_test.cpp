#include "wedge.h"

using namespace support;
using geometry::Point;
using geometry::Region;

class MidpointTest : public QObject
{
    Q_OBJECT
private slots:
    void betweenTwoLines()
    {
        auto r = wedge(0);
        chain(r, "midpoint", "m", [](recipe::Step& s) { s.inputs = {{"first", "top"}, {"second", "low"}}; });
        const auto result = runChain(r, picture(0));
        QVERIFY(std::abs(value(result, "m", "y") - 110) < 0.05);
    }
    void aMissingInputIsNamed()
    {
        auto r = wedge(0);
        chain(r, "midpoint", "m", [](recipe::Step& s) { s.inputs = {{"first", "top"}}; });
        QVERIFY(runChain(r, picture(0)).items[0].step("m")->reason.find("Second") != std::string::npos);
    }
};
QTEST_APPLESS_MAIN(MidpointTest)
#include "midpoint_test.moc"

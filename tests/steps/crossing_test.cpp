#include "wedge.h"

using namespace support;
using geometry::Point;
using geometry::Region;

class CrossingTest : public QObject
{
    Q_OBJECT
private slots:
    void beyondTheEnds()
    {
        auto r = wedge(10);
        chain(r, "crossing", "x", [](recipe::Step& s) { s.inputs = {{"first", "top"}, {"second", "low"}}; });
        const auto result = runChain(r, picture(10));
        const double at = 150 + 100 / std::tan(geometry::radians(10));
        QVERIFY2(std::abs(value(result, "x", "x") - at) < 0.6 && std::abs(value(result, "x", "y") - 60) < 0.1,
                 qPrintable(QString::number(value(result, "x", "x"))));
    }
    void parallelLinesDoNotCross()
    {
        recipe::Recipe r;
        chain(r, "line", "a", [](recipe::Step& s) { s.regions["window"] = Region::window({60, 60}, {240, 60}, 24); });
        chain(r, "crossing", "x", [](recipe::Step& s) { s.inputs = {{"first", "a"}, {"second", "a"}}; });
        QVERIFY(runChain(r, picture(0)).items[0].step("x")->reason.find("parallel") != std::string::npos);
    }
};
QTEST_APPLESS_MAIN(CrossingTest)
#include "crossing_test.moc"

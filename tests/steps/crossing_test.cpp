#include "../support.h"

using namespace support;
using geometry::Point;
using geometry::Region;

class CrossingTest : public QObject
{
    Q_OBJECT
    // Two lines of a wedge: the top edge level, the lower one rising.
    static recipe::Recipe wedge(double degrees)
    {
        recipe::Recipe r;
        chain(r, "line", "top", [](recipe::Step& s) { s.regions["window"] = Region::window({60, 60}, {240, 60}, 24); });
        const Point u = geometry::direction(geometry::radians(degrees));
        chain(r, "line", "low", [&](recipe::Step& s) {
            s.regions["window"] = Region::window(Point{150, 160} - u * 90, Point{150, 160} + u * 90, 24);
        });
        return r;
    }
    static image::Image picture(double degrees)
    {
        const double rise = std::tan(geometry::radians(degrees));
        return draw({{{30, 60}, {270, 60}, {270, 160 - 120 * rise}, {30, 160 + 120 * rise}}}, 300, 240);
    }
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

#include "../support.h"

using namespace support;
using geometry::Point;
using geometry::Region;

class FootTest : public QObject
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
    void nearestPointOfTheLine()
    {
        auto r = wedge(0);
        chain(r, "edge_point", "p", [](recipe::Step& s) { s.regions["window"] = Region::window({15, 100}, {60, 100}, 7); });
        chain(r, "foot", "f", [](recipe::Step& s) { s.inputs = {{"first", "top"}, {"second", "p"}}; });
        const auto result = runChain(r, picture(0));
        QVERIFY(std::abs(value(result, "f", "x") - 30) < 0.05 && std::abs(value(result, "f", "y") - 60) < 0.05);
    }
};
QTEST_APPLESS_MAIN(FootTest)
#include "foot_test.moc"

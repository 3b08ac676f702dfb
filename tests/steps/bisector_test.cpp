#include "../support.h"

using namespace support;
using geometry::Point;
using geometry::Region;

class BisectorTest : public QObject
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
    void ofAWedgeAndOfParallelEdges()
    {
        for (const double degrees : {0.0, 10.0}) {
            auto r = wedge(degrees);
            chain(r, "bisector", "b", [](recipe::Step& s) { s.inputs = {{"first", "top"}, {"second", "low"}}; });
            const auto result = runChain(r, picture(degrees));
            QVERIFY(std::abs(std::remainder(value(result, "b", "angle") - degrees / 2, 180)) < 0.05);
            if (degrees == 0.0) QVERIFY(std::abs(std::get<geometry::Segment>(result.items[0].step("b")->features.at("line")).from.y - 110) < 0.05);
        }
    }
};
QTEST_APPLESS_MAIN(BisectorTest)
#include "bisector_test.moc"

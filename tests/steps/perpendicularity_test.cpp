#include "../support.h"

using namespace support;
using geometry::Point;
using geometry::Region;

class PerpendicularityTest : public QObject
{
    Q_OBJECT
    // A dark plate whose top edge bows out by `bow` px and slopes by `slope` px over 200 px.
    static image::Image plate(double bow, double slope)
    {
        std::vector<Point> p;
        for (int i = 0; i <= 200; ++i) {
            const double t = i / 200.0;
            p.push_back({50.0 + i, 80 - bow * 4 * t * (1 - t) - slope * t});
        }
        p.push_back({250, 170}), p.push_back({50, 170});
        return draw({p}, 300, 220, {}, 0.5);
    }
    static recipe::Recipe topLine()
    {
        recipe::Recipe r;
        chain(r, "line", "top", [](recipe::Step& s) {
            s.regions["window"] = Region::window({56, 78}, {244, 78}, 30);
            put(s, "reach", 5.0);
        });
        chain(r, "line", "base", [](recipe::Step& s) { s.regions["window"] = Region::window({70, 170}, {230, 170}, 24); });
        chain(r, "line", "side", [](recipe::Step& s) { s.regions["window"] = Region::window({50, 150}, {50, 100}, 24); });
        return r;
    }
private slots:
    void theSlopeAgainstTheSide()
    {
        auto r = topLine();
        chain(r, "perpendicularity", "p", [](recipe::Step& s) { s.inputs = {{"of", "top"}, {"datum", "side"}}; });
        const double z = value(runChain(r, plate(0, 4)), "p", "zone");
        QVERIFY2(std::abs(z - 4 * 188 / 200.0) < 0.25, qPrintable(QString::number(z)));
    }
};
QTEST_APPLESS_MAIN(PerpendicularityTest)
#include "perpendicularity_test.moc"

#include "../support.h"

using namespace support;
using geometry::Point;
using geometry::Region;

class StraightnessTest : public QObject
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

#include "../support.h"

using namespace support;
using geometry::Region;

class EdgePointTest : public QObject
{
    Q_OBJECT
    static image::Image bar() { return draw({box(30.25, 5, 60.75, 55)}, 100, 60); }
private slots:
    void firstLastAndStrongest()
    {
        for (const auto& [which, x] : {std::pair{"first", 30.25}, {"last", 60.75}}) {
            const auto r = runStep("edge_point", bar(), [which = which](recipe::Step& s) {
                s.regions["window"] = Region::window({10, 30}, {90, 30}, 15);
                put(s, "which", std::string(which));
            });
            QVERIFY2(std::abs(value(r, "position") + 10 - x) < 0.03, qPrintable(QString::number(value(r, "position"))));
            QCOMPARE(value(r, "edges"), 2.0);
        }
    }
    void polarityChooses()
    {
        const auto r = runStep("edge_point", bar(), [](recipe::Step& s) {
            s.regions["window"] = Region::window({10, 30}, {90, 30}, 15);
            put(s, "polarity", std::string("dark_to_bright"));
        });
        QVERIFY(std::abs(value(r, "position") - 50.75) < 0.03);
        QVERIFY(std::abs(value(r, "strength") - 150) < 8);
    }
    void noEdgeSaysTheBound()
    {
        const auto r = runStep("edge_point", bar(), [](recipe::Step& s) {
            s.regions["window"] = Region::window({65, 30}, {95, 30}, 15);
            put(s, "least_strength", 25.0);
        });
        QCOMPARE(reason(r), std::string("no edge above 25 grey levels"));
        QVERIFY(!r.items[0].accepted());
    }
};
QTEST_APPLESS_MAIN(EdgePointTest)
#include "edge_point_test.moc"

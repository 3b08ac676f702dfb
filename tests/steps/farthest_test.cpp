#include "../support.h"

using namespace support;
using geometry::Point;
using geometry::Region;

class FarthestTest : public QObject
{
    Q_OBJECT
    static recipe::Recipe edge(const char* side)
    {
        recipe::Recipe r;
        chain(r, "line", "top", [](recipe::Step& s) { s.regions["window"] = Region::window({60, 80}, {240, 80}, 24); });
        chain(r, "farthest", "f", [&](recipe::Step& s) {
            s.inputs = {{"of", "top"}};
            put(s, "side", std::string(side));
        });
        return r;
    }
private slots:
    void burrAndSink()
    {
        // A burr 5 px high and 4 wide stands on the edge, a notch 3 px deep is cut into it.
        const auto picture =
            draw({box(40, 80, 260, 160), box(150, 75, 154, 82)}, 300, 200, {box(200, 79, 206, 83)}, 0.5);
        for (const auto& [side, size, x] :
             {std::tuple{"outward", 5.0, 152.0}, {"inward", 3.0, 203.0}, {"both", 5.0, 152.0}}) {
            const auto result = runChain(edge(side), picture.clone());
            QVERIFY2(std::abs(value(result, "f", "size") - size) < 0.3,
                     qPrintable(QString::number(value(result, "f", "size"))));
            QVERIFY(std::abs(value(result, "f", "x") - x) < 4);
        }
    }
    void aStraightEdgeHasNone()
    {
        const auto result = runChain(edge("both"), draw({box(40, 80, 260, 160)}, 300, 200, {}, 0.5));
        QVERIFY(value(result, "f", "size") < 0.15);
    }
    void offACircle()
    {
        recipe::Recipe r;
        chain(r, "circle", "c", [](recipe::Step& s) { s.regions["ring"] = Region::ring({120, 120}, 50, 90); });
        chain(r, "farthest", "f", [](recipe::Step& s) { s.inputs = {{"of", "c"}}; });
        const auto result =
            runChain(r, draw({demo::circleOutline({120, 120}, 70), box(187, 117, 196, 123)}, 240, 240, {}, 0.5));
        QVERIFY2(std::abs(value(result, "f", "size") - 6) < 0.3,
                 qPrintable(QString::number(value(result, "f", "size"))));
        // Left out, it is not looked at.
        r.steps.back().leaveOut.push_back(Region::circle({192, 120}, 15));
        QVERIFY(
            value(runChain(r, draw({demo::circleOutline({120, 120}, 70), box(187, 117, 196, 123)}, 240, 240, {}, 0.5)),
                  "f", "size") < 0.25);
    }
};
QTEST_APPLESS_MAIN(FarthestTest)
#include "farthest_test.moc"

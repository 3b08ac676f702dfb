#include "../support.h"

using namespace support;
using geometry::Point;
using geometry::Region;

class CornerTest : public QObject
{
    Q_OBJECT
private slots:
    void originIsTheCrossingAndXTheFirstEdge()
    {
        const double turn = geometry::radians(7);
        const geometry::Pose pose{{80, 220}, turn};
        std::vector<Point> plate = {pose.toPicture({0, 0}), pose.toPicture({200, 0}), pose.toPicture({200, -150}),
                                    pose.toPicture({0, -150})};
        recipe::Recipe r;
        const auto line = [&](const char* id, Point a, Point b) {
            chain(r, "line", id, [&](recipe::Step& s) {
                s.regions["window"] = Region::window(pose.toPicture(a), pose.toPicture(b), 30);
            });
        };
        line("bottom", {30, 0}, {170, 0}), line("left", {0, -30}, {0, -130});
        chain(r, "corner", "corner", [](recipe::Step& s) { s.inputs = {{"first", "bottom"}, {"second", "left"}}; });
        const auto result = runChain(r, draw({plate}, 340, 300));
        QVERIFY(std::abs(value(result, "corner", "x") - 80) < 0.05 &&
                std::abs(value(result, "corner", "y") - 220) < 0.05);
        QVERIFY(std::abs(value(result, "corner", "angle") - 7) < 0.02);
        QVERIFY(std::abs(value(result, "corner", "between") - 90) < 0.03);
        QCOMPARE(result.items[0].step("corner")->finds.size(), std::size_t(1));
    }
    void parallelEdgesMakeNoCorner()
    {
        recipe::Recipe r;
        chain(r, "line", "a", [](recipe::Step& s) { s.regions["window"] = Region::window({40, 30}, {160, 30}, 20); });
        chain(r, "line", "b", [](recipe::Step& s) { s.regions["window"] = Region::window({40, 90}, {160, 90}, 20); });
        chain(r, "corner", "corner", [](recipe::Step& s) { s.inputs = {{"first", "a"}, {"second", "b"}}; });
        const auto result = runChain(r, draw({box(20, 30, 180, 90)}, 200, 120));
        QVERIFY(result.items[0].step("corner")->reason.find("at least 5") != std::string::npos);
    }
};
QTEST_APPLESS_MAIN(CornerTest)
#include "corner_test.moc"

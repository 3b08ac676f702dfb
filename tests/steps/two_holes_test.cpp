#include "../support.h"

using namespace support;
using geometry::Point;
using geometry::Region;

class TwoHolesTest : public QObject
{
    Q_OBJECT
private slots:
    void originAndDirectionFollowThePlate()
    {
        // Two holes in a dark plate, shifted and turned between reference and picture.
        const auto picture = [](double turn, Point shift) {
            const geometry::Pose pose{Point{200, 150} + shift, turn};
            const auto at = [&](double x, double y) { return pose.toPicture({x, y}); };
            std::vector<Point> plate = {at(-120, -60), at(120, -60), at(120, 60), at(-120, 60)};
            return draw({plate}, 420, 320,
                        {demo::circleOutline(at(-70, 0), 14), demo::circleOutline(at(70, 0), 14),
                         demo::circleOutline(at(20, 30), 9)});
        };
        recipe::Recipe r;
        r.reference = *recipe::makeAsset("r.png", *image::encodePng(picture(0, {0, 0})), "");
        chain(r, "circle", "left", [](recipe::Step& s) { s.regions["ring"] = Region::ring({130, 150}, 2, 30); });
        chain(r, "circle", "right", [](recipe::Step& s) { s.regions["ring"] = Region::ring({270, 150}, 2, 30); });
        chain(r, "two_holes", "frame", [](recipe::Step& s) { s.inputs = {{"first", "left"}, {"second", "right"}}; });
        chain(r, "circle", "third", [](recipe::Step& s) {
            s.datum = "frame";
            s.regions["ring"] = Region::ring({220, 180}, 2, 16);
        });
        for (const auto& [turn, shift] : {std::pair{0.0, Point{0, 0}}, {0.03, Point{4, -3}}, {-0.04, Point{-3, 5}}}) {
            const auto result = runChain(r, picture(turn, shift));
            const geometry::Pose pose{Point{200, 150} + shift, turn};
            QVERIFY2(state(result, "third") == inspect::State::Ok,
                     qPrintable(QString::fromStdString(result.items[0].step("third")->reason)));
            const Point third = pose.toPicture({20, 30});
            QVERIFY(std::abs(value(result, "third", "x") - third.x) < 0.05 &&
                    std::abs(value(result, "third", "y") - third.y) < 0.05);
            QVERIFY(std::abs(value(result, "frame", "angle") - geometry::degrees(turn)) < 0.03);
            QVERIFY(std::abs(value(result, "frame", "distance") - 140) < 0.05);
            // In the datum's own frame nothing has moved.
            QVERIFY(std::abs(value(result, "third", "along_x") - 90) < 0.06 &&
                    std::abs(value(result, "third", "along_y") - 30) < 0.06);
        }
    }
    void onePlaceGivesNoDirection()
    {
        recipe::Recipe r;
        chain(r, "circle", "a", [](recipe::Step& s) { s.regions["ring"] = Region::ring({60, 60}, 2, 40); });
        chain(r, "two_holes", "frame", [](recipe::Step& s) { s.inputs = {{"first", "a"}, {"second", "a"}}; });
        const auto result = runChain(r, draw({demo::circleOutline({60, 60}, 25)}, 120, 120));
        QVERIFY(result.items[0].step("frame")->reason.find("one place") != std::string::npos);
    }
};
QTEST_APPLESS_MAIN(TwoHolesTest)
#include "two_holes_test.moc"

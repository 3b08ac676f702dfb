#include "../height_support.h"

using namespace support;
using geometry::Point;
using geometry::Region;

class HeightLineTest : public QObject
{
    Q_OBJECT
    // The rim of a plate: a corner of two edges turned by 4°, something lying on one of them, shadow beside the other.
    static image::Capture corner()
    {
        const geometry::Pose at{{60, 50}, geometry::radians(4)};
        return heightCapture(heights::picture(220, 180,
                                              [at](double x, double y) {
                                                  const Point p = at.toLocal({x, y});
                                                  const bool on = p.x > 0 && p.y > 0;
                                                  if (p.x > 60 && p.x < 80 && p.y > -10 && p.y < 20) return 0.9;
                                                  if (!on && p.x > -8 && p.x < 0 && p.y > 0) return kGone;
                                                  return on ? 0.5 : 0.0;
                                              },
                                              {0.005, 0, true, 0.001, -5, 0.05, 3}));
    }

private slots:
    void twoRimsMakeADatum()
    {
        recipe::Recipe r;
        const geometry::Pose at{{60, 50}, geometry::radians(4)};
        const auto window = [&](Point a, Point b) { return Region::window(at.toPicture(a), at.toPicture(b), 30); };
        chain(r, "height_line", "top", [&](recipe::Step& s) { s.regions["window"] = window({15, 1}, {150, -1}); });
        chain(r, "height_line", "left", [&](recipe::Step& s) { s.regions["window"] = window({1, 10}, {-1, 110}); });
        chain(r, "crossing", "origin", [](recipe::Step& s) { s.inputs = {{"first", "top"}, {"second", "left"}}; });
        const auto result = runOn(r, corner());
        QVERIFY2(state(result, "origin") == inspect::State::Ok, result.items.front().step("top")->reason.c_str());
        QVERIFY(std::abs(value(result, "top", "angle") - 4) < 0.1);
        QVERIFY(std::abs(std::abs(value(result, "top", "rise")) - 0.5) < 0.02);
        QVERIFY2(std::abs(value(result, "origin", "x") - 60) < 0.6 && std::abs(value(result, "origin", "y") - 50) < 0.3,
                 qPrintable(QString("%1 %2").arg(value(result, "origin", "x")).arg(value(result, "origin", "y"))));
        // What lies on the rim is stray.
        const auto& marks = result.items.front().step("top")->marks;
        QVERIFY(
            std::any_of(marks.begin(), marks.end(), [](const auto& m) { return m.role == recipe::MarkRole::Stray; }));
    }
    void withoutAnEdgeThereIsNone()
    {
        recipe::Recipe r;
        chain(r, "height_line", "l", [&](recipe::Step& s) {
            s.regions["window"] = Region::window({100, 150}, {200, 150}, 20);
        });
        QVERIFY(fails(runOn(r, corner()), "no step of"));
        const auto made = offers("height_line", corner(), stroke({80, 49}, {110, 47}));
        QVERIFY(made.size() == 1);
        QVERIFY(offers("height_line", corner(), stroke({100, 150}, {200, 150})).empty());
    }
};
QTEST_APPLESS_MAIN(HeightLineTest)
#include "height_line_test.moc"

#include "../support.h"

using namespace support;
using geometry::Point;
using geometry::Region;

class EllipseTest : public QObject
{
    Q_OBJECT
private slots:
    void axesOfATiltedDisc()
    {
        std::vector<Point> outline;
        const Point u = geometry::direction(geometry::radians(25)), v = geometry::leftOf(u);
        for (int i = 0; i < 720; ++i)
            outline.push_back(Point{150, 130} + u * (90 * std::cos(i * geometry::kPi / 360)) +
                              v * (60 * std::sin(i * geometry::kPi / 360)));
        const auto r = runStep("ellipse", draw({outline}, 300, 260), [](recipe::Step& s) {
            s.regions["ring"] = Region::ring({148, 131}, 40, 115);
            put(s, "windows", std::int64_t(120));
        });
        QVERIFY2(reason(r).empty(), qPrintable(QString::fromStdString(reason(r))));
        QVERIFY(std::abs(value(r, "x") - 150) < 0.03 && std::abs(value(r, "y") - 130) < 0.03);
        QVERIFY2(std::abs(value(r, "major") - 180) < 0.1 && std::abs(value(r, "minor") - 120) < 0.1,
                 qPrintable(QString::number(value(r, "major")) + " " + QString::number(value(r, "minor"))));
        QVERIFY(std::abs(value(r, "angle") - 25) < 0.05);
    }
    void straysAreDroppedAndBlankIsSaid()
    {
        std::vector<Point> bump = {{230, 118}, {262, 118}, {262, 142}, {230, 142}};
        const auto r =
            runStep("ellipse", draw({demo::circleOutline({150, 130}, 85), bump}, 300, 260), [](recipe::Step& s) {
                s.regions["ring"] = Region::ring({150, 130}, 60, 115);
            });
        QVERIFY2(std::abs(value(r, "major") - 170) < 0.2 && value(r, "share") < 99,
                 qPrintable(QString::number(value(r, "major")) + " " + QString::number(value(r, "share"))));
        const auto blank = runStep("ellipse", image::Image(100, 100, image::PixelFormat::Grey8), [](recipe::Step& s) {
            s.regions["ring"] = Region::ring({50, 50}, 10, 40);
        });
        QVERIFY(reason(blank).find("no edge") != std::string::npos);
    }
};
QTEST_APPLESS_MAIN(EllipseTest)
#include "ellipse_test.moc"

#include "../support.h"

using namespace support;
using geometry::Point;
using geometry::Region;

class ContourTest : public QObject
{
    Q_OBJECT
private slots:
    void overallSizesOfATurnedPlate()
    {
        for (const double degrees : {0.0, 12.0, 45.0}) {
            const auto plate =
                Region::rectangle({160.3, 140.6}, 180, 90, geometry::radians(degrees)).outlines().front();
            const auto r =
                runStep("contour", draw({plate}, 320, 280, {demo::circleOutline({160, 140}, 15)}), [](recipe::Step& s) {
                    put(s, "objects", std::string("dark"));
                    s.regions["region"] = Region::rectangle({160, 140}, 300, 260);
                });
            QVERIFY2(std::abs(value(r, "length") - 180) < 0.5 && std::abs(value(r, "width") - 90) < 0.5,
                     qPrintable(QString::number(value(r, "length"))));
            QVERIFY2(std::abs(value(r, "area") - 16200) < 60, qPrintable(QString::number(value(r, "area"))));
            QCOMPARE(value(r, "holes"), 1.0);
            if (degrees == 0.0)
                QVERIFY2(std::abs(value(r, "length_x") - 180) < 0.3 && std::abs(value(r, "length_y") - 90) < 0.3,
                         qPrintable(QString::number(value(r, "length_x"))));
        }
    }
    void theOutlineOfADiscIsRound()
    {
        const auto r = runStep("contour", draw({demo::circleOutline({100.4, 99.7}, 70)}, 200, 200),
                               [](recipe::Step& s) { put(s, "objects", std::string("dark")); });
        const auto& points = std::get<recipe::Contour>(r.items[0].steps[0]->features.at("contour")).points;
        double worst = 0, mean = 0;
        for (const Point p : points) {
            const double off = geometry::distance(p, {100.4, 99.7}) - 70;
            worst = std::max(worst, std::abs(off)), mean += off / double(points.size());
        }
        QVERIFY2(worst < 0.25 && std::abs(mean) < 0.02,
                 qPrintable(QString::number(worst) + " " + QString::number(mean)));
    }
    void cutByThePictureIsSaid()
    {
        const auto r = runStep("contour", draw({box(-20, 30, 60, 90)}, 120, 120),
                               [](recipe::Step& s) { put(s, "objects", std::string("dark")); });
        QCOMPARE(value(r, "cut"), 1.0);
        QVERIFY(r.items[0].steps[0]->note.find("cut") != std::string::npos);
    }
};
QTEST_APPLESS_MAIN(ContourTest)
#include "contour_test.moc"

#include "../support.h"

using namespace support;
using geometry::Region;

class CircleTest : public QObject
{
    Q_OBJECT
private slots:
    void holeAndDisc()
    {
        for (const bool hole : {false, true}) {
            const auto round = demo::circleOutline({60.3, 58.7}, 31.4);
            auto p = hole ? draw({box(-10, -10, 140, 140)}, 120, 120, {round}) : draw({round}, 120, 120);
            const auto r = runStep(
                "circle", std::move(p),
                [&](recipe::Step& s) {
                    s.regions["ring"] = Region::ring({61, 59}, 22, 42);
                    put(s, "polarity", std::string(hole ? "bright_to_dark" : "dark_to_bright"));
                },
                0.1);
            QVERIFY2(reason(r).empty(), reason(r).c_str());
            // places stay in px
            QVERIFY(std::abs(value(r, "x") - 60.3) < 0.01 && std::abs(value(r, "y") - 58.7) < 0.01);
            QVERIFY2(std::abs(value(r, "diameter") - 6.28) < 0.002, qPrintable(QString::number(value(r, "diameter"))));
        }
    }
    void searchInwardFindsTheSame()
    {
        const auto p = [] { return draw({demo::circleOutline({60.3, 58.7}, 31.4)}, 120, 120); };
        const auto run = [&](bool inward) {
            return runStep("circle", p(), [&](recipe::Step& s) {
                s.regions["ring"] = Region::ring({61, 59}, 22, 42);
                put(s, "inward", inward);
                put(s, "polarity", std::string(inward ? "bright_to_dark" : "dark_to_bright"));
            });
        };
        QVERIFY(std::abs(value(run(true), "radius") - value(run(false), "radius")) < 0.005);
    }
    void aMissingPartIsStrayOrSaid()
    {
        const auto half = [](double share) {
            return runStep("circle", draw({demo::circleOutline({60, 60}, 30)}, 120, 120, {box(60, 0, 120, 120)}),
                           [=](recipe::Step& s) {
                               s.regions["ring"] = Region::ring({60, 60}, 20, 40);
                               put(s, "least_share", share);
                           });
        };
        QVERIFY(std::abs(value(half(40), "radius") - 30) < 0.05);
        QVERIFY(reason(half(80)).find("80 % are asked") != std::string::npos);
    }
    void outsideThePictureIsSaid()
    {
        const auto r = runStep("circle", draw({}, 60, 60), [](recipe::Step& s) {
            s.regions["ring"] = Region::ring({500, 500}, 20, 40);
        });
        QCOMPARE(reason(r), std::string("the region lies outside the picture"));
    }
};
QTEST_APPLESS_MAIN(CircleTest)
#include "circle_test.moc"

#include "../support.h"

using namespace support;
using geometry::Point;
using geometry::Region;

class LineTest : public QObject
{
    Q_OBJECT
private slots:
    void angleAndPlaceAtAnyTurn()
    {
        for (int i = 0; i < 8; ++i) {
            const double angle = 0.8 * i - 2.6;
            const Point u = geometry::direction(angle), v = geometry::leftOf(u), c{80, 80};
            // Dark on the right hand of the direction, bright on the left: the search to the left goes from dark to
            // bright.
            const auto part =
                std::vector<Point>{c - u * 200.0, c + u * 200.0, c + u * 200.0 - v * 200.0, c - u * 200.0 - v * 200.0};
            const auto r = runStep("line", draw({part}, 160, 160), [&](recipe::Step& s) {
                s.regions["window"] = Region::window(c - u * 50.0 + v * 3.0, c + u * 50.0 + v * 3.0, 24);
                put(s, "polarity", std::string("dark_to_bright"));
            });
            QVERIFY2(reason(r).empty(), reason(r).c_str());
            QVERIFY(std::abs(geometry::wrapped(geometry::radians(value(r, "angle")) - angle)) < 0.001);
            const auto line = std::get<geometry::Segment>(r.items[0].steps[0]->features.at("line"));
            QVERIFY(std::abs(geometry::signedDistance(line, c)) < 0.02);
            QCOMPARE(value(r, "share"), 100.0);
        }
    }
    void wrongPolarityFindsNothing()
    {
        const auto r = runStep("line", draw({box(0, 40, 120, 80)}, 120, 80), [](recipe::Step& s) {
            s.regions["window"] = Region::window({10, 40}, {110, 40}, 20);
            put(s, "polarity", std::string("bright_to_dark"));
        });
        QVERIFY(reason(r).find("no edge above 12 grey levels") == 0);
    }
    void reversedSearchTakesTheOtherPolarity()
    {
        const auto r = runStep("line", draw({box(0, 40, 120, 80)}, 120, 80), [](recipe::Step& s) {
            s.regions["window"] = Region::window({10, 40}, {110, 40}, 20);
            put(s, "polarity", std::string("bright_to_dark"));
            put(s, "reversed", true);
        });
        QVERIFY(reason(r).empty());
    }
    void aNotchIsStray()
    {
        const auto r =
            runStep("line", draw({box(0, 40, 120, 80)}, 120, 80, {box(50, 40, 65, 46)}), [](recipe::Step& s) {
                s.regions["window"] = Region::window({10, 40}, {110, 40}, 24);
            });
        QVERIFY(value(r, "share") < 90 && value(r, "share") > 70);
        const auto line = std::get<geometry::Segment>(r.items[0].steps[0]->features.at("line"));
        QVERIFY(std::abs(geometry::signedDistance(line, {60, 39.5 + 0.5})) < 0.05);
        QVERIFY(std::any_of(r.items[0].steps[0]->marks.begin(), r.items[0].steps[0]->marks.end(),
                            [](const auto& m) { return m.role == recipe::MarkRole::Stray; }));
    }
    void tooSmallAShareIsNotMeasured()
    {
        const auto r = runStep("line", draw({box(0, 40, 40, 80)}, 120, 80), [](recipe::Step& s) {
            s.regions["window"] = Region::window({5, 40}, {115, 40}, 20);
        });
        QVERIFY2(reason(r).find("50 % are asked") != std::string::npos, reason(r).c_str());
    }
};
QTEST_APPLESS_MAIN(LineTest)
#include "line_test.moc"

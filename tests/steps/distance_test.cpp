#include "../support.h"

#include "steps/distance/distance.h"

using namespace support;
using geometry::Circle;
using geometry::Point;
using geometry::Segment;
using recipe::Feature;

class DistanceTest : public QObject
{
    Q_OBJECT
    static double between(const Feature& a, const Feature& b)
    {
        const auto e = steps::ends(a, b, steps::Reach::Centre);
        return e ? geometry::distance(e->first, e->second) : -1;
    }
private slots:
    void pointsCirclesAndLines()
    {
        QCOMPARE(between(Point{0, 0}, Point{3, 4}), 5.0);
        QCOMPARE(between(Circle{{0, 0}, 9}, Circle{{6, 8}, 2}), 10.0); // centre to centre
        QCOMPARE(between(Point{3, -7}, Segment{{0, 0}, {10, 0}}), 7.0);
        QCOMPARE(between(Segment{{0, 0}, {10, 0}}, Circle{{30, 5}, 1}), 5.0); // the line goes on
    }
    void nearlyParallelLinesAreMeasuredOverTheOverlap()
    {
        // y = 0 from 0 to 10 and y = 10 + 0.02 x from 4 to 20: overlap 4..10, middle 7.
        const Segment a{{0, 0}, {10, 0}}, b{{4, 10.08}, {20, 10.4}};
        QVERIFY(std::abs(between(a, b) - 10.14) < 0.01);
        QVERIFY(std::abs(between(b, a) - between(a, b)) < 0.01);
        QVERIFY(std::abs(between(a, {Segment{b.to, b.from}}) - between(a, b)) < 1e-9); // direction does not matter
    }
    void linesThatAreNotParallelAreRefused()
    {
        const auto e = steps::ends(Segment{{0, 0}, {10, 0}}, Segment{{0, 5}, {10, 9}}, steps::Reach::Centre);
        QVERIFY(!e && e.error().message.find("5°") != std::string::npos);
    }
    void alongTheDatumAxes()
    {
        recipe::Recipe r;
        const auto circleAt = [&](Point c) {
            recipe::Step s = recipe::makeStep(r, *recipe::findKind("circle"));
            s.regions["ring"] = geometry::Region::ring(c, 8, 24);
            r.steps.push_back(s);
            return s.id;
        };
        const std::string a = circleAt({40, 40}), b = circleAt({100, 70});
        for (const auto& [along, truth] :
             {std::pair{"direct", std::hypot(60, 30)}, {"datum_x", 60.0}, {"datum_y", 30.0}}) {
            recipe::Recipe copy = r;
            recipe::Step s = recipe::makeStep(copy, *recipe::findKind("distance"));
            s.inputs = {{"first", a}, {"second", b}};
            put(s, "along", std::string(along));
            copy.steps.push_back(s);
            const auto result = inspect::evaluate(
                *inspect::Prepared::make(copy),
                captureOf(draw({demo::circleOutline({40, 40}, 15), demo::circleOutline({100, 70}, 15)}, 140, 110)));
            QVERIFY2(std::abs(value(result, "distance") - truth) < 0.02, along);
        }
    }
    void aMissingInputIsSaid()
    {
        const auto r = runStep("distance", draw({}, 40, 40), [](recipe::Step& s) { s.inputs = {{"first", "gone"}}; });
        QVERIFY(reason(r).find("input missing") == 0);
        QCOMPARE(int(r.items[0].checks[0].verdict), int(inspect::Verdict::NotMeasured));
    }
};
QTEST_APPLESS_MAIN(DistanceTest)
#include "distance_test.moc"

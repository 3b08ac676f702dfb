#include "demo/render.h"
#include "geometry/fit.h"
#include "geometry/region.h"

#include <QtTest>

using namespace geometry;

class GeometryTest : public QObject
{
    Q_OBJECT
private slots:
    void anglesAreCounterClockwiseAsSeen()
    {
        const Point up = direction(kPi / 2);
        QVERIFY(std::abs(up.x) < 1e-15 && up.y == -1); // y points down, so up is negative
        QCOMPARE(angleOf({0, -5}), kPi / 2);
        QCOMPARE(leftOf({1, 0}).y, -1.0);
        QVERIFY(std::abs(wrapped(3 * kPi) - kPi) < 1e-12 && std::abs(wrapped(-3.5 * kPi) - kPi / 2) < 1e-12);
    }
    void posesGoThereAndBack()
    {
        demo::Random r(3);
        for (int i = 0; i < 200; ++i) {
            const Pose p{{r.uniform(-500, 500), r.uniform(-500, 500)}, r.uniform(-9, 9)};
            const Point q{r.uniform(-300, 300), r.uniform(-300, 300)}, back = p.toLocal(p.toPicture(q));
            QVERIFY(distance(q, back) < 1e-9);
            QVERIFY(std::abs(distance(p.toPicture(q), p.origin) - length(q)) < 1e-9);
        }
        const Pose quarter{{10, 20}, kPi / 2};
        QVERIFY(distance(quarter.toPicture({5, 0}), {10, 15}) < 1e-12); // x points up when turned a quarter
    }
    // Every pixel centre inside by the definition is in the spans, and no other; each once.
    void spansAreExactlyTheInside()
    {
        demo::Random r(5);
        for (int n = 0; n < 120; ++n) {
            Region region;
            const Point c{r.uniform(-5, 45), r.uniform(-5, 35)};
            switch (n % 4) {
            case 0: region = Region::rectangle(c, r.uniform(1, 30), r.uniform(1, 30), r.uniform(-4, 4)); break;
            case 1: region = Region::window(c, c + Point{r.uniform(-20, 20), r.uniform(3, 20)}, r.uniform(1, 15)); break;
            case 2: region = Region::circle(c, r.uniform(0.5, 18)); break;
            case 3: region = Region::ring(c, r.uniform(0.5, 6), r.uniform(7, 18)); break;
            }
            QVERIFY(region.check());
            std::vector<int> hits(40 * 30, 0);
            for (const Span& s : spans(region, 40, 30))
                for (int x = s.from; x < s.to; ++x) ++hits[std::size_t(s.y * 40 + x)];
            for (int y = 0; y < 30; ++y)
                for (int x = 0; x < 40; ++x) QCOMPARE(hits[std::size_t(y * 40 + x)], int(region.contains({double(x), double(y)})));
        }
        QCOMPARE(pixelCount(spans(Region::whole(), 40, 30)), 1200LL);
    }
    void carriedRegionsKeepTheirPixels()
    {
        const Motion m{{{3, 4}, 0.2}, {{40, 30}, 1.3}};
        const Region r = Region::rectangle({10, 8}, 12, 7, 0.4), moved = r.carried(m);
        demo::Random random(9);
        for (int i = 0; i < 500; ++i) {
            const Point p{random.uniform(-5, 25), random.uniform(-5, 20)};
            QCOMPARE(moved.contains(m.carry(p)), r.contains(p));
        }
    }
    void badRegionsNameTheirField()
    {
        QVERIFY(!Region::circle({0, 0}, 0).check() && !Region::ring({0, 0}, 5, 4).check() && !Region::window({1, 1}, {1, 1}, 3).check());
        const auto e = Region::rectangle({0, 0}, 5, -1).check();
        QVERIFY(!e && e.error().message.find("size[1]") != std::string::npos);
        QVERIFY(!Region::circle({std::nan(""), 0}, 5).check());
    }
    void lineSurvivesStrayPoints()
    {
        demo::Random r(11);
        double worst = 0;
        for (int n = 0; n < 100; ++n) {
            const double angle = r.uniform(-kPi, kPi);
            const Point a{r.uniform(0, 500), r.uniform(0, 500)}, u = direction(angle), v = leftOf(u);
            std::vector<Point> p;
            for (int i = 0; i < 60; ++i) p.push_back(a + u * (5.0 * i) + v * r.normal(0.03, 0.1));
            for (int i = 0; i < 60; i += 3) p[std::size_t(i)] = p[std::size_t(i)] + v * r.uniform(1, 40); // a third stray, all on one side
            const auto fit = fitLine(p);
            QVERIFY(fit);
            QCOMPARE(fit->usedCount, 40);
            worst = std::max(worst, std::abs(wrapped(angleOf(fit->shape.along()) - angle)));
            QVERIFY(std::abs(signedDistance(fit->shape, a + u * 150.0)) < 0.03);
        }
        QVERIFY2(worst < 3e-4, qPrintable(QString::number(worst)));
    }
    void circleSurvivesStrayPoints()
    {
        demo::Random r(13);
        double centre = 0, radius = 0;
        for (int n = 0; n < 100; ++n) {
            const Circle truth{{r.uniform(100, 300), r.uniform(100, 300)}, 100};
            std::vector<Point> p;
            for (int i = 0; i < 48; ++i) {
                const double stray = i % 5 < 2 && i < 45 ? r.uniform(2, 30) : r.normal(0.05, 0.15);
                p.push_back(truth.centre + direction(2 * kPi * i / 48) * (truth.radius + stray));
            }
            const auto fit = fitCircle(p);
            QVERIFY(fit);
            centre = std::max(centre, distance(fit->shape.centre, truth.centre));
            radius = std::max(radius, std::abs(fit->shape.radius - truth.radius));
        }
        QVERIFY2(centre < 0.06 && radius < 0.04, qPrintable(QString("%1 %2").arg(centre).arg(radius)));
    }
    void fitsFailWithAReason()
    {
        QVERIFY(!fitLine({}) && !fitLine({{1, 1}}) && !fitLine({{2, 2}, {2, 2}, {2, 2}}));
        QVERIFY(!fitCircle({{0, 0}, {1, 1}}) && !fitCircle({{0, 0}, {1, 1}, {2, 2}, {3, 3}}));
        QVERIFY(fitCircle({{0, 0}, {2, 0}, {1, 1}}));
    }
    void crossingsAndFeet()
    {
        Point p;
        QVERIFY(crossing({{0, 0}, {10, 0}}, {{5, -5}, {5, 5}}, p) && distance(p, {5, 0}) < 1e-12);
        QVERIFY(!crossing({{0, 0}, {10, 0}}, {{0, 1}, {10, 1}}, p));
        QVERIFY(distance(foot({{0, 0}, {10, 0}}, {3, 7}), {3, 0}) < 1e-12);
        QCOMPARE(signedDistance({{0, 0}, {10, 0}}, {3, -7}), 7.0); // above is on the left hand
    }
};
QTEST_APPLESS_MAIN(GeometryTest)
#include "geometry_test.moc"

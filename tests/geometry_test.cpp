#include "demo/render.h"
#include "geometry/fit.h"
#include "geometry/planar_map.h"
#include "geometry/region.h"
#include "geometry/zones.h"

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
            case 1:
                region = Region::window(c, c + Point{r.uniform(-20, 20), r.uniform(3, 20)}, r.uniform(1, 15));
                break;
            case 2: region = Region::circle(c, r.uniform(0.5, 18)); break;
            case 3: region = Region::ring(c, r.uniform(0.5, 6), r.uniform(7, 18)); break;
            }
            QVERIFY(region.check());
            std::vector<int> hits(40 * 30, 0);
            for (const Span& s : spans(region, 40, 30))
                for (int x = s.from; x < s.to; ++x) ++hits[std::size_t(s.y * 40 + x)];
            for (int y = 0; y < 30; ++y)
                for (int x = 0; x < 40; ++x)
                    QCOMPARE(hits[std::size_t(y * 40 + x)], int(region.contains({double(x), double(y)})));
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
        QVERIFY(!Region::circle({0, 0}, 0).check() && !Region::ring({0, 0}, 5, 4).check() &&
                !Region::window({1, 1}, {1, 1}, 3).check());
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
            // a third stray, all on one side
            for (int i = 0; i < 60; i += 3) p[std::size_t(i)] = p[std::size_t(i)] + v * r.uniform(1, 40);
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
    void arcsPolygonsAndPolylinesHoldWhatTheySay()
    {
        demo::Random r(8);
        for (int n = 0; n < 60; ++n) {
            const Point c{r.uniform(0, 60), r.uniform(0, 50)};
            const Region arc =
                Region::arc(c, r.uniform(0, 10), r.uniform(12, 30), r.uniform(-7, 7), r.uniform(0.2, 6.28));
            const Region polygon = Region::polygon(
                {c + Point{-20, -9}, c + Point{15, -14}, c + Point{9, 20}, c + Point{-3, 2}, c + Point{-15, 17}});
            const Region line = Region::polyline({c, c + Point{18, 4}, c + Point{22, -15}}, r.uniform(1, 9));
            for (const Region& region : {arc, polygon, line}) {
                std::vector<int> seen(70 * 60, 0);
                for (const Span& s : spans(region, 70, 60))
                    for (int x = s.from; x < s.to; ++x) ++seen[std::size_t(s.y * 70 + x)];
                for (int y = 0; y < 60; ++y)
                    for (int x = 0; x < 70; ++x) {
                        const int count = seen[std::size_t(y * 70 + x)];
                        QVERIFY(count <= 1);
                        // On the border itself rounding may decide either way.
                        if ((count == 1) != region.contains({double(x), double(y)}))
                            QVERIFY2(region.contains({x + 1e-6, y + 1e-6}) != region.contains({x - 1e-6, y - 1e-6}) ||
                                         std::abs(distance({double(x), double(y)}, c) - region.outer) < 1e-6,
                                     name(region.shape));
                    }
            }
        }
        QVERIFY(withinSweep(radians(5), radians(350), radians(30)) &&
                withinSweep(radians(-5), radians(350), radians(30)) &&
                !withinSweep(radians(25), radians(350), radians(30)));
        QVERIFY(!Region::polygon({{0, 0}, {1, 1}}).check() && !Region::polyline({{0, 0}, {0, 0}}, 3).check() &&
                !Region::arc({0, 0}, 1, 5, 0, 0).check());
    }
    void leavingOutTakesExactlyThePixelsAway()
    {
        const auto all = spans(Region::rectangle({30, 30}, 41, 31), 80, 70);
        const std::vector<Region> out{Region::circle({25, 28}, 9), Region::polyline({{10, 40}, {60, 20}}, 3),
                                      Region::rectangle({48, 40}, 6, 90)};
        const auto rest = without(all, out, 80, 70);
        long long wanted = 0;
        for (const Span& s : all)
            for (int x = s.from; x < s.to; ++x) wanted += !containsAny(out, {double(x), double(s.y)});
        QCOMPARE(pixelCount(rest), wanted);
        for (const Span& s : rest)
            for (int x = s.from; x < s.to; ++x) QVERIFY(!containsAny(out, {double(x), double(s.y)}));
    }
    void ellipsesAreFittedWithStrays()
    {
        demo::Random r(4);
        for (int n = 0; n < 60; ++n) {
            const Ellipse truth{
                {r.uniform(50, 150), r.uniform(50, 150)}, r.uniform(80, 160), r.uniform(40, 78), r.uniform(-1.5, 1.5)};
            std::vector<Point> p;
            for (int i = 0; i < 80; ++i) {
                const double t = 2 * kPi * i / 80;
                const Point u = direction(truth.angle), v = leftOf(u);
                p.push_back(truth.centre + u * (truth.major / 2 * std::cos(t)) + v * (truth.minor / 2 * std::sin(t)) +
                            Point{r.normal(0.05, 0.2), r.normal(0.05, 0.2)});
            }
            for (int i = 0; i < 16; ++i)
                p[std::size_t(i * 5)] = p[std::size_t(i * 5)] + Point{r.uniform(3, 20), r.uniform(-20, 20)};
            const auto fit = fitEllipse(p, 0.3);
            QVERIFY(fit.has_value());
            QVERIFY(distance(fit->shape.centre, truth.centre) < 0.08 &&
                    std::abs(fit->shape.major - truth.major) < 0.15 && std::abs(fit->shape.minor - truth.minor) < 0.15);
            QVERIFY(std::abs(wrapped(2 * (fit->shape.angle - truth.angle))) < 0.02);
        }
        QVERIFY(!fitEllipse({{0, 0}, {1, 0}, {2, 0}, {3, 0}, {4, 0}, {5, 0}, {6, 0}}));
    }
    void straightnessIsTheNarrowestStrip()
    {
        // Against a search over all directions.
        demo::Random r(6);
        for (int n = 0; n < 50; ++n) {
            std::vector<Point> p;
            for (int i = 0; i < 60; ++i) p.push_back({r.uniform(0, 200), r.uniform(0, 8) + 0.1 * i});
            double least = 1e9;
            for (int i = 0; i < 18000; ++i) least = std::min(least, stripAlong(p, direction(kPi * i / 18000)).width);
            const double z = straightness(p).width;
            QVERIFY(z <= least + 1e-9 && z > least - 0.05);
        }
        QCOMPARE(straightness({{0, 0}, {10, 0}, {5, 2}}).width, 2.0);
        QCOMPARE(stripAlong({{0, 0}, {10, 0}, {5, 2}}, {0, 1}).width, 10.0);
    }
    void roundnessIsTheNarrowestRing()
    {
        demo::Random r(9);
        for (int n = 0; n < 30; ++n) {
            std::vector<Point> p;
            const Point c{r.uniform(-20, 20), r.uniform(-20, 20)};
            const double sweep = n % 2 ? 2 * kPi : 3.0;
            for (int i = 0; i < 300; ++i) p.push_back(c + direction(sweep * i / 300) * (80 + r.uniform(-1, 1)));
            const RingZone z = roundness(p);
            // No centre near by does better, and every point lies in the ring.
            const auto widthAt = [&](Point q) {
                double low = 1e9, high = 0;
                for (const Point x : p) low = std::min(low, distance(x, q)), high = std::max(high, distance(x, q));
                return high - low;
            };
            QVERIFY(std::abs(widthAt(z.inner.centre) - z.width) < 1e-9);
            for (int i = 0; i < 200; ++i)
                QVERIFY(widthAt(z.inner.centre + direction(r.uniform(0, 7)) * std::pow(10, r.uniform(-4, 0.5))) >
                        z.width - 1e-6);
        }
        // Three known lobes: published form, width twice the height.
        std::vector<Point> lobes;
        for (int i = 0; i < 720; ++i)
            lobes.push_back(direction(i * kPi / 360) * (50 + 0.5 * std::cos(3 * i * kPi / 360)));
        QVERIFY(std::abs(roundness(lobes).width - 1.0) < 1e-3);
    }
    void hullsBoxesAndPerimeters()
    {
        const auto hull = convexHull({{0, 0}, {4, 0}, {2, 1}, {4, 3}, {0, 3}, {2, 2}, {2, 0}});
        QCOMPARE(hull.size(), std::size_t(4));
        QCOMPARE(areaOf(hull), 12.0);
        QCOMPARE(perimeterOf(hull), 14.0);
        const TurnedBox b = smallestBox(Region::rectangle({7, 8}, 30, 12, radians(20)).outlines().front());
        QVERIFY(std::abs(b.length - 30) < 1e-9 && std::abs(b.width - 12) < 1e-9 &&
                std::abs(degrees(b.angle) - 20) < 1e-6 && distance(b.centre, {7, 8}) < 1e-9);
    }
    // Known frames with noise, mirrored and not, are found; what cannot be told is not.
    void framesByPairsOfPoints()
    {
        demo::Random random(5);
        for (int round = 0; round < 200; ++round) {
            PlanarMap truth;
            truth.mirrored = round % 2;
            truth.a = std::polar(random.uniform(0.05, 3), random.uniform(-kPi, kPi));
            truth.b = {random.uniform(-500, 500), random.uniform(-500, 500)};
            std::vector<std::pair<Point, Point>> pairs;
            const int count = 2 + random.below(6);
            const double noise = round % 3 ? 0 : 0.02;
            for (int i = 0; i < count; ++i) {
                const Point p{random.uniform(0, 2000), random.uniform(0, 2000)};
                pairs.emplace_back(p, truth.map(p) + Point{random.normal(noise, 4), random.normal(noise, 4)});
            }
            const auto stated = fitPlanarMap(pairs, truth.mirrored);
            QVERIFY(stated);
            const Point at{700, 1300};
            QVERIFY(distance(stated->map(at), truth.map(at)) < (noise > 0 ? 0.3 : 1e-8));
            QVERIFY(stated->worst >= stated->residual && (noise > 0 || stated->residual < 1e-8));
            if (count < 3) continue;
            const auto found = fitPlanarMap(pairs, {});
            // Three places nearly in line say little about it.
            QVERIFY(found && (found->mirrored == truth.mirrored || stated->residual <= found->residual + 0.05));
        }
        QVERIFY(!fitPlanarMap({{{1, 1}, {2, 2}}}, {}));
        QVERIFY(!fitPlanarMap({{{1, 1}, {2, 2}}, {{1, 1}, {3, 2}}}, {}));
        QVERIFY(!fitPlanarMap({{{1, 1}, {2, 2}}, {{5, 1}, {2, 2}}}, {}));
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

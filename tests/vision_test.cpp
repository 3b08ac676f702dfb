// Independent truth: pictures rendered with known dimensions, and counting pixel by pixel.
#include "demo/render.h"
#include "vision/blobs.h"
#include "vision/edges.h"
#include "vision/pattern.h"
#include "vision/sampling.h"
#include "vision/threshold.h"

#include <QtTest>

using namespace vision;
using geometry::Point;
using geometry::Region;

namespace
{
image::Image render(const std::vector<std::vector<Point>>& dark, int w, int h, double blur, double noise,
                    std::uint64_t seed, double bright = 200, double part = 50,
                    const std::vector<std::vector<Point>>& holes = {})
{
    const auto picture = demo::blurredCoverage(dark, holes, w, h, blur, 4);
    demo::Random random(seed);
    return demo::backlit(picture, w, h, {bright, part, 0, 0, 0, noise}, random);
}
std::vector<Point> turnedBox(Point c, double w, double h, double angle)
{
    auto out = Region::rectangle(c, w, h, angle).outlines().front();
    return out;
}
image::Image wideOf(const image::Image& p)
{
    image::Image out(p.width(), p.height(), image::PixelFormat::Grey16);
    for (int y = 0; y < p.height(); ++y)
        for (int x = 0; x < p.width(); ++x)
            reinterpret_cast<std::uint16_t*>(out.row(y))[x] = std::uint16_t(257 * p.row(y)[x]);
    return out;
}
// A part with nothing alike when turned: an L with a hole.
std::vector<std::vector<Point>> partAt(const geometry::Pose& pose)
{
    std::vector<std::vector<Point>> out{{{-90, -60}, {90, -60}, {90, -20}, {-40, -20}, {-40, 60}, {-90, 60}}};
    for (auto& o : out)
        for (Point& p : o) p = pose.toPicture(p);
    return out;
}
} // namespace

class VisionTest : public QObject
{
    Q_OBJECT
private slots:
    void coverageIsExact()
    {
        demo::Random r(2);
        for (int n = 0; n < 50; ++n) {
            const double w = r.uniform(3, 20), h = r.uniform(3, 20);
            demo::Coverage c(64, 64);
            c.add(turnedBox({r.uniform(20, 44), r.uniform(20, 44)}, w, h, r.uniform(-4, 4)));
            double sum = 0;
            for (const float v : c.resolve()) sum += double(v);
            QVERIFY2(std::abs(sum - w * h) < 1e-3, qPrintable(QString("%1 %2").arg(sum).arg(w * h)));
        }
    }
    // Width of a dark bar at every phase and angle: bias and spread.
    void edgePairIsUnbiasedAtEveryPhaseAndAngle()
    {
        double sum = 0, sum2 = 0;
        int n = 0;
        for (int i = 0; i < 60; ++i) {
            const double angle = i * 0.1047, width = 40 + i / 60.0;
            const Point c{64 + 0.37 * (i % 7), 64 + 0.29 * (i % 5)};
            const image::Image p = render({turnedBox(c, width, 90, angle)}, 128, 128, 0.8, 2, std::uint64_t(i));
            const Point u = geometry::direction(angle);
            const auto prof = profile(p.grey(), c - u * 38, c + u * 38, 41);
            QVERIFY(prof);
            const auto e = edges(*prof, {Polarity::Any, 20, 1.5});
            QCOMPARE(int(e.size()), 2);
            QVERIFY(e[0].polarity == -1 && e[1].polarity == 1);
            QVERIFY(std::abs(e[0].strength - 150) < 6);
            const double error = e[1].position - e[0].position - width;
            sum += error, sum2 += error * error, ++n;
        }
        const double bias = sum / n, spread = std::sqrt(sum2 / n - bias * bias);
        QVERIFY2(std::abs(bias) < 0.003, qPrintable(QString::number(bias)));
        QVERIFY2(spread < 0.0075, qPrintable(QString::number(spread))); // of two edges, 41 lines each
    }
    void polarityStrengthAndOrder()
    {
        const image::Image p =
            render({turnedBox({40, 32}, 10, 60, 0), turnedBox({70, 32}, 10, 60, 0)}, 110, 64, 0.8, 0, 1);
        const auto prof = profile(p.grey(), {10, 32}, {100, 32}, 9);
        QVERIFY(prof);
        QCOMPARE(int(edges(*prof, {Polarity::Any, 20, 1}).size()), 4);
        const auto rising = edges(*prof, {Polarity::DarkToBright, 20, 1});
        QCOMPARE(int(rising.size()), 2);
        QVERIFY(std::abs(rising[0].point.x - 45) < 0.02 && std::abs(rising[1].point.x - 75) < 0.02);
        QVERIFY(edges(*prof, {Polarity::Any, 200, 1}).empty());
        QVERIFY(pick(rising, Pick::Last)->point.x > 70 && pick(rising, Pick::First)->point.x < 50 &&
                !pick({}, Pick::First));
    }
    void brightnessAndContrastMoveNothing()
    {
        double first = 0;
        for (const auto& [bright, dark] : {std::pair{200.0, 50.0}, {120.0, 60.0}, {250.0, 10.0}}) {
            const image::Image p = render({turnedBox({40.3, 32}, 20, 60, 0)}, 80, 64, 0.8, 0, 1, bright, dark);
            const auto e = edges(*profile(p.grey(), {10, 32}, {70, 32}, 9), {Polarity::Any, 20, 1});
            QCOMPARE(int(e.size()), 2);
            if (first == 0) first = e[0].position;
            QVERIFY(std::abs(e[0].position - first) < 0.02);
        }
    }
    void sixteenBitGivesTheSameEdges()
    {
        const image::Image p = render({turnedBox({40.3, 32.2}, 20, 40, 0.3)}, 80, 64, 0.8, 2, 1), w = wideOf(p);
        const auto a = edges(*profile(p.grey(), {10, 32}, {70, 32}, 9), {}),
                   b = edges(*profile(w.grey(), {10, 32}, {70, 32}, 9), {});
        QCOMPARE(a.size(), b.size());
        for (std::size_t i = 0; i < a.size(); ++i) QVERIFY(std::abs(a[i].position - b[i].position) < 1e-5);
    }
    void windowsOutsideThePictureSaySo()
    {
        const image::Image p = render({}, 40, 40, 0.8, 0, 1);
        QVERIFY(!profile(p.grey(), {-50, 10}, {-10, 10}, 5));
        QVERIFY(!profile(p.grey(), {10, 10}, {12, 10}, 5));
        const auto half = profile(p.grey(), {-20, 20}, {20, 20}, 5);
        QVERIFY(half && half->first == 20);
        QVERIFY(edges(*half, {}).empty()); // the border of the picture is no edge
    }
    // Radius and centre of a disc, with the inward shift of the blur undone.
    void circleIsUnbiased()
    {
        double bias = 0, centre = 0;
        const int n = 40;
        for (int i = 0; i < n; ++i) {
            const double radius = 30 + i % 4 * 0.25;
            const Point c{64 + 0.13 * i, 63 + 0.07 * i};
            const image::Image p = render({demo::circleOutline(c, radius)}, 140, 140, 1.2, 2, std::uint64_t(i));
            const Probe probe = probeCircle(p.grey(), {64 + 0.13 * i + 1, 63 + 0.07 * i - 1}, 20, 42, 64, 3, false,
                                            {Polarity::DarkToBright, 20, 1}, Pick::Strongest);
            std::vector<Point> points;
            for (const Edge& e : probe.edges) points.push_back(e.point);
            const auto fit = geometry::fitCircle(points, 0.5);
            QVERIFY(fit);
            const double shift = curvatureShift(probe.edges, fit->shape.radius);
            QVERIFY(shift > 0.015 && shift < 0.045); // sigma² / 2R with sigma about 1.25 px
            bias += (fit->shape.radius + shift - radius) / n;
            centre += geometry::distance(fit->shape.centre, c) / n;
        }
        QVERIFY2(std::abs(bias) < 0.006, qPrintable(QString::number(bias)));
        QVERIFY2(centre < 0.015, qPrintable(QString::number(centre)));
    }
    void noiseIsEstimated()
    {
        for (const double sigma : {1.0, 2.0, 5.0}) {
            const image::Image p = render({turnedBox({100, 100}, 90, 60, 0.4)}, 220, 200, 0.8, sigma, 4);
            QVERIFY2(std::abs(noise(p.grey()) - sigma) < 0.15 * sigma + 0.1,
                     qPrintable(QString::number(noise(p.grey()))));
        }
    }
    void histogramCountsEveryPixelOnce()
    {
        const image::Image p = render({turnedBox({50, 40}, 30, 20, 0.4)}, 101, 77, 0.8, 4, 4);
        const Region r = Region::circle({50, 40}, 31.5);
        const Histogram h = histogram(p.grey(), geometry::spans(r, 101, 77));
        std::array<std::int64_t, 256> hand{};
        for (int y = 0; y < 77; ++y)
            for (int x = 0; x < 101; ++x)
                if (r.contains({double(x), double(y)})) ++hand[p.row(y)[x]];
        QVERIFY(h.count == hand);
        QCOMPARE(histogram(wideOf(p).grey(), geometry::spans(r, 101, 77)).count, hand);
    }
    // The best threshold by trying all of them, straight from the definition.
    void automaticThresholdIsTheBest()
    {
        demo::Random r(8);
        for (int n = 0; n < 30; ++n) {
            Histogram h;
            for (int i = 0; i < 400; ++i) {
                const int v = std::clamp(int(r.below(3) ? r.normal(12, 40) + 60 : r.normal(20, 60) + 180), 0, 255);
                ++h.count[std::size_t(v)], ++h.total;
            }
            const auto between = [&](int t) {
                double n0 = 0, n1 = 0, s0 = 0, s1 = 0;
                for (int v = 0; v < 256; ++v)
                    (v < t ? n0 : n1) += double(h.count[std::size_t(v)]),
                        (v < t ? s0 : s1) += v * double(h.count[std::size_t(v)]);
                return n0 > 0 && n1 > 0 ? n0 * n1 * std::pow(s0 / n0 - s1 / n1, 2) : 0.0;
            };
            double best = 0;
            for (int t = 1; t < 256; ++t) best = std::max(best, between(t));
            const auto t = automaticThreshold(h);
            QVERIFY(t);
            QVERIFY(between(int(std::ceil(*t))) >= best * (1 - 1e-9));
        }
        Histogram flat;
        flat.count[7] = flat.total = 50;
        QVERIFY(!automaticThreshold(flat) && !automaticThreshold(Histogram{}));
    }
    // Blobs against a flood fill by hand: areas, boxes, centroids, border contact, holes.
    void blobsEqualAFloodFill_data()
    {
        QTest::addColumn<bool>("fill");
        QTest::newRow("as they are") << false;
        QTest::newRow("holes filled") << true;
    }
    void blobsEqualAFloodFill()
    {
        QFETCH(bool, fill);
        demo::Random r(21);
        for (int n = 0; n < 25; ++n) {
            const int w = 20 + r.below(60), h = 20 + r.below(40);
            image::Image p(w, h, image::PixelFormat::Grey8);
            for (int y = 0; y < h; ++y)
                for (int x = 0; x < w; ++x) p.row(y)[x] = std::uint8_t(r.below(100) < 45 ? 200 : 10);
            const Region region =
                n % 2 ? Region::whole() : Region::rectangle({w / 2.0, h / 2.0}, w * 0.8, h * 0.7, 0.3);
            BlobOptions o;
            o.low = 100, o.fillHoles = fill;
            const BlobList list = findBlobs(p.grey(), region, o);
            // By hand.
            const auto inside = [&](int x, int y) {
                return x >= 0 && y >= 0 && x < w && y < h && region.contains({double(x), double(y)});
            };
            std::vector<int> on(std::size_t(w * h), 0);
            for (int y = 0; y < h; ++y)
                for (int x = 0; x < w; ++x) on[std::size_t(y * w + x)] = inside(x, y) && p.row(y)[x] >= 100;
            const auto flood = [&](std::vector<int>& mark, int x0, int y0, int value, bool diagonal, auto take) {
                std::vector<std::pair<int, int>> stack{{x0, y0}}, all;
                mark[std::size_t(y0 * w + x0)] = value;
                while (!stack.empty()) {
                    const auto [x, y] = stack.back();
                    stack.pop_back();
                    all.push_back({x, y});
                    for (int dy = -1; dy <= 1; ++dy)
                        for (int dx = -1; dx <= 1; ++dx) {
                            if ((!dx && !dy) || (!diagonal && dx && dy)) continue;
                            const int nx = x + dx, ny = y + dy;
                            if (!inside(nx, ny) || mark[std::size_t(ny * w + nx)] || !take(nx, ny)) continue;
                            mark[std::size_t(ny * w + nx)] = value;
                            stack.push_back({nx, ny});
                        }
                }
                return all;
            };
            if (fill) {
                std::vector<int> seen(on.size(), 0);
                auto filled = on;
                for (int y = 0; y < h; ++y)
                    for (int x = 0; x < w; ++x) {
                        if (!inside(x, y) || on[std::size_t(y * w + x)] || seen[std::size_t(y * w + x)]) continue;
                        bool open = false;
                        const auto all =
                            flood(seen, x, y, 1, false, [&](int a, int b) { return !on[std::size_t(b * w + a)]; });
                        for (const auto& [a, b] : all)
                            open |= !inside(a - 1, b) || !inside(a + 1, b) || !inside(a, b - 1) || !inside(a, b + 1);
                        if (!open)
                            for (const auto& [a, b] : all) filled[std::size_t(b * w + a)] = 1;
                    }
                on = filled;
            }
            std::vector<int> mark(on.size(), 0);
            std::size_t k = 0;
            for (int y = 0; y < h; ++y)
                for (int x = 0; x < w; ++x) {
                    if (!on[std::size_t(y * w + x)] || mark[std::size_t(y * w + x)]) continue;
                    const auto all =
                        flood(mark, x, y, 1, true, [&](int a, int b) { return on[std::size_t(b * w + a)] != 0; });
                    QVERIFY(k < list.blobs.size());
                    const Blob& b = list.blobs[k++];
                    double sx = 0, sy = 0;
                    int left = w, right = 0, top = h, bottom = 0;
                    bool touches = false;
                    for (const auto& [px, py] : all) {
                        sx += px, sy += py;
                        left = std::min(left, px), right = std::max(right, px), top = std::min(top, py),
                        bottom = std::max(bottom, py);
                        touches |=
                            !inside(px - 1, py) || !inside(px + 1, py) || !inside(px, py - 1) || !inside(px, py + 1);
                    }
                    QCOMPARE(b.area, double(all.size()));
                    QVERIFY(std::abs(b.centroid.x - sx / double(all.size())) < 1e-9 &&
                            std::abs(b.centroid.y - sy / double(all.size())) < 1e-9);
                    QVERIFY(b.left == left && b.right == right && b.top == top && b.bottom == bottom);
                    QCOMPARE(b.touchesBorder, touches);
                }
            QCOMPARE(k, list.blobs.size());
        }
    }
    void blobAxesFollowATurn()
    {
        for (int i = 0; i < 12; ++i) {
            const double angle = i * 0.26 - 1.4;
            const image::Image p = render({turnedBox({60.3, 59.8}, 60, 20, angle)}, 120, 120, 0.6, 0, 1);
            BlobOptions o;
            o.low = 0, o.high = 125;
            const BlobList list = findBlobs(p.grey(), Region::whole(), o);
            QCOMPARE(int(list.blobs.size()), 1);
            double turn = std::abs(geometry::wrapped(list.blobs[0].angle - angle));
            turn = std::min(turn, geometry::kPi - turn);
            QVERIFY(turn < 0.01);
            QVERIFY2(std::abs(list.blobs[0].area - 1200) < 42 &&
                         geometry::distance(list.blobs[0].centroid, {60.3, 59.8}) < 0.25,
                     qPrintable(QString("%1: %2").arg(i).arg(list.blobs[0].area)));
            double closed = 0; // the outline encloses just the blob's pixels
            for (const auto& loop : outlines(list, 0))
                for (std::size_t k = 0; k < loop.size(); ++k)
                    closed += geometry::cross(loop[k], loop[(k + 1) % loop.size()]) / 2;
            QCOMPARE(std::abs(closed), list.blobs[0].area);
        }
    }
    void emptyRangesAndRegionsAreNoBlobs()
    {
        const image::Image p = render({}, 30, 30, 0.8, 0, 1);
        BlobOptions o;
        o.low = 240;
        QVERIFY(findBlobs(p.grey(), Region::whole(), o).blobs.empty());
        o.low = 0;
        QVERIFY(findBlobs(p.grey(), Region::circle({-100, -100}, 5), o).blobs.empty());
        QCOMPARE(findBlobs(p.grey(), Region::whole(), o).blobs.front().area, 900.0);
        o.border = BorderRule::DropAtRegion;
        QVERIFY(findBlobs(p.grey(), Region::whole(), o).blobs.empty());
    }
    // Pose of the pattern at any place and angle on clean pictures.
    void patternIsFoundAtAnyAngle()
    {
        const geometry::Pose reference{{160, 150}, 0};
        const image::Image taught = render(partAt(reference), 320, 300, 0.8, 1, 1);
        const auto model = teachPattern(taught.grey(), Region::rectangle({160, 150}, 220, 160), reference, 15);
        QVERIFY(model);
        QVERIFY2(model->turnedScore < 0.6, qPrintable(QString::number(model->turnedScore)));
        demo::Random r(17);
        double place = 0, turn = 0;
        const int n = 40;
        for (int i = 0; i < n; ++i) {
            const geometry::Pose truth{{r.uniform(130, 270), r.uniform(130, 250)},
                                       r.uniform(-geometry::kPi, geometry::kPi)};
            const image::Image p =
                render(partAt(truth), 400, 380, 0.8, 2, std::uint64_t(100 + i), r.uniform(150, 240), r.uniform(20, 60));
            PatternOptions o;
            o.leastContrast = 15;
            const auto finds = findPattern(p.grey(), *model, Region::whole(), o);
            QVERIFY2(finds.size() == 1, qPrintable(QString("picture %1").arg(i)));
            QVERIFY(finds[0].score > 0.95);
            place += std::pow(geometry::distance(finds[0].pose.origin, truth.origin), 2) / n;
            turn += std::pow(geometry::degrees(geometry::wrapped(finds[0].pose.angle - truth.angle)), 2) / n;
        }
        QVERIFY2(std::sqrt(place) < 0.01, qPrintable(QString::number(std::sqrt(place))));
        QVERIFY2(std::sqrt(turn) < 0.005, qPrintable(QString::number(std::sqrt(turn))));
    }
    void severalPartsAreSeveralFinds()
    {
        const geometry::Pose reference{{160, 150}, 0};
        const image::Image taught = render(partAt(reference), 320, 300, 0.8, 1, 1);
        const auto model = teachPattern(taught.grey(), Region::rectangle({160, 150}, 220, 160), reference, 15);
        const std::vector<geometry::Pose> truth{{{150, 150}, 0.4}, {{420, 160}, -2.0}, {{300, 420}, 2.6}};
        std::vector<std::vector<Point>> all;
        for (const auto& t : truth) all.push_back(partAt(t).front());
        const image::Image p = render(all, 560, 560, 0.8, 2, 5);
        PatternOptions o;
        o.leastContrast = 15, o.most = 8;
        const auto finds = findPattern(p.grey(), *model, Region::whole(), o);
        QCOMPARE(int(finds.size()), 3);
        for (const auto& t : truth)
            QVERIFY(std::any_of(finds.begin(), finds.end(), [&](const PatternFind& f) {
                return geometry::distance(f.pose.origin, t.origin) < 0.05 &&
                       std::abs(geometry::wrapped(f.pose.angle - t.angle)) < 0.001;
            }));
        // The search region limits where the middle may lie; the angle range how far it may be turned.
        QCOMPARE(int(findPattern(p.grey(), *model, Region::circle({150, 150}, 60), o).size()), 1);
        o.angleFrom = -0.6, o.angleTo = 0.6;
        QCOMPARE(int(findPattern(p.grey(), *model, Region::whole(), o).size()), 1);
    }
    void nothingIsFoundWhereNothingIs()
    {
        const geometry::Pose reference{{160, 150}, 0};
        const image::Image taught = render(partAt(reference), 320, 300, 0.8, 1, 1);
        const auto model = teachPattern(taught.grey(), Region::rectangle({160, 150}, 220, 160), reference, 15);
        PatternOptions o;
        o.leastContrast = 15;
        QVERIFY(findPattern(render({}, 320, 300, 0.8, 2, 3).grey(), *model, Region::whole(), o).empty());
        QVERIFY(findPattern(render({demo::circleOutline({160, 150}, 70)}, 320, 300, 0.8, 2, 3).grey(), *model,
                            Region::whole(), o)
                    .empty());
        QVERIFY(findPattern(render({}, 1, 1, 0.8, 0, 3).grey(), *model, Region::whole(), o).empty());
        QVERIFY(!teachPattern(render({}, 100, 100, 0.8, 2, 1).grey(), Region::whole(), {}, 20));
    }
    void aRoundPartLooksAlikeWhenTurned()
    {
        const image::Image taught = render({demo::circleOutline({100, 100}, 60)}, 200, 200, 0.8, 1, 1);
        const auto model = teachPattern(taught.grey(), Region::rectangle({100, 100}, 150, 150), {{100, 100}, 0}, 15);
        QVERIFY(model && model->turnedScore > 0.95);
    }
};
QTEST_APPLESS_MAIN(VisionTest)
#include "vision_test.moc"

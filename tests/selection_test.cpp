// Thresholds, masks, colour, and the shape of blobs, against counts by hand and known figures.
#include "demo/render.h"
#include "vision/blobs.h"
#include "vision/colour.h"
#include "vision/threshold.h"

#include <QtTest>

using namespace vision;
using geometry::Point;
using geometry::Region;

class SelectionTest : public QObject
{
    Q_OBJECT
    static image::Image noisy(int w, int h, std::uint64_t seed)
    {
        demo::Random r(seed);
        image::Image p(w, h, image::PixelFormat::Grey8);
        for (std::size_t i = 0; i < p.byteCount(); ++i) p.row(0)[i] = std::uint8_t(r.bits());
        return p;
    }
    static image::Image mask(const std::vector<std::vector<Point>>& shapes, int w, int h)
    {
        image::Image p(w, h, image::PixelFormat::Grey8);
        const auto cover = demo::blurredCoverage(shapes, {}, w, h, 0.3, 2);
        for (std::size_t i = 0; i < cover.size(); ++i) p.row(0)[i] = cover[i] > 0.5f ? 255 : 0;
        return p;
    }
    static std::vector<Point> turnedBox(Point c, double w, double h, double degrees)
    {
        return Region::rectangle(c, w, h, geometry::radians(degrees)).outlines().front();
    }
private slots:
    void histogramsCountEveryPixelOnce()
    {
        // Large enough for the counting by pairs, and an odd region.
        for (const auto& [w, h] : {std::pair{811, 700}, {37, 23}}) {
            const auto p = noisy(w, h, 4);
            const Region region = Region::circle({w / 2.0, h / 2.0}, std::min(w, h) / 2.1);
            for (const auto& where : {geometry::spans(Region::whole(), w, h), geometry::spans(region, w, h)}) {
                std::array<std::int64_t, 256> truth{};
                for (const auto& s : where)
                    for (int x = s.from; x < s.to; ++x) ++truth[p.row(s.y)[x]];
                const Histogram found = histogram(p.grey(), where);
                QVERIFY(found.count == truth);
                QCOMPARE(found.total, geometry::pixelCount(where));
            }
        }
    }
    void twoPeaksLieOnBothSides()
    {
        Histogram h;
        for (int i = 0; i < 256; ++i) {
            const double a = std::exp(-0.5 * (i - 60) * (i - 60) / 64.0),
                         b = 0.2 * std::exp(-0.5 * (i - 180) * (i - 180) / 100.0);
            h.total += h.count[std::size_t(i)] = std::int64_t(10000 * (a + b));
        }
        const auto t = twoPeaksThreshold(h);
        QVERIFY(t && std::abs(*t - 120.5) < 3);
        Histogram one;
        one.count[80] = one.total = 500;
        QVERIFY(!twoPeaksThreshold(one) && !automaticThreshold(one));
    }
    void localThresholdIsTheMeanOfTheWindow()
    {
        const auto p = noisy(67, 45, 7);
        const auto mirrored = [](int i, int n) { return i < 0 ? -i : i >= n ? 2 * (n - 1) - i : i; };
        for (const int reach : {1, 3, 12})
            for (const bool bright : {false, true}) {
                const auto m = localThreshold(p.grey(), reach, 10, bright);
                for (int y = 0; y < 45; ++y)
                    for (int x = 0; x < 67; ++x) {
                        double sum = 0;
                        for (int dy = -reach; dy <= reach; ++dy)
                            for (int dx = -reach; dx <= reach; ++dx)
                                sum += p.row(mirrored(y + dy, 45))[mirrored(x + dx, 67)];
                        const double area = (2 * reach + 1) * (2 * reach + 1), d = p.row(y)[x] * area - sum;
                        const bool taken = bright ? d > 10 * area : d < -10 * area;
                        QCOMPARE(int(m.row(y)[x]), taken ? 255 : 0);
                    }
            }
        // 16 bit: the same levels, the same mask.
        image::Image wide(67, 45, image::PixelFormat::Grey16);
        for (int y = 0; y < 45; ++y)
            for (int x = 0; x < 67; ++x)
                reinterpret_cast<std::uint16_t*>(wide.row(y))[x] = std::uint16_t(p.row(y)[x] * 257);
        const auto a = localThreshold(p.grey(), 4, 9.5, false), b = localThreshold(wide.grey(), 4, 9.5, false);
        QVERIFY(std::equal(a.row(0), a.row(0) + a.byteCount(), b.row(0)));
    }
    void openingAndClosingAgainstTheirDefinition()
    {
        const auto p = noisy(71, 52, 9);
        const auto truth = [&](const image::Image& in, int w, int h, bool low) {
            image::Image out(in.width(), in.height(), image::PixelFormat::Grey8);
            for (int y = 0; y < in.height(); ++y)
                for (int x = 0; x < in.width(); ++x) {
                    int v = low ? 255 : 0;
                    for (int dy = 0; dy < h; ++dy)
                        for (int dx = 0; dx < w; ++dx) {
                            const int xx = x + dx - w / 2, yy = y + dy - h / 2;
                            if (xx < 0 || yy < 0 || xx >= in.width() || yy >= in.height()) continue;
                            v = low ? std::min(v, int(in.row(yy)[xx])) : std::max(v, int(in.row(yy)[xx]));
                        }
                    out.row(y)[x] = std::uint8_t(v);
                }
            return out;
        };
        const auto same = [](const image::Image& a, const image::Image& b) {
            return std::equal(a.row(0), a.row(0) + a.byteCount(), b.row(0));
        };
        for (const auto& [w, h] : {std::pair{3, 3}, {5, 1}, {1, 7}, {25, 25}, {41, 3}, {9, 60}, {200, 200}}) {
            QVERIFY(same(eroded(p.grey(), w, h), truth(p, w, h, true)));
            QVERIFY(same(dilated(p.grey(), w, h), truth(p, w, h, false)));
        }
        QVERIFY(same(opened(p.grey(), 5, 5), truth(truth(p, 5, 5, true), 5, 5, false)));
        QVERIFY(same(closed(p.grey(), 5, 5), truth(truth(p, 5, 5, false), 5, 5, true)));
    }
    void differenceAndShading()
    {
        const auto a = noisy(50, 20, 1), b = noisy(50, 20, 2);
        const auto d = difference(a.grey(), b.grey(), 30);
        for (std::size_t i = 0; i < d.byteCount(); ++i)
            QCOMPARE(int(d.row(0)[i]), std::abs(int(a.row(0)[i]) - int(b.row(0)[i])) > 30 ? 255 : 0);
        // A picture under sloping light, divided by the empty one, is level again.
        image::Image empty(100, 10, image::PixelFormat::Grey8), part(100, 10, image::PixelFormat::Grey8);
        for (int y = 0; y < 10; ++y)
            for (int x = 0; x < 100; ++x)
                empty.row(y)[x] = std::uint8_t(100 + x),
                part.row(y)[x] = std::uint8_t((100 + x) * (x % 20 < 10 ? 1.0 : 0.5));
        const auto level = shadingCorrected(part.grey(), empty.grey(), 149.5);
        for (int x = 0; x < 100; ++x) QVERIFY(std::abs(level.row(4)[x] - (x % 20 < 10 ? 149.5 : 74.75)) < 1.5);
    }
    void coloursInAPerceptualSpace()
    {
        // Published figures of CIE L*a*b* (D65) for sRGB primaries.
        const Lab red = labOf(255, 0, 0), white = labOf(255, 255, 255), blue = labOf(0, 0, 255);
        QVERIFY(std::abs(red[0] - 53.24) < 0.02 && std::abs(red[1] - 80.09) < 0.05 && std::abs(red[2] - 67.20) < 0.05);
        QVERIFY(std::abs(white[0] - 100) < 0.01 && std::abs(white[1]) < 0.02 && std::abs(white[2]) < 0.02);
        QVERIFY(std::abs(blue[0] - 32.30) < 0.02 && std::abs(blue[1] - 79.19) < 0.05 &&
                std::abs(blue[2] + 107.86) < 0.05);
        const ColourModel m({{labOf(180, 60, 50), false}, {labOf(60, 160, 70), true}}, 15, 0.5);
        QVERIFY(m.takes(180, 60, 50) && m.takes(170, 62, 55) && !m.takes(60, 160, 70) && !m.takes(60, 60, 200));
        // Without the weight of lightness a shadow of the same colour is taken too.
        QVERIFY(!ColourModel({{labOf(200, 60, 50), false}}, 10, 1).takes(120, 36, 30));
        QVERIFY(ColourModel({{labOf(200, 60, 50), false}}, 40, 0).takes(120, 36, 30));
    }
    void perimeterAndRoundness()
    {
        for (const double radius : {20.0, 45.0, 90.0}) {
            const auto p = mask({demo::circleOutline({110.3, 105.6}, radius)}, 220, 220);
            BlobOptions o;
            o.low = 128;
            const auto list = findBlobs(p.grey(), Region::whole(), o);
            QCOMPARE(list.blobs.size(), std::size_t(1));
            const BlobShape s = describe(list, 0);
            QVERIFY2(std::abs(s.perimeter / (2 * geometry::kPi * radius) - 1) < 0.02,
                     qPrintable(QString::number(s.perimeter / (2 * geometry::kPi * radius))));
            QVERIFY(s.circularity > 0.96 && s.circularity < 1.04 && s.convexity > 0.96 && s.elongation < 1.02);
        }
        for (const double turn : {0.0, 11.0, 30.0, 45.0}) {
            const auto p = mask({turnedBox({110, 105}, 120, 50, turn)}, 220, 220);
            BlobOptions o;
            o.low = 128;
            const auto list = findBlobs(p.grey(), Region::whole(), o);
            const BlobShape s = describe(list, 0);
            QVERIFY2(std::abs(s.perimeter / 340 - 1) < 0.02, qPrintable(QString::number(s.perimeter)));
            QVERIFY(std::abs(s.box.length - 120) < 1.6 && std::abs(s.box.width - 50) < 1.6 &&
                    std::abs(geometry::degrees(s.box.angle) - turn) < 1.2);
            QVERIFY(std::abs(list.blobs[0].major / list.blobs[0].minor - 2.4) < 0.03);
        }
    }
    void holesConnectivityAndBorders()
    {
        image::Image p(30, 20, image::PixelFormat::Grey8);
        const auto fill = [&](int x0, int y0, int x1, int y1, int v) {
            for (int y = y0; y < y1; ++y)
                for (int x = x0; x < x1; ++x) p.row(y)[x] = std::uint8_t(v);
        };
        fill(2, 2, 12, 12, 255), fill(4, 4, 6, 6, 0), fill(8, 8, 10, 9, 0);
        fill(12, 12, 15, 15, 255); // meets the first at a corner
        fill(25, 5, 30, 9, 255);   // touches the picture
        BlobOptions o;
        o.low = 128;
        auto list = findBlobs(p.grey(), Region::whole(), o);
        QCOMPARE(list.blobs.size(), std::size_t(2));
        QCOMPARE(outlines(list, 0).size(), std::size_t(3));
        QVERIFY(list.blobs[1].touchesPicture && list.blobs[1].touchesBorder && !list.blobs[0].touchesBorder);
        o.fourConnected = true;
        QCOMPARE(findBlobs(p.grey(), Region::whole(), o).blobs.size(), std::size_t(3));
        o.fourConnected = false, o.fillHoles = true;
        list = findBlobs(p.grey(), Region::whole(), o);
        QCOMPARE(list.blobs[0].area, 100.0 + 9);
        QCOMPARE(list.blobs[0].holes, 2);
        // A region that cuts: dropped at the region's border, kept at the picture's.
        const auto where = geometry::spans(Region::rectangle({10, 10}, 12, 30), 30, 20);
        o.border = BorderRule::DropAtRegion;
        QVERIFY(findBlobs(p.grey(), where, o).blobs.empty());
        o.border = BorderRule::DropAtPicture;
        QCOMPARE(findBlobs(p.grey(), where, o).blobs.size(), std::size_t(1));
    }
    void outlinesEncloseTheArea()
    {
        const auto p = noisy(60, 50, 21);
        for (const bool four : {false, true}) {
            BlobOptions o;
            o.low = 150, o.fourConnected = four;
            const auto list = findBlobs(p.grey(), Region::whole(), o);
            const BlobRuns runs(list);
            double total = 0;
            for (std::size_t i = 0; i < list.blobs.size(); ++i) {
                const auto loops = runs.outlines(int(i));
                double area = 0;
                for (std::size_t k = 0; k < loops.size(); ++k) area += (k ? -1 : 1) * geometry::areaOf(loops[k]);
                QCOMPARE(area, list.blobs[i].area);
                total += area;
            }
            const auto bright =
                std::count_if(p.row(0), p.row(0) + p.byteCount(), [](std::uint8_t v) { return v >= 150; });
            QCOMPARE(total, double(bright));
        }
    }
    void touchingDiscsAreParted()
    {
        // Discs that overlap a little, in a chain and a cluster; and one long box that must stay whole.
        std::vector<std::vector<Point>> shapes;
        const double r = 20;
        std::vector<Point> centres{{40, 50}, {76, 52}, {110, 48}, {58, 83}, {95, 84}};
        for (const Point c : centres) shapes.push_back(demo::circleOutline(c, r));
        image::Image p(260, 140, image::PixelFormat::Grey8);
        for (const auto& s : shapes) {
            const auto one = mask({s}, 260, 140);
            for (std::size_t i = 0; i < p.byteCount(); ++i) p.row(0)[i] = std::max(p.row(0)[i], one.row(0)[i]);
        }
        const auto bar = mask({turnedBox({200, 70}, 90, 20, 40)}, 260, 140);
        for (std::size_t i = 0; i < p.byteCount(); ++i) p.row(0)[i] = std::max(p.row(0)[i], bar.row(0)[i]);
        BlobOptions o;
        o.low = 128;
        QVERIFY(findBlobs(p.grey(), Region::whole(), o).blobs.size() < 6);
        const double before = [&] {
            double a = 0;
            for (const auto& b : findBlobs(p.grey(), Region::whole(), o).blobs) a += b.area;
            return a;
        }();
        o.split = 0.3;
        const auto list = findBlobs(p.grey(), Region::whole(), o);
        QCOMPARE(list.blobs.size(), std::size_t(6));
        double after = 0;
        for (const auto& b : list.blobs) after += b.area;
        QCOMPARE(after, before); // parted, not lost
        for (const Point c : centres)
            QVERIFY(std::any_of(list.blobs.begin(), list.blobs.end(),
                                [&](const Blob& b) { return geometry::distance(b.centroid, c) < 2.5; }));
    }
};
QTEST_APPLESS_MAIN(SelectionTest)
#include "selection_test.moc"

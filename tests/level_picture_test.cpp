// The plane seen from above: what a lens shows is the same part that a straight look shows; pairs of places and points.
#include "demo/targets.h"
#include "geometry/matching.h"
#include "support.h"
#include "vision/level_picture.h"

using namespace support;
using geometry::Calibration;
using geometry::Point;

namespace
{
// By trying every pairing: as many pairs as can be, none beyond reach, taken nearest first.
std::vector<int> nearestFirst(const std::vector<Point>& places, const std::vector<Point>& found, double reach)
{
    std::vector<int> out(places.size(), -1);
    std::vector<char> used(found.size(), 0);
    for (;;) {
        double least = reach;
        int a = -1, b = -1;
        for (std::size_t i = 0; i < places.size(); ++i)
            for (std::size_t k = 0; k < found.size(); ++k)
                if (out[i] < 0 && !used[k] && geometry::distance(places[i], found[k]) <= least)
                    least = geometry::distance(places[i], found[k]), a = int(i), b = int(k);
        if (a < 0) return out;
        out[std::size_t(a)] = b, used[std::size_t(b)] = 1;
    }
}
} // namespace

class LevelPictureTest : public QObject
{
    Q_OBJECT
private slots:
    void aTiltedPlateLooksLikeAStraightOne()
    {
        demo::Field f{816, 683, 0.156};
        const Calibration lens = demo::tiltedLens(f);
        // A disc of 12 mm and a square beside it, drawn through the lens.
        const Point centre = lens.mm({400, 330});
        std::vector<std::vector<Point>> dark(2);
        for (int i = 0; i < 400; ++i) {
            const double a = 2 * geometry::kPi * i / 400;
            dark[0].push_back(lens.fromMm(centre + Point{std::cos(a), std::sin(a)} * 12));
        }
        const Point corner = centre + Point{20, -10};
        for (const auto& [from, to] : {std::pair{Point{0, 0}, Point{20, 0}},
                                       {Point{20, 0}, Point{20, 20}},
                                       {Point{20, 20}, Point{0, 20}},
                                       {Point{0, 20}, Point{0, 0}}})
            for (int i = 0; i < 50; ++i) dark[1].push_back(lens.fromMm(corner + from + (to - from) * (i / 50.0)));
        const image::Image seen = draw(dark, f.width, f.height, {}, 0);
        const auto level = vision::levelPicture(seen.grey(), lens);
        QVERIFY(level.picture.width() > 500 && level.picture.height() > 400);
        // In level px the disc is round and as large as the scale says: measured along eight directions by the middle
        // grey.
        const double k = lens.mmPerPixel();
        const Point middle = lens.level(lens.fromMm(centre)) - level.origin;
        const auto at = [&](Point p) {
            const int x = int(p.x), y = int(p.y);
            const double u = p.x - x, v = p.y - y;
            const auto g = [&](int i, int j) { return double(level.picture.row(y + j)[x + i]); };
            return (1 - v) * ((1 - u) * g(0, 0) + u * g(1, 0)) + v * ((1 - u) * g(0, 1) + u * g(1, 1));
        };
        for (int d = 0; d < 16; ++d) {
            const Point way{std::cos(d * geometry::kPi / 8), std::sin(d * geometry::kPi / 8)};
            double r = 12 / k - 6;
            while (r < 12 / k + 6 && at(middle + way * r) < 125) r += 0.02;
            QVERIFY2(std::abs(r - 12 / k) < 0.35,
                     qPrintable(QString("direction %1: radius %2, %3 is right").arg(d).arg(r).arg(12 / k)));
        }
        // The square's sides stand where they belong, whatever the tilt did to them in the picture.
        for (const double t : {2.0, 10.0, 18.0}) {
            const Point left = lens.level(lens.fromMm(corner + Point{0, t})) - level.origin;
            QVERIFY(at(left + Point{3, 0}) < 90 && at(left - Point{3, 0}) > 160);
        }
    }
    void nothingIsMovedWithoutALens()
    {
        // One that looks straight on and does not distort: level px are picture px but for one shift.
        Calibration::Lens l;
        l.width = 320, l.height = 240;
        l.camera = {1000, 1000, 159.5, 119.5};
        l.plane.shift = {0, 0, 500};
        const Calibration c = Calibration::lens(l, "");
        demo::Random random(3);
        image::Image picture(320, 240, image::PixelFormat::Grey8);
        for (int y = 0; y < 240; ++y)
            for (int x = 0; x < 320; ++x) picture.row(y)[x] = std::uint8_t(random.uniform(0, 255));
        const auto level = vision::levelPicture(picture.grey(), c);
        int same = 0, all = 0;
        for (int y = 20; y < 220; ++y)
            for (int x = 20; x < 300; ++x) {
                const Point p = c.picture(Point{double(x), double(y)} + level.origin);
                const int px = int(std::lround(p.x)), py = int(std::lround(p.y));
                if (px < 0 || py < 0 || px >= 320 || py >= 240 || x >= level.picture.width() ||
                    y >= level.picture.height())
                    continue;
                ++all, same += std::abs(int(level.picture.row(y)[x]) - int(picture.row(py)[px])) <= 2;
            }
        QVERIFY(all > 40000);
        QVERIFY2(same > 0.99 * all, qPrintable(QString("%1 of %2").arg(same).arg(all)));
    }
    void placesGoThereAndBackForAnyLens()
    {
        demo::Random random(11);
        for (int round = 0; round < 60; ++round) {
            Calibration::Lens l;
            l.width = 1224, l.height = 1024;
            const double f = random.uniform(900, 4000);
            l.camera = {f,
                        f * random.uniform(0.99, 1.01),
                        612 + random.uniform(-30, 30),
                        512 + random.uniform(-30, 30),
                        random.uniform(-0.2, 0.2),
                        random.uniform(-0.05, 0.05),
                        0,
                        random.uniform(-0.001, 0.001),
                        random.uniform(-0.001, 0.001)};
            l.plane.turn = {random.uniform(-0.4, 0.4), random.uniform(-0.4, 0.4), random.uniform(-3, 3)};
            l.plane.shift = {random.uniform(-20, 20), random.uniform(-20, 20), random.uniform(200, 600)};
            const Calibration c = Calibration::lens(l, "");
            QVERIFY(c.mmPerPixel() > 0);
            for (int i = 0; i < 40; ++i) {
                const Point p{random.uniform(150, 1074), random.uniform(120, 904)};
                QVERIFY(geometry::distance(c.picture(c.level(p)), p) < 1e-6);
                QVERIFY(geometry::distance(c.fromMm(c.mm(p)), p) < 1e-6);
                // The slope is that of the map itself.
                const double h = 1e-3;
                const auto local = c.local(p);
                const Point right = (c.level(p + Point{h, 0}) - c.level(p - Point{h, 0})) * (0.5 / h),
                            down = (c.level(p + Point{0, h}) - c.level(p - Point{0, h})) * (0.5 / h);
                QVERIFY(geometry::distance(right, local.right) < 1e-5 && geometry::distance(down, local.down) < 1e-5);
                // mm and level px are one plane at one scale.
                const Point q{p.x + random.uniform(-90, 90), p.y + random.uniform(-90, 90)};
                const double mm = geometry::distance(c.mm(p), c.mm(q)),
                             level = geometry::distance(c.level(p), c.level(q)) * c.mmPerPixel();
                QVERIFY2(std::abs(mm - level) < 1e-9 * (1 + mm), qPrintable(QString("%1 %2").arg(mm).arg(level)));
            }
        }
    }
    void pairsAreTheNearestFirst()
    {
        demo::Random random(2);
        for (int round = 0; round < 400; ++round) {
            std::vector<Point> places, found;
            for (int i = 0, n = int(random.uniform(0, 9)); i < n; ++i)
                places.push_back({random.uniform(0, 100), random.uniform(0, 100)});
            for (int i = 0, n = int(random.uniform(0, 9)); i < n; ++i)
                found.push_back({random.uniform(0, 100), random.uniform(0, 100)});
            const double reach = random.uniform(1, 80);
            const auto pairs = geometry::nearestPairs(places, found, reach);
            QCOMPARE(pairs, nearestFirst(places, found, reach));
        }
    }
    void oneMissingShiftsNothing()
    {
        std::vector<Point> places, found;
        for (int i = 0; i < 10; ++i) places.push_back({double(30 * i), 0});
        for (int i = 0; i < 10; ++i)
            if (i != 2) found.push_back({30.0 * i + (i % 2 ? 4 : -4), 3});
        const auto pairs = geometry::nearestPairs(places, found, 15);
        for (int i = 0; i < 10; ++i) QCOMPARE(pairs[std::size_t(i)], i == 2 ? -1 : i < 2 ? i : i - 1);
    }
};
QTEST_GUILESS_MAIN(LevelPictureTest)
#include "level_picture_test.moc"

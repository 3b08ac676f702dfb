// Independent truth: height pictures of known geometry, a linear programme solved by another program, and counting
// point by point.
#include "height_pictures.h"
#include "vision/minimum_zone.h"
#include "vision/section.h"

#include <QtTest>
#include <fstream>

using namespace vision;
using geometry::HeightPlane;
using geometry::Point;
using geometry::Region;
using geometry::Span;
using heights::Made;

namespace
{
constexpr double kGone = std::numeric_limits<double>::quiet_NaN();
std::vector<Span> all(const image::Picture& p)
{
    return geometry::spans(Region::whole(), p.pixels.width(), p.pixels.height());
}
std::vector<Span> box(const image::Picture& p, double x, double y, double w, double h)
{
    return geometry::spans(Region::rectangle({x, y}, w, h), p.pixels.width(), p.pixels.height());
}
double degreesOff(const HeightPlane& p, double right, double down, double pixel)
{
    return geometry::degrees(std::atan(std::hypot(p.right - right, p.down - down) / pixel));
}
Path way(Point from, Point to, double width) { return straight(from, to, width); }
} // namespace

class HeightTest : public QObject
{
    Q_OBJECT
private slots:
    void aPlaneLiesWhereItIs_data()
    {
        QTest::addColumn<double>("missing");
        QTest::addColumn<double>("noise");
        QTest::addColumn<bool>("real");
        QTest::newRow("float") << 0.0 << 0.005 << true;
        QTest::newRow("16 bit") << 0.0 << 0.005 << false;
        QTest::newRow("a third missing") << 0.3 << 0.005 << true;
        QTest::newRow("noisy, 16 bit, missing") << 0.3 << 0.05 << false;
        QTest::newRow("without noise") << 0.0 << 0.0 << true;
    }
    // A block and a pit over 40 % of the area do not pull at it.
    void aPlaneLiesWhereItIs()
    {
        QFETCH(double, missing);
        QFETCH(double, noise);
        QFETCH(bool, real);
        for (int seed = 1; seed <= 5; ++seed) {
            const double right = 0.0011 * seed, down = -0.0007 * seed;
            const auto p = heights::picture(300, 220,
                                            [&](double x, double y) {
                                                const double z = 1.25 + right * x + down * y;
                                                if (x > 30 && x < 150 && y > 20 && y < 180) return z + 1.5;
                                                if (x > 200 && x < 250 && y > 40 && y < 160) return z - 2;
                                                return z;
                                            },
                                            {noise, missing, real, 0.001, -5, 0.05, std::uint64_t(seed)});
            const auto fit = fitPlane(p.heights(), all(p));
            QVERIFY2(fit.has_value(), fit ? "" : fit.error().text().c_str());
            const double expected = noise / std::sqrt(double(fit->used)) * 3 + 1e-5 + (real ? 0 : 0.00005);
            QVERIFY2(std::abs(fit->plane.at(150, 110) - (1.25 + right * 150 + down * 110)) < expected + 3e-5,
                     qPrintable(QString::number(fit->plane.at(150, 110) - (1.25 + right * 150 + down * 110))));
            QVERIFY2(degreesOff(fit->plane, right, down, 0.05) < (noise > 0.01 ? 0.01 : 0.002),
                     qPrintable(QString::number(degreesOff(fit->plane, right, down, 0.05))));
            const double share = double(fit->points) / double(fit->pixels);
            QVERIFY(std::abs(share - (1 - missing)) < 0.01);
            if (noise > 0) QVERIFY(std::abs(fit->scale - noise) < 0.1 * noise + (real ? 0 : 0.0003));
            // What stands out is dropped, what is of the plane is not.
            const double flat = 1 - (119.0 * 159 + 49.0 * 119) / (300.0 * 220);
            QVERIFY2(std::abs(double(fit->used) / double(fit->points) - flat) < 0.01, "used");
        }
    }
    void aPlaneNeedsThreePointsThatAreNotInARow()
    {
        const auto none = heights::picture(20, 20, [](double, double) { return kGone; });
        QVERIFY(!fitPlane(none.heights(), all(none)));
        const auto row = heights::picture(20, 20, [](double, double y) { return y == 7 ? 1.0 : kGone; });
        QVERIFY(!fitPlane(row.heights(), all(row)));
        const auto two = heights::picture(20, 20, [](double x, double y) { return y == 7 && x < 2 ? 1.0 : kGone; });
        QVERIFY(!fitPlane(two.heights(), all(two)));
        const auto corner = heights::picture(
            20, 20, [](double x, double y) { return (x == 0 && y == 0) || (x == 9 && y < 2) ? x : kGone; });
        const auto fit = fitPlane(corner.heights(), all(corner));
        QVERIFY(fit && std::abs(fit->plane.right - 1) < 1e-9 && std::abs(fit->plane.down) < 1e-9);
        const auto tiny = heights::picture(1, 1, [](double, double) { return 3.0; });
        QVERIFY(!fitPlane(tiny.heights(), all(tiny)));
    }
    void heightsFarFromZeroKeepTheirFigures()
    {
        // 3 km above the sea in mm: float samples are 0.25 mm apart there, and nothing is lost beyond that.
        const auto p =
            heights::picture(100, 80, [](double x, double y) { return 3e6 + std::floor(x / 50) * 8 + 0.25 * y; });
        const auto fit = fitPlane(p.heights(), box(p, 24.5, 39.5, 50, 80));
        QVERIFY(fit && std::abs(fit->plane.down - 0.25) < 1e-6);
        const auto s = heightStats(p.heights(), box(p, 75, 40, 40, 60), fit->plane, 0);
        QVERIFY2(std::abs(s.mean - 8) < 1e-3, qPrintable(QString::number(s.mean, 'g', 9)));
        const auto absolute = heightStats(p.heights(), box(p, 75, 40, 40, 1), {}, 0);
        QVERIFY2(std::abs(absolute.mean - 3000018) < 0.01, qPrintable(QString::number(absolute.mean, 'f', 4)));
    }
    void threePointsMakeAPlane()
    {
        const auto p = heights::picture(100, 80, [](double x, double y) { return 2 + 0.01 * x - 0.02 * y; });
        const Point places[3] = {{10, 10}, {80, 20}, {30, 70}};
        const auto fit = planeThrough(p.heights(), places, 3);
        QVERIFY(fit && std::abs(fit->plane.right - 0.01) < 1e-6 && std::abs(fit->plane.down + 0.02) < 1e-6);
        const Point row[3] = {{10, 10}, {20, 20}, {30, 30}};
        QVERIFY(planeThrough(p.heights(), row, 3).error().message.find("in a row") != std::string::npos);
    }
    // Steps of areas: mean and median within 0.3 noise / sqrt(points) + 1 µm of what is there, in the mean over seeds.
    void stepsBetweenAreas()
    {
        for (const double missing : {0.0, 0.3}) {
            double off = 0;
            std::size_t points = 0;
            const double noise = 0.01;
            const int seeds = 20;
            for (int seed = 1; seed <= seeds; ++seed) {
                const auto p = heights::picture(240, 120, [](double x, double) { return x < 120 ? 0.2 : 0.5375; },
                                                {noise, missing, true, 0.001, -5, 0.05, std::uint64_t(seed)});
                const auto a = heightStats(p.heights(), box(p, 60, 60, 80, 80), {}, 0.01),
                           b = heightStats(p.heights(), box(p, 180, 60, 80, 80), {}, 0.01);
                off += (b.mean - a.mean - 0.3375) / seeds;
                points = b.points;
                QVERIFY(std::abs(b.median - a.median - 0.3375) < 6 * noise / std::sqrt(double(points)));
                QVERIFY(std::abs(a.covered() - 100 * (1 - missing)) < 2.5);
                QVERIFY(std::abs(a.spread - noise) < 0.03 * noise + 1e-4);
            }
            QVERIFY2(std::abs(off) < 0.3 * noise / std::sqrt(double(points)) + 0.001, qPrintable(QString::number(off)));
        }
    }
    void statisticsAreThoseOfACount()
    {
        demo::Random random(3);
        for (const int n : {1, 2, 3, 10, 4096, 4097, 20000}) {
            std::vector<float> v;
            for (int i = 0; i < n; ++i) v.push_back(float(random.normal(1, 5) + (i % 7 == 0 ? 40 : 0)));
            std::vector<float> sorted = v;
            std::sort(sorted.begin(), sorted.end());
            for (const double q : {0.0, 0.01, 0.25, 0.5, 0.98, 1.0}) {
                const double at = q * (n - 1);
                const auto k = std::size_t(at);
                const double want =
                    sorted[k] + (k + 1 < sorted.size() ? (at - double(k)) * (double(sorted[k + 1]) - sorted[k]) : 0);
                std::vector<float> copy = v;
                QVERIFY2(std::abs(quantile(copy, q) - want) < 1e-6, qPrintable(QString("%1 %2").arg(n).arg(q)));
            }
        }
        const auto none = heightStats(std::vector<float>{}, 12, 0);
        QVERIFY(none.points == 0 && none.pixels == 12 && std::isnan(none.mean) && none.covered() == 0);
    }
    void bandsAndHolesAreCountedPixelByPixel()
    {
        demo::Random random(5);
        for (const bool real : {true, false}) {
            const auto p = heights::picture(130, 61, [&](double x, double) { return 0.01 * x + random.uniform(-1, 1); },
                                            {0, 0.2, real, 0.001, -5, 0.05, 9});
            const HeightPlane over{0.1, 0.01, 0.003, {}};
            const auto where = geometry::spans(Region::circle({60, 30}, 29), 130, 61);
            const auto view = p.heights();
            for (const auto& [low, high] : {std::pair{-0.5, 0.25}, {0.0, 10.0}, {-10.0, -0.9}}) {
                long long expected = 0, missing = 0, got = 0, gone = 0;
                for (const Span& s : where)
                    for (int x = s.from; x < s.to; ++x) {
                        const double z = view.mm(x, s.y) - over.at(x, s.y);
                        if (view.missing(x, s.y)) ++missing;
                        else expected += z >= low && z <= high;
                    }
                for (const Run& r : runsInBand(view, where, over, low, high)) got += r.to - r.from;
                for (const Run& r : runsMissing(view, where)) gone += r.to - r.from;
                QVERIFY(std::abs(got - expected) <= 1); // one may lie on the border to the last bit
                QCOMPARE(gone, missing);
            }
        }
    }
    void volumeOfAPyramidAndABowl()
    {
        for (const double missing : {0.0, 0.3}) {
            // A pyramid of 60 px and 1.2 mm: a third of base × height; a bowl of the same kind beside it.
            const auto p =
                heights::picture(200, 100,
                                 [](double x, double y) {
                                     const double up = 1.2 * (1 - std::max(std::abs(x - 50), std::abs(y - 50)) / 30),
                                                  down = 0.6 * (1 - std::max(std::abs(x - 150), std::abs(y - 50)) / 30);
                                     return std::max(0.0, up) - std::max(0.0, down);
                                 },
                                 {0, missing, true, 0.001, -5, 0.05, 4});
            const auto v = volumeOver(p.heights(), all(p), {});
            const double share = double(v.points) / double(v.pixels), pyramid = 60.0 * 60 * 1.2 / 3;
            QVERIFY2(std::abs(v.above / share / pyramid - 1) < (missing > 0 ? 0.02 : 0.005),
                     qPrintable(QString::number(v.above / pyramid)));
            QVERIFY(std::abs(v.below / share / (pyramid / 2) - 1) < (missing > 0 ? 0.02 : 0.005));
        }
    }
    void theHighestPlaceIsNoSpike()
    {
        const auto p = heights::picture(120, 90, [](double x, double y) {
            if (x == 20 && y == 20) return 50.0; // one pixel
            if (std::hypot(x - 80, y - 40) < 6) return 2.0;
            return std::hypot(x - 30, y - 60) < 6 ? -2.0 : 0.0;
        });
        const auto high = extremeOf(p.heights(), all(p), {}, 9, true),
                   low = extremeOf(p.heights(), all(p), {}, 9, false);
        QVERIFY(high && std::abs(high->height - 2) < 1e-6 && geometry::distance(high->at, {80, 40}) < 3);
        QVERIFY(low && std::abs(low->height + 2) < 1e-6 && geometry::distance(low->at, {30, 60}) < 3);
        // 1 px: the spike itself is the highest.
        QVERIFY(extremeOf(p.heights(), all(p), {}, 1, true)->height > 49);
        const auto none = heights::picture(20, 20, [](double x, double) { return std::fmod(x, 3) == 0 ? 1.0 : kGone; });
        QVERIFY(!extremeOf(none.heights(), all(none), {}, 5, true));
    }

    // ---- sections
    void aStepAlongAStroke()
    {
        double off = 0, place = 0;
        const double noise = 0.006;
        const int seeds = 20;
        for (int seed = 1; seed <= seeds; ++seed) {
            // Turned and tilted: 0.41 mm up at 100.3 px along the stroke.
            const Point from{30, 40}, to{210, 120}, u = geometry::unit(to - from);
            const auto p = heights::picture(260, 180,
                                            [&](double x, double y) {
                                                const double t = geometry::dot(Point{x, y} - from, u);
                                                return 0.3 + 0.002 * t + 0.41 * std::clamp(t - 100.3 + 0.5, 0.0, 1.0);
                                            },
                                            {noise, 0, true, 0.001, -5, 0.05, std::uint64_t(seed)});
            const auto s = sectionOf(p.heights(), way(from, to, 15), {});
            QVERIFY(s && s->points == s->heights.size());
            const auto e = heightEdges(*s, {0.1, 1.5, 30, 0});
            QCOMPARE(e.size(), std::size_t(1));
            place += (e[0].position - 100.3) / seeds;
            QVERIFY(std::abs(e[0].position - 100.3) < 0.1 && e[0].rise > 0.35 && e[0].gap == 0);
            const auto step = fitStep(*s, 0, e[0].position, s->path.length, 4);
            QVERIFY(step.has_value());
            off += (step->rise - 0.41) / seeds;
            QVERIFY(std::abs(step->before.slope - 0.002) < 2e-4);
        }
        QVERIFY2(std::abs(off) < 0.3 * noise / std::sqrt(180.0 * 15 / 2) + 0.001, qPrintable(QString::number(off)));
        QVERIFY2(std::abs(place) < 0.03, qPrintable(QString::number(place)));
    }
    // Shadow beside a step: its rim is the higher side's last point; nothing is made up between.
    void aStepBesideAShadow()
    {
        const auto p = heights::picture(200, 60, [](double x, double) { return x < 80 ? 1.0 : x < 95 ? kGone : 0.2; });
        const auto s = sectionOf(p.heights(), way({10, 30}, {190, 30}, 9), {});
        QVERIFY(s && s->points < s->heights.size());
        const auto e = heightEdges(*s, {0.1, 1.5, 30, 0});
        QCOMPARE(e.size(), std::size_t(1));
        QVERIFY(std::abs(e[0].position - 69.5) < 1e-9 && std::abs(e[0].rise + 0.8) < 1e-6 && e[0].gap == 15);
        QVERIFY(heightEdges(*s, {0.1, 1.5, 10, 0}).empty()); // too wide a gap
        QVERIFY(heightEdges(*s, {0.1, 1.5, 30, 1}).empty()); // no step up
        QVERIFY(std::abs(fitStep(*s, 0, e[0].position, 180, 3)->rise + 0.8) < 1e-6);
        // Holes without a step are no edges, and a line through them is the plane's.
        const auto holes =
            heights::picture(200, 60, [](double x, double) { return std::fmod(x, 20) < 6 ? kGone : 0.01 * x; });
        const auto h = sectionOf(holes.heights(), way({10, 30}, {190, 30}, 9), {});
        QVERIFY(heightEdges(*h, {0.1, 1.5, 30, 0}).empty());
        QVERIFY(std::abs(fitLine(*h, 0, 180)->slope - 0.01) < 1e-6);
        const auto none = heights::picture(50, 50, [](double, double) { return kGone; });
        QVERIFY(!sectionOf(none.heights(), way({5, 5}, {40, 40}, 5), {}));
        QVERIFY(!sectionOf(p.heights(), way({5, 5}, {5.2, 5}, 5), {}));
    }
    void anglesRadiiAndGrooves()
    {
        const double pixel = 0.02;
        // A V of 0.3 mm a px downwards then a round of 3 mm radius, then a groove 0.4 mm deep.
        const auto roof =
            heights::picture(300, 40, [](double x, double) { return x < 150 ? 0.004 * x : 0.6 - 0.01 * (x - 150); },
                             {0.001, 0, true, 0.001, -5, pixel, 3});
        const auto r = sectionOf(roof.heights(), way({5, 20}, {295, 20}, 11), {});
        const auto a = fitLine(*r, 5, 130), b = fitLine(*r, 160, 285);
        QVERIFY(std::abs(geometry::degrees(std::atan(a->slope / pixel)) - geometry::degrees(std::atan(0.004 / pixel))) <
                0.02);
        QVERIFY(std::abs(b->slope + 0.01) < 2e-5 && a->straightness < 0.006);
        const auto round = heights::picture(300, 40,
                                            [&](double x, double) {
                                                const double d = (x - 150) * pixel;
                                                return std::abs(d) < 2.9 ? std::sqrt(9 - d * d) - 1 : kGone;
                                            },
                                            {0.002, 0.3, true, 0.001, -5, pixel, 3});
        const auto c = sectionOf(round.heights(), way({15, 20}, {285, 20}, 11), {});
        const auto arc = fitArc(*c, 20, 250, pixel);
        QVERIFY2(arc && std::abs(arc->radius - 3) < 0.003 && std::abs(arc->height + 1) < 0.003 && !arc->hollow,
                 arc ? qPrintable(QString::number(arc->radius, 'g', 8)) : "");
        QVERIFY(std::abs(arc->along - 135 * pixel) < 0.002);
        QVERIFY(!fitArc(*c, 20, 250, 0)); // no scale
        const auto groove =
            heights::picture(300, 40,
                             [](double x, double) {
                                 const double d = std::abs(x - 140.25);
                                 return 0.002 * x + (d < 30 ? -0.4 : d < 40 ? -0.4 * (40 - d) / 10 : 0.0);
                             },
                             {0.001, 0, true, 0.001, -5, pixel, 3});
        const auto g = grooveIn(*sectionOf(groove.heights(), way({20, 20}, {280, 20}, 11), {}), 0.2, 5, false);
        QVERIFY2(g && std::abs(g->depth - 0.4) < 0.002 && std::abs(g->width() - 70) < 0.2,
                 g ? qPrintable(QString("%1 %2").arg(g->depth).arg(g->width())) : "");
        QVERIFY(std::abs((g->left + g->right) / 2 - 120.25) < 0.1);
        const auto flat = heights::picture(100, 20, [](double, double) { return 1.0; });
        QVERIFY(!grooveIn(*sectionOf(flat.heights(), way({5, 10}, {95, 10}, 5), {}), 0.2, 3, false));
    }

    // ---- flatness
    void theMinimumZoneIsThatOfALinearProgramme()
    {
        QTemporaryDir dir;
        for (int seed = 1; seed <= 8; ++seed) {
            const double pixel = 0.05, right = 0.0004 * seed, down = -0.0003 * seed;
            const bool holes = seed % 2 == 0, real = seed % 3 != 0;
            const auto p = heights::picture(
                48, 40,
                [&](double x, double y) {
                    return 0.7 + right * x + down * y + 0.01 * std::sin(x / 9 + seed) * std::cos(y / 7) +
                           (seed > 6 ? 0.0 : 0.004 * std::sin(3.0 * x * y));
                },
                {seed == 5 ? 0.0 : 0.003, holes ? 0.3 : 0.0, real, 0.0005, -5, pixel, std::uint64_t(seed)});
            const auto view = p.heights();
            const auto zone = minimumZone(view, all(p), pixel);
            QVERIFY2(zone.has_value(), zone ? "" : zone.error().text().c_str());
            // min h: |z - a - b x - c y| <= h for every point
            const QString file = dir.filePath("zone.lp"), answer = dir.filePath("zone.out");
            std::ofstream lp(file.toStdString());
            lp.precision(17);
            lp << "Minimize\n obj: h\nSubject To\n";
            for (int y = 0; y < 40; ++y)
                for (int x = 0; x < 48; ++x) {
                    if (view.missing(x, y)) continue;
                    const double z = view.mm(x, y);
                    const auto plane = [&](const char* h) {
                        lp << " a" << (x ? " + " + std::to_string(x) + " b" : "")
                           << (y ? " + " + std::to_string(y) + " c" : "") << h;
                    };
                    plane(" + h >= ");
                    lp << z << '\n';
                    plane(" - h <= ");
                    lp << z << '\n';
                }
            lp << "Bounds\n a free\n b free\n c free\nEnd\n";
            lp.close();
            QProcess solver;
            solver.start("glpsol", {"--lp", file, "-w", answer});
            QVERIFY(solver.waitForStarted() && solver.waitForFinished(120000) && solver.exitCode() == 0);
            QFile out(answer);
            QVERIFY(out.open(QIODevice::ReadOnly));
            double half = -1;
            QMap<QString, double> columns;
            for (const QString& line : QString::fromUtf8(out.readAll()).split('\n')) {
                const auto w = line.split(' ', Qt::SkipEmptyParts);
                if (w.size() > 5 && w[0] == "s" && w[1] == "bas") half = w[6].toDouble();
            }
            QVERIFY(half > 0);
            const double b = zone->plane.right / pixel, c = zone->plane.down / pixel;
            const double expected = 2 * half / std::sqrt(1 + b * b + c * c);
            QVERIFY2(std::abs(zone->width - expected) < 1e-8,
                     qPrintable(QString("%1 %2").arg(zone->width, 0, 'g', 15).arg(expected, 0, 'g', 15)));
            QVERIFY(zone->high.size() + zone->low.size() == 4 && !zone->high.empty() && !zone->low.empty());
            // No point lies outside, and no other plane does better.
            for (int y = 0; y < 40; ++y)
                for (int x = 0; x < 48; ++x)
                    if (!view.missing(x, y))
                        QVERIFY(std::abs(view.mm(x, y) - zone->plane.at(x, y)) <= zone->half + 1e-9);
        }
    }
    void flatnessOfKnownForms()
    {
        // Two diagonal corners up by 0.1: a saddle, whose zone is 0.1 wide whatever plane is fitted.
        const auto saddle = heights::picture(
            101, 101, [](double x, double y) { return 0.05 * ((x - 50) / 50) * ((y - 50) / 50) + 0.01 * x; });
        const auto zone = minimumZone(saddle.heights(), all(saddle), 0);
        QVERIFY2(zone && std::abs(zone->width - 0.1) < 1e-6, qPrintable(QString::number(zone->width, 'g', 9)));
        const auto level = zoneAlong(saddle.heights(), all(saddle), {0, 0.01, 0, {}}, 0);
        QVERIFY(level && std::abs(level->width - 0.1) < 1e-6);
        const auto tilted = zoneAlong(saddle.heights(), all(saddle), {}, 0);
        QVERIFY(tilted && tilted->width > 1);
        // A spike counts unless its share is left out.
        const auto spike = heights::picture(
            101, 101, [](double x, double y) { return x == 40 && y == 30 ? 3.0 : 0.0001 * std::sin(x * y); });
        QVERIFY(minimumZone(spike.heights(), all(spike), 0.05)->width > 2.9);
        const auto without = minimumZone(spike.heights(), all(spike), 0.05, 0.001);
        QVERIFY(without && without->width < 0.00025 && without->dropped > 0);
        const auto none = heights::picture(30, 30, [](double, double) { return kGone; });
        QVERIFY(!minimumZone(none.heights(), all(none), 0.05) && !zoneAlong(none.heights(), all(none), {}, 0.05));
        const auto row = heights::picture(30, 30, [](double, double y) { return y == 3 ? 1.0 : kGone; });
        QVERIFY(!minimumZone(row.heights(), all(row), 0.05));
    }
};
QTEST_APPLESS_MAIN(HeightTest)
#include "height_test.moc"

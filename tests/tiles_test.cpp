// tiles_test.cpp - pictures cut from a known scene and joined again: every tile where it was, to a fraction of a pixel.
#include "base/files.h"
#include "image/capture_files.h"
#include "support.h"

using namespace image;
using geometry::Point;

namespace
{
// A scene of boxes and discs that is drawn anywhere, to any fraction of a px.
struct Scene {
    std::vector<std::vector<Point>> dark;
    static Scene sparse()
    {
        Scene s;
        s.dark.push_back(support::box(40, 60, 1900, 420)); // a long plate
        return s;
    }
    static Scene busy(std::uint64_t seed, double width, double height, int count)
    {
        Scene s;
        demo::Random r(seed);
        for (int i = 0; i < count; ++i)
            s.dark.push_back(demo::circleOutline({r.uniform(0, width), r.uniform(0, height)}, r.uniform(6, 24)));
        return s;
    }
};
struct Look {
    double noise = 3, gain = 1, vignette = 0;
    bool wide = false;
};
Image seenAt(const Scene& scene, Point corner, int w, int h, const Look& look, std::uint64_t seed)
{
    std::vector<std::vector<Point>> here;
    for (const auto& o : scene.dark) {
        std::vector<Point> moved;
        for (const Point p : o) moved.push_back(p - corner);
        here.push_back(std::move(moved));
    }
    const auto coverage = demo::blurredCoverage(here, {}, w, h, 0.8, 4);
    demo::Random random(seed);
    Image out(w, h, PixelFormat::Grey8);
    for (int y = 0; y < h; ++y)
        for (int x = 0; x < w; ++x) {
            const double u = 2.0 * x / w - 1, v = 2.0 * y / h - 1,
                         c = coverage[std::size_t(y) * std::size_t(w) + std::size_t(x)];
            const double level = (190 - 140 * c) * look.gain * (1 - look.vignette * (u * u + v * v)) +
                                 (look.noise > 0 ? random.normal(look.noise, 4 * look.noise) : 0);
            out.row(y)[x] = std::uint8_t(std::clamp(level + 0.5, 0.0, 255.0));
        }
    return out;
}
struct Cut {
    TilePlan plan;
    std::vector<Point> truth;
    std::vector<Image> tiles;
};
Cut cut(const Scene& scene, int rows, int columns, int w, int h, double overlap, double off, const Look& look,
        std::uint64_t seed)
{
    Cut c;
    demo::Random r(seed);
    c.plan = gridPlan(rows, columns, {w * (1 - overlap), 0}, {0, h * (1 - overlap)});
    c.plan.reach = off + 4;
    for (std::size_t i = 0; i < c.plan.tiles.size(); ++i) {
        c.truth.push_back(
            {c.plan.tiles[i].x + r.uniform(-off, off) + 20, c.plan.tiles[i].y + r.uniform(-off, off) + 20});
        Look one = look;
        one.gain *= 1 + 0.08 * r.uniform(-1, 1);
        c.tiles.push_back(seenAt(scene, c.truth.back(), w, h, one, seed * 100 + i));
    }
    return c;
}
// The largest error of a distance between two tiles.
double worstOff(const Cut& c, const Joined& j)
{
    double worst = 0;
    for (std::size_t a = 0; a < c.truth.size(); ++a)
        for (std::size_t b = a + 1; b < c.truth.size(); ++b) {
            if (!j.tiles[a].there || !j.tiles[b].there) continue;
            const Point is{j.tiles[b].x - j.tiles[a].x, j.tiles[b].y - j.tiles[a].y};
            worst = std::max(worst, geometry::distance(is, c.truth[b] - c.truth[a]));
        }
    return worst;
}
} // namespace

class TilesTest : public QObject
{
    Q_OBJECT
private slots:
    void tilesLieWhereTheyWere_data()
    {
        QTest::addColumn<double>("noise");
        QTest::addColumn<double>("overlap");
        for (const double noise : {2.0, 4.0})
            for (const double overlap : {0.1, 0.3})
                QTest::addRow("noise %g overlap %g", noise, overlap) << noise << overlap;
    }
    void tilesLieWhereTheyWere()
    {
        QFETCH(double, noise);
        QFETCH(double, overlap);
        double worst = 0, residual = 0;
        for (std::uint64_t seed = 1; seed <= 3; ++seed) {
            Look look;
            look.noise = noise, look.vignette = 0.1;
            const Cut c = cut(Scene::busy(seed, 1500, 1000, 240), 2, 3, 420, 360, overlap, 12, look, seed);
            const auto j = join(c.plan, c.tiles);
            QVERIFY2(j.has_value(), j ? "" : j.error().text().c_str());
            QCOMPARE(int(j->how.seams.size()), 7);
            for (const auto& s : j->how.seams)
                QVERIFY2(s.seen, qPrintable(QString("%1 %2").arg(s.first).arg(s.second)));
            worst = std::max(worst, worstOff(c, j->how)), residual = std::max(residual, j->how.worstResidual());
        }
        qInfo("farthest tile %.4f px, residual %.4f px", worst, residual);
        QVERIFY2(worst <= 0.06, qPrintable(QString::number(worst)));
        QVERIFY2(residual <= 0.05, qPrintable(QString::number(residual)));
    }
    // Along the plate's edges nothing says how far the tiles lie apart: the plan does.
    void whatNobodySeesIsAsPlanned()
    {
        Look look;
        const Cut c = cut(Scene::sparse(), 1, 3, 500, 480, 0.2, 0, look, 5);
        TilePlan plan = c.plan;
        for (auto& t : plan.tiles) t.y += t.name == "1.2" ? 9 : 0; // wrong across, where the edges are seen
        plan.reach = 15;
        const auto j = join(plan, c.tiles);
        QVERIFY(j.has_value());
        for (std::size_t i = 1; i < 3; ++i) {
            QVERIFY(std::abs(j->how.tiles[i].x - j->how.tiles[0].x - 400.0 * double(i)) < 1e-6 + 0.5);
            QVERIFY2(std::abs(j->how.tiles[i].y - j->how.tiles[0].y) < 0.05,
                     qPrintable(QString::number(j->how.tiles[i].y)));
        }
    }
    void lightIsTheSameOnBothSidesOfASeam()
    {
        Look look;
        look.noise = 1, look.vignette = 0.15;
        Cut c = cut(Scene::busy(3, 1500, 700, 40), 1, 3, 500, 480, 0.15, 4, look, 9);
        const auto spread = [&](bool even) {
            c.plan.evenLight = even;
            const auto j = join(c.plan, c.tiles);
            // The bright ground, over the whole picture: 80 % of its pixels of every column block.
            std::vector<double> ground;
            for (int x = 20; x + 20 < j->pixels.width(); x += 20) {
                std::vector<int> levels;
                for (int y = 40; y < j->pixels.height() - 40; ++y) levels.push_back(j->pixels.row(y)[x]);
                std::nth_element(levels.begin(), levels.begin() + std::ptrdiff_t(levels.size() * 7 / 10), levels.end());
                ground.push_back(levels[levels.size() * 7 / 10]);
            }
            const auto [low, high] = std::minmax_element(ground.begin(), ground.end());
            return *high - *low;
        };
        const double as = spread(false), even = spread(true);
        qInfo("ground over the picture: %.0f as it is, %.0f evened", as, even);
        QVERIFY(even < 0.4 * as);
    }
    void theJoinedPictureIsTheScene()
    {
        Look look;
        look.noise = 0.5;
        const Scene scene = Scene::busy(4, 1500, 700, 120);
        const Cut c = cut(scene, 1, 3, 500, 480, 0.2, 6, look, 11);
        TilePlan plan = c.plan;
        plan.evenLight = true;
        const auto j = join(plan, c.tiles);
        const Point origin = c.truth[0] - Point{j->how.tiles[0].x, j->how.tiles[0].y};
        const Image truth = seenAt(scene, origin, j->pixels.width(), j->pixels.height(), {0, 1, 0}, 1);
        // Up to the one factor that no overlap can tell.
        double sum = 0, all = 0;
        std::vector<double> off;
        for (int y = 60; y < j->pixels.height() - 60; ++y)
            for (int x = 20; x < j->pixels.width() - 20; ++x) sum += j->pixels.row(y)[x], all += truth.row(y)[x];
        for (int y = 60; y < j->pixels.height() - 60; ++y)
            for (int x = 20; x < j->pixels.width() - 20; ++x)
                off.push_back(std::abs(j->pixels.row(y)[x] * all / sum - truth.row(y)[x]));
        std::sort(off.begin(), off.end());
        qInfo("difference from the scene: 99 %% below %.1f grey, largest %.1f", off[off.size() * 99 / 100], off.back());
        QVERIFY(off[off.size() * 99 / 100] < 8);
    }
    void aMissingTileIsAHole()
    {
        Look look;
        Cut c = cut(Scene::busy(6, 1500, 700, 120), 1, 3, 500, 480, 0.2, 4, look, 13);
        c.tiles[1] = Image();
        const auto j = join(c.plan, c.tiles);
        QVERIFY(j.has_value());
        QCOMPARE(j->how.missing(), std::vector<std::string>{"1.2"});
        QVERIFY(j->how.seams.empty());
        QVERIFY(j->how.hole(650, 200));
        QVERIFY(!j->how.hole(200, 200));
        QVERIFY(!j->how.hole(450, 200)); // the first tile shows it
        QCOMPARE(j->how.holeIn(600, 100, 700, 200), std::string("1.2"));
        QCOMPARE(j->how.holeIn(10, 100, 300, 200), std::string());
        QCOMPARE(int(j->pixels.row(200)[650]), 0);
        // The same size as with all of them.
        QCOMPARE(j->pixels.width(), int(std::ceil(c.plan.tiles[2].x + 500)));
    }
    void aHeldTileStaysAndAPlanCanBeTakenAsItIs()
    {
        Look look;
        Cut c = cut(Scene::busy(7, 1500, 700, 120), 1, 3, 500, 480, 0.2, 5, look, 15);
        c.plan.tiles[1].held = c.plan.tiles[0].held = true;
        const auto held = join(c.plan, c.tiles);
        QVERIFY(std::abs(held->how.tiles[1].x - 400) < 1e-3 && std::abs(held->how.tiles[0].x) < 1e-3);
        QVERIFY(held->how.worstResidual() > 0.3); // and the seam says that it does not fit
        c.plan.byPicture = false;
        const auto planned = join(c.plan, c.tiles);
        QCOMPARE(planned->how.tiles[2].x, 800.0);
    }
    void aWrongMatchIsOutvoted()
    {
        Look look;
        Cut c = cut(Scene::busy(8, 1500, 1000, 240), 2, 3, 420, 360, 0.25, 6, look, 17);
        // One tile is of another part altogether.
        c.tiles[4] = seenAt(Scene::busy(99, 1500, 1000, 240), c.truth[4], 420, 360, look, 3);
        const auto j = join(c.plan, c.tiles);
        Cut rest = cut(Scene::busy(8, 1500, 1000, 240), 2, 3, 420, 360, 0.25, 6, look, 17);
        double worst = 0;
        for (std::size_t a = 0; a < 6; ++a)
            for (std::size_t b = a + 1; b < 6; ++b)
                if (a != 4 && b != 4)
                    worst = std::max(worst, geometry::distance(Point{j->how.tiles[b].x - j->how.tiles[a].x,
                                                                     j->how.tiles[b].y - j->how.tiles[a].y},
                                                               c.truth[b] - c.truth[a]));
        QVERIFY2(worst < 0.5, qPrintable(QString::number(worst)));
    }
    void thePlanIsFoundFromThePictures()
    {
        for (const double overlap : {0.08, 0.25, 0.5}) {
            Look look;
            const Cut c = cut(Scene::busy(12, 1800, 1200, 300), 2, 3, 480, 400, overlap, 3, look, 21);
            const auto plan = planFrom(2, 3, c.tiles);
            QVERIFY2(plan.has_value(), plan ? "" : plan.error().text().c_str());
            for (std::size_t i = 1; i < 6; ++i) {
                const Point is{plan->tiles[i].x - plan->tiles[0].x, plan->tiles[i].y - plan->tiles[0].y};
                QVERIFY2(geometry::distance(is, c.truth[i] - c.truth[0]) < 0.2,
                         qPrintable(QString("overlap %1 tile %2: %3 %4, truly %5 %6")
                                        .arg(overlap)
                                        .arg(i)
                                        .arg(is.x)
                                        .arg(is.y)
                                        .arg((c.truth[i] - c.truth[0]).x)
                                        .arg((c.truth[i] - c.truth[0]).y)));
            }
        }
        Look flat;
        Cut nothing = cut(Scene{}, 1, 2, 300, 200, 0.2, 0, flat, 3);
        const auto none = planFrom(1, 2, nothing.tiles);
        QVERIFY(!none);
        QVERIFY(none.error().message.find("1.1 and 1.2") != std::string::npos);
    }
    void otherDepthsAreJoinedToo()
    {
        Look look;
        const Cut c = cut(Scene::busy(5, 1500, 700, 120), 1, 2, 400, 300, 0.25, 3, look, 31);
        const auto grey = join(c.plan, c.tiles);
        std::vector<Image> wide, colour;
        for (const Image& t : c.tiles) {
            Image w(t.width(), t.height(), PixelFormat::Grey16), rgb(t.width(), t.height(), PixelFormat::Colour8);
            for (int y = 0; y < t.height(); ++y)
                for (int x = 0; x < t.width(); ++x) {
                    reinterpret_cast<std::uint16_t*>(w.row(y))[x] = std::uint16_t(t.row(y)[x] * 257);
                    for (int k = 0; k < 3; ++k) rgb.row(y)[3 * x + k] = t.row(y)[x];
                }
            wide.push_back(std::move(w)), colour.push_back(std::move(rgb));
        }
        const auto w = join(c.plan, wide), rgb = join(c.plan, colour);
        QVERIFY(w.has_value() && rgb.has_value());
        for (const auto* other : {&*w, &*rgb}) QVERIFY(std::abs(other->how.tiles[1].x - grey->how.tiles[1].x) < 0.01);
        const int x = 350, y = 150;
        QVERIFY(std::abs(int(reinterpret_cast<const std::uint16_t*>(w->pixels.row(y))[x]) / 257.0 -
                         grey->pixels.row(y)[x]) < 1.5);
        QCOMPARE(int(rgb->pixels.row(y)[3 * x + 1]), int(grey->pixels.row(y)[x]));
    }
    void badPlansAreToldByName()
    {
        const auto says = [](const base::Status& s, const char* what) {
            return !s && s.error().message.find(what) != std::string::npos;
        };
        QVERIFY(says(check(TilePlan{}), "0 tiles"));
        TilePlan twice = gridPlan(1, 2, {100, 0}, {0, 0});
        twice.tiles[1].name = "1.1";
        QVERIFY(says(check(twice), "\"1.1\" stands twice"));
        TilePlan far = gridPlan(1, 2, {1e6, 0}, {0, 0});
        QVERIFY(says(check(far), "\"1.2\""));
        const TilePlan two = gridPlan(1, 2, {80, 0}, {0, 0});
        std::vector<Image> sizes;
        sizes.push_back(Image(100, 50, PixelFormat::Grey8)), sizes.push_back(Image(100, 60, PixelFormat::Grey8));
        QVERIFY(join(two, sizes).error().message.find("tile 1.2") != std::string::npos);
        QVERIFY(!join(two, std::vector<Image>(2)));
        QVERIFY(!join(two, {}));
        Naming naming{{"plate", "{id}_{row}_{column}.png", {}, two}};
        QVERIFY(image::check(naming).has_value());
        naming[0].file = "{id}.png";
        QVERIFY(says(image::check(naming), "{row}"));
        naming[0].file = "{id}_{row}_{column}.png", naming[0].tiles.reset();
        QVERIFY(says(image::check(naming), "no plan"));
    }
    void tilesAreReadByTheirNames()
    {
        QTemporaryDir dir;
        Look look;
        Cut c = cut(Scene::busy(5, 1500, 700, 120), 1, 3, 400, 300, 0.25, 3, look, 31);
        const Naming naming{{"plate", "{id}_{row}_{column}.png", {}, c.plan}};
        for (std::size_t i = 0; i < 3; ++i)
            QVERIFY(base::realFiles().write(dir.filePath(QString("p7_1_%1.png").arg(i + 1)).toStdString(),
                                            *encodePng(c.tiles[i])));
        const std::string second = dir.filePath("p7_1_2.png").toStdString();
        const auto files = filesOf(naming, second);
        QVERIFY(files.has_value());
        QCOMPARE(files->id, std::string("p7"));
        QCOMPARE(files->files.size(), std::size_t(3));
        QCOMPARE(files->files[2].first, std::string("plate/1.3"));
        auto whole = loadCapture(second, naming);
        QVERIFY2(whole.has_value(), whole ? "" : whole.error().text().c_str());
        QVERIFY(whole->find("plate") && whole->first().joined);
        QCOMPARE(captures(naming, {second, dir.filePath("p7_1_3.png").toStdString()}).size(), std::size_t(1));
        QFile::remove(dir.filePath("p7_1_3.png"));
        whole = loadCapture(second, naming);
        QVERIFY(whole.has_value());
        QCOMPARE(whole->first().joined->missing(), std::vector<std::string>{"1.3"});
        QFile::remove(dir.filePath("p7_1_1.png")), QFile::remove(dir.filePath("p7_1_2.png"));
        const auto none = loadCapture(second, naming);
        QVERIFY(!none && none.error().message.find("none of its tiles") != std::string::npos);
    }
};

QTEST_GUILESS_MAIN(TilesTest)
#include "tiles_test.moc"

// lights_test.cpp - captures of several lights: what nobody looks at is not read, pictures beside each other are
// noticed.
#include "base/files.h"
#include "image/tiles.h"
#include "inspect/lying_together.h"
#include "station/source.h"
#include "steps/edge_pair/edge_pair.h"
#include "support.h"

using namespace recipe;
using geometry::Point;

namespace
{
constexpr int kW = 640, kH = 480;
// The same discs, dark on bright or the other way round, `at` px beside.
image::Image lit(bool inverted, Point at, double noise, std::uint64_t seed)
{
    demo::Random places(4), random(seed);
    std::vector<std::vector<Point>> dark;
    for (int i = 0; i < 40; ++i) {
        const Point c{places.uniform(30, kW - 30), places.uniform(30, kH - 30)};
        dark.push_back(demo::circleOutline(c + at, places.uniform(5, 22)));
    }
    const demo::Light light{inverted ? 60.0 : 200.0, inverted ? 190.0 : 50.0, 0.1, 0.05, 0, noise};
    return demo::backlit(demo::blurredCoverage(dark, {}, kW, kH, 1, 2), kW, kH, light, random);
}
image::Capture both(Point beside, bool inverted, std::uint64_t seed)
{
    std::vector<image::Picture> pictures;
    pictures.push_back(image::makePicture(lit(false, {}, 2, seed), "white"));
    pictures.push_back(image::makePicture(lit(inverted, beside, 3, seed + 1), "red"));
    return {"both", std::move(pictures)};
}
Recipe twoLights(bool readsRed)
{
    Recipe r;
    r.pictures = {{"white", "{id}.png", {}}, {"red", "{id}-red.png", {}}};
    support::chain(r, "edge_pair", "width", [&](Step& s) {
        steps::EdgePairParams p;
        p.leastStrength = 20;
        s.params = p;
        s.regions["window"] = geometry::Region::window({20, 240}, {620, 240}, 9);
        if (readsRed) s.pictures["picture"] = "red";
    });
    return r;
}
} // namespace

class LightsTest : public QObject
{
    Q_OBJECT
private slots:
    void shiftBetweenLightsIsSeen()
    {
        double worst = 0;
        for (const bool inverted : {false, true})
            for (const Point d : {Point{0, 0}, Point{3.4, -2.2}, Point{-9, 5}, Point{14, 11}}) {
                const auto c = both(d, inverted, 3);
                const auto s = inspect::shiftBetween(c.pictures()[0], c.pictures()[1]);
                QVERIFY(s.has_value());
                worst = std::max(worst, geometry::distance(*s, d));
            }
        qInfo("shift between two lights: within %.2f px", worst);
        QVERIFY2(worst < 0.6, qPrintable(QString::number(worst)));
        QVERIFY(inspect::captureWarnings(both({}, true, 5)).empty());
        const auto said = inspect::captureWarnings(both({5, 0}, true, 5));
        QVERIFY(said.size() == 1 && said[0].find("\"red\" lies 5") != std::string::npos);
        // Nothing in common is no shift.
        std::vector<image::Picture> other;
        other.push_back(image::makePicture(lit(false, {}, 2, 1), "white"));
        other.push_back(image::makePicture(support::draw({support::box(100, 100, 300, 200)}, kW, kH), "red"));
        QVERIFY(inspect::captureWarnings({"x", std::move(other)}).empty());
    }
    void itIsSaidWithTheResult()
    {
        const auto prepared = inspect::Prepared::make(twoLights(true));
        QVERIFY(inspect::evaluate(*prepared, both({6, 2}, true, 7)).warnings.size() == 1);
        QVERIFY(inspect::evaluate(*prepared, both({}, true, 7)).warnings.empty());
    }
    void whatNobodyLooksAtIsNotRead()
    {
        QTemporaryDir dir;
        const auto white = dir.filePath("a.png").toStdString(), red = dir.filePath("a-red.png").toStdString();
        auto& files = base::realFiles();
        QVERIFY(files.write(white, *image::encodePng(lit(false, {}, 2, 1))) &&
                files.write(red, *image::encodePng(lit(true, {}, 2, 2))));
        for (const bool reads : {false, true}) {
            const Recipe r = twoLights(reads);
            QCOMPARE(r.picturesNeeded().size(), std::size_t(reads ? 2 : 1));
            auto source = station::ListSource::folder(dir.path().toStdString(), station::ListSource::End::Stop);
            const auto shot = (*source)->next(r.picturesTaken());
            QVERIFY(shot && !shot->error);
            QCOMPARE(shot->files.size(), std::size_t(reads ? 2 : 1));
            QVERIFY(!(*source)->next(r.picturesTaken())); // its other file is the same capture
            const auto capture = image::captureOf(r.pictures, shot->files, shot->id);
            const auto result = inspect::evaluate(*inspect::Prepared::make(r), *capture);
            QVERIFY2(!result.error, result.error ? result.error->c_str() : "");
        }
        // Needed and missing is an error, as ever.
        QFile::remove(QString::fromStdString(red));
        QVERIFY(!image::loadCapture(white, twoLights(true).picturesTaken()));
        QVERIFY(image::loadCapture(white, twoLights(false).picturesTaken()).has_value());
    }
    void nothingIsLookedAtInAHole()
    {
        image::TilePlan plan = image::gridPlan(1, 2, {500, 0}, {0, 0});
        std::vector<image::Image> tiles(2);
        tiles[0] = lit(false, {}, 2, 1);
        const auto joined = image::join(plan, tiles);
        image::Picture p = image::makePicture(joined->pixels.clone(), "plate");
        p.joined = std::make_shared<const image::Joined>(joined->how);
        std::vector<image::Picture> pictures;
        pictures.push_back(std::move(p));
        const image::Capture capture("part", std::move(pictures));
        Recipe r;
        const auto area = [&](const char* id, Point c) {
            support::chain(r, "area_share", id,
                           [&](Step& s) { s.regions["region"] = geometry::Region::rectangle(c, 80, 80); });
        };
        area("here", {300, 200}), area("across", {640, 200}), area("gone", {900, 200});
        support::chain(r, "blobs", "everywhere", [](Step&) {});
        const auto result = inspect::evaluate(*inspect::Prepared::make(r), capture);
        const auto& item = result.items.at(0);
        QVERIFY(item.step("here")->state == inspect::State::Ok);
        for (const char* id : {"across", "gone", "everywhere"}) {
            QVERIFY2(item.step(id)->state == inspect::State::NotRun, id);
            QVERIFY2(item.step(id)->reason.find("tile 1.2 is missing") != std::string::npos,
                     item.step(id)->reason.c_str());
        }
        QVERIFY(!item.accepted());
        QVERIFY(!result.warnings.empty());
    }
    void aPartWithoutAllItsTilesGoesOnLate()
    {
        QTemporaryDir dir;
        const image::Naming naming{{"plate", "{id}_{row}_{column}.png", {}, image::gridPlan(1, 2, {500, 0}, {0, 0})}};
        const std::string png = *image::encodePng(lit(false, {}, 2, 1));
        auto& files = base::realFiles();
        auto source = station::ListSource::folder(dir.path().toStdString(), station::ListSource::End::Wait);
        QVERIFY(files.write(dir.filePath("p1_1_1.png").toStdString(), png));
        QVERIFY((*source)->next(naming)->nothing()); // its other tile may still come
        for (const char* leaf : {"p2_1_1.png", "p2_1_2.png"})
            QVERIFY(files.write(dir.filePath(leaf).toStdString(), png));
        std::map<std::string, std::size_t> seen;
        for (int i = 0; i < 6 && seen.size() < 2; ++i)
            if (const auto shot = (*source)->next(naming); shot && !shot->nothing())
                seen[shot->id] = shot->files.size();
        QCOMPARE(seen.size(), std::size_t(2));
        QCOMPARE(seen[dir.filePath("p1_1_1.png").toStdString()], std::size_t(1));
        QCOMPARE(seen[dir.filePath("p2_1_1.png").toStdString()], std::size_t(2));
        // Too late it makes no second part.
        QVERIFY(files.write(dir.filePath("p1_1_2.png").toStdString(), png));
        for (int i = 0; i < 2; ++i) QVERIFY((*source)->next(naming)->nothing());
    }
};

QTEST_GUILESS_MAIN(LightsTest)
#include "lights_test.moc"

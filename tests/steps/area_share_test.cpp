#include "../support.h"

using namespace support;
using geometry::Point;
using geometry::Region;

class AreaShareTest : public QObject
{
    Q_OBJECT
private slots:
    void shareOfAHalfDarkRegion()
    {
        const auto picture = draw({box(-10, -10, 59.5, 200)}, 120, 100, {}, 1);
        const auto run = [&](const char* mode, double low, double high) {
            return runStep("area_share", picture.clone(), [&](recipe::Step& s) {
                put(s, "mode", std::string(mode)), put(s, "low", low), put(s, "high", high);
                s.regions["region"] = Region::rectangle({59.5, 49.5}, 40, 40);
            });
        };
        QVERIFY(std::abs(value(run("fixed", 125, 255), "share") - 50) < 1.5);
        QVERIFY(std::abs(value(run("fixed", 0, 124), "share") - 50) < 1.5);
        QCOMPARE(value(run("fixed", 252, 255), "area"), 0.0);
        QVERIFY(std::abs(value(run("automatic", 0, 0), "share") - 50) < 1.5);
    }
    // Only the region's surroundings are worked on; the answer is that of the whole picture.
    void aRegionGivesWhatTheWholePictureWould()
    {
        demo::Random random(3);
        image::Image noisy(150, 120, image::PixelFormat::Grey8);
        for (int y = 0; y < 120; y += 4)
            for (int x = 0; x < 150; x += 5) {
                const auto level = std::uint8_t(60 + random.below(140));
                for (int k = 0; k < 20; ++k) noisy.row(y + k / 5)[x + k % 5] = level;
            }
        for (const char* mode : {"local", "fixed"}) {
            double parts = 0, whole = 0;
            const auto area = [&](Region region) {
                return value(runStep("area_share", noisy.clone(),
                                     [&](recipe::Step& s) {
                                         put(s, "mode", std::string(mode)), put(s, "local_window", std::int64_t(15)),
                                             put(s, "opening", std::int64_t(3));
                                         put(s, "closing", std::int64_t(2));
                                         if (region.shape != geometry::Shape::Whole) s.regions["region"] = region;
                                     }),
                             "area");
            };
            whole = area(Region::whole());
            for (int y = 0; y < 3; ++y)
                for (int x = 0; x < 3; ++x)
                    parts += area(Region::rectangle({24.5 + 50 * x, 19.5 + 40 * y}, 49.2, 39.2));
            QVERIFY(whole > 500);
            QCOMPARE(parts, whole);
        }
    }
    void leftOutPixelsDoNotCount()
    {
        const auto picture = draw({box(-10, -10, 59.5, 200)}, 120, 100, {}, 1);
        const auto r = runStep("area_share", picture.clone(), [&](recipe::Step& s) {
            put(s, "mode", std::string("fixed")), put(s, "low", 125.0);
            s.regions["region"] = Region::rectangle({59.5, 49.5}, 40, 40);
            s.leaveOut = {Region::rectangle({45, 49.5}, 30, 60)};
        });
        QVERIFY(value(r, "share") > 97);
    }
    void colourBySamples()
    {
        // Left third red, middle green, right blue.
        image::Image p(90, 40, image::PixelFormat::Colour8);
        for (int y = 0; y < 40; ++y)
            for (int x = 0; x < 90; ++x) {
                const int c = x / 30;
                std::uint8_t* q = p.row(y) + 3 * x;
                q[0] = c == 0 ? 190 : 40, q[1] = c == 1 ? 160 : 50, q[2] = c == 2 ? 180 : 45;
            }
        recipe::Recipe r;
        r.reference = *recipe::makeAsset("r.png", *image::encodePng(p), "");
        chain(r, "area_share", "red", [](recipe::Step& s) {
            put(s, "mode", std::string("colour"));
            s.samples = {{{10, 20}, false, {}}};
        });
        chain(r, "area_share", "stated", [](recipe::Step& s) {
            put(s, "mode", std::string("colour"));
            s.samples = {{{}, false, std::array<int, 3>{40, 160, 45}}, {{}, false, std::array<int, 3>{40, 50, 180}}};
        });
        chain(r, "area_share", "refused", [](recipe::Step& s) {
            put(s, "mode", std::string("colour")), put(s, "tolerance", 100.0);
            s.samples = {{{10, 20}, false, {}}, {{40, 20}, true, {}}, {{70, 20}, true, {}}};
        });
        chain(r, "area_share", "learned", [](recipe::Step& s) {
            put(s, "mode", std::string("colour"));
            s.regions["learn"] = Region::rectangle({30, 20}, 40, 20);
        });
        const auto result = runChain(r, std::move(p));
        QVERIFY(std::abs(value(result, "red", "share") - 100.0 / 3) < 0.1);
        QVERIFY(std::abs(value(result, "stated", "share") - 200.0 / 3) < 0.1);
        QVERIFY(std::abs(value(result, "refused", "share") - 100.0 / 3) < 0.1);
        QVERIFY(std::abs(value(result, "learned", "share") - 200.0 / 3) < 0.1);
    }
    void noColourShownIsSaid()
    {
        recipe::Recipe r;
        r.reference =
            *recipe::makeAsset("r.png", *image::encodePng(image::Image(20, 20, image::PixelFormat::Colour8)), "");
        chain(r, "area_share", "c", [](recipe::Step& s) { put(s, "mode", std::string("colour")); });
        QVERIFY(runChain(r, image::Image(20, 20, image::PixelFormat::Grey8))
                    .items[0]
                    .step("c")
                    ->reason.find("no colour has been shown") != std::string::npos);
    }
};
QTEST_APPLESS_MAIN(AreaShareTest)
#include "area_share_test.moc"

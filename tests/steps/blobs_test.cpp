#include "../height_support.h"

#include "vision/blobs.h"

using namespace support;
using geometry::Point;
using geometry::Region;

class BlobsTest : public QObject
{
    Q_OBJECT
    // Five dark boxes of 10 × 10 to 10 × 18 px in a row, one of them cut by the picture.
    static image::Image boxes()
    {
        return draw({box(19.5, 19.5, 29.5, 29.5), box(49.5, 19.5, 59.5, 31.5), box(79.5, 19.5, 89.5, 33.5),
                     box(109.5, 19.5, 119.5, 35.5), box(149.5, 19.5, 170, 38)},
                    160, 60, {box(112.5, 23.5, 116.5, 27.5)});
    }
private slots:
    // Discs on ground whose light falls off, with noise, some of them touching, beside a flat and a speckled thing: one
    // is clicked, all are counted, and nothing else.
    void aClickFindsItsLikeOnUnevenGround()
    {
        struct Scene {
            const char* name;
            double ramp, noise;
            bool touching;
        };
        for (const Scene& scene :
             {Scene{"even", 0, 1.5, false}, Scene{"uneven", 120, 2, false}, Scene{"noisy", 60, 5, false},
              Scene{"touching", 0, 2, true}, Scene{"uneven, touching", 90, 2, true}}) {
            demo::Random random(9);
            constexpr int w = 640, h = 480;
            image::Image picture(w, h, image::PixelFormat::Grey8);
            std::vector<Point> discs;
            for (int i = 0; i < 12; ++i) discs.push_back({90.0 + 130 * (i % 4) + 7 * (i % 3), 90.0 + 110 * (i / 4)});
            if (scene.touching) discs[5] = discs[4] + Point{37, 4}, discs[10] = discs[9] + Point{-2, -38};
            for (int y = 0; y < h; ++y)
                for (int x = 0; x < w; ++x) {
                    double cover = 0;
                    for (const Point d : discs)
                        cover =
                            std::max(cover, std::clamp(20.5 - geometry::distance(d, {double(x), double(y)}), 0.0, 1.0));
                    const bool card = x > 500 && x < 600 && y > 380 && y < 450; // a flat thing
                    const bool cloth = x > 40 && x < 120 && y > 400 && y < 460; // a speckled one
                    double level = 225 - scene.ramp * x / w;
                    if (card) level *= 0.45;
                    if (cloth) level *= 0.6 + 0.35 * (((x / 3) * 7 + (y / 3) * 13) % 5) / 4.0;
                    level *= 1 - 0.65 * cover;
                    picture.row(y)[x] = std::uint8_t(
                        std::clamp(std::lround(level + random.normal(scene.noise, 3 * scene.noise)), 0L, 255L));
                }
            const auto capture = captureOf(std::move(picture));
            const std::map<std::string, recipe::Feature> none;
            recipe::OfferInput in{capture, scene.noise, false, 0, none};
            recipe::Gesture g;
            g.type = recipe::Gesture::Type::Click;
            g.from = g.to = discs[2] + Point{3, -2};
            const auto offers = recipe::findKind("blobs")->offer(g, in);
            QVERIFY2(!offers.empty(), scene.name);
            recipe::Recipe r;
            r.steps.push_back(offers[0].step);
            r.steps[0].id = "like", r.steps[0].kind = "blobs";
            const auto prepared = inspect::Prepared::make(r);
            QVERIFY2(prepared.has_value(), prepared ? "" : prepared.error().text().c_str());
            const auto result = inspect::evaluate(**&prepared, capture);
            const auto* step = result.items.at(0).step("like");
            QVERIFY2(step && step->state == inspect::State::Ok, step ? step->reason.c_str() : "");
            const auto &x = step->output("x")->values, &y = step->output("y")->values;
            int found = 0;
            for (const Point d : discs)
                for (std::size_t i = 0; i < x.size(); ++i)
                    found += geometry::distance(d, {x[i], y[i]}) < (scene.touching ? 8 : 3);
            QVERIFY2(found == 12 && x.size() == 12,
                     qPrintable(QString("%1: %2 of 12, %3 in all").arg(scene.name).arg(found).arg(x.size())));
        }
    }
    void countSidesAndBorder()
    {
        const auto count = [](const char* objects, bool drop) {
            return value(runStep("blobs", boxes(),
                                 [&](recipe::Step& s) {
                                     put(s, "objects", std::string(objects));
                                     put(s, "drop_border", drop);
                                     put(s, "least_area", 30.0);
                                     put(s, "fill_holes", false);
                                 }),
                         "count");
        };
        QCOMPARE(count("dark", true), 4.0);
        QCOMPARE(count("dark", false), 5.0);
        QCOMPARE(count("bright", false), 1.0); // the background is the one object: the wrong side
        QCOMPARE(count("bright", true), 0.0);
    }
    void sizesInOrderCalibratedAndFilled()
    {
        for (const char* order : {"datum_x", "largest"}) {
            const auto r = runStep(
                "blobs", boxes(),
                [&](recipe::Step& s) {
                    put(s, "objects", std::string("dark"));
                    put(s, "order", std::string(order));
                },
                0.1);
            const auto& areas = r.items[0].steps[0]->output("areas")->values;
            QCOMPARE(areas.size(), std::size_t(4));
            QVERIFY(std::is_sorted(areas.begin(), areas.end()) == (std::string(order) == "datum_x"));
            const double last = std::string(order) == "datum_x" ? areas.back() : areas.front();
            QVERIFY2(std::abs(last - 1.6) < 0.08, qPrintable(QString::number(last))); // mm², the hole filled
        }
    }
    void placesAndBoxes()
    {
        const auto r = runStep("blobs", boxes(), [](recipe::Step& s) { put(s, "objects", std::string("dark")); });
        const auto list = [&](const char* key) { return r.items[0].steps[0]->output(key)->values; };
        const double truth[4][4] = {
            {19.5, 19.5, 10, 10}, {49.5, 19.5, 10, 12}, {79.5, 19.5, 10, 14}, {109.5, 19.5, 10, 16}};
        for (std::size_t i = 0; i < 4; ++i) {
            QCOMPARE(list("box_left").at(i), truth[i][0]);
            QCOMPARE(list("box_top").at(i), truth[i][1]);
            QCOMPARE(list("box_width").at(i), truth[i][2]);
            QCOMPARE(list("box_height").at(i), truth[i][3]);
            QVERIFY(std::abs(list("x").at(i) - truth[i][0] - truth[i][2] / 2) < 0.1 &&
                    std::abs(list("y").at(i) - truth[i][1] - truth[i][3] / 2) < 0.1);
        }
    }
    void fixedLimitsAndFilter()
    {
        const auto run = [](double low, double high, double least, double most) {
            return value(runStep("blobs", boxes(),
                                 [&](recipe::Step& s) {
                                     put(s, "mode", std::string("fixed"));
                                     put(s, "low", low), put(s, "high", high), put(s, "least_area", least),
                                         put(s, "most_area", most);
                                 }),
                         "count");
        };
        QCOMPARE(run(0, 120, 50, 1e9), 4.0);
        QCOMPARE(run(0, 120, 130, 1e9), 2.0); // boxes of 140 and 160 px²
        QCOMPARE(run(0, 120, 50, 130), 2.0);
        QCOMPARE(run(250, 255, 50, 1e9), 0.0);
    }
    void oneGreyLevelIsNoObject()
    {
        image::Image flat(50, 50, image::PixelFormat::Grey8);
        std::fill_n(flat.row(0), flat.byteCount(), std::uint8_t(90));
        const auto r = runStep("blobs", std::move(flat), [](recipe::Step&) {});
        QCOMPARE(value(r, "count"), 0.0);
        QCOMPARE(int(r.items[0].steps[0]->state), int(inspect::State::Ok));
        QVERIFY(!r.items[0].steps[0]->output("threshold"));
    }
    void evidenceShowsTheHistogramWithItsLimits()
    {
        recipe::Recipe r;
        r.steps.push_back(recipe::makeStep(r, *recipe::findKind("blobs")));
        const auto prepared = inspect::Prepared::make(r);
        const auto capture = captureOf(boxes());
        const auto result = inspect::evaluate(*prepared, capture);
        const auto e = inspect::evidence(*prepared, capture, result.items[0], r.steps[0].id);
        QVERIFY(e && e->handles.size() == 2 && e->takes);
        double total = 0;
        for (const double v : e->curves.at(0).y) total += v;
        QCOMPARE(total, 160.0 * 60);
    }
    // Specks on every other pixel: too many to be objects is said with the setting that helps, and a size sorts it out.
    void aPictureOfSpecksIsRefusedByName()
    {
        image::Image picture(1600, 1300, image::PixelFormat::Grey8);
        for (int y = 0; y < 1300; ++y)
            for (int x = 0; x < 1600; ++x) picture.row(y)[x] = x % 2 == 1 && y % 2 == 1 ? 20 : 230;
        const auto capture = captureOf(std::move(picture));
        recipe::Recipe r;
        chain(r, "blobs", "o", [](recipe::Step& s) {
            put(s, "mode", std::string("fixed")), put(s, "low", 0.0), put(s, "high", 120.0);
            put(s, "least_area", 1.0);
        });
        const auto refused = runOn(r, capture);
        QVERIFY2(QString::fromStdString(reason(refused)).contains("least_area"),
                 qPrintable(QString("%1 %2").arg(value(refused, "count")).arg(reason(refused).c_str())));
        put(r.steps[0], "least_area", 2.0);
        const auto clean = runOn(r, capture);
        QVERIFY2(value(clean, "count") == 0, reason(clean).c_str());
    }
    // An outline that a wild calibration carried out of all bounds is not walked pixel by pixel.
    void anOutlineWithoutBoundsStaysAsItIs()
    {
        const std::vector<Point> wild{{0, 0}, {1e9, 0}, {1e9, 1e9}, {0, 1e9}};
        QCOMPARE(vision::smoothedOutline(wild).size(), std::size_t(4));
        QCOMPARE(vision::smoothedOutline({{0, 0}, {10, 0}, {10, 10}, {0, 10}}).size(), std::size_t(40));
    }
};
QTEST_APPLESS_MAIN(BlobsTest)
#include "blobs_test.moc"

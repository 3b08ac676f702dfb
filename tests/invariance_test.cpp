// Turn, shift or mirror the picture and the answer follows; change brightness and contrast and edges stay where they
// are; one or many threads give the same bits.
#include "support.h"

using namespace support;
using geometry::Point;
using geometry::Pose;
using geometry::Region;

class InvarianceTest : public QObject
{
    Q_OBJECT
    static std::vector<Point> placed(std::vector<Point> p, const Pose& pose)
    {
        for (Point& q : p) q = pose.toPicture(q);
        return p;
    }
    static image::Image part(const Pose& pose, double bright = 200, double dark = 50, double noise = 1)
    {
        const std::vector<Point> plate{{-100, -60}, {40, -60}, {40, -30}, {100, -30}, {100, 60}, {-100, 60}};
        std::vector<std::vector<Point>> holes;
        for (const Point c : {Point{-60, -20}, Point{60, 20}}) {
            auto h = demo::circleOutline(c, 14);
            holes.push_back(placed(h, pose));
        }
        for (int i = 0; i < 4; ++i) holes.push_back(placed(box(-50 + 25 * i, 28, -38 + 25 * i, 48 + 2 * i), pose));
        demo::Random r(5);
        return demo::backlit(demo::blurredCoverage({placed(plate, pose)}, holes, 420, 400, 0.8, 2), 420, 400,
                             {bright, dark, 0, 0, 0, noise}, r);
    }
    // A recipe with one of most kinds, all following a pattern datum.
    static recipe::Recipe whole()
    {
        const Pose ref{{210, 200}, 0};
        const auto at = [&](double x, double y) { return ref.toPicture({x, y}); };
        recipe::Recipe r;
        r.reference = *recipe::makeAsset("r.png", *image::encodePng(part(ref)), "");
        chain(r, "pattern", "plate", [&](recipe::Step& s) {
            s.regions["part"] = Region::rectangle(at(0, 0), 216, 136);
            s.points["origin"] = at(0, 0);
            s.letter = "A";
        });
        const auto add = [&](const char* kind, const char* id, auto edit) {
            chain(r, kind, id, [&](recipe::Step& s) {
                s.datum = "plate";
                edit(s);
            });
        };
        add("line", "bottom",
            [&](recipe::Step& s) { s.regions["window"] = Region::window(at(-90, 60), at(90, 60), 24); });
        add("line", "side",
            [&](recipe::Step& s) { s.regions["window"] = Region::window(at(-100, 50), at(-100, -50), 24); });
        add("circle", "hole", [&](recipe::Step& s) { s.regions["ring"] = Region::ring(at(-60, -20), 7, 22); });
        add("circle", "other", [&](recipe::Step& s) { s.regions["ring"] = Region::ring(at(60, 20), 7, 22); });
        add("edge_pair", "height",
            [&](recipe::Step& s) { s.regions["window"] = Region::window(at(-85, -75), at(-85, 75), 15); });
        add("edge_pair", "round", [&](recipe::Step& s) {
            s.regions["window"] = Region::arc(at(-60, -20), 20, 26, 0, geometry::radians(300));
            put(s, "least_strength", 200.0);
        });
        add("blobs", "slots", [&](recipe::Step& s) { s.regions["region"] = Region::rectangle(at(-5, 40), 120, 36); });
        add("contour", "outline", [&](recipe::Step& s) { put(s, "objects", std::string("dark")); });
        add("distance", "pitch", [&](recipe::Step& s) { s.inputs = {{"first", "hole"}, {"second", "other"}}; });
        add("distance", "edge", [&](recipe::Step& s) { s.inputs = {{"first", "bottom"}, {"second", "hole"}}; });
        add("angle", "square", [&](recipe::Step& s) { s.inputs = {{"first", "bottom"}, {"second", "side"}}; });
        add("crossing", "corner", [&](recipe::Step& s) { s.inputs = {{"first", "bottom"}, {"second", "side"}}; });
        add("roundness", "form", [&](recipe::Step& s) { s.inputs = {{"of", "hole"}}; });
        add("straightness", "straight", [&](recipe::Step& s) { s.inputs = {{"of", "bottom"}}; });
        add("area_share", "share", [&](recipe::Step& s) {
            s.regions["region"] = Region::circle(at(0, 0), 40);
            put(s, "mode", std::string("fixed"));
        });
        add("formula", "sum",
            [&](recipe::Step& s) { put(s, "expression", std::string("[height] + sum([slots.areas])")); });
        return r;
    }
    static const std::vector<std::tuple<const char*, const char*, double>>& values()
    {
        static const std::vector<std::tuple<const char*, const char*, double>> all{
            {"height", "distance", 0.05}, {"pitch", "distance", 0.05},    {"edge", "distance", 0.06},
            {"square", "angle", 0.1},     {"hole", "radius", 0.04},       {"corner", "along_x", 0.1},
            {"corner", "along_y", 0.1},   {"slots", "count", 0},          {"outline", "length_x", 0.5},
            {"outline", "area", 25},      {"form", "zone", 0.25},         {"straight", "zone", 0.25},
            {"share", "share", 1.0},      {"bottom", "datum_angle", 0.05}};
        return all;
    }
private slots:
    void resultsFollowTheTurnedAndShiftedPart()
    {
        const auto r = whole();
        const auto reference = runChain(r, part({{210, 200}, 0}));
        for (const auto& s : reference.items[0].steps)
            if (s->step != "round") QVERIFY2(s->state == inspect::State::Ok, (s->step + ": " + s->reason).c_str());
        for (const double degrees : {3.0, 17.0, 45.0, 90.0, 133.0, 180.0, -71.0}) {
            const auto result =
                runChain(r, part({{210 + degrees / 20, 200 - degrees / 30}, geometry::radians(degrees)}));
            for (const auto& [step, output, tolerance] : values()) {
                const double a = value(reference, step, output), b = value(result, step, output);
                QVERIFY2(
                    std::abs(a - b) <= tolerance,
                    qPrintable(QString("%1.%2 at %3: %4, reference %5").arg(step, output).arg(degrees).arg(b).arg(a)));
            }
        }
    }
    void brightnessAndContrastLeaveEdgesAndPatternWhereTheyAre()
    {
        const auto r = whole();
        const Pose pose{{205, 203}, 0.3};
        const auto a = runChain(r, part(pose, 200, 50, 0));
        for (const auto& [bright, dark] : {std::pair{120.0, 45.0}, {250.0, 130.0}, {230.0, 10.0}}) {
            const auto b = runChain(r, part(pose, bright, dark, 0));
            for (const auto& [step, output, tolerance] : {std::tuple{"height", "distance", 0.01},
                                                          {"pitch", "distance", 0.01},
                                                          {"plate", "x", 0.02},
                                                          {"plate", "y", 0.02},
                                                          {"plate", "angle", 0.01}})
                QVERIFY2(
                    std::abs(value(a, step, output) - value(b, step, output)) < tolerance,
                    qPrintable(
                        QString("%1.%2 %3").arg(step, output).arg(value(a, step, output) - value(b, step, output))));
        }
    }
    void mirroredPicturesGiveMirroredPlaces()
    {
        const auto mirror = [](const image::Image& p) {
            image::Image m(p.width(), p.height(), image::PixelFormat::Grey8);
            for (int y = 0; y < p.height(); ++y)
                for (int x = 0; x < p.width(); ++x) m.row(y)[x] = p.row(y)[p.width() - 1 - x];
            return m;
        };
        const auto picture = part({{210, 200}, 0.2});
        const double w = picture.width() - 1;
        const auto run = [&](const image::Image& p, bool mirrored) {
            recipe::Recipe r;
            const auto at = [&](double x, double y) { return Point{mirrored ? w - x : x, y}; };
            const Pose pose{{210, 200}, 0.2};
            const Point hole = pose.toPicture({-60, -20});
            chain(r, "circle", "hole",
                  [&](recipe::Step& s) { s.regions["ring"] = Region::ring(at(hole.x, hole.y), 7, 22); });
            chain(r, "edge_pair", "width",
                  [&](recipe::Step& s) { s.regions["window"] = Region::window(at(60, 215), at(370, 215), 9); });
            chain(r, "blobs", "slots",
                  [](recipe::Step& s) { put(s, "least_area", 150.0), put(s, "order", std::string("largest")); });
            return runChain(r, p.clone());
        };
        const auto a = run(picture, false), b = run(mirror(picture), true);
        QVERIFY(std::abs(value(a, "hole", "x") - (w - value(b, "hole", "x"))) < 1e-4 &&
                std::abs(value(a, "hole", "y") - value(b, "hole", "y")) < 1e-4);
        QVERIFY(std::abs(value(a, "hole", "radius") - value(b, "hole", "radius")) < 1e-4);
        QVERIFY(std::abs(value(a, "width", "distance") - value(b, "width", "distance")) < 1e-4);
        const auto list = [](const inspect::PictureResult& r, const char* key) {
            return r.items[0].step("slots")->output(key)->values;
        };
        QCOMPARE(list(a, "areas"), list(b, "areas"));
        for (std::size_t i = 0; i < list(a, "x").size(); ++i)
            QVERIFY(std::abs(list(a, "x")[i] - (w - list(b, "x")[i])) < 1e-9);
    }
    void oneAndManyThreadsGiveTheSameBits()
    {
        const auto r = whole();
        const auto prepared = inspect::Prepared::make(r);
        const auto capture = captureOf(part({{205, 203}, 0.3}));
        const auto one = inspect::evaluate(*prepared, capture, nullptr, nullptr, 1);
        for (const int threads : {2, 4, 0}) {
            const auto many = inspect::evaluate(*prepared, capture, nullptr, nullptr, threads);
            QCOMPARE(many.items.size(), one.items.size());
            for (std::size_t i = 0; i < one.items.size(); ++i)
                for (std::size_t s = 0; s < one.items[i].steps.size(); ++s) {
                    const auto &x = *one.items[i].steps[s], &y = *many.items[i].steps[s];
                    QCOMPARE(x.step, y.step);
                    QCOMPARE(x.reason, y.reason);
                    QCOMPARE(x.outputs.size(), y.outputs.size());
                    for (std::size_t k = 0; k < x.outputs.size(); ++k)
                        QVERIFY(x.outputs[k].values == y.outputs[k].values);
                }
        }
    }
};
QTEST_APPLESS_MAIN(InvarianceTest)
#include "invariance_test.moc"

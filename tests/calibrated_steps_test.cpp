// Steps under tilt and lens distortion, against the truth of generated plates and of drawn shapes.
#include "demo/targets.h"
#include "inspect/calibrating.h"
#include "support.h"

using namespace support;
using geometry::Calibration;
using geometry::Point;

namespace
{
demo::Field field()
{
    demo::Field f{1224, 1024, 0.104};
    f.lens = std::make_shared<Calibration>(demo::tiltedLens(f));
    f.found = f.lens;
    return f;
}
// Outlines in mm of the plane, as the lens shows them.
image::Image seen(const demo::Field& f, const std::vector<std::vector<Point>>& outlines)
{
    std::vector<std::vector<Point>> px;
    for (const auto& o : outlines) {
        std::vector<Point> fine;
        for (std::size_t i = 0; i < o.size(); ++i)
            for (int k = 0; k < 40; ++k)
                fine.push_back(f.lens->fromMm(o[i] + (o[(i + 1) % o.size()] - o[i]) * (k / 40.0)));
        px.push_back(std::move(fine));
    }
    return draw(px, f.width, f.height);
}
recipe::Recipe calibrated(const demo::Field& f)
{
    recipe::Recipe r;
    r.calibration = *f.lens;
    return r;
}
geometry::Region around(const demo::Field& f, Point mm, double size)
{
    const Point c = f.lens->fromMm(mm);
    return geometry::Region::rectangle(c, size, size);
}
} // namespace

class CalibratedStepsTest : public QObject
{
    Q_OBJECT
private slots:
    void everyDimensionOfTheTiltedPlateIsRight()
    {
        const demo::Field f = field();
        QTemporaryDir dir;
        auto text = demo::reedPlateRecipe(f, {});
        const auto path = dir.filePath("r.json").toStdString();
        QVERIFY(base::realFiles().write(path, text).has_value());
        QVERIFY(
            base::realFiles()
                .write(dir.filePath("reference.png").toStdString(), *image::encodePng(demo::referencePlate(f).picture))
                .has_value());
        auto loaded = recipe::load(path);
        QVERIFY2(loaded.has_value(), loaded ? "" : loaded.error().text().c_str());
        recipe::Recipe plain = *loaded;
        plain.calibration = Calibration::factor(f.lens->mmPerPixel(), "");
        const auto prepared = inspect::Prepared::make(*loaded), without = inspect::Prepared::make(plain);
        QVERIFY(prepared.has_value() && without.has_value());
        double worst = 0, worstPlain = 0;
        int measured = 0;
        for (const int n : {0, 1, 3, 4, 6, 7, 9, 10}) {
            const auto p = demo::plate(f, 5, n);
            const auto capture = captureOf(p.picture.clone());
            const auto r = inspect::evaluate(*prepared, capture), q = inspect::evaluate(*without, capture);
            for (const auto& [step, truth] : {std::pair<const char*, double>{"width", p.truth.width},
                                              {"pitch", p.truth.pitch},
                                              {"edge", p.truth.width / 2 + demo::kHoleY}}) {
                QVERIFY2(state(r, step) == inspect::State::Ok, r.items.front().step(step)->reason.c_str());
                worst = std::max(worst, std::abs(value(r, step, "distance") - truth));
                if (state(q, step) == inspect::State::Ok)
                    worstPlain = std::max(worstPlain, std::abs(value(q, step, "distance") - truth));
                ++measured;
            }
            // The smallest box of a slot is read off its pixels: half a px at each end.
            const auto* holes = r.items.front().step("slots");
            QCOMPARE(int(holes->output("length")->values.size()), 10);
            for (std::size_t i = 0; i < 10; ++i)
                QVERIFY(std::abs(holes->output("length")->values[i] - (19 - 0.85 * double(i))) < 0.2);
            QVERIFY(holes->output("areas")->unit == base::Unit::SquareMillimetre);
        }
        qInfo("%d dimensions: worst %.4f mm with the lens, %.4f mm without", measured, worst, worstPlain);
        QVERIFY(worst < 0.008); // a twice coarser picture than the demo's 0.005 mm
        QVERIFY(worstPlain > 5 * worst);
    }
    void areasAxesAndPlacesOfBlobsAreThoseOfThePart()
    {
        const demo::Field f = field();
        // Discs of 6 mm at the corners and the middle.
        std::vector<std::vector<Point>> discs;
        const std::vector<Point> at{{12, 12}, {63, 53}, {115, 95}, {14, 92}, {112, 14}};
        for (const Point c : at) discs.push_back(demo::circleOutline(c, 3));
        recipe::Recipe r = calibrated(f);
        chain(r, "blobs", "discs", [](recipe::Step& s) {
            put(s, "objects", std::string("dark"));
            put(s, "order", std::string("datum_x"));
        });
        const auto result = runChain(r, seen(f, discs));
        const auto* b = result.items.front().step("discs");
        QCOMPARE(value(result, "discs", "count"), 5.0);
        for (std::size_t i = 0; i < 5; ++i) {
            QVERIFY(std::abs(b->output("areas")->values[i] / (geometry::kPi * 9) - 1) < 0.01);
            QVERIFY(std::abs(b->output("major")->values[i] - 6) < 0.06 &&
                    std::abs(b->output("minor")->values[i] - 6) < 0.06);
            QVERIFY(std::abs(b->output("perimeter")->values[i] / (geometry::kPi * 6) - 1) < 0.03);
            // Its place in the picture stays in px, where it is seen.
            const Point px{b->output("x")->values[i], b->output("y")->values[i]};
            double nearest = 1e9;
            for (const Point c : at) nearest = std::min(nearest, geometry::distance(px, f.lens->fromMm(c)));
            QVERIFY(nearest < 0.3);
            QCOMPARE(b->output("x")->unit, base::Unit::Pixel);
        }
    }
    void linesCirclesAndFormAreThoseOfThePart()
    {
        const demo::Field f = field();
        const Point c{100, 80};
        const std::vector<std::vector<Point>> part{{{10, 20}, {118, 20}, {118, 45}, {10, 45}},
                                                   demo::circleOutline(c, 10)};
        recipe::Recipe r = calibrated(f);
        chain(r, "line", "top", [&](recipe::Step& s) {
            put(s, "least_share", 5.0); // without the lens it is bowed, and is to be judged by its form
            s.regions["window"] = geometry::Region::window(f.lens->fromMm({14, 20}), f.lens->fromMm({114, 20}), 40);
            put(s, "windows", std::int64_t(60));
        });
        chain(r, "straightness", "straight", [&](recipe::Step& s) {
            s.inputs["of"] = "top";
            put(s, "reach", 8.0);
        });
        chain(r, "circle", "round", [&](recipe::Step& s) {
            const Point m = f.lens->fromMm(c);
            s.regions["ring"] = geometry::Region::ring(m, 80, 112);
        });
        chain(r, "roundness", "roundness", [&](recipe::Step& s) {
            s.inputs["of"] = "round";
            put(s, "reach", 8.0);
        });
        chain(r, "distance", "far", [&](recipe::Step& s) { s.inputs = {{"first", "top"}, {"second", "round"}}; });
        chain(r, "contour", "whole", [&](recipe::Step& s) {
            s.regions["region"] = around(f, c, 260);
            put(s, "objects", std::string("dark"));
        });
        const auto result = runChain(r, seen(f, part));
        QVERIFY(std::abs(value(result, "round", "diameter") - 20) < 0.01);
        QVERIFY(std::abs(value(result, "far", "distance") - 60) < 0.01);
        QVERIFY(std::abs(value(result, "top", "length") - 100) < 2.5);
        // The lens bows the edge by more than a px; on the part it is straight.
        QVERIFY2(value(result, "straight", "zone") < 0.03,
                 qPrintable(QString::number(value(result, "straight", "zone"))));
        QVERIFY2(value(result, "roundness", "zone") < 0.04,
                 qPrintable(QString::number(value(result, "roundness", "zone"))));
        QVERIFY(std::abs(value(result, "whole", "area") / (geometry::kPi * 100) - 1) < 0.002);
        recipe::Recipe flat = r;
        flat.calibration = Calibration::factor(f.lens->mmPerPixel(), "");
        const auto bent = runChain(flat, seen(f, part));
        QVERIFY(value(bent, "straight", "zone") > 0.1);
        // Marks are drawn where the part is seen.
        const auto* round = result.items.front().step("round");
        for (const auto& m : round->marks)
            if (m.role == recipe::MarkRole::Found && m.points.size() > 50)
                for (const Point p : m.points) QVERIFY(std::abs(geometry::distance(f.lens->mm(p), c) - 10) < 0.02);
    }
    void outsideTheProvedAreaIsSaid()
    {
        const demo::Field f = field();
        recipe::Recipe r = calibrated(f);
        auto l = f.lens->lens();
        l.covered = {{0, 0}, {600, 0}, {600, 1023}, {0, 1023}};
        r.calibration = Calibration::lens(l, "");
        const Point c{100, 80};
        chain(r, "circle", "round",
              [&](recipe::Step& s) { s.regions["ring"] = geometry::Region::ring(f.lens->fromMm(c), 80, 112); });
        const auto result = runChain(r, seen(f, {demo::circleOutline(c, 10)}));
        QCOMPARE(state(result, "round"), inspect::State::Ok);
        QVERIFY(result.items.front().step("round")->note.find("outside the area") != std::string::npos);
        // Another picture size is said too.
        const auto small = runChain(r, draw({demo::circleOutline({300, 300}, 60)}, 640, 480));
        QVERIFY(!small.warnings.empty() && small.warnings.front().find("1224×1024") != std::string::npos);
    }
    void aTargetAmongThePartsIsSaid()
    {
        const demo::Field f{816, 683, 0.156};
        QTemporaryDir dir;
        auto prepared = inspect::Prepared::make(*recipe::load(writeDemo(dir, 1)));
        const vision::Target t{vision::TargetKind::Checkerboard, 9, 7, 10, 0};
        demo::Random random(2);
        const auto lens = demo::tiltedLens(f);
        const auto r = inspect::evaluate(
            *prepared,
            captureOf(demo::drawTarget(f, lens, {t, demo::targetPose(f, lens, t, 1, 0), true, 2, 0.1}, random)));
        QVERIFY(!r.accepted());
        QVERIFY(!r.warnings.empty() && r.warnings.front().find("target") != std::string::npos);
    }
    void changesOfCalibrationKeepOrSayVerdicts()
    {
        // A width of 120 px, an area in px², limits in px.
        recipe::Recipe r;
        chain(r, "edge_pair", "width", [](recipe::Step& s) {
            s.regions["window"] = geometry::Region::window({40, 100}, {260, 100}, 21);
            put(s, "first", std::string("bright_to_dark"));
            s.checks.front().limits = *recipe::parseLimits("120 +-0.5", base::Unit::Pixel);
        });
        chain(r, "area_share", "area", [](recipe::Step& s) {
            s.regions["region"] = geometry::Region::rectangle({150, 100}, 200, 120);
            put(s, "objects", std::string("dark"));
            put(s, "mode", std::string("automatic"));
            recipe::Check c;
            c.output = "area", c.name = "Area";
            c.limits = *recipe::parseLimits("9000 .. 9900", base::Unit::SquarePixel);
            s.checks = {c};
        });
        const auto picture = [] { return draw({box(90, 60, 210, 140)}, 300, 200, {}, 1); };
        const auto first = runChain(r, picture());
        QVERIFY2(first.accepted(), first.items.front().sentence().c_str());
        const Calibration factor = Calibration::factor(0.05, "stated");
        const auto kept = recipe::recalibrated(r, factor, false);
        const auto result = runChain(kept, picture());
        for (const auto& c : result.items.front().checks) {
            QCOMPARE(c.verdict, inspect::Verdict::NotMeasured);
            QVERIFY(c.reason.find("limit is in px") != std::string::npos);
        }
        QCOMPARE(recipe::foreignLimits(kept).size(), std::size_t(2));
        // One by one, or all at once: the same.
        recipe::Recipe one = kept;
        for (auto& s : one.steps)
            for (auto& c : s.checks) c = recipe::convertedCheck(one, s, c);
        const auto all = recipe::recalibrated(r, factor, true);
        QVERIFY(recipe::foreignLimits(one).empty() && recipe::foreignLimits(all).empty());
        for (std::size_t i = 0; i < 2; ++i) QVERIFY(one.steps[i].checks.front() == all.steps[i].checks.front());
        QCOMPARE(*all.steps[0].checks.front().limits.nominal, 120 * 0.05);
        QVERIFY(std::abs(*all.steps[1].checks.front().limits.low - 9000 * 0.0025) < 1e-12);
        QVERIFY(all.steps[1].checks.front().limits.unit == base::Unit::SquareMillimetre);
        QVERIFY(runChain(all, picture()).accepted());
        // Under a plain factor verdicts stay, at the very ends too.
        for (double px = 119.3; px < 120.8; px += 0.01)
            for (const double k : {0.05, 0.0123456789, 7.7}) {
                const auto before = r.steps[0].checks.front().limits;
                const auto after =
                    recipe::recalibrated(r, Calibration::factor(k, ""), true).steps[0].checks.front().limits;
                QCOMPARE(before.holds(px), after.holds(px * k));
            }
        QVERIFY(recipe::recalibrated(r, Calibration::factor(0.3, ""), true)
                    .steps[0]
                    .checks.front()
                    .limits.holds(120.5 * 0.3));
        // And back to px.
        const auto back = recipe::recalibrated(all, Calibration(), true);
        QVERIFY(std::abs(*back.steps[0].checks.front().limits.nominal - 120) < 1e-9);
        QVERIFY(back.steps[0].checks.front().limits.unit == base::Unit::Pixel);
    }
    void limitsInInchesAndMicrometresJudgeTheSame()
    {
        recipe::Recipe r;
        r.calibration = Calibration::factor(0.05, "");
        chain(r, "edge_pair", "width", [](recipe::Step& s) {
            s.regions["window"] = geometry::Region::window({40, 100}, {260, 100}, 21);
            s.checks.front().limits = *recipe::parseLimits("5990 .. 6010 um", base::Unit::Millimetre);
        });
        const auto picture = [] { return draw({box(90, 60, 210, 140)}, 300, 200, {}, 1); };
        QVERIFY(runChain(r, picture()).accepted());
        r.steps[0].checks[0].limits = *recipe::parseLimits("0.2362 +-0.0004", base::Unit::Inch);
        QVERIFY(runChain(r, picture()).accepted());
        const auto before = runChain(r, picture()).items.front().checks.front();
        r.shownIn = base::Unit::Inch;
        const auto after = runChain(r, picture()).items.front().checks.front();
        QCOMPARE(before.verdict, after.verdict);
        QCOMPARE(before.values, after.values); // what is logged stays in mm
        QVERIFY(after.valueText().find(" in") != std::string::npos);
        r.steps[0].checks[0].limits = *recipe::parseLimits("0.2 +-0.0004", base::Unit::Inch);
        const auto fails = runChain(r, picture()).items.front();
        QVERIFY(!fails.accepted() && fails.sentence().find("0.2004 in") != std::string::npos);
    }
    void aTrueplaceIsNotReadAnewByACalibration()
    {
        recipe::Recipe r;
        chain(r, "edge_point", "p", [](recipe::Step& s) {
            s.regions["window"] = geometry::Region::window({40, 100}, {150, 100}, 21);
        });
        chain(r, "position", "where", [](recipe::Step& s) {
            s.inputs["of"] = "p";
            put(s, "x", 90.0), put(s, "y", 100.0);
            s.checks.front().limits = *recipe::parseLimits("<= 3", base::Unit::Pixel);
        });
        const auto picture = [] { return draw({box(90, 60, 210, 140)}, 300, 200, {}, 1); };
        const double before = value(runChain(r, picture()), "where", "position");
        const auto kept = recipe::recalibrated(r, Calibration::factor(0.05, ""), false);
        QVERIFY(state(runChain(kept, picture()), "where") == inspect::State::Failed); // said, not guessed
        const auto all = recipe::recalibrated(r, Calibration::factor(0.05, ""), true);
        QVERIFY(std::abs(value(runChain(all, picture()), "where", "position") - before * 0.05) < 1e-9);
    }
};
QTEST_APPLESS_MAIN(CalibratedStepsTest)
#include "calibrated_steps_test.moc"

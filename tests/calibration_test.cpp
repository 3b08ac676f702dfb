// Calibration against rendered targets whose camera and poses are known.
#include "demo/targets.h"
#include "inspect/calibrating.h"
#include "recipe/calibration_file.h"
#include "support.h"
#include "vision/calibrate.h"

#include <nlohmann/json.hpp>

using namespace geometry;
using vision::Target;
using vision::TargetKind;

namespace
{
demo::Field field() { return {1224, 1024, 0.104}; }
Target board(TargetKind kind) { return {kind, 15, 12, std::round(1224 * 0.104 / 15.2 * 2) / 2, 0}; }
Calibration viewOf(const demo::Field& f, const PlanePose& pose)
{
    auto l = demo::tiltedLens(f).lens();
    l.plane = pose;
    return Calibration::lens(l, "");
}
double worst(const vision::TargetFind& found, const Target& t, const Calibration& view, double& rms)
{
    double most = 0, square = 0;
    for (const auto& p : found.points) {
        const double d = distance(p.at, view.fromMm({p.column * t.pitch, p.row * t.pitch}));
        most = std::max(most, d), square += d * d;
    }
    rms = std::sqrt(square / double(found.points.size()));
    return most;
}
} // namespace

class CalibrationTest : public QObject
{
    Q_OBJECT
private slots:
    // A sheet that shows half squares beyond the board: the asked grid is the one with whole squares all round, and
    // that is said.
    void halfSquaresBeyondTheBoardAreNotItsOwn()
    {
        const double pitch = 46;
        // 10 × 7 squares make 9 × 6 inner corners; one more row of half squares below or above makes 9 × 7.
        const auto board = [&](bool above, bool whole) {
            std::vector<std::vector<geometry::Point>> dark;
            const int first = above ? -1 : 0, last = above ? 7 : 8;
            for (int row = first; row < last; ++row)
                for (int column = 0; column < 10; ++column) {
                    if ((row + column) % 2 != 0) continue;
                    const bool extra = row < 0 || row > 6;
                    double top = 90 + row * pitch, bottom = top + pitch;
                    if (extra && !whole) (row < 0 ? top : bottom) = row < 0 ? bottom - pitch / 2 : top + pitch / 2;
                    dark.push_back(support::box(80 + column * pitch, top, 80 + (column + 1) * pitch, bottom));
                }
            return support::draw(dark, 640, 520, {}, 1);
        };
        for (const bool above : {false, true}) {
            const auto picture = board(above, false);
            const auto found = vision::findTarget(picture.grey(), {vision::TargetKind::Checkerboard, 9, 6, 1, 0});
            QVERIFY2(found, found ? "" : found.error().message.c_str());
            QCOMPARE(found->points.size(), std::size_t(54));
            QVERIFY(found->whole);
            QVERIFY2(found->note.find("the 9 × 6 with whole squares all round are taken") != std::string::npos,
                     found->note.c_str());
            double top = 1e9, bottom = 0;
            for (const auto& p : found->points) top = std::min(top, p.at.y), bottom = std::max(bottom, p.at.y);
            QVERIFY(std::abs(top - (90 + pitch - 0.5)) < 0.6 && std::abs(bottom - (90 + 6 * pitch - 0.5)) < 0.6);
        }
        // A whole row more is another board: nothing says which part is meant.
        const auto other =
            vision::findTarget(board(false, true).grey(), {vision::TargetKind::Checkerboard, 9, 6, 1, 0});
        QVERIFY(!other &&
                other.error().message.find("9 × 7 corners was found, 9 × 6 are asked for") != std::string::npos);
    }
    void placesComeBackThroughLensAndTilt()
    {
        const Calibration c = demo::tiltedLens(field());
        QVERIFY(c.check().has_value());
        for (double y = -20; y <= 1044; y += 76)
            for (double x = -20; x <= 1244; x += 83) {
                QVERIFY(distance(c.picture(c.level({x, y})), {x, y}) < 1e-8);
                QVERIFY(distance(c.fromMm(c.mm({x, y})), {x, y}) < 1e-8);
                // Level px are mm by one scale, turned and shifted only.
                const double px = distance(c.level({x, y}), c.level({500, 400})) * c.mmPerPixel();
                QVERIFY(std::abs(px - distance(c.mm({x, y}), c.mm({500, 400}))) < 1e-9);
            }
        // At the anchor level px agree with picture px in place, scale and turn.
        const auto local = c.local({(1224 - 1) / 2.0, (1024 - 1) / 2.0});
        QVERIFY(std::abs(local.area() - 1) < 1e-6 && std::abs(local.right.y - local.down.x) < 1e-6);
        QVERIFY(distance(c.level({611.5, 511.5}), {611.5, 511.5}) < 1e-9);
    }
    void placesBeyondTheLensStayFinite()
    {
        auto l = demo::tiltedLens(field()).lens();
        l.camera.k1 = -0.9, l.camera.k2 = 0; // folds inside the picture
        const Calibration c = Calibration::lens(l, "");
        for (const Point p : {Point{-5000, -5000}, Point{1e5, 3}, Point{1223, 1023}, Point{0, 0}}) {
            QVERIFY(std::isfinite(c.level(p).x) && std::isfinite(c.mm(p).y));
        }
        QVERIFY(std::isfinite(c.fromMm({1e9, -1e9}).x));
    }
    void aThickPartIsMeasuredAtItsHeight()
    {
        Calibration c = demo::tiltedLens(field());
        const double flat = c.mmPerPixel(), high = c.knownDistance();
        QVERIFY(std::abs(high - 300) < 2);
        QVERIFY(c.setHeight(3, 0).has_value());
        QVERIFY(std::abs(c.mmPerPixel() - flat * (1 - 3 / high)) < 1e-12);
        // Independent: the ray through two px meets the plane 3 mm nearer to the lens.
        const auto r = rotationOf(c.lens().plane.turn);
        const auto& t = c.lens().plane.shift;
        const auto meet = [&](Point px) {
            const Point n = c.lens().camera.normal(px);
            // plane: z row of R^T (p - t) = -3 towards the lens
            const double a[3] = {n.x, n.y, 1};
            double down = 0, at = 0;
            for (int i = 0; i < 3; ++i)
                down += r[std::size_t(3 * i + 2)] * a[i], at += r[std::size_t(3 * i + 2)] * t[std::size_t(i)];
            const double k = (at - 3) / down;
            Point out;
            for (int i = 0; i < 3; ++i) {
                const double q = k * a[i] - t[std::size_t(i)];
                out.x += r[std::size_t(3 * i)] * q, out.y += r[std::size_t(3 * i + 1)] * q;
            }
            return out;
        };
        QVERIFY(std::abs(distance(meet({100, 90}), meet({1100, 900})) - distance(c.mm({100, 90}), c.mm({1100, 900}))) <
                1e-9);
        QVERIFY(distance(c.fromMm(c.mm({100, 90})), {100, 90}) < 1e-8);
        // A plain factor cannot know how far the lens is.
        Calibration plain = Calibration::factor(0.1, "");
        QVERIFY(!plain.setHeight(2, 0) && plain.thickness() == 0);
        QVERIFY(plain.setHeight(2, 200).has_value());
        QVERIFY(std::abs(plain.mmPerPixel() - 0.1 * 0.99) < 1e-15);
        QVERIFY(!plain.setHeight(200, 200));
        QVERIFY(!Calibration().setHeight(1, 100));
    }
    void cornersAndDotsAreFoundWhereTheyAre_data()
    {
        QTest::addColumn<int>("kind");
        QTest::addColumn<bool>("marked");
        QTest::newRow("checkerboard") << 0 << true;
        QTest::newRow("checkerboard without mark") << 0 << false;
        QTest::newRow("dots") << 1 << true;
        QTest::newRow("dots without mark") << 1 << false;
    }
    void cornersAndDotsAreFoundWhereTheyAre()
    {
        QFETCH(int, kind);
        QFETCH(bool, marked);
        const auto f = field();
        const Calibration lens = demo::tiltedLens(f);
        const Target t = board(TargetKind(kind));
        for (int n = 0; n < 4; ++n) {
            demo::Random random(std::uint64_t(n) + 9);
            const auto pose = demo::targetPose(f, lens, t, 3, n);
            const auto picture = demo::drawTarget(f, lens, {t, pose, marked, 2, 0.25}, random);
            const auto found = vision::findTarget(picture.grey(), t);
            QVERIFY2(found.has_value(), found ? "" : found.error().message.c_str());
            QCOMPARE(found->marked, marked);
            if (!marked && !found->whole) continue; // then its numbers begin anywhere
            double rms = 0;
            const double most = worst(*found, t, viewOf(f, pose), rms);
            // Centroids of dots are not pictures of centres: up to 0.03 px at these tilts, put right by calibrate().
            QVERIFY2(rms < (kind ? 0.07 : 0.03) && most < 0.15,
                     qPrintable(QString("%1 rms, %2 at most, picture %3").arg(rms).arg(most).arg(n)));
        }
    }
    void theTurnedTargetKeepsItsNumbersByTheMark()
    {
        const auto f = field();
        const Calibration lens = demo::tiltedLens(f);
        Target t = board(TargetKind::Checkerboard);
        t.columns = 11, t.rows = 9;
        for (const double turn : {0.0, 1.6, 3.1, 4.6}) {
            demo::Random random(4);
            PlanePose pose = demo::targetPose(f, lens, t, 3, 0);
            const Point middle{(t.columns - 1) * t.pitch / 2, (t.rows - 1) * t.pitch / 2};
            pose.turn = {0.02, 0.03, turn};
            const auto r = rotationOf(pose.turn);
            pose.shift = {-r[0] * middle.x - r[1] * middle.y, -r[3] * middle.x - r[4] * middle.y,
                          340 - r[6] * middle.x - r[7] * middle.y};
            const auto picture = demo::drawTarget(f, lens, {t, pose, true, 2, 0.2}, random);
            const auto found = vision::findTarget(picture.grey(), t);
            QVERIFY2(found.has_value(), found ? "" : found.error().message.c_str());
            QVERIFY(found->marked && found->whole);
            double rms = 0;
            QVERIFY(worst(*found, t, viewOf(f, pose), rms) < 0.15);
        }
    }
    void generatedTargetsGiveScaleAndPlaces_data()
    {
        QTest::addColumn<int>("kind");
        QTest::newRow("checkerboard") << 0;
        QTest::newRow("dots") << 1;
    }
    void generatedTargetsGiveScaleAndPlaces()
    {
        QFETCH(int, kind);
        const auto f = field();
        const Calibration truth = demo::tiltedLens(f);
        const Target t = board(TargetKind(kind));
        std::vector<vision::TargetView> views;
        PlanePose first;
        for (int n = 0; n < 8; ++n) {
            demo::Random random(std::uint64_t(n) + 40);
            const auto pose = demo::targetPose(f, truth, t, 1, n);
            if (n == 0) first = pose;
            const auto picture = demo::drawTarget(f, truth, {t, pose, true, 2, 0.25}, random);
            const auto found = vision::findTarget(picture.grey(), t);
            QVERIFY2(found.has_value(), found ? "" : found.error().message.c_str());
            views.push_back({std::to_string(n), f.width, f.height, found->points});
        }
        const auto fit = vision::calibrate(t, views, 0);
        QVERIFY2(fit.has_value(), fit ? "" : fit.error().message.c_str());
        const Calibration& c = fit->calibration;
        const Calibration seen = viewOf(f, first); // the target's own frame in the measuring plane
        double most = 0, square = 0, ratio = 0;
        int count = 0;
        for (double y = 12; y < f.height; y += 25)
            for (double x = 12; x < f.width; x += 25) {
                if (!c.covers({x, y})) continue;
                const double d = distance(c.fromMm(seen.mm({x, y})), {x, y});
                most = std::max(most, d), square += d * d, ++count;
                ratio += std::log(std::sqrt(std::abs(c.local({x, y}).area() / seen.local({x, y}).area())) *
                                  c.mmPerPixel() / seen.mmPerPixel());
            }
        const double scale = std::exp(ratio / count) - 1;
        qInfo("%d places: %.4f px rms, %.4f px at most; mean scale off by %.2e; residuals %.4f px", count,
              std::sqrt(square / count), most, scale, fit->rms);
        QVERIFY(count > 1000);
        QVERIFY(std::abs(scale) < 2e-5);
        QVERIFY(std::sqrt(square / count) < 0.01 && most < 0.02);
        QVERIFY(fit->focalKnown);
        QVERIFY(std::abs(c.lens().camera.fx / truth.lens().camera.fx - 1) < 0.002);
        QVERIFY(fit->dropped < 5);
    }
    void oneStraightPictureIsEnoughForItsPlane()
    {
        // A target seen straight on by a lens far away leaves the focal length open; the plane is right all the same.
        const auto f = field();
        auto l = demo::tiltedLens(f).lens();
        const Target t = board(TargetKind::Checkerboard);
        demo::Random random(3);
        const auto pose = demo::targetPose(f, demo::tiltedLens(f), t, 1, 0);
        const auto picture = demo::drawTarget(f, demo::tiltedLens(f), {t, pose, true, 2, 0.25}, random);
        const auto found = vision::findTarget(picture.grey(), t);
        QVERIFY(found.has_value());
        const auto fit = vision::calibrate(t, {{"one", f.width, f.height, found->points}}, 0);
        QVERIFY(fit.has_value());
        double most = 0;
        const Calibration seen = viewOf(f, pose);
        for (double y = 60; y < f.height - 60; y += 40)
            for (double x = 60; x < f.width - 60; x += 40)
                most = std::max(most, distance(fit->calibration.fromMm(seen.mm({x, y})), {x, y}));
        QVERIFY2(most < 0.1, qPrintable(QString::number(most)));
    }
    void strongDistortionAndUnevenLightAreNoObstacle()
    {
        // As with a cheap wide lens: 640 × 480, barrel of a fifth of the half width, strong tilts, soft light.
        const demo::Field f{640, 480, 0.5};
        Calibration::Lens l;
        l.width = 640, l.height = 480;
        l.camera = {530, 530.5, 338, 236, -0.28, 0.06, 0.03, 0.0012, -0.0003};
        const Target t{TargetKind::Checkerboard, 9, 6, 25, 0};
        std::vector<vision::TargetView> views;
        demo::Random random(12);
        for (int n = 0; n < 14; ++n) {
            PlanePose pose;
            pose.turn = {random.uniform(-0.6, 0.6), random.uniform(-0.6, 0.6), random.uniform(-0.5, 0.5)};
            const auto r = rotationOf(pose.turn);
            const Point m{100, 62.5};
            const double z = random.uniform(330, 520);
            pose.shift = {random.uniform(-0.12, 0.12) * z - r[0] * m.x - r[1] * m.y,
                          random.uniform(-0.08, 0.08) * z - r[3] * m.x - r[4] * m.y, z - r[6] * m.x - r[7] * m.y};
            l.plane = pose;
            const auto picture = demo::drawTarget(f, Calibration::lens(l, ""), {t, pose, false, 3, 0.45}, random);
            const auto found = vision::findTarget(picture.grey(), t);
            QVERIFY2(found.has_value(),
                     qPrintable(QString("%1: %2").arg(n).arg(found ? "" : found.error().message.c_str())));
            views.push_back({std::to_string(n), 640, 480, found->points});
        }
        const auto fit = vision::calibrate(t, views, 0);
        QVERIFY2(fit.has_value(), fit ? "" : fit.error().message.c_str());
        qInfo("strong distortion: %.4f px rms", fit->rms);
        QVERIFY(fit->rms < 0.1);
        // Undistorted places agree with the true lens.
        double square = 0;
        int n = 0;
        const Camera &a = fit->calibration.lens().camera, &b = l.camera;
        for (double y = 0; y < 480; y += 20)
            for (double x = 0; x < 640; x += 20) {
                if (!fit->calibration.covers({x, y})) continue;
                const Point p = a.normal({x, y}), q = b.normal({x, y});
                const Point d{p.x * b.fx + b.cx - (q.x * b.fx + b.cx), p.y * b.fy + b.cy - (q.y * b.fy + b.cy)};
                square += dot(d, d), ++n;
            }
        // Up to a turn of the camera, which the poses take up: centre and angle together.
        QVERIFY2(std::sqrt(square / n) < 1.0, qPrintable(QString::number(std::sqrt(square / n))));
    }
    void wrongTargetsAreRefusedWithTheReason()
    {
        const auto f = field();
        const Calibration lens = demo::tiltedLens(f);
        const Target t{TargetKind::Checkerboard, 9, 7, 10, 0};
        demo::Random random(1);
        const auto pose = demo::targetPose(f, lens, t, 1, 0);
        const auto picture = demo::drawTarget(f, lens, {t, pose, true, 2, 0.1}, random);
        const auto wrong = vision::findTarget(picture.grey(), {TargetKind::Checkerboard, 7, 5, 10, 0});
        QVERIFY(!wrong && wrong.error().message.find("9 × 7") != std::string::npos);
        const auto none = vision::findTarget(demo::referencePlate(f).picture.grey(), t);
        QVERIFY(!none);
        QVERIFY(!vision::findTarget(picture.grey(), {TargetKind::Checkerboard, 2, 5, 10, 0}));
        QVERIFY(!vision::findTarget(picture.grey(), {TargetKind::Checkerboard, 9, 7, -1, 0}));
        QVERIFY(vision::looksLikeTarget(picture.grey()));
        QVERIFY(!vision::looksLikeTarget(demo::referencePlate(f).picture.grey()));
        // Dots: by their mark, or by being many; a part with rows of holes is no target.
        const Target dots{TargetKind::Dots, 9, 7, 10, 0}, many{TargetKind::Dots, 14, 12, 7, 0};
        QVERIFY(vision::looksLikeTarget(
            demo::drawTarget(f, lens, {dots, demo::targetPose(f, lens, dots, 1, 0), true, 2, 0.1}, random).grey()));
        QVERIFY(vision::looksLikeTarget(
            demo::drawTarget(f, lens, {many, demo::targetPose(f, lens, many, 1, 0), false, 2, 0.1}, random).grey()));
        std::vector<std::vector<Point>> holes;
        for (int y = 0; y < 5; ++y)
            for (int x = 0; x < 6; ++x) holes.push_back(demo::circleOutline({150.0 + 60 * x, 150.0 + 60 * y}, 12));
        const std::vector<Point> plate{{100, 100}, {500, 100}, {500, 440}, {100, 440}};
        demo::Random noise(3);
        const auto perforated = demo::backlit(demo::blurredCoverage({plate}, holes, 800, 600, 0.8, 2), 800, 600,
                                              {200, 50, 0, 0, 0, 2}, noise);
        QVERIFY(!vision::looksLikeTarget(perforated.grey()));
        const image::Image tiny(8, 8, image::PixelFormat::Grey8);
        QVERIFY(!vision::findTarget(tiny.grey(), t));
        // Pictures of two sizes are no calibration.
        const auto found = vision::findTarget(picture.grey(), t);
        QVERIFY(found.has_value());
        QVERIFY(!vision::calibrate(t, {{"a", 1224, 1024, found->points}, {"b", 1000, 1024, found->points}}, 0));
        QVERIFY(!vision::calibrate(t, {}, 0));
    }
    void calibrationsAreStoredAndReadBack()
    {
        Calibration c = demo::tiltedLens(field());
        QVERIFY(c.setHeight(1.5, 0).has_value());
        const auto back = recipe::calibrationFromJson(recipe::calibrationToJson(c), "calibration");
        QVERIFY2(back.has_value(), back ? "" : back.error().text().c_str());
        QVERIFY(*back == c);
        auto j = recipe::calibrationToJson(c);
        j["lens"]["fx"] = -4;
        const auto bad = recipe::calibrationFromJson(j, "calibration");
        QVERIFY(!bad && bad.error().text().find("fx = -4") != std::string::npos);
        j = recipe::calibrationToJson(c);
        j["mm_per_px"] = 1;
        QVERIFY(!recipe::calibrationFromJson(j, ""));
        j = nlohmann::json{{"mm_per_px", 0.1}, {"thickness", 2}};
        const auto refused = recipe::calibrationFromJson(j, "calibration");
        QVERIFY(!refused && refused.error().text().find("lens_distance") != std::string::npos);
    }
    void theSentenceSaysWhatIsUncovered()
    {
        auto l = demo::tiltedLens(field()).lens();
        l.rmsMm = 0.002;
        l.covered = {{300, 0}, {1223, 0}, {1223, 1023}, {300, 1023}};
        const std::string s = inspect::calibrationSentence(Calibration::lens(l, ""));
        QVERIFY2(s.find("±0.004 mm") != std::string::npos && s.find("the left") != std::string::npos &&
                     s.find("uncovered") != std::string::npos,
                 s.c_str());
        l.covered = {{0, 0}, {1223, 0}, {1223, 1023}, {0, 1023}};
        QVERIFY(inspect::calibrationSentence(Calibration::lens(l, "")).find("uncovered") == std::string::npos);
    }
};
QTEST_APPLESS_MAIN(CalibrationTest)
#include "calibration_test.moc"

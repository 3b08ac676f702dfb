#include "demo/targets.h"

#include "base/files.h"
#include "base/parallel.h"
#include "image/capture_files.h"
#include "recipe/calibration_file.h"
#include "vision/calibrate.h"

#include <cmath>
#include <filesystem>
#include <nlohmann/json.hpp>

namespace demo
{
using geometry::Calibration;
using geometry::PlanePose;
using geometry::Point;
using nlohmann::json;

namespace
{
// A pose that shows the plane's place `middle` at the depth `distance`, on the line of sight through the picture's
// middle shifted by `off` mm.
PlanePose poseAt(std::array<double, 3> turn, Point middle, Point off, double distance)
{
    const auto r = geometry::rotationOf(turn);
    PlanePose p;
    p.turn = turn;
    p.shift = {off.x - r[0] * middle.x - r[1] * middle.y, off.y - r[3] * middle.x - r[4] * middle.y,
               distance - r[6] * middle.x - r[7] * middle.y};
    return p;
}
constexpr double kDistance = 300; // mm
// An outline in mm, finely cut so that the lens can bend it.
std::vector<Point> fine(const std::vector<Point>& outline, double step)
{
    std::vector<Point> out;
    for (std::size_t i = 0; i < outline.size(); ++i) {
        const Point a = outline[i], b = outline[(i + 1) % outline.size()];
        const int n = std::max(1, int(std::ceil(geometry::distance(a, b) / step)));
        for (int k = 0; k < n; ++k) out.push_back(a + (b - a) * (double(k) / n));
    }
    return out;
}
} // namespace

Calibration tiltedLens(const Field& f)
{
    Calibration::Lens l;
    l.width = f.width, l.height = f.height;
    l.camera.fx = kDistance / f.mmPerPixel, l.camera.fy = l.camera.fx * 1.0004;
    l.camera.cx = 0.506 * f.width, l.camera.cy = 0.491 * f.height;
    l.camera.k1 = -0.24, l.camera.k2 = 0.11, l.camera.p1 = 0.0006, l.camera.p2 = -0.0004;
    const Point middle{(f.width - 1) * f.mmPerPixel / 2, (f.height - 1) * f.mmPerPixel / 2};
    l.plane = poseAt({0.06, -0.045, 0.008}, middle, {0, 0}, kDistance);
    return Calibration::lens(l, "the generator's own lens");
}

PlanePose targetPose(const Field& f, const Calibration& lens, const vision::Target& t, std::uint64_t seed, int n)
{
    const Point middle{(t.columns - 1) * t.pitch / 2, (t.rows - 1) * t.pitch / 2};
    if (n == 0) {
        // In the measuring plane: the plane's own pose, the target's middle on the field's.
        const Point there{(f.width - 1) * f.mmPerPixel / 2, (f.height - 1) * f.mmPerPixel / 2};
        PlanePose p = lens.lens().plane;
        const auto r = geometry::rotationOf(p.turn);
        const Point d = there - middle;
        p.shift = {p.shift[0] + r[0] * d.x + r[1] * d.y, p.shift[1] + r[3] * d.x + r[4] * d.y,
                   p.shift[2] + r[6] * d.x + r[7] * d.y};
        return p;
    }
    Random random(seed * 77'003ULL + std::uint64_t(n) * 131ULL + 5);
    const double wide = f.width * f.mmPerPixel, high = f.height * f.mmPerPixel;
    return poseAt({random.uniform(-0.5, 0.5), random.uniform(-0.5, 0.5), random.uniform(-0.25, 0.25)}, middle,
                  {random.uniform(-0.18, 0.18) * wide, random.uniform(-0.18, 0.18) * high},
                  kDistance * random.uniform(0.95, 1.35));
}

image::Image drawTarget(const Field& f, const Calibration& lens, const TargetScene& s, Random& random)
{
    Calibration::Lens here = lens.lens();
    here.plane = s.pose;
    const Calibration view = Calibration::lens(here, "");
    const vision::Target& t = s.target;
    std::vector<std::vector<Point>> dark, holes;
    const auto draw = [&](std::vector<std::vector<Point>>& to, const std::vector<Point>& mm) {
        std::vector<Point> px;
        for (const Point p : fine(mm, t.pitch / 12)) px.push_back(view.fromMm(p));
        to.push_back(std::move(px));
    };
    if (t.kind == vision::TargetKind::Checkerboard) {
        const int mx = (t.columns - 1) / 2, my = (t.rows - 1) / 2;
        for (int r = -1; r < t.rows; ++r)
            for (int c = -1; c < t.columns; ++c) {
                const double x = c * t.pitch, y = r * t.pitch, p = t.pitch;
                const bool black = (r + c) % 2 == 0;
                if (black) draw(dark, {{x, y}, {x + p, y}, {x + p, y + p}, {x, y + p}});
                const bool mark = s.marked && ((r == my && (c == mx || c == mx + 1)) || (r == my + 1 && c == mx));
                if (mark) draw(black ? holes : dark, circleOutline({x + p / 2, y + p / 2}, 0.2 * p));
            }
    } else {
        for (int r = 0; r < t.rows; ++r)
            for (int c = 0; c < t.columns; ++c) {
                draw(dark, circleOutline({c * t.pitch, r * t.pitch}, t.dotDiameter() / 2));
                const bool mark = s.marked && ((r == t.rows / 2 && (c == t.columns / 2 || c == t.columns / 2 + 1)) ||
                                               (r == t.rows / 2 + 1 && c == t.columns / 2));
                if (mark) draw(holes, circleOutline({c * t.pitch, r * t.pitch}, t.dotDiameter() / 4.5));
            }
    }
    Light l;
    l.bright = 205 + random.uniform(-12, 12), l.dark = 32, l.noise = s.noise, l.fall = s.fall;
    l.tiltX = random.uniform(-0.12, 0.12), l.tiltY = random.uniform(-0.12, 0.12);
    return backlit(blurredCoverage(dark, holes, f.width, f.height, 0.8, 2), f.width, f.height, l, random);
}

namespace
{
json poseJson(const PlanePose& p) { return {{"rotation", p.turn}, {"translation", p.shift}}; }
base::Status makeFolder(const std::string& folder)
{
    std::error_code error;
    std::filesystem::create_directories(folder, error);
    if (error) return base::fail(base::ErrorCode::Io, "cannot make the folder: " + error.message(), folder);
    return {};
}
} // namespace

base::Status writeTargets(const std::string& folder, std::uint64_t seed, int count, const Field& f)
{
    if (auto ok = makeFolder(folder); !ok) return ok;
    const Calibration lens = tiltedLens(f);
    auto& files = base::realFiles();
    const double wide = f.width * f.mmPerPixel;
    struct Kind {
        const char* leaf;
        vision::Target target;
    };
    vision::Target board{vision::TargetKind::Checkerboard, 15, 12, 0, 0}, dots{vision::TargetKind::Dots, 15, 12, 0, 0};
    board.pitch = dots.pitch = std::round(wide / 15.2 * 2) / 2;
    json truth{{"set", "targets"},
               {"seed", seed},
               {"width", f.width},
               {"height", f.height},
               {"camera", recipe::calibrationToJson(lens)["lens"]},
               {"columns", 15},
               {"rows", 12},
               {"pitch", board.pitch},
               {"conventions", "rotation as a vector along its axis in radians, translation in mm: target frame to "
                               "camera; pixel centres whole "
                               "numbers; distortion after Brown: radial k1 k2 k3, tangential p1 p2"}};
    json& pictures = truth["pictures"] = json::array();
    std::vector<base::Status> done(std::size_t(2 * count));
    std::vector<json> rows(std::size_t(2 * count));
    base::parallelFor(2 * count, 0, [&](int i) {
        const int n = i / 2;
        const Kind kind = i % 2 ? Kind{"dots", dots} : Kind{"board", board};
        Random random(seed * 991ULL + std::uint64_t(i) * 17 + 3);
        const TargetScene scene{kind.target, targetPose(f, lens, kind.target, seed, n), true, 2, 0.25};
        const auto png = image::encodePng(drawTarget(f, lens, scene, random));
        const std::string leaf = std::string(kind.leaf) + (n < 9 ? "-0" : "-") + std::to_string(n + 1) + ".png";
        rows[std::size_t(i)] = poseJson(scene.pose);
        rows[std::size_t(i)]["picture"] = leaf;
        done[std::size_t(i)] = png ? files.write((std::filesystem::path(folder) / leaf).string(), *png)
                                   : base::Status(base::passOn(png.error()));
    });
    for (const auto& d : done)
        if (!d) return d;
    for (const json& r : rows) pictures.push_back(r);
    return files.write((std::filesystem::path(folder) / "truth.json").string(), truth.dump(2) + "\n");
}

base::Status writeTiltedPlates(const std::string& folder, std::uint64_t seed, int count, const Field& field)
{
    Field f = field;
    f.lens = std::make_shared<Calibration>(tiltedLens(field));
    // The recipe measures by what the target pictures beside it say, not by the lens the generator knows.
    if (auto ok = writeTargets(folder, seed, 8, field); !ok) return ok;
    std::filesystem::rename(std::filesystem::path(folder) / "truth.json",
                            std::filesystem::path(folder) / "targets.json");
    std::vector<vision::TargetView> views;
    vision::Target board{vision::TargetKind::Checkerboard, 15, 12, std::round(f.width * f.mmPerPixel / 15.2 * 2) / 2,
                         0};
    for (int n = 0; n < 8; ++n) {
        const std::string leaf = "board-0" + std::to_string(n + 1) + ".png";
        const auto capture = image::loadCapture((std::filesystem::path(folder) / leaf).string());
        if (!capture) return base::passOn(capture.error());
        const auto found = vision::findTarget(capture->first().grey(), board);
        if (!found) return base::passOn(found.error(), leaf);
        views.push_back({leaf, f.width, f.height, found->points});
    }
    const auto fit = vision::calibrate(board, views, 0);
    if (!fit) return base::passOn(fit.error());
    f.found = std::make_shared<Calibration>(
        Calibration::lens(fit->calibration.lens(), "8 pictures of a checkerboard 15 × 12"));
    return writeReedPlates(folder, seed, count, f);
}

} // namespace demo

// photo_boards - boards made to look like photographs of a cheap wide lens: print on paper in a cluttered room, soft
// light, blur.
//
// usage: photo_boards SETS SEED [hard]. Hard: also a bent sheet, steeper views, a narrow margin held by fingers, a
// tiled wall behind, burnt-out lights, a moved camera, its sharpening and the blocks of a strong JPEG. Says how many
// boards are found, the residuals, and how far undistorted places are from the true lens; with the measuring stick
// (DIKKAT_BENCH_STICK) the same figures of the general-purpose library's own board search and calibration.
#include "base/files.h"
#include "demo/targets.h"
#include "image/decode.h"
#include "inspect/calibrating.h"
#include "vision/calibrate.h"

#include <chrono>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#ifdef DIKKAT_STICK
#include <opencv2/calib3d.hpp>
#include <opencv2/imgproc.hpp>
#endif

using namespace geometry;

namespace
{
// Undistorted place by the camera, carried to px; a shift, turn and scale of the whole is taken out, because poses take
// those up.
double disagreement(const Camera& a, const Camera& b, int width, int height, const Calibration& covered)
{
    std::vector<Point> p, q;
    for (int y = 0; y < height; y += 16)
        for (int x = 0; x < width; x += 16)
            if (covered.covers({double(x), double(y)})) {
                const Point m = a.normal({double(x), double(y)}), n = b.normal({double(x), double(y)});
                p.push_back({m.x * b.fx, m.y * b.fy}), q.push_back({n.x * b.fx, n.y * b.fy});
            }
    Point mp, mq;
    for (std::size_t i = 0; i < p.size(); ++i)
        mp = mp + p[i] * (1.0 / double(p.size())), mq = mq + q[i] * (1.0 / double(p.size()));
    double sq = 0, c = 0, s = 0, sum = 0;
    for (std::size_t i = 0; i < p.size(); ++i) {
        const Point u = p[i] - mp, v = q[i] - mq;
        c += dot(u, v), s += cross(u, v), sq += dot(u, u);
    }
    const double k = std::hypot(c, s) / sq, t = std::atan2(s, c);
    for (std::size_t i = 0; i < p.size(); ++i) {
        const Point u = p[i] - mp, v = q[i] - mq;
        const Point w{k * (u.x * std::cos(t) - u.y * std::sin(t)), k * (u.x * std::sin(t) + u.y * std::cos(t))};
        sum += dot(w - v, w - v);
    }
    return std::sqrt(sum / double(p.size()));
}

#ifdef DIKKAT_STICK
std::pair<Camera, double> stickFit(const std::vector<std::vector<cv::Point3f>>& flat,
                                   const std::vector<std::vector<cv::Point2f>>& corners, int width, int height)
{
    cv::Mat k, d;
    std::vector<cv::Mat> rs, ts;
    const double rms = cv::calibrateCamera(flat, corners, {width, height}, k, d, rs, ts);
    return {Camera{k.at<double>(0, 0), k.at<double>(1, 1), k.at<double>(0, 2), k.at<double>(1, 2), d.at<double>(0),
                   d.at<double>(1), d.total() > 4 ? d.at<double>(4) : 0, d.at<double>(2), d.at<double>(3)},
            rms};
}
#endif

using Plane = std::vector<float>;
// What a camera does to the picture after the lens: sharpening by the difference to a soft copy (3 × 3), halos and all.
void sharpen(Plane& p, int width, int height, double amount)
{
    const Plane in = p;
    for (int y = 1; y < height - 1; ++y)
        for (int x = 1; x < width - 1; ++x) {
            float sum = 0;
            for (int j = -1; j <= 1; ++j)
                for (int i = -1; i <= 1; ++i) sum += in[std::size_t((y + j) * width + x + i)];
            const std::size_t k = std::size_t(y * width + x);
            p[k] = in[k] + float(amount) * (in[k] - sum / 9);
        }
}
// Mean along a short straight way of the camera.
Plane moved(const Plane& in, int width, int height, Point way)
{
    Plane out(in.size());
    const int steps = 1 + int(std::ceil(2 * length(way)));
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            float sum = 0;
            for (int s = 0; s < steps; ++s) {
                const Point at = Point{double(x), double(y)} + way * (steps > 1 ? double(s) / (steps - 1) - 0.5 : 0);
                const double cx = std::clamp(at.x, 0.0, width - 1.001), cy = std::clamp(at.y, 0.0, height - 1.001);
                const int ix = int(cx), iy = int(cy);
                const float u = float(cx - ix), v = float(cy - iy);
                const float* p = in.data() + iy * width + ix;
                sum += (1 - v) * ((1 - u) * p[0] + u * p[1]) + v * ((1 - u) * p[width] + u * p[width + 1]);
            }
            out[std::size_t(y * width + x)] = sum / float(steps);
        }
    return out;
}
// Cosine transform of 8 × 8 blocks, coefficients rounded to steps that grow with frequency (ISO/IEC 10918-1), and back.
void blocks(Plane& p, int width, int height, double step)
{
    double c[8][8];
    for (int k = 0; k < 8; ++k)
        for (int i = 0; i < 8; ++i) c[k][i] = (k ? 0.5 : std::sqrt(0.125)) * std::cos((2 * i + 1) * k * kPi / 16);
    for (int by = 0; by + 8 <= height; by += 8)
        for (int bx = 0; bx + 8 <= width; bx += 8) {
            double b[8][8], t[8][8];
            for (int k = 0; k < 8; ++k)
                for (int x = 0; x < 8; ++x) {
                    t[k][x] = 0;
                    for (int i = 0; i < 8; ++i) t[k][x] += c[k][i] * double(p[std::size_t((by + i) * width + bx + x)]);
                }
            for (int k = 0; k < 8; ++k)
                for (int m = 0; m < 8; ++m) {
                    double sum = 0;
                    for (int x = 0; x < 8; ++x) sum += c[m][x] * t[k][x];
                    const double q = step * (1 + 0.8 * (k + m));
                    b[k][m] = q * std::round(sum / q);
                }
            for (int k = 0; k < 8; ++k)
                for (int x = 0; x < 8; ++x) {
                    t[k][x] = 0;
                    for (int m = 0; m < 8; ++m) t[k][x] += c[m][x] * b[k][m];
                }
            for (int i = 0; i < 8; ++i)
                for (int x = 0; x < 8; ++x) {
                    double sum = 0;
                    for (int k = 0; k < 8; ++k) sum += c[k][i] * t[k][x];
                    p[std::size_t((by + i) * width + bx + x)] = float(sum);
                }
        }
}
} // namespace

int main(int argc, char** argv)
{
    const int sets = argc > 1 ? std::atoi(argv[1]) : 5;
    const std::uint64_t seed = argc > 2 ? std::strtoull(argv[2], nullptr, 10) : 1;
    const bool hard = argc > 3;
    int found = 0, asked = 0, stickFound = 0;
    for (int set = 0; set < sets; ++set) {
        demo::Random random(seed * 1009 + std::uint64_t(set));
        const int width = 640, height = 480;
        Calibration::Lens l;
        l.width = width, l.height = height;
        const double f = random.uniform(420, 900);
        l.camera = {f,
                    f * random.uniform(0.998, 1.002),
                    random.uniform(300, 345),
                    random.uniform(222, 258),
                    random.uniform(-0.36, -0.15),
                    random.uniform(0, 0.12),
                    0,
                    random.uniform(-0.002, 0.002),
                    random.uniform(-0.002, 0.002)};
        const vision::Target t{vision::TargetKind::Checkerboard, 9, 6, 25, 0};
        std::vector<vision::TargetView> views;
        std::vector<image::Image> pictures;
        double seconds = 0;
        for (int n = 0; n < 13; ++n) {
            PlanePose pose;
            const double lean = hard ? 0.85 : 0.65;
            pose.turn = {random.uniform(-lean, lean), random.uniform(-lean, lean), random.uniform(-0.6, 0.6)};
            const auto r = rotationOf(pose.turn);
            const Point m{100, 62.5};
            const double z = f * random.uniform(0.55, 1.0);
            pose.shift = {random.uniform(-0.1, 0.1) * z - r[0] * m.x - r[1] * m.y,
                          random.uniform(-0.07, 0.07) * z - r[3] * m.x - r[4] * m.y, z - r[6] * m.x - r[7] * m.y};
            l.plane = pose;
            // A sheet on card is bent by some tenths of a mm, along a direction of its own.
            const double bend = hard ? random.uniform(-0.5, 0.5) : 0, bendAngle = random.uniform(0, 3.14);
            const auto seen = [&](Point mm) {
                const double across = dot(mm - m, {std::cos(bendAngle), std::sin(bendAngle)}) / 100,
                             h = bend * across * across;
                const double x = r[0] * mm.x + r[1] * mm.y + r[2] * h + pose.shift[0],
                             y = r[3] * mm.x + r[4] * mm.y + r[5] * h + pose.shift[1];
                const double depth = r[6] * mm.x + r[7] * mm.y + r[8] * h + pose.shift[2];
                return l.camera.project({x / depth, y / depth});
            };
            const auto outline = [&](std::vector<Point> mm) {
                std::vector<Point> out;
                for (std::size_t i = 0; i < mm.size(); ++i)
                    for (int k = 0; k < 24; ++k)
                        out.push_back(seen(mm[i] + (mm[(i + 1) % mm.size()] - mm[i]) * (k / 24.0)));
                return out;
            };
            // All of the print lies in the picture, as whoever takes such pictures sees to.
            if (hard) {
                bool inside = true;
                for (const Point& p : outline({{-25, -25}, {225, -25}, {225, 150}, {-25, 150}}))
                    inside = inside && p.x > 2 && p.y > 2 && p.x < width - 3 && p.y < height - 3;
                if (!inside) {
                    --n;
                    continue;
                }
            }
            // Ink bleeds: black squares grow by up to 3 %.
            const double bleed = random.uniform(-0.4, 0.75);
            std::vector<std::vector<Point>> squares, paper;
            const double margin = 25 + (hard ? random.uniform(1, 20) : 20);
            paper.push_back(outline(
                {{-margin, -margin}, {200 + margin, -margin}, {200 + margin, 125 + margin}, {-margin, 125 + margin}}));
            for (int y = -1; y < 6; ++y)
                for (int x = -1; x < 9; ++x)
                    if ((x + y) % 2 == 0)
                        squares.push_back(outline({{x * 25 - bleed, y * 25 - bleed},
                                                   {x * 25 + 25 + bleed, y * 25 - bleed},
                                                   {x * 25 + 25 + bleed, y * 25 + 25 + bleed},
                                                   {x * 25 - bleed, y * 25 + 25 + bleed}}));
            const double sigma = random.uniform(0.5, 1.1);
            const auto ink = demo::blurredCoverage(squares, {}, width, height, sigma, 3),
                       sheet = demo::blurredCoverage(paper, {}, width, height, sigma, 3);
            // A room: panes, rails and a grating of its own.
            std::vector<std::vector<Point>> clutter;
            for (int k = 0; k < 40; ++k) {
                const Point c{random.uniform(0, width), random.uniform(0, height)};
                const double w = random.uniform(4, 90), h = random.uniform(4, 90), a = random.uniform(0, 3.14);
                const Point u{std::cos(a), std::sin(a)}, v{-u.y, u.x};
                clutter.push_back({c + u * w + v * h, c - u * w + v * h, c - u * w - v * h, c + u * w - v * h});
            }
            if (hard) {
                // Tiles or a grating on the wall, and fingers over the margin.
                const double size = random.uniform(9, 45), a = random.uniform(0, 1.5);
                const Point u{std::cos(a), std::sin(a)}, v{-u.y, u.x},
                    at{random.uniform(0, width), random.uniform(0, height)};
                for (int j = -6; j < 6; ++j)
                    for (int i = -6; i < 6; ++i) {
                        const Point c = at + u * (i * size) + v * (j * size);
                        if ((i + j) % 2 == 0)
                            clutter.push_back({c, c + u * size, c + u * size + v * size, c + v * size});
                    }
            }
            std::vector<float> room(std::size_t(width * height), 0.f);
            for (const auto& c : clutter) {
                const auto one = demo::blurredCoverage({c}, {}, width, height, sigma, 1);
                const float level = float(random.uniform(-0.5, 0.5));
                for (std::size_t i = 0; i < room.size(); ++i) room[i] += one[i] * level;
            }
            image::Image picture(width, height, image::PixelFormat::Grey8);
            const double lampX = random.uniform(0, width), lampY = random.uniform(0, height),
                         gain = random.uniform(0.55, 1.1);
            const double noise = random.uniform(1, 4), gamma = random.uniform(0.7, 1.1);
            std::vector<float> fingers(std::size_t(width * height), 0.f);
            for (int k = 0; hard && k < 4; ++k) {
                // Its tip lies at most on the outer half of an outer square.
                const double along = random.uniform(0, 1), w = random.uniform(5, 9);
                const Point tip =
                    k % 2 ? Point{200 * along, k < 2 ? -15.0 : 140.0} : Point{k < 2 ? -15.0 : 215.0, 125 * along};
                const Point out = k % 2 ? Point{0, k < 2 ? -1.0 : 1.0} : Point{k < 2 ? -1.0 : 1.0, 0},
                            side{-out.y, out.x};
                const auto one = demo::blurredCoverage(
                    {outline({tip - side * (0.6 * w), tip + side * (0.6 * w), tip + side * w + out * 6,
                              tip + side * w + out * 60, tip - side * w + out * 60, tip - side * w + out * 6})},
                    {}, width, height, sigma, 1);
                for (std::size_t i = 0; i < fingers.size(); ++i) fingers[i] = std::max(fingers[i], one[i]);
            }
            Plane level(std::size_t(width * height));
            const double burnt = hard ? random.uniform(1, 1.7) : 1;
            for (int y = 0; y < height; ++y)
                for (int x = 0; x < width; ++x) {
                    const std::size_t i = std::size_t(y * width + x);
                    const double light =
                        gain * burnt *
                        (0.35 + 0.75 * std::exp(-(std::pow((x - lampX) / 420, 2) + std::pow((y - lampY) / 420, 2))));
                    const double back = std::clamp(0.4 + double(room[i]), 0.03, 1.0);
                    const double print = 0.9 - 0.82 * double(ink[i]);
                    const double flat = double(sheet[i]) * print + (1 - double(sheet[i])) * back;
                    level[i] = float(light * ((1 - double(fingers[i])) * flat + double(fingers[i]) * 0.45));
                }
            if (hard) level = moved(level, width, height, Point{random.uniform(-2, 2), random.uniform(-2, 2)});
            for (float& v : level)
                v = float(255 * std::min(1.0, std::pow(std::max(0.0, double(v)), gamma)) +
                          random.normal(noise, 4 * noise));
            if (hard) sharpen(level, width, height, random.uniform(0, 1.5));
            for (float& v : level) v = std::clamp(v, 0.f, 255.f);
            if (hard) blocks(level, width, height, random.uniform(2, 12));
            for (int y = 0; y < height; ++y)
                for (int x = 0; x < width; ++x)
                    picture.row(y)[x] = std::uint8_t(std::clamp(level[std::size_t(y * width + x)] + 0.5f, 0.f, 255.f));
            ++asked;
            const auto start = std::chrono::steady_clock::now();
            const auto hit = vision::findTarget(picture.grey(), t);
            seconds += std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
            if (hit && hit->whole) {
                ++found;
                views.push_back({std::to_string(n), width, height, hit->points});
            } else {
                std::printf("  set %d picture %d: %s\n", set, n, hit ? "not whole" : hit.error().message.c_str());
                const auto png = image::encodePng(picture);
                (void)base::realFiles().write("lost-" + std::to_string(set) + "-" + std::to_string(n) + ".png", *png);
            }
            pictures.push_back(std::move(picture));
        }
        const auto fit = vision::calibrate(t, views, 0);
        if (!fit) {
            std::printf("set %d: %s\n", set, fit.error().message.c_str());
            continue;
        }
        std::printf("set %d: %zu of 13, %.3f px rms, undistorted %.3f px from the truth, %.1f ms a board", set,
                    views.size(), fit->rms,
                    disagreement(fit->calibration.lens().camera, l.camera, width, height, fit->calibration),
                    1000 * seconds / 13);
#ifdef DIKKAT_STICK
        std::vector<std::vector<cv::Point2f>> corners;
        std::vector<std::vector<cv::Point3f>> flat;
        const auto begin = std::chrono::steady_clock::now();
        for (const auto& picture : pictures) {
            const cv::Mat grey(height, width, CV_8U, const_cast<std::uint8_t*>(picture.row(0)));
            std::vector<cv::Point2f> c;
            if (!cv::findChessboardCorners(grey, {9, 6}, c)) continue;
            cv::cornerSubPix(grey, c, {5, 5}, {-1, -1}, {cv::TermCriteria::EPS + cv::TermCriteria::COUNT, 40, 1e-3});
            corners.push_back(c);
            std::vector<cv::Point3f> mm;
            for (int y = 0; y < 6; ++y)
                for (int x = 0; x < 9; ++x) mm.emplace_back(25.f * float(x), 25.f * float(y), 0.f);
            flat.push_back(mm);
        }
        const double stickSeconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
        stickFound += int(corners.size());
        const auto [c, rms] = stickFit(flat, corners, width, height);
        // Its solver on our corners: what the two fits alone differ by.
        std::vector<std::vector<cv::Point2f>> ours;
        std::vector<std::vector<cv::Point3f>> oursFlat;
        for (const auto& view : views) {
            ours.emplace_back(), oursFlat.emplace_back();
            for (const auto& p : view.points) {
                ours.back().emplace_back(float(p.at.x), float(p.at.y));
                oursFlat.back().emplace_back(25.f * float(p.column), 25.f * float(p.row), 0.f);
            }
        }
        const auto [same, sameRms] = stickFit(oursFlat, ours, width, height);
        std::printf(" | its fit of our corners: %.3f px rms, %.4f px from ours", sameRms,
                    disagreement(same, fit->calibration.lens().camera, width, height, fit->calibration));
        std::printf(" | stick: %zu, %.3f px rms, %.3f px from the truth, %.3f px from ours, %.1f ms", corners.size(),
                    rms, disagreement(c, l.camera, width, height, fit->calibration),
                    disagreement(c, fit->calibration.lens().camera, width, height, fit->calibration),
                    1000 * stickSeconds / 13);
#endif
        std::printf("\n");
    }
    std::printf("%d of %d boards found", found, asked);
    if (stickFound) std::printf("; stick %d", stickFound);
    std::printf("\n");
    return 0;
}

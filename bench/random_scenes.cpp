// Random scenes. `plain`: 1 to 12 parts among up to 20 other shapes of like size, contrast 15 to 150, noise 2 to 8, up
// to 30 % of a part's length hidden by a bright flap. `dirty` (the usual one): what real pictures have, each in some of
// the scenes: like parts beside each other, round ones too, flat and textured occluders from any direction, textured
// and uneven ground, glare, shadows, motion blur. At the default settings: how many of the parts are found of which at
// most 25 % of the outline is hidden (seen: the picture without noise differs by 10 grey levels and more across it),
// and how many finds are no part. Usage: random_scenes [scenes [seed [dirty|plain]]]; SCENES_TELL=1 names every miss,
// SCENES_DUMP=DIR writes the pictures of misses, SCENES_ONLY=NUMBER works on one of them
#include "base/files.h"
#include "base/parallel.h"
#include "demo/render.h"
#include "image/decode.h"
#include "vision/pattern.h"

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <mutex>

namespace
{
using geometry::Point;
using geometry::Pose;
constexpr int kW = 1224, kH = 1024;

std::vector<Point> placed(std::vector<Point> p, const Pose& pose)
{
    for (Point& q : p) q = pose.toPicture(q);
    return p;
}
const std::vector<Point> kPart{{-100, -60}, {40, -60}, {40, -30}, {100, -30}, {100, 60},
                               {20, 60},    {0, 30},   {-20, 60}, {-100, 60}};

std::vector<Point> other(demo::Random& r)
{
    std::vector<Point> p;
    const double size = r.uniform(60, 110);
    switch (r.below(5)) {
    case 0: return demo::circleOutline({0, 0}, size);
    case 1: return {{-size, -0.5 * size}, {size, -0.5 * size}, {size, 0.5 * size}, {-size, 0.5 * size}};
    case 2: return {{-size, size * 0.6}, {size, size * 0.6}, {0, -size}};
    case 3:
        for (int i = 0; i < 10; ++i)
            p.push_back(geometry::direction(i * geometry::kPi / 5) * (i % 2 ? size : 0.45 * size));
        return p;
    default:
        return {{-size, -size * 0.7}, {-0.2 * size, -size * 0.7}, {-0.2 * size, 0.2 * size},
                {size, 0.2 * size},   {size, size * 0.7},         {-size, size * 0.7}};
    }
}

struct Tally {
    int parts = 0, found = 0, falseFinds = 0;
    double squareError = 0, squareAngle = 0;
};
Tally scene(const vision::PatternModel& model, std::uint64_t seed)
{
    demo::Random r(seed);
    const int parts = 1 + r.below(12), others = r.below(21);
    const double contrast = r.uniform(15, 150), noise = r.uniform(2, 8), hidden = r.uniform(0, 0.3);
    std::vector<Pose> truth;
    std::vector<std::vector<Point>> dark, bright;
    std::vector<Point> taken;
    const auto place = [&](double apart, Point& at) {
        for (int tries = 0; tries < 400; ++tries) {
            at = {r.uniform(125, kW - 125), r.uniform(125, kH - 125)};
            bool free = true;
            for (const Point q : taken) free = free && geometry::distance(q, at) > apart;
            if (free) return true;
        }
        return false;
    };
    Point at;
    for (int i = 0; i < parts; ++i) {
        if (!place(236, at)) break;
        taken.push_back(at);
        truth.push_back({at, r.uniform(-geometry::kPi, geometry::kPi)});
        dark.push_back(placed(kPart, truth.back()));
    }
    // A bright flap covers an end of each part.
    for (const Pose& p : truth) {
        const double cut = 200 * hidden * r.uniform(0.3, 1);
        const bool left = r.below(2);
        bright.push_back(placed(left ? std::vector<Point>{{-104, -64}, {-104 + cut, -64}, {-104 + cut, 64}, {-104, 64}}
                                     : std::vector<Point>{{104 - cut, -64}, {104, -64}, {104, 64}, {104 - cut, 64}},
                                p));
    }
    std::vector<std::vector<Point>> clutter;
    for (int i = 0; i < others; ++i)
        if (place(215, at)) taken.push_back(at), clutter.push_back(placed(other(r), {at, r.uniform(-3, 3)}));
    // Coverage: parts less their hidden ends, and the others.
    std::vector<float> cover = demo::blurredCoverage(dark, {}, kW, kH, 0.8, 1);
    const std::vector<float> off = demo::blurredCoverage(bright, {}, kW, kH, 0.8, 1),
                             more = demo::blurredCoverage(clutter, {}, kW, kH, 0.8, 1);
    for (std::size_t i = 0; i < cover.size(); ++i) cover[i] = std::max(cover[i] * (1 - std::min(1.f, off[i])), more[i]);
    const double level = r.uniform(contrast + 20, 235);
    const image::Image picture = demo::backlit(cover, kW, kH, {level, level - contrast, 0, 0, 0, noise}, r);
    vision::PatternOptions o;
    o.most = 20;
    Tally t;
    t.parts = int(truth.size());
    std::vector<bool> seen(truth.size(), false);
    for (const auto& f : vision::findPattern(picture.grey(), model, geometry::Region::whole(), o)) {
        bool right = false;
        for (std::size_t i = 0; i < truth.size(); ++i) {
            const double off_ = geometry::distance(f.pose.origin, truth[i].origin),
                         turn = geometry::degrees(geometry::wrapped(f.pose.angle - truth[i].angle));
            if (off_ > 3 || std::abs(turn) > 2) continue;
            right = true;
            if (!seen[i]) ++t.found, t.squareError += off_ * off_, t.squareAngle += turn * turn;
            seen[i] = true;
        }
        if (!right) ++t.falseFinds;
        if (!right && std::getenv("SCENES_TELL"))
            std::printf("  scene %llu: false find score %.3f, contrast %.0f noise %.1f\n",
                        static_cast<unsigned long long>(seed), f.score, contrast, noise);
    }
    if (std::getenv("SCENES_TELL"))
        for (std::size_t i = 0; i < truth.size(); ++i)
            if (!seen[i]) {
                const double best = vision::scoreAt(picture.grey(), model, truth[i], 10);
                std::printf("  scene %llu: lost, score there %.3f, contrast %.0f noise %.1f hidden up to %.2f\n",
                            static_cast<unsigned long long>(seed), best, contrast, noise, hidden);
            }
    return t;
}

// ---- dirty scenes
struct Kind {
    std::vector<std::vector<Point>> outlines, holes;
    bool round = false;
    double apart = 0; // between the middles of two that lie beside each other
    vision::PatternModel model;
};
struct Canvas {
    std::vector<float> level; // grey levels without noise
    float& at(int x, int y) { return level[std::size_t(y) * kW + std::size_t(x)]; }
};
void paint(Canvas& c, const std::vector<std::vector<Point>>& outlines, const std::vector<std::vector<Point>>& holes,
           const std::vector<float>& with)
{
    const std::vector<float> cover = demo::blurredCoverage(outlines, holes, kW, kH, 0.8, 1);
    for (std::size_t i = 0; i < cover.size(); ++i) c.level[i] += cover[i] * (with[i] - c.level[i]);
}
// Random texture of a grain of some px, mean 0, about ± 1.
std::vector<float> texture(demo::Random& r, double grain)
{
    std::vector<float> t(std::size_t(kW) * kH);
    for (float& v : t) v = float(r.uniform(-1, 1));
    demo::blur(t, kW, kH, grain);
    double square = 0;
    for (const float v : t) square += double(v) * v;
    const float k = float(1 / std::sqrt(square / double(t.size()) + 1e-12));
    for (float& v : t) v *= k * 0.6f;
    return t;
}
Tally dirtyScene(const std::vector<Kind>& kinds, std::uint64_t seed)
{
    demo::Random r(seed);
    const Kind& kind = kinds[std::size_t(r.below(int(kinds.size())))];
    const bool tray = r.below(2);
    const double contrast = r.uniform(25, 150), noise = r.uniform(1, 7);
    const double bright = r.uniform(contrast + 20, 235), dark = bright - contrast;
    Canvas c{std::vector<float>(std::size_t(kW) * kH, float(bright))};
    // Ground: textured, uneven.
    if (r.below(2)) {
        const auto t = texture(r, r.uniform(1, 12));
        const double strong = r.uniform(0, 0.12) * contrast;
        for (std::size_t i = 0; i < t.size(); ++i) c.level[i] += float(strong) * t[i];
    }
    std::vector<Pose> truth;
    std::vector<Point> taken;
    const auto free = [&](Point at, double apart) {
        return at.x > 130 && at.y > 130 && at.x < kW - 130 && at.y < kH - 130 &&
               std::none_of(taken.begin(), taken.end(), [&](Point q) { return geometry::distance(q, at) < apart; });
    };
    const int wanted = 1 + r.below(12);
    if (tray) { // rows and columns, some left empty, nearly touching
        const double angle = r.uniform(-geometry::kPi, geometry::kPi), gap = r.uniform(3, 14);
        const Pose frame{{r.uniform(300, kW - 300), r.uniform(300, kH - 300)}, angle};
        const double px = kind.round ? kind.apart + gap : 204 + gap, py = kind.round ? kind.apart + gap : 124 + gap;
        for (int row = -3; row <= 3; ++row)
            for (int column = -3; column <= 3; ++column) {
                const Point at = frame.toPicture({column * px, row * py});
                if (int(truth.size()) >= wanted || r.below(5) == 0 || !free(at, 0)) continue;
                taken.push_back(at), truth.push_back({at, angle + r.uniform(-0.01, 0.01)});
            }
    }
    for (int tries = 0; tries < 500 && int(truth.size()) < (tray ? 1 : wanted); ++tries) {
        const Point at{r.uniform(130, kW - 130), r.uniform(130, kH - 130)};
        if (!free(at, kind.round ? kind.apart + 4 : 240)) continue;
        taken.push_back(at), truth.push_back({at, r.uniform(-geometry::kPi, geometry::kPi)});
    }
    std::vector<std::vector<Point>> parts, holes;
    for (const Pose& p : truth) {
        for (const auto& o : kind.outlines) parts.push_back(placed(o, p));
        for (const auto& o : kind.holes) holes.push_back(placed(o, p));
    }
    const std::vector<float> partLevel(std::size_t(kW) * kH, float(dark));
    paint(c, parts, holes, partLevel);
    std::vector<std::vector<Point>> clutter;
    const int others = r.below(16);
    for (int i = 0; i < others; ++i)
        for (int tries = 0; tries < 60; ++tries) {
            const Point at{r.uniform(60, kW - 60), r.uniform(60, kH - 60)};
            if (std::any_of(taken.begin(), taken.end(), [&](Point q) { return geometry::distance(q, at) < 215; }))
                continue;
            // A disc of the round part's own size shows most of its outline: that is no other shape.
            const auto shape = other(r);
            if (kind.round && shape.size() > 100 &&
                std::abs(geometry::length(shape.front()) - kind.apart / 2) < 0.08 * kind.apart)
                break;
            taken.push_back(at), clutter.push_back(placed(shape, {at, r.uniform(-3, 3)}));
            break;
        }
    paint(c, clutter, {}, partLevel);
    std::vector<float> covered(std::size_t(kW) * kH, 0.f);
    // Occluders: a half plane's corner laid over some of the parts, flat at any level or textured.
    for (const Pose& p : truth) {
        if (r.below(3) == 0) continue;
        const double way = r.uniform(-geometry::kPi, geometry::kPi);
        const Point u = geometry::direction(way), v = geometry::leftOf(u);
        double far = 0;
        for (const auto& o : kind.outlines)
            for (const Point q : placed(o, p)) far = std::max(far, geometry::dot(q - p.origin, u));
        const double cut = far - r.uniform(0, 0.75) * far, wide = r.uniform(60, 260), shift = r.uniform(-80, 80);
        const Point a = p.origin + u * cut + v * (shift - wide), b = p.origin + u * cut + v * (shift + wide);
        const std::vector<Point> cover{a, b, b + u * (far - cut + 12), a + u * (far - cut + 12)};
        std::vector<float> with(std::size_t(kW) * kH, float(r.uniform(10, 245)));
        if (r.below(2)) {
            const auto t = texture(r, r.uniform(1, 8));
            const double strong = r.uniform(0.1, 0.5) * contrast;
            for (std::size_t i = 0; i < t.size(); ++i) with[i] += float(strong) * t[i];
        }
        paint(c, {cover}, {}, with);
        const std::vector<float> over = demo::blurredCoverage({cover}, {}, kW, kH, 0.8, 1);
        for (std::size_t i = 0; i < over.size(); ++i) covered[i] = std::max(covered[i], over[i]);
    }
    // Light: a slope, a shadow with a soft border, a spot of glare.
    const double slopeX = r.uniform(-0.25, 0.25), slopeY = r.uniform(-0.25, 0.25);
    const bool shadow = r.below(3) == 0, glare = r.below(3) == 0;
    const Point s0{r.uniform(0, kW), r.uniform(0, kH)}, sd = geometry::direction(r.uniform(-3, 3)),
                                                        g0{r.uniform(0, kW), r.uniform(0, kH)};
    const double deep = r.uniform(0.1, 0.45), soft = r.uniform(3, 60), spot = r.uniform(30, 120),
                 strong = r.uniform(30, 160);
    for (int y = 0; y < kH; ++y)
        for (int x = 0; x < kW; ++x) {
            double l = c.at(x, y) * (1 + slopeX * (double(x) / kW - 0.5) + slopeY * (double(y) / kH - 0.5));
            const Point q{double(x), double(y)};
            if (shadow) l *= 1 - deep / (1 + std::exp(-geometry::dot(q - s0, sd) / soft));
            if (glare) l += strong * std::exp(-geometry::dot(q - g0, q - g0) / (2 * spot * spot));
            c.at(x, y) = float(std::clamp(l, 0.0, 255.0));
        }
    if (r.below(3) == 0) { // motion
        const double length = r.uniform(1, 5);
        const Point d = geometry::direction(r.uniform(-3, 3));
        const std::vector<float> still = c.level;
        constexpr int n = 9;
        for (int y = 0; y < kH; ++y)
            for (int x = 0; x < kW; ++x) {
                double sum = 0;
                for (int k = 0; k < n; ++k) {
                    const double t = length * ((k + 0.5) / n - 0.5), px = std::clamp(x + d.x * t, 0.0, kW - 1.001),
                                 py = std::clamp(y + d.y * t, 0.0, kH - 1.001);
                    const int ix = int(px), iy = int(py);
                    const double fx = px - ix, fy = py - iy;
                    const auto v = [&](int i, int j) {
                        return double(still[std::size_t(iy + j) * kW + std::size_t(ix + i)]);
                    };
                    sum += (v(0, 0) * (1 - fx) + v(1, 0) * fx) * (1 - fy) + (v(0, 1) * (1 - fx) + v(1, 1) * fx) * fy;
                }
                c.at(x, y) = float(sum / n);
            }
    }
    image::Image picture(kW, kH, image::PixelFormat::Grey8);
    for (int y = 0; y < kH; ++y)
        for (int x = 0; x < kW; ++x)
            picture.row(y)[x] = std::uint8_t(std::clamp(c.at(x, y) + r.normal(noise, 4 * noise) + 0.5, 0.0, 255.0));
    // How much of each part's outline can be seen at all.
    const auto seenShare = [&](const Pose& p) {
        int all = 0, seen = 0;
        for (const auto* list : {&kind.outlines, &kind.holes})
            for (const auto& o : *list)
                for (std::size_t i = 0; i < o.size(); ++i) {
                    const Point a = p.toPicture(o[i]), b = p.toPicture(o[(i + 1) % o.size()]),
                                n = geometry::leftOf(geometry::unit(b - a));
                    const int pieces = std::max(1, int(geometry::distance(a, b) / 3));
                    for (int k = 0; k < pieces; ++k) {
                        const Point q = a + (b - a) * ((k + 0.5) / pieces);
                        const auto l = [&](Point at) {
                            return double(c.at(std::clamp(int(std::lround(at.x)), 0, kW - 1),
                                               std::clamp(int(std::lround(at.y)), 0, kH - 1)));
                        };
                        // Which side is the part's is known by the sign most of the outline has: dark inside.
                        const double step = l(q + n * 4) - l(q - n * 4);
                        Point in = p.toLocal(q + n * 2);
                        bool left = false;
                        for (const auto& outline : kind.outlines)
                            left = left || geometry::Region::polygon(outline).contains(in);
                        for (const auto& hole : kind.holes)
                            left = left && !geometry::Region::polygon(hole).contains(in);
                        const bool hidden = covered[std::size_t(std::clamp(int(std::lround(q.y)), 0, kH - 1)) * kW +
                                                    std::size_t(std::clamp(int(std::lround(q.x)), 0, kW - 1))] > 0.3f;
                        ++all, seen += !hidden && (left ? -step : step) >= 10;
                    }
                }
        return all ? double(seen) / all : 0.0;
    };
    vision::PatternOptions o;
    o.most = 50;
    Tally t;
    std::vector<char> counts, found(truth.size(), 0);
    std::vector<double> share;
    for (const Pose& p : truth)
        share.push_back(seenShare(p)), counts.push_back(share.back() >= 0.75), t.parts += counts.back();
    bool dump = false;
    for (const auto& f : vision::findPattern(picture.grey(), kind.model, geometry::Region::whole(), o)) {
        bool right = false;
        for (std::size_t i = 0; i < truth.size(); ++i) {
            const double off = geometry::distance(f.pose.origin, truth[i].origin),
                         turn = geometry::degrees(geometry::wrapped(f.pose.angle - truth[i].angle));
            if (off > 4 || (!kind.round && std::abs(turn) > 2)) continue;
            right = true;
            if (!found[i] && counts[i])
                ++t.found, t.squareError += off * off, t.squareAngle += kind.round ? 0 : turn * turn;
            found[i] = 1;
        }
        if (right) continue;
        ++t.falseFinds, dump = true;
        if (std::getenv("SCENES_TELL"))
            std::printf("  scene %llu: false find score %.3f at %.0f, %.0f turned %.0f, contrast %.0f noise %.1f\n",
                        static_cast<unsigned long long>(seed), f.score, f.pose.origin.x, f.pose.origin.y,
                        geometry::degrees(f.pose.angle), contrast, noise);
    }
    for (std::size_t i = 0; i < truth.size(); ++i) {
        if (found[i] || !counts[i]) continue;
        dump = true;
        if (std::getenv("SCENES_TELL"))
            std::printf(
                "  scene %llu: lost %s at %.0f, %.0f, score there %.3f, seen %.2f, contrast %.0f noise %.1f%s%s%s\n",
                static_cast<unsigned long long>(seed), kind.round ? "round" : "part", truth[i].origin.x,
                truth[i].origin.y, vision::scoreAt(picture.grey(), kind.model, truth[i], 10), share[i], contrast, noise,
                tray ? " tray" : "", glare ? " glare" : "", shadow ? " shadow" : "");
    }
    if (const char* folder = std::getenv("SCENES_DUMP"); folder && dump)
        if (const auto png = image::encodePng(picture))
            (void)base::writeAtomic(base::realFiles(), std::string(folder) + "/scene-" + std::to_string(seed) + ".png",
                                    *png);
    return t;
}
} // namespace

int main(int argc, char** argv)
{
    const int scenes = argc > 1 ? std::atoi(argv[1]) : 2000;
    const std::uint64_t seed = argc > 2 ? std::strtoull(argv[2], nullptr, 10) : 1;
    const bool plain = argc > 3 && std::string(argv[3]) == "plain";
    demo::Random r(7);
    const Point c{200, 160};
    const auto taught = [&](Kind kind, double width, double height) {
        std::vector<std::vector<Point>> outlines, holes;
        for (const auto& o : kind.outlines) outlines.push_back(placed(o, {c, 0}));
        for (const auto& o : kind.holes) holes.push_back(placed(o, {c, 0}));
        const image::Image teaching =
            demo::backlit(demo::blurredCoverage(outlines, holes, 400, 320, 0.8, 2), 400, 320, {200, 60, 0, 0, 0, 2}, r);
        auto model = vision::teachPattern(teaching.grey(), geometry::Region::rectangle(c, width, height), {c, 0}, 10);
        if (!model) std::printf("%s\n", model.error().text().c_str()), std::exit(1);
        kind.model = std::move(*model);
        return kind;
    };
    const std::vector<Kind> kinds{
        taught({{kPart}, {}, false, 0, {}}, 230, 150),
        taught({{demo::circleOutline({0, 0}, 80)}, {demo::circleOutline({0, 0}, 34)}, true, 160, {}}, 190, 190)};
    Tally all;
    std::mutex mutex;
    base::parallelFor(scenes, 0, [&](int n) {
        const std::uint64_t own = seed * 1000003 + std::uint64_t(n);
        if (const char* only = std::getenv("SCENES_ONLY"); only && own != std::strtoull(only, nullptr, 10)) return;
        const Tally t = plain ? scene(kinds.front().model, own) : dirtyScene(kinds, own);
        const std::lock_guard lock(mutex);
        all.parts += t.parts, all.found += t.found, all.falseFinds += t.falseFinds, all.squareError += t.squareError,
            all.squareAngle += t.squareAngle;
    });
    std::printf("%d %s scenes, seed %llu: %d of %d parts found (%.2f %%), %d false finds; %.3f px and %.3f degree rms "
                "of those found\n",
                scenes, plain ? "plain" : "dirty", static_cast<unsigned long long>(seed), all.found, all.parts,
                100.0 * all.found / all.parts, all.falseFinds, std::sqrt(all.squareError / all.found),
                std::sqrt(all.squareAngle / all.found));
    return all.falseFinds <= 1 && all.found >= 0.995 * all.parts ? 0 : 1;
}

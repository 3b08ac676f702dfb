// Random scenes: 1 to 12 parts among up to 20 other shapes of like size, contrast 15 to 150, noise 2 to 8, up to 30 % of a part's area hidden.
// At the default settings: how many of the parts are found, and how many finds are no part. Usage: random_scenes [scenes [seed]]; SCENES_TELL=1 names
// every miss
#include "base/parallel.h"
#include "demo/render.h"
#include "vision/pattern.h"

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
const std::vector<Point> kPart{{-100, -60}, {40, -60}, {40, -30}, {100, -30}, {100, 60}, {20, 60}, {0, 30}, {-20, 60}, {-100, 60}};

std::vector<Point> other(demo::Random& r)
{
    std::vector<Point> p;
    const double size = r.uniform(60, 110);
    switch (r.below(5)) {
    case 0: return demo::circleOutline({0, 0}, size);
    case 1: return {{-size, -0.5 * size}, {size, -0.5 * size}, {size, 0.5 * size}, {-size, 0.5 * size}};
    case 2: return {{-size, size * 0.6}, {size, size * 0.6}, {0, -size}};
    case 3:
        for (int i = 0; i < 10; ++i) p.push_back(geometry::direction(i * geometry::kPi / 5) * (i % 2 ? size : 0.45 * size));
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
    const std::vector<float> off = demo::blurredCoverage(bright, {}, kW, kH, 0.8, 1), more = demo::blurredCoverage(clutter, {}, kW, kH, 0.8, 1);
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
            std::printf("  scene %llu: false find score %.3f, contrast %.0f noise %.1f\n", static_cast<unsigned long long>(seed), f.score, contrast,
                        noise);
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
} // namespace

int main(int argc, char** argv)
{
    const int scenes = argc > 1 ? std::atoi(argv[1]) : 1000;
    const std::uint64_t seed = argc > 2 ? std::strtoull(argv[2], nullptr, 10) : 1;
    demo::Random r(7);
    const Point c{200, 160};
    const image::Image teaching =
        demo::backlit(demo::blurredCoverage({placed(kPart, {c, 0})}, {}, 400, 320, 0.8, 2), 400, 320, {200, 60, 0, 0, 0, 2}, r);
    const auto model = vision::teachPattern(teaching.grey(), geometry::Region::rectangle(c, 230, 150), {c, 0}, 10);
    if (!model) return std::printf("%s\n", model.error().text().c_str()), 1;
    Tally all;
    std::mutex mutex;
    base::parallelFor(scenes, 0, [&](int n) {
        const Tally t = scene(*model, seed * 1000003 + std::uint64_t(n));
        const std::lock_guard lock(mutex);
        all.parts += t.parts, all.found += t.found, all.falseFinds += t.falseFinds, all.squareError += t.squareError,
            all.squareAngle += t.squareAngle;
    });
    std::printf("%d scenes, seed %llu: %d of %d parts found (%.2f %%), %d false finds; %.3f px and %.3f degree rms of those found\n", scenes,
                static_cast<unsigned long long>(seed), all.found, all.parts, 100.0 * all.found / all.parts, all.falseFinds,
                std::sqrt(all.squareError / all.found), std::sqrt(all.squareAngle / all.found));
    return all.falseFinds == 0 && all.found >= 0.99 * all.parts ? 0 : 1;
}

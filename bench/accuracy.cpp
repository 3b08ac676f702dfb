// Bias and spread of edge, circle and pattern against known truth, and their ratio to the Cramér-Rao bound where one is
// stated. Pictures are drawn with exact coverage, blurred before the pixels integrate. Usage: accuracy [trials]
#include "base/parallel.h"
#include "demo/render.h"
#include "geometry/fit.h"
#include "geometry/region.h"
#include "vision/edges.h"
#include "vision/pattern.h"

#include <algorithm>
#include <array>
#include <cstdio>
#include <cstdlib>

namespace
{
using geometry::Point;
using geometry::Pose;

struct Setting {
    double contrast = 150, blur = 0.8, noise = 2;
};
image::Image draw(const std::vector<std::vector<Point>>& dark, const std::vector<std::vector<Point>>& holes, int w,
                  int h, const Setting& s, demo::Random& r, int finer = 4)
{
    return demo::backlit(demo::blurredCoverage(dark, holes, w, h, s.blur, finer), w, h,
                         {50 + s.contrast, 50, 0, 0, 0, s.noise}, r);
}

struct Errors {
    std::vector<double> all;
    std::array<double, 10> sum{}, count{}; // by phase or angle
    void add(double e, double where)
    {
        all.push_back(e);
        const auto bin = std::size_t(std::clamp(where, 0.0, 0.9999) * 10);
        sum[bin] += e, ++count[bin];
    }
    double mean() const
    {
        double s = 0;
        for (const double e : all) s += e;
        return s / double(all.size());
    }
    double spread() const
    {
        const double m = mean();
        double s = 0;
        for (const double e : all) s += (e - m) * (e - m);
        return std::sqrt(s / double(all.size()));
    }
    double worstBias() const
    {
        double w = 0;
        for (std::size_t i = 0; i < 10; ++i)
            if (count[i] > 0) w = std::max(w, std::abs(sum[i] / count[i]));
        return w;
    }
};

// One edge of a bar averaged over 60 lines; bias sorted by phase (level) or by angle.
void edge(const char* name, int trials, bool level, const Setting& s, double bound)
{
    std::vector<double> error(static_cast<std::size_t>(trials), 1e9), where(static_cast<std::size_t>(trials));
    base::parallelFor(trials, 0, [&](int i) {
        demo::Random r(std::uint64_t(i) + 1);
        const double angle = level ? 0 : r.uniform(-geometry::kPi, geometry::kPi);
        const Point c{64 + r.uniform(0, 1), 64 + r.uniform(0, 1)}, u = geometry::direction(angle);
        const auto picture =
            draw({geometry::Region::rectangle(c + u * 60, 120, 300, angle).outlines().front()}, {}, 128, 128, s, r);
        const auto p = vision::profile(picture.grey(), c - u * 28, c + u * 28, 60);
        const auto e =
            vision::pick(vision::edges(*p, {vision::Polarity::Any, 0.3 * s.contrast, vision::EdgeOptions{}.smoothing}),
                         vision::Pick::Strongest);
        if (!e) return;
        error[std::size_t(i)] = e->position - 28;
        where[std::size_t(i)] = level ? c.x - 64 : (angle + geometry::kPi) / (2 * geometry::kPi);
    });
    Errors all;
    int lost = 0;
    for (int i = 0; i < trials; ++i)
        if (error[std::size_t(i)] < 1e8) all.add(error[std::size_t(i)], where[std::size_t(i)]);
        else ++lost;
    std::printf("| %s | %d | %.5f | %.5f | ", name, int(all.all.size()), all.worstBias(), all.spread());
    if (bound > 0) std::printf("%.2f |", all.spread() / bound);
    else std::printf("– |");
    std::printf("%s\n", lost ? (" " + std::to_string(lost) + " lost").c_str() : "");
}

void circle(int trials)
{
    std::vector<double> x(static_cast<std::size_t>(trials)), radius(static_cast<std::size_t>(trials));
    base::parallelFor(trials, 0, [&](int i) {
        demo::Random r(std::uint64_t(i) + 9);
        const Point c{128 + r.uniform(0, 1), 128 + r.uniform(0, 1)};
        const auto picture = draw({demo::circleOutline(c, 100)}, {}, 256, 256, {}, r, 3);
        // Windows side by side all the way round.
        const auto probe = vision::probeCircle(picture.grey(), {128.5, 128.5}, 88, 112, 210, 3, false,
                                               {vision::Polarity::Any, 40, 1.5}, vision::Pick::Strongest);
        std::vector<Point> points;
        for (const auto& e : probe.edges) points.push_back(e.point);
        const auto fit = geometry::fitCircle(points, 0.5);
        if (!fit) return;
        x[std::size_t(i)] = fit->shape.centre.x - c.x;
        radius[std::size_t(i)] = fit->shape.radius + vision::curvatureShift(probe.edges, fit->shape.radius) - 100;
    });
    Errors ex, er;
    for (int i = 0; i < trials; ++i) ex.add(x[std::size_t(i)], 0.5), er.add(radius[std::size_t(i)], 0.5);
    std::printf("| circle R = 100, centre (one axis) | %d | %.5f | %.5f | %.2f |\n", trials, std::abs(ex.mean()),
                ex.spread(), ex.spread() / 0.0013);
    std::printf("| circle R = 100, radius | %d | %.5f | %.5f | %.2f |\n", trials, std::abs(er.mean()), er.spread(),
                er.spread() / 0.0010);
}

const std::vector<Point> kPart{{-100, -60}, {40, -60}, {40, -30}, {100, -30}, {100, 60},
                               {20, 60},    {0, 30},   {-20, 60}, {-100, 60}};
std::vector<Point> placed(std::vector<Point> p, const Pose& pose)
{
    for (Point& q : p) q = pose.toPicture(q);
    return p;
}
void pattern(const char* name, int trials, double noise, bool hidden)
{
    demo::Random teachRandom(7);
    const Point t{160, 150};
    const auto teaching = draw({placed(kPart, {t, 0})}, {}, 320, 300, {150, 0.8, 0}, teachRandom);
    const auto model = vision::teachPattern(teaching.grey(), geometry::Region::rectangle(t, 230, 150), {t, 0}, 15);
    std::vector<double> place(static_cast<std::size_t>(trials), -1), turn(static_cast<std::size_t>(trials));
    base::parallelFor(trials, 0, [&](int i) {
        demo::Random r(std::uint64_t(i) + 3);
        const Pose pose{{160 + r.uniform(-20, 20), 160 + r.uniform(-20, 20)}, r.uniform(-geometry::kPi, geometry::kPi)};
        std::vector<std::vector<Point>> holes;
        // 30 % of the part's length covered by something as bright as the ground.
        if (hidden)
            holes.push_back(placed(r.below(2) ? std::vector<Point>{{-100, -60}, {-40, -60}, {-40, 60}, {-100, 60}}
                                              : std::vector<Point>{{40, -30}, {100, -30}, {100, 60}, {40, 60}},
                                   pose));
        const auto picture = draw({placed(kPart, pose)}, holes, 320, 320, {150, 0.8, noise}, r, 3);
        vision::PatternOptions o;
        o.leastContrast = 15;
        const auto finds = vision::findPattern(picture.grey(), *model, geometry::Region::whole(), o);
        if (finds.empty()) return;
        place[std::size_t(i)] = geometry::distance(finds[0].pose.origin, pose.origin);
        turn[std::size_t(i)] = geometry::degrees(geometry::wrapped(finds[0].pose.angle - pose.angle));
    });
    double p2 = 0, a2 = 0;
    int n = 0;
    for (int i = 0; i < trials; ++i)
        if (place[std::size_t(i)] >= 0)
            p2 += place[std::size_t(i)] * place[std::size_t(i)], a2 += turn[std::size_t(i)] * turn[std::size_t(i)], ++n;
    std::printf("| %s | %d of %d | %.4f px rms | %.4f° rms |  |\n", name, n, trials, std::sqrt(p2 / n),
                std::sqrt(a2 / n));
}
} // namespace

int main(int argc, char** argv)
{
    const int trials = argc > 1 ? std::atoi(argv[1]) : 10000;
    std::printf(
        "| what | trials | largest bias of ten bins, px | spread, px | ratio to the bound |\n|---|---|---|---|---|\n");
    edge("edge over 60 lines, level, by phase", trials, true, {}, 0.0029);
    edge("edge over 60 lines, any angle, by angle", trials, false, {}, 0.0029);
    for (const double noise : {4.0, 8.0})
        edge(("the same, level, noise " + std::to_string(int(noise))).c_str(), trials / 5, true, {150, 0.8, noise},
             0.0029 * noise / 2);
    for (const double contrast : {50.0, 15.0})
        edge(("the same, level, contrast " + std::to_string(int(contrast))).c_str(), trials / 5, true,
             {contrast, 0.8, 2}, 0.0029 * 150 / contrast);
    for (const double blur : {0.5, 1.5, 2.5})
        edge(("the same, level, blur " + std::to_string(blur).substr(0, 3) + " px").c_str(), trials / 5, true,
             {150, blur, 2}, 0);
    circle(trials);
    pattern("pattern 200 px, clean", trials / 10, 0, false);
    pattern("pattern 200 px, noise 2", trials / 10, 2, false);
    pattern("pattern 200 px, 30 % hidden, noise 8", trials / 10, 8, true);
}

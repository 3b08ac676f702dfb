// Times of what a drawing costs, one thread, 5 MP: opened, laid, compared, traced; beside the grey blobs of the same
// picture. And how well it is laid: 200 random places and angles.
#include "demo/drawn_parts.h"
#include "drawing/dxf.h"
#include "inspect/inspect.h"
#include "inspect/tracing.h"
#include "vision/blobs.h"

#include <benchmark/benchmark.h>
#include <cstdio>
#include <cstdlib>
#include <nlohmann/json.hpp>

namespace
{
using geometry::Point;
constexpr int kW = 2448, kH = 2048;
constexpr double kMm = 0.052;

// The plate with many slots: 200 entities and more.
drawing::Drawing many()
{
    demo::Pencil p;
    p.box(0, 0, 100, 60, 1).on("holes");
    for (int r = 0; r < 4; ++r)
        for (int c = 0; c < 12; ++c) {
            const double x = 5 + 7.5 * c, y = 4 + 13 * r;
            if ((r + c) % 3 == 0) p.circle({x + 2, y + 4}, 1.5 + 0.1 * (c % 4));
            else p.box(x, y, x + 3, y + 9 - c % 3, 0.4);
        }
    return p.done();
}
recipe::Recipe recipeOf(const drawing::Drawing& d)
{
    recipe::Recipe r;
    r.calibration = geometry::Calibration::factor(kMm, "stated");
    auto bytes = drawing::writeDxf(d);
    auto asset = recipe::makeDrawing({}, {"", "d.dxf", std::make_shared<const std::string>(*bytes)}, "d.dxf");
    r.drawing = *asset;
    r.steps.push_back(recipe::makeStep(r, *recipe::findKind("drawing_datum")));
    recipe::Step s = recipe::makeStep(r, *recipe::findKind("outline_profile"));
    s.datum = r.steps[0].id;
    s.params = *recipe::findKind("outline_profile")->paramsFromJson({{"objects", "dark"}});
    r.steps.push_back(s);
    return r;
}
image::Image pictureOf(const drawing::Outline& o, const drawing::Laid& laid, double blur, double noise,
                       std::uint64_t seed, std::vector<std::vector<Point>> over = {})
{
    auto p = demo::outlinesOf(o, laid);
    for (auto& x : over) p.dark.push_back(std::move(x));
    demo::Random r(seed);
    return demo::backlit(demo::blurredCoverage(p.dark, p.holes, kW, kH, blur, 1), kW, kH,
                         {200, 50, 0.05, 0.02, -0.015, noise}, r);
}
struct Scene {
    std::optional<inspect::Prepared> prepared;
    image::Capture capture;
};
Scene& scene()
{
    static Scene s = [] {
        const auto d = many();
        const auto o = *drawing::Outline::make(d);
        auto made = inspect::Prepared::make(recipeOf(d));
        return Scene{std::move(*made),
                     image::makeCapture(pictureOf(o, {{{250, 1500}, 0.12}, 1 / kMm, false}, 0.8, 2, 1), "bench")};
    }();
    return s;
}
void step(benchmark::State& state, int index)
{
    Scene& s = scene();
    double sum = 0;
    for (auto _ : state) {
        const auto result = inspect::evaluate(*s.prepared, s.capture, nullptr, nullptr, 1);
        sum = result.items[0].steps[std::size_t(index)]->milliseconds;
        state.SetIterationTime(sum / 1000);
        if (result.items[0].steps[std::size_t(index)]->state != inspect::State::Ok) std::abort();
    }
}
void laid(benchmark::State& state) { step(state, 0); }
void profile(benchmark::State& state) { step(state, 1); }
void greyBlobs(benchmark::State& state)
{
    const auto g = scene().capture.first().grey();
    vision::BlobOptions o;
    o.high = 120;
    o.leastArea = 20;
    for (auto _ : state) benchmark::DoNotOptimize(vision::findBlobs(g, geometry::Region::whole(), o));
}
void traced(benchmark::State& state)
{
    const auto g = scene().capture.first().grey();
    for (auto _ : state) benchmark::DoNotOptimize(inspect::trace(g, geometry::Calibration::factor(kMm, "")));
}
void opened(benchmark::State& state)
{
    std::string text = "0\nSECTION\n2\nENTITIES\n";
    for (int i = 0; i < 25000; ++i) {
        const double x = (i % 200) * 2.0, y = (i / 200) * 2.0;
        const auto line = [&](double a, double b, double c, double d) {
            char out[200];
            std::snprintf(out, sizeof out, "0\nLINE\n8\n0\n10\n%.6f\n20\n%.6f\n11\n%.6f\n21\n%.6f\n", a, b, c, d);
            text += out;
        };
        line(x, y, x + 1, y), line(x + 1, y, x + 1, y + 1), line(x + 1, y + 1, x, y + 1), line(x, y + 1, x, y);
    }
    text += "0\nENDSEC\n0\nEOF\n";
    for (auto _ : state) {
        const auto d = drawing::readDxf(text);
        const auto o = drawing::Outline::make(*d);
        if (o->loops().size() != 25000) std::abort();
    }
}
BENCHMARK(greyBlobs)->Unit(benchmark::kMillisecond);
BENCHMARK(laid)->Unit(benchmark::kMillisecond)->UseManualTime();
BENCHMARK(profile)->Unit(benchmark::kMillisecond)->UseManualTime();
BENCHMARK(traced)->Unit(benchmark::kMillisecond);
BENCHMARK(opened)->Unit(benchmark::kMillisecond);

// Seven drawings, any place and angle, blur 0.6 to 1.4 px, noise 4, a fifth of the outer outline hidden by something flat.
void accuracy(int count)
{
    demo::Random r(99);
    double worst = 0, sum = 0, worstTurn = 0, sumTurn = 0;
    std::string which;
    int found = 0, all = 0;
    const int parts[] = {0, 1, 2, 4, 7, 10, 11};
    for (const int part : parts) {
        const auto d = demo::drawnPart(part);
        const auto o = *drawing::Outline::make(d);
        auto prepared = inspect::Prepared::make(recipeOf(d));
        for (int i = 0; i * 7 < count; ++i) {
            const double half = o.size() / 2 / kMm + 8;
            drawing::Laid truth{{{0, 0}, r.uniform(-3.14, 3.14)}, 1 / kMm, false};
            const auto& b = o.box();
            truth.pose.origin = Point{r.uniform(half, kW - half), r.uniform(half, kH - half)} -
                                truth.toPicture(drawing::sheet({(b.left + b.right) / 2, (b.bottom + b.top) / 2}));
            const auto hidden = o.at(0, r.uniform(0, o.loops()[0].length));
            const Point c = truth.toPicture(hidden.at);
            const auto result = inspect::evaluate(
                *prepared, image::makeCapture(pictureOf(o, truth, r.uniform(0.6, 1.4), 4, std::uint64_t(all),
                                                        {demo::circleOutline(c, 0.1 * o.loops()[0].length / kMm)}),
                                              "x"));
            ++all;
            const auto* a = result.items[0].steps[0].get();
            if (a->state != inspect::State::Ok) {
                std::printf("%s %d: %s\n", demo::drawnPartName(part), i, a->reason.c_str());
                continue;
            }
            ++found;
            const drawing::Laid laid{a->finds[0].pose, 1 / kMm, false};
            // Symmetric parts lie as well turned by their symmetry about their middle.
            const int fold = part == 1 || part == 7 ? 2 : part == 2 ? 4 : part == 10 ? 6 : 1;
            const Point m = drawing::sheet({(b.left + b.right) / 2, (b.bottom + b.top) / 2});
            const double off = geometry::distance(truth.toPicture(m), laid.toPicture(m));
            const double turn =
                std::abs(std::remainder(geometry::degrees(truth.pose.angle - laid.pose.angle), 360.0 / fold));
            worst = std::max(worst, off), sum += off * off;
            if (turn > worstTurn)
                worstTurn = turn, which = std::string(demo::drawnPartName(part)) + " " + std::to_string(i) + ", " +
                                          base::toText(o.size() / kMm, 0) + " px";
            sumTurn += turn * turn;
        }
    }
    std::printf("%d of %d found; middle off by %.4f px rms, %.4f at most; turned by %.5f deg rms, %.5f at most (%s)\n",
                found, all, std::sqrt(sum / found), worst, std::sqrt(sumTurn / found), worstTurn, which.c_str());
}
} // namespace

int main(int argc, char** argv)
{
    if (argc > 1 && std::string(argv[1]) == "accuracy") {
        accuracy(argc > 2 ? std::atoi(argv[2]) : 200);
        return 0;
    }
    benchmark::Initialize(&argc, argv);
    benchmark::RunSpecifiedBenchmarks();
}

// Time of joining twelve tiles of five million pixels, three rows and four columns, a tenth overlapping; on all cores
// and, beside it, what copying as many pixels takes.
#include "image/tiles.h"
#include "demo/render.h"

#include <benchmark/benchmark.h>
#include <cmath>
#include <cstdio>
#include <cstring>

namespace
{
constexpr int kW = 2592, kH = 1944, kRows = 3, kColumns = 4;

struct Set {
    image::TilePlan plan = image::gridPlan(kRows, kColumns, {kW * 0.9, 0}, {0, kH * 0.9});
    std::vector<image::Image> tiles;
    Set()
    {
        plan.reach = 12;
        // Small marks on a bright ground, anywhere to a fraction of a px.
        demo::Random places(9);
        struct Mark {
            double x, y, r;
        };
        std::vector<Mark> marks;
        for (int i = 0; i < 26000; ++i)
            marks.push_back({places.uniform(0, kW * 3.8), places.uniform(0, kH * 2.9), places.uniform(3, 16)});
        demo::Random random(4);
        for (const auto& t : plan.tiles) {
            const double dx = t.x + random.uniform(-10, 10), dy = t.y + random.uniform(-10, 10),
                         gain = random.uniform(0.93, 1.07);
            std::vector<float> level(std::size_t(kW) * kH, 200.f);
            for (const Mark& m : marks) {
                const double cx = m.x - dx, cy = m.y - dy;
                for (int y = std::max(0, int(cy - m.r - 3)); y < std::min(kH, int(cy + m.r + 4)); ++y)
                    for (int x = std::max(0, int(cx - m.r - 3)); x < std::min(kW, int(cx + m.r + 4)); ++x) {
                        const double in = 0.5 * (1 + std::erf((m.r - std::hypot(x - cx, y - cy)) / 1.2));
                        float& v = level[std::size_t(y) * kW + std::size_t(x)];
                        v = float(double(v) + (60 - double(v)) * in);
                    }
            }
            image::Image out = image::Image::unwritten(kW, kH, image::PixelFormat::Grey8);
            std::uint32_t state = std::uint32_t(random.bits()) | 1;
            for (int y = 0; y < kH; ++y)
                for (int x = 0; x < kW; ++x) {
                    state = state * 1664525u + 1013904223u;
                    const double noise = (double(state >> 16) / 65536 - 0.5) * 8;
                    out.row(y)[x] = std::uint8_t(std::clamp(
                        double(level[std::size_t(y) * kW + std::size_t(x)]) * gain + noise + 0.5, 0.0, 255.0));
                }
            tiles.push_back(std::move(out));
        }
    }
};
Set& set()
{
    static Set s;
    return s;
}
void joined(benchmark::State& state)
{
    double residual = 0;
    for (auto _ : state) {
        const auto j = image::join(set().plan, set().tiles);
        residual = j->how.worstResidual();
        benchmark::DoNotOptimize(j);
    }
    state.counters["residual_px"] = residual;
}
void copied(benchmark::State& state)
{
    for (auto _ : state)
        for (const auto& t : set().tiles) {
            image::Image c = t.clone();
            benchmark::DoNotOptimize(c);
        }
}
BENCHMARK(joined)->Unit(benchmark::kMillisecond)->UseRealTime()->Iterations(3)->Repetitions(3);
BENCHMARK(copied)->Unit(benchmark::kMillisecond)->UseRealTime()->Iterations(5)->Repetitions(3);
} // namespace
BENCHMARK_MAIN();

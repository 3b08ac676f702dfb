// Times of what heights cost, one thread, 5 MP of 16 bit and of float: blobs in a band beside grey blobs of the same
// shapes, the robust plane, places, sections, flatness and the turning view. With the measuring stick switched on its
// calls stand beside ours in the same run.
#include "demo/render.h"
#include "report/relief.h"
#include "vision/minimum_zone.h"
#include "vision/section.h"

#include <benchmark/benchmark.h>
#include <cmath>
#include <map>
#ifdef DIKKAT_BENCH_STICK
#include <opencv2/imgproc.hpp>
#endif

namespace
{
using geometry::HeightPlane;
using geometry::Point;
using geometry::Region;
constexpr int kW = 2448, kH = 2048;

// Discs 0.5 mm high in a grid on tilted ground, noise 4 µm; `lost` percent of the points missing, in grey as dark.
struct Scene {
    image::Picture deep, real;
    image::Image grey; // the same shapes, 16 bit
    HeightPlane ground;
};
const Scene& scene(int discs, int lost = 2)
{
    static std::map<std::pair<int, int>, Scene> made;
    if (const auto it = made.find({discs, lost}); it != made.end()) return it->second;
    Scene s;
    s.ground.base = 0.2, s.ground.right = 2e-5, s.ground.down = -1e-5;
    const int columns = int(std::ceil(std::sqrt(discs * 1.2)));
    const double pitch = double(kW) / columns;
    demo::Random random(5);
    image::Image deep = image::Image::unwritten(kW, kH, image::PixelFormat::Grey16),
                 real = image::Image::unwritten(kW, kH, image::PixelFormat::Real32);
    s.grey = image::Image::unwritten(kW, kH, image::PixelFormat::Grey16);
    for (int y = 0; y < kH; ++y)
        for (int x = 0; x < kW; ++x) {
            const int c = int(x / pitch), r = int(y / pitch);
            const bool on =
                r * columns + c < discs && std::hypot(x - (c + 0.5) * pitch, y - (r + 0.5) * pitch) < 0.3 * pitch;
            const double z = s.ground.at(x, y) + (on ? 0.5 : 0) + random.normal(0.004, 0.02);
            const bool gone = random.uniform(0, 1) < lost / 100.0;
            reinterpret_cast<std::uint16_t*>(deep.row(y))[x] = std::uint16_t(gone ? 0 : std::lround((z + 1) / 0.0005));
            reinterpret_cast<float*>(real.row(y))[x] = gone ? std::nanf("") : float(z);
            reinterpret_cast<std::uint16_t*>(s.grey.row(y))[x] =
                std::uint16_t(gone ? 0 : (on ? 40000 : 12000) + random.normal(500, 2000));
        }
    s.deep = image::makeHeights(std::move(deep), {0.0005, -1, 0.02, 0, {}});
    s.real = image::makeHeights(std::move(real), {1, 0, 0.02, {}, {}});
    return made.emplace(std::pair{discs, lost}, std::move(s)).first->second;
}
const image::Picture& picture(const Scene& s, bool real) { return real ? s.real : s.deep; }
std::vector<geometry::Span> whole() { return geometry::spans(Region::whole(), kW, kH); }

void greyBlobs(benchmark::State& state)
{
    const Scene& s = scene(int(state.range(0)), int(state.range(1)));
    const auto where = whole();
    vision::BlobOptions o;
    o.low = 100, o.high = 255, o.fillHoles = true, o.leastArea = 50;
    for (auto _ : state) benchmark::DoNotOptimize(vision::findBlobs(s.grey.grey(), where, o));
}
void bandBlobs(benchmark::State& state)
{
    const Scene& s = scene(int(state.range(0)), int(state.range(1)));
    const auto view = picture(s, state.range(2)).heights();
    const auto where = whole();
    vision::BlobOptions o;
    o.fillHoles = true, o.leastArea = 50;
    for (auto _ : state)
        benchmark::DoNotOptimize(
            vision::findBlobs(vision::runsInBand(view, where, s.ground, 0.25, 0.75), where, kW, kH, o));
}
void plane(benchmark::State& state)
{
    const auto view = picture(scene(300), state.range(0)).heights();
    const auto where = whole();
    for (auto _ : state) benchmark::DoNotOptimize(vision::fitPlane(view, where));
}
void places(benchmark::State& state)
{
    const Scene& s = scene(12);
    const auto view = picture(s, state.range(0)).heights();
    std::vector<std::vector<geometry::Span>> where;
    for (int i = 0; i < 12; ++i)
        where.push_back(
            geometry::spans(Region::rectangle({306.0 + 612 * (i % 4), 340.0 + 680 * (i / 4)}, 200, 200), kW, kH));
    for (auto _ : state)
        for (const auto& w : where) benchmark::DoNotOptimize(vision::heightStats(view, w, s.ground, 0.02));
}
void section(benchmark::State& state)
{
    const Scene& s = scene(300);
    const auto view = picture(s, state.range(0)).heights();
    const auto path = vision::straight({100, 200}, {2300, 1900}, 15);
    for (auto _ : state) {
        const auto cut = vision::sectionOf(view, path, s.ground);
        benchmark::DoNotOptimize(vision::heightEdges(*cut, {0.1, 1.5, 30, 0}));
    }
}
void flatness(benchmark::State& state)
{
    const auto view = picture(scene(12), state.range(0)).heights();
    const auto where = geometry::spans(Region::rectangle({306, 40}, 500, 70), kW, kH);
    for (auto _ : state) benchmark::DoNotOptimize(vision::minimumZone(view, where, 0.02));
}
void turning(benchmark::State& state)
{
    const report::Relief relief(picture(scene(12), state.range(0)), 0.02);
    report::TurningView view;
    for (auto _ : state) {
        view.turn += 1;
        benchmark::DoNotOptimize(relief.draw({824, 420}, view, {0, 0.8}, 0xffffffff));
    }
}
void turningLarge(benchmark::State& state)
{
    const report::Relief relief(picture(scene(12), 0), 0.02);
    report::TurningView view;
    for (auto _ : state) {
        view.turn += 1;
        benchmark::DoNotOptimize(relief.draw({1288, 900}, view, {0, 0.8}, 0xffffffff));
    }
}
void colours(benchmark::State& state)
{
    const image::Picture& p = picture(scene(12), state.range(0));
    for (auto _ : state) benchmark::DoNotOptimize(report::heightImage(p, {0, 0.8}));
}

BENCHMARK(greyBlobs)
    ->Name("ours/grey_blobs")
    ->Args({12, 0})
    ->Args({300, 0})
    ->Args({12, 2})
    ->Args({300, 2})
    ->Unit(benchmark::kMillisecond);
BENCHMARK(bandBlobs)
    ->Name("ours/blobs_in_band")
    ->ArgsProduct({{12, 300}, {0, 2}, {0, 1}})
    ->Unit(benchmark::kMillisecond);
BENCHMARK(plane)->Name("ours/robust_plane")->Arg(0)->Arg(1)->Unit(benchmark::kMillisecond);
BENCHMARK(places)->Name("ours/places_12")->Arg(0)->Arg(1)->Unit(benchmark::kMillisecond);
BENCHMARK(section)->Name("ours/section_2780x15")->Arg(0)->Arg(1)->Unit(benchmark::kMillisecond);
BENCHMARK(flatness)->Name("ours/flatness_500x70")->Arg(0)->Arg(1)->Unit(benchmark::kMillisecond);
BENCHMARK(turning)->Name("ours/turning_view_824x420")->Arg(0)->Arg(1)->Unit(benchmark::kMillisecond);
BENCHMARK(turningLarge)->Name("ours/turning_view_1288x900")->Unit(benchmark::kMillisecond);
BENCHMARK(colours)->Name("ours/height_colours")->Arg(0)->Arg(1)->Unit(benchmark::kMillisecond);

#ifdef DIKKAT_BENCH_STICK
// Heights over the ground by its own means, in range, components with their statistics.
void stickBand(benchmark::State& state)
{
    cv::setNumThreads(1);
    const Scene& s = scene(int(state.range(0)));
    const cv::Mat z(kH, kW, CV_32F, const_cast<std::uint8_t*>(s.real.pixels.row(0)));
    cv::Mat ground(kH, kW, CV_32F);
    for (int y = 0; y < kH; ++y)
        for (int x = 0; x < kW; ++x) ground.at<float>(y, x) = float(s.ground.at(x, y));
    cv::Mat over, mask, labels, stats, centroids;
    for (auto _ : state) {
        cv::subtract(z, ground, over);
        cv::inRange(over, 0.25, 0.75, mask);
        benchmark::DoNotOptimize(cv::connectedComponentsWithStats(mask, labels, stats, centroids));
    }
}
BENCHMARK(stickBand)->Name("stick/blobs_in_band")->Args({12, 2, 1})->Args({300, 2, 1})->Unit(benchmark::kMillisecond);
#endif
} // namespace
BENCHMARK_MAIN();

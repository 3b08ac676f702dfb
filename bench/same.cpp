// Times of comparing with good samples, one thread: 5 MP of grey as they lie, and turned; 60 places. `same good N`: how
// many of N good reeds and labels are called faulty; `same table`: the smallest fault found, by contrast and size, beside
// a plain difference with one threshold at equal false alarms, `evened` with the light taken out before it too.
#include "demo/fitted_reeds.h"
#include "inspect/inspect.h"
#include "recipe/recipe_file.h"
#include "vision/component.h"
#include "vision/threshold.h"

#include <benchmark/benchmark.h>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <filesystem>
#ifdef DIKKAT_BENCH_STICK
#include <opencv2/imgproc.hpp>
#endif

namespace
{
using geometry::Point;
using vision::Learned;
using vision::Patch;
using vision::PatchBox;
constexpr int kW = 2448, kH = 2048;

// Print of many small marks, grey.
image::Image sheet(std::uint64_t seed, double blur, double light, double noise, geometry::Pose pose,
                   const std::vector<demo::Ink>& more = {}, int w = kW, int h = kH)
{
    demo::Random marks(5), random(seed);
    std::vector<demo::Ink> inks;
    demo::Ink dark{{60, 60, 60}, {}};
    const auto put = [&](std::vector<Point> o) {
        for (Point& p : o) p = pose.toPicture(p);
        return o;
    };
    for (int n = 0; n < w * h / 9000; ++n) {
        const Point at{marks.uniform(-0.48, 0.48) * w, marks.uniform(-0.48, 0.48) * h};
        const double a = marks.uniform(6, 26), b = marks.uniform(4, 14);
        dark.shapes.push_back(put({at, at + Point{a, 0}, at + Point{a, b}, at + Point{0, b}}));
    }
    inks.push_back(dark);
    for (demo::Ink ink : more) {
        for (auto& o : ink.shapes) o = put(o);
        inks.push_back(ink);
    }
    demo::PaintLook look;
    look.blur = blur, look.light = light, look.noise = noise;
    return demo::painted({190, 190, 190}, inks, w, h, look, random, false);
}
const geometry::Pose kMiddle{{kW / 2.0, kH / 2.0}, 0};
struct Whole {
    std::optional<Learned> learned;
    image::Picture here, turned;
    image::Image reference;
};
Whole& whole()
{
    static Whole w = [] {
        Whole o;
        std::vector<Patch> good;
        const PatchBox box{20, 20, kW - 40, kH - 40};
        demo::Random random(3);
        for (int i = 0; i < 8; ++i) {
            const auto p = image::makePicture(
                sheet(std::uint64_t(i) + 1, random.uniform(0.7, 1.1), random.uniform(0.9, 1.1), 2, kMiddle));
            good.push_back(vision::laid(p, false, box, [](Point q) { return q; }));
        }
        o.learned = *Learned::make(good, {}, {});
        o.reference = sheet(1, 0.8, 1, 2, kMiddle);
        o.here = image::makePicture(sheet(50, 0.9, 1.04, 2, kMiddle));
        o.turned = image::makePicture(sheet(51, 0.9, 1.04, 2, {{kW / 2.0 + 3.3, kH / 2.0 - 2.1}, 0.01}));
        return o;
    }();
    return w;
}
const Patch& aligned()
{
    static const Patch p = vision::laid(whole().here, false, whole().learned->box(), [](Point q) { return q; });
    return p;
}

void learnedDifference(benchmark::State& state)
{
    const auto& w = whole();
    const vision::Light light = w.learned->light(aligned());
    for (auto _ : state) benchmark::DoNotOptimize(vision::differ(*w.learned, aligned(), light));
}
BENCHMARK(learnedDifference)->Unit(benchmark::kMillisecond);
void learnedLight(benchmark::State& state)
{
    for (auto _ : state) benchmark::DoNotOptimize(whole().learned->light(aligned()));
}
BENCHMARK(learnedLight)->Unit(benchmark::kMillisecond);
void turnedLaidAndCompared(benchmark::State& state)
{
    const auto& w = whole();
    const geometry::Motion motion{kMiddle, {{kW / 2.0 + 3.3, kH / 2.0 - 2.1}, 0.01}};
    for (auto _ : state) {
        const Patch p = vision::laid(w.turned, false, w.learned->box(), [&](Point q) { return motion.carry(q); });
        benchmark::DoNotOptimize(vision::differ(*w.learned, p, w.learned->light(p)));
    }
}
BENCHMARK(turnedLaidAndCompared)->Unit(benchmark::kMillisecond);
void plainDifference(benchmark::State& state)
{
    for (auto _ : state)
        benchmark::DoNotOptimize(vision::difference(whole().reference.grey(), whole().here.grey(), 40));
}
BENCHMARK(plainDifference)->Unit(benchmark::kMillisecond);
#ifdef DIKKAT_BENCH_STICK
void stickDifference(benchmark::State& state)
{
    cv::setNumThreads(1);
    const cv::Mat a(kH, kW, CV_8U, const_cast<std::uint8_t*>(whole().reference.row(0))),
        b(kH, kW, CV_8U, const_cast<std::uint8_t*>(whole().here.pixels.row(0)));
    cv::Mat d, t;
    for (auto _ : state) {
        cv::absdiff(a, b, d);
        cv::threshold(d, t, 40, 255, cv::THRESH_BINARY);
    }
}
BENCHMARK(stickDifference)->Unit(benchmark::kMillisecond);
void stickTurnDifference(benchmark::State& state)
{
    cv::setNumThreads(1);
    const cv::Mat a(kH, kW, CV_8U, const_cast<std::uint8_t*>(whole().reference.row(0))),
        b(kH, kW, CV_8U, const_cast<std::uint8_t*>(whole().turned.pixels.row(0)));
    const cv::Mat turn = cv::getRotationMatrix2D({kW / 2.0f, kH / 2.0f}, 0.57, 1);
    cv::Mat laid, d, t;
    for (auto _ : state) {
        cv::warpAffine(b, laid, turn, b.size(), cv::INTER_LINEAR);
        cv::absdiff(a, laid, d);
        cv::threshold(d, t, 40, 255, cv::THRESH_BINARY);
    }
}
BENCHMARK(stickTurnDifference)->Unit(benchmark::kMillisecond);
#endif

// 60 places of 60 × 90 px on 5 MP.
void sixtyPlaces(benchmark::State& state)
{
    struct Board {
        std::optional<inspect::Prepared> prepared;
        image::Capture capture;
    };
    static Board board = [] {
        const auto draw = [](std::uint64_t seed, double light) {
            demo::Random random(seed);
            demo::Ink slots{{40, 40, 40}, {}}, bars{{190, 192, 196}, {}}, rivets{{110, 90, 60}, {}};
            for (int i = 0; i < 60; ++i) {
                const Point at{180.0 + (i % 10) * 230, 200.0 + (i / 10) * 330};
                const auto r = [&](double w, double h) {
                    return geometry::Region::rectangle(at, w, h).outlines().front();
                };
                slots.shapes.push_back(r(70, 110)), bars.shapes.push_back(r(54, 90));
                rivets.shapes.push_back(demo::circleOutline(at + Point{0, 30}, 9));
            }
            demo::PaintLook look;
            look.light = light;
            return demo::painted({150, 130, 90}, {slots, bars, rivets}, kW, kH, look, random, false);
        };
        recipe::Recipe r;
        r.reference = *recipe::makeAsset("reference.png", *image::encodePng(draw(1, 1)), "reference.png");
        for (std::uint64_t i = 2; i < 5; ++i)
            r.samples.push_back(
                {*recipe::makeAsset("good.png", *image::encodePng(draw(i, 1 + 0.02 * double(i))), "good.png"), {}});
        recipe::Step s = recipe::makeStep(r, *recipe::findKind("component_places"));
        for (int i = 0; i < 60; ++i) {
            recipe::Place one;
            one.name = std::to_string(i + 1), one.at = {180.0 + (i % 10) * 230, 200.0 + (i / 10) * 330};
            one.outline = geometry::Region::rectangle(one.at, 60, 96);
            one.marked = true;
            s.places.push_back(one);
        }
        r.steps.push_back(s);
        Board b;
        b.prepared = *inspect::Prepared::make(r);
        b.capture = image::makeCapture(draw(9, 1.05), "board");
        return b;
    }();
    for (auto _ : state) {
        const auto r = inspect::evaluate(*board.prepared, board.capture);
        if (r.items.front().steps.front()->state != inspect::State::Ok || r.rejected()) std::abort();
        benchmark::DoNotOptimize(r);
    }
}
BENCHMARK(sixtyPlaces)->Unit(benchmark::kMillisecond);

int good(int count)
{
    namespace fs = std::filesystem;
    const fs::path dir = fs::temp_directory_path() / "dikkat-bench-same";
    fs::remove_all(dir);
    int wrong = 0;
    if (auto ok = demo::writeFittedReeds((dir / "reeds").string(), 1, 1, {}); !ok) return 1;
    if (auto ok = demo::writeLabelPrints((dir / "label").string(), 1, 1, {}); !ok) return 1;
    const auto reeds = inspect::Prepared::make(*recipe::load((dir / "reeds" / "fitted-reeds.dikkat").string()));
    const auto label = inspect::Prepared::make(*recipe::load((dir / "label" / "label-print.dikkat").string()));
    for (int n = 0; n < count; ++n) {
        const auto a = inspect::evaluate(
            *reeds, demo::captureOf(demo::fittedReeds({}, 99, 3 * n), demo::reedField(), "reeds"), nullptr, nullptr, 0);
        demo::Random random(std::uint64_t(n) * 13 + 1);
        const auto b = inspect::evaluate(
            *label,
            image::makeCapture(demo::drawLabel({1400, 700, 0.07}, demo::labelTruth({}, 98, 3 * n), random), "label"));
        for (const auto* r : {&a, &b})
            if (r->outcome() != inspect::Outcome::Accept) {
                ++wrong;
                std::printf("%d: %s: %s\n", n, r->picture.c_str(),
                            r->items.empty() ? "" : r->items.front().sentence().c_str());
            }
    }
    std::printf("%d of %d good pictures are called faulty\n", wrong, 2 * count);
    return wrong != 0;
}

// Spots of every contrast and size at many places; the plain difference's threshold is the lowest at which no good one is
// faulty.
int table(bool evened)
{
    constexpr int w = 700, h = 500;
    const geometry::Pose middle{{w / 2.0, h / 2.0}, 0};
    const PatchBox box{30, 30, w - 60, h - 60};
    demo::Random random(3);
    const auto draw = [&](std::uint64_t seed, const std::vector<demo::Ink>& more, geometry::Pose& pose) {
        pose = {middle.origin + Point{random.uniform(-3, 3), random.uniform(-3, 3)}, random.uniform(-0.01, 0.01)};
        return image::makePicture(
            sheet(seed, random.uniform(0.6, 1.2), random.uniform(0.85, 1.15), random.uniform(1, 3), pose, more, w, h));
    };
    const auto lay = [&](const image::Picture& p, const geometry::Pose& pose) {
        const geometry::Motion m{middle, pose};
        return vision::laid(p, false, box, [&](Point q) { return m.carry(q); });
    };
    std::vector<Patch> good;
    geometry::Pose pose;
    good.push_back(lay(image::makePicture(sheet(1, 0.9, 1, 2, middle, {}, w, h)), middle));
    while (good.size() < 8) {
        const auto p = draw(good.size() + 1, {}, pose);
        good.push_back(lay(p, pose));
    }
    vision::LearnOptions o;
    const auto learned = *Learned::make(good, {}, o);
    // As it lies on the reference, the light as it is.
    const auto flat = [&](const Patch& p) {
        image::Image out(box.width, box.height, image::PixelFormat::Grey8);
        const vision::Light light = evened ? learned.light(p) : vision::Light{};
        for (std::size_t i = 0; i < box.count(); ++i)
            out.row(0)[i] =
                std::uint8_t(std::clamp((double(p.level(i)) - light.offset) / light.gain[0] + 0.5, 0.0, 255.0));
        return out;
    };
    const image::Image reference = flat(good.front());
    const auto largest = [&](const image::Image& a, int least) {
        const auto d = vision::difference(a.grey(), reference.grey(), least);
        vision::BlobOptions b;
        b.low = 128, b.leastArea = 6;
        return vision::findBlobs(d.grey(), geometry::Region::whole(), b).blobs.size();
    };
    int threshold = 2, alarms = 0;
    for (int n = 0; n < 40; ++n) {
        const auto p = draw(100 + std::uint64_t(n), {}, pose);
        const Patch patch = lay(p, pose);
        const image::Image a = flat(patch);
        while (threshold < 255 && largest(a, threshold) > 0) ++threshold;
        alarms += !vision::places(learned, patch, learned.light(patch),
                                  vision::differ(learned, patch, learned.light(patch)), 6)
                       .empty();
    }
    std::printf("plain difference: threshold %d, so that none of 40 good ones is faulty; learned: %d of 40\n",
                threshold, alarms);
    std::printf("share of spots found, learned / plain\ncontrast ");
    const double sizes[] = {3, 4, 6, 8, 12};
    for (const double s : sizes) std::printf("    %4.0f px   ", s);
    std::printf("\n");
    for (const double contrast : {15., 20., 25., 30., 40., 60., 80., 110., 140.}) {
        std::printf("%5.0f   ", contrast);
        for (const double size : sizes) {
            int a = 0, b = 0;
            constexpr int tries = 30;
            for (int n = 0; n < tries; ++n) {
                const Point at{random.uniform(-0.4, 0.4) * w, random.uniform(-0.4, 0.4) * h};
                // Darker than the ground, so that it is seen between the marks; on a mark it is a brighter one.
                const demo::Ink spot{{190 - contrast, 190 - contrast, 190 - contrast},
                                     {demo::circleOutline(at, size / 2)}};
                const auto p = draw(1000 + std::uint64_t(n), {spot}, pose);
                const Patch patch = lay(p, pose);
                const vision::Light light = learned.light(patch);
                a += !vision::places(learned, patch, light, vision::differ(learned, patch, light), 6).empty();
                b += largest(flat(patch), threshold) > 0;
            }
            std::printf("  %3d %% / %3d %%", 100 * a / tries, 100 * b / tries);
        }
        std::printf("\n");
    }
    return 0;
}
} // namespace

int main(int argc, char** argv)
{
    if (argc > 1 && !std::strcmp(argv[1], "good")) return good(argc > 2 ? std::atoi(argv[2]) : 100);
    if (argc > 1 && !std::strcmp(argv[1], "table")) return table(argc > 2 && !std::strcmp(argv[2], "evened"));
    benchmark::Initialize(&argc, argv);
    benchmark::RunSpecifiedBenchmarks();
    return 0;
}

// Times of the core's work on one thread, 5 MP pictures of dark parts on a bright field, blur 0.8 px, noise 2. With the
// measuring stick switched on its calls stand beside ours in the same run: tools/performance makes the table of
// docs/performance.md from the JSON.
#include "demo/render.h"
#include "vision/blobs.h"
#include "vision/edges.h"
#include "vision/pattern.h"
#include "vision/threshold.h"

#include <array>
#include <benchmark/benchmark.h>
#include <cstdio>
#include <map>
#ifdef DIKKAT_BENCH_STICK
#include <opencv2/imgproc.hpp>
#endif

namespace
{
using geometry::Point;
constexpr int kW = 2448, kH = 2048;

std::vector<Point> part(Point c, double size, double angle)
{
    // A notched plate, about `size` px long: not alike at any other angle.
    const double s = size / 200;
    std::vector<Point> p{{-100, -60}, {40, -60}, {40, -30}, {100, -30}, {100, 60},
                         {20, 60},    {0, 30},   {-20, 60}, {-100, 60}};
    const geometry::Pose pose{c, angle};
    for (Point& q : p) q = pose.toPicture(q * s);
    return p;
}

image::Image draw(const std::vector<std::vector<Point>>& dark, const std::vector<std::vector<Point>>& holes,
                  std::uint64_t seed)
{
    demo::Random random(seed);
    return demo::backlit(demo::blurredCoverage(dark, holes, kW, kH, 0.8, 1), kW, kH, {200, 50, 0, 0, 0, 2}, random);
}
// n dark discs and boxes in a grid.
const image::Image& blobPicture(int n)
{
    static std::map<int, image::Image> made;
    if (const auto it = made.find(n); it != made.end()) return it->second;
    demo::Random random(std::uint64_t(n) + 3);
    const int columns = int(std::ceil(std::sqrt(n * 1.2)));
    const double pitch = double(kW) / columns;
    std::vector<std::vector<Point>> dark;
    for (int i = 0; i < n; ++i) {
        const Point c{(i % columns + 0.5) * pitch + random.uniform(-0.05, 0.05) * pitch, (i / columns + 0.5) * pitch};
        if (i % 2) dark.push_back(demo::circleOutline(c, 0.3 * pitch));
        else
            dark.push_back(
                geometry::Region::rectangle(c, 0.6 * pitch, 0.4 * pitch, random.uniform(0, 3)).outlines().front());
    }
    return made.emplace(n, draw(dark, {}, 5)).first->second;
}
struct Scene {
    vision::PatternModel model;
    image::Image picture, teaching;
};
const Scene& scene(int parts)
{
    static std::map<int, Scene> made;
    if (const auto it = made.find(parts); it != made.end()) return it->second;
    Scene s;
    demo::Random random(11);
    const Point c{1000, 900};
    s.teaching = draw({part(c, 200, 0)}, {}, 7);
    s.model = *vision::teachPattern(s.teaching.grey(), geometry::Region::rectangle(c, 240, 160), {c, 0}, 20);
    std::vector<std::vector<Point>> dark;
    for (int i = 0; i < parts; ++i)
        dark.push_back(
            part({300.0 + 600 * (i % 4) + random.uniform(-50, 50), 300.0 + 600 * (i / 4) + random.uniform(-50, 50)},
                 200, random.uniform(-3.14, 3.14)));
    s.picture = draw(dark, {}, 9);
    return made.emplace(parts, std::move(s)).first->second;
}

void blobs(benchmark::State& state)
{
    const auto& p = blobPicture(int(state.range(0)));
    vision::BlobOptions o;
    o.high = 125;
    std::size_t n = 0;
    for (auto _ : state) n = vision::findBlobs(p.grey(), geometry::Region::whole(), o).blobs.size();
    state.counters["blobs"] = double(n);
}
void local(benchmark::State& state)
{
    const auto& p = blobPicture(300);
    for (auto _ : state) benchmark::DoNotOptimize(vision::localThreshold(p.grey(), 25, 10, false));
}
void histogram(benchmark::State& state)
{
    const auto& p = blobPicture(300);
    const auto spans = geometry::spans(geometry::Region::whole(), kW, kH);
    for (auto _ : state) benchmark::DoNotOptimize(vision::histogram(p.grey(), spans));
}
void automatic(benchmark::State& state)
{
    const auto& p = blobPicture(300);
    const auto spans = geometry::spans(geometry::Region::whole(), kW, kH);
    for (auto _ : state) benchmark::DoNotOptimize(vision::automaticThreshold(vision::histogram(p.grey(), spans)));
}
void difference(benchmark::State& state)
{
    const auto &a = blobPicture(300), &b = blobPicture(12);
    for (auto _ : state) benchmark::DoNotOptimize(vision::difference(a.grey(), b.grey(), 20));
}
void opening(benchmark::State& state)
{
    const auto& p = blobPicture(300);
    const int side = int(state.range(0));
    for (auto _ : state) benchmark::DoNotOptimize(vision::opened(p.grey(), side, side));
}
void pattern(benchmark::State& state)
{
    const Scene& s = scene(int(state.range(0)));
    vision::PatternOptions o;
    o.most = int(state.range(0));
    o.leastContrast = 20;
    std::size_t n = 0;
    for (auto _ : state) n = vision::findPattern(s.picture.grey(), s.model, geometry::Region::whole(), o).size();
    state.counters["finds"] = double(n);
}
void profileOf(benchmark::State& state)
{
    const auto& p = blobPicture(12);
    const double a = geometry::radians(double(state.range(0)));
    const Point c{1200, 1000}, h = geometry::direction(a) * 200;
    for (auto _ : state) benchmark::DoNotOptimize(vision::profile(p.grey(), c - h, c + h, 60));
}
BENCHMARK(blobs)->Name("ours/blobs")->Arg(12)->Arg(300)->Arg(20000)->Unit(benchmark::kMillisecond);
BENCHMARK(local)->Name("ours/local_threshold_51")->Unit(benchmark::kMillisecond);
BENCHMARK(histogram)->Name("ours/histogram")->Unit(benchmark::kMillisecond);
BENCHMARK(automatic)->Name("ours/automatic_threshold")->Unit(benchmark::kMillisecond);
BENCHMARK(difference)->Name("ours/difference")->Unit(benchmark::kMillisecond);
BENCHMARK(opening)
    ->Name("ours/opening")
    ->Arg(3)
    ->Arg(5)
    ->Arg(9)
    ->Arg(13)
    ->Arg(25)
    ->Arg(51)
    ->Unit(benchmark::kMillisecond);
BENCHMARK(pattern)->Name("ours/pattern")->Arg(1)->Arg(12)->Unit(benchmark::kMillisecond);
BENCHMARK(profileOf)->Name("ours/profile_400x60")->Arg(0)->Arg(33)->Unit(benchmark::kMicrosecond);

#ifdef DIKKAT_BENCH_STICK
cv::Mat mat(const image::Image& p)
{
    return cv::Mat(p.height(), p.width(), CV_8U, const_cast<std::uint8_t*>(p.row(0)));
}
void stickBlobs(benchmark::State& state)
{
    const cv::Mat in = mat(blobPicture(int(state.range(0))));
    int n = 0;
    for (auto _ : state) {
        cv::Mat mask, labels, stats, centroids;
        cv::threshold(in, mask, 125, 255, cv::THRESH_BINARY_INV);
        n = cv::connectedComponentsWithStats(mask, labels, stats, centroids, 8, CV_32S);
    }
    state.counters["blobs"] = n - 1;
}
// Counts, areas, boxes and centroids of both must be the same before their times are compared.
bool sameBlobs(int n)
{
    const auto& p = blobPicture(n);
    vision::BlobOptions o;
    o.high = 125;
    const auto list = vision::findBlobs(p.grey(), geometry::Region::whole(), o);
    cv::Mat mask, labels, stats, centroids;
    cv::threshold(mat(p), mask, 125, 255, cv::THRESH_BINARY_INV);
    const int count = cv::connectedComponentsWithStats(mask, labels, stats, centroids, 8, CV_32S) - 1;
    if (count != int(list.blobs.size()))
        return std::fprintf(stderr, "%d blobs, the stick finds %d\n", int(list.blobs.size()), count), false;
    std::map<std::array<int, 5>, Point> theirs;
    for (int i = 1; i <= count; ++i) {
        const int* s = stats.ptr<int>(i);
        theirs[{s[cv::CC_STAT_LEFT], s[cv::CC_STAT_TOP], s[cv::CC_STAT_WIDTH], s[cv::CC_STAT_HEIGHT],
                s[cv::CC_STAT_AREA]}] = {centroids.at<double>(i, 0), centroids.at<double>(i, 1)};
    }
    double worst = 0;
    for (const auto& b : list.blobs) {
        const auto it = theirs.find({b.left, b.top, b.right - b.left + 1, b.bottom - b.top + 1, int(b.area)});
        if (it == theirs.end())
            return std::fprintf(stderr, "a blob of %d px² differs from the stick's\n", int(b.area)), false;
        worst = std::max(worst, geometry::distance(it->second, b.centroid));
    }
    std::fprintf(stderr, "%d blobs: counts, areas and boxes equal the stick's, centroids within %.1e px\n", count,
                 worst);
    return worst < 1e-6;
}
void stickContours(benchmark::State& state)
{
    const cv::Mat in = mat(blobPicture(int(state.range(0))));
    for (auto _ : state) {
        cv::Mat mask;
        cv::threshold(in, mask, 125, 255, cv::THRESH_BINARY_INV);
        std::vector<std::vector<cv::Point>> contours;
        cv::findContours(mask, contours, cv::RETR_EXTERNAL, cv::CHAIN_APPROX_NONE);
        double sum = 0;
        for (const auto& c : contours) sum += cv::moments(c).m00;
        benchmark::DoNotOptimize(sum);
    }
}
void stickLocal(benchmark::State& state)
{
    const cv::Mat in = mat(blobPicture(300));
    for (auto _ : state) {
        cv::Mat out;
        cv::adaptiveThreshold(in, out, 255, cv::ADAPTIVE_THRESH_MEAN_C, cv::THRESH_BINARY_INV, 51, 10);
    }
}
void stickHistogram(benchmark::State& state)
{
    const cv::Mat in = mat(blobPicture(300));
    const int channels[] = {0}, size[] = {256};
    const float range[] = {0, 256};
    const float* ranges[] = {range};
    for (auto _ : state) {
        cv::Mat h;
        cv::calcHist(&in, 1, channels, cv::Mat(), h, 1, size, ranges);
    }
}
void stickAutomatic(benchmark::State& state)
{
    const cv::Mat in = mat(blobPicture(300));
    for (auto _ : state) {
        cv::Mat out;
        benchmark::DoNotOptimize(cv::threshold(in, out, 0, 255, cv::THRESH_BINARY | cv::THRESH_OTSU));
    }
}
void stickDifference(benchmark::State& state)
{
    const cv::Mat a = mat(blobPicture(300)), b = mat(blobPicture(12));
    for (auto _ : state) {
        cv::Mat d, out;
        cv::absdiff(a, b, d);
        cv::threshold(d, out, 20, 255, cv::THRESH_BINARY);
    }
}
void stickOpening(benchmark::State& state)
{
    const cv::Mat in = mat(blobPicture(300)),
                  element = cv::getStructuringElement(cv::MORPH_RECT, {int(state.range(0)), int(state.range(0))});
    for (auto _ : state) {
        cv::Mat out;
        cv::morphologyEx(in, out, cv::MORPH_OPEN, element);
    }
}
void stickPattern(benchmark::State& state)
{
    // 360 turned templates on an 8 times smaller picture, the best ones refined at 4× and 1×.
    const Scene& s = scene(int(state.range(0)));
    const cv::Mat full = mat(s.picture), teaching = mat(s.teaching);
    const cv::Mat templ = teaching(cv::Rect(1000 - 110, 900 - 110, 220, 220));
    const auto turnedTemplate = [&](double degrees, int shrink) {
        cv::Mat out;
        cv::warpAffine(templ, out, cv::getRotationMatrix2D({110, 110}, degrees, 1), templ.size(), cv::INTER_LINEAR,
                       cv::BORDER_REPLICATE);
        if (shrink > 1) cv::resize(out, out, {}, 1.0 / shrink, 1.0 / shrink, cv::INTER_AREA);
        return out;
    };
    for (auto _ : state) {
        cv::Mat small, quarter;
        cv::resize(full, small, {}, 1.0 / 8, 1.0 / 8, cv::INTER_AREA);
        cv::resize(full, quarter, {}, 1.0 / 4, 1.0 / 4, cv::INTER_AREA);
        struct Best {
            double value;
            cv::Point at;
            int degrees;
        };
        std::vector<Best> all;
        for (int a = 0; a < 360; ++a) {
            cv::Mat score;
            cv::matchTemplate(small, turnedTemplate(a, 8), score, cv::TM_CCOEFF_NORMED);
            for (int k = 0; k < int(state.range(0)); ++k) {
                double v = 0;
                cv::Point at;
                cv::minMaxLoc(score, nullptr, &v, nullptr, &at);
                if (v < 0.7) break;
                all.push_back({v, at, a});
                cv::rectangle(score, {at.x - 6, at.y - 6, 13, 13}, 0, cv::FILLED);
            }
        }
        std::sort(all.begin(), all.end(), [](const Best& a, const Best& b) { return a.value > b.value; });
        std::vector<Best> kept;
        for (const Best& b : all) {
            bool same = false;
            for (const Best& k : kept) same = same || cv::norm(b.at - k.at) < 8;
            if (!same) kept.push_back(b);
            if (int(kept.size()) >= state.range(0)) break;
        }
        for (const Best& b : kept)
            for (const int shrink : {4, 1}) {
                const cv::Mat& level = shrink == 4 ? quarter : full;
                for (double a = b.degrees - 1; a <= b.degrees + 1; a += shrink == 4 ? 0.5 : 0.25) {
                    const cv::Mat t = turnedTemplate(a, shrink);
                    const cv::Rect where =
                        cv::Rect(b.at.x * 8 / shrink - 16 / shrink, b.at.y * 8 / shrink - 16 / shrink,
                                 t.cols + 32 / shrink, t.rows + 32 / shrink) &
                        cv::Rect(0, 0, level.cols, level.rows);
                    if (where.width < t.cols || where.height < t.rows) continue;
                    cv::Mat score;
                    cv::matchTemplate(level(where), t, score, cv::TM_CCOEFF_NORMED);
                    double v = 0;
                    cv::minMaxLoc(score, nullptr, &v);
                    benchmark::DoNotOptimize(v);
                }
            }
    }
}
void stickProfile(benchmark::State& state)
{
    const cv::Mat in = mat(blobPicture(12));
    for (auto _ : state) {
        cv::Mat m = cv::getRotationMatrix2D({1200, 1000}, double(state.range(0)), 1), window, row;
        m.at<double>(0, 2) -= 1000, m.at<double>(1, 2) -= 970;
        cv::warpAffine(in, window, m, {400, 60}, cv::INTER_LINEAR);
        cv::reduce(window, row, 0, cv::REDUCE_AVG, CV_32F);
    }
}
BENCHMARK(stickBlobs)->Name("stick/blobs")->Arg(12)->Arg(300)->Arg(20000)->Unit(benchmark::kMillisecond);
BENCHMARK(stickContours)->Name("stick/contours")->Arg(12)->Arg(300)->Arg(20000)->Unit(benchmark::kMillisecond);
BENCHMARK(stickLocal)->Name("stick/local_threshold_51")->Unit(benchmark::kMillisecond);
BENCHMARK(stickHistogram)->Name("stick/histogram")->Unit(benchmark::kMillisecond);
BENCHMARK(stickAutomatic)->Name("stick/automatic_threshold")->Unit(benchmark::kMillisecond);
BENCHMARK(stickDifference)->Name("stick/difference")->Unit(benchmark::kMillisecond);
BENCHMARK(stickOpening)
    ->Name("stick/opening")
    ->Arg(3)
    ->Arg(5)
    ->Arg(9)
    ->Arg(13)
    ->Arg(25)
    ->Arg(51)
    ->Unit(benchmark::kMillisecond);
BENCHMARK(stickPattern)->Name("stick/pattern")->Arg(1)->Arg(12)->Unit(benchmark::kMillisecond);
BENCHMARK(stickProfile)->Name("stick/profile_400x60")->Arg(0)->Arg(33)->Unit(benchmark::kMicrosecond);
#endif
} // namespace

int main(int argc, char** argv)
{
#ifdef DIKKAT_BENCH_STICK
    cv::setNumThreads(1);
    for (const int n : {12, 300, 20000})
        if (!sameBlobs(n)) return 1;
#endif
    benchmark::Initialize(&argc, argv);
    benchmark::RunSpecifiedBenchmarks();
}

#include "proof/detection.h"

#include "base/files.h"
#include "base/parallel.h"

#include <algorithm>
#include <cmath>

namespace proof
{
using inspect::Verdict;

namespace
{
constexpr double kNine = 1.2815515655446004; // of the normal distribution: 90 % lie below
constexpr double kOneSided = 2.705543454;    // 95 % of the chi square with one degree of freedom, one side
constexpr double kGap = 0.5;

double normal(double z) { return 0.5 * std::erfc(-z / std::sqrt(2.0)); }

struct Job {
    const Sample* sample;
    const Anatomy* anatomy;
    double px;
    std::uint64_t seed;
};
struct Outcome {
    bool planted = false, found = false;
    std::vector<std::string> by;
    geometry::Point at;
    double radius = 0;
};
// Outlines of the places of all items. Under a lens they are not where they are seen: none are told.
std::vector<std::vector<geometry::Point>> placesOf(const recipe::Recipe& recipe, const Sample& sample)
{
    std::vector<std::vector<geometry::Point>> out;
    if (recipe.calibration.bends()) return out;
    for (const auto& item : sample.result.items)
        for (const auto& s : item.steps) {
            const recipe::Step* step = recipe.find(s->step);
            if (!step || step->places.empty()) continue;
            for (const auto& m : s->marks)
                if (m.shape == recipe::MarkShape::Polygon && m.role == recipe::MarkRole::Found && m.element > 0 &&
                    m.points.size() > 2)
                    out.push_back(m.points);
        }
    return out;
}
std::vector<std::string> failing(const inspect::PictureResult& r)
{
    std::vector<std::string> out;
    for (const auto& item : r.items) {
        for (const auto& c : item.checks)
            if (c.verdict == Verdict::Fail || c.verdict == Verdict::NotMeasured) out.push_back(c.step + "/" + c.output);
        for (const auto& s : item.steps)
            if (s->state == inspect::State::Failed) out.push_back(s->step + "/");
    }
    return out;
}
} // namespace

base::Result<Anatomy> anatomyFor(const recipe::Recipe& recipe, const Sample& sample)
{
    for (const image::Picture& p : sample.capture->pictures()) {
        if (p.content == image::Content::Height) continue;
        auto a = anatomyOf(p);
        if (a) a->places = placesOf(recipe, sample);
        return a;
    }
    return base::fail(base::ErrorCode::NoResult, "heights: faults are planted in light");
}

bool Detection::met() const
{
    if (asked) return bound && *bound <= *asked * (1 + 1e-9);
    return !gap;
}
double Detection::shareAt(double size) const
{
    return width > 0 && size > 0 ? normal((std::log(size) - middle) / width) : 0;
}

void fitDetection(Detection& d)
{
    std::vector<Trialled> s;
    for (const Trialled& t : d.sizes)
        if (t.size > 0 && t.planted > 0) s.push_back(t);
    if (s.size() < 2) return;
    const double low = std::log(s.front().size), high = std::log(s.back().size);
    double step = high - low; // not every size was tried
    for (std::size_t i = 1; i < s.size(); ++i) step = std::min(step, std::log(s[i].size / s[i - 1].size));
    const auto likelihood = [&](double m, double w) {
        double sum = 0;
        for (const Trialled& t : s) {
            // One in a hundred is missed, or found, for another reason.
            const double p = 0.005 + 0.99 * normal((std::log(t.size) - m) / w);
            sum += t.found * std::log(p) + (t.planted - t.found) * std::log(1 - p);
        }
        return sum;
    };
    constexpr int kSteps = 240, kWidths = 40;
    double best = -1e300;
    std::vector<std::array<double, 3>> all;
    for (int i = 0; i <= kSteps; ++i)
        for (int j = 0; j <= kWidths; ++j) {
            const double m = low - 2 * step + (high - low + 4 * step) * i / kSteps;
            const double w = 0.04 * std::pow(1.5 / 0.04, double(j) / kWidths);
            const double l = likelihood(m, w);
            all.push_back({l, m, w});
            if (l > best) best = l, d.middle = m, d.width = w;
        }
    double bound = -1e300;
    for (const auto& [l, m, w] : all)
        if (2 * (best - l) <= kOneSided) bound = std::max(bound, m + kNine * w);
    const double nine = d.middle + kNine * d.width;
    d.size90.reset(), d.bound.reset();
    if (nine <= high) d.size90 = std::exp(nine);
    if (nine <= high && bound <= high + step) d.bound = std::exp(bound);
}

base::Result<std::vector<Detection>> detections(const inspect::Prepared& prepared, const std::vector<Sample>& samples,
                                                const DetectionSettings& settings, base::Watch* watch)
{
    const recipe::Recipe& recipe = prepared.recipe();
    std::vector<const Sample*> good;
    for (const Sample& s : samples)
        if (s.capture && !s.bad && s.result.accepted()) good.push_back(&s);
    std::vector<Detection> out;
    if (good.empty()) return out;
    // What every picture consists of.
    std::vector<base::Result<Anatomy>> anatomies(good.size(), base::fail(base::ErrorCode::NoResult, ""));
    base::parallelFor(int(good.size()), settings.threads,
                      [&](int i) { anatomies[std::size_t(i)] = anatomyFor(recipe, *good[std::size_t(i)]); });
    const auto cancelled = [&] { return watch && watch->cancel.load(); };
    const double mm = recipe.mmPerPixel();
    const double shorter = std::min(good.front()->capture->width(), good.front()->capture->rows());
    std::vector<double> px;
    for (double s = settings.least; s <= settings.most * shorter; s *= settings.grow) px.push_back(s);
    const std::size_t kinds = faultKinds().size();
    std::size_t kindDone = 0;
    for (const FaultKind& kind : faultKinds()) {
        Detection d;
        d.kind = kind.key;
        d.unit = mm > 0 ? base::Unit::Millimetre : base::Unit::Pixel;
        if (const auto it = recipe.proof.faults.find(kind.key); it != recipe.proof.faults.end() && it->second > 0)
            d.asked = it->second;
        const std::vector<double> sizes = kind.sized ? px : std::vector<double>{0};
        std::vector<std::vector<Outcome>> outcomes(sizes.size());
        std::vector<std::vector<Job>> asked(sizes.size());
        const auto plant = [&](std::size_t size, int from, int to) {
            for (int n = from; n < to; ++n) {
                const std::size_t which = std::size_t(n) % good.size();
                if (!anatomies[which]) continue;
                const std::uint64_t seed =
                    base::fingerprint(kind.key, settings.seed * 31 + size * 1009 + std::uint64_t(n) * 65537);
                asked[size].push_back({good[which], &*anatomies[which], sizes[size], seed});
            }
        };
        const auto run = [&] {
            std::vector<std::pair<std::size_t, std::size_t>> todo;
            for (std::size_t s = 0; s < sizes.size(); ++s)
                for (std::size_t n = outcomes[s].size(); n < asked[s].size(); ++n) todo.emplace_back(s, n);
            for (std::size_t s = 0; s < sizes.size(); ++s) outcomes[s].resize(asked[s].size());
            base::parallelFor(int(todo.size()), settings.threads, [&](int i) {
                if (cancelled()) return;
                const auto [s, n] = todo[std::size_t(i)];
                const Job& job = asked[s][n];
                const auto made = planted(*job.sample->capture, *job.anatomy, kind.key, job.px, job.seed);
                if (!made) return;
                const auto r = inspect::evaluate(prepared, made->capture);
                outcomes[s][n] = {true, !r.accepted(), r.accepted() ? std::vector<std::string>() : failing(r), made->at,
                                  made->radius};
            });
        };
        const auto share = [&](std::size_t s) {
            int n = 0, f = 0;
            for (const Outcome& o : outcomes[s]) n += o.planted, f += o.found;
            return n ? double(f) / n : -1;
        };
        if (settings.down) {
            // The largest, and where all of it is found by halves between what is and what is not.
            const auto all = [&](std::size_t s) {
                plant(s, 0, settings.count), run();
                return share(s) < 0 || share(s) == 1; // too large for this part: a smaller one
            };
            std::size_t low = 0, high = sizes.size(); // below `low` not all are found, from `high` on they are
            while (high > low && !cancelled()) {
                const std::size_t s = high == sizes.size() || share(high) < 0 ? high - 1 : (low + high) / 2;
                if (all(s)) high = s;
                else low = s + 1;
            }
        } else {
            for (std::size_t s = 0; s < sizes.size(); ++s) plant(s, 0, settings.count);
            run();
        }
        if (cancelled()) return base::fail(base::ErrorCode::Cancelled, "stopped");
        // More where the share turns: between the last size hardly ever found and the first one always found.
        std::size_t first = 0, last = sizes.size();
        while (first + 1 < sizes.size() && share(first + 1) <= 0.1) ++first;
        while (last > first + 1 && share(last - 1) >= 0.999) --last;
        for (std::size_t s = first; s < std::min(sizes.size(), last + 1) && !settings.down; ++s)
            plant(s, settings.count, settings.count + settings.more);
        run();
        if (cancelled()) return base::fail(base::ErrorCode::Cancelled, "stopped");
        int planted = 0;
        for (std::size_t s = 0; s < sizes.size(); ++s) {
            Trialled t;
            t.size = sizes[s] * (mm > 0 ? mm : 1);
            for (std::size_t n = 0; n < outcomes[s].size(); ++n) {
                const Outcome& o = outcomes[s][n];
                if (!o.planted) continue;
                ++t.planted, ++planted;
                t.found += o.found;
                std::set<std::string> once(o.by.begin(), o.by.end());
                for (const std::string& c : once) ++d.by[c];
                if (!o.found)
                    d.missed = Detection::Missed{int(asked[s][n].sample - samples.data()), sizes[s], asked[s][n].seed,
                                                 o.at, o.radius};
            }
            // Too large for what is there: it says nothing of others.
            if (t.planted >= std::min(5, settings.count)) d.sizes.push_back(t);
        }
        if (watch) watch->share = settings.from + (settings.until - settings.from) * double(++kindDone) / double(kinds);
        if (planted == 0 || d.sizes.empty()) continue; // no place for it on this part
        d.gap = d.sizes.back().share() < kGap;
        if (kind.sized) fitDetection(d);
        out.push_back(std::move(d));
    }
    return out;
}

} // namespace proof

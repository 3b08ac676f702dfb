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

namespace
{
// One kind of fault, planted in the sizes it takes.
class Planting
{
public:
    using Anatomies = std::vector<base::Result<Anatomy>>;
    Planting(const inspect::Prepared& prepared, const std::vector<const Sample*>& good, const Anatomies& anatomies,
             const DetectionSettings& settings, const FaultKind& kind, const std::vector<double>& px,
             base::Watch* watch)
        : m_prepared(prepared), m_good(good), m_anatomies(anatomies), m_settings(settings), m_kind(kind),
          m_watch(watch), m_sizes(kind.sized ? px : std::vector<double>{0}), m_outcomes(m_sizes.size()),
          m_asked(m_sizes.size())
    {
    }
    bool cancelled() const { return m_watch && m_watch->cancel.load(); }
    void ask()
    {
        if (m_settings.down) askByHalves();
        else askAll();
    }
    // Nothing: no place for it on this part. `first`: of the samples' list.
    std::optional<Detection> told(const Sample* first) const
    {
        const recipe::Recipe& recipe = m_prepared.recipe();
        const double mm = recipe.mmPerPixel();
        Detection d;
        d.kind = m_kind.key;
        d.unit = mm > 0 ? base::Unit::Millimetre : base::Unit::Pixel;
        if (const auto it = recipe.proof.faults.find(m_kind.key); it != recipe.proof.faults.end() && it->second > 0)
            d.asked = it->second;
        int planted = 0;
        for (std::size_t s = 0; s < m_sizes.size(); ++s) {
            Trialled t;
            t.size = m_sizes[s] * (mm > 0 ? mm : 1);
            for (std::size_t n = 0; n < m_outcomes[s].size(); ++n) {
                const Outcome& o = m_outcomes[s][n];
                if (!o.planted) continue;
                ++t.planted, ++planted;
                t.found += o.found;
                std::set<std::string> once(o.by.begin(), o.by.end());
                for (const std::string& c : once) ++d.by[c];
                if (!o.found)
                    d.missed = Detection::Missed{int(m_asked[s][n].sample - first), m_sizes[s], m_asked[s][n].seed,
                                                 o.at, o.radius};
            }
            // Too large for what is there: it says nothing of others.
            if (t.planted >= std::min(5, m_settings.count)) d.sizes.push_back(t);
        }
        if (planted == 0 || d.sizes.empty()) return std::nullopt;
        d.gap = d.sizes.back().share() < kGap;
        if (m_kind.sized) fitDetection(d);
        return d;
    }

private:
    void plant(std::size_t size, int from, int to)
    {
        for (int n = from; n < to; ++n) {
            const std::size_t which = std::size_t(n) % m_good.size();
            if (!m_anatomies[which]) continue;
            const std::uint64_t seed =
                base::fingerprint(m_kind.key, m_settings.seed * 31 + size * 1009 + std::uint64_t(n) * 65537);
            m_asked[size].push_back({m_good[which], &*m_anatomies[which], m_sizes[size], seed});
        }
    }
    void run()
    {
        std::vector<std::pair<std::size_t, std::size_t>> todo;
        for (std::size_t s = 0; s < m_sizes.size(); ++s)
            for (std::size_t n = m_outcomes[s].size(); n < m_asked[s].size(); ++n) todo.emplace_back(s, n);
        for (std::size_t s = 0; s < m_sizes.size(); ++s) m_outcomes[s].resize(m_asked[s].size());
        base::parallelFor(int(todo.size()), m_settings.threads, [&](int i) {
            if (cancelled()) return;
            const auto [s, n] = todo[std::size_t(i)];
            const Job& job = m_asked[s][n];
            const auto made = planted(*job.sample->capture, *job.anatomy, m_kind.key, job.px, job.seed);
            if (!made) return;
            const auto r = inspect::evaluate(m_prepared, made->capture);
            m_outcomes[s][n] = {true, !r.accepted(), r.accepted() ? std::vector<std::string>() : failing(r), made->at,
                                made->radius};
        });
    }
    // Below 0: none could be planted.
    double share(std::size_t size) const
    {
        int n = 0, f = 0;
        for (const Outcome& o : m_outcomes[size]) n += o.planted, f += o.found;
        return n ? double(f) / n : -1;
    }
    // The largest, and where all of it is found by halves between what is and what is not.
    void askByHalves()
    {
        std::size_t low = 0, high = m_sizes.size(); // below `low` not all are found, from `high` on they are
        while (high > low && !cancelled()) {
            const std::size_t s = high == m_sizes.size() || share(high) < 0 ? high - 1 : (low + high) / 2;
            plant(s, 0, m_settings.count), run();
            // What is too large for this part makes room for a smaller one.
            if (share(s) < 0 || share(s) == 1) high = s;
            else low = s + 1;
        }
    }
    void askAll()
    {
        for (std::size_t s = 0; s < m_sizes.size(); ++s) plant(s, 0, m_settings.count);
        run();
        // More where the share turns: between the last size hardly ever found and the first one always found.
        std::size_t first = 0, last = m_sizes.size();
        while (first + 1 < m_sizes.size() && share(first + 1) <= 0.1) ++first;
        while (last > first + 1 && share(last - 1) >= 0.999) --last;
        for (std::size_t s = first; s < std::min(m_sizes.size(), last + 1); ++s)
            plant(s, m_settings.count, m_settings.count + m_settings.more);
        run();
    }

    const inspect::Prepared& m_prepared;
    const std::vector<const Sample*>& m_good;
    const Anatomies& m_anatomies;
    const DetectionSettings& m_settings;
    const FaultKind& m_kind;
    base::Watch* m_watch;
    const std::vector<double> m_sizes; // px
    std::vector<std::vector<Outcome>> m_outcomes;
    std::vector<std::vector<Job>> m_asked;
};
} // namespace

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
    Planting::Anatomies anatomies(good.size(), base::fail(base::ErrorCode::NoResult, ""));
    base::parallelFor(int(good.size()), settings.threads,
                      [&](int i) { anatomies[std::size_t(i)] = anatomyFor(recipe, *good[std::size_t(i)]); });
    const double shorter = std::min(good.front()->capture->width(), good.front()->capture->rows());
    std::vector<double> px;
    for (double s = settings.least; s <= settings.most * shorter; s *= settings.grow) px.push_back(s);
    std::size_t kindDone = 0;
    for (const FaultKind& kind : faultKinds()) {
        Planting one(prepared, good, anatomies, settings, kind, px, watch);
        one.ask();
        if (one.cancelled()) return base::fail(base::ErrorCode::Cancelled, "stopped");
        ++kindDone;
        if (watch)
            watch->share =
                settings.from + (settings.until - settings.from) * double(kindDone) / double(faultKinds().size());
        if (auto d = one.told(samples.data())) out.push_back(std::move(*d));
    }
    return out;
}

} // namespace proof

#include "desktop/trial_crops.h"

#include "desktop/picture_cut.h"
#include "inspect/worst.h"

#include <algorithm>
#include <cmath>

namespace desktop
{

namespace
{
constexpr std::size_t kMost = 800, kQueue = 120;

QImage cut(const image::Picture& picture, geometry::Point at, double half, double turn)
{
    return cutOut(picture, at, half, turn, QSize(TrialCrops::kWide, TrialCrops::kHigh));
}
} // namespace

TrialCrops::TrialCrops(Session& session, QObject* parent) : QObject(parent), m_session(session) {}

QImage TrialCrops::spot(int trial, int item, const std::string& step, const std::string& output)
{
    const inspect::PictureResult* r = m_session.result(trial);
    if (!r || r->error) return {};
    std::optional<inspect::Spot> best;
    const inspect::ItemResult* of = nullptr;
    for (std::size_t i = 0; i < r->items.size(); ++i) {
        const inspect::ItemResult& one = r->items[i];
        if (item >= 0 && int(i) != item) continue;
        const auto* check = step.empty() ? nullptr : one.check(step, output);
        if (!step.empty() && !check) continue;
        auto here = check ? inspect::spotOf(one, *check) : inspect::worstSpot(one);
        if (!here || (of && !one.rejected())) continue;
        const bool worse = !of || (one.rejected() && !of->rejected());
        if (worse) best = std::move(here), of = &one;
    }
    if (!best) return {};
    const image::Picture& shown = m_session.shownPicture();
    const double least = std::max(24.0, 0.02 * std::max(shown.pixels.width(), shown.pixels.height()));
    Wanted w;
    w.picture = r->picture;
    w.at = best->at;
    w.half = std::max(least, std::min(1.25 * best->reach, 400.0));
    w.turn = of->pose ? of->pose->angle : 0;
    w.key = w.picture + '|' + std::to_string(std::lround(w.at.x)) + '|' + std::to_string(std::lround(w.at.y)) + '|' +
            std::to_string(std::lround(w.half)) + '|' + std::to_string(std::lround(100 * w.turn));
    return find(std::move(w));
}

QImage TrialCrops::whole(int trial)
{
    if (trial < 0 || trial >= m_session.trialCount()) return {};
    Wanted w;
    w.picture = m_session.recipe().trials[std::size_t(trial)].picture;
    w.key = w.picture;
    return find(std::move(w));
}

QImage TrialCrops::find(Wanted w)
{
    if (const auto made = m_made.find(w.key); made != m_made.end()) return made->second;
    std::erase_if(m_wanted, [&](const Wanted& other) { return other.key == w.key; });
    m_wanted.push_back(std::move(w));
    if (m_wanted.size() > kQueue) m_wanted.pop_front(); // long out of view
    next();
    return {};
}

void TrialCrops::next()
{
    if (m_working || m_wanted.empty()) return;
    m_working = true;
    const Wanted w = std::move(m_wanted.back());
    m_wanted.pop_back();
    m_job.ask([this, w, cache = m_session.captures(), naming = m_session.recipe().pictures]() -> LatestJob::Answer {
        QImage made;
        if (const auto capture = cache->get(w.picture, naming)) made = cut((*capture)->first(), w.at, w.half, w.turn);
        return [this, key = w.key, made] {
            m_working = false;
            if (m_made.size() >= kMost) m_made.erase(m_made.begin());
            m_made[key] = made; // also when it cannot be read: it is not asked for again
            emit came();
            next();
        };
    });
}

} // namespace desktop

#include "desktop/trial_crops.h"

#include "inspect/worst.h"
#include "report/sheet_painter.h"
#include "report/theme.h"

#include <QPainter>
#include <algorithm>
#include <cmath>

namespace desktop
{

namespace
{
constexpr std::size_t kMost = 800, kQueue = 120;

QImage cut(const image::Image& pixels, geometry::Point at, double half, double turn)
{
    QImage out(2 * TrialCrops::kWide, 2 * TrialCrops::kHigh, QImage::Format_RGB32);
    out.setDevicePixelRatio(2);
    out.fill(report::lightTheme().hair);
    const QImage all = report::toQImage(pixels);
    QPainter p(&out);
    p.setRenderHint(QPainter::SmoothPixmapTransform);
    p.translate(TrialCrops::kWide / 2.0, TrialCrops::kHigh / 2.0);
    if (half <= 0) {
        const double k = std::min(double(TrialCrops::kWide) / all.width(), double(TrialCrops::kHigh) / all.height());
        const QImage small = all.scaled(int(2 * k * all.width()), int(2 * k * all.height()), Qt::IgnoreAspectRatio,
                                        Qt::SmoothTransformation);
        p.drawImage(QRectF(-k * all.width() / 2, -k * all.height() / 2, k * all.width(), k * all.height()), small);
        return out;
    }
    // Only what is seen is scaled, in steps of two first, so that fine lines stay.
    const double reach = 1.5 * half;
    const QRect part =
        QRect(int(at.x - reach), int(at.y - reach), int(2 * reach), int(2 * reach)).intersected(all.rect());
    if (part.isEmpty()) return out;
    const double k = TrialCrops::kHigh / (2 * half);
    const double finest = std::min(1.0, 2 * k);
    const QImage seen = all.copy(part);
    const QImage small = seen.scaled(std::max(1, int(part.width() * finest)), std::max(1, int(part.height() * finest)),
                                     Qt::IgnoreAspectRatio, Qt::SmoothTransformation);
    p.rotate(geometry::degrees(turn));
    p.scale(k, k);
    p.drawImage(QRectF(part.x() - at.x - 0.5, part.y() - at.y - 0.5, part.width(), part.height()), small);
    return out;
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
        if (const auto capture = cache->get(w.picture, naming))
            made = cut((*capture)->first().pixels, w.at, w.half, w.turn);
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

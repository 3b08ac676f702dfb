#include "desktop/trial_set.h"

namespace desktop
{
using recipe::Trial;

TrialSet::TrialSet(QObject* parent)
    : QObject(parent), m_cache(std::make_shared<inspect::CaptureCache>(std::size_t(1200) << 20))
{
    m_rest.setSingleShot(true);
    m_rest.setInterval(90);
    connect(&m_rest, &QTimer::timeout, this, &TrialSet::runTheRest);
    m_runner = std::make_unique<inspect::TrialRunner>(
        [this](int generation, inspect::PictureResult result) {
            auto shared = std::make_shared<inspect::PictureResult>(std::move(result));
            QMetaObject::invokeMethod(
                this, [this, generation, shared] { received(generation, std::move(*shared)); }, Qt::QueuedConnection);
        },
        m_cache);
}

TrialSet::~TrialSet() { m_runner.reset(); }

void TrialSet::clear()
{
    m_results.clear();
    m_stale.clear();
    m_stamps.clear();
}

void TrialSet::wait(const std::vector<Trial>& trials)
{
    ++m_generation; // answers that are under way are an earlier recipe's
    m_rest.stop();
    m_runner->run(m_prepared, {}, m_generation, "");
    for (const Trial& t : trials) m_stale.insert(t.picture);
}

bool TrialSet::holds(const std::string& picture) const
{
    const auto it = m_results.find(picture);
    return it != m_results.end() && (it->second.error || inspect::complete(*m_prepared, it->second));
}

void TrialSet::follow(std::shared_ptr<const inspect::Prepared> prepared, const std::string& first, bool onlyFirst)
{
    // A picture that could not be read under other names may be one now.
    if (m_prepared && m_prepared->recipe().pictures != prepared->recipe().pictures)
        std::erase_if(m_results, [](const auto& r) { return r.second.error.has_value(); });
    m_prepared = std::move(prepared);
    m_first = first;
    ++m_generation;
    std::vector<std::string> work;
    m_stale.clear();
    for (const Trial& t : m_prepared->recipe().trials)
        if (holds(t.picture)) {
            inspect::judge(m_prepared->recipe(), m_results.at(t.picture));
        } else {
            work.push_back(t.picture);
            m_stale.insert(t.picture);
        }
    m_rest.stop();
    if (onlyFirst && work.size() > 1 && !first.empty()) {
        const bool inWork = m_stale.count(first) > 0;
        m_runner->run(m_prepared, inWork ? std::vector<std::string>{first} : std::vector<std::string>{}, m_generation,
                      first);
        m_rest.start();
    } else {
        m_runner->run(m_prepared, std::move(work), m_generation, first);
    }
}

void TrialSet::resume()
{
    if (m_rest.isActive()) m_rest.start(0);
}

void TrialSet::runTheRest()
{
    std::vector<std::string> work;
    for (const Trial& t : m_prepared->recipe().trials)
        if (!holds(t.picture)) work.push_back(t.picture);
    m_runner->run(m_prepared, std::move(work), m_generation, m_first);
}

void TrialSet::received(int generation, inspect::PictureResult result)
{
    if (generation != m_generation) return; // a newer recipe is already at work
    const std::string picture = result.picture;
    m_stale.erase(picture);
    m_stamps.try_emplace(picture, image::stampOf(m_prepared->recipe().pictures, picture));
    m_results[picture] = std::move(result);
    emit arrived(picture);
}

const inspect::PictureResult* TrialSet::result(const std::string& picture) const
{
    return m_stale.count(picture) ? nullptr : earlier(picture);
}
const inspect::PictureResult* TrialSet::earlier(const std::string& picture) const
{
    const auto it = m_results.find(picture);
    return it == m_results.end() ? nullptr : &it->second;
}

std::vector<std::string> TrialSet::writtenSince()
{
    std::vector<std::string> out;
    if (!m_prepared) return out;
    for (const Trial& t : m_prepared->recipe().trials) {
        const auto known = m_stamps.find(t.picture);
        if (known == m_stamps.end() || known->second == image::stampOf(m_prepared->recipe().pictures, t.picture))
            continue;
        m_stamps.erase(known);
        m_results.erase(t.picture);
        m_runner->forget(t.picture);
        out.push_back(t.picture);
    }
    return out;
}

} // namespace desktop

#include "inspect/trials.h"

#include "base/files.h"

#include <sys/resource.h>
#include <unistd.h>

namespace inspect
{

CapturePtr CaptureCache::known(const std::string& path, const std::string& stamp, const image::Naming& naming)
{
    for (auto it = m_entries.begin(); it != m_entries.end(); ++it)
        if (it->path == path && it->stamp == stamp && it->naming == naming) {
            m_entries.splice(m_entries.begin(), m_entries, it);
            return m_entries.front().capture;
        }
    return nullptr;
}

CapturePtr CaptureCache::peek(const std::string& path, const image::Naming& naming)
{
    const std::string stamp = image::stampOf(naming, path);
    const std::lock_guard lock(m_mutex);
    return known(path, stamp, naming);
}

base::Result<CapturePtr> CaptureCache::get(const std::string& path, const image::Naming& naming)
{
    const std::string stamp = image::stampOf(naming, path);
    {
        std::unique_lock lock(m_mutex);
        m_loaded.wait(lock, [&] { return m_loading.count(path) == 0; });
        if (auto there = known(path, stamp, naming)) return there;
        m_loading.insert(path);
    }
    forget(path);
    auto loaded = image::loadCapture(path, naming);
    const std::lock_guard lock(m_mutex);
    m_loading.erase(path);
    m_loaded.notify_all();
    if (!loaded) return base::passOn(loaded.error());
    auto capture = std::make_shared<const image::Capture>(std::move(*loaded));
    m_entries.push_front({path, stamp, naming, capture});
    m_used += capture->byteCount();
    while (m_used > m_memory && m_entries.size() > 1) {
        m_used -= m_entries.back().capture->byteCount();
        m_entries.pop_back();
    }
    return capture;
}

void CaptureCache::forget(const std::string& path)
{
    const std::lock_guard lock(m_mutex);
    m_entries.remove_if([&](const Entry& e) {
        if (e.path != path) return false;
        m_used -= e.capture->byteCount();
        return true;
    });
}

TrialRunner::TrialRunner(Callback callback, std::shared_ptr<CaptureCache> cache, int threads)
    : m_callback(std::move(callback)), m_cache(std::move(cache))
{
    if (threads <= 0) threads = int(std::max(1u, std::thread::hardware_concurrency()));
    for (int i = 0; i < threads; ++i) m_threads.emplace_back([this] { work(); });
}

void TrialRunner::forget(const std::string& picture)
{
    const std::lock_guard lock(m_mutex);
    m_results.erase(picture);
}

TrialRunner::~TrialRunner()
{
    {
        const std::lock_guard lock(m_mutex);
        m_stop = true;
        if (m_cancel) *m_cancel = true;
    }
    m_wake.notify_all();
    for (auto& t : m_threads) t.join();
}

void TrialRunner::run(std::shared_ptr<const Prepared> prepared, std::vector<std::string> pictures, int generation,
                      const std::string& first)
{
    {
        const std::lock_guard lock(m_mutex);
        if (m_cancel) *m_cancel = true;
        m_cancel = std::make_shared<std::atomic<bool>>(false);
        m_prepared = std::move(prepared);
        m_generation = generation;
        m_queue.clear();
        for (std::string& p : pictures)
            if (p == first) m_queue.push_front(std::move(p));
            else m_queue.push_back(std::move(p));
    }
    m_wake.notify_all();
}

void TrialRunner::wait()
{
    std::unique_lock lock(m_mutex);
    m_idle.wait(lock, [this] { return m_queue.empty() && m_busy == 0; });
}

void TrialRunner::work()
{
    // The person's own clicks and drags go first: on Linux a nice value belongs to the thread.
    (void)::setpriority(PRIO_PROCESS, id_t(::gettid()), 5);
    std::unique_lock lock(m_mutex);
    for (;;) {
        m_wake.wait(lock, [this] { return m_stop || !m_queue.empty(); });
        if (m_stop) return;
        const std::string picture = std::move(m_queue.front());
        m_queue.pop_front();
        const auto prepared = m_prepared;
        const auto cancel = m_cancel;
        const int generation = m_generation;
        const auto known = m_results.find(picture);
        const auto before = known == m_results.end() ? nullptr : known->second;
        ++m_busy;
        lock.unlock();

        PictureResult result;
        if (before && complete(*prepared, *before)) {
            result = *before;
            judge(prepared->recipe(), result);
        } else if (auto capture = m_cache->get(picture, prepared->recipe().pictures); capture) {
            result = evaluate(*prepared, **capture, before.get(), cancel.get());
        } else {
            result.picture = picture;
            result.error = capture.error().text();
        }
        result.picture = picture;

        if (!result.cancelled) {
            {
                const std::lock_guard keep(m_mutex);
                m_results[picture] = std::make_shared<const PictureResult>(result);
            }
            const std::lock_guard one(m_callbackMutex);
            m_callback(generation, std::move(result));
        }
        lock.lock();
        --m_busy;
        if (m_queue.empty() && m_busy == 0) m_idle.notify_all();
    }
}

} // namespace inspect

#include "station/station.h"

#include "base/text.h"
#include "image/decode.h"

#include <algorithm>
#include <chrono>

namespace station
{
namespace
{
constexpr std::size_t kWaiting = 16;  // inspected and not logged yet
constexpr std::size_t kNotes = 10000; // kept while the log cannot be written
constexpr std::chrono::seconds kNoteAgain(2), kFastAgain(3);
} // namespace

Station::Station(std::vector<std::unique_ptr<Sink>> sinks, std::vector<std::unique_ptr<Output>> outputs,
                 Listener listener, Threads threads, base::FileSystem& files)
    : m_listener(std::move(listener)), m_threadsWanted(threads), m_sinks(std::move(sinks)), m_files(files)
{
    setOutputs(std::move(outputs));
    const int workers =
        threads.inspecting > 0 ? threads.inspecting : int(std::max(1u, std::thread::hardware_concurrency()));
    m_threads.emplace_back([this] { acquire(); });
    for (int i = 0; i < workers; ++i) m_threads.emplace_back([this] { inspect(); });
    m_logger = std::jthread([this] { log(); });
}

Station::~Station()
{
    {
        const std::lock_guard lock(m_mutex);
        m_quit = true;
        m_running = false;
        m_wake.notify_all();
    }
    m_threads.clear(); // acquire closes the queue, the others empty it
    {
        const std::lock_guard lock(m_mutex);
        m_inspected = true;
        m_ready.notify_all();
    }
    m_logger = {};
    m_tellers.reset();
}

void Station::setOutputs(std::vector<std::unique_ptr<Output>> outputs)
{
    std::shared_ptr<Tellers> before;
    {
        const std::lock_guard lock(m_mutex);
        before = std::exchange(m_tellers, std::make_shared<Tellers>());
        for (const auto& t : *before) m_untoldBefore += t->lost();
    }
    std::vector<std::string> gone;
    for (const auto& t : *before) gone.push_back(t->name());
    before.reset(); // a port is free again before somebody else asks for it
    for (const std::string& name : gone) over(name), over(name + Teller::kQueue);
    auto next = std::make_shared<Tellers>();
    for (auto& output : outputs)
        next->push_back(
            std::make_unique<Teller>(std::move(output), [this](const std::string& what, const std::string& message) {
                message.empty() ? over(what) : say(what, message);
            }));
    const std::lock_guard lock(m_mutex);
    m_tellers = std::move(next);
}

void Station::setLine(LinePtr line)
{
    const std::lock_guard lock(m_mutex);
    m_line = std::move(line);
}
LinePtr Station::line() const
{
    const std::lock_guard lock(m_mutex);
    return m_line;
}
void Station::setSource(std::shared_ptr<PictureSource> source)
{
    const std::lock_guard lock(m_mutex);
    m_source = std::move(source);
}
void Station::setPause(int milliseconds)
{
    const std::lock_guard lock(m_mutex);
    m_pause = milliseconds;
    m_wake.notify_all();
}
bool Station::running() const
{
    const std::lock_guard lock(m_mutex);
    return m_running;
}
Station::Counts Station::counts() const
{
    const std::lock_guard lock(m_mutex);
    Counts out = m_counts;
    out.untold = m_untoldBefore;
    for (const auto& t : *m_tellers) out.untold += t->lost();
    return out;
}
void Station::start()
{
    {
        const std::lock_guard lock(m_mutex);
        m_givenUp = false;
    }
    setRunning(true);
}
void Station::stop()
{
    {
        const std::lock_guard lock(m_mutex);
        m_givenUp = true; // nobody waits any more for what does not come
    }
    setRunning(false);
}
void Station::setRunning(bool on)
{
    {
        const std::lock_guard lock(m_mutex);
        if (m_running == on) return;
        m_running = on;
        m_wake.notify_all();
    }
    if (on) over("line");
    if (m_listener.runningChanged) m_listener.runningChanged(on);
}
void Station::takeOne()
{
    const std::lock_guard lock(m_mutex);
    m_givenUp = false;
    ++m_wanted;
    m_wake.notify_all();
}
bool Station::settled() const { return !m_running && m_wanted == 0 && !m_taking && m_counts.logged == m_counts.taken; }
void Station::settle()
{
    std::unique_lock lock(m_mutex);
    m_settled.wait(lock, [this] { return settled(); });
}
bool Station::settle(std::chrono::milliseconds most)
{
    std::unique_lock lock(m_mutex);
    return m_settled.wait_for(lock, most, [this] { return settled(); });
}
void Station::say(const std::string& what, const std::string& message)
{
    bool begins = false;
    {
        const std::lock_guard lock(m_mutex);
        begins = m_troubled.insert(what).second;
    }
    if (begins) note({{}, {}, "fault", QString::fromStdString(what), {}, QString::fromStdString(message), 0});
    if (m_listener.trouble) m_listener.trouble(what, message);
}
void Station::over(const std::string& what)
{
    {
        const std::lock_guard lock(m_mutex);
        if (m_troubled.erase(what) == 0) return;
    }
    note({{}, {}, "fault over", QString::fromStdString(what), {}, {}, 0});
    if (m_listener.over) m_listener.over(what);
}
void Station::note(records::EventRow event)
{
    if (event.at.isEmpty()) event.at = QString::fromStdString(records::nowUtc());
    const std::lock_guard lock(m_mutex);
    if (m_sinks.empty()) return; // nobody keeps it
    if (m_notes.size() < kNotes) m_notes.push_back(std::move(event));
    m_ready.notify_all();
}

// ---------------------------------------------------------------- acquire
void Station::acquire()
{
    using Clock = std::chrono::steady_clock;
    auto last = Clock::now() - std::chrono::hours(1);
    std::unique_lock lock(m_mutex);
    while (!m_quit) {
        m_taking = false;
        m_settled.notify_all();
        m_wake.wait(lock, [this] { return m_quit || m_running || m_wanted > 0; });
        if (m_quit) break;
        if (m_wanted > 0) {
            --m_wanted;
        } else {
            // A live source has a pace of its own.
            const auto due = last + std::chrono::milliseconds(m_source && m_source->live() ? 0 : m_pause);
            if (Clock::now() < due) {
                m_wake.wait_until(lock, due);
                continue;
            }
        }
        m_taking = true;
        const LinePtr line = m_line;
        const auto source = m_source;
        lock.unlock();
        last = Clock::now();
        if (line && source) {
            takeShot(line, *source);
        } else {
            setRunning(false);
            say("camera", "no recipe or no source chosen");
        }
        lock.lock();
    }
    lock.unlock();
    m_taken.close();
}

void Station::takeShot(const LinePtr& line, PictureSource& source)
{
    const bool ran = running();
    const auto asked = std::chrono::steady_clock::now();
    source.prepare(line->release->recipe());
    auto shot = source.next(line->release->recipe().picturesTaken());
    const auto wanted = [&] {
        const std::lock_guard lock(m_mutex);
        return !m_quit && !m_givenUp && (m_running || !ran) && m_line == line;
    };
    while (shot && shot->nothing() && wanted()) shot = source.next(line->release->recipe().picturesTaken());
    if (shot && shot->nothing()) { // asked for in vain; with another recipe it is asked again
        const std::lock_guard lock(m_mutex);
        if (!ran && !m_quit && !m_givenUp) ++m_wanted;
        return;
    }
    if (!shot) {
        setRunning(false);
        if (m_listener.ended) m_listener.ended(source.name());
        return;
    }
    Taken taken;
    taken.line = line;
    taken.shot = std::move(*shot);
    taken.at = records::nowUtc();
    taken.triggered = taken.shot.triggered.value_or(asked);
    const bool live = source.live();
    {
        const std::lock_guard lock(m_mutex);
        taken.number = m_counts.taken + 1;
        ++m_counts.taken;
    }
    if (!live) {
        m_taken.push(std::move(taken));
    } else if (!m_taken.offer(std::move(taken))) {
        std::uint64_t lost = 0;
        {
            const std::lock_guard lock(m_mutex);
            --m_counts.taken; // its number goes to the next one
            lost = ++m_counts.tooSlow;
            m_tooSlowAt = std::chrono::steady_clock::now();
        }
        say("speed",
            "too slow: " + std::to_string(lost) + (lost == 1 ? " picture was" : " pictures were") + " not inspected");
    } else if (std::chrono::steady_clock::now() > m_tooSlowAt + kFastAgain) {
        over("speed");
    }
}

// ---------------------------------------------------------------- inspect
void Station::inspect()
{
    while (auto taken = m_taken.pop()) {
        Inspected item;
        Shot& shot = taken->shot;
        item.capture = shot.ready;
        if (!item.capture && !shot.error) {
            auto made = image::captureOf(taken->line->release->recipe().pictures, shot.files, shot.id);
            if (made) item.capture = std::make_shared<const image::Capture>(std::move(*made));
            else shot.error = made.error();
        }
        inspect::PictureResult result;
        if (item.capture)
            result = inspect::evaluate(*taken->line->release->prepared, *item.capture, nullptr, nullptr,
                                       m_threadsWanted.eachItem);
        result.picture = shot.id;
        if (shot.error) result.error = shot.error->text();
        item.result = std::make_shared<const inspect::PictureResult>(std::move(result));
        if (!m_sinks.empty())
            for (const image::FileBytes& f : shot.files) item.hashes.push_back(base::sha256(*f.bytes));
        item.taken = std::move(*taken);
        if (m_listener.inspected) m_listener.inspected(item);
        std::unique_lock lock(m_mutex);
        const std::uint64_t number = item.taken.number;
        // Whose turn it is never waits, so that the others' turn comes.
        m_room.wait(lock, [&] { return number < m_next + kWaiting; });
        m_done.emplace(number, std::move(item));
        m_ready.notify_one();
    }
}

// ---------------------------------------------------------------- log
void Station::log()
{
    std::unique_lock lock(m_mutex);
    for (;;) {
        const auto due = [this] {
            return m_done.count(m_next) > 0 || (m_inspected && m_done.empty()) ||
                   (!m_notes.empty() && std::chrono::steady_clock::now() >= m_noteAgain);
        };
        if (m_notes.empty()) m_ready.wait(lock, due);
        else m_ready.wait_until(lock, m_noteAgain, due);
        writeNotes(lock);
        std::vector<Inspected> items;
        for (auto it = m_done.find(m_next); it != m_done.end() && it->first == m_next; it = m_done.erase(it)) {
            items.push_back(std::move(it->second));
            ++m_next;
        }
        if (items.empty() && !(m_inspected && m_done.empty())) continue;
        if (items.empty()) {
            m_noteAgain = {};
            writeNotes(lock); // what came last
            m_notes.clear();
            const auto sinks = std::exchange(m_sinks, {}); // on the thread that used them
            lock.unlock();
            return;
        }
        m_room.notify_all();
        lock.unlock();
        writeDown(std::move(items));
        lock.lock();
    }
}

// In their order; what cannot be written now is written later.
void Station::writeNotes(std::unique_lock<std::mutex>& lock)
{
    while (!m_notes.empty() && std::chrono::steady_clock::now() >= m_noteAgain) {
        const records::EventRow event = m_notes.front();
        lock.unlock();
        bool written = true;
        for (const auto& sink : m_sinks) written = sink->note(event).has_value() && written;
        lock.lock();
        if (!written) {
            m_noteAgain = std::chrono::steady_clock::now() + kNoteAgain;
            return;
        }
        m_notes.pop_front();
    }
}

records::Entry Station::entryOf(const Inspected& item)
{
    const Line& line = *item.taken.line;
    records::Entry e;
    e.release = line.release;
    e.result = item.result;
    e.at = item.taken.at;
    e.batch = line.batch;
    e.station = line.station;
    if (!item.capture) {
        e.pictures.push_back({"", item.hashes.empty() ? "" : item.hashes.front(), "", "could not be read"});
        return e;
    }
    const char* why = line.keep == records::Keep::None                                  ? "no pictures are kept"
                      : line.keep == records::Keep::Rejects && !item.result->rejected() ? "only rejects are kept"
                      : line.keep == records::Keep::EveryNth && !item.result->rejected() &&
                              item.taken.number % std::uint64_t(std::max(1, line.keepEvery)) != 0
                          ? "only rejects and one of so many are kept"
                          : nullptr;
    bool stored = true;
    for (std::size_t i = 0; i < item.capture->pictures().size(); ++i) {
        const image::Picture& picture = item.capture->pictures()[i];
        records::EntryPicture out{picture.key, i < item.hashes.size() ? item.hashes[i] : "", "", why ? why : ""};
        if (!why) {
            auto kept = records::PictureStore(m_files, line.pictures).keep(picture, out.hash);
            if (kept) {
                out.kept = kept->path;
                out.hash = kept->hash;
                if (line.mostPictures > 0) {
                    m_bound.added(line.pictures, kept->path);
                    m_bound.enforce(line.mostPictures);
                }
            } else {
                out.notKept = kept.error().text();
                say("pictures", out.notKept);
                stored = false;
            }
        }
        e.pictures.push_back(std::move(out));
    }
    if (!why && stored) over("pictures");
    return e;
}

void Station::writeDown(std::vector<Inspected> items)
{
    std::vector<records::Entry> entries;
    for (const Inspected& item : items) entries.push_back(entryOf(item));
    std::vector<std::vector<long long>> ids(entries.size());
    std::vector<bool> saved(entries.size(), !m_sinks.empty());
    for (const auto& sink : m_sinks) {
        std::vector<std::vector<long long>> given;
        auto ok = sink->write(entries, given);
        if (ok) {
            if (!given.empty()) ids = std::move(given);
            over(sink->name());
            continue;
        }
        // One by one: what can be written is.
        std::string why = entries.size() == 1 ? ok.error().text() : std::string();
        for (std::size_t i = 0; i < entries.size(); ++i) {
            if (entries.size() > 1) {
                given.clear();
                ok = sink->write({entries[i]}, given);
                if (ok && !given.empty()) ids[i] = std::move(given.front());
                if (!ok) why = ok.error().text();
            }
            if (!ok) saved[i] = false;
        }
        if (!why.empty()) say(sink->name(), why);
    }
    for (std::size_t i = 0; i < items.size(); ++i)
        if (!m_sinks.empty() && !saved[i] && items[i].taken.line->release->recipe().stopUnsaved && running()) {
            setRunning(false);
            say("line", "stopped: " + items[i].taken.shot.id + " could not be saved, and the recipe says to stop then");
        }
    for (std::size_t i = 0; i < items.size(); ++i) {
        Logged logged{std::move(items[i]), std::move(ids[i]), saved[i], !m_sinks.empty() && !saved[i]};
        logged.milliseconds = std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() -
                                                                        logged.inspected.taken.triggered)
                                  .count();
        const bool unreadable = logged.result().error.has_value();
        if (unreadable) say("camera", *logged.result().error);
        else over("camera");
        if (m_listener.logged) m_listener.logged(logged);
        std::shared_ptr<Tellers> tellers;
        {
            const std::lock_guard lock(m_mutex);
            tellers = m_tellers;
        }
        for (const auto& t : *tellers) t->tell(logged);
        tellers.reset();
        const std::lock_guard lock(m_mutex);
        ++m_counts.logged;
        m_counts.unreadable += unreadable;
        m_counts.unsaved += logged.unsaved;
        m_settled.notify_all();
    }
}

} // namespace station

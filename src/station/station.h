// station.h - the line: acquire, inspect on all cores, put in order, log, tell.
//
//   Source ──► acquire ──4──► inspect × k ──► in order ──16──► log ──► outputs, the screen
//
// Promise  onLogged is called in the order of the triggers, after every sink was asked; `records` and `saved` say what
//          is on disk. A picture that cannot be read, and a sink that cannot be written, are said, counted and logged
//          where they can be; the line goes on. What is put on the line is valid from the next shot; each item keeps
//          the line it was taken under. A full queue holds up the stage before it; only a live source loses shots then,
//          the newest, and they are counted.
// Threads  everything may be called from any thread, not from within the callbacks; those run on the line's threads (no
//          event loop is needed).
#pragma once
#include "station/outputs.h"
#include "station/sinks.h"
#include "station/source.h"

#include <chrono>
#include <deque>
#include <map>
#include <set>

namespace station
{

class Station
{
public:
    struct Listener {
        std::function<void(const Inspected&)> inspected; // on the inspecting threads, several at once
        std::function<void(const Logged&)> logged;
        // what: "camera", "records", "table", "pictures", "speed", "line", an output. Each begins in trouble once and
        // is over once; what is said meanwhile of the same is another message.
        std::function<void(const std::string& what, const std::string& message)> trouble;
        std::function<void(bool)> runningChanged;
        std::function<void(const std::string& source)> ended; // it has no more pictures; the line stopped
        std::function<void(const std::string& what)> over{};  // the trouble of before
    };
    struct Threads {
        int inspecting = 0, eachItem = 1; // 0: one per core
    };
    // `sinks` are asked in this order.
    Station(std::vector<std::unique_ptr<Sink>> sinks, std::vector<std::unique_ptr<Output>> outputs, Listener listener,
            Threads threads, base::FileSystem& files = base::realFiles());
    ~Station(); // what was taken is logged before it ends
    Station(const Station&) = delete;
    Station& operator=(const Station&) = delete;

    void setLine(LinePtr line);
    LinePtr line() const;
    void setSource(std::shared_ptr<PictureSource> source);
    // Others are told from the next item on; those before are told what waits, and end first.
    void setOutputs(std::vector<std::unique_ptr<Output>> outputs);
    // What somebody did: written by the sinks that keep it, in order, and again when it could not be. Faults and their
    // end are written by the line itself.
    void note(records::EventRow event);
    void setPause(int milliseconds); // least time from shot to shot of a source that is not live; takeOne does not wait
    void start();
    void takeOne();
    void stop();
    bool running() const;
    void settle();                               // waits until it does not run and all that was taken is logged
    bool settle(std::chrono::milliseconds most); // false: it was not in that time

    struct Counts {
        // untold: to a slow output
        std::uint64_t taken = 0, logged = 0, unreadable = 0, unsaved = 0, tooSlow = 0, untold = 0;
    };
    Counts counts() const;

private:
    void acquire();
    void takeShot(const LinePtr& line, PictureSource& source);
    void inspect();
    void log();
    void writeDown(std::vector<Inspected> items);
    records::Entry entryOf(const Inspected& item);
    void say(const std::string& what, const std::string& message);
    void setRunning(bool on);

    bool settled() const; // under the mutex
    void over(const std::string& what);
    void writeNotes(std::unique_lock<std::mutex>& lock);

    const Listener m_listener;
    const Threads m_threadsWanted;
    std::vector<std::unique_ptr<Sink>> m_sinks;
    base::FileSystem& m_files;
    using Tellers = std::vector<std::unique_ptr<Teller>>;
    std::shared_ptr<Tellers> m_tellers = std::make_shared<Tellers>();
    std::uint64_t m_untoldBefore = 0; // by outputs that are no more
    Queue<Taken> m_taken{4};

    mutable std::mutex m_mutex;
    std::condition_variable m_wake, m_ready, m_settled, m_room;
    LinePtr m_line;
    std::shared_ptr<PictureSource> m_source;
    int m_pause = 0, m_wanted = 0;
    bool m_givenUp = false; // stopped: a shot that is waited for is waited for no longer
    bool m_running = false, m_quit = false, m_taking = false, m_inspected = false; // m_inspected: nothing more comes
    std::map<std::uint64_t, Inspected> m_done;                                     // by number, until their turn
    // number whose turn it is to be logged
    std::uint64_t m_next = 1;
    Counts m_counts;
    std::set<std::string> m_troubled;      // what is in trouble now
    std::deque<records::EventRow> m_notes; // not written yet
    records::PictureBound m_bound;         // of the logging thread
    std::chrono::steady_clock::time_point m_noteAgain{}, m_tooSlowAt{};
    std::vector<std::jthread> m_threads;
    std::jthread m_logger;
};

} // namespace station

// trials.h - the set: many pictures through one recipe on all cores, answers as they come, newest recipe first.
//
// Input   setRecipe(), setPictures(); both may be called at any time and return at once.
// Output  the callback gets a picture's result, with the generation of the recipe that gave it. It is called on a
//         worker thread, never two at once, and not after the destructor began.
// Threads pictures that are complete under the new recipe are judged anew without being opened; decoded pictures are
// kept up to `memory` bytes.
#pragma once
#include "inspect/inspect.h"

#include <condition_variable>
#include <deque>
#include <list>
#include <set>
#include <thread>

namespace inspect
{

using CapturePtr = std::shared_ptr<const image::Capture>;

// Decoded pictures, least recently used first out; one whose file was written since is read anew.
class CaptureCache
{
public:
    explicit CaptureCache(std::size_t memory) : m_memory(memory) {}
    // The capture this file belongs to by the recipe's naming. Threads: any.
    base::Result<CapturePtr> get(const std::string& path, const image::Naming& naming);
    // Only when it is there already; null: it is not.
    CapturePtr peek(const std::string& path, const image::Naming& naming);
    void forget(const std::string& path);

private:
    CapturePtr known(const std::string& path, const std::string& stamp, const image::Naming& naming);
    struct Entry {
        std::string path, stamp;
        image::Naming naming;
        CapturePtr capture;
    };
    std::mutex m_mutex;
    std::condition_variable m_loaded;
    std::set<std::string> m_loading; // somebody is at it: others wait instead of reading it twice
    std::list<Entry> m_entries;      // newest first
    std::size_t m_memory, m_used = 0;
};

class TrialRunner
{
public:
    using Callback = std::function<void(int generation, PictureResult)>;
    explicit TrialRunner(Callback callback, std::shared_ptr<CaptureCache> cache, int threads = 0);
    ~TrialRunner();

    // Starts over with these pictures under this recipe; `first` is answered before the others. Earlier results are
    // used where they hold.
    void run(std::shared_ptr<const Prepared> prepared, std::vector<std::string> pictures, int generation,
             const std::string& first);
    void forget(const std::string& picture); // its earlier result holds no more: the picture is another one
    // Blocks until nothing is left to do; for the command line and tests.
    void wait();

private:
    void work();

    Callback m_callback;
    std::shared_ptr<CaptureCache> m_cache;
    std::mutex m_mutex, m_callbackMutex;
    std::condition_variable m_wake, m_idle;
    std::deque<std::string> m_queue;
    std::map<std::string, std::shared_ptr<const PictureResult>> m_results;
    std::shared_ptr<const Prepared> m_prepared;
    std::shared_ptr<std::atomic<bool>> m_cancel;
    int m_generation = 0, m_busy = 0;
    bool m_stop = false;
    std::vector<std::thread> m_threads;
};

} // namespace inspect

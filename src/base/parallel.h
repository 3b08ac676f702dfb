// parallel.h - runs independent jobs on all cores; order of results never depends on the number of threads.
#pragma once
#include <algorithm>
#include <atomic>
#include <functional>
#include <thread>
#include <vector>

namespace base
{

// Calls job(0) .. job(count-1), each once, on at most `threads` threads (0: one per core). Returns when all are done.
inline void parallelFor(int count, int threads, const std::function<void(int)>& job)
{
    if (threads <= 0) threads = int(std::max(1u, std::thread::hardware_concurrency()));
    threads = std::min(threads, count);
    if (threads <= 1) {
        for (int i = 0; i < count; ++i) job(i);
        return;
    }
    std::atomic<int> next{0};
    const auto work = [&] {
        for (int i = next++; i < count; i = next++) job(i);
    };
    std::vector<std::thread> pool;
    for (int t = 1; t < threads; ++t) pool.emplace_back(work);
    work();
    for (auto& t : pool) t.join();
}

} // namespace base

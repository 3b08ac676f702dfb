// queue.h - a bounded queue between two stages of the line.
#pragma once
#include <condition_variable>
#include <deque>
#include <mutex>
#include <optional>

namespace station
{

template <class T> class Queue
{
public:
    explicit Queue(std::size_t most) : m_most(most) {}
    // Waits for room. False: the queue was closed, nothing was taken.
    bool push(T value)
    {
        std::unique_lock lock(m_mutex);
        m_room.wait(lock, [&] { return m_closed || m_values.size() < m_most; });
        if (m_closed) return false;
        m_values.push_back(std::move(value));
        m_there.notify_one();
        return true;
    }
    // Does not wait. False: full or closed.
    bool offer(T value)
    {
        const std::lock_guard lock(m_mutex);
        if (m_closed || m_values.size() >= m_most) return false;
        m_values.push_back(std::move(value));
        m_there.notify_one();
        return true;
    }
    // Waits for a value; nothing: closed and empty.
    std::optional<T> pop()
    {
        std::unique_lock lock(m_mutex);
        m_there.wait(lock, [&] { return m_closed || !m_values.empty(); });
        if (m_values.empty()) return {};
        T value = std::move(m_values.front());
        m_values.pop_front();
        m_room.notify_one();
        return value;
    }
    // What is in it is still given out; nothing more is taken.
    void close()
    {
        const std::lock_guard lock(m_mutex);
        m_closed = true;
        m_there.notify_all();
        m_room.notify_all();
    }

private:
    const std::size_t m_most;
    std::mutex m_mutex;
    std::condition_variable m_room, m_there;
    std::deque<T> m_values;
    bool m_closed = false;
};

} // namespace station

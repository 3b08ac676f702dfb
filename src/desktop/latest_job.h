// latest_job.h - work off the window's thread of which only the newest counts.
//
// Threads  ask(), wait() and the answers belong to the thread of the owner; the work runs on one other thread.
#pragma once
#include "base/zip.h"

#include <QApplication>
#include <QEventLoop>
#include <QObject>
#include <QProgressDialog>
#include <QTimer>
#include <condition_variable>
#include <functional>
#include <mutex>
#include <optional>
#include <thread>

namespace desktop
{

class LatestJob : public QObject
{
public:
    using Answer = std::function<void()>;
    using Work = std::function<Answer()>;
    explicit LatestJob(QObject* parent = nullptr) : QObject(parent), m_thread([this] { run(); }) {}
    ~LatestJob() override
    {
        {
            const std::lock_guard lock(m_mutex);
            m_stop = true;
            m_work = nullptr;
        }
        m_wake.notify_all();
        m_thread.join();
    }
    // `work` runs on the other thread; what it returns runs on this one, unless something was asked since.
    void ask(Work work)
    {
        const std::lock_guard lock(m_mutex);
        m_work = std::move(work);
        ++m_asked;
        m_wake.notify_all();
    }
    void drop() // what is at work answers no more
    {
        const std::lock_guard lock(m_mutex);
        m_work = nullptr;
        ++m_asked;
    }
    bool busy() const
    {
        const std::lock_guard lock(m_mutex);
        return m_busy || m_work;
    }
    void wait() // until nothing is at work; the answer may still be on its way
    {
        std::unique_lock lock(m_mutex);
        m_idle.wait(lock, [this] { return !m_busy && !m_work; });
    }

private:
    void run()
    {
        std::unique_lock lock(m_mutex);
        for (;;) {
            m_wake.wait(lock, [this] { return m_stop || m_work; });
            if (m_stop) return;
            const Work work = std::exchange(m_work, nullptr);
            const int number = m_asked;
            m_busy = true;
            lock.unlock();
            Answer answer = work();
            QMetaObject::invokeMethod(
                this,
                [this, number, answer = std::move(answer)] {
                    if (number == m_asked && answer) answer();
                },
                Qt::QueuedConnection);
            lock.lock();
            m_busy = false;
            m_idle.notify_all();
        }
    }

    mutable std::mutex m_mutex;
    std::condition_variable m_wake, m_idle;
    Work m_work;
    int m_asked = 0; // written on the owner's thread only
    bool m_busy = false, m_stop = false;
    std::thread m_thread; // last: it uses the others
};

// Runs `work` on another thread and waits for it while the window goes on painting; what a person does meanwhile waits.
template <class Work> auto awake(Work work) -> decltype(work())
{
    std::optional<decltype(work())> out;
    QEventLoop loop;
    std::thread thread([&] {
        out.emplace(work());
        QMetaObject::invokeMethod(&loop, &QEventLoop::quit, Qt::QueuedConnection);
    });
    loop.exec(QEventLoop::ExcludeUserInputEvents);
    thread.join();
    return std::move(*out);
}

// The same with a bar and a way to stop it when it takes longer than half a second; meanwhile nothing else is done.
template <class Work> auto watched(const QString& what, base::Watch& watch, Work work) -> decltype(work())
{
    std::optional<decltype(work())> out;
    QEventLoop loop;
    bool done = false;
    std::thread thread([&] {
        out.emplace(work());
        QMetaObject::invokeMethod(
            &loop,
            [&] {
                done = true;
                loop.quit();
            },
            Qt::QueuedConnection);
    });
    QTimer::singleShot(500, &loop, &QEventLoop::quit);
    loop.exec(QEventLoop::ExcludeUserInputEvents);
    if (!done) {
        QProgressDialog bar(what, QObject::tr("Stop"), 0, 1000, QApplication::activeWindow());
        bar.setObjectName(QStringLiteral("progress"));
        bar.setWindowModality(Qt::ApplicationModal);
        bar.setMinimumDuration(0);
        bar.setAutoClose(false), bar.setAutoReset(false);
        QTimer look;
        QObject::connect(&bar, &QProgressDialog::canceled, &bar, [&] {
            watch.cancel = true;
            look.stop(); // it would come up again
        });
        QObject::connect(&look, &QTimer::timeout, &bar, [&] { bar.setValue(int(1000 * watch.share)); });
        look.start(60);
        bar.setValue(0);
        bar.show();
        while (!done) loop.exec();
    }
    thread.join();
    return std::move(*out);
}

} // namespace desktop

// background.h - one long piece of work on a thread of its own, with progress and cancel; the window stays awake.
#pragma once
#include <QObject>
#include <QThread>
#include <QTimer>
#include <atomic>
#include <functional>
#include <memory>

namespace desktop
{

class Background : public QObject
{
    Q_OBJECT
public:
    explicit Background(QObject* parent = nullptr) : QObject(parent)
    {
        connect(&m_look, &QTimer::timeout, this, [this] { emit progressed(done, m_of); });
        m_look.setInterval(60);
    }
    ~Background() override { stop(); }
    // `work` runs on another thread and may look at `cancel` and count `done`; `after` runs here unless it was stopped.
    void start(int of, std::function<void()> work, std::function<void()> after)
    {
        stop();
        cancel = false, done = 0, m_of = of;
        m_thread.reset(QThread::create(std::move(work)));
        connect(m_thread.get(), &QThread::finished, this, [this, run = ++m_run, after = std::move(after)] {
            if (run != m_run) return; // of an earlier start, delivered late
            m_look.stop();
            if (cancel) return;
            emit progressed(m_of, m_of);
            after();
        });
        m_thread->start();
        m_look.start();
    }
    void stop()
    {
        cancel = true;
        m_look.stop();
        if (m_thread) m_thread->wait();
    }
    bool running() const { return m_thread && m_thread->isRunning(); }

    std::atomic<bool> cancel{false};
    std::atomic<int> done{0};

signals:
    void progressed(int done, int of);

private:
    std::unique_ptr<QThread> m_thread;
    QTimer m_look;
    int m_of = 0, m_run = 0;
};

} // namespace desktop

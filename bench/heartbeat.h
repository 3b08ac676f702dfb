// heartbeat.h - how long a window did not answer.
#pragma once
#include <QElapsedTimer>
#include <QObject>
#include <QTimer>
#include <algorithm>
#include <utility>

// Fires as often as the event loop lets it; remembers the longest wait.
class Heartbeat : public QObject
{
public:
    Heartbeat()
    {
        m_timer.setTimerType(Qt::PreciseTimer);
        connect(&m_timer, &QTimer::timeout, this, [this] { beat(); });
        m_timer.start(1);
        m_since.start();
    }
    double longest()
    {
        beat();
        return std::exchange(m_longest, 0);
    }

private:
    void beat()
    {
        m_longest = std::max(m_longest, double(m_since.nsecsElapsed()) / 1e6);
        m_since.restart();
    }
    QTimer m_timer;
    QElapsedTimer m_since;
    double m_longest = 0;
};

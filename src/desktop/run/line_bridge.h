// line_bridge.h - the line's callbacks as signals of the window's thread. The line never waits for the window: what is
// not fetched in time is shown late, its picture perhaps not, but it is inspected and logged all the same.
#pragma once
#include "station/station.h"

#include <QObject>

namespace desktop
{

class LineBridge : public QObject
{
    Q_OBJECT
public:
    explicit LineBridge(const QString& logPath, QObject* parent = nullptr);
    ~LineBridge() override;
    station::Station& line() { return *m_station; }
    // Everything logged since the last call, oldest first; only the latest of them still have their pictures.
    std::vector<station::Logged> take();

signals:
    void logged(); // there is something to take
    void trouble(const QString& what, const QString& message);
    void over(const QString& what);
    void runningChanged(bool running);

private:
    std::mutex m_mutex;
    std::vector<station::Logged> m_waiting;
    std::unique_ptr<station::Station> m_station; // last: its threads end first
};

} // namespace desktop

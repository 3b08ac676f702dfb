// run_loop.h - take, inspect, judge, log, show: one item after another on a thread of its own.
//
// Promise  logged() is emitted only after the item's transaction was committed: what is shown as logged is in the log.
//          A picture that cannot be read, and a log that cannot be written, are said and counted; the loop goes on.
// Threads  the slots may be called from any thread; signals arrive through the event loop of the receiver.
#pragma once
#include "inspect/inspect.h"
#include "records/record_log.h"
#include "station/source.h"

#include <QObject>
#include <QThread>
#include <condition_variable>
#include <mutex>

namespace station
{

struct RunItem {
    std::shared_ptr<const image::Capture> capture;
    std::shared_ptr<const inspect::PictureResult> result;
    std::vector<long long> records; // ids in the log; empty when there is none
    QString at;                     // local time, for the screen
};

class RunLoop : public QThread
{
    Q_OBJECT
public:
    explicit RunLoop(QObject* parent = nullptr);
    ~RunLoop() override;

    // Valid from the next item.
    void setRecipe(std::shared_ptr<const inspect::Prepared> prepared);
    void setSource(std::unique_ptr<PictureSource> source);
    void setLog(const QString& databasePath, const QString& csvPath); // empty: none
    void setBatch(const QString& batch);
    void setPause(int milliseconds); // least time from item to item

    void startRunning();
    void takeOne();
    void stopRunning();
    bool running() const;

signals:
    void logged(const station::RunItem& item);
    void trouble(const QString& what, const QString& message); // what: "camera", "records"
    void runningChanged(bool running);

protected:
    void run() override;

private:
    void inspectNext(std::unique_ptr<records::RecordLog>& log, QString& openPath);

    mutable std::mutex m_mutex;
    std::condition_variable m_wake;
    std::shared_ptr<const inspect::Prepared> m_prepared;
    std::shared_ptr<PictureSource> m_source;
    QString m_database, m_csv, m_batch;
    int m_pause = 0, m_wanted = 0;
    bool m_running = false, m_quit = false;
};

} // namespace station
Q_DECLARE_METATYPE(station::RunItem)

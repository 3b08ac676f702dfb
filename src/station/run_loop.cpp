#include "station/run_loop.h"

#include "records/csv.h"

#include <QTime>

namespace station
{

RunLoop::RunLoop(QObject* parent) : QThread(parent)
{
    qRegisterMetaType<station::RunItem>();
    start();
}

RunLoop::~RunLoop()
{
    {
        const std::lock_guard lock(m_mutex);
        m_quit = true;
    }
    m_wake.notify_all();
    wait();
}

void RunLoop::setRecipe(std::shared_ptr<const inspect::Prepared> prepared)
{
    const std::lock_guard lock(m_mutex);
    m_prepared = std::move(prepared);
}
void RunLoop::setSource(std::unique_ptr<PictureSource> source)
{
    const std::lock_guard lock(m_mutex);
    m_source = std::move(source);
}
void RunLoop::setLog(const QString& databasePath, const QString& csvPath)
{
    const std::lock_guard lock(m_mutex);
    m_database = databasePath, m_csv = csvPath;
}
void RunLoop::setBatch(const QString& batch)
{
    const std::lock_guard lock(m_mutex);
    m_batch = batch;
}
void RunLoop::setPause(int milliseconds)
{
    const std::lock_guard lock(m_mutex);
    m_pause = milliseconds;
}
bool RunLoop::running() const
{
    const std::lock_guard lock(m_mutex);
    return m_running;
}
void RunLoop::startRunning()
{
    {
        const std::lock_guard lock(m_mutex);
        if (m_running) return;
        m_running = true;
    }
    emit runningChanged(true);
    m_wake.notify_all();
}
void RunLoop::takeOne()
{
    {
        const std::lock_guard lock(m_mutex);
        ++m_wanted;
    }
    m_wake.notify_all();
}
void RunLoop::stopRunning()
{
    {
        const std::lock_guard lock(m_mutex);
        if (!m_running) return;
        m_running = false;
    }
    emit runningChanged(false);
    m_wake.notify_all();
}

void RunLoop::run()
{
    std::unique_ptr<records::RecordLog> log;
    QString openPath;
    auto last = std::chrono::steady_clock::now() - std::chrono::hours(1);
    std::unique_lock lock(m_mutex);
    while (!m_quit) {
        m_wake.wait(lock, [this] { return m_quit || m_running || m_wanted > 0; });
        if (m_quit) break;
        if (m_wanted > 0) --m_wanted;
        else if (m_wake.wait_until(lock, last + std::chrono::milliseconds(m_pause), [this] { return m_quit || !m_running || m_wanted > 0; }))
            continue;
        lock.unlock();
        last = std::chrono::steady_clock::now();
        inspectNext(log, openPath);
        lock.lock();
    }
}

void RunLoop::inspectNext(std::unique_ptr<records::RecordLog>& log, QString& openPath)
{
    std::shared_ptr<const inspect::Prepared> prepared;
    std::shared_ptr<PictureSource> source;
    QString database, csv, batch;
    {
        const std::lock_guard lock(m_mutex);
        prepared = m_prepared, source = m_source;
        database = m_database, csv = m_csv, batch = m_batch;
    }
    if (!prepared || !source) {
        stopRunning();
        emit trouble(QStringLiteral("camera"), QStringLiteral("no recipe or no source chosen"));
        return;
    }
    auto taken = source->next();
    if (!taken) {
        emit trouble(QStringLiteral("camera"), QString::fromStdString(taken.error().text()));
        return;
    }
    if (!*taken) {
        stopRunning();
        emit trouble(QStringLiteral("camera"), QStringLiteral("no more pictures from the ") + QString::fromStdString(source->name()));
        return;
    }
    RunItem item;
    item.capture = std::make_shared<const image::Capture>(std::move(**taken));
    item.result = std::make_shared<const inspect::PictureResult>(inspect::evaluate(*prepared, *item.capture, nullptr, nullptr, 0));
    item.at = QTime::currentTime().toString(QStringLiteral("hh:mm:ss"));
    if (!database.isEmpty()) {
        if (!log || openPath != database) {
            auto opened = records::RecordLog::open(database);
            if (opened) log = std::move(*opened), openPath = database;
            else {
                log.reset();
                emit trouble(QStringLiteral("records"), QString::fromStdString(opened.error().text()));
            }
        }
        if (log) {
            auto ids = log->append(prepared->recipe(), *item.result, batch);
            if (ids) item.records = std::move(*ids);
            else emit trouble(QStringLiteral("records"), QString::fromStdString(ids.error().text()));
        }
    }
    if (!csv.isEmpty())
        if (auto ok = records::appendCsv(csv.toStdString(), prepared->recipe(), {item.result.get()}); !ok)
            emit trouble(QStringLiteral("records"), QString::fromStdString(ok.error().text()));
    emit logged(item);
}

} // namespace station

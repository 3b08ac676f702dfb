#include "desktop/run/line_bridge.h"

#include "base/files.h"
#include "records/csv.h"

#include <QDir>
#include <QFileInfo>

namespace desktop
{
namespace
{
// One table for each set of columns: a statistics program wants one header.
std::string tablePath(const QString& folder, const recipe::Recipe& recipe)
{
    const QString stem = recipe.name.empty() ? QStringLiteral("items") : QString::fromStdString(recipe.name);
    QString leaf;
    for (const QChar ch : stem) leaf += ch.isLetterOrNumber() ? ch : QLatin1Char('-');
    const auto columns = base::fingerprint(records::csvHeader(recipe)) & 0xffff;
    return (folder + QStringLiteral("/%1-%2.csv").arg(leaf).arg(columns, 4, 16, QLatin1Char('0'))).toStdString();
}
} // namespace

LineBridge::LineBridge(const QString& logPath, QObject* parent) : QObject(parent)
{
    const QString folder = QFileInfo(logPath).absolutePath();
    QDir().mkpath(folder);
    std::vector<std::unique_ptr<station::Sink>> sinks;
    sinks.push_back(std::make_unique<station::RecordSink>(logPath.toStdString()));
    sinks.push_back(std::make_unique<station::CsvSink>(
        base::realFiles(), [folder](const recipe::Recipe& r) { return tablePath(folder, r); }));
    station::Station::Listener listener;
    listener.logged = [this](const station::Logged& item) {
        {
            const std::lock_guard lock(m_mutex);
            m_waiting.push_back(item);
            m_waiting.back().inspected.taken.shot.files.clear(); // decoded; the bytes are not needed here
            // Pictures wait for the window only as long as they could still be looked at.
            if (m_waiting.size() > 24) m_waiting[m_waiting.size() - 25].letGoOfPicture();
        }
        QMetaObject::invokeMethod(
            this, [this] { emit logged(); }, Qt::QueuedConnection);
    };
    listener.trouble = [this](const std::string& what, const std::string& message) {
        QMetaObject::invokeMethod(
            this, [this, w = QString::fromStdString(what), m = QString::fromStdString(message)] { emit trouble(w, m); },
            Qt::QueuedConnection);
    };
    listener.over = [this](const std::string& what) {
        QMetaObject::invokeMethod(
            this, [this, w = QString::fromStdString(what)] { emit over(w); }, Qt::QueuedConnection);
    };
    listener.ended = [this](const std::string& source) {
        QMetaObject::invokeMethod(
            this,
            [this, s = QString::fromStdString(source)] {
                emit trouble(QStringLiteral("camera"), tr("no more pictures from the %1").arg(s));
            },
            Qt::QueuedConnection);
    };
    listener.runningChanged = [this](bool on) {
        QMetaObject::invokeMethod(
            this, [this, on] { emit runningChanged(on); }, Qt::QueuedConnection);
    };
    m_station = std::make_unique<station::Station>(std::move(sinks), std::vector<std::unique_ptr<station::Output>>(),
                                                   std::move(listener), station::Station::Threads{1, 0});
}

LineBridge::~LineBridge() { m_station->stop(); }

std::vector<station::Logged> LineBridge::take()
{
    const std::lock_guard lock(m_mutex);
    return std::exchange(m_waiting, {});
}

} // namespace desktop

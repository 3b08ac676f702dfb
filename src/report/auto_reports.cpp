#include "report/auto_reports.h"

#include "records/column_reader.h"
#include "records/table.h"
#include "report/record_report.h"

#include <QDateTime>
#include <QDir>
#include <QFileInfo>

namespace report
{
using base::ErrorCode;
using base::fail;
using namespace records;

base::Result<QString> reportName(const QString& pattern, const ItemRow& row)
{
    const QDateTime at = QDateTime::fromString(row.at, Qt::ISODateWithMs).toLocalTime();
    const std::pair<const char*, QString> fields[] = {
        {"item", QString::number(row.id)},
        {"picture", QFileInfo(row.picture).completeBaseName()},
        {"batch", row.batch.isEmpty() ? QStringLiteral("no batch") : row.batch},
        {"station", row.station.isEmpty() ? QStringLiteral("no station") : row.station},
        {"verdict", row.verdict},
        {"recipe", row.recipe},
        {"revision", QString::number(row.revision)},
        {"date", at.toString(QStringLiteral("yyyy-MM-dd"))},
        {"time", at.toString(QStringLiteral("HHmmss"))}};
    QString out;
    for (qsizetype i = 0; i < pattern.size(); ++i) {
        if (pattern[i] != QLatin1Char('{')) {
            out += pattern[i];
            continue;
        }
        const qsizetype end = pattern.indexOf(QLatin1Char('}'), i);
        const QString name = end < 0 ? pattern.mid(i + 1) : pattern.mid(i + 1, end - i - 1);
        const auto field = std::find_if(std::begin(fields), std::end(fields),
                                        [&](const auto& f) { return name == QLatin1String(f.first); });
        if (end < 0 || field == std::end(fields))
            return fail(
                ErrorCode::InvalidArgument,
                "\"{" + name.toStdString() + (end < 0 ? "" : "}") +
                    "\" is none of {item} {picture} {batch} {station} {verdict} {recipe} {revision} {date} {time}",
                "name of reports");
        // What a file's name cannot hold, or would leave its folder by.
        QString value = field->second;
        for (QChar& c : value)
            if (c < QLatin1Char(' ') || QStringLiteral("/\\:*?\"<>|").contains(c)) c = QLatin1Char('_');
        if (value.isEmpty()) value = QStringLiteral("none");
        if (value.startsWith(QLatin1Char('.'))) value[0] = QLatin1Char('_');
        out += value.left(100);
        i = end;
    }
    const QString clean = QDir::cleanPath(out);
    if (clean.isEmpty() || clean.startsWith(QLatin1Char('/')) || clean == QLatin1String("..") ||
        clean.startsWith(QLatin1String("../")))
        return fail(ErrorCode::InvalidArgument, "\"" + pattern.toStdString() + "\" leads out of the folder",
                    "name of reports");
    return clean;
}

base::Status AutoReportSettings::check() const
{
    if (!any()) return {};
    if (folder.isEmpty()) return fail(ErrorCode::InvalidArgument, "reports need a folder");
    const auto name = reportName(pattern, ItemRow{});
    if (!name) return base::passOn(name.error());
    return {};
}

AutoReports::AutoReports(QString log, AutoReportSettings settings)
    : m_log(std::move(log)), m_settings(std::move(settings)), m_thread([this] { run(); })
{
}
AutoReports::~AutoReports()
{
    finish();
    {
        const std::lock_guard lock(m_mutex);
        m_stop = true;
    }
    m_wake.notify_all();
    m_thread.join();
}
void AutoReports::logged(long long item)
{
    {
        const std::lock_guard lock(m_mutex);
        m_items.push_back(item);
    }
    m_wake.notify_all();
}
void AutoReports::finish()
{
    logged(0);
    std::unique_lock lock(m_mutex);
    m_idle.wait(lock, [this] { return m_items.empty() && !m_busy; });
}
long long AutoReports::written() const
{
    const std::lock_guard lock(m_mutex);
    return m_written;
}
std::string AutoReports::trouble() const
{
    const std::lock_guard lock(m_mutex);
    return m_trouble;
}
void AutoReports::failed(const base::Error& error)
{
    const std::lock_guard lock(m_mutex);
    m_trouble = error.text();
}

QString AutoReports::freeName(const QString& name, const QStringList& ends) const
{
    const QString base = m_settings.folder + QLatin1Char('/') + name;
    const auto taken = [&](const QString& stem) {
        return std::any_of(ends.begin(), ends.end(), [&](const QString& end) { return QFileInfo::exists(stem + end); });
    };
    if (!taken(base)) return base;
    for (int n = 2;; ++n)
        if (const QString next = base + QStringLiteral("-%1").arg(n); !taken(next)) return next;
}

void AutoReports::run()
{
    std::unique_ptr<RecordLog> log;
    for (;;) {
        long long item = 0;
        {
            std::unique_lock lock(m_mutex);
            m_busy = false;
            if (m_items.empty()) m_idle.notify_all();
            m_wake.wait(lock, [this] { return m_stop || !m_items.empty(); });
            if (m_items.empty()) return;
            item = m_items.front();
            m_items.pop_front();
            m_busy = true;
        }
        if (item == 0) {
            closeBatch();
            continue;
        }
        if (!log) {
            auto opened = RecordLog::open(m_log);
            if (!opened) {
                failed(opened.error());
                continue;
            }
            log = std::move(*opened);
        }
        make(*log, item);
    }
}

void AutoReports::make(RecordLog& log, long long item)
{
    const auto row = log.item(item);
    if (!row) return failed(row.error());
    if (m_batchOf && m_batchOf->batch != row->batch) closeBatch();
    if (!m_batchOf) m_batchOf = *row, m_batchFirst = item;
    m_batchLast = item;
    const bool reject = row->verdict == QLatin1String("reject") || row->verdict == QLatin1String("error");
    if (!(m_settings.itemPdf || m_settings.itemPng || m_settings.itemJson) || (m_settings.rejectsOnly && !reject))
        return;
    const auto name = reportName(m_settings.pattern, *row);
    if (!name) return failed(name.error());
    const QString stem = freeName(*name, {QStringLiteral(".pdf"), QStringLiteral(".png"), QStringLiteral(".json")});
    if (!QDir().mkpath(QFileInfo(stem).absolutePath()))
        return failed({ErrorCode::Io, "the folder cannot be made", QFileInfo(stem).absolutePath().toStdString()});
    long long made = 0;
    const auto take = [&](const base::Status& ok) {
        if (ok) ++made;
        else failed(ok.error());
    };
    if (m_settings.itemPdf)
        take(writeItemReport(m_log, item, stem + QStringLiteral(".pdf"), m_settings.paper, m_settings.pages));
    if (m_settings.itemJson) take(writeTable(m_log, {item}, TableForm::Json, stem + QStringLiteral(".json")));
    if (m_settings.itemPng) take(writeItemPicture(log, m_own, item, stem + QStringLiteral(".png")));
    const std::lock_guard lock(m_mutex);
    m_written += made;
}

void AutoReports::closeBatch()
{
    if (!m_batchOf) return;
    const ItemRow of = *m_batchOf;
    const long long first = m_batchFirst, last = m_batchLast;
    m_batchOf.reset();
    if (!m_settings.batchPdf && !m_settings.batchCsv) return;
    auto reader = ColumnReader::open(m_log);
    if (!reader) return failed(reader.error());
    const auto columns = (*reader)->update();
    if (!columns) return failed(columns.error());
    Choice choice;
    choice.batch = of.batch.isEmpty() ? QStringLiteral("") : of.batch, choice.from = first, choice.to = last;
    // Of the pattern's fields those that hold for the whole batch.
    const auto folder = reportName(QStringLiteral("{batch}/batch-{batch}-{date}-{time}"), of);
    if (!folder) return failed(folder.error());
    const QString stem = freeName(*folder, {QStringLiteral(".pdf"), QStringLiteral(".csv")});
    if (!QDir().mkpath(QFileInfo(stem).absolutePath()))
        return failed({ErrorCode::Io, "the folder cannot be made", QFileInfo(stem).absolutePath().toStdString()});
    long long made = 0;
    const auto take = [&](const base::Status& ok) {
        if (ok) ++made;
        else failed(ok.error());
    };
    if (m_settings.batchPdf) {
        BatchReport report;
        report.heading = of.batch.isEmpty() ? QObject::tr("Items %1 to %2").arg(first).arg(last)
                                            : QObject::tr("Batch %1").arg(of.batch);
        report.sentence = QObject::tr("batch %1, items %2 to %3").arg(of.batch).arg(first).arg(last);
        report.paper = m_settings.paper;
        take(writeBatchReport(m_log, **columns, choice, report, stem + QStringLiteral(".pdf")));
    }
    if (m_settings.batchCsv) {
        std::vector<long long> ids;
        for (const Row r : rowsOf(**columns, choice)) ids.push_back((*columns)->id(r));
        take(writeTable(m_log, ids, TableForm::Items, stem + QStringLiteral(".csv")));
    }
    const std::lock_guard lock(m_mutex);
    m_written += made;
}

} // namespace report

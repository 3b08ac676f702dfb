// auto_reports.h - reports made by themselves after every item or batch, on a thread of their own: the line waits for none.
//
// A pattern names the files: {item} {picture} {batch} {station} {verdict} {recipe} {revision} {date} {time}, and / for
// folders. What stands there already is never written over: -2, -3 … come behind the name.
//
// Fails    InvalidArgument: a pattern with an unknown field (named), or that leaves the folder. A file that cannot be written
//          is said by trouble(), and the next one is tried.
#pragma once
#include "records/again.h"
#include "report/item_pages.h"
#include "report/pages.h"

#include <condition_variable>
#include <deque>
#include <mutex>
#include <thread>

namespace report
{

struct AutoReportSettings {
    QString folder, pattern = QStringLiteral("{batch}/{item}-{picture}-{verdict}");
    bool itemPdf = false, itemPng = false, itemJson = false; // after every item
    bool rejectsOnly = false;                                // of them
    bool batchPdf = false, batchCsv = false;                 // when another batch begins, and at the end
    ItemPages pages{};                                       // of an item's PDF
    Paper paper = Paper::A4;
    bool any() const { return itemPdf || itemPng || itemJson || batchPdf || batchCsv; }
    bool operator==(const AutoReportSettings&) const = default;
    base::Status check() const;
};
// The name without its ending.
base::Result<QString> reportName(const QString& pattern, const records::ItemRow& row);

class AutoReports
{
public:
    AutoReports(QString log, AutoReportSettings settings);
    ~AutoReports(); // what was logged is written before it ends, the last batch too
    void logged(long long item);
    long long written() const;
    std::string trouble() const; // the last one; "" when there was none
    void finish();               // everything logged so far, the batch under way too

private:
    void run();
    void make(records::RecordLog& log, long long item);
    void closeBatch();
    void failed(const base::Error& error);
    QString freeName(const QString& name, const QStringList& ends) const;
    const QString m_log;
    const AutoReportSettings m_settings;
    mutable std::mutex m_mutex;
    std::condition_variable m_wake, m_idle;
    std::deque<long long> m_items; // 0: the batch ends
    bool m_stop = false, m_busy = false;
    long long m_written = 0;
    std::string m_trouble;
    // of the thread
    std::optional<records::ItemRow> m_batchOf; // an item of the batch under way
    long long m_batchFirst = 0, m_batchLast = 0;
    records::OwnRecipes m_own; // made ready once each
    std::thread m_thread;      // last: it uses the others
};

} // namespace report

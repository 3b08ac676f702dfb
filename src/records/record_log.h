// record_log.h - every inspected item in one SQLite file, in one transaction each.
//
// Promise  append() ok  => the item survives a crash of the program and of the machine (write-ahead log, synchronous = FULL).
//          append() !ok => nothing of the item is in the log; the log is as before.
// Fails    Io: cannot be opened or written (read-only, full), named; Corrupt: not a record log; Unsupported: made by a newer version.
// Threads  an object belongs to the thread that opened it; any number of objects and programs may share a file.
// Source   schema in docs/file-formats.md.
#pragma once
#include "inspect/result.h"

#include <QString>
#include <memory>
#include <optional>
#include <vector>

class QSqlDatabase;

namespace records
{

constexpr int kSchemaVersion = 2; // 2: items on which nothing was judged, elements with limits of their own

struct ItemRow {
    long long id = 0;
    QString at; // ISO 8601, UTC
    QString recipe, batch, picture, verdict, sentence;
    int revision = 0, item = 0;
};
// Of a list whose elements have limits or places of their own.
struct ElementRow {
    QString name, verdict, reason;
    std::optional<double> value, nominal, low, high; // value: missing when nothing was found there
};
struct ValueRow {
    QString step, output, name, unit, verdict, reason;
    int balloon = 0;
    bool list = false;
    std::vector<double> values;
    std::optional<double> nominal, low, high;
    std::vector<ElementRow> elements;
};
struct Filter {
    QString verdict; // "", "accept", "reject", "unjudged"
    QString text;    // part of picture, recipe, batch or sentence
    int limit = 500;
};

class RecordLog
{
public:
    static base::Result<std::unique_ptr<RecordLog>> open(const QString& path);
    ~RecordLog();
    RecordLog(const RecordLog&) = delete;
    RecordLog& operator=(const RecordLog&) = delete;

    // Logs all items of one picture, each in a transaction of its own; the ids in the items' order.
    base::Result<std::vector<long long>> append(const recipe::Recipe& recipe, const inspect::PictureResult& result, const QString& batch);
    // Newest first.
    base::Result<std::vector<ItemRow>> items(const Filter& filter) const;
    base::Result<std::vector<ValueRow>> values(long long item) const;
    struct Counts {
        long long items = 0, rejects = 0;
    };
    base::Result<Counts> counts(const Filter& filter) const;
    QString path() const { return m_path; }

private:
    explicit RecordLog(QString path);
    base::Status prepare();
    base::Result<long long> revisionId(const recipe::Recipe& recipe);

    QString m_path, m_connection;
    std::string m_knownJson;
    long long m_knownRevision = 0;
};

} // namespace records

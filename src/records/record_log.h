// record_log.h - every inspected item in one SQLite file, in one transaction each.
//
// Promise  append() ok  => all entries survive a crash of the program and of the machine (write-ahead log, synchronous
//          = FULL). append() !ok => nothing of them is in the log; the log is as before.
// Fails    Io: cannot be opened or written (read-only, full), named; Corrupt: not a record log; Unsupported: made by a
//          newer version.
// Threads  an object belongs to the thread that opened it; any number of objects and programs may share a file.
// Source   schema in docs/file-formats.md.
#pragma once
#include "records/entry.h"

#include <QString>
#include <QStringList>
#include <functional>
#include <memory>
#include <optional>
#include <vector>

class QSqlDatabase;

namespace records
{

// 2: items on which nothing was judged, elements with limits of their own
// 3: the packed recipe once per identity, who, station, the picture kept, warnings, events, pictures that could not be
// read
// 4: the pictures of captures that have several
// 5: verdicts overruled by a person, events that changed what runs
// 6: full blocks of items kept as columns, which log this is
constexpr int kSchemaVersion = 7;

struct ItemRow {
    long long id = 0;
    QString at; // ISO 8601, UTC
    // verdict: accept, reject, unjudged; error: the picture could not be read
    QString recipe, batch, picture, verdict, sentence;
    int revision = 0, item = 0;
    QString identity, by, station, pictureHash, kept, notKept;
    QStringList warnings;
    QString overruled, overruledBy, overruledWhy; // the verdict a person gave it last; "" when nobody did
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
    std::optional<double> uncertainty; // expanded, from the picture itself; of a list the largest
    std::vector<ElementRow> elements;
};
// One picture of a capture of several.
struct PictureRow {
    QString key, hash, kept, notKept;
};
// Something somebody did, or that happened to the line: "release" of a recipe (before and after are identities), "limit"
// moved at the screen, "overrule", "sign in", "sign out", "start", "stop", "fault", "fault over", …
struct EventRow {
    QString at, by, what, subject, before, after;
    int revision = 0; // of what runs from then on; 0: that did not change
};
struct Filter {
    QString verdict{}; // "", "accept", "reject", "unjudged", "error"
    QString text{};    // part of picture, recipe, batch or sentence
    int limit = 500;   // 0: all
    // Exactly these; null: any.
    QString batch{}, station{}, recipe{}, picture{};
    QString since{}, until{};   // ISO 8601, UTC; `until` is outside
    long long from = 0, to = 0; // ids, both inside; 0: any
};

class RecordLog
{
public:
    // A file, or a server's records as "postgresql://user@host:port/database" (server.h), which are only read.
    static base::Result<std::unique_ptr<RecordLog>> open(const QString& place);
    ~RecordLog();
    RecordLog(const RecordLog&) = delete;
    RecordLog& operator=(const RecordLog&) = delete;

    // All items of all entries in one transaction; for each entry the ids in its items' order. A picture that could not
    // be read is one row.
    base::Result<std::vector<std::vector<long long>>> append(const std::vector<Entry>& entries);
    base::Status append(const EventRow& event); // `at` is filled in when it is empty
    // Keeps the recipe and says in an event that it was put on the line; `before`: the identity that was there.
    base::Status append(const Release& release, const std::string& before);
    // Keeps the recipe as it runs from this event on: a limit moved within what was released.
    base::Status append(const Release& release, EventRow event);
    // A person's verdict on an item, "accept" or "reject", beside the one it has; with an event. NotFound: no such item.
    base::Status overrule(long long item, const QString& verdict, const QString& by, const QString& why);
    // What was put on the line last, with the limits moved since, made ready again; null when nothing ever was.
    base::Result<std::shared_ptr<const Release>> lastRelease() const;
    base::Result<std::vector<EventRow>> events() const; // oldest first
    base::Result<ItemRow> item(long long id) const;     // NotFound
    // The recipe an item was inspected with, with its pictures. NotFound: logged before recipes were kept whole.
    base::Result<recipe::Recipe> recipeOf(long long item) const;
    base::Result<std::vector<PictureRow>> pictures(long long item) const; // none: the item's row says it
    // Newest first.
    base::Result<std::vector<ItemRow>> items(const Filter& filter) const;
    base::Result<std::vector<ValueRow>> values(long long item) const;
    // One check's single values over the log, oldest first, with the limits the last of them had; lists give none.
    struct Series {
        QString name, unit;
        std::vector<long long> records;
        std::vector<double> values;
        std::optional<double> low, high;
        long long notMeasured = 0;
        bool limitsMoved = false, unitChanged = false; // of another unit: left out
    };
    // By the check's name as it was logged. NotFound: none is, naming those that are.
    base::Result<Series> series(const QString& check, const Filter& filter) const;
    struct Counts {
        long long items = 0, rejects = 0;
    };
    base::Result<Counts> counts(const Filter& filter) const;
    QString path() const { return m_path; }
    QSqlDatabase database() const; // of the thread that opened it

private:
    explicit RecordLog(QString path);
    static base::Result<std::unique_ptr<RecordLog>> openServer(const QString& place);
    base::Status mayWrite() const;
    base::Status prepare();
    base::Status inOne(const std::function<base::Status()>& work); // transaction
    base::Status append(const EventRow& event, const std::string& identity);
    base::Result<long long> recipeId(const Release& release);
    base::Result<std::vector<long long>> add(const Entry& entry);
    base::Result<std::vector<ItemRow>> read(const QString& where, const Filter& filter) const;

    QString m_path, m_connection;
    bool m_server = false;
    std::string m_knownIdentity;
    long long m_knownRecipe = 0;
};

} // namespace records

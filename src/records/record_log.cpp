#include "records/record_log.h"

#include "recipe/recipe_file.h"

#include <QDateTime>
#include <QFileInfo>
#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>
#include <QSqlDatabase>
#include <QSqlError>
#include <QSqlQuery>
#include <QUuid>
#include <QVariant>
#include <nlohmann/json.hpp>

namespace records
{
using base::ErrorCode;
using base::fail;

namespace
{
QString q(const std::string& s) { return QString::fromStdString(s); }
QVariant orNull(const std::optional<double>& v) { return v ? QVariant(*v) : QVariant(QMetaType::fromType<double>()); }

tl::unexpected<base::Error> sqlError(const QSqlError& e, const QString& path)
{
    return fail(ErrorCode::Io, "the record log cannot be used: " + (e.databaseText().isEmpty() ? e.text() : e.databaseText()).toStdString(), path.toStdString());
}
tl::unexpected<base::Error> sqlError(const QSqlQuery& query, const QString& path) { return sqlError(query.lastError(), path); }

QString whereOf(const Filter& f)
{
    QString where = QStringLiteral(" where 1");
    if (!f.verdict.isEmpty()) where += QStringLiteral(" and item.verdict = :verdict");
    if (!f.text.isEmpty())
        where += QStringLiteral(" and (item.picture like :text escape '\\' or item.batch like :text escape '\\' or item.sentence like :text escape "
                                "'\\' or recipe.name like :text escape '\\')");
    return where;
}
void bind(QSqlQuery& query, const Filter& f)
{
    if (!f.verdict.isEmpty()) query.bindValue(QStringLiteral(":verdict"), f.verdict);
    if (!f.text.isEmpty()) {
        QString t = f.text;
        t.replace(QLatin1Char('\\'), QStringLiteral("\\\\"))
            .replace(QLatin1Char('%'), QStringLiteral("\\%"))
            .replace(QLatin1Char('_'), QStringLiteral("\\_"));
        query.bindValue(QStringLiteral(":text"), QStringLiteral("%") + t + QStringLiteral("%"));
    }
}
const char* kFrom = " from item join recipe on recipe.id = item.recipe";
} // namespace

RecordLog::RecordLog(QString path) : m_path(std::move(path)), m_connection(QUuid::createUuid().toString()) {}

RecordLog::~RecordLog()
{
    {
        QSqlDatabase db = QSqlDatabase::database(m_connection, false);
        db.close();
    }
    QSqlDatabase::removeDatabase(m_connection);
}

namespace
{
// "Dikk": what SQLite's header says of a file of ours.
constexpr int kApplication = 0x44696b6b;
const char* kItemTable = " (id integer primary key autoincrement, at text not null, recipe integer not null references recipe(id), batch text not null,"
                         " picture text not null, item integer not null, verdict text not null check (verdict in ('accept', 'reject', 'unjudged')), "
                         "sentence text not null, milliseconds real not null)";

base::Result<int> number(QSqlQuery& query, const char* sql, const QString& path)
{
    if (!query.exec(QLatin1String(sql)) || !query.next()) return sqlError(query, path);
    const int out = query.value(0).toInt();
    query.finish();
    return out;
}
tl::unexpected<base::Error> newerLog(int version, const QString& path)
{
    return fail(ErrorCode::Unsupported,
                "the record log has schema version " + std::to_string(version) + ", made by a newer program; this one knows up to " +
                    std::to_string(kSchemaVersion),
                path.toStdString());
}
// The schema's version; 0: an empty database. Fails when it is somebody else's, or newer. Nothing is changed.
base::Result<int> versionOf(QSqlDatabase& db, const QString& path)
{
    QSqlQuery query(db);
    const auto version = number(query, "pragma user_version", path), application = number(query, "pragma application_id", path),
               tables = number(query, "select count(*) from sqlite_master", path),
               ours = number(query, "select count(*) from sqlite_master where type = 'table' and name in ('recipe', 'item', 'value')", path);
    for (const auto* v : {&version, &application, &tables, &ours})
        if (!*v) return base::passOn(v->error());
    if (*tables == 0 && *version == 0) return 0;
    if (*version > kSchemaVersion && *tables == 0) return newerLog(*version, path);
    if (*ours != 3 || (*application != kApplication && *version != 1)) return fail(ErrorCode::Corrupt, "a database that is not a record log", path.toStdString());
    if (*version > kSchemaVersion) return newerLog(*version, path);
    return *version;
}
} // namespace

base::Result<std::unique_ptr<RecordLog>> RecordLog::open(const QString& path)
{
    if (path.isEmpty()) return fail(ErrorCode::InvalidArgument, "the record log needs a file name");
    std::unique_ptr<RecordLog> log(new RecordLog(path));
    QSqlDatabase db = QSqlDatabase::addDatabase(QStringLiteral("QSQLITE"), log->m_connection);
    db.setDatabaseName(path);
    const QFileInfo file(path);
    if (file.exists() && !file.isFile()) return fail(ErrorCode::Io, "is no regular file", path.toStdString());
    if (file.exists() && file.size() > 0) {
        // Looked at without touching it: what is not ours stays as it is.
        db.setConnectOptions(QStringLiteral("QSQLITE_OPEN_READONLY;QSQLITE_BUSY_TIMEOUT=5000"));
        if (!db.open()) return sqlError(db.lastError(), path);
        const auto version = versionOf(db, path);
        db.close();
        if (!version) return base::passOn(version.error());
    }
    db.setConnectOptions(QStringLiteral("QSQLITE_BUSY_TIMEOUT=5000"));
    if (!db.open()) return sqlError(db.lastError(), path);
    if (auto ok = log->prepare(); !ok) return base::passOn(ok.error());
    return log;
}

base::Status RecordLog::prepare()
{
    QSqlDatabase db = QSqlDatabase::database(m_connection);
    QSqlQuery query(db);
    for (const char* pragma : {"pragma journal_mode = wal", "pragma synchronous = full", "pragma foreign_keys = off"})
        if (!query.exec(QLatin1String(pragma))) return sqlError(query, m_path);
    query.finish();
    // Another program may be making the same log: only one of them does.
    if (!query.exec(QStringLiteral("begin immediate"))) return sqlError(query, m_path);
    const auto giveUp = [&](const base::Error& error) {
        QSqlQuery(db).exec(QStringLiteral("rollback"));
        return base::passOn(error);
    };
    const auto version = versionOf(db, m_path);
    if (!version) return giveUp(version.error());
    QStringList work;
    if (*version == 0)
        work << QStringLiteral(
                    "create table recipe (id integer primary key, name text not null, revision integer not null, json text not null, first_used text not null)")
             << QStringLiteral("create table item") + QLatin1String(kItemTable)
             << QStringLiteral("create table value (item integer not null references item(id), position integer not null, step text not null, output text "
                               "not null, name text not null,"
                               " balloon integer not null, list integer not null, value text, unit text not null, nominal real, low real, high real, verdict "
                               "text not null, reason text not null, elements text,"
                               " primary key (item, position)) without rowid");
    if (*version == 1) // knows no item on which nothing was judged
        work << QStringLiteral("create table item_2") + QLatin1String(kItemTable) << QStringLiteral("insert into item_2 select * from item")
             << QStringLiteral("drop table item") << QStringLiteral("alter table item_2 rename to item")
             << QStringLiteral("alter table value add column elements text");
    if (*version < kSchemaVersion)
        work << QStringLiteral("create index item_at on item (at)") << QStringLiteral("create index item_verdict on item (verdict, id)")
             << QStringLiteral("pragma application_id = %1").arg(kApplication) << QStringLiteral("pragma user_version = %1").arg(kSchemaVersion);
    for (const QString& sql : work)
        if (!query.exec(sql)) return giveUp(sqlError(query, m_path).value());
    if (!query.exec(QStringLiteral("commit"))) return giveUp(sqlError(query, m_path).value());
    if (!query.exec(QStringLiteral("pragma foreign_keys = on"))) return sqlError(query, m_path);
    return {};
}

base::Result<long long> RecordLog::revisionId(const recipe::Recipe& r)
{
    const std::string json = recipe::toJson(r, "").dump(-1, ' ', false, nlohmann::json::error_handler_t::replace);
    if (json == m_knownJson) return m_knownRevision;
    QSqlQuery query(QSqlDatabase::database(m_connection));
    query.prepare(QStringLiteral("select id from recipe where json = ?"));
    query.addBindValue(q(json));
    if (!query.exec()) return sqlError(query, m_path);
    long long id = 0;
    if (query.next()) {
        id = query.value(0).toLongLong();
    } else {
        query.prepare(QStringLiteral("insert into recipe (name, revision, json, first_used) values (?, ?, ?, ?)"));
        for (const QVariant& v :
             {QVariant(q(r.name)), QVariant(r.revision), QVariant(q(json)), QVariant(QDateTime::currentDateTimeUtc().toString(Qt::ISODateWithMs))})
            query.addBindValue(v);
        if (!query.exec()) return sqlError(query, m_path);
        id = query.lastInsertId().toLongLong();
    }
    m_knownJson = json, m_knownRevision = id;
    return id;
}

namespace
{
// Nothing where every element has the limits of the list: they stand in its row.
QVariant elementsOf(const inspect::CheckResult& c)
{
    const bool own = std::any_of(c.elements.begin(), c.elements.end(), [&](const auto& e) { return e.value < 0 || e.nominal || e.low != c.low || e.high != c.high; });
    if (!own) return QVariant(QMetaType::fromType<QString>());
    const auto orNone = [](const std::optional<double>& v) { return v ? nlohmann::json(*v) : nlohmann::json(); };
    nlohmann::json all = nlohmann::json::array();
    for (const auto& e : c.elements)
        all.push_back({{"name", e.name},
                       {"value", e.value >= 0 ? nlohmann::json(c.values[std::size_t(e.value)]) : nlohmann::json()},
                       {"nominal", orNone(e.nominal)},
                       {"low", orNone(e.low)},
                       {"high", orNone(e.high)},
                       {"verdict", inspect::name(e.verdict)},
                       {"reason", e.reason}});
    return q(all.dump(-1, ' ', false, nlohmann::json::error_handler_t::replace));
}
std::vector<ElementRow> elementsFrom(const QString& text)
{
    std::vector<ElementRow> out;
    const auto number = [](const QJsonValue& v) { return v.isDouble() ? std::optional(v.toDouble()) : std::nullopt; };
    for (const auto& v : QJsonDocument::fromJson(text.toUtf8()).array()) {
        const QJsonObject e = v.toObject();
        out.push_back({e.value(QLatin1String("name")).toString(), e.value(QLatin1String("verdict")).toString(), e.value(QLatin1String("reason")).toString(),
                       number(e.value(QLatin1String("value"))), number(e.value(QLatin1String("nominal"))), number(e.value(QLatin1String("low"))),
                       number(e.value(QLatin1String("high")))});
    }
    return out;
}
} // namespace

base::Result<std::vector<long long>> RecordLog::append(const recipe::Recipe& recipe, const inspect::PictureResult& result, const QString& batch)
{
    QSqlDatabase db = QSqlDatabase::database(m_connection);
    std::vector<long long> ids;
    for (const inspect::ItemResult& item : result.items) {
        QSqlQuery transaction(db);
        // The lock is taken at once, waiting for other programs; taken later it would not wait.
        if (!transaction.exec(QStringLiteral("begin immediate"))) return sqlError(transaction, m_path);
        const auto giveUp = [&](base::Error error) {
            transaction.exec(QStringLiteral("rollback"));
            m_knownJson.clear(); // the recipe's row went with it
            return tl::unexpected<base::Error>(std::move(error));
        };
        auto revision = revisionId(recipe);
        if (!revision) return giveUp(revision.error());
        QSqlQuery query(db);
        query.prepare(
            QStringLiteral("insert into item (at, recipe, batch, picture, item, verdict, sentence, milliseconds) values (?, ?, ?, ?, ?, ?, ?, ?)"));
        // An empty text is a text, not a missing value.
        const auto text = [](const QString& s) { return s.isNull() ? QString(QLatin1String("")) : s; };
        for (const QVariant& v :
             {QVariant(QDateTime::currentDateTimeUtc().toString(Qt::ISODateWithMs)), QVariant(*revision), QVariant(text(batch)),
              QVariant(text(q(result.picture))), QVariant(item.number), QVariant(QString::fromLatin1(inspect::name(item.outcome))),
              QVariant(text(q(item.sentence()))), QVariant(item.milliseconds)})
            query.addBindValue(v);
        if (!query.exec()) return giveUp(sqlError(query, m_path).value());
        const long long id = query.lastInsertId().toLongLong();
        query.prepare(QStringLiteral("insert into value (item, position, step, output, name, balloon, list, value, unit, nominal, low, high, "
                                     "verdict, reason, elements) values (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)"));
        int position = 0;
        for (const inspect::CheckResult& c : item.checks) {
            // Shortest decimal text that reads back as the same number; a list as a JSON array.
            QVariant value(QMetaType::fromType<QString>());
            const bool none = c.values.empty() && (c.verdict == inspect::Verdict::NotMeasured || c.verdict == inspect::Verdict::Fail);
            if (c.list && !none) value = q(nlohmann::json(c.values).dump());
            else if (!c.values.empty()) value = q(base::shortest(c.values.front()));
            const QVariantList row{id,
                                   position++,
                                   text(q(c.step)),
                                   text(q(c.output)),
                                   text(q(c.name)),
                                   c.balloon,
                                   c.list,
                                   value,
                                   text(QString::fromUtf8(base::symbol(c.unit))),
                                   orNull(c.nominal),
                                   orNull(c.low),
                                   orNull(c.high),
                                   QLatin1String(inspect::name(c.verdict)),
                                   text(q(c.reason)),
                                   elementsOf(c)};
            for (const QVariant& v : row) query.addBindValue(v);
            if (!query.exec()) return giveUp(sqlError(query, m_path).value());
        }
        if (!transaction.exec(QStringLiteral("commit"))) return giveUp(sqlError(transaction, m_path).value());
        ids.push_back(id);
    }
    return ids;
}

base::Result<std::vector<ItemRow>> RecordLog::items(const Filter& filter) const
{
    QSqlQuery query(QSqlDatabase::database(m_connection));
    query.prepare(
        QStringLiteral("select item.id, item.at, recipe.name, item.batch, item.picture, item.verdict, item.sentence, recipe.revision, item.item") +
        QLatin1String(kFrom) + whereOf(filter) + QStringLiteral(" order by item.id desc limit %1").arg(filter.limit));
    bind(query, filter);
    if (!query.exec()) return sqlError(query, m_path);
    std::vector<ItemRow> out;
    while (query.next()) {
        ItemRow r;
        r.id = query.value(0).toLongLong();
        r.at = query.value(1).toString(), r.recipe = query.value(2).toString(), r.batch = query.value(3).toString(),
        r.picture = query.value(4).toString();
        r.verdict = query.value(5).toString(), r.sentence = query.value(6).toString(), r.revision = query.value(7).toInt(),
        r.item = query.value(8).toInt();
        out.push_back(r);
    }
    return out;
}

base::Result<std::vector<ValueRow>> RecordLog::values(long long item) const
{
    QSqlQuery query(QSqlDatabase::database(m_connection));
    query.prepare(QStringLiteral(
        "select step, output, name, balloon, list, value, unit, nominal, low, high, verdict, reason, elements from value where item = ? order by position"));
    query.addBindValue(item);
    if (!query.exec()) return sqlError(query, m_path);
    std::vector<ValueRow> out;
    const auto optional = [&](int i) { return query.isNull(i) ? std::nullopt : std::optional(query.value(i).toDouble()); };
    while (query.next()) {
        ValueRow r;
        r.step = query.value(0).toString(), r.output = query.value(1).toString(), r.name = query.value(2).toString(),
        r.balloon = query.value(3).toInt(), r.list = query.value(4).toBool();
        if (!query.isNull(5)) {
            if (r.list)
                for (const auto& v : QJsonDocument::fromJson(query.value(5).toString().toUtf8()).array()) r.values.push_back(v.toDouble());
            else r.values.push_back(query.value(5).toString().toDouble());
        }
        r.unit = query.value(6).toString(), r.nominal = optional(7), r.low = optional(8), r.high = optional(9);
        r.verdict = query.value(10).toString(), r.reason = query.value(11).toString();
        if (!query.isNull(12)) r.elements = elementsFrom(query.value(12).toString());
        out.push_back(r);
    }
    return out;
}

base::Result<RecordLog::Counts> RecordLog::counts(const Filter& filter) const
{
    QSqlQuery query(QSqlDatabase::database(m_connection));
    query.prepare(QStringLiteral("select count(*), coalesce(sum(item.verdict = 'reject'), 0)") + QLatin1String(kFrom) + whereOf(filter));
    bind(query, filter);
    if (!query.exec() || !query.next()) return sqlError(query, m_path);
    return Counts{query.value(0).toLongLong(), query.value(1).toLongLong()};
}

} // namespace records

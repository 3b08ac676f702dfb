#include "records/record_log.h"

#include "recipe/recipe_file.h"
#include "records/server.h"

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
#include <array>
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
    return fail(ErrorCode::Io,
                "the record log cannot be used: " +
                    (e.databaseText().isEmpty() ? e.text() : e.databaseText()).simplified().toStdString(),
                path.toStdString());
}
tl::unexpected<base::Error> sqlError(const QSqlQuery& query, const QString& path)
{
    return sqlError(query.lastError(), path);
}

// Name of the placeholder, column, what it has to be.
std::array<std::tuple<const char*, const char*, const QString*>, 4> exact(const Filter& f)
{
    return {{{"batch", "item.batch", &f.batch},
             {"station", "item.station", &f.station},
             {"recipe", "recipe.name", &f.recipe},
             {"picture", "item.picture", &f.picture}}};
}
QString whereOf(const Filter& f, bool server)
{
    QString where = QStringLiteral(" where 1 = 1");
    const QString like = server ? QStringLiteral("ilike") : QStringLiteral("like");
    if (!f.verdict.isEmpty()) where += QStringLiteral(" and item.verdict = :verdict");
    if (!f.text.isEmpty())
        where += QStringLiteral(" and (item.picture %1 :text escape '\\' or item.batch %1 :text escape '\\' or "
                                "item.sentence %1 :text escape '\\' or recipe.name %1 :text escape '\\')")
                     .arg(like);
    for (const auto& [name, column, value] : exact(f))
        if (!value->isNull()) where += QStringLiteral(" and %1 = :%2").arg(QLatin1String(column), QLatin1String(name));
    if (!f.since.isEmpty()) where += QStringLiteral(" and item.at >= :since");
    if (!f.until.isEmpty()) where += QStringLiteral(" and item.at < :until");
    if (f.from > 0) where += QStringLiteral(" and item.id >= %1").arg(f.from);
    if (f.to > 0) where += QStringLiteral(" and item.id <= %1").arg(f.to);
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
    for (const auto& [name, column, value] : exact(f))
        if (!value->isNull()) query.bindValue(QLatin1Char(':') + QLatin1String(name), *value);
    if (!f.since.isEmpty()) query.bindValue(QStringLiteral(":since"), f.since);
    if (!f.until.isEmpty()) query.bindValue(QStringLiteral(":until"), f.until);
}
const char* kFrom = " from item join recipe on recipe.id = item.recipe";
} // namespace

RecordLog::RecordLog(QString path) : m_path(std::move(path)), m_connection(QUuid::createUuid().toString()) {}

QSqlDatabase RecordLog::database() const { return QSqlDatabase::database(m_connection); }

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
const char* kRecipeTable = " (id integer primary key, identity text not null, name text not null, packed blob, json "
                           "text not null, first_used text not null)";
const char* kItemTable = " (id integer primary key autoincrement, at text not null, recipe integer not null references "
                         "recipe(id), revision integer not null,"
                         " released_by text not null, batch text not null, station text not null, picture text not "
                         "null, picture_hash text not null, kept text not null,"
                         " not_kept text not null, item integer not null, verdict text not null check (verdict in "
                         "('accept', 'reject', 'unjudged', 'error')),"
                         " sentence text not null, milliseconds real not null, warnings text)";
const char* kValueTable =
    " (item integer not null references item(id), position integer not null, step text not null, output text not null,"
    " name text not null, balloon integer not null, list integer not null, value text, unit text not null, nominal "
    "real,"
    " low real, high real, verdict text not null, reason text not null, elements text, uncertainty real, primary key "
    "(item, position)) "
    "without rowid";
// Of captures of several pictures; of others the item's row says it.
const char* kPictureTable =
    " (item integer not null references item(id), position integer not null, key text not null, picture_hash text not "
    "null, kept text not null, not_kept text not null, primary key (item, position)) without rowid";
const char* kEventTable =
    " (id integer primary key, at text not null, by text not null, what text not null, subject text not null,"
    " before text not null, after text not null, revision integer not null, identity text not null default '')";
// What persons said of items; the last one counts.
const char* kOverruleTable =
    " (id integer primary key, item integer not null references item(id), at text not null, by "
    "text not null, verdict text not null check (verdict in ('accept', 'reject')), why text "
    "not null)";
// What column_reader.h keeps; only ever a copy of rows.
const char* kDigestTable = " (first integer primary key, packed blob not null)";
// "uid": which log this is, wherever it lies; what was sent to a server is known by it.
const char* kAboutTable = " (key text primary key, value text not null)";

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
                "the record log has schema version " + std::to_string(version) +
                    ", made by a newer program; this one knows up to " + std::to_string(kSchemaVersion),
                path.toStdString());
}
// The schema's version; 0: an empty database. Fails when it is somebody else's, or newer. Nothing is changed.
base::Result<int> versionOf(QSqlDatabase& db, const QString& path)
{
    QSqlQuery query(db);
    const auto version = number(query, "pragma user_version", path),
               application = number(query, "pragma application_id", path),
               tables = number(query, "select count(*) from sqlite_master", path),
               ours = number(
                   query,
                   "select count(*) from sqlite_master where type = 'table' and name in ('recipe', 'item', 'value')",
                   path);
    for (const auto* v : {&version, &application, &tables, &ours})
        if (!*v) return base::passOn(v->error());
    if (*tables == 0 && *version == 0) return 0;
    if (*version > kSchemaVersion && *tables == 0) return newerLog(*version, path);
    if (*ours != 3 || (*application != kApplication && *version != 1))
        return fail(ErrorCode::Corrupt, "a database that is not a record log", path.toStdString());
    if (*version > kSchemaVersion) return newerLog(*version, path);
    return *version;
}
} // namespace

base::Result<std::unique_ptr<RecordLog>> RecordLog::open(const QString& path)
{
    if (path.isEmpty()) return fail(ErrorCode::InvalidArgument, "the record log needs a file name");
    if (isServer(path)) return openServer(path);
    std::unique_ptr<RecordLog> log(new RecordLog(path));
    QSqlDatabase db = QSqlDatabase::addDatabase(QStringLiteral("QSQLITE"), log->m_connection);
    db.setDatabaseName(path);
    const QFileInfo file(path);
    if (file.exists() && !file.isFile()) return fail(ErrorCode::Io, "is no regular file", path.toStdString());
    if (file.exists() && file.size() > 0) {
        // Looked at without touching it: what is not ours stays as it is.
        db.setConnectOptions(QStringLiteral("QSQLITE_OPEN_READONLY;QSQLITE_BUSY_TIMEOUT=30000"));
        if (!db.open()) return sqlError(db.lastError(), path);
        // All of it at one moment: another program may be making the log just now.
        QSqlQuery moment(db);
        if (!moment.exec(QStringLiteral("begin"))) return sqlError(moment, path);
        const auto version = versionOf(db, path);
        moment.exec(QStringLiteral("rollback"));
        moment.clear();
        db.close();
        if (!version) return base::passOn(version.error());
    }
    db.setConnectOptions(QStringLiteral("QSQLITE_BUSY_TIMEOUT=30000"));
    if (!db.open()) return sqlError(db.lastError(), path);
    if (auto ok = log->prepare(); !ok) return base::passOn(ok.error());
    return log;
}

base::Result<std::unique_ptr<RecordLog>> RecordLog::openServer(const QString& place)
{
    const auto address = ServerAddress::fromUrl(place);
    if (!address) return base::passOn(address.error());
    std::unique_ptr<RecordLog> log(new RecordLog(address->url()));
    log->m_server = true;
    QSqlDatabase db = QSqlDatabase::addDatabase(QStringLiteral("QPSQL"), log->m_connection);
    db.setHostName(address->host), db.setPort(address->port), db.setDatabaseName(address->database);
    db.setUserName(address->user), db.setPassword(address->password);
    db.setConnectOptions(QStringLiteral("connect_timeout=5;tcp_user_timeout=10000"));
    if (!db.open()) return sqlError(db.lastError(), log->m_path);
    QSqlQuery query(db);
    const auto tables = number(query,
                               "select count(*) from pg_tables where schemaname = current_schema() and tablename "
                               "in ('recipe', 'item', 'value', 'about')",
                               log->m_path);
    if (!tables) return base::passOn(tables.error());
    if (*tables != 4)
        return fail(ErrorCode::NotFound, "no station has put records there yet", log->m_path.toStdString());
    const auto version = number(query, "select value::int from about where key = 'version'", log->m_path);
    if (!version) return base::passOn(version.error());
    if (*version > kServerVersion) return newerLog(*version, log->m_path);
    if (*version < kServerVersion)
        return fail(ErrorCode::Unsupported,
                    "the server's tables are an older program's (version " + std::to_string(*version) +
                        "); the first station of this version that sends records brings them up",
                    log->m_path.toStdString());
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
    const auto table = [&](const char* name, const char* columns) {
        work << QStringLiteral("create table ") + QLatin1String(name) + QLatin1String(columns);
    };
    if (*version == 0) {
        table("recipe", kRecipeTable);
        table("item", kItemTable);
        table("value", kValueTable);
    }
    if (*version == 1) work << QStringLiteral("alter table value add column elements text");
    const auto knows = [&](const char* column) {
        return query.exec(QStringLiteral("select 1 from pragma_table_info('value') where name = '%1'")
                              .arg(QLatin1String(column))) &&
               query.next();
    };
    const bool known = knows("uncertainty");
    query.finish();
    if (*version >= 1 && *version < 7 && !known)
        work << QStringLiteral("alter table value add column uncertainty real");
    if (*version == 1 || *version == 2) {
        table("recipe_new", kRecipeTable);
        table("item_new", kItemTable);
        work << QStringLiteral("insert into recipe_new select id, '', name, null, json, first_used from recipe")
             << QStringLiteral(
                    "insert into item_new select item.id, at, recipe, recipe.revision, '', batch, '', picture, '', '', "
                    "'logged before pictures were kept', "
                    "item, verdict, sentence, milliseconds, null from item join recipe on recipe.id = item.recipe")
             << QStringLiteral("drop table item") << QStringLiteral("drop table recipe")
             << QStringLiteral("alter table recipe_new rename to recipe")
             << QStringLiteral("alter table item_new rename to item");
    }
    if (*version < 4) table("picture", kPictureTable);
    if (*version < 5) {
        table("overrule", kOverruleTable);
        work << QStringLiteral("create index overrule_item on overrule (item)");
        if (*version >= 3) work << QStringLiteral("alter table event add column identity text not null default ''");
    }
    if (*version < 6) {
        table("digest", kDigestTable);
        table("about", kAboutTable);
        work << QStringLiteral("insert into about (key, value) values ('uid', '%1')")
                    .arg(QUuid::createUuid().toString(QUuid::WithoutBraces));
    }
    if (*version < kSchemaVersion) {
        work << QStringLiteral("pragma application_id = %1").arg(kApplication)
             << QStringLiteral("pragma user_version = %1").arg(kSchemaVersion);
    }
    if (*version < 3) {
        table("event", kEventTable);
        work << QStringLiteral("create index item_at on item (at)")
             << QStringLiteral("create index item_verdict on item (verdict, id)")
             << QStringLiteral("create unique index recipe_identity on recipe (identity) where identity <> ''");
    }
    for (const QString& sql : work)
        if (!query.exec(sql)) return giveUp(sqlError(query, m_path).value());
    if (!query.exec(QStringLiteral("commit"))) return giveUp(sqlError(query, m_path).value());
    if (!query.exec(QStringLiteral("pragma foreign_keys = on"))) return sqlError(query, m_path);
    return {};
}

base::Result<long long> RecordLog::recipeId(const Release& release)
{
    if (release.identity == m_knownIdentity) return m_knownRecipe;
    QSqlQuery query(QSqlDatabase::database(m_connection));
    query.prepare(QStringLiteral("select id from recipe where identity = ?"));
    query.addBindValue(q(release.identity));
    if (!query.exec()) return sqlError(query, m_path);
    long long id = 0;
    if (query.next()) {
        id = query.value(0).toLongLong();
    } else {
        const recipe::Recipe& r = release.recipe();
        query.prepare(
            QStringLiteral("insert into recipe (identity, name, packed, json, first_used) values (?, ?, ?, ?, ?)"));
        query.addBindValue(q(release.identity));
        query.addBindValue(q(r.name));
        query.addBindValue(QByteArray(release.packed.data(), qsizetype(release.packed.size())));
        query.addBindValue(q(recipe::toJson(r, "").dump(-1, ' ', false, nlohmann::json::error_handler_t::replace)));
        query.addBindValue(q(nowUtc()));
        if (!query.exec()) return sqlError(query, m_path);
        id = query.lastInsertId().toLongLong();
    }
    m_knownIdentity = release.identity;
    m_knownRecipe = id;
    return id;
}

namespace
{
// Nothing where every element has the limits of the list: they stand in its row.
QVariant elementsOf(const inspect::CheckResult& c)
{
    const bool own = std::any_of(c.elements.begin(), c.elements.end(), [&](const auto& e) {
        return e.value < 0 || !e.says.empty() || e.nominal || e.low != c.low || e.high != c.high;
    });
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
                       {"reason", e.says.empty() ? e.reason : e.says}});
    return q(all.dump(-1, ' ', false, nlohmann::json::error_handler_t::replace));
}
std::vector<ElementRow> elementsFrom(const QString& text)
{
    std::vector<ElementRow> out;
    const auto number = [](const QJsonValue& v) { return v.isDouble() ? std::optional(v.toDouble()) : std::nullopt; };
    for (const auto& v : QJsonDocument::fromJson(text.toUtf8()).array()) {
        const QJsonObject e = v.toObject();
        out.push_back({e.value(QLatin1String("name")).toString(), e.value(QLatin1String("verdict")).toString(),
                       e.value(QLatin1String("reason")).toString(), number(e.value(QLatin1String("value"))),
                       number(e.value(QLatin1String("nominal"))), number(e.value(QLatin1String("low"))),
                       number(e.value(QLatin1String("high")))});
    }
    return out;
}
} // namespace

namespace
{
// An empty text is a text, not a missing value.
QString text(const std::string& s) { return s.empty() ? QString(QLatin1String("")) : q(s); }

// Shortest decimal text that reads back as the same number; a list as a JSON array.
QVariant valueOf(const inspect::CheckResult& c)
{
    const bool none =
        c.values.empty() && (c.verdict == inspect::Verdict::NotMeasured || c.verdict == inspect::Verdict::Fail);
    if (c.list && !none) return q(nlohmann::json(c.values).dump());
    if (!c.values.empty()) return q(base::shortest(c.values.front()));
    return QVariant(QMetaType::fromType<QString>());
}
QVariantList valueRow(long long item, int position, const inspect::CheckResult& c)
{
    return {item,
            position,
            text(c.step),
            text(c.output),
            text(c.name),
            c.balloon,
            c.list,
            valueOf(c),
            text(base::symbol(c.unit)),
            orNull(c.nominal),
            orNull(c.low),
            orNull(c.high),
            QLatin1String(inspect::name(c.verdict)),
            text(c.reason),
            elementsOf(c),
            orNull(c.uncertainty)};
}
QVariant warningsOf(const inspect::PictureResult& result)
{
    if (result.warnings.empty()) return QVariant(QMetaType::fromType<QString>());
    return q(nlohmann::json(result.warnings).dump(-1, ' ', false, nlohmann::json::error_handler_t::replace));
}
} // namespace

base::Result<std::vector<long long>> RecordLog::add(const Entry& e)
{
    auto recipe = recipeId(*e.release);
    if (!recipe) return base::passOn(recipe.error());
    QSqlDatabase db = QSqlDatabase::database(m_connection);
    QSqlQuery items(db), values(db);
    items.prepare(
        QStringLiteral("insert into item (at, recipe, revision, released_by, batch, station, picture, picture_hash, "
                       "kept, not_kept, item, verdict, "
                       "sentence, milliseconds, warnings) values (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)"));
    values.prepare(QStringLiteral(
        "insert into value (item, position, step, output, name, balloon, list, value, unit, nominal, low, high, "
        "verdict, reason, elements, uncertainty) values (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)"));
    const EntryPicture first = e.pictures.empty() ? EntryPicture{} : e.pictures.front();
    std::vector<long long> ids;
    const auto pictures = [&](long long id) -> base::Status {
        if (e.pictures.size() < 2) return {};
        QSqlQuery query(db);
        query.prepare(QStringLiteral(
            "insert into picture (item, position, key, picture_hash, kept, not_kept) values (?, ?, ?, ?, ?, ?)"));
        int position = 0;
        for (const EntryPicture& p : e.pictures) {
            for (const QVariant& v :
                 QVariantList{id, position++, text(p.key), text(p.hash), text(p.kept), text(p.notKept)})
                query.addBindValue(v);
            if (!query.exec()) return sqlError(query, m_path);
        }
        return {};
    };
    const auto item = [&](int number, const char* verdict, const std::string& sentence,
                          double milliseconds) -> base::Result<long long> {
        const QVariantList row{text(e.at),
                               *recipe,
                               e.release->revision,
                               text(e.release->by),
                               text(e.batch),
                               text(e.station),
                               text(e.result->picture),
                               text(first.hash),
                               text(first.kept),
                               text(first.notKept),
                               number,
                               QLatin1String(verdict),
                               text(sentence),
                               milliseconds,
                               warningsOf(*e.result)};
        for (const QVariant& v : row) items.addBindValue(v);
        if (!items.exec()) return sqlError(items, m_path);
        return items.lastInsertId().toLongLong();
    };
    if (e.result->error) {
        auto id = item(0, "error", *e.result->error, 0);
        if (!id) return base::passOn(id.error());
        return std::vector<long long>{*id};
    }
    for (const inspect::ItemResult& i : e.result->items) {
        auto id = item(i.number, inspect::name(i.outcome), i.sentence(), i.milliseconds);
        if (!id) return base::passOn(id.error());
        int position = 0;
        for (const inspect::CheckResult& c : i.checks) {
            const QVariantList row = valueRow(*id, position++, c);
            for (const QVariant& v : row) values.addBindValue(v);
            if (!values.exec()) return sqlError(values, m_path);
        }
        if (auto ok = pictures(*id); !ok) return base::passOn(ok.error());
        ids.push_back(*id);
    }
    return ids;
}

base::Status RecordLog::mayWrite() const
{
    if (!m_server) return {};
    return fail(ErrorCode::Unsupported, "a server's records are written by their stations", m_path.toStdString());
}

base::Result<std::vector<std::vector<long long>>> RecordLog::append(const std::vector<Entry>& entries)
{
    if (auto ok = mayWrite(); !ok) return base::passOn(ok.error());
    QSqlQuery transaction(QSqlDatabase::database(m_connection));
    // The lock is taken at once, waiting for other programs; taken later it would not wait.
    if (!transaction.exec(QStringLiteral("begin immediate"))) return sqlError(transaction, m_path);
    std::vector<std::vector<long long>> out;
    std::optional<base::Error> error;
    for (const Entry& e : entries) {
        auto ids = add(e);
        if (!ids) {
            error = ids.error();
            break;
        }
        out.push_back(std::move(*ids));
    }
    if (!error && !transaction.exec(QStringLiteral("commit"))) error = sqlError(transaction, m_path).value();
    if (!error) return out;
    transaction.exec(QStringLiteral("rollback"));
    m_knownIdentity.clear(); // the recipe's row went with it
    return tl::unexpected<base::Error>(std::move(*error));
}

base::Result<std::vector<PictureRow>> RecordLog::pictures(long long item) const
{
    QSqlQuery query(QSqlDatabase::database(m_connection));
    query.prepare(
        QStringLiteral("select key, picture_hash, kept, not_kept from picture where item = ? order by position"));
    query.addBindValue(item);
    if (!query.exec()) return sqlError(query, m_path);
    std::vector<PictureRow> out;
    while (query.next())
        out.push_back({query.value(0).toString(), query.value(1).toString(), query.value(2).toString(),
                       query.value(3).toString()});
    return out;
}

base::Status RecordLog::append(const EventRow& e) { return append(e, std::string()); }

base::Status RecordLog::append(const EventRow& e, const std::string& identity)
{
    if (auto ok = mayWrite(); !ok) return ok;
    QSqlQuery query(QSqlDatabase::database(m_connection));
    query.prepare(QStringLiteral("insert into event (at, by, what, subject, before, after, revision, identity) values "
                                 "(?, ?, ?, ?, ?, ?, ?, ?)"));
    for (const QString& v : {e.at.isEmpty() ? q(nowUtc()) : e.at, e.by, e.what, e.subject, e.before, e.after})
        query.addBindValue(v.isNull() ? QString(QLatin1String("")) : v);
    query.addBindValue(e.revision);
    query.addBindValue(text(identity));
    if (!query.exec()) return sqlError(query, m_path);
    return {};
}

base::Status RecordLog::append(const Release& release, const std::string& before)
{
    return append(release, EventRow{q(release.at), q(release.by), QStringLiteral("release"), q(release.recipe().name),
                                    q(before), q(release.identity), release.revision});
}

base::Status RecordLog::append(const Release& release, EventRow event)
{
    event.revision = release.revision;
    return inOne([&]() -> base::Status {
        if (const auto id = recipeId(release); !id) return base::passOn(id.error());
        return append(event, release.identity);
    });
}

base::Status RecordLog::overrule(long long id, const QString& verdict, const QString& by, const QString& why)
{
    const auto row = item(id);
    if (!row) return base::passOn(row.error());
    return inOne([&]() -> base::Status {
        QSqlQuery query(QSqlDatabase::database(m_connection));
        query.prepare(QStringLiteral("insert into overrule (item, at, by, verdict, why) values (?, ?, ?, ?, ?)"));
        for (const QVariant& v : QVariantList{id, q(nowUtc()), by, verdict, why}) query.addBindValue(v);
        if (!query.exec()) return sqlError(query, m_path);
        return append(EventRow{{},
                               by,
                               QStringLiteral("overrule"),
                               QStringLiteral("record %1: %2").arg(id).arg(why),
                               row->overruled.isEmpty() ? row->verdict : row->overruled,
                               verdict,
                               0});
    });
}

base::Status RecordLog::inOne(const std::function<base::Status()>& work)
{
    if (auto ok = mayWrite(); !ok) return ok;
    QSqlQuery transaction(QSqlDatabase::database(m_connection));
    if (!transaction.exec(QStringLiteral("begin immediate"))) return sqlError(transaction, m_path);
    base::Status done = work();
    if (done && !transaction.exec(QStringLiteral("commit"))) done = sqlError(transaction, m_path);
    if (done) return {};
    transaction.exec(QStringLiteral("rollback"));
    m_knownIdentity.clear();
    return done;
}

base::Result<std::vector<EventRow>> RecordLog::events() const
{
    QSqlQuery query(QSqlDatabase::database(m_connection));
    if (!query.exec(QStringLiteral("select at, by, what, subject, before, after, revision from event order by id")))
        return sqlError(query, m_path);
    std::vector<EventRow> out;
    const auto at = [&](int i) { return query.value(i).toString(); };
    while (query.next()) out.push_back({at(0), at(1), at(2), at(3), at(4), at(5), query.value(6).toInt()});
    return out;
}

base::Result<std::shared_ptr<const Release>> RecordLog::lastRelease() const
{
    QSqlQuery query(QSqlDatabase::database(m_connection));
    // Released by whom and when: the last release; as it runs now: with the limits moved since.
    if (!query.exec(QStringLiteral(
            "select released.at, released.by, event.revision, recipe.packed, recipe.name from event"
            " join recipe on recipe.identity = case event.identity when '' then event.after else event.identity end"
            " join event released on released.id = (select max(id) from event where what = 'release')"
            " where event.revision > 0 and event.id >= released.id and recipe.packed is not null"
            " order by event.id desc limit 1")))
        return sqlError(query, m_path);
    if (!query.next()) return std::shared_ptr<const Release>();
    auto recipe = recipe::unpacked(query.value(3).toByteArray().toStdString(),
                                   query.value(4).toString().toStdString() + " (in the log)");
    if (!recipe) return base::passOn(recipe.error());
    recipe->revision = query.value(2).toInt();
    auto prepared = inspect::Prepared::make(std::move(*recipe));
    if (!prepared) return base::passOn(prepared.error());
    auto made = release(std::make_shared<const inspect::Prepared>(std::move(*prepared)),
                        query.value(1).toString().toStdString());
    if (!made) return base::passOn(made.error());
    auto out = std::make_shared<Release>(**made);
    out->at = query.value(0).toString().toStdString();
    return std::shared_ptr<const Release>(std::move(out));
}

base::Result<std::vector<ItemRow>> RecordLog::read(const QString& where, const Filter& filter) const
{
    QSqlQuery query(QSqlDatabase::database(m_connection));
    query.prepare(QStringLiteral("select item.id, item.at, recipe.name, item.batch, item.picture, item.verdict, "
                                 "item.sentence, item.revision, item.item,"
                                 " recipe.identity, item.released_by, item.station, item.picture_hash, item.kept, "
                                 "item.not_kept, item.warnings, overrule.verdict, overrule.by, overrule.why") +
                  QLatin1String(kFrom) +
                  QStringLiteral(" left join overrule on overrule.id = (select max(id) from overrule where "
                                 "overrule.item = item.id)") +
                  where + QStringLiteral(" order by item.id desc") +
                  (filter.limit > 0 ? QStringLiteral(" limit %1").arg(filter.limit) : QString()));
    bind(query, filter);
    if (!query.exec()) return sqlError(query, m_path);
    std::vector<ItemRow> out;
    const auto at = [&](int i) { return query.value(i).toString(); };
    while (query.next()) {
        ItemRow r;
        r.id = query.value(0).toLongLong();
        r.at = at(1);
        r.recipe = at(2);
        r.batch = at(3);
        r.picture = at(4);
        r.verdict = at(5);
        r.sentence = at(6);
        r.revision = query.value(7).toInt();
        r.item = query.value(8).toInt();
        r.identity = at(9);
        r.by = at(10);
        r.station = at(11);
        r.pictureHash = at(12);
        r.kept = at(13);
        r.notKept = at(14);
        for (const auto& w : QJsonDocument::fromJson(at(15).toUtf8()).array()) r.warnings << w.toString();
        r.overruled = at(16), r.overruledBy = at(17), r.overruledWhy = at(18);
        out.push_back(r);
    }
    return out;
}

base::Result<std::vector<ItemRow>> RecordLog::items(const Filter& filter) const
{
    return read(whereOf(filter, m_server), filter);
}

base::Result<ItemRow> RecordLog::item(long long id) const
{
    auto rows = read(QStringLiteral(" where item.id = %1").arg(id), {});
    if (!rows) return base::passOn(rows.error());
    if (rows->empty()) return fail(ErrorCode::NotFound, "holds no item " + std::to_string(id), m_path.toStdString());
    return rows->front();
}

base::Result<recipe::Recipe> RecordLog::recipeOf(long long item) const
{
    QSqlQuery query(QSqlDatabase::database(m_connection));
    query.prepare(QStringLiteral("select recipe.packed, recipe.name") + QLatin1String(kFrom) +
                  QStringLiteral(" where item.id = ?"));
    query.addBindValue(item);
    if (!query.exec()) return sqlError(query, m_path);
    if (!query.next()) return fail(ErrorCode::NotFound, "holds no item " + std::to_string(item), m_path.toStdString());
    if (query.isNull(0))
        return fail(ErrorCode::NotFound, "item " + std::to_string(item) + " was logged before recipes were kept whole",
                    m_path.toStdString());
    return recipe::unpacked(query.value(0).toByteArray().toStdString(),
                            query.value(1).toString().toStdString() + " (in the log)");
}

base::Result<std::vector<ValueRow>> RecordLog::values(long long item) const
{
    QSqlQuery query(QSqlDatabase::database(m_connection));
    query.prepare(QStringLiteral("select step, output, name, balloon, list, value, unit, nominal, low, high, verdict, "
                                 "reason, elements, uncertainty from value where item = ? order by position"));
    query.addBindValue(item);
    if (!query.exec()) return sqlError(query, m_path);
    std::vector<ValueRow> out;
    const auto optional = [&](int i) {
        return query.isNull(i) ? std::nullopt : std::optional(query.value(i).toDouble());
    };
    while (query.next()) {
        ValueRow r;
        r.step = query.value(0).toString(), r.output = query.value(1).toString(), r.name = query.value(2).toString(),
        r.balloon = query.value(3).toInt(), r.list = query.value(4).toBool();
        if (!query.isNull(5)) {
            if (r.list)
                for (const auto& v : QJsonDocument::fromJson(query.value(5).toString().toUtf8()).array())
                    r.values.push_back(v.toDouble());
            else r.values.push_back(query.value(5).toString().toDouble());
        }
        r.unit = query.value(6).toString(), r.nominal = optional(7), r.low = optional(8), r.high = optional(9);
        r.verdict = query.value(10).toString(), r.reason = query.value(11).toString();
        if (!query.isNull(12)) r.elements = elementsFrom(query.value(12).toString());
        r.uncertainty = optional(13);
        out.push_back(r);
    }
    return out;
}

base::Result<RecordLog::Series> RecordLog::series(const QString& check, const Filter& filter) const
{
    Series out;
    out.name = check;
    QSqlQuery query(QSqlDatabase::database(m_connection));
    query.setForwardOnly(true);
    query.prepare(
        QStringLiteral("select item.id, value.value, value.unit, value.low, value.high from value join item on "
                       "item.id = value.item join recipe on recipe.id = item.recipe") +
        whereOf(filter, m_server) + QStringLiteral(" and value.name = :check and value.list = 0 order by item.id"));
    bind(query, filter);
    query.bindValue(QStringLiteral(":check"), check);
    if (!query.exec()) return sqlError(query, m_path);
    bool any = false;
    while (query.next()) {
        const auto optional = [&](int i) {
            return query.isNull(i) ? std::nullopt : std::optional(query.value(i).toDouble());
        };
        const QString unit = query.value(2).toString();
        if (any && unit != out.unit) {
            out.unitChanged = true;
            continue;
        }
        const auto low = optional(3), high = optional(4);
        out.limitsMoved = out.limitsMoved || (any && (low != out.low || high != out.high));
        out.low = low, out.high = high, out.unit = unit;
        any = true;
        if (query.isNull(1)) {
            ++out.notMeasured;
            continue;
        }
        out.records.push_back(query.value(0).toLongLong());
        out.values.push_back(query.value(1).toString().toDouble());
    }
    if (any) return out;
    QStringList names;
    if (query.exec(QStringLiteral("select distinct name from value where list = 0 order by name limit 40")))
        while (query.next()) names << query.value(0).toString();
    return fail(ErrorCode::NotFound,
                "no record has a single value named \"" + check.toStdString() + "\"" +
                    (names.isEmpty() ? "" : "; there are " + names.join(QStringLiteral(", ")).toStdString()),
                m_path.toStdString());
}

base::Result<RecordLog::Counts> RecordLog::counts(const Filter& filter) const
{
    QSqlQuery query(QSqlDatabase::database(m_connection));
    query.prepare(
        QStringLiteral("select count(*), coalesce(sum(case when item.verdict = 'reject' then 1 else 0 end), 0)") +
        QLatin1String(kFrom) + whereOf(filter, m_server));
    bind(query, filter);
    if (!query.exec() || !query.next()) return sqlError(query, m_path);
    return Counts{query.value(0).toLongLong(), query.value(1).toLongLong()};
}

} // namespace records

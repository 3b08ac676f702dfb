#include "records/server.h"

#include "base/unit.h"
#include "records/record_log.h"

#include <QSqlDatabase>
#include <QSqlError>
#include <QSqlQuery>
#include <QUrl>
#include <QVariant>
#include <chrono>
#include <libpq-fe.h>
#include <map>
#include <set>

namespace records
{
using base::ErrorCode;
using base::fail;

bool isServer(const QString& place) { return place.startsWith(QLatin1String("postgresql://")); }

base::Result<ServerAddress> ServerAddress::fromUrl(const QString& text)
{
    const QUrl url(text, QUrl::StrictMode);
    if (!isServer(text) || !url.isValid() || url.host().isEmpty() || url.path().size() < 2)
        // Not said as it was typed: there may be a password in it.
        return fail(ErrorCode::InvalidArgument, "is no address like postgresql://user@host:5432/database", "server");
    ServerAddress a;
    a.host = url.host(), a.port = url.port(5432), a.database = url.path().mid(1);
    a.user = url.userName(QUrl::FullyDecoded), a.password = url.password(QUrl::FullyDecoded);
    return a;
}
QString ServerAddress::url(bool withPassword) const
{
    QUrl url;
    url.setScheme(QStringLiteral("postgresql"));
    url.setHost(host), url.setPort(port), url.setPath(QLatin1Char('/') + database);
    if (!user.isEmpty()) url.setUserName(user);
    if (withPassword && !password.isEmpty()) url.setPassword(password);
    return url.toString(QUrl::FullyEncoded);
}

// ---------------------------------------------------------------- a connection
class Server
{
public:
    static base::Result<std::unique_ptr<Server>> open(const ServerAddress& a)
    {
        const std::string port = std::to_string(a.port), host = a.host.toStdString(),
                          database = a.database.toStdString(), user = a.user.toStdString(),
                          password = a.password.toStdString();
        // A server that hangs is as good as none.
        std::vector<const char*> keys{
            "host", "port", "dbname", "connect_timeout", "tcp_user_timeout", "application_name", "options"},
            values{host.c_str(),
                   port.c_str(),
                   database.c_str(),
                   "5",
                   "15000",
                   "dikkat",
                   "-c statement_timeout=60000 -c lock_timeout=30000 -c client_min_messages=warning"};
        if (!user.empty()) keys.push_back("user"), values.push_back(user.c_str());
        if (!password.empty()) keys.push_back("password"), values.push_back(password.c_str());
        keys.push_back(nullptr), values.push_back(nullptr);
        std::unique_ptr<Server> out(new Server(a.url().toStdString()));
        out->m_connection = PQconnectdbParams(keys.data(), values.data(), 0);
        if (PQstatus(out->m_connection) != CONNECTION_OK) return out->trouble();
        return out;
    }
    ~Server() { PQfinish(m_connection); }
    Server(const Server&) = delete;
    Server& operator=(const Server&) = delete;

    class Answer
    {
    public:
        explicit Answer(PGresult* it) : m_it(it) {}
        ~Answer() { PQclear(m_it); }
        Answer(Answer&& o) noexcept : m_it(std::exchange(o.m_it, nullptr)) {}
        Answer& operator=(Answer&&) = delete;
        int rows() const { return PQntuples(m_it); }
        std::string text(int row, int column) const { return PQgetvalue(m_it, row, column); }
        long long whole(int row, int column) const { return std::atoll(PQgetvalue(m_it, row, column)); }

    private:
        PGresult* m_it;
    };
    // Texts as $1, $2, …; bytes are told apart by `binary`.
    base::Result<Answer> ask(const char* sql, const std::vector<std::string>& parameters = {}, int binary = -1)
    {
        std::vector<const char*> values;
        std::vector<int> lengths, formats;
        for (std::size_t i = 0; i < parameters.size(); ++i) {
            values.push_back(parameters[i].data());
            lengths.push_back(int(parameters[i].size()));
            formats.push_back(int(i) == binary);
        }
        PGresult* r = PQexecParams(m_connection, sql, int(values.size()), nullptr, values.data(), lengths.data(),
                                   formats.data(), 0);
        const auto status = PQresultStatus(r);
        Answer answer(r);
        if (status == PGRES_TUPLES_OK || status == PGRES_COMMAND_OK) return answer;
        return trouble();
    }
    base::Status run(const char* sql, const std::vector<std::string>& parameters = {}, int binary = -1)
    {
        const auto answer = ask(sql, parameters, binary);
        if (!answer) return base::passOn(answer.error());
        return {};
    }
    // Lines of "copy … from stdin", parted by tabs and ended by \n.
    base::Status copy(const char* sql, const std::string& lines)
    {
        PGresult* r = PQexec(m_connection, sql);
        const bool begun = PQresultStatus(r) == PGRES_COPY_IN;
        PQclear(r);
        if (!begun) return trouble();
        constexpr std::size_t kPiece = 1 << 20;
        for (std::size_t at = 0; at < lines.size(); at += kPiece)
            if (PQputCopyData(m_connection, lines.data() + at, int(std::min(kPiece, lines.size() - at))) != 1)
                return trouble();
        if (PQputCopyEnd(m_connection, nullptr) != 1) return trouble();
        bool ok = true;
        while (PGresult* one = PQgetResult(m_connection)) {
            ok = ok && PQresultStatus(one) == PGRES_COMMAND_OK;
            PQclear(one);
        }
        if (!ok) return trouble();
        return {};
    }
    tl::unexpected<base::Error> trouble() const
    {
        std::string text = PQerrorMessage(m_connection);
        while (!text.empty() && (text.back() == '\n' || text.back() == ' ')) text.pop_back();
        std::replace_if(
            text.begin(), text.end(), [](char c) { return c == '\n' || c == '\t'; }, ' ');
        return fail(ErrorCode::Io, text.empty() ? "the server does not answer" : text, m_where);
    }
    const std::string& where() const { return m_where; }

private:
    explicit Server(std::string where) : m_where(std::move(where)) {}
    std::string m_where;
    PGconn* m_connection = nullptr;
};

namespace
{
// One after another; a server is brought from any of them to the last one.
const std::vector<std::vector<const char*>>& migrations()
{
    static const std::vector<std::vector<const char*>> all{
        {"create table origin (id bigserial primary key, uid text not null unique, name text not null, last_item "
         "bigint not "
         "null default 0, last_at text not null default '', last_event bigint not null default 0, last_overrule bigint "
         "not "
         "null default 0)",
         "create table recipe (id bigserial primary key, identity text not null, name text not null, packed bytea, "
         "json text "
         "not null, first_used text not null, unique (identity, name))",
         "create sequence item_id",
         "create table item (id bigint not null default nextval('item_id'), at text not null, recipe bigint not null "
         "references recipe(id), revision integer not null, released_by text not null, batch text not null, station "
         "text not "
         "null, picture text not null, picture_hash text not null, kept text not null, not_kept text not null, item "
         "integer "
         "not null, verdict text not null check (verdict in ('accept', 'reject', 'unjudged', 'error')), sentence text "
         "not "
         "null, milliseconds double precision not null, warnings text, origin bigint not null references origin(id), "
         "origin_id bigint not null, primary key (id, at)) partition by range (at)",
         "create unique index item_origin on item (origin, origin_id, at)", "create index item_at on item (at)",
         "create table value (item bigint not null, position integer not null, step text not null, output text not "
         "null, name "
         "text not null, balloon integer not null, list integer not null, value text, unit text not null, nominal "
         "double "
         "precision, low double precision, high double precision, verdict text not null, reason text not null, "
         "elements text, "
         "at text not null, primary key (item, position, at)) partition by range (at)",
         "create table picture (item bigint not null, position integer not null, key text not null, picture_hash text "
         "not "
         "null, kept text not null, not_kept text not null, primary key (item, position))",
         "create table event (id bigserial primary key, at text not null, by text not null, what text not null, "
         "subject text "
         "not null, before text not null, after text not null, revision integer not null, identity text not null, "
         "origin "
         "bigint not null references origin(id), origin_id bigint not null, unique (origin, origin_id))",
         "create table overrule (id bigserial primary key, item bigint not null, at text not null, by text not null, "
         "verdict "
         "text not null, why text not null, origin bigint not null references origin(id), origin_id bigint not null, "
         "unique "
         "(origin, origin_id))",
         "create index overrule_item on overrule (item)",
         "create table digest (first bigint primary key, packed bytea not null)"},
        {"alter table value add column uncertainty double precision"}};
    return all;
}
// Of all that write and of those that make tables; numbers are then given in the order things are committed.
const char* const kLock = "select pg_advisory_xact_lock(1147760491)";

base::Status migrate(Server& s)
{
    const auto inTransaction = [&]() -> base::Status {
        if (auto ok = s.run(kLock); !ok) return ok;
        if (auto ok = s.run("create table if not exists about (key text primary key, value text not null)"); !ok)
            return ok;
        const auto now = s.ask("select value from about where key = 'version'");
        if (!now) return base::passOn(now.error());
        std::size_t version = now->rows() > 0 ? std::size_t(now->whole(0, 0)) : 0;
        if (version > migrations().size())
            return fail(ErrorCode::Unsupported,
                        "its tables have version " + std::to_string(version) +
                            ", made by a newer program; this one knows up to " + std::to_string(migrations().size()),
                        s.where());
        for (; version < migrations().size(); ++version)
            for (const char* sql : migrations()[version])
                if (auto ok = s.run(sql); !ok) return ok;
        return s.run("insert into about (key, value) values ('version', $1) on conflict (key) do update set value = "
                     "excluded.value",
                     {std::to_string(version)});
    };
    if (auto ok = s.run("begin"); !ok) return ok;
    base::Status done = inTransaction();
    if (done) return s.run("commit");
    (void)s.run("rollback");
    return done;
}
std::string t(const QVariant& v) { return v.toString().toStdString(); }
// A field of "copy": a tab before it, what would end it escaped.
void field(std::string& line, std::string_view text)
{
    line += '\t';
    for (const char c : text) switch (c) {
        case '\\': line += "\\\\"; break;
        case '\t': line += "\\t"; break;
        case '\n': line += "\\n"; break;
        case '\r': line += "\\r"; break;
        case '\0': break; // no text has it; the server could not hold it
        default: line += c;
        }
}
void field(std::string& line, const QVariant& v)
{
    if (v.isNull()) line += "\t\\N";
    else if (v.typeId() == QMetaType::Double) field(line, base::shortest(v.toDouble()));
    else field(line, t(v));
}
} // namespace

// ---------------------------------------------------------------- the file's rows
class Sender::Source
{
public:
    static base::Result<std::unique_ptr<Source>> open(const QString& path)
    {
        auto log = RecordLog::open(path); // brings an older one to the present schema
        if (!log) return base::passOn(log.error());
        std::unique_ptr<Source> out(new Source);
        out->m_log = std::move(*log);
        return out;
    }
    // A query over the same file; by its own connection.
    base::Result<QSqlQuery> ask(const QString& sql, const QVariantList& values = {})
    {
        QSqlQuery q(m_log->database());
        q.setForwardOnly(true);
        q.prepare(sql);
        for (const QVariant& v : values) q.addBindValue(v);
        if (!q.exec())
            return fail(ErrorCode::Io, "the record log cannot be read: " + q.lastError().text().toStdString(),
                        m_log->path().toStdString());
        return q;
    }

private:
    Source() = default;
    std::unique_ptr<RecordLog> m_log;
};

// ---------------------------------------------------------------- sending
Sender::Sender(QString log, ServerAddress to, QString station)
    : m_log(std::move(log)), m_station(std::move(station)), m_to(std::move(to))
{
}
Sender::~Sender() = default;

base::Status Sender::connect()
{
    if (!m_source) {
        auto source = Source::open(m_log);
        if (!source) return base::passOn(source.error());
        m_source = std::move(*source);
    }
    if (m_server) return {};
    auto server = Server::open(m_to);
    if (!server) return base::passOn(server.error());
    if (auto ok = migrate(**server); !ok) return ok;
    auto uid = m_source->ask(QStringLiteral("select value from about where key = 'uid'"));
    if (!uid) return base::passOn(uid.error());
    if (!uid->next()) return fail(ErrorCode::Corrupt, "the log does not say which one it is", m_log.toStdString());
    const auto origin =
        (*server)->ask("insert into origin (uid, name) values ($1, $2) on conflict (uid) do update set name = "
                       "excluded.name returning id",
                       {t(uid->value(0)), m_station.toStdString()});
    if (!origin) return base::passOn(origin.error());
    m_origin = origin->whole(0, 0);
    m_server = std::move(*server);
    return {};
}

namespace
{
// "2026-11" of "2026-11-30T…", and the month after it.
std::pair<std::string, std::string> monthOf(const std::string& at)
{
    int year = 2000, month = 1;
    if (at.size() >= 7) year = std::atoi(at.substr(0, 4).c_str()), month = std::atoi(at.substr(5, 2).c_str());
    if (year < 1970 || year > 9998 || month < 1 || month > 12) year = 1970, month = 1;
    char now[16], next[16];
    std::snprintf(now, sizeof now, "%04d-%02d", year, month);
    std::snprintf(next, sizeof next, "%04d-%02d", month == 12 ? year + 1 : year, month == 12 ? 1 : month + 1);
    return {now, next};
}
base::Status partitions(Server& s, const std::set<std::string>& moments)
{
    std::set<std::pair<std::string, std::string>> months;
    for (const std::string& at : moments) months.insert(monthOf(at));
    for (const auto& [now, next] : months) {
        std::string name = now;
        std::replace(name.begin(), name.end(), '-', '_');
        for (const char* table : {"item", "value"}) {
            const std::string sql = std::string("create table if not exists ") + table + "_" + name + " partition of " +
                                    table + " for values from ('" + now + "') to ('" + next + "')";
            if (auto ok = s.run(sql.c_str()); !ok) return ok;
        }
    }
    return {};
}
} // namespace

// What goes in one transaction, made ready before anybody is kept waiting for it.
struct Sender::Batch {
    Mark mark;
    struct Item {
        long long id = 0; // in the file
        std::string line, at;
        std::vector<std::string> values, pictures;
    };
    std::vector<Item> items;
    std::set<std::string> moments;
    std::vector<std::pair<long long, std::vector<std::string>>> events, overrules; // by number
    bool full() const
    {
        return items.size() >= std::size_t(kBatch) || events.size() >= std::size_t(kBatch) ||
               overrules.size() >= std::size_t(kBatch);
    }
};

base::Result<Sender::Mark> Sender::mark()
{
    const auto row = m_server->ask("select last_item, last_at, last_event, last_overrule from origin where id = $1",
                                   {std::to_string(m_origin)});
    if (!row) return base::passOn(row.error());
    if (row->rows() != 1) return fail(ErrorCode::Corrupt, "the server has forgotten this log", m_server->where());
    return Mark{row->whole(0, 0), row->whole(0, 2), row->whole(0, 3), row->text(0, 1)};
}

// The recipe's number on the server; it is put there when it is not.
base::Result<std::string> Sender::recipe(long long id, const std::string& identity, const std::string& name)
{
    auto& known = m_recipes[id];
    if (!known.empty()) return known;
    const auto there = m_server->ask("select id from recipe where identity = $1 and name = $2", {identity, name});
    if (!there) return base::passOn(there.error());
    if (there->rows() > 0) return known = there->text(0, 0);
    auto row = m_source->ask(QStringLiteral("select packed, json, first_used from recipe where id = ?"), {id});
    if (!row) return base::passOn(row.error());
    if (!row->next()) return fail(ErrorCode::Corrupt, "a recipe is missing", m_log.toStdString());
    // Several stations may bring the same one at once.
    const auto made = m_server->ask(
        "insert into recipe (packed, identity, name, json, first_used) values (nullif($1::bytea, ''::bytea), $2, "
        "$3, $4, $5) on conflict (identity, name) do update set name = excluded.name returning id",
        {row->value(0).toByteArray().toStdString(), identity, name, t(row->value(1)), t(row->value(2))}, 0);
    if (!made) return base::passOn(made.error());
    return known = made->text(0, 0);
}

base::Result<Sender::Batch> Sender::prepare()
{
    auto mark = this->mark();
    if (!mark) return base::passOn(mark.error());
    Batch b;
    b.mark = *mark;
    // A copy of a log that went its own way has the same name; it must not be taken for the first.
    if (mark->item > 0) {
        auto row = m_source->ask(QStringLiteral("select at from item where id = ?"), {mark->item});
        if (!row) return base::passOn(row.error());
        if (row->next() && t(row->value(0)) != mark->at)
            return fail(ErrorCode::Corrupt,
                        "this log is a copy of one that has sent other items under its name: give it a new file, or "
                        "send the first one on",
                        m_log.toStdString());
    }
    auto items = m_source->ask(
        QStringLiteral("select item.id, recipe.id, recipe.identity, recipe.name, at, revision, released_by, batch, "
                       "station, picture, picture_hash, kept, not_kept, item, verdict, sentence, milliseconds, "
                       "warnings from item join recipe on recipe.id = item.recipe where item.id > ? order by item.id "
                       "limit %1")
            .arg(kBatch),
        {mark->item});
    if (!items) return base::passOn(items.error());
    while (items->next()) {
        const auto v = [&](int i) { return items->value(i); };
        const auto number = recipe(v(1).toLongLong(), t(v(2)), t(v(3)));
        if (!number) return base::passOn(number.error());
        Batch::Item item;
        item.id = v(0).toLongLong(), item.at = t(v(4));
        field(item.line, *number);
        for (int i = 4; i < 18; ++i)
            if (i == 8 && t(v(8)).empty()) field(item.line, m_station.toStdString()); // without a name of its own
            else field(item.line, v(i));
        b.moments.insert(item.at);
        b.items.push_back(std::move(item));
    }
    if (!b.items.empty()) {
        const QVariantList range{mark->item, b.items.back().id};
        const auto into = [&](const QString& sql, int columns,
                              std::vector<std::string> Batch::Item::*to) -> base::Status {
            auto rows = m_source->ask(sql, range);
            if (!rows) return base::passOn(rows.error());
            std::size_t at = 0;
            while (rows->next()) {
                const long long id = rows->value(0).toLongLong();
                while (at < b.items.size() && b.items[at].id < id) ++at;
                if (at == b.items.size()) break;
                std::string line;
                for (int i = 1; i < columns; ++i) field(line, rows->value(i));
                (b.items[at].*to).push_back(std::move(line));
            }
            return {};
        };
        if (auto ok = into(
                QStringLiteral(
                    "select item, position, step, output, name, balloon, list, value, unit, nominal, "
                    "low, high, verdict, "
                    "reason, elements, uncertainty from value where item > ? and item <= ? order by item, position"),
                16, &Batch::Item::values);
            !ok)
            return base::passOn(ok.error());
        if (auto ok = into(QStringLiteral("select item, position, key, picture_hash, kept, not_kept from picture where "
                                          "item > ? and item <= ? "
                                          "order by item, position"),
                           6, &Batch::Item::pictures);
            !ok)
            return base::passOn(ok.error());
    }
    // What somebody did or said; what is said of an item comes with it or later.
    const long long upTo = b.items.empty() ? mark->item : b.items.back().id;
    const auto said = [&](const QString& sql, const QVariantList& values, int columns, auto& to) -> base::Status {
        auto rows = m_source->ask(sql, values);
        if (!rows) return base::passOn(rows.error());
        while (rows->next()) {
            std::vector<std::string> fields;
            for (int i = 1; i < columns; ++i) fields.push_back(t(rows->value(i)));
            to.emplace_back(rows->value(0).toLongLong(), std::move(fields));
        }
        return {};
    };
    if (auto ok = said(QStringLiteral("select id, at, by, what, subject, before, after, revision, identity from event "
                                      "where id > ? order by id "
                                      "limit %1")
                           .arg(kBatch),
                       {mark->event}, 9, b.events);
        !ok)
        return base::passOn(ok.error());
    // In their order: none goes before one that is said of an item that is not sent yet.
    if (auto ok = said(QStringLiteral("select id, item, at, by, verdict, why from overrule where id > ? and id < "
                                      "coalesce((select min(id) from "
                                      "overrule where id > ? and item > ?), 9000000000000000000) order by id limit %1")
                           .arg(kBatch),
                       {mark->overrule, mark->overrule, upTo}, 6, b.overrules);
        !ok)
        return base::passOn(ok.error());
    return b;
}

base::Status Sender::put(const Batch& b)
{
    Server& server = *m_server;
    if (auto ok = server.run(kLock); !ok) return ok;
    const auto mark = this->mark();
    if (!mark) return base::passOn(mark.error());
    if (!(*mark == b.mark))
        return fail(ErrorCode::Io, "another program sends this log on as well", m_log.toStdString());
    const std::string origin = std::to_string(m_origin);
    Mark next = b.mark;
    if (!b.items.empty()) {
        if (auto ok = partitions(server, b.moments); !ok) return ok;
        const auto ids = server.ask("select nextval('item_id') from generate_series(1, $1::integer)",
                                    {std::to_string(b.items.size())});
        if (!ids) return base::passOn(ids.error());
        std::string items, values, pictures;
        for (std::size_t i = 0; i < b.items.size(); ++i) {
            const Batch::Item& item = b.items[i];
            const std::string id = ids->text(int(i), 0);
            items += id + item.line + "\t" + origin + "\t" + std::to_string(item.id) + "\n";
            for (const std::string& v : item.values) values += id + v + "\t" + item.at + "\n";
            for (const std::string& p : item.pictures) pictures += id + p + "\n";
        }
        if (auto ok = server.copy("copy item (id, recipe, at, revision, released_by, batch, station, picture, "
                                  "picture_hash, kept, not_kept, "
                                  "item, verdict, sentence, milliseconds, warnings, origin, origin_id) from stdin",
                                  items);
            !ok)
            return ok;
        if (!values.empty())
            if (auto ok = server.copy(
                    "copy value (item, position, step, output, name, balloon, list, value, unit, nominal, low, high, "
                    "verdict, reason, elements, uncertainty, at) from stdin",
                    values);
                !ok)
                return ok;
        if (!pictures.empty())
            if (auto ok = server.copy("copy picture (item, position, key, picture_hash, kept, not_kept) from stdin",
                                      pictures);
                !ok)
                return ok;
        next.item = b.items.back().id, next.at = b.items.back().at;
    }
    for (const auto& [id, f] : b.events) {
        auto all = f;
        all.push_back(origin), all.push_back(std::to_string(id));
        if (auto ok = server.run("insert into event (at, by, what, subject, before, after, revision, identity, origin, "
                                 "origin_id) values ($1, "
                                 "$2, $3, $4, $5, $6, $7, $8, $9, $10)",
                                 all);
            !ok)
            return ok;
        next.event = id;
    }
    for (const auto& [id, f] : b.overrules) {
        if (auto ok = server.run("insert into overrule (item, at, by, verdict, why, origin, origin_id) select id, $3, "
                                 "$4, $5, $6, $1::bigint, "
                                 "$7::bigint from item where origin = $1::bigint and origin_id = $2::bigint",
                                 {origin, f[0], f[1], f[2], f[3], f[4], std::to_string(id)});
            !ok)
            return ok;
        next.overrule = id;
    }
    if (next == b.mark) return {};
    return server.run(
        "update origin set last_item = $2, last_at = $3, last_event = $4, last_overrule = $5 where id = $1",
        {origin, std::to_string(next.item), next.at, std::to_string(next.event), std::to_string(next.overrule)});
}

base::Result<Sender::Sent> Sender::sendSome()
{
    const auto give = [&](const base::Error& e) {
        m_server.reset(); // whatever was under way is undone there
        m_recipes.clear();
        return base::passOn(e);
    };
    if (auto ok = connect(); !ok) return give(ok.error());
    const auto batch = prepare();
    if (!batch) return give(batch.error());
    Sent sent;
    sent.items = (long long)(batch->items.size());
    sent.upTo = batch->items.empty() ? batch->mark.item : batch->items.back().id;
    sent.all = !batch->full();
    if (!batch->items.empty() || !batch->events.empty() || !batch->overrules.empty()) {
        if (auto ok = m_server->run("begin"); !ok) return give(ok.error());
        if (auto ok = put(*batch); !ok) return give(ok.error());
        if (auto ok = m_server->run("commit"); !ok) return give(ok.error());
    }
    // Old records leave the file only when they are there.
    if (sent.items > 0 || !m_marked)
        if (auto ok = m_source->ask(QStringLiteral("insert or replace into about (key, value) values ('sent', ?)"),
                                    {QString::number(sent.upTo)});
            ok)
            m_marked = true;
    return sent;
}

// ---------------------------------------------------------------- on its own thread
Forwarder::Forwarder(QString log, ServerAddress to, QString station, std::function<void(const State&)> changed)
    : m_changed(std::move(changed)), m_thread([this, log = std::move(log), to = std::move(to),
                                               station = std::move(station)] { run(log, to, station); })
{
}
Forwarder::~Forwarder()
{
    {
        const std::lock_guard lock(m_mutex);
        m_stop = true;
    }
    m_wake.notify_all();
    m_thread.join();
}
void Forwarder::wake()
{
    {
        const std::lock_guard lock(m_mutex);
        ++m_asked;
        m_state.caughtUp = false;
    }
    m_wake.notify_all();
}
Forwarder::State Forwarder::state() const
{
    const std::lock_guard lock(m_mutex);
    return m_state;
}
bool Forwarder::wait(int milliseconds) const
{
    std::unique_lock lock(m_mutex);
    return m_wake.wait_for(lock, std::chrono::milliseconds(milliseconds), [this] { return m_state.caughtUp; });
}

void Forwarder::run(QString log, ServerAddress to, QString station)
{
    using namespace std::chrono_literals;
    Sender sender(std::move(log), std::move(to), std::move(station));
    std::chrono::milliseconds pause = 0ms, patience = 100ms; // after success, after trouble
    for (;;) {
        long long asked = 0;
        {
            const std::lock_guard lock(m_mutex);
            if (m_stop) return;
            asked = m_asked;
        }
        const auto sent = sender.sendSome();
        State now, before;
        {
            std::unique_lock lock(m_mutex);
            before = m_state;
            if (sent) {
                m_state.sent += sent->items;
                m_state.trouble.clear();
                m_state.caughtUp = sent->all && asked == m_asked;
                pause = sent->all ? 1000ms : 0ms, patience = 100ms;
            } else {
                m_state.trouble = sent.error().text();
                m_state.caughtUp = false;
                pause = patience = std::min(2 * patience, std::chrono::milliseconds(5000));
            }
            now = m_state;
        }
        m_wake.notify_all();
        if (m_changed && !(now == before)) m_changed(now);
        std::unique_lock lock(m_mutex);
        // What is logged wakes it at once, unless the server is in trouble.
        m_wake.wait_for(lock, pause, [&] { return m_stop || (sent && m_asked != asked); });
        if (m_stop) return;
    }
}

} // namespace records

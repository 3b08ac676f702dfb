#include "records/column_reader.h"

#include <QDateTime>
#include <QSqlDatabase>
#include <QSqlDriver>
#include <QVariant>
#include <charconv>
#include <cmath>
#include <cstring>
#include <libpq-fe.h>
#include <limits>
#include <sqlite3.h>

namespace records
{
using base::ErrorCode;
using base::fail;

// Rows of one question, past the toolkit: it would make a variant of every column of every row.
class Rows
{
public:
    virtual ~Rows() = default;
    virtual bool next() = 0;
    virtual bool failed() const = 0;
    virtual long long whole(int c) const = 0;
    virtual std::string_view text(int c) const = 0;
    virtual bool none(int c) const = 0;
    virtual std::optional<double> number(int c) const = 0;
};
// A log's rows: of a file, or of a server.
class RowSource
{
public:
    virtual ~RowSource() = default;
    // least and greatest number of an item, greatest of an overrule
    virtual bool range(long long& least, long long& most, long long& overrules) = 0;
    virtual bool begin() = 0; // all that is asked until end() is of one moment
    virtual void end() = 0;
    virtual Rows& recipes() = 0;
    virtual Rows& items(long long first) = 0;
    virtual Rows& values(long long first) = 0;
    virtual Rows& overruled() = 0;
    virtual QByteArray digest(long long first) = 0;
    virtual bool keep(long long first, const QByteArray& bytes) = 0;
    virtual std::string trouble() const = 0;
};

namespace
{
constexpr double kNoNumber = std::numeric_limits<double>::quiet_NaN();

constexpr const char* kRecipes = "select id, name, identity from recipe";
constexpr const char* kItems =
    "select id, at, recipe, revision, batch, station, picture, case when kept <> '' then 1 else 0 end, "
    "verdict, sentence from item where id >= $1 and id < $2 order by id";
constexpr const char* kValues =
    "select item, position, step, output, name, balloon, list, value, unit, nominal, low, high, "
    "verdict, case when elements is null then 0 else 1 end from value where item >= $1 and item < $2 "
    "order by item, position";
constexpr const char* kOverruled = "select item, verdict from overrule order by id";

// ---------------------------------------------------------------- a file
class FileRows : public Rows
{
public:
    FileRows(sqlite3* db, const char* sql) { sqlite3_prepare_v2(db, sql, -1, &m_it, nullptr); }
    ~FileRows() override { sqlite3_finalize(m_it); }
    FileRows(const FileRows&) = delete;
    FileRows& operator=(const FileRows&) = delete;
    FileRows& ask(long long from = 0, long long to = 0)
    {
        sqlite3_reset(m_it);
        if (sqlite3_bind_parameter_count(m_it) > 0) sqlite3_bind_int64(m_it, 1, from);
        if (sqlite3_bind_parameter_count(m_it) > 1) sqlite3_bind_int64(m_it, 2, to);
        return *this;
    }
    bool next() override { return (m_state = sqlite3_step(m_it)) == SQLITE_ROW; }
    bool failed() const override { return m_state != SQLITE_ROW && m_state != SQLITE_DONE; }
    void end() { sqlite3_reset(m_it); } // lets go of what it reads
    long long whole(int c) const override { return sqlite3_column_int64(m_it, c); }
    std::string_view text(int c) const override
    {
        const auto* t = reinterpret_cast<const char*>(sqlite3_column_text(m_it, c));
        return t ? std::string_view(t, std::size_t(sqlite3_column_bytes(m_it, c))) : std::string_view();
    }
    QByteArray bytes(int c) const
    {
        return QByteArray(static_cast<const char*>(sqlite3_column_blob(m_it, c)), sqlite3_column_bytes(m_it, c));
    }
    bool none(int c) const override { return sqlite3_column_type(m_it, c) == SQLITE_NULL; }
    std::optional<double> number(int c) const override
    {
        return none(c) ? std::nullopt : std::optional(sqlite3_column_double(m_it, c));
    }
    sqlite3_stmt* it() const { return m_it; }

private:
    sqlite3_stmt* m_it = nullptr;
    int m_state = SQLITE_DONE;
};
class FileSource : public RowSource
{
public:
    explicit FileSource(sqlite3* db)
        : m_db(db),
          m_range(db, "select coalesce((select min(id) from item), 0), coalesce((select max(id) from item), 0), "
                      "coalesce((select max(id) from overrule), 0)"),
          m_items(db, kItems), m_values(db, kValues), m_recipes(db, kRecipes),
          m_digest(db, "select packed from digest where first = ?"),
          m_keep(db, "insert or replace into digest (first, packed) values (?, ?)"), m_overruled(db, kOverruled)
    {
    }
    bool range(long long& least, long long& most, long long& overrules) override
    {
        m_range.ask();
        const bool there = m_range.next();
        if (there) least = m_range.whole(0), most = m_range.whole(1), overrules = m_range.whole(2);
        m_range.end();
        return there;
    }
    bool begin() override { return sqlite3_exec(m_db, "begin", nullptr, nullptr, nullptr) == SQLITE_OK; }
    void end() override
    {
        for (FileRows* r : {&m_items, &m_values, &m_recipes, &m_overruled}) r->end();
        sqlite3_exec(m_db, "commit", nullptr, nullptr, nullptr);
    }
    Rows& recipes() override { return m_recipes.ask(); }
    Rows& items(long long first) override { return m_items.ask(first, first + kBlockItems); }
    Rows& values(long long first) override { return m_values.ask(first, first + kBlockItems); }
    Rows& overruled() override { return m_overruled.ask(); }
    QByteArray digest(long long first) override
    {
        m_digest.ask(first);
        const QByteArray out = m_digest.next() ? m_digest.bytes(0) : QByteArray();
        m_digest.end();
        return out;
    }
    bool keep(long long first, const QByteArray& bytes) override
    {
        m_keep.ask(first);
        sqlite3_bind_blob64(m_keep.it(), 2, bytes.constData(), sqlite3_uint64(bytes.size()), SQLITE_STATIC);
        m_keep.next();
        const bool ok = !m_keep.failed();
        m_keep.end();
        sqlite3_clear_bindings(m_keep.it());
        return ok;
    }
    std::string trouble() const override { return sqlite3_errmsg(m_db); }

private:
    sqlite3* m_db;
    FileRows m_range, m_items, m_values, m_recipes, m_digest, m_keep, m_overruled;
};

// ---------------------------------------------------------------- a server
class ServerRows : public Rows
{
public:
    ~ServerRows() override { PQclear(m_it); }
    void take(PGresult* it)
    {
        PQclear(m_it);
        m_it = it, m_row = -1;
    }
    bool good() const { return PQresultStatus(m_it) == PGRES_TUPLES_OK || PQresultStatus(m_it) == PGRES_COMMAND_OK; }
    bool next() override { return good() && ++m_row < PQntuples(m_it); }
    bool failed() const override { return !good(); }
    std::string_view text(int c) const override
    {
        return {PQgetvalue(m_it, m_row, c), std::size_t(PQgetlength(m_it, m_row, c))};
    }
    bool none(int c) const override { return PQgetisnull(m_it, m_row, c); }
    long long whole(int c) const override
    {
        long long v = 0;
        const auto t = text(c);
        std::from_chars(t.data(), t.data() + t.size(), v);
        return v;
    }
    std::optional<double> number(int c) const override
    {
        if (none(c)) return std::nullopt;
        double v = 0;
        const auto t = text(c);
        std::from_chars(t.data(), t.data() + t.size(), v);
        return v;
    }

private:
    PGresult* m_it = nullptr;
    int m_row = -1;
};
class ServerSource : public RowSource
{
public:
    explicit ServerSource(PGconn* db) : m_db(db) {}
    bool range(long long& least, long long& most, long long& overrules) override
    {
        ServerRows& r =
            ask(m_recipes, "select coalesce((select min(id) from item), 0), coalesce((select max(id) from item), 0), "
                           "coalesce((select max(id) from overrule), 0)");
        if (!r.next()) return false;
        least = r.whole(0), most = r.whole(1), overrules = r.whole(2);
        return true;
    }
    bool begin() override { return !ask(m_recipes, "begin isolation level repeatable read read only").failed(); }
    void end() override
    {
        ServerRows r;
        ask(r, "commit");
    }
    Rows& recipes() override { return ask(m_recipes, kRecipes); }
    Rows& items(long long first) override { return ask(m_items, kItems, {first, first + kBlockItems}); }
    Rows& values(long long first) override { return ask(m_values, kValues, {first, first + kBlockItems}); }
    Rows& overruled() override { return ask(m_overruled, kOverruled); }
    QByteArray digest(long long first) override
    {
        const std::string number = std::to_string(first);
        const char* value = number.c_str();
        ServerRows r;
        r.take(
            PQexecParams(m_db, "select packed from digest where first = $1", 1, nullptr, &value, nullptr, nullptr, 1));
        if (!r.next()) return {};
        const auto bytes = r.text(0);
        return QByteArray(bytes.data(), qsizetype(bytes.size()));
    }
    bool keep(long long first, const QByteArray& bytes) override
    {
        const std::string number = std::to_string(first);
        const char* values[] = {number.c_str(), bytes.constData()};
        const int lengths[] = {0, int(bytes.size())}, formats[] = {0, 1};
        ServerRows r;
        r.take(PQexecParams(
            m_db,
            "insert into digest (first, packed) values ($1, $2) on conflict (first) do update set packed = "
            "excluded.packed",
            2, nullptr, values, lengths, formats, 0));
        return !r.failed();
    }
    std::string trouble() const override { return PQerrorMessage(m_db); }

private:
    ServerRows& ask(ServerRows& rows, const char* sql, std::vector<long long> numbers = {})
    {
        std::vector<std::string> texts;
        for (const long long n : numbers) texts.push_back(std::to_string(n));
        std::vector<const char*> values;
        for (const std::string& t : texts) values.push_back(t.c_str());
        rows.take(PQexecParams(m_db, sql, int(values.size()), nullptr, values.data(), nullptr, nullptr, 0));
        return rows;
    }
    PGconn* m_db;
    ServerRows m_items, m_values, m_recipes, m_overruled;
};
QString q(std::string_view s) { return QString::fromUtf8(s.data(), qsizetype(s.size())); }

// "2026-11-30T02:56:32.123Z" to milliseconds; anything else by the toolkit.
std::int64_t millisecondsOf(std::string_view s)
{
    const auto digits = [&](std::size_t at, std::size_t n) {
        int v = 0;
        return std::from_chars(s.data() + at, s.data() + at + n, v).ptr == s.data() + at + n ? v : -1;
    };
    if (s.size() == 24 && s[23] == 'Z' && s[10] == 'T') {
        const int year = digits(0, 4), month = digits(5, 2), day = digits(8, 2), hour = digits(11, 2),
                  minute = digits(14, 2), second = digits(17, 2), thousandth = digits(20, 3);
        if (year >= 1970 && month >= 1 && month <= 12 && day >= 1 && hour >= 0 && minute >= 0 && second >= 0 &&
            thousandth >= 0) {
            // Days since 1970 of the civil calendar.
            const long long y = year - (month <= 2), era = y / 400, ofEra = y - era * 400,
                            ofYear = (153 * (month + (month > 2 ? -3 : 9)) + 2) / 5 + day - 1,
                            days = era * 146097 + ofEra * 365 + ofEra / 4 - ofEra / 100 + ofYear - 719468;
            return ((days * 24 + hour) * 60 + minute) * 60000 + second * 1000 + thousandth;
        }
    }
    return QDateTime::fromString(q(s), Qt::ISODateWithMs).toMSecsSinceEpoch();
}
CellState stateOf(std::string_view word)
{
    return word == "pass"           ? CellState::Pass
           : word == "fail"         ? CellState::Fail
           : word == "not_measured" ? CellState::NotMeasured
                                    : CellState::Unjudged;
}
ItemVerdict verdictOf(std::string_view word)
{
    return word == "accept"     ? ItemVerdict::Accept
           : word == "reject"   ? ItemVerdict::Reject
           : word == "unjudged" ? ItemVerdict::Unjudged
                                : ItemVerdict::Error;
}
double numberOf(std::string_view text)
{
    double v = kNoNumber;
    std::from_chars(text.data(), text.data() + text.size(), v);
    return std::isfinite(v) ? v : kNoNumber;
}
// Of "[1.2,3.4]" the one with the least room to its limits.
double worstOf(std::string_view list, const LimitSet& limits)
{
    if (!limits.low && !limits.high) return kNoNumber;
    double worst = kNoNumber, room = 1e300;
    const char* at = list.data();
    const char* const end = at + list.size();
    while (at < end) {
        double v = 0;
        const auto r = std::from_chars(at, end, v);
        if (r.ec != std::errc()) {
            ++at;
            continue;
        }
        at = r.ptr;
        const double here = std::min(limits.low ? v - *limits.low : 1e300, limits.high ? *limits.high - v : 1e300);
        if (here < room) room = here, worst = v;
    }
    return worst;
}
template <class List, class Word> std::uint16_t wordOf(List& list, const Word& word)
{
    for (std::size_t i = std::size_t(list.size()); i > 0; --i)
        if (list[std::remove_reference_t<decltype(list.size())>(i - 1)] == word) return std::uint16_t(i - 1);
    list.push_back(word);
    return std::uint16_t(list.size() - 1);
}
} // namespace

base::Result<std::unique_ptr<ColumnReader>> ColumnReader::open(const QString& place)
{
    auto log = RecordLog::open(place);
    if (!log) return base::passOn(log.error());
    const QVariant handle = (*log)->database().driver()->handle();
    std::unique_ptr<ColumnReader> out(new ColumnReader);
    if (handle.isValid() && qstrcmp(handle.typeName(), "sqlite3*") == 0)
        out->m_source = std::make_unique<FileSource>(*static_cast<sqlite3* const*>(handle.data()));
    else if (handle.isValid() && QByteArray(handle.typeName()).toLower().replace('_', "") == "pgconn*")
        out->m_source = std::make_unique<ServerSource>(*static_cast<PGconn* const*>(handle.data()));
    else return fail(ErrorCode::Unsupported, "the record log is of no kind that is known", place.toStdString());
    out->m_log = std::move(*log);
    return out;
}

ColumnReader::~ColumnReader() { m_source.reset(); } // before the database goes

namespace
{
// Puts the rows of one block together.
class Builder
{
public:
    Builder(long long first, std::map<long long, ReleaseName> recipes)
        : m_block(std::make_shared<Block>()), m_recipes(std::move(recipes))
    {
        m_block->first = first;
    }
    void item(const Rows& s)
    {
        Block& b = *m_block;
        b.id.push_back(std::uint16_t(s.whole(0) - b.first));
        b.at.push_back(millisecondsOf(s.text(1)));
        ReleaseName release = m_recipes[s.whole(2)];
        release.revision = int(s.whole(3));
        b.release.push_back(wordOf(b.releases, release));
        b.batch.push_back(wordOf(b.batches, q(s.text(4))));
        b.station.push_back(wordOf(b.stations, q(s.text(5))));
        b.kept.push_back(s.whole(7) != 0);
        b.verdict.push_back(verdictOf(s.text(8)));
        b.text += (q(s.text(6)) + QLatin1Char('\n') + q(s.text(9))).toLower().toUtf8();
        b.textEnd.push_back(std::uint32_t(b.text.size()));
    }
    void value(const Rows& s)
    {
        Block& b = *m_block;
        const std::uint16_t id = std::uint16_t(s.whole(0) - b.first);
        while (m_at < b.id.size() && b.id[m_at] < id) ++m_at;
        if (m_at == b.id.size() || b.id[m_at] != id) return;
        Made& made = column(s, b.releases[b.release[m_at]].recipe);
        Block::Column& c = made.column;
        const LimitSet limits{s.number(9), s.number(10), s.number(11)};
        if (c.limitSets.empty() || !(c.limitSets[made.limits] == limits)) {
            made.limits = wordOf(c.limitSets, limits);
            if (c.limitSets.size() > 1 && c.limits.empty()) c.limits.assign(b.size(), 0);
        }
        if (!c.limits.empty()) c.limits[m_at] = made.limits;
        c.state[m_at] = stateOf(s.text(12));
        if (s.none(7)) return;
        c.value[m_at] = !c.check.list ? numberOf(s.text(7)) : s.whole(13) != 0 ? kNoNumber : worstOf(s.text(7), limits);
    }
    std::shared_ptr<const Block> done()
    {
        for (Made& m : m_columns) m_block->columns.push_back(std::move(m.column));
        return m_block;
    }

private:
    struct Made {
        std::string step, output;
        std::uint32_t release = 0;
        std::uint16_t limits = 0;
        Block::Column column;
    };
    Made& column(const Rows& s, const QString& recipe)
    {
        const std::string_view step = s.text(2), output = s.text(3);
        // The check after the last one, nearly always.
        for (std::size_t i = 0; i < m_columns.size(); ++i) {
            m_next = m_next + 1 < m_columns.size() ? m_next + 1 : 0;
            Made& m = m_columns[m_next];
            if (m.step == step && m.output == output && (m.column.check.list ? 1 : 0) == s.whole(6) &&
                m.column.check.recipe == recipe && m.column.check.unit == q(s.text(8)))
                return m;
        }
        Made m;
        m.step = step, m.output = output;
        m.column.check = {recipe,       q(step),         q(output),       q(s.text(4)),
                          q(s.text(8)), int(s.whole(5)), int(s.whole(1)), s.whole(6) != 0};
        m.column.state.assign(m_block->size(), CellState::Absent);
        m.column.value.assign(m_block->size(), kNoNumber);
        m_columns.push_back(std::move(m));
        m_next = m_columns.size() - 1;
        return m_columns.back();
    }

    std::shared_ptr<Block> m_block;
    std::map<long long, ReleaseName> m_recipes;
    std::vector<Made> m_columns;
    std::size_t m_at = 0, m_next = 0;
};
} // namespace

base::Result<std::shared_ptr<const Block>> ColumnReader::readRows(long long first)
{
    RowSource& s = *m_source;
    if (!s.begin()) return trouble();
    std::map<long long, ReleaseName> recipes;
    Rows& recipe = s.recipes();
    while (recipe.next()) recipes[recipe.whole(0)] = {q(recipe.text(1)), q(recipe.text(2)), 0};
    bool failed = recipe.failed();
    Builder builder(first, std::move(recipes));
    if (!failed) {
        Rows& items = s.items(first);
        while (items.next()) builder.item(items);
        failed = items.failed();
    }
    if (!failed) {
        Rows& values = s.values(first);
        while (values.next()) builder.value(values);
        failed = values.failed();
    }
    std::optional<tl::unexpected<base::Error>> error;
    if (failed) error = trouble();
    s.end();
    if (error) return *error;
    return builder.done();
}

tl::unexpected<base::Error> ColumnReader::trouble() const
{
    return fail(ErrorCode::Io, "the record log cannot be read: " + m_source->trouble(), m_log->path().toStdString());
}

base::Status ColumnReader::readOverruled(Columns& into)
{
    RowSource& s = *m_source;
    into.overruled.clear();
    if (!s.begin()) return trouble();
    Rows& rows = s.overruled();
    while (rows.next()) into.overruled[rows.whole(0)] = q(rows.text(1));
    std::optional<tl::unexpected<base::Error>> error;
    if (rows.failed()) error = trouble();
    s.end();
    if (error) return *error;
    return {};
}

base::Result<std::shared_ptr<const Columns>> ColumnReader::update(base::Watch* watch)
{
    long long least = 0, most = 0, overrules = 0;
    if (!m_source->range(least, most, overrules)) return trouble();
    if (most == m_columns->newest && least == m_least && overrules == m_overrules) return m_columns;
    auto next = std::make_shared<Columns>(*m_columns);
    if (least != m_least || most < next->newest) *next = Columns(); // what went took its words along
    if (most != next->newest && !next->blocks.empty() && !m_lastWhole) next->dropLast();
    const auto blockAt = [](long long id) { return (id - 1) / kBlockItems * kBlockItems + 1; };
    const long long begin =
        next->blocks.empty() ? blockAt(std::max(least, 1LL)) : next->blocks.back()->first + kBlockItems;
    bool lastWhole = m_lastWhole;
    for (long long first = begin; most > 0 && first <= most; first += kBlockItems) {
        if (watch && watch->cancel) return fail(ErrorCode::Cancelled, "stopped");
        if (watch) watch->share = double(first - begin) / double(most - begin + 1);
        // Whole: nothing is ever logged into it any more.
        const bool whole = most >= first + kBlockItems - 1;
        std::shared_ptr<const Block> block;
        if (whole) {
            block = unpacked(m_source->digest(first));
            if (block && (block->first != first || first + block->id.front() < least)) block = nullptr;
        }
        if (!block) {
            auto read = readRows(first);
            if (!read) return base::passOn(read.error());
            block = std::move(*read);
            if (whole && block->size() > 0) m_keeps = m_source->keep(first, packed(*block)) && m_keeps;
        }
        if (block->size() > 0) next->add(std::move(block));
        lastWhole = whole;
    }
    if (auto ok = readOverruled(*next); !ok) return base::passOn(ok.error());
    if (watch) watch->share = 1;
    m_columns = std::move(next);
    m_least = least, m_overrules = overrules, m_lastWhole = lastWhole;
    return m_columns;
}

} // namespace records

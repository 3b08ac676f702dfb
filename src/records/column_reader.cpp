#include "records/column_reader.h"

#include <QDateTime>
#include <QSqlDatabase>
#include <QSqlDriver>
#include <QVariant>
#include <charconv>
#include <cmath>
#include <cstring>
#include <limits>
#include <sqlite3.h>

namespace records
{
using base::ErrorCode;
using base::fail;

namespace
{
constexpr double kNoNumber = std::numeric_limits<double>::quiet_NaN();

// One prepared statement, used again and again; the toolkit's own would make a variant of every column of every row.
class Statement
{
public:
    Statement(sqlite3* db, const char* sql) { sqlite3_prepare_v2(db, sql, -1, &m_it, nullptr); }
    ~Statement() { sqlite3_finalize(m_it); }
    Statement(const Statement&) = delete;
    Statement& operator=(const Statement&) = delete;
    void begin(long long from = 0, long long to = 0)
    {
        sqlite3_reset(m_it);
        if (sqlite3_bind_parameter_count(m_it) > 0) sqlite3_bind_int64(m_it, 1, from);
        if (sqlite3_bind_parameter_count(m_it) > 1) sqlite3_bind_int64(m_it, 2, to);
    }
    bool next() { return (m_state = sqlite3_step(m_it)) == SQLITE_ROW; }
    bool failed() const { return m_state != SQLITE_ROW && m_state != SQLITE_DONE; }
    void end() { sqlite3_reset(m_it); } // lets go of what it reads
    long long whole(int c) const { return sqlite3_column_int64(m_it, c); }
    std::string_view text(int c) const
    {
        const auto* t = reinterpret_cast<const char*>(sqlite3_column_text(m_it, c));
        return t ? std::string_view(t, std::size_t(sqlite3_column_bytes(m_it, c))) : std::string_view();
    }
    QByteArray bytes(int c) const
    {
        return QByteArray(static_cast<const char*>(sqlite3_column_blob(m_it, c)), sqlite3_column_bytes(m_it, c));
    }
    bool none(int c) const { return sqlite3_column_type(m_it, c) == SQLITE_NULL; }
    std::optional<double> number(int c) const
    {
        return none(c) ? std::nullopt : std::optional(sqlite3_column_double(m_it, c));
    }
    sqlite3_stmt* it() const { return m_it; }

private:
    sqlite3_stmt* m_it = nullptr;
    int m_state = SQLITE_DONE;
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

class ColumnReader::Statements
{
public:
    explicit Statements(sqlite3* of)
        : db(of), range(of, "select coalesce((select min(id) from item), 0), coalesce((select max(id) from item), 0)"),
          items(of, "select id, at, recipe, revision, batch, station, picture, kept <> '', verdict, sentence from item "
                    "where id >= ? and id < ? order by id"),
          values(of,
                 "select item, position, step, output, name, balloon, list, value, unit, nominal, low, high, verdict, "
                 "elements is not null from value where item >= ? and item < ? order by item, position"),
          recipes(of, "select id, name, identity from recipe"), digest(of, "select packed from digest where first = ?"),
          keep(of, "insert or replace into digest (first, packed) values (?, ?)"),
          overrules(of, "select coalesce(max(id), 0) from overrule"),
          overruled(of, "select item, verdict from overrule order by id")
    {
    }
    sqlite3* db;
    Statement range, items, values, recipes, digest, keep, overrules, overruled;
};

base::Result<std::unique_ptr<ColumnReader>> ColumnReader::open(const QString& path)
{
    auto log = RecordLog::open(path);
    if (!log) return base::passOn(log.error());
    const QVariant handle = QSqlDatabase::database((*log)->m_connection).driver()->handle();
    if (!handle.isValid() || qstrcmp(handle.typeName(), "sqlite3*") != 0)
        return fail(ErrorCode::Unsupported, "the record log is no SQLite file", path.toStdString());
    std::unique_ptr<ColumnReader> out(new ColumnReader);
    out->m_statements = std::make_unique<Statements>(*static_cast<sqlite3* const*>(handle.data()));
    out->m_log = std::move(*log);
    return out;
}

ColumnReader::~ColumnReader() { m_statements.reset(); } // before the database goes

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
    void item(const Statement& s)
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
    void value(const Statement& s)
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
    Made& column(const Statement& s, const QString& recipe)
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
    Statements& s = *m_statements;
    const auto bad = [&] {
        return fail(ErrorCode::Io, std::string("the record log cannot be read: ") + sqlite3_errmsg(s.db),
                    m_log->path().toStdString());
    };
    // All of it at one moment.
    if (sqlite3_exec(s.db, "begin", nullptr, nullptr, nullptr) != SQLITE_OK) return bad();
    std::map<long long, ReleaseName> recipes;
    s.recipes.begin();
    while (s.recipes.next()) recipes[s.recipes.whole(0)] = {q(s.recipes.text(1)), q(s.recipes.text(2)), 0};
    bool failed = s.recipes.failed();
    Builder builder(first, std::move(recipes));
    s.items.begin(first, first + kBlockItems);
    while (!failed && s.items.next()) builder.item(s.items);
    failed = failed || s.items.failed();
    s.values.begin(first, first + kBlockItems);
    while (!failed && s.values.next()) builder.value(s.values);
    failed = failed || s.values.failed();
    std::optional<tl::unexpected<base::Error>> error;
    if (failed) error = bad();
    s.recipes.end(), s.items.end(), s.values.end();
    sqlite3_exec(s.db, "commit", nullptr, nullptr, nullptr);
    if (error) return *error;
    return builder.done();
}

void ColumnReader::keep(const Block& block)
{
    const QByteArray bytes = packed(block);
    Statement& s = m_statements->keep;
    s.begin(block.first);
    sqlite3_bind_blob64(s.it(), 2, bytes.constData(), sqlite3_uint64(bytes.size()), SQLITE_STATIC);
    s.next();
    if (s.failed()) m_keeps = false;
    s.end();
    sqlite3_clear_bindings(s.it());
}

base::Status ColumnReader::readOverruled(Columns& into)
{
    Statement& s = m_statements->overruled;
    into.overruled.clear();
    s.begin();
    while (s.next()) into.overruled[s.whole(0)] = q(s.text(1));
    const bool failed = s.failed();
    s.end();
    if (failed) return fail(ErrorCode::Io, "the overruled verdicts cannot be read", m_log->path().toStdString());
    return {};
}

base::Result<std::shared_ptr<const Columns>> ColumnReader::update(base::Watch* watch)
{
    Statements& s = *m_statements;
    const auto one = [&](Statement& of, long long& a, long long* b) {
        of.begin();
        const bool there = of.next();
        if (there) a = of.whole(0);
        if (there && b) *b = of.whole(1);
        of.end();
        return there;
    };
    long long least = 0, most = 0, overrules = 0;
    if (!one(s.range, least, &most) || !one(s.overrules, overrules, nullptr))
        return fail(ErrorCode::Io, std::string("the record log cannot be read: ") + sqlite3_errmsg(s.db),
                    m_log->path().toStdString());
    if (most == m_columns->newest && least == m_least && overrules == m_overrules) return m_columns;
    auto next = std::make_shared<Columns>(*m_columns);
    if (least != m_least || most < next->newest) *next = Columns(); // what went took its words along
    if (most != next->newest && !next->blocks.empty() && !m_lastWhole) next->dropLast();
    const auto blockAt = [](long long id) { return (id - 1) / kBlockItems * kBlockItems + 1; };
    const long long begin =
        next->blocks.empty() ? blockAt(std::max(least, 1LL)) : next->blocks.back()->first + kBlockItems;
    for (long long first = begin; most > 0 && first <= most; first += kBlockItems) {
        if (watch && watch->cancel) return fail(ErrorCode::Cancelled, "stopped");
        if (watch) watch->share = double(first - begin) / double(most - begin + 1);
        // Whole: nothing is ever logged into it any more.
        const bool whole = most >= first + kBlockItems - 1;
        std::shared_ptr<const Block> block;
        if (whole) {
            s.digest.begin(first);
            if (s.digest.next()) block = unpacked(s.digest.bytes(0));
            s.digest.end();
            if (block && (block->first != first || first + block->id.front() < least)) block = nullptr;
        }
        if (!block) {
            auto read = readRows(first);
            if (!read) return base::passOn(read.error());
            block = std::move(*read);
            if (whole && block->size() > 0) keep(*block);
        }
        if (block->size() > 0) next->add(std::move(block));
        m_lastWhole = whole;
    }
    if (auto ok = readOverruled(*next); !ok) return base::passOn(ok.error());
    if (watch) watch->share = 1;
    m_columns = std::move(next);
    m_least = least, m_overrules = overrules;
    return m_columns;
}

} // namespace records

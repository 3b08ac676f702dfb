// columns_test.cpp - a log's columns say what its rows say, whatever is chosen; kept blocks are copies of rows.
#include "records/choice.h"
#include "records/column_reader.h"
#include "support_records.h"

#include <QSqlDatabase>
#include <QSqlQuery>
#include <cmath>
#include <random>

using namespace records;

namespace
{
// Items of made-up values: some without a check, some not measured, lists, limits that move, odd names.
class Maker
{
public:
    explicit Maker(unsigned seed) : m_random(seed)
    {
        for (int i = 0; i < 3; ++i) {
            recipe::Recipe r = support::recipeOf(61 + i);
            r.revision = i + 1;
            if (i == 2) r.name = "Other";
            m_releases.push_back(support::released(r));
        }
    }
    std::vector<Entry> entries(int n)
    {
        std::vector<Entry> out;
        for (int i = 0; i < n; ++i) out.push_back(entry());
        return out;
    }

private:
    Entry entry()
    {
        const int n = m_count++;
        Entry e;
        e.release = m_releases[std::size_t(n / 2000 % 3)];
        auto result = std::make_shared<inspect::PictureResult>();
        result->picture = (n % 7 ? "Bär-" : "plate_") + std::to_string(n) + ".png";
        if (n % 501 == 500) result->error = "cannot be read";
        else {
            inspect::ItemResult item;
            item.outcome = inspect::Outcome::Accept;
            const recipe::Recipe& r = e.release->recipe();
            std::normal_distribution<double> d(60, 0.7);
            for (const recipe::Step& s : r.steps) {
                inspect::CheckResult c;
                c.step = s.id, c.output = s.checks[0].output, c.name = s.checks[0].name,
                c.balloon = s.checks[0].balloon;
                c.unit = base::Unit::Pixel;
                c.list = &s != &r.steps.front();
                c.low = 59.0, c.high = *r.steps[0].checks[0].limits.high;
                if (n % 97 == 5) c.verdict = inspect::Verdict::NotMeasured, c.reason = "too dark";
                else {
                    for (int k = c.list ? n % 4 : 1; k > 0; --k) c.values.push_back(d(m_random));
                    c.verdict = inspect::Verdict::Pass;
                    for (const double v : c.values)
                        if (v < *c.low || v > *c.high) c.verdict = inspect::Verdict::Fail;
                }
                if (c.verdict != inspect::Verdict::Pass) item.outcome = inspect::Outcome::Reject;
                if (n % 11 != 3 || !c.list) item.checks.push_back(c);
            }
            result->items.push_back(item);
        }
        e.result = result;
        e.at = QDateTime::fromMSecsSinceEpoch(1764500000000 + n * 1234LL, Qt::UTC)
                   .toString(Qt::ISODateWithMs)
                   .toStdString();
        e.batch = n < 3000 ? "first" : "batch " + std::to_string(n / 1000);
        e.station = n % 3 ? "one" : "";
        e.pictures = {{"", "", n % 2 ? "kept.png" : "", ""}};
        return e;
    }
    std::mt19937 m_random;
    std::vector<std::shared_ptr<const Release>> m_releases;
    int m_count = 0;
};
QVariant ask(const QString& path, const QString& sql)
{
    QVariant out;
    {
        QSqlDatabase db = QSqlDatabase::addDatabase("QSQLITE", "ask");
        db.setDatabaseName(path);
        if (db.open()) {
            QSqlQuery q(db);
            if (q.exec(sql)) {
                if (q.next()) out = q.value(0);
                else out = q.numRowsAffected();
            }
        }
    }
    QSqlDatabase::removeDatabase("ask");
    return out;
}
const char* word(CellState s)
{
    static const char* words[] = {"", "pass", "fail", "not_measured", "unjudged"};
    return words[int(s)];
}
} // namespace

class ColumnsTest : public QObject
{
    Q_OBJECT
    QTemporaryDir m_dir;
    QString m_path;
    static constexpr int kItems = 9000; // two blocks and some

    // Every cell against the row it was made of.
    bool sameAsRows(RecordLog& log, const Columns& c)
    {
        Filter all;
        all.limit = 0;
        const auto items = log.items(all);
        if (!items || items->size() != c.items()) return false;
        for (const ItemRow& item : *items) {
            const auto row = c.rowOfId(item.id);
            if (!row || c.id(*row) != item.id || c.batches[c.batch(*row)] != item.batch ||
                c.stations[c.station(*row)] != item.station || c.releases[c.release(*row)].revision != item.revision ||
                c.releases[c.release(*row)].recipe != item.recipe ||
                QDateTime::fromMSecsSinceEpoch(c.at(*row), Qt::UTC).toString(Qt::ISODateWithMs) != item.at)
                return qWarning("item %lld", item.id), false;
            static const char* verdicts[] = {"accept", "reject", "unjudged", "error"};
            if (item.verdict != verdicts[int(c.verdict(*row))]) return false;
            if (item.id % 13) continue;
            const auto values = log.values(item.id);
            std::size_t asked = 0;
            for (std::size_t k = 0; k < c.checks.size(); ++k) asked += c.cell(*row, k).state != CellState::Absent;
            if (asked != values->size()) return qWarning("item %lld has %zu", item.id, asked), false;
            for (const ValueRow& v : *values) {
                const int at = checkIndex(c, {item.recipe, v.step, v.output, "", v.unit, 0, 0, v.list});
                const auto cell = c.cell(*row, std::size_t(at));
                const double expected = v.values.empty() ? std::nan("") : v.values.front();
                if (word(cell.state) != v.verdict || cell.limits->high != v.high || cell.limits->low != v.low ||
                    (!v.list && cell.value != expected && !(std::isnan(expected) && std::isnan(cell.value))))
                    return qWarning("item %lld, %s", item.id, qPrintable(v.name)), false;
                if (v.list && !v.values.empty()) {
                    double room = 1e300; // the worst of it has the least room
                    for (const double x : v.values) room = std::min({room, x - *v.low, *v.high - x});
                    if (std::min(cell.value - *v.low, *v.high - cell.value) != room) return false;
                }
            }
        }
        return true;
    }
private slots:
    void initTestCase()
    {
        m_path = m_dir.filePath("log.sqlite");
        auto log = RecordLog::open(m_path);
        QVERIFY(log);
        Maker maker(1);
        for (int done = 0; done < kItems; done += 1000) QVERIFY((*log)->append(maker.entries(1000)));
    }
    void columnsAreTheRows()
    {
        auto log = RecordLog::open(m_path);
        for (int again = 0; again < 2; ++again) { // read from rows, then from what was kept
            auto reader = ColumnReader::open(m_path);
            QVERIFY(reader);
            const auto c = (*reader)->update();
            QVERIFY(c);
            QVERIFY(sameAsRows(**log, **c));
            QVERIFY((*reader)->keeps());
            QCOMPARE(ask(m_path, "select count(*) from digest").toInt(), 2);
            QCOMPARE((*c)->checks.size(), std::size_t(4)); // two of each recipe's name
            QVERIFY(*(*reader)->update() == *c);           // nothing came
        }
    }
    void columnsFollowTheLog()
    {
        const QString path = m_dir.filePath("grows.sqlite");
        auto log = RecordLog::open(path);
        auto reader = ColumnReader::open(path);
        QVERIFY((*reader)->update() && (*(*reader)->update())->items() == 0);
        Maker maker(2);
        std::shared_ptr<const Columns> before;
        for (const int n : {1, 5, 4089, 1, 1, 700, 4200}) { // a block is full in between, and just so
            QVERIFY((*log)->append(maker.entries(n)));
            const auto now = *(*reader)->update();
            QVERIFY(sameAsRows(**log, *now));
            QVERIFY(!before || (before->items() < now->items() && before->newest < now->newest));
            before = now;
        }
        QVERIFY((*log)->overrule(3, "reject", "Otto", "seen"));
        QCOMPARE((*(*reader)->update())->overruled.at(3), QString("reject"));
        // The oldest go: what was kept of them counts no more.
        QVERIFY(ask(path, "delete from value where item < 500").toInt() > 0);
        QVERIFY(ask(path, "delete from overrule").toInt() > 0);
        QVERIFY(ask(path, "delete from item where id < 500").toInt() > 0);
        QVERIFY(sameAsRows(**log, **(*reader)->update()));
        auto other = ColumnReader::open(path);
        QVERIFY(sameAsRows(**log, **(*other)->update()));
    }
    // A read that fails after a whole block leaves what is known as it was; the next one has everything once.
    void aReadThatFailsHalfwayIsMadeGood()
    {
        const QString path = m_dir.filePath("halfway.sqlite");
        auto log = RecordLog::open(path);
        Maker maker(6);
        auto reader = ColumnReader::open(path);
        for (int i = 0; i < 5; ++i) QVERIFY((*log)->append(maker.entries(1000)));
        QVERIFY((*(*reader)->update())->items() == 5000);
        for (int i = 0; i < 5; ++i) QVERIFY((*log)->append(maker.entries(1000)));
        QVERIFY((*ColumnReader::open(path))->update()); // keeps the second block
        QSqlQuery q((*log)->database());
        QVERIFY(q.exec("alter table value rename to away"));
        const auto failed = (*reader)->update();
        QVERIFY(!failed && failed.error().code == base::ErrorCode::Io);
        QVERIFY(q.exec("alter table away rename to value"));
        QVERIFY(sameAsRows(**log, **(*reader)->update()));
    }
    void keptBytesThatAreNoneAreReadFromRowsAgain()
    {
        auto log = RecordLog::open(m_path);
        const auto whole = unpacked(ask(m_path, "select packed from digest where first = 1").toByteArray());
        QVERIFY(whole && whole->size() == 4096);
        const QByteArray bytes = packed(*whole);
        std::mt19937 random(4);
        for (int i = 0; i < 3000; ++i) {
            QByteArray broken = bytes;
            if (i % 3 == 0) broken.truncate(int(random() % std::uint32_t(bytes.size())));
            else
                for (int k = 0; k < 3; ++k) {
                    // Mostly where lengths and words stand.
                    const std::uint32_t bound = i % 3 == 1 ? std::uint32_t(bytes.size()) : 4000u;
                    broken[qsizetype(random() % bound)] = char(random());
                }
            const auto read = unpacked(broken); // none, or one whose every index points at something
            if (!read) continue;
            Columns c;
            c.add(read);
            for (std::size_t k = 0; k < c.items(); ++k)
                for (std::size_t check = 0; check < c.checks.size(); ++check) c.cell(rowOf(0, k), check);
            rowsOf(c, {.text = "plate"});
        }
        QVERIFY(!unpacked({}) && !unpacked(bytes + "x"));
        QVERIFY(ask(m_path, "update digest set packed = x'00'").toInt() > 0);
        auto reader = ColumnReader::open(m_path);
        QVERIFY(sameAsRows(**log, **(*reader)->update()));
        QVERIFY(unpacked(ask(m_path, "select packed from digest where first = 1").toByteArray())); // mended
    }
    void choosingIsWhatTheRowsSay()
    {
        auto log = RecordLog::open(m_path);
        auto reader = ColumnReader::open(m_path);
        const auto columns = *(*reader)->update();
        const Columns& c = *columns;
        const auto same = [&](const Choice& choice, Filter filter) {
            filter.limit = 0;
            std::vector<long long> ids;
            for (const Row r : rowsOf(c, choice)) ids.push_back(c.id(r));
            std::vector<long long> expected;
            const auto items = *(*log)->items(filter);
            for (const ItemRow& i : items) expected.push_back(i.id);
            std::reverse(expected.begin(), expected.end());
            if (ids != expected) qWarning("%zu instead of %zu", ids.size(), expected.size());
            return ids == expected && !ids.empty();
        };
        QVERIFY(same({}, {}));
        QVERIFY(same({.verdict = ItemVerdict::Reject}, {.verdict = "reject"}));
        QVERIFY(same({.verdict = ItemVerdict::Error}, {.verdict = "error"}));
        QVERIFY(same({.batch = "first"}, {.batch = "first"}));
        QVERIFY(same({.station = ""}, {.station = ""}));
        QVERIFY(same({.recipe = "Other"}, {.recipe = "Other"}));
        QVERIFY(same({.text = "plate_42"}, {.text = "plate_42"}));
        QVERIFY(same({.text = "BÄR-12"}, {.text = "Bär-12"}));
        QVERIFY(same({.text = "too DARK"}, {.text = "too dark"}));
        QVERIFY(same({.from = 4000, .to = 4200}, {.from = 4000, .to = 4200}));
        const Row some = *c.rowOfId(5000);
        const QString at = QDateTime::fromMSecsSinceEpoch(c.at(some), Qt::UTC).toString(Qt::ISODateWithMs);
        QVERIFY(same({.since = c.at(some)}, {.since = at}));
        QVERIFY(same({.until = c.at(some), .station = "one"}, {.station = "one", .until = at}));
        QVERIFY(rowsOf(c, {.batch = "nobody's"}).empty() && rowsOf(c, {.text = "nowhere"}).empty());
        std::size_t revisions = 0;
        for (int r = 1; r <= 3; ++r) revisions += rowsOf(c, {.revisions = {r}}).size();
        QCOMPARE(revisions, c.items());
        QCOMPARE(rowsOf(c, {.revisions = {1, 2}}).size() + rowsOf(c, {.revisions = {3}}).size(), c.items());
        // By a check's state and by its value.
        const CheckName width = c.checks[0];
        for (const Row r : rowsOf(c, {.failed = width}))
            QVERIFY(c.cell(r, 0).state == CellState::Fail || c.cell(r, 0).state == CellState::NotMeasured);
        std::size_t in = 0;
        for (const Row r : rowsOf(c, {})) in += c.cell(r, 0).value >= 59.5 && c.cell(r, 0).value <= 60.25;
        QVERIFY(in > 100 && rowsOf(c, {.spans = {{width, 59.5, 60.25}}}).size() == in);
        QVERIFY(Choice{.failed = width}.byOutcome() && !Choice{.batch = "first"}.byOutcome());
    }
    void summariesAreWhatTheCellsSay()
    {
        auto reader = ColumnReader::open(m_path);
        const auto columns = *(*reader)->update();
        const Columns& c = *columns;
        for (const Choice& choice : {Choice{}, Choice{.batch = "first"}, Choice{.revisions = {2}}}) {
            const auto rows = rowsOf(c, choice);
            const std::size_t per = 37;
            const auto all = summaries(c, rows, per);
            for (std::size_t k = 0; k < c.checks.size(); ++k) {
                const CheckSummary& s = all[k];
                std::vector<double> values, counted;
                long long failed = 0, none = 0;
                std::vector<int> worst((rows.size() + per - 1) / per, 0);
                for (std::size_t i = 0; i < rows.size(); ++i) {
                    const auto cell = c.cell(rows[i], k);
                    failed += cell.state == CellState::Fail, none += cell.state == CellState::NotMeasured;
                    worst[i / per] = std::max(worst[i / per], harm(cell.state));
                    if (cell.state == CellState::Absent || std::isnan(cell.value)) continue;
                    values.push_back(cell.value);
                    if (*cell.limits == s.limits) counted.push_back(cell.value);
                }
                QVERIFY(s.failed == failed && s.notMeasured == none && std::size_t(s.measured) == values.size());
                for (std::size_t column = 0; column < worst.size(); ++column)
                    QCOMPARE(harm(s.worst[column]), worst[column]);
                if (values.empty()) continue;
                const Statistics of = statisticsOf(values, {}, {});
                QVERIFY(std::abs(s.mean - of.mean) < 1e-9 && s.least == of.least && s.most == of.most);
                const Statistics capable = statisticsOf(counted, s.limits.low, s.limits.high);
                QVERIFY(s.counted == counted.size() && s.cpk.has_value() == (counted.size() >= kEnoughForCapability));
                if (s.cpk) QVERIFY(std::abs(*s.cpk - *capable.cpk) < 1e-9 && std::abs(*s.cp - *capable.cp) < 1e-9);
                const CheckDetail d = detailOf(c, rows, k);
                QVERIFY(d.values == values && d.under == counted.size());
                if (s.cpk) QVERIFY(std::abs(*d.statistics.cpk - *capable.cpk) < 1e-12);
                QCOMPARE(d.limitsMoved, s.limitsMoved);
                QCOMPARE(std::accumulate(d.inForce.begin(), d.inForce.end(), std::size_t(0)), counted.size());
                QCOMPARE(std::accumulate(d.older.begin(), d.older.end(), std::size_t(0)),
                         values.size() - counted.size());
                QVERIFY(d.low < of.least && d.high > of.most);
            }
        }
        // Chosen by outcome nothing is said of the process.
        const auto rejects = rowsOf(c, {.verdict = ItemVerdict::Reject});
        const CheckDetail d = detailOf(c, rejects, 0, false);
        QVERIFY(!d.statistics.cpk && d.hits.empty() && d.chart.places.empty() && !d.values.empty());
        QVERIFY(!summaries(c, rejects, 1, false)[0].cpk);
    }
    void theRibbonCountsEveryItemOnce()
    {
        auto reader = ColumnReader::open(m_path);
        const auto columns = *(*reader)->update();
        const Ribbon r = ribbonOf(*columns, 244);
        QCOMPARE(std::accumulate(r.items.begin(), r.items.end(), 0u), std::uint32_t(kItems));
        const auto counts = countsOf(*columns, rowsOf(*columns, {}));
        QCOMPARE((long long)(std::accumulate(r.rejects.begin(), r.rejects.end(), 0u)),
                 counts.rejected + counts.unreadable);
        QVERIFY(counts.accepted + counts.rejected + counts.unjudged + counts.unreadable == kItems);
        QCOMPARE(r.batches.size(), std::size_t(columns->batches.size()));
        QCOMPARE(r.releases.size(), std::size_t(5)); // back and forth
        // A part of it is what lies between.
        const Ribbon part = ribbonOf(*columns, 50, r.from + 1000000, r.from + 3000000);
        Choice inside;
        inside.since = r.from + 1000000, inside.until = r.from + 3000000;
        QCOMPARE(std::size_t(std::accumulate(part.items.begin(), part.items.end(), 0u)),
                 rowsOf(*columns, inside).size());
        QVERIFY(ribbonOf(Columns(), 244).items.empty());
    }
};

QTEST_GUILESS_MAIN(ColumnsTest)
#include "columns_test.moc"

#include "records/csv.h"
#include "records/record_log.h"
#include "support.h"

#include <QProcess>
#include <QSqlDatabase>
#include <QSqlError>
#include <QSqlQuery>
#include <csignal>
#include <unistd.h>

using namespace records;

namespace
{
recipe::Recipe recipeOf(double high = 61)
{
    recipe::Recipe r;
    r.name = "Bar, \"wide\"";
    recipe::Step s = recipe::makeStep(r, *recipe::findKind("edge_pair"));
    s.regions["window"] = geometry::Region::window({5, 30}, {115, 30}, 9);
    s.checks[0].limits.low = 59, s.checks[0].limits.high = high, s.checks[0].limits.unit = base::Unit::Pixel;
    r.steps.push_back(s);
    recipe::Step b = recipe::makeStep(r, *recipe::findKind("blobs"));
    recipe::Check sizes;
    sizes.output = "areas", sizes.name = "Sizes", sizes.balloon = 2;
    b.checks = {sizes};
    r.steps.push_back(b);
    return r;
}
inspect::PictureResult resultOf(const recipe::Recipe& r, const std::string& name = "bar.png", bool empty = false)
{
    auto p = empty ? support::draw({}, 120, 60) : support::draw({support::box(30, 5, 90, 55)}, 120, 60);
    return inspect::evaluate(*inspect::Prepared::make(r), support::captureOf(std::move(p), name));
}
} // namespace

class RecordsTest : public QObject
{
    Q_OBJECT
    QTemporaryDir m_dir;
private slots:
    void everyValueComesBackExactly()
    {
        const QString path = m_dir.filePath("a.sqlite");
        const recipe::Recipe r = recipeOf();
        const auto result = resultOf(r);
        auto log = RecordLog::open(path);
        QVERIFY(log);
        const auto ids = (*log)->append(r, result, QStringLiteral("lot 'x'"));
        QVERIFY2(ids.has_value(), ids ? "" : ids.error().text().c_str());
        const auto again = RecordLog::open(path); // another connection sees it
        const auto values = *(*again)->values(ids->front());
        QCOMPARE(values.size(), std::size_t(2));
        QVERIFY(values[0].values.at(0) == result.items[0].checks[0].values.at(0)); // the same double
        QVERIFY(values[0].low == 59.0 && values[0].high == 61.0 && values[0].unit == "px" && values[0].verdict == "pass");
        QVERIFY(values[1].list && values[1].values == result.items[0].checks[1].values && values[1].verdict == "unjudged");
        const auto rows = *(*again)->items({});
        QVERIFY(rows.size() == 1 && rows[0].batch == "lot 'x'" && rows[0].picture == "bar.png" && rows[0].recipe == "Bar, \"wide\"");
        QVERIFY(QDateTime::fromString(rows[0].at, Qt::ISODateWithMs).isValid());
    }
    void filtersByVerdictAndText()
    {
        auto log = RecordLog::open(m_dir.filePath("b.sqlite"));
        const recipe::Recipe good = recipeOf(), bad = recipeOf(59.5);
        for (int i = 0; i < 5; ++i) QVERIFY((*log)->append(i % 2 ? bad : good, resultOf(i % 2 ? bad : good, "p_" + std::to_string(i)), {}));
        QVERIFY((*log)->append(good, resultOf(good, "none.png", true), {}));
        const auto count = [&](const char* verdict, const char* text) { return int((*log)->items({verdict, text, 100})->size()); };
        QCOMPARE(count("", ""), 6);
        QCOMPARE(count("accept", ""), 3);
        QCOMPARE(count("reject", ""), 3);
        QCOMPARE(count("", "p_3"), 1);
        QCOMPARE(count("", "p%3"), 0); // signs of the query language are plain text
        QCOMPARE(count("reject", "at most"), 2);
        QCOMPARE(int((*log)->items({{}, {}, 2})->size()), 2);
        QVERIFY((*log)->counts({})->items == 6 && (*log)->counts({})->rejects == 3);
        QVERIFY((*log)->items({})->front().id > (*log)->items({})->back().id);
    }
    void revisionsAreKeptOnce()
    {
        const QString path = m_dir.filePath("c.sqlite");
        recipe::Recipe r = recipeOf();
        auto log = RecordLog::open(path);
        for (int i = 0; i < 3; ++i) QVERIFY((*log)->append(r, resultOf(r), {}));
        r.revision = 2;
        QVERIFY((*log)->append(r, resultOf(r), {}));
        {
            QSqlDatabase db = QSqlDatabase::addDatabase("QSQLITE", "look");
            db.setDatabaseName(path);
            QVERIFY(db.open());
            QSqlQuery q("select count(*), max(revision) from recipe", db);
            QVERIFY(q.next());
            QCOMPARE(q.value(0).toInt(), 2);
            QSqlQuery mode("pragma journal_mode", db);
            QVERIFY(mode.next());
            QCOMPARE(mode.value(0).toString(), QString("wal"));
            QSqlQuery version("pragma user_version", db);
            QVERIFY(version.next());
            QCOMPARE(version.value(0).toInt(), kSchemaVersion);
        }
        QSqlDatabase::removeDatabase("look");
    }
    void filesThatAreNoLogsAreRefused()
    {
        const QString text = m_dir.filePath("text.sqlite");
        (void)base::realFiles().write(text.toStdString(), std::string(5000, 'x'));
        QVERIFY(!RecordLog::open(text));
        QVERIFY(!RecordLog::open("/proc/none/x.sqlite"));
        const QString other = m_dir.filePath("other.sqlite"), newer = m_dir.filePath("newer.sqlite");
        for (const auto& [path, sql] : {std::pair{other, "create table t (a)"}, std::pair{newer, "pragma user_version = 9"}}) {
            {
                QSqlDatabase db = QSqlDatabase::addDatabase("QSQLITE", "make");
                db.setDatabaseName(path);
                QVERIFY(db.open());
                QSqlQuery q(db);
                QVERIFY(q.exec(sql));
            }
            QSqlDatabase::removeDatabase("make");
            const auto e = RecordLog::open(path);
            QVERIFY(!e && e.error().text().find(path.toStdString()) != std::string::npos);
        }
        QVERIFY(RecordLog::open(newer).error().message.find("newer program") != std::string::npos);
        QVERIFY(RecordLog::open(other).error().message.find("not a record log") != std::string::npos);
    }
    void aLogOfTheFirstSchemaIsBroughtUp()
    {
        const QString path = m_dir.filePath("first.sqlite");
        {
            QSqlDatabase db = QSqlDatabase::addDatabase("QSQLITE", "first");
            db.setDatabaseName(path);
            QVERIFY(db.open());
            QSqlQuery q(db);
            for (const char* sql :
                 {"create table recipe (id integer primary key, name text not null, revision integer not null, json text not null, first_used text not null)",
                  "create table item (id integer primary key autoincrement, at text not null, recipe integer not null references recipe(id), batch text not "
                  "null, picture text not null, item integer not null, verdict text not null check (verdict in ('accept', 'reject')), sentence text not "
                  "null, milliseconds real not null)",
                  "create table value (item integer not null references item(id), position integer not null, step text not null, output text not null, "
                  "name text not null, balloon integer not null, list integer not null, value text, unit text not null, nominal real, low real, high real, "
                  "verdict text not null, reason text not null, primary key (item, position)) without rowid",
                  "create index item_at on item (at)", "create index item_verdict on item (verdict, id)", "insert into recipe values (1, 'Old', 3, '{}', '')",
                  "insert into item values (7, '2026-01-01', 1, 'b', 'old.png', 1, 'reject', 'Width 9', 5)",
                  "insert into value values (7, 0, 's', 'distance', 'Width', 1, 0, '9.25', 'mm', null, 10, 11, 'fail', 'at least 10')", "pragma user_version = 1"})
                QVERIFY2(q.exec(sql), qPrintable(q.lastError().text()));
        }
        QSqlDatabase::removeDatabase("first");
        const auto log = RecordLog::open(path);
        QVERIFY2(bool(log), log ? "" : log.error().text().c_str());
        const auto kept = (*log)->values(7);
        QVERIFY(kept && kept->size() == 1 && kept->front().values == std::vector<double>{9.25} && *kept->front().low == 10);
        inspect::PictureResult unjudged;
        unjudged.picture = "new.png";
        unjudged.items.resize(1);
        const auto ids = (*log)->append(recipe::Recipe{}, unjudged, "b");
        QVERIFY2(bool(ids), ids ? "" : ids.error().text().c_str());
        QVERIFY(ids->front() > 7);
        const auto rows = (*log)->items({});
        QVERIFY(rows && rows->size() == 2);
        QCOMPARE(rows->front().verdict, QString("unjudged"));
        QCOMPARE(rows->back().recipe, QString("Old"));
        QVERIFY(RecordLog::open(path)); // once brought up it opens like any other
    }
    // Killed at any moment: what was acknowledged is there, and nothing is half there.
    void acknowledgedItemsSurviveAKill()
    {
        for (const int after : {3, 11, 29}) {
            const QString path = m_dir.filePath(QString("kill%1.sqlite").arg(after));
            QProcess child;
            child.setProcessChannelMode(QProcess::ForwardedErrorChannel);
            child.start(QCoreApplication::applicationFilePath(), {"--append-for-ever", path});
            QVERIFY(child.waitForStarted());
            int acknowledged = 0;
            while (acknowledged < after) {
                QVERIFY(child.waitForReadyRead(20000));
                acknowledged = std::max(acknowledged, child.readAll().trimmed().split('\n').back().toInt());
            }
            ::kill(pid_t(child.processId()), SIGKILL);
            child.waitForFinished();
            acknowledged = std::max(acknowledged, child.readAll().trimmed().split('\n').back().toInt());
            auto log = RecordLog::open(path);
            QVERIFY(log);
            const auto rows = *(*log)->items({{}, {}, 100000});
            QVERIFY2(int(rows.size()) >= acknowledged, qPrintable(QString("%1 of %2").arg(rows.size()).arg(acknowledged)));
            for (const auto& row : rows) QCOMPARE((*log)->values(row.id)->size(), std::size_t(2));
            const recipe::Recipe r = recipeOf();
            QVERIFY((*log)->append(r, resultOf(r), {})); // and the log goes on
        }
    }
    void csvGrowsByWholeRows()
    {
        const std::string path = m_dir.filePath("a.csv").toStdString();
        const recipe::Recipe r = recipeOf();
        const auto a = resultOf(r, "with, comma.png"), b = resultOf(r, "none.png", true);
        QVERIFY(appendCsv(path, r, {&a}));
        QVERIFY(appendCsv(path, r, {&b, &a}));
        const QStringList lines = QString::fromStdString(*base::readFile(path)).split('\n', Qt::SkipEmptyParts);
        QCOMPARE(int(lines.size()), 4);
        QVERIFY(lines[0].startsWith("time,picture,item,recipe,revision,verdict,reason,Edge pair [px],Edge pair verdict,Sizes [px²],Sizes verdict"));
        QVERIFY(lines[1].contains("\"with, comma.png\"") && lines[1].contains("\"Bar, \"\"wide\"\"\"") && lines[1].contains(",accept,"));
        QVERIFY(lines[2].contains(",reject,") && lines[2].contains(",not_measured,"));
        const double value = lines[1].split(",pass,")[0].split(',').back().toDouble();
        QVERIFY(value == a.items[0].checks[0].values[0]);
        recipe::Recipe other = r;
        other.steps[0].checks[0].name = "Other";
        const auto e = appendCsv(path, other, {&a});
        QVERIFY(!e && e.error().message.find("other columns") != std::string::npos);
        QVERIFY(!appendCsv("/proc/none/x.csv", r, {&a}));
    }
    void aCutOffLastRowIsEnded()
    {
        const std::string path = m_dir.filePath("cut.csv").toStdString();
        const recipe::Recipe r = recipeOf();
        const auto a = resultOf(r);
        QVERIFY(appendCsv(path, r, {&a}));
        std::string bytes = *base::readFile(path);
        (void)base::realFiles().write(path, bytes.substr(0, bytes.size() - 7));
        QVERIFY(appendCsv(path, r, {&a}));
        const QStringList lines = QString::fromStdString(*base::readFile(path)).split('\n', Qt::SkipEmptyParts);
        QCOMPARE(int(lines.size()), 3);
        QVERIFY(lines[2].contains(",accept,"));
    }
};

int main(int argc, char** argv)
{
    QCoreApplication application(argc, argv);
    if (argc == 3 && QString(argv[1]) == "--append-for-ever") { // the child that is killed
        auto log = RecordLog::open(argv[2]);
        const recipe::Recipe r = recipeOf();
        const auto result = resultOf(r);
        for (int n = 1; n < 100000; ++n) {
            if (!(*log)->append(r, result, {})) return 1;
            const std::string line = std::to_string(n) + "\n";
            if (::write(1, line.data(), line.size()) < 0) return 1; // acknowledged
        }
        return 0;
    }
    RecordsTest test;
    return QTest::qExec(&test, argc, argv);
}
#include "records_test.moc"

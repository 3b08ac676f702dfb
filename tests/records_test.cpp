#include "records/column_reader.h"
#include "records/csv.h"
#include "records/record_log.h"
#include "records/retention.h"
#include "records/statistics.h"
#include "support_records.h"

#include "base/text.h"

#include <QProcess>
#include <QSqlDatabase>
#include <QSqlError>
#include <QSqlQuery>
#include <csignal>
#include <unistd.h>

using namespace records;
using support::logOne;
using support::recipeOf;
using support::resultOf;

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
        const auto ids = logOne(**log, r, result, "lot 'x'");
        QVERIFY2(ids.has_value(), ids ? "" : ids.error().text().c_str());
        const auto again = RecordLog::open(path); // another connection sees it
        const auto values = *(*again)->values(ids->front());
        QCOMPARE(values.size(), std::size_t(2));
        QVERIFY(values[0].values.at(0) == result.items[0].checks[0].values.at(0)); // the same double
        QVERIFY(values[0].low == 59.0 && values[0].high == 61.0 && values[0].unit == "px" &&
                values[0].verdict == "pass");
        QVERIFY(values[1].list && values[1].values == result.items[0].checks[1].values &&
                values[1].verdict == "unjudged");
        const auto rows = *(*again)->items({});
        QVERIFY(rows.size() == 1 && rows[0].batch == "lot 'x'" && rows[0].picture == "bar.png" &&
                rows[0].recipe == "Bar, \"wide\"");
        QVERIFY(QDateTime::fromString(rows[0].at, Qt::ISODateWithMs).isValid());
    }
    void filtersByVerdictAndText()
    {
        auto log = RecordLog::open(m_dir.filePath("b.sqlite"));
        const recipe::Recipe good = recipeOf(), bad = recipeOf(59.5);
        for (int i = 0; i < 5; ++i)
            QVERIFY(logOne(**log, i % 2 ? bad : good, resultOf(i % 2 ? bad : good, "p_" + std::to_string(i))));
        QVERIFY(logOne(**log, good, resultOf(good, "none.png", true)));
        const auto count = [&](const char* verdict, const char* text) {
            return int((*log)->items({verdict, text, 100})->size());
        };
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
    // One row for what a recipe does: a new revision number, a label, another file name of the reference make no other
    // recipe.
    void recipesAreKeptOnce()
    {
        const QString path = m_dir.filePath("c.sqlite");
        recipe::Recipe r = recipeOf();
        auto log = RecordLog::open(path);
        for (int i = 0; i < 3; ++i) QVERIFY(logOne(**log, r, resultOf(r)));
        r.revision = 2;
        r.trials.push_back({"x.png", recipe::Label::Bad});
        QVERIFY(logOne(**log, r, resultOf(r)));
        QCOMPARE((*log)->items({})->front().revision, 2);
        r.steps[0].checks[0].limits.high = 62;
        QVERIFY(logOne(**log, r, resultOf(r)));
        {
            QSqlDatabase db = QSqlDatabase::addDatabase("QSQLITE", "look");
            db.setDatabaseName(path);
            QVERIFY(db.open());
            QSqlQuery q("select count(*) from recipe", db);
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
        for (const auto& [path, sql] :
             {std::pair{other, "create table t (a)"}, std::pair{newer, "pragma user_version = 9"}}) {
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
    void logsOfEarlierSchemasAreBroughtUp_data()
    {
        QTest::addColumn<int>("version");
        QTest::newRow("first") << 1;
        QTest::newRow("second") << 2;
    }
    void logsOfEarlierSchemasAreBroughtUp()
    {
        QFETCH(const int, version);
        const QString path = m_dir.filePath(QString("schema-%1.sqlite").arg(version));
        {
            QSqlDatabase db = QSqlDatabase::addDatabase("QSQLITE", "first");
            db.setDatabaseName(path);
            QVERIFY(db.open());
            QSqlQuery q(db);
            for (const char* sql :
                 {"create table recipe (id integer primary key, name text not null, revision integer not null, json "
                  "text not null, first_used text not null)",
                  "create table item (id integer primary key autoincrement, at text not null, recipe integer not null "
                  "references recipe(id), batch text not "
                  "null, picture text not null, item integer not null, verdict text not null check (verdict in "
                  "('accept', 'reject')), sentence text not "
                  "null, milliseconds real not null)",
                  "create table value (item integer not null references item(id), position integer not null, step text "
                  "not null, output text not null, "
                  "name text not null, balloon integer not null, list integer not null, value text, unit text not "
                  "null, nominal real, low real, high real, "
                  "verdict text not null, reason text not null, primary key (item, position)) without rowid",
                  "create index item_at on item (at)", "create index item_verdict on item (verdict, id)",
                  "insert into recipe values (1, 'Old', 3, '{}', '')",
                  "insert into item values (7, '2026-01-01', 1, 'b', 'old.png', 1, 'reject', 'Width 9', 5)",
                  "insert into value values (7, 0, 's', 'distance', 'Width', 1, 0, '9.25', 'mm', null, 10, 11, 'fail', "
                  "'at least 10')",
                  "pragma user_version = 1"})
                QVERIFY2(q.exec(sql), qPrintable(q.lastError().text()));
            // What the second one had more: an item on which nothing was judged, own limits of elements, its name in
            // the header.
            if (version == 2)
                for (const char* sql :
                     {"create table item_2 (id integer primary key autoincrement, at text not null, recipe integer not "
                      "null references recipe(id), batch text "
                      "not null, picture text not null, item integer not null, verdict text not null check (verdict in "
                      "('accept', 'reject', 'unjudged')), "
                      "sentence text not null, milliseconds real not null)",
                      "insert into item_2 select * from item", "drop table item", "alter table item_2 rename to item",
                      "alter table value add column elements text", "create index item_at on item (at)",
                      "create index item_verdict on item (verdict, id)", "pragma application_id = 1147759467",
                      "pragma user_version = 2"})
                    QVERIFY2(q.exec(sql), qPrintable(q.lastError().text()));
        }
        QSqlDatabase::removeDatabase("first");
        const auto log = RecordLog::open(path);
        QVERIFY2(bool(log), log ? "" : log.error().text().c_str());
        const auto kept = (*log)->values(7);
        QVERIFY(kept && kept->size() == 1 && kept->front().values == std::vector<double>{9.25} &&
                *kept->front().low == 10);
        inspect::PictureResult unjudged;
        unjudged.picture = "new.png";
        unjudged.items.resize(1);
        const auto ids = logOne(**log, recipe::Recipe{}, unjudged, "b");
        QVERIFY2(bool(ids), ids ? "" : ids.error().text().c_str());
        QVERIFY(ids->front() > 7);
        const auto rows = (*log)->items({});
        QVERIFY(rows && rows->size() == 2);
        QCOMPARE(rows->front().verdict, QString("unjudged"));
        QCOMPARE(rows->back().recipe, QString("Old"));
        QCOMPARE(rows->back().revision, 3);
        QVERIFY(rows->back().kept.isEmpty() && !rows->back().notKept.isEmpty());
        QVERIFY((*log)->recipeOf(7).error().message.find("before recipes were kept") != std::string::npos);
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
            QVERIFY2(int(rows.size()) >= acknowledged,
                     qPrintable(QString("%1 of %2").arg(rows.size()).arg(acknowledged)));
            for (const auto& row : rows) QCOMPARE((*log)->values(row.id)->size(), std::size_t(2));
            const recipe::Recipe r = recipeOf();
            QVERIFY(logOne(**log, r, resultOf(r))); // and the log goes on
        }
    }
    void csvGrowsByWholeRows()
    {
        const std::string path = m_dir.filePath("a.csv").toStdString();
        const recipe::Recipe r = recipeOf();
        const auto a = resultOf(r, "with, comma.png"), b = resultOf(r, "none.png", true);
        QVERIFY(appendCsv(base::realFiles(), path, r, csvRows(r, a, "now")));
        QVERIFY(appendCsv(base::realFiles(), path, r, csvRows(r, b, "now") + csvRows(r, a, "now")));
        const QStringList lines = QString::fromStdString(*base::readFile(path)).split('\n', Qt::SkipEmptyParts);
        QCOMPARE(int(lines.size()), 4);
        QVERIFY(lines[0].startsWith("time,picture,item,recipe,revision,verdict,reason,Width [px],Width "
                                    "verdict,Sizes [px²],Sizes verdict"));
        QVERIFY(lines[1].contains("\"with, comma.png\"") && lines[1].contains("\"Bar, \"\"wide\"\"\"") &&
                lines[1].contains(",accept,"));
        QVERIFY(lines[2].contains(",reject,") && lines[2].contains(",not_measured,"));
        const double value = lines[1].split(",pass,")[0].split(',').back().toDouble();
        QVERIFY(value == a.items[0].checks[0].values[0]);
        recipe::Recipe other = r;
        other.steps[0].checks[0].name = "Other";
        const auto e = appendCsv(base::realFiles(), path, other, csvRows(other, a, "now"));
        QVERIFY(!e && e.error().message.find("other columns") != std::string::npos);
        QVERIFY(!appendCsv(base::realFiles(), "/proc/none/x.csv", r, csvRows(r, a, "now")));
    }
    void aCutOffLastRowGoesAndAWholeOneStays()
    {
        const std::string path = m_dir.filePath("cut.csv").toStdString();
        const recipe::Recipe r = recipeOf();
        const std::string row = csvRows(r, resultOf(r), "now");
        const auto add = [&] { return appendCsv(base::realFiles(), path, r, row); };
        QVERIFY(add());
        const std::string bytes = *base::readFile(path);
        for (std::size_t cut = 1; cut < row.size(); ++cut) {
            (void)base::realFiles().write(path, bytes.substr(0, bytes.size() - cut));
            QVERIFY(add());
            const std::string now = *base::readFile(path);
            QVERIFY2(now == (cut == 1 ? bytes + row : bytes), qPrintable(QString::number(cut)));
        }
        // Cut off in its header it begins anew.
        (void)base::realFiles().write(path, bytes.substr(0, 20));
        QVERIFY(add());
        QVERIFY(*base::readFile(path) == bytes);
    }
    void namesFromOutsideAreNoFormulasAndNoLines()
    {
        recipe::Recipe r = recipeOf();
        r.name = "=1+1\nx";
        r.steps[0].checks[0].name = "@sum";
        const std::string path = m_dir.filePath("guard.csv").toStdString();
        for (int i = 0; i < 2; ++i) // its own header is known again
            QVERIFY(appendCsv(base::realFiles(), path, r, csvRows(r, resultOf(r, "-\xff.png"), "now")));
        const QByteArray all = QByteArray::fromStdString(*base::readFile(path));
        QCOMPARE(int(all.count('\n')), 3);
        QVERIFY2(all.contains(",'@sum [px],") && all.contains(",'=1+1 x,") && all.contains("now,'-\xEF\xBF\xBD.png,"),
                 all.constData());
        QVERIFY(QString::fromUtf8(all).toUtf8() == all);
    }
    // Everything an entry says comes back; the recipe computes the same bits again.
    void aRecordIsAllThatIsNeeded()
    {
        auto log = RecordLog::open(m_dir.filePath("whole.sqlite"));
        recipe::Recipe r = recipeOf();
        const auto png = image::encodePng(support::draw({support::box(30, 5, 90, 55)}, 120, 60));
        r.reference = *recipe::makeAsset("reference.png", *png, "where/it/was.png");
        auto result = resultOf(r);
        result.warnings = {"beware"};
        Entry e = support::entryOf(support::released(r, "B. Person"), result, "lot 3");
        e.station = "left";
        e.pictures = {{"", base::sha256(*png), "somewhere.png", ""}};
        const auto ids = (*log)->append({e});
        QVERIFY(ids);
        const auto row = (*log)->item(ids->front().front());
        QVERIFY(row && row->by == "B. Person" && row->station == "left" && row->batch == "lot 3" &&
                row->kept == "somewhere.png");
        QVERIFY(row->warnings == QStringList{"beware"} && row->pictureHash.toStdString() == e.pictures.front().hash &&
                row->identity.size() == 64);
        const auto again = (*log)->recipeOf(row->id);
        QVERIFY2(again.has_value(), again ? "" : again.error().text().c_str());
        QVERIFY(recipe::identity(*again) == row->identity.toStdString() &&
                *again->reference.files.front().bytes == *png);
        QVERIFY(resultOf(*again).items[0].checks[0].values == result.items[0].checks[0].values);
        QVERIFY(!(*log)->item(99) && !(*log)->recipeOf(99));
        // A picture that could not be read is a record too.
        inspect::PictureResult unreadable;
        unreadable.picture = "gone.png";
        unreadable.error = "gone.png: cannot open";
        const auto id = logOne(**log, r, unreadable);
        QVERIFY(id && (*log)->item(id->front())->verdict == "error" &&
                (*log)->item(id->front())->sentence.contains("cannot open"));
    }
    // Worked examples of the NIST/SEMATECH e-Handbook of Statistical Methods: individuals chart (6.3.2.2), capability
    // (6.1.6), to the digits printed there.
    void statisticsAgreeWithPublishedExamples()
    {
        const auto s = statisticsOf({49.6, 47.6, 49.9, 51.3, 47.8, 51.2, 52.6, 52.4, 53.6, 52.1}, {}, {});
        QVERIFY(s.count == 10 && std::abs(s.mean - 50.81) < 5e-7 && std::abs(s.movingRange - 1.8778) < 5e-5);
        QVERIFY2(std::abs(s.upperControl - 55.8041) < 5e-5, qPrintable(QString::number(s.upperControl, 'g', 10)));
        QVERIFY2(std::abs(s.lowerControl - 45.8159) < 5e-5, qPrintable(QString::number(s.lowerControl, 'g', 10)));
        QVERIFY(s.beyond.empty() && !s.cp && !s.cpk);
        // Mean 16, standard deviation 2, limits 8 and 20.
        const auto c = statisticsOf({14, 18, 14, 18, 16 - 2, 16 + 2, 16, 16}, 8.0, 20.0);
        const double scale = c.deviation / 2; // what the example's two is of these
        QVERIFY(std::abs(c.mean - 16) < 1e-12);
        QVERIFY(std::abs(*c.pp * scale - 1.0) < 1e-9 && std::abs(*c.ppk * scale - 0.6667) < 5e-5);
        // One-sided limits, one value, none, no spread.
        QVERIFY(!statisticsOf({1, 2, 3}, {}, 5.0).pp && statisticsOf({1, 2, 3}, {}, 5.0).ppk);
        QVERIFY(statisticsOf({7}, 1.0, 9.0).count == 1 && !statisticsOf({7}, 1.0, 9.0).cpk);
        QCOMPARE(statisticsOf({}, 1.0, 9.0).count, std::size_t(0));
        QVERIFY(!statisticsOf({5, 5, 5}, 1.0, 9.0).cp);
        const auto jump = statisticsOf({1, 1.1, 1, 1.1, 1, 1.1, 9, 1, 1.1, 1, 1.1, 1, 1.1, 1, 1.1, 1}, 0.0, 2.0);
        QVERIFY(jump.beyond == std::vector<std::size_t>{6} && jump.outOfTolerance == 1);
        // A shift of all values shifts what is a place and leaves what is a spread.
        std::vector<double> moved{49.6, 47.6, 49.9, 51.3, 47.8, 51.2, 52.6, 52.4, 53.6, 52.1};
        for (double& v : moved) v = 3 * v - 100;
        const auto m = statisticsOf(moved, {}, {});
        QVERIFY(std::abs(m.upperControl - (3 * s.upperControl - 100)) < 1e-9 &&
                std::abs(m.deviation - 3 * s.deviation) < 1e-9);
    }
    void theOldestLeaveWholeAndOnlyWhatWasSaid()
    {
        const QString path = m_dir.filePath("retention.sqlite");
        const recipe::Recipe r = recipeOf();
        auto log = RecordLog::open(path);
        const auto result = resultOf(r);
        const auto release = support::released(r);
        std::vector<Entry> all;
        for (int i = 0; i < 5000; ++i) {
            Entry e = support::entryOf(release, result, "b");
            e.at = QDateTime::currentDateTimeUtc()
                       .addDays(-100)
                       .addSecs(i * 1728)
                       .toString(Qt::ISODateWithMs)
                       .toStdString();
            if (i % 50 == 0) e.pictures = {{"white", "aa", "w.png", ""}, {"dome", "bb", "", "x"}};
            all.push_back(std::move(e));
        }
        QVERIFY((*log)->append(all));
        QVERIFY((*log)->overrule(3, "reject", "Eva", "seen") && (*log)->overrule(4000, "reject", "Eva", "seen"));
        {
            auto reader = ColumnReader::open(path);
            QVERIFY((*(*reader)->update())->items() == 5000);
        }
        // 100 days, 50 a day: those older than 60 days are 2000.
        const auto old = leaving(**log, {60, 0});
        QVERIFY(old && old->of == 5000 && std::abs(old->items - 2000) <= 1 && old->values == 2 * old->items);
        QVERIFY(old->first == (*log)->item(1)->at && old->last == (*log)->item(old->upTo)->at && old->bytes > 100000);
        QCOMPARE((*log)->counts({})->items, 5000LL); // said, nothing more
        QCOMPARE(leaving(**log, {200, 0})->items, 0LL);
        QVERIFY(leaving(**log, {0, 1LL << 40})->items == 0);
        const long long used = *usedBytes(**log);
        const auto half = leaving(**log, {0, used / 2});
        QVERIFY(std::abs(half->items - 2500) < 50);
        // What a server does not have yet stays.
        {
            QSqlQuery q((*log)->database());
            QVERIFY(q.exec("insert into about (key, value) values ('sent', '1500')"));
        }
        const auto sent = leaving(**log, {60, 0});
        QVERIFY(sent->items == 1500 && sent->notSent == old->items - 1500);
        base::Watch stopped;
        stopped.cancel = true;
        QVERIFY(!records::remove(**log, *sent, &stopped));
        QVERIFY(records::remove(**log, *sent));
        QCOMPARE((*log)->counts({})->items, 3500LL);
        QVERIFY(!(*log)->item(1500) && (*log)->item(1501) && (*log)->values(1500)->empty() &&
                (*log)->values(1501)->size() == 2);
        QVERIFY((*log)->item(4000)->overruled == "reject" && (*log)->events()->size() == 2 && (*log)->recipeOf(1501));
        QVERIFY(*usedBytes(**log) < used);
        auto reader = ColumnReader::open(path);
        QCOMPARE((*(*reader)->update())->items(), std::size_t(3500));
        QVERIFY((*log)->append({support::entryOf(release, result, "new")})->front().front() == 5001); // numbers go on
    }
    // The third schema lacked the pictures of captures that have several.
    void capturesOfSeveralPicturesAreWhole()
    {
        const QString path = m_dir.filePath("third.sqlite");
        const recipe::Recipe r = recipeOf();
        long long before = 0;
        {
            auto log = RecordLog::open(path);
            before = logOne(**log, r, resultOf(r))->front();
        }
        {
            QSqlDatabase db = QSqlDatabase::addDatabase("QSQLITE", "third");
            db.setDatabaseName(path);
            QVERIFY(db.open());
            QSqlQuery q(db);
            QVERIFY(q.exec("drop table picture") && q.exec("drop table overrule") && q.exec("drop table digest") &&
                    q.exec("drop table about") && q.exec("alter table event drop column identity") &&
                    q.exec("pragma user_version = 3"));
        }
        QSqlDatabase::removeDatabase("third");
        auto log = RecordLog::open(path);
        QVERIFY2(bool(log), log ? "" : log.error().text().c_str());
        QVERIFY((*log)->pictures(before)->empty() && (*log)->item(before)->verdict == "accept");
        Entry e = support::entryOf(support::released(r), resultOf(r), "");
        e.pictures = {{"white", "aa", "w.png", ""}, {"dome", "bb", "", "no space left"}};
        const auto ids = (*log)->append({e});
        QVERIFY(ids);
        const auto pictures = (*log)->pictures(ids->front().front());
        QVERIFY(pictures && pictures->size() == 2);
        QVERIFY((*pictures)[0].key == "white" && (*pictures)[0].kept == "w.png" && (*pictures)[1].hash == "bb" &&
                (*pictures)[1].notKept == "no space left");
        QCOMPARE((*log)->item(ids->front().front())->pictureHash, QString("aa"));
    }
    void identityIsWhatTheRecipeDoes()
    {
        recipe::Recipe r = recipeOf();
        const auto png = *image::encodePng(support::draw({}, 40, 40)),
                   other = *image::encodePng(support::draw({}, 41, 40));
        r.reference = *recipe::makeAsset("a.png", png, "x/a.png");
        const std::string before = recipe::identity(r);
        recipe::Recipe same = r;
        same.trials.push_back({"t.png", recipe::Label::Good});
        same.revision = 77;
        same.reference = *recipe::makeAsset("b.png", png, "moved/b.png");
        QVERIFY(recipe::identity(same) == before);
        const auto changed = [&](const std::function<void(recipe::Recipe&)>& edit) {
            recipe::Recipe c = r;
            edit(c);
            return recipe::identity(c) != before;
        };
        QVERIFY(changed([&](auto& c) { c.reference = *recipe::makeAsset("a.png", other, "x/a.png"); }));
        QVERIFY(changed([&](auto& c) { c.reference = {}; }));
        QVERIFY(changed([&](auto& c) { c.empty = c.reference; }));
        QVERIFY(changed([](auto& c) { c.steps[0].checks[0].limits.low = 59.0000001; }));
        QVERIFY(changed([](auto& c) {
            recipe::findKind("edge_pair")->param("smoothing")->put(c.steps[0].params, recipe::Value(2.25));
        }));
        QVERIFY(changed([](auto& c) { c.calibration = geometry::Calibration::factor(0.05, ""); }));
        QVERIFY(changed([](auto& c) { c.rule = "1"; }));
    }
    void releasesAreEvents()
    {
        auto log = RecordLog::open(m_dir.filePath("events.sqlite"));
        QVERIFY(!*(*log)->lastRelease());
        recipe::Recipe r = recipeOf();
        r.revision = 4;
        const auto first = support::released(r, "A");
        r.steps[0].checks[0].limits.high = 70;
        r.revision = 5;
        const auto second = support::released(r, "B");
        QVERIFY((*log)->append(*first, ""));
        QVERIFY((*log)->append(*second, first->identity));
        const auto events = (*log)->events();
        QVERIFY(events && events->size() == 2 && (*events)[1].by == "B" && (*events)[1].before == (*events)[0].after &&
                (*events)[1].revision == 5);
        const auto last = (*log)->lastRelease();
        QVERIFY(last && *last && (*last)->identity == second->identity && (*last)->revision == 5 &&
                (*last)->by == "B" && (*last)->at == second->at);
    }
};

int main(int argc, char** argv)
{
    QCoreApplication application(argc, argv);
    if (argc == 3 && QString(argv[1]) == "--append-for-ever") { // the child that is killed
        auto log = RecordLog::open(argv[2]);
        const recipe::Recipe r = recipeOf();
        const auto result = resultOf(r);
        const auto release = support::released(r);
        for (int n = 1; n < 100000; ++n) {
            if (!(*log)->append({support::entryOf(release, result)})) return 1;
            const std::string line = std::to_string(n) + "\n";
            if (::write(1, line.data(), line.size()) < 0) return 1; // acknowledged
        }
        return 0;
    }
    RecordsTest test;
    return QTest::qExec(&test, argc, argv);
}
#include "records_test.moc"

// records_window_test.cpp - the third workspace by mouse and keys: choosing by words and by strokes, what is drawn of an
// item, inspecting again, what is written.
#include "desktop/records/again_dialog.h"
#include "desktop/records/distribution_view.h"
#include "desktop/records/records_grid.h"
#include "desktop/records/records_page.h"
#include "desktop/records/records_setup.h"
#include "desktop/records/ribbon_view.h"
#include "desktop/records/sentence_bar.h"
#include "postgres.h"
#include "records/picture_store.h"
#include "report/record_report.h"
#include "support_records.h"
#include "window_support.h"

#include <QCheckBox>
#include <QDialogButtonBox>
#include <QDoubleSpinBox>
#include <QFileDialog>
#include <QLineEdit>
#include <QMessageBox>
#include <QProcess>
#include <QRegularExpression>
#include <QSpinBox>
#include <QSqlDatabase>
#include <QSqlQuery>
#include <QTableWidget>
#include <QToolButton>
#include <cmath>
#include <nlohmann/json.hpp>
#include <random>

using namespace desktop;
using support::click;
using support::waitFor;

namespace
{
support::OwnPlace place;
}

class RecordsWindowTest : public QObject
{
    Q_OBJECT
    std::unique_ptr<MainWindow> m_window;
    QTemporaryDir m_pictures;
    QDateTime m_now = QDateTime::currentDateTimeUtc();
    int m_folder = 0;

    RecordsPage& page() { return *m_window->recordsPage(); }
    RecordsModel& model() { return page().model(); }
    const RecordsView& view() { return model().view(); }
    template <class W> W* child(const char* name) { return m_window->findChild<W*>(name); }
    QString logPath() { return m_window->runPage()->logPath(); }

    // The bar of support::recipeOf, so wide; its picture kept.
    records::Entry entry(const std::shared_ptr<const records::Release>& release, double width, const char* batch,
                         int secondsAgo, bool kept = true)
    {
        const std::string name = "bar-" + std::to_string(int(std::lround(width * 100))) + ".png";
        const image::Capture capture = image::makeCapture(support::barPicture(width <= 0, width), name);
        records::Entry e = support::entryOf(release, inspect::evaluate(*release->prepared, capture), batch);
        e.at = m_now.addSecs(-secondsAgo).toString(Qt::ISODateWithMs).toStdString();
        e.station = "one";
        records::PictureStore store(base::realFiles(), m_pictures.path().toStdString());
        const auto put = *store.keep(capture.first());
        if (kept) e.pictures = {{"", put.hash, put.path, ""}};
        else e.pictures = {{"", "", "", "only rejects are kept"}};
        return e;
    }
    // 40 good ones of one batch, 3 too wide and 1 without a bar in the next; the last revision is stricter.
    void fill()
    {
        auto log = records::RecordLog::open(logPath());
        recipe::Recipe first = support::recipeOf(61), second = support::recipeOf(60.9);
        first.revision = 4, second.revision = 5;
        const auto four = support::released(first), five = support::released(second);
        std::vector<records::Entry> all;
        for (int i = 0; i < 40; ++i)
            all.push_back(entry(four, 60 + 0.3 * std::sin(i * 1.7) + 0.05 * (i % 3), "A", 7000 - 10 * i, i % 2 == 0));
        for (int i = 0; i < 20; ++i)
            all.push_back(entry(five, i % 7 == 3 ? 62.5 : i == 12 ? 0 : 60.2 + 0.01 * i, "B", 3000 - 10 * i));
        QVERIFY((*log)->append(all));
    }
    void open()
    {
        m_window->showWorkspace(2);
        page().wait();
    }
    // Chooses a line of a word's menu by its text.
    void choose(const char* word, const QString& text)
    {
        auto* button = child<WordButton>(word);
        QVERIFY2(button && button->isVisible(), word);
        QTimer::singleShot(0, this, [&] {
            auto* menu = button->menu();
            QVERIFY(waitFor([&] { return menu->isVisible(); }));
            for (QAction* a : menu->actions())
                if (a->text() == text) {
                    QTest::mouseClick(menu, Qt::LeftButton, {}, menu->actionGeometry(a).center());
                    return;
                }
            menu->close();
            QFAIL(qPrintable(text + " is not offered"));
        });
        click(button);
        QVERIFY(waitFor([&] { return !button->menu()->isVisible(); }));
        QApplication::setActiveWindow(m_window.get()); // without a window system nobody gives it back
        page().wait();
    }
    void stroke(QWidget* w, QPointF from, QPointF to)
    {
        QTest::mousePress(w, Qt::LeftButton, {}, from.toPoint());
        QTest::mouseMove(w, ((from + to) / 2).toPoint());
        QTest::mouseMove(w, to.toPoint());
        QTest::mouseRelease(w, Qt::LeftButton, {}, to.toPoint());
        page().wait();
    }
    void key(int k, Qt::KeyboardModifiers m = {})
    {
        QWidget* at = QApplication::focusWidget() ? QApplication::focusWidget() : &page();
        QTest::keyClick(at, Qt::Key(k), m);
        page().wait();
    }
    QString sentence() { return child<SentenceBar>("sentence")->text(); }
    int checkNamed(const char* name)
    {
        for (std::size_t i = 0; i < view().columns->checks.size(); ++i)
            if (view().columns->checks[i].name == QLatin1String(name)) return int(i);
        return -1;
    }
    // Answers the next file dialog with this name.
    void willSaveAs(const QString& path)
    {
        QTimer::singleShot(0, this, [path] {
            QVERIFY(waitFor([] { return qobject_cast<QFileDialog*>(QApplication::activeModalWidget()); }));
            auto* d = qobject_cast<QFileDialog*>(QApplication::activeModalWidget());
            d->findChild<QLineEdit*>()->setText(path);
            QTest::keyClick(d->findChild<QLineEdit*>(), Qt::Key_Return);
        });
    }
private slots:
    void init() { m_window = support::openWindow(place.path(QStringLiteral("data%1").arg(++m_folder))); }
    void cleanup() { m_window.reset(); }

    void nothingLoggedSaysWhereItComesFrom()
    {
        open();
        QVERIFY2(page().hint().contains("Nothing logged yet"), qPrintable(page().hint()));
        auto* hint = child<QLabel>("recordsHint");
        QVERIFY(hint->isVisible() && !child<RibbonView>("ribbon")->isVisible());
        emit hint->linkActivated("run");
        QCOMPARE(m_window->workspace(), 1);
    }
    void wordsChooseAndEscTakesThemBack()
    {
        fill();
        open();
        QCOMPARE(view().counts.items, 60LL);
        QCOMPARE(child<QLabel>("recordCount")->text(), QString("60 items, 4 rejected"));
        QCOMPARE(sentence(), QString("all items"));
        choose("batchWord", "batch B");
        QCOMPARE(view().counts.items, 20LL);
        choose("verdictWord", "rejects");
        QCOMPARE(view().counts.items, 4LL);
        QCOMPARE(sentence(), QString("batch B · rejects"));
        QCOMPARE(child<QLabel>("recordCount")->text(), QString("4 of 60 items"));
        // Of rejects alone nothing is said of the process.
        QVERIFY(!view().checks[std::size_t(checkNamed("Width"))].cpk && view().detail->chart.places.empty());
        QVERIFY(child<DistributionView>("distribution")->said().contains("no Cp, Cpk"));
        choose("revisionWord", "revision 4");
        QCOMPARE(view().counts.items, 0LL);
        QVERIFY2(page().hint().contains("No item: batch B · revision 4 · rejects") && page().hint().contains("Esc"),
                 qPrintable(page().hint()));
        key(Qt::Key_Escape);
        QCOMPARE(view().counts.items, 4LL);
        key(Qt::Key_Escape);
        key(Qt::Key_Escape);
        QCOMPARE(view().counts.items, 60LL);
        choose("checkWord", "Width failed");
        QCOMPARE(view().counts.items, 4LL);
        key(Qt::Key_Escape);
        // By text, from the keyboard alone.
        key(Qt::Key_F, Qt::ControlModifier);
        QCOMPARE(QApplication::focusWidget()->objectName(), QString("textFilter"));
        QTest::keyClicks(QApplication::focusWidget(), "BAR-625");
        page().wait();
        QCOMPARE(view().counts.items, 3LL);
        choose("timeWord", "yesterday");
        if (view().counts.items == 0) {
            QVERIFY(page().hint().contains("at any time: 3"));
            emit child<QLabel>("recordsHint")->linkActivated("time");
            page().wait();
            QCOMPARE(view().counts.items, 3LL);
        }
    }
    void strokesChooseTimeItemsAndValues()
    {
        fill();
        open();
        // On the ribbon: the first batch.
        auto* ribbon = child<RibbonView>("ribbon");
        const double middle = ribbon->xOf(m_now.addSecs(-4500).toMSecsSinceEpoch());
        stroke(ribbon, {6, 15}, {middle, 15});
        QCOMPARE(view().counts.items, 40LL);
        QVERIFY(ribbon->span().has_value() && model().narrowed());
        // A handle of the span takes the others in; a plate in the sentence takes it back.
        stroke(ribbon, {middle, 15}, {double(ribbon->width() - 4), 15});
        QCOMPARE(view().counts.items, 60LL);
        click(child<WordButton>("brushWord"));
        page().wait();
        QVERIFY(!model().narrowed());
        // In the run chart: items.
        auto* chart = child<RunChart>("runChart");
        stroke(chart, {chart->xOf(10.4), 80}, {chart->xOf(19.6), 90});
        QCOMPARE(view().counts.items, 10LL);
        QCOMPARE(sentence(), QString("items 11 – 20"));
        key(Qt::Key_Escape);
        QCOMPARE(view().counts.items, 60LL);
        // In the histogram: values. Those that were not measured are not among them.
        model().chooseCheck(checkNamed("Width"));
        page().wait();
        auto* bins = child<DistributionView>("distribution");
        stroke(bins, {40, chart->yOf(62.2)}, {60, chart->yOf(62.8)});
        QCOMPARE(view().counts.items, 3LL);
        QVERIFY2(sentence().startsWith("Width 62.2"), qPrintable(sentence()));
        key(Qt::Key_Escape);
        // A post on the ribbon is its batch.
        click(ribbon, QPoint(int(std::lround(ribbon->xOf(m_now.addSecs(-3000).toMSecsSinceEpoch()))), 12));
        page().wait();
        QCOMPARE(sentence(), QString("batch B"));
    }
    void itemsAndChecksByKeysAndClicks()
    {
        fill();
        open();
        auto* cells = child<RecordCells>("recordCells");
        auto* heads = child<RecordHeads>("recordHeads");
        QCOMPARE(model().itemId(), 60LL); // the newest
        click(cells, cells->cellRect(0, 2).center());
        page().wait();
        QCOMPARE(model().itemId(), 3LL);
        QCOMPARE(page().item()->id, 3LL);
        QVERIFY(child<RecordSheet>("recordSheet")->hint().isEmpty());
        m_window->grab();
        QVERIFY(child<RecordSheet>("recordSheet")->showsMarks());
        QVERIFY(child<RecordSheet>("recordSheet")->titleBlock().contains("batch A"));
        // Logged figures in the row heads, and their limits as they were then.
        const auto values = page().item()->values;
        QCOMPARE(heads->rowText(0)[1], figure(values[0].values[0], "px"));
        QVERIFY2(heads->rowText(0)[3].contains("61"), qPrintable(heads->rowText(0)[3]));
        cells->setFocus();
        key(Qt::Key_Right);
        QCOMPARE(model().itemId(), 4LL);
        // Its picture was not put aside: said with the reason.
        QVERIFY2(child<RecordSheet>("recordSheet")->hint().contains("only rejects are kept"),
                 qPrintable(child<RecordSheet>("recordSheet")->hint()));
        key(Qt::Key_Right, Qt::ControlModifier);
        QCOMPARE(model().itemId(), 44LL);
        key(Qt::Key_Right, Qt::ControlModifier), key(Qt::Key_Left, Qt::ControlModifier);
        QCOMPARE(model().itemId(), 44LL);
        key(Qt::Key_End);
        QCOMPARE(model().itemId(), 60LL);
        key(Qt::Key_Home);
        QCOMPARE(model().itemId(), 1LL);
        key(Qt::Key_Down);
        QCOMPARE(view().check, view().order[1]);
        key(Qt::Key_Up);
        // One check against another, by Ctrl and a click.
        QTest::mouseClick(heads, Qt::LeftButton, Qt::ControlModifier,
                          QPoint(60, RecordRows::kHead + RecordRows::kRow + 5));
        page().wait();
        QCOMPARE(view().second, view().order[1]);
        click(child<QToolButton>("sortByFails"));
        QVERIFY(model().sortedByFails());
        key(Qt::Key_F11);
        QVERIFY(!cells->isVisible() && child<RecordSheet>("recordSheet")->isVisible());
        key(Qt::Key_Escape);
        QVERIFY(cells->isVisible());
    }
    void signsAndCapabilityAreSaid()
    {
        fill();
        auto log = records::RecordLog::open(logPath());
        const auto release = support::released([] {
            auto r = support::recipeOf(60.9);
            r.revision = 5;
            return r;
        }());
        std::vector<records::Entry> more;
        for (int i = 0; i < 30; ++i)
            more.push_back(entry(release, (i < 18 ? 60 : 60.3) + 0.1 * (i * 7 % 3 - 1), "C", 900 - 10 * i));
        QVERIFY((*log)->append(more));
        open();
        choose("batchWord", "batch C");
        model().chooseCheck(checkNamed("Width"));
        page().wait();
        QVERIFY(!view().detail->hits.empty());
        auto* chart = child<RunChart>("runChart");
        QVERIFY2(chart->said().contains("30 items") && chart->said().contains("in a row above the mean (rule: 9)"),
                 qPrintable(chart->said()));
        const QStringList said = child<DistributionView>("distribution")->said();
        QVERIFY2(said.filter("pk ").size() >= 1 && said.contains("not stable"), qPrintable(said.join('|')));
        // The window's figure is the core's.
        const auto s = records::statisticsOf(view().detail->values, 59.0, 60.9);
        QCOMPARE(child<RecordHeads>("recordHeads")->rowText(0)[5], QString::number(*s.cpk, 'f', 2));
        model().setChart(records::ChartKind::MeanAndRange, 5);
        page().wait();
        QCOMPARE(view().detail->chart.places.size(), std::size_t(6));
        m_window->grab();
        choose("batchWord", "batch B"); // too few
        QVERIFY(child<DistributionView>("distribution")->said().contains("25 needed"));
    }
    void inspectedAgainBesideWhatWasLogged()
    {
        fill();
        open();
        const auto rowsBefore = (*records::RecordLog::open(logPath()))->items({});
        // The recipe in work is stricter, and has one check less.
        recipe::Recipe strict = support::recipeOf(60.1);
        strict.steps.pop_back();
        strict.name = "stricter", strict.revision = 9;
        const std::string path = place.path("strict.json").toStdString();
        QVERIFY(base::writeAtomic(base::realFiles(), path, recipe::toJson(strict, "").dump()));
        QVERIFY(m_window->openRecipe(QString::fromStdString(path)));
        QVERIFY(waitFor([&] { return m_window->session().settled(); }));
        open();
        child<RecordCells>("recordCells")->setFocus();
        key(Qt::Key_Return, Qt::ControlModifier);
        QVERIFY(page().again() && page().item()->again);
        QCOMPARE(page().item()->again->verdictNow, std::string("reject"));
        auto* heads = child<RecordHeads>("recordHeads");
        const QStringList row = heads->rowText(0);
        QCOMPARE(row[1], row[2]); // the same figure
        QCOMPARE(heads->rowText(1)[2], QString("gone"));
        QVERIFY(child<RecordSheet>("recordSheet")->titleBlock().contains("again rev 9"));
        m_window->grab();
        key(Qt::Key_Return, Qt::ControlModifier);
        QVERIFY(!page().again());
        // Everything the sentence says, changed verdicts first.
        choose("batchWord", "batch B");
        QTimer::singleShot(0, this, [this] { key(Qt::Key_Return, Qt::ControlModifier | Qt::ShiftModifier); });
        AgainDialog* dialog = nullptr;
        QVERIFY(waitFor(
            [&] { return (dialog = m_window->findChild<AgainDialog*>("againDialog")) && dialog->isVisible(); }));
        QVERIFY2(dialog->summary().startsWith("20 items with stricter, revision 9: 16 with another verdict"),
                 qPrintable(dialog->summary()));
        auto* table = dialog->findChild<QTableWidget*>("againTable");
        QVERIFY(table->item(0, 1)->text() == "accept" && table->item(0, 2)->text() == "reject" &&
                table->item(19, 1)->text() == "reject");
        table->selectRow(3);
        page().wait();
        QCOMPARE(model().itemId(), table->item(3, 0)->text().toLongLong());
        dialog->close();
        // Nothing logged has changed.
        const auto rowsAfter = (*records::RecordLog::open(logPath()))->items({});
        QCOMPARE(rowsAfter->size(), rowsBefore->size());
        for (std::size_t i = 0; i < rowsAfter->size(); ++i)
            QVERIFY((*rowsAfter)[i].verdict == (*rowsBefore)[i].verdict &&
                    (*rowsAfter)[i].sentence == (*rowsBefore)[i].sentence);
    }
    void everythingAgainWithItsOwnRecipeIsTheSame()
    {
        fill();
        auto log = records::RecordLog::open(logPath());
        std::vector<long long> ids;
        for (long long id = 41; id <= 60; ++id) ids.push_back(id);
        const auto own = inspect::Prepared::make(*(*log)->recipeOf(50));
        base::Watch watch;
        const auto lines = desktop::inspectAllAgain(logPath(), ids, *own, watch);
        QVERIFY(lines && lines->size() == 20 && watch.share == 1);
        for (const AgainLine& l : *lines) QVERIFY2(l.same && !l.changed && l.error.empty(), l.error.c_str());
        base::Watch stopped;
        stopped.cancel = true;
        QVERIFY(!desktop::inspectAllAgain(logPath(), ids, *own, stopped));
        // One that was not kept says so and spoils nothing.
        const auto some = desktop::inspectAllAgain(logPath(), {2, 41}, *own, watch);
        QVERIFY((*some)[0].error.find("only rejects") != std::string::npos && (*some)[1].same);
    }
    void tablesHoldWhatTheSentenceSays()
    {
        fill();
        open();
        choose("verdictWord", "rejects");
        QTemporaryDir out;
        const auto written = [&](const char* action, const QString& name) {
            const QString path = out.filePath(name);
            willSaveAs(path);
            m_window->findChild<QAction*>(action)->trigger();
            return QString::fromStdString(base::readFile(path.toStdString()).value_or(""));
        };
        const QStringList items = written("tableItems", "items.csv").trimmed().split('\n');
        QCOMPARE(items.size(), 5);
        QVERIFY2(
            items[0].startsWith("record,time,picture,item,batch,station,recipe,revision,verdict,overruled,reason,Width "
                                "[px],Width verdict,Sizes [px²],Sizes verdict"),
            qPrintable(items[0]));
        const QStringList values = written("tableValues", "values.csv").trimmed().split('\n');
        QCOMPARE(values.size(), 1 + 8);
        const auto json = nlohmann::json::parse(written("tableJson", "all.json").toStdString());
        QCOMPARE(json.size(), std::size_t(4));
        // The same figures everywhere: log, both tables, JSON.
        auto log = records::RecordLog::open(logPath());
        for (std::size_t i = 0; i < json.size(); ++i) {
            const auto of = (*log)->values(json[i]["record"].get<long long>());
            if (of->front().values.empty()) continue;
            const double value = of->front().values.front();
            QVERIFY(json[i]["values"][0]["value"].get<double>() == value);
            const QString text = QString::fromStdString(base::shortest(value));
            QVERIFY(items[int(i) + 1].contains("," + text + ",") && values[1 + 2 * int(i)].contains("," + text + ","));
        }
        // A place that cannot be written to is named, and nothing is left there.
        willSaveAs("/proc/none/x.csv");
        QTimer::singleShot(400, this, [] {
            while (QWidget* w = QApplication::activeModalWidget()) w->close(), QTest::qWait(50);
        });
        m_window->findChild<QAction*>("tableItems")->trigger();
        QVERIFY(!QFile::exists("/proc/none/x.csv"));
    }
    // Log, window, PDF, both tables and JSON say the same of 200 items.
    void figuresAreTheSameEverywhere()
    {
        auto log = records::RecordLog::open(logPath());
        const auto release = support::released(support::recipeOf(60.6));
        std::mt19937 random(5);
        std::vector<records::Entry> all;
        for (int i = 0; i < 200; ++i)
            all.push_back(
                entry(release, i % 23 == 9 ? 0 : 59.4 + double(random() % 15000) / 10000, i % 2 ? "A" : "B", 4000 - i));
        QVERIFY((*log)->append(all));
        open();
        QTemporaryDir out;
        std::vector<long long> ids;
        for (long long id = 1; id <= 200; ++id) ids.push_back(id);
        QVERIFY(records::writeTable(logPath(), ids, records::TableForm::Items, out.filePath("items.csv")));
        QVERIFY(records::writeTable(logPath(), ids, records::TableForm::Values, out.filePath("values.csv")));
        QVERIFY(records::writeTable(logPath(), ids, records::TableForm::Json, out.filePath("all.json")));
        const auto lines = [&](const char* name) {
            return QString::fromStdString(*base::readFile(out.filePath(name).toStdString())).trimmed().split('\n');
        };
        const QStringList items = lines("items.csv"), rows = lines("values.csv");
        const auto json = nlohmann::json::parse(*base::readFile(out.filePath("all.json").toStdString()));
        QVERIFY(items.size() == 201 && rows.size() == 401 && json.size() == 200);
        auto* heads = child<RecordHeads>("recordHeads");
        int measured = 0;
        for (int i = 0; i < 200; ++i) {
            const auto values = *(*log)->values(ids[std::size_t(i)]);
            const QString verdict = (*log)->item(ids[std::size_t(i)])->verdict;
            model().chooseItem(i);
            page().wait();
            QCOMPARE(model().itemId(), ids[std::size_t(i)]);
            const QString pdf = out.filePath("item.pdf");
            QVERIFY(report::writeItemReport(logPath(), ids[std::size_t(i)], pdf, report::Paper::A4));
            QProcess text;
            text.start("pdftotext", {"-layout", pdf, "-"});
            QVERIFY2(text.waitForFinished() && text.exitCode() == 0, "pdftotext of poppler-utils reads the PDF");
            const QString said = QString::fromUtf8(text.readAllStandardOutput());
            QVERIFY(said.contains(verdict.toUpper()) && items[i + 1].contains(verdict));
            QCOMPARE(QString::fromStdString(json[std::size_t(i)]["verdict"]), verdict);
            const records::ValueRow& width = values[0];
            const QRegularExpression line("^1 +Width +px +– +59.00 +60.60 +(\\S+)",
                                          QRegularExpression::MultilineOption);
            const auto found = line.match(said);
            QVERIFY2(found.hasMatch(), qPrintable(said));
            if (width.values.empty()) {
                QVERIFY(found.captured(1) == "none" && heads->rowText(0)[1] == "–");
                QVERIFY(json[std::size_t(i)]["values"][0]["value"].is_null());
                QVERIFY(items[i + 1].contains(",," + width.verdict + ","));
                continue;
            }
            ++measured;
            const double value = width.values[0];
            const QString full = QString::fromStdString(base::shortest(value));
            QCOMPARE(found.captured(1), figure(value, "px"));
            QCOMPARE(heads->rowText(0)[1], figure(value, "px"));
            QVERIFY(json[std::size_t(i)]["values"][0]["value"].get<double>() == value);
            QVERIFY(items[i + 1].contains("," + full + "," + width.verdict) &&
                    rows[1 + 2 * i].contains("Width," + full + ",px,"));
            QCOMPARE(view().columns->cell(view().rows[std::size_t(i)], std::size_t(view().check)).value, value);
        }
        QVERIFY(measured > 150);
    }
    void reportsAreWritten()
    {
        fill();
        open();
        QTemporaryDir out;
        const auto tool = [&](const char* program, const QStringList& arguments) {
            QProcess p;
            p.start(program, arguments);
            return p.waitForFinished() ? QString::fromUtf8(p.readAllStandardOutput()) : QString();
        };
        choose("batchWord", "batch A");
        const QString pdf = out.filePath("batch.pdf");
        willSaveAs(pdf);
        m_window->findChild<QAction*>("reportChosen")->trigger();
        const QString text = tool("pdftotext", {"-layout", pdf, "-"});
        QVERIFY2(text.contains("Batch A") && text.contains("page 1 of"), qPrintable(text));
        QVERIFY(text.contains(QRegularExpression("items +40")) && text.contains(QRegularExpression("rejected +0")));
        // Its statistics are the window's.
        const QString cpk = child<RecordHeads>("recordHeads")->rowText(0)[5];
        QVERIFY2(text.contains(QRegularExpression("Width +px.* " + QRegularExpression::escape(cpk) + " ")),
                 qPrintable(cpk + text));
        QVERIFY(tool("pdfinfo", {pdf}).contains("A4"));
        for (const QString& font : tool("pdffonts", {pdf}).trimmed().split('\n').mid(2))
            QVERIFY2(font.contains(QRegularExpression(" yes +(yes|no) +yes ")), qPrintable(font)); // embedded, readable
        // The item in view, on Letter.
        m_window->findChild<QAction*>("letterPaper")->trigger();
        willSaveAs(out.filePath("item.pdf"));
        m_window->findChild<QAction*>("reportItem")->trigger();
        QVERIFY(tool("pdfinfo", {out.filePath("item.pdf")}).contains("letter"));
        m_window->findChild<QAction*>("letterPaper")->trigger();
        QVERIFY(
            tool("pdftotext", {out.filePath("item.pdf"), "-"}).contains("Item " + QString::number(model().itemId())));
        // One whose picture was not kept says so; rejects stand with what is wrong.
        QVERIFY(report::writeItemReport(logPath(), 2, pdf, report::Paper::A4));
        QVERIFY(tool("pdftotext", {pdf, "-"}).contains("only rejects are kept"));
        report::BatchReport all;
        all.heading = "All", all.sentence = "all items";
        QVERIFY(report::writeBatchReport(logPath(), *view().columns, {}, all, pdf));
        const QString whole = tool("pdftotext", {"-layout", pdf, "-"});
        QVERIFY2(whole.contains("Rejects") && whole.contains("Faults, most frequent first") &&
                     whole.contains("62.50 px"),
                 qPrintable(whole));
        // A place that cannot be written to; what stood there stays.
        QVERIFY(!report::writeItemReport(logPath(), 1, "/proc/none/x.pdf", report::Paper::A4));
        QVERIFY(!report::writeItemReport(logPath(), 9999, pdf, report::Paper::A4));
        QCOMPARE(tool("pdftotext", {"-layout", pdf, "-"}), whole);
        records::Choice none;
        none.batch = "nobody's";
        QVERIFY(!report::writeBatchReport(logPath(), *view().columns, none, all, pdf));
    }
    void whatComesMeanwhileIsFollowed()
    {
        fill();
        open();
        QCOMPARE(model().itemId(), 60LL);
        auto log = records::RecordLog::open(logPath());
        QVERIFY((*log)->append({entry(support::released(support::recipeOf()), 60, "D", 1)}));
        QVERIFY(waitFor([&] { return view().counts.items == 61; })); // by itself
        page().wait();
        QCOMPARE(model().itemId(), 61LL);
        child<RecordCells>("recordCells")->setFocus();
        key(Qt::Key_Home);
        QVERIFY((*log)->append({entry(support::released(support::recipeOf()), 60, "D", 0)}));
        QVERIFY(waitFor([&] { return view().counts.items == 62; }));
        page().wait();
        QCOMPARE(model().itemId(), 1LL); // whoever looks at an older one stays there
    }
    // By the dialog: a server, a bound, reports; what is too old goes only when it is said so twice.
    void recordsAreSetUpAndSentOn()
    {
        support::Postgres pg;
        QVERIFY2(pg.ready(), "a PostgreSQL server (postgresql-15) can be started on the loopback");
        fill();
        QTemporaryDir out;
        const auto withDialog = [&](const std::function<void(RecordsSetupDialog&)>& act) {
            QTimer::singleShot(0, this, [&, act] {
                QVERIFY(waitFor([&] { return qobject_cast<RecordsSetupDialog*>(QApplication::activeModalWidget()); }));
                act(*qobject_cast<RecordsSetupDialog*>(QApplication::activeModalWidget()));
            });
            m_window->findChild<QAction*>("recordsSetup")->trigger();
        };
        const auto ok = [](RecordsSetupDialog& d) {
            click(d.findChild<QDialogButtonBox*>()->button(QDialogButtonBox::Ok));
        };
        const auto address = *records::ServerAddress::fromUrl(pg.url());
        withDialog([&](RecordsSetupDialog& d) {
            d.findChild<QLineEdit*>("serverHost")->setText(address.host);
            d.findChild<QSpinBox*>("serverPort")->setValue(address.port);
            d.findChild<QLineEdit*>("serverDatabase")->setText(address.database);
            d.findChild<QLineEdit*>("serverUser")->setText(address.user);
            click(d.findChild<QPushButton*>("tryServer"));
            QVERIFY2(d.findChild<QLabel*>("serverState")->text().contains("no station has put records there yet"),
                     qPrintable(d.findChild<QLabel*>("serverState")->text()));
            d.findChild<QCheckBox*>("toServer")->setChecked(true);
            d.findChild<QCheckBox*>("itemJson")->setChecked(true);
            d.findChild<QLineEdit*>("reportPattern")->setText("{colour}");
            d.findChild<QLineEdit*>("reportFolder")->setText(out.path());
            ok(d); // refused where it stands
            QVERIFY2(d.isVisible() && d.findChild<QLabel*>("setupWrong")->text().contains("{colour}"),
                     qPrintable(d.findChild<QLabel*>("setupWrong")->text()));
            d.findChild<QLineEdit*>("reportPattern")->setText("{verdict}/{item}");
            ok(d);
        });
        const auto* forwarder = m_window->runPage()->forwarder();
        QVERIFY(forwarder);
        QVERIFY2(forwarder->wait(20000), forwarder->state().trouble.c_str());
        QVERIFY(
            !(QFile::permissions(place.path(QStringLiteral("data%1/records.json").arg(m_folder))) & QFile::ReadOther));
        // All stations' records, in the same workspace.
        open();
        choose("placeWord", "the server, all stations");
        QCOMPARE(view().counts.items, 60LL);
        QVERIFY(model().path().startsWith("postgresql://"));
        choose("verdictWord", "rejects");
        QCOMPARE(view().counts.items, 4LL);
        QVERIFY(page().item() && page().item()->own && page().item()->own->same()); // its picture lies on this disk
        // It goes away: said instead of figures, and there again by itself when it is back.
        QVERIFY(pg.stop("immediate"));
        QVERIFY(waitFor([&] { return !view().error.isEmpty(); }));
        QVERIFY2(page().hint().contains("server"), qPrintable(page().hint()));
        QVERIFY(pg.start());
        QVERIFY(waitFor([&] { return view().error.isEmpty() && view().counts.items == 4; }));
        choose("placeWord", "this station");
        QCOMPARE(view().counts.items, 60LL);
        // A window that comes up again sends on by itself, and what was logged since makes its report.
        m_window.reset();
        m_window = support::openWindow(place.path(QStringLiteral("data%1").arg(m_folder)));
        QVERIFY(m_window->runPage()->forwarder() && m_window->runPage()->recordsSetup().reports.itemJson);
        m_window->showWorkspace(1);
        QTemporaryDir demo;
        QVERIFY(m_window->openRecipe(QString::fromStdString(support::writeDemo(demo, 2))));
        QVERIFY(waitFor([&] { return m_window->session().settled(); }));
        QVERIFY(m_window->runPage()->release("A. Person"));
        m_window->runPage()->takeOne();
        QVERIFY(waitFor([&] { return m_window->runPage()->itemCount() == 1; }));
        QVERIFY(waitFor([&] {
            return QFile::exists(out.filePath("accept/61.json")) || QFile::exists(out.filePath("reject/61.json"));
        }));
        QVERIFY(m_window->runPage()->forwarder()->wait(20000));
        QCOMPARE(pg.ask("select count(*) from item"), QString("61"));
        // Old records: said, asked, gone.
        withDialog([&](RecordsSetupDialog& d) {
            d.findChild<QDoubleSpinBox*>("retainMost")->setValue(0.001);
            QVERIFY(d.findChild<QLabel*>("leaving")->text().contains("nothing would go of 61 items") ||
                    d.findChild<QLabel*>("leaving")->text().contains("of 61 items would go"));
            d.findChild<QDoubleSpinBox*>("retainMost")->setValue(0);
            d.findChild<QSpinBox*>("retainDays")->setValue(1);
            QVERIFY(d.findChild<QLabel*>("leaving")->text().contains("nothing would go of 61 items"));
            d.reject();
        });
        auto log = records::RecordLog::open(logPath());
        QCOMPARE((*log)->counts({})->items, 61LL);
        {
            QSqlQuery q((*log)->database());
            QVERIFY(q.exec("update item set at = '2020' || substr(at, 5) where id <= 40"));
        }
        withDialog([&](RecordsSetupDialog& d) {
            d.findChild<QSpinBox*>("retainDays")->setValue(30);
            QVERIFY2(d.findChild<QLabel*>("leaving")->text().startsWith("40 of 61 items would go"),
                     qPrintable(d.findChild<QLabel*>("leaving")->text()));
            for (const bool sure : {false, true}) {
                QTimer::singleShot(0, this, [sure] {
                    QVERIFY(waitFor([] { return qobject_cast<QMessageBox*>(QApplication::activeModalWidget()); }));
                    auto* box = qobject_cast<QMessageBox*>(QApplication::activeModalWidget());
                    for (QAbstractButton* b : box->buttons())
                        if ((b->text() == "Remove") == sure) return b->click();
                });
                click(d.findChild<QPushButton*>("removeOld"));
                QCOMPARE((*log)->counts({})->items, sure ? 21LL : 61LL);
            }
            d.reject();
        });
        QCOMPARE(pg.ask("select count(*) from item"), QString("61")); // the server keeps what it has
    }
    void logsThatAreNoneAreNamed()
    {
        QVERIFY(base::writeAtomic(base::realFiles(), logPath().toStdString(),
                                  "no database at all, but long enough to be read"));
        open();
        QVERIFY2(!page().hint().isEmpty() && !page().hint().contains("Nothing logged"), qPrintable(page().hint()));
        QCOMPARE(*base::readFile(logPath().toStdString()),
                 std::string("no database at all, but long enough to be read"));
    }
};

QTEST_MAIN(RecordsWindowTest)
#include "records_window_test.moc"

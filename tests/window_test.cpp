// The real window, driven by mouse and keys.
#include "demo/small_sets.h"
#include "desktop/param_form.h"
#include "desktop/records/records_page.h"
#include "desktop/recovery.h"
#include "records/record_log.h"
#include "window_support.h"

#include <QComboBox>
#include <QDialogButtonBox>
#include <QDoubleSpinBox>
#include <QFileDialog>
#include <QLabel>
#include <QLineEdit>
#include <QListView>
#include <QMessageBox>
#include <QMimeData>
#include <QTableWidget>
#include <QToolButton>

using namespace support;
using namespace desktop;
using inspect::Verdict;

class WindowTest : public QObject
{
    Q_OBJECT
    OwnPlace m_place;
    QTemporaryDir m_demo;
    QString m_recipe;
    std::unique_ptr<MainWindow> m_window;

    Session& session() { return m_window->session(); }
    SheetView* sheet() { return m_window->setupPage()->sheet(); }
    GridView* grid() { return m_window->setupPage()->grid(); }
    bool settled()
    {
        return waitFor([&] { return session().settled(); });
    }
    void openDemo()
    {
        QVERIFY(m_window->openRecipe(m_recipe));
        QVERIFY(settled());
    }
    // Place on the plate (mm from its middle) in the sheet, for the picture in view.
    QPointF onPlate(double x, double y)
    {
        const auto motion =
            inspect::Placing(session().recipe(), session().currentItem()).following(session().datumForNewSteps());
        const double k = 1 / smallField().mmPerPixel;
        return sheet()->screenOf(motion->motion().now.toPicture({x * k, y * k}));
    }
    const inspect::CheckResult* check(int trial, const std::string& name)
    {
        const auto* r = session().result(trial);
        if (r)
            for (const auto& c : r->items.at(0).checks)
                if (c.name == name) return &c;
        return nullptr;
    }

private slots:
    void initTestCase() { m_recipe = QString::fromStdString(writeDemo(m_demo, 12)); }
    void init() { m_window = openWindow(m_place.path("data")); }
    void cleanup()
    {
        if (m_window && session().modified()) session().newRecipe();
        m_window.reset();
    }

    // New recipe → load a folder of pictures → take the reference → datum → width check → label trials → run → record:
    // mouse alone.
    void fromNothingToARecordByMouse()
    {
        m_window.reset();
        m_window = openWindow(m_place.path("fresh")); // nothing logged, nothing released
        QTemporaryDir dir;
        QVERIFY(QDir(dir.path()).mkdir("pictures"));
        for (int n = 1; n <= 6; ++n)
            QVERIFY(QFile::copy(m_demo.filePath(QString("plate-00%1.png").arg(n)),
                                dir.filePath(QString("pictures/plate-00%1.png").arg(n))));
        QDir::setCurrent(dir.path());
        clickMenu(*m_window, "Recipe", "new");
        // The folder, in the file dialog.
        bool chosen = false;
        whenDialog<QFileDialog>([&](QFileDialog& dialog) {
            auto* list = dialog.findChild<QListView*>("listView");
            QVERIFY(waitFor([&] { return list->model()->rowCount(list->rootIndex()) > 0; }));
            const QRect row = list->visualRect(list->model()->index(0, 0, list->rootIndex()));
            QTest::mouseClick(list->viewport(), Qt::LeftButton, Qt::NoModifier, row.center());
            chosen = true;
            click(dialog.findChild<QDialogButtonBox*>()->button(QDialogButtonBox::Open));
        });
        clickMenu(*m_window, "Recipe", "addFolder");
        QVERIFY(chosen);
        QCOMPARE(session().trialCount(), 6);
        QVERIFY(settled());
        QVERIFY(session().capture());

        // A step without a reference is not made; the sheet asks for it.
        drag(sheet(), {200, 100}, {400, 200});
        QVERIFY(!session().draft());
        clickMenu(*m_window, "Edit", "takeReference");
        QVERIFY(!session().recipe().reference.empty());

        // Datum: a frame round the part. The first picture's plate lies as truth.json says.
        const auto truth = demo::plate(smallField(), 1, 0).truth;
        QRectF box;
        for (const double sx : {-1, 1})
            for (const double sy : {-1, 1}) {
                const QPointF p = sheet()->screenOf(
                    truth.pose.toPicture({sx * 50 / smallField().mmPerPixel, sy * 13 / smallField().mmPerPixel}));
                box |= QRectF(p.x() - 4, p.y() - 4, 8, 8);
            }
        QTimer::singleShot(0, this, [] { // the menu of "Where"
            QVERIFY(waitFor([] { return qobject_cast<QMenu*>(QApplication::activePopupWidget()); }));
            auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
            QTest::mouseClick(menu, Qt::LeftButton, Qt::NoModifier,
                              menu->actionGeometry(menu->actions().front()).center());
        });
        click(m_window->findChild<QToolButton*>("question0"));
        QCOMPARE(QString::fromStdString(sheet()->armedKind()), QString("pattern"));
        drag(sheet(), box.topLeft(), box.bottomRight());
        QVERIFY(session().draft());
        click(sheet(), sheet()->takeRect(true).center().toPoint());
        QVERIFY(!session().draft());
        QCOMPARE(int(session().recipe().steps.size()), 1);
        QVERIFY(settled());
        int found = 0;
        for (int t = 0; t < 6; ++t) found += session().result(t)->items.at(0).pose.has_value();
        QCOMPARE(found, 6); // these six are all there

        // Width: a stroke across.
        const QPointF middle = sheet()->screenOf(truth.pose.toPicture({-33.9 / smallField().mmPerPixel, 0}));
        const geometry::Point across =
            geometry::leftOf(geometry::direction(truth.pose.angle)) * (17 / smallField().mmPerPixel * sheet()->zoom());
        drag(sheet(), middle - QPointF(across.x, across.y), middle + QPointF(across.x, across.y));
        QVERIFY(session().draft());
        QCOMPARE(QString::fromStdString(session().draft()->offer().words), QString("edge pair"));
        QVERIFY(settled()); // the draft answers for all trials before it is taken
        QVERIFY(check(3, "Width") && !check(3, "Width")->values.empty());
        click(sheet(), sheet()->takeRect(true).center().toPoint());
        QCOMPARE(int(session().recipe().steps.size()), 2);
        QVERIFY(settled());
        const double pixels = check(0, "Width")->values.at(0);
        QVERIFY2(std::abs(pixels * smallField().mmPerPixel - truth.width) < 0.01, qPrintable(QString::number(pixels)));

        // Labels: a click on the sign of the column in view.
        for (int t = 0; t < 6; ++t) {
            const QRect cell = grid()->cellRect(0, t);
            QTest::mouseClick(grid()->viewport(), Qt::LeftButton, Qt::NoModifier, QPoint(cell.center().x(), 8));
            QCOMPARE(session().trial(), t);
            QTest::mouseClick(grid()->viewport(), Qt::LeftButton, Qt::NoModifier, QPoint(cell.center().x(), 27));
            QCOMPARE(int(session().recipe().trials[std::size_t(t)].label), int(recipe::Label::Good));
        }
        // Limits from the labelled trials, taken on confirmation.
        QVERIFY(session().proposal());
        click(m_window->findChild<QPushButton*>("takeLimits"));
        QVERIFY(session().recipe().steps[1].checks[0].limits.any());
        for (int t = 0; t < 6; ++t) QCOMPARE(int(check(t, "Width")->verdict), int(Verdict::Pass));

        // Run, and find it in the log.
        click(m_window->findChild<QToolButton*>("tab1"));
        QCOMPARE(m_window->workspace(), 1);
        // Nothing is released yet: Start asks for it first.
        QTimer::singleShot(0, this, [&] {
            QVERIFY(waitFor([&] { return m_window->findChild<QDialog*>("releaseDialog") != nullptr; }));
            auto* dialog = m_window->findChild<QDialog*>("releaseDialog");
            QTest::keyClicks(dialog->findChild<QLineEdit*>("releaseBy"), "A. Person");
            QTest::keyClick(dialog->findChild<QLineEdit*>("releaseBy"), Qt::Key_Return);
        });
        click(m_window->findChild<QPushButton*>("startButton"));
        QVERIFY(waitFor([&] { return m_window->runPage()->itemCount() >= 3; }));
        click(m_window->findChild<QPushButton*>("stopButton"));
        QVERIFY(waitFor([&] { return !m_window->runPage()->running(); }));
        const auto items = atRest([&] { return m_window->runPage()->itemCount(); }); // the item under way
        click(m_window->findChild<QToolButton*>("tab2"));
        m_window->recordsPage()->wait();
        QCOMPARE(m_window->recordsPage()->model().view().counts.items, items);
        QCOMPARE(m_window->recordsPage()->item()->values.size(), std::size_t(2));
        QDir::setCurrent(QDir::tempPath());
    }

    void theDemoAnswersForEveryTrial()
    {
        openDemo();
        for (int t = 0; t < session().trialCount(); ++t)
            QCOMPARE(int(session().agreement(t)), int(Session::Agreement::Agrees));
    }

    // A limit dragged on the evidence: the whole row answers, one undo takes it back.
    void aDraggedLimitAnswersForAll()
    {
        openDemo();
        session().select("width");
        auto* plot = m_window->setupPage()->evidence()->trialsPlot();
        QVERIFY(waitFor([&] { return plot->handles().size() == 2; }));
        int failsBefore = 0, failsAfter = 0;
        for (int t = 0; t < session().trialCount(); ++t) failsBefore += check(t, "Width")->verdict == Verdict::Fail;
        const QPointF low = plot->handlePoint(0), high = plot->handlePoint(1);
        drag(plot, low, QPointF(low.x(), high.y() + 6)); // almost up to the other limit
        for (int t = 0; t < session().trialCount(); ++t) failsAfter += check(t, "Width")->verdict == Verdict::Fail;
        QVERIFY2(failsAfter >= failsBefore + 3, qPrintable(QString("%1 %2").arg(failsBefore).arg(failsAfter)));
        QVERIFY(session().recipe().find("width")->checks[0].limits.minus < 0.05);
        QCOMPARE(session().undoText(), QString("limits"));
        QTest::keyClick(m_window.get(), Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(session().recipe().find("width")->checks[0].limits.minus, 0.05); // one gesture was one undo
        QVERIFY(!session().canUndo());
        QTest::keyClick(m_window.get(), Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
        QVERIFY(session().recipe().find("width")->checks[0].limits.minus < 0.05);
    }

    void aDraggedThresholdIsFixedAndAnswers()
    {
        openDemo();
        session().select("slots");
        auto* plot = m_window->setupPage()->evidence()->picturePlot();
        QVERIFY(waitFor([&] { return plot->handles().size() == 2; }));
        const QPointF low = plot->handlePoint(0);
        drag(plot, low, QPointF(plot->xAxis->coordToPixel(250), low.y()));
        QVERIFY(settled());
        const auto* kind = recipe::findKind("blobs");
        const auto* s = session().recipe().find("slots");
        QCOMPARE(std::get<std::string>(kind->param("mode")->get(s->params)), std::string("fixed"));
        QVERIFY(std::get<double>(kind->param("low")->get(s->params)) > 245);
        QCOMPARE(int(check(0, "Slots")->verdict), int(Verdict::Fail)); // nothing is that bright
    }

    void strokesMakeDraftsAndOffers()
    {
        openDemo();
        drag(sheet(), onPlate(38, -16), onPlate(38, 16));
        QVERIFY(session().draft());
        QCOMPARE(session().draft()->offer().step.datum, std::string("plate"));
        QVERIFY(settled());
        QVERIFY(session().draft()->values[0].contains("mm"));
        // Esc drops it and nothing stays.
        QTest::keyClick(sheet(), Qt::Key_Escape);
        QVERIFY(!session().draft() && !session().modified());
        // Along an edge that was found already: what stands out of it.
        drag(sheet(), onPlate(-30, 13), onPlate(42, 13));
        QVERIFY(session().draft());
        QCOMPARE(QString::fromStdString(session().draft()->offer().words), QString("farthest outward: burr"));
        QTest::keyClick(sheet(), Qt::Key_Escape);
        // Along any other edge: a line. In a hole: a circle. From hole to hole: their distance.
        drag(sheet(), onPlate(-50, -10), onPlate(-50, 10));
        QVERIFY(session().draft());
        QCOMPARE(QString::fromStdString(session().draft()->offer().words), QString("line"));
        QTest::keyClick(sheet(), Qt::Key_Escape);
        QTest::mouseClick(sheet(), Qt::LeftButton, Qt::NoModifier, onPlate(46, -9).toPoint());
        QVERIFY(session().draft());
        QCOMPARE(QString::fromStdString(session().draft()->offer().words), QString("circle"));
        QTest::keyClick(sheet(), Qt::Key_Tab);
        QCOMPARE(QString::fromStdString(session().draft()->offer().words), QString("diameter"));
        QTest::keyClick(sheet(), Qt::Key_Return);
        QCOMPARE(int(session().recipe().steps.size()), 14);
        QVERIFY(settled());
        QVERIFY(std::abs(check(0, "Diameter")->values.at(0) - 3.2) < 0.05);
        drag(sheet(), onPlate(-46, 9), onPlate(46, 9));
        QVERIFY(session().draft());
        QCOMPARE(QString::fromStdString(session().draft()->offer().words), QString("distance"));
        QVERIFY2(session().draft()->values[0].startsWith("9"), qPrintable(session().draft()->values[0]));
        QTest::keyClick(sheet(), Qt::Key_Escape);
        // Ctrl: an area gives a count.
        drag(sheet(), onPlate(-41, -11), onPlate(39, 11.5), Qt::ControlModifier);
        QVERIFY(session().draft());
        QCOMPARE(QString::fromStdString(session().draft()->offer().words), QString("count of blobs"));
        QTest::keyClick(sheet(), Qt::Key_Escape);
    }

    void regionsAreMovedByTheirHandles()
    {
        openDemo();
        session().select("width");
        const auto before = session().recipe().find("width")->regions.at("window");
        const auto* item = session().currentItem();
        bool placed = false;
        const auto here =
            inspect::Placing(session().recipe(), item).regions(*session().recipe().find("width"), placed).at("window");
        const QPointF at = sheet()->screenOf(here.middle());
        drag(sheet(), at, at + QPointF(12, 0));
        QVERIFY(settled());
        const auto after = session().recipe().find("width")->regions.at("window");
        QVERIFY(std::abs(geometry::distance(before.middle(), after.middle()) - 12 / sheet()->zoom()) <
                0.6 / sheet()->zoom());
        QVERIFY(std::abs(geometry::distance(after.from, after.to) - geometry::distance(before.from, before.to)) < 1e-6);
        QTest::keyClick(sheet(), Qt::Key_R); // the other way round
        QVERIFY(geometry::distance(session().recipe().find("width")->regions.at("window").from, after.to) < 1e-6);
    }

    // The origin of a taught datum is set by the person; beside the region's middle when both fall together.
    void theOriginIsDraggedOnTheReference()
    {
        openDemo();
        session().select("plate");
        session().setShowReference(true);
        QTest::qWait(50);
        auto* view = m_window->setupPage()->sheet();
        const auto before = session().recipe().find("plate")->points.at("origin");
        const QPointF at = view->screenOf(before) + QPointF(16, 16);
        auto* free = m_window->setupPage()->action("noSnap"); // not to the middle of a slot
        free->trigger();
        drag(view, at, at + QPointF(60, -30));
        free->trigger();
        const auto after = session().recipe().find("plate")->points.at("origin");
        QVERIFY2(geometry::distance(view->pictureOf(at + QPointF(60, -30)), after) < 1.5,
                 qPrintable(QString("%1 %2").arg(after.x).arg(after.y)));
        QCOMPARE(session().undoText(), QString("point"));
        session().undo();
        QVERIFY(session().recipe().find("plate")->points.at("origin") == before);
        session().setShowReference(false);
    }
    void keysWalkAndLabel()
    {
        openDemo();
        sheet()->setFocus();
        QTest::keyClick(sheet(), Qt::Key_PageDown);
        QCOMPARE(session().trial(), 1);
        QTest::keyClick(sheet(), Qt::Key_PageDown, Qt::ControlModifier);
        QCOMPARE(session().trial(), 2); // the first faulty one
        QTest::keyClick(sheet(), Qt::Key_G);
        QCOMPARE(int(session().recipe().trials[2].label), int(recipe::Label::Good));
        // The rest at once, those that have one keep it; one undo.
        const auto labels = [&](recipe::Label l) {
            const auto& all = session().recipe().trials;
            return std::count_if(all.begin(), all.end(), [&](const auto& t) { return t.label == l; });
        };
        session().change("open", [](recipe::Recipe& r) {
            for (int i = 3; i < 8; ++i) r.trials[std::size_t(i)].label = recipe::Label::Open;
        });
        const auto bad = labels(recipe::Label::Bad);
        QTest::keyClick(sheet(), Qt::Key_G, Qt::ShiftModifier);
        QVERIFY(labels(recipe::Label::Open) == 0 && labels(recipe::Label::Bad) == bad);
        session().undo();
        QCOMPARE(labels(recipe::Label::Open), std::ptrdiff_t(5));
        session().undo();
        QCOMPARE(int(session().agreement(2)), int(Session::Agreement::Disagrees));
        QTest::keyClick(sheet(), Qt::Key_PageUp);
        QTest::keyClick(sheet(), Qt::Key_PageDown, Qt::ShiftModifier);
        QCOMPARE(session().trial(), 2);
        grid()->setFocus();
        QTest::keyClick(grid(), Qt::Key_Right);
        QCOMPARE(session().trial(), 3);
        // Down walks row by row, also through the checks of one step; the evidence follows the row.
        session().select("slots", "count");
        auto* title = m_window->setupPage()->evidence()->findChild<QLabel*>("evidenceTitle");
        const QString before = title->text();
        QTest::keyClick(grid(), Qt::Key_Down);
        QCOMPARE(session().selected(), std::string("slots"));
        QCOMPARE(session().selectedCheck()->output, std::string("areas"));
        QVERIFY(title->text() != before && title->text().contains("Slot size"));
        QTest::keyClick(grid(), Qt::Key_Down);
        QVERIFY(session().selected() != "slots");
        QTest::keyClick(grid(), Qt::Key_Up);
        QCOMPARE(session().selectedCheck()->output, std::string("areas"));
        // A limit of that check is dragged, not one of its step's first.
        auto* plot = m_window->setupPage()->evidence()->trialsPlot();
        QVERIFY(waitFor([&] { return plot->handles().size() == 2; }));
        const auto count = session().recipe().find("slots")->checks[0].limits;
        drag(plot, plot->handlePoint(0), plot->handlePoint(0) - QPointF(0, 12));
        QVERIFY(session().recipe().find("slots")->checks[0].limits == count);
        QCOMPARE(session().undoText(), QString("limits"));
        session().undo();
        grid()->setFocus();
        QTest::keyClick(grid(), Qt::Key_End);
        QCOMPARE(session().trial(), 11);
        QTest::keyClick(grid(), Qt::Key_U);
        QTest::keyClick(sheet(), Qt::Key_E);
        QVERIFY(session().showsReference() && session().pictureName().startsWith("reference"));
        QTest::keyClick(sheet(), Qt::Key_E);
        QVERIFY(!session().showsReference());
    }

    void stepsCanBeMadeByKeysAlone()
    {
        openDemo();
        sheet()->setFocus();
        int worked = 0;
        for (const auto& kind : recipe::allStepKinds()) {
            whenDialog([&](QDialog& dialog) {
                auto* list = dialog.findChild<QListView*>();
                for (int i = 0; i < list->model()->rowCount(); ++i)
                    if (list->model()->index(i, 0).data().toString().endsWith(QString::fromStdString(kind.label)))
                        list->setCurrentIndex(list->model()->index(i, 0));
                QTest::keyClick(&dialog, Qt::Key_Return);
            });
            QTest::keyClick(sheet(), Qt::Key_K);
            QVERIFY2(session().draft(), kind.key.c_str());
            QCOMPARE(session().draft()->offer().step.kind, kind.key);
            giveKeys(sheet());
            QTest::keyClick(sheet(), Qt::Key_Return);
            QVERIFY2(session().recipe().steps.back().kind == kind.key, kind.key.c_str());
            QVERIFY(settled());
            // It was answered: with a result, or with a reason a person can act on.
            const auto* answer = session().result(0)->items.at(0).step(session().recipe().steps.back().id);
            QVERIFY2(answer && (answer->state == inspect::State::Ok || answer->reason.size() > 8), kind.key.c_str());
            worked += answer->state == inspect::State::Ok;
            if (session().showsReference()) session().setShowReference(false);
        }
        QCOMPARE(session().recipe().steps.size(), 13 + recipe::allStepKinds().size());
        QVERIFY2(worked >= 18, qPrintable(QString::number(worked)));
    }

    void deletingSaysWhatReadIt()
    {
        openDemo();
        session().select("hole_left");
        QTest::keyClick(sheet(), Qt::Key_Delete);
        QCOMPARE(int(session().recipe().steps.size()), 12);
        QVERIFY(settled());
        QCOMPARE(int(check(0, "Hole pitch")->verdict), int(Verdict::NotMeasured));
        QVERIFY(check(0, "Hole pitch")->reason.find("input missing") == 0);
        QTest::keyClick(m_window.get(), Qt::Key_Z, Qt::ControlModifier);
        QVERIFY(settled());
        QCOMPARE(int(check(0, "Hole pitch")->verdict), int(Verdict::Pass));
    }

    void theFormEditsAndNames()
    {
        openDemo();
        session().select("width");
        QTest::qWait(20);
        auto* form = m_window->setupPage()->evidence()->form();
        auto* least = form->findChild<QDoubleSpinBox*>("least_strength");
        QVERIFY(least);
        least->setValue(90);
        const auto* kind = recipe::findKind("edge_pair");
        QCOMPARE(std::get<double>(kind->param("least_strength")->get(session().recipe().find("width")->params)), 90.0);
        auto* name = form->findChild<QLineEdit*>("stepName");
        name->setFocus();
        name->selectAll();
        QTest::keyClicks(name, "Plate width");
        QTest::keyClick(name, Qt::Key_Return);
        QCOMPARE(session().recipe().find("width")->name, std::string("Plate width"));
        QCOMPARE(session().recipe().find("width")->checks[0].name, std::string("Plate width"));
        QVERIFY(settled());
        QCOMPARE(int(check(0, "Plate width")->verdict), int(Verdict::Pass));
        auto* limits = m_window->setupPage()->evidence()->form()->findChild<QLineEdit*>("limits_distance");
        QVERIFY(limits);
        limits->setFocus();
        limits->selectAll();
        QTest::keyClicks(limits, "20 .. 21");
        QTest::keyClick(limits, Qt::Key_Return);
        QCOMPARE(int(check(0, "Plate width")->verdict), int(Verdict::Fail));
        auto* again = m_window->setupPage()->evidence()->form()->findChild<QLineEdit*>("limits_distance");
        again->setFocus();
        again->selectAll();
        QTest::keyClicks(again, "rubbish");
        QTest::keyClick(again, Qt::Key_Return);
        QVERIFY(m_window->findChild<QLabel*>("said")->text().contains("is not a limit"));
        QVERIFY(session().recipe().find("width")->checks[0].limits.any()); // the old ones stay
    }

    void calibrationChangesUnitsAndNeverJudgesAcross()
    {
        openDemo();
        session().select("width");
        whenDialog([](QDialog& dialog) {
            dialog.findChild<QDoubleSpinBox*>("knownLength")->setValue(52);
            dialog.accept();
        });
        click(m_window->findChild<QToolButton*>("calibratedChip"));
        QVERIFY(settled());
        QVERIFY(std::abs(check(0, "Width")->values.at(0) - 52) < 0.001);
        QVERIFY(std::abs(session().recipe().mmPerPixel() - 2 * smallField().mmPerPixel) < 0.002);
        session().change("no calibration",
                         [](recipe::Recipe& r) { r.calibration = geometry::Calibration::factor(0, ""); });
        QVERIFY(settled());
        QCOMPARE(int(check(0, "Width")->verdict), int(Verdict::NotMeasured));
        QCOMPARE(check(0, "Width")->reason, std::string("limit is in mm, the value in px"));
    }

    void saveCloseAndReopen()
    {
        openDemo();
        drag(sheet(), onPlate(38, -16), onPlate(38, 16));
        QTest::keyClick(sheet(), Qt::Key_Return);
        QVERIFY(waitFor([&] { return session().proposal().has_value(); })); // once every trial has answered
        QTest::keyClick(sheet(), Qt::Key_Return);
        const auto& made = session().recipe().steps.back();
        QVERIFY(made.checks[0].limits.any());
        QTemporaryDir dir;
        const QString path = dir.filePath("mine.dikkat");
        QVERIFY(session().saveTo(path));
        QVERIFY(!session().modified() && session().recipe().revision == 2);
        const auto limits = made.checks[0].limits;
        m_window.reset();
        m_window = openWindow(m_place.path("data"));
        QVERIFY(m_window->openRecipe(path));
        QVERIFY(session().recipe().steps.back().checks[0].limits == limits);
        QVERIFY(settled());
        QVERIFY(session().result(0)->accepted());
        // It stands first among the recent ones.
        QCOMPARE(QSettings().value("recent").toStringList().front(), path);
    }

    void aChangedRecipeIsNotLostOnClosing()
    {
        openDemo();
        session().change("x", [](recipe::Recipe& r) { r.name = "changed"; });
        whenDialog<QMessageBox>([](QMessageBox& box) { click(box.button(QMessageBox::Cancel)); });
        m_window->close();
        QVERIFY(m_window->isVisible());
    }

    void unsavedWorkComesBackAfterACrash()
    {
        openDemo();
        session().change("x", [](recipe::Recipe& r) { r.name = "nearly lost"; });
        QVERIFY(waitFor([] { return !QDir(Recovery::folder()).entryList({"*.dikkat"}).isEmpty(); }, 30000));
        // The process died: its file stays behind under a number that is no process.
        const QString left = QDir(Recovery::folder()).entryInfoList({"*.dikkat"}).front().absoluteFilePath(),
                      dead = Recovery::folder() + "/999999999.dikkat";
        QVERIFY(QFile::copy(left, dead) && QFile::copy(left + ".from", dead + ".from"));
        session().newRecipe();
        m_window.reset();
        m_window = openWindow(m_place.path("data"));
        m_window->offerRecovery();
        for (const auto& file : QDir(Recovery::folder()).entryList({"*.dikkat"}))
            if (!file.startsWith("999999999")) QVERIFY(QFile::remove(Recovery::folder() + "/" + file));
        click(m_window->findChild<QPushButton*>("recoveryRestore"));
        // At no moment is it nowhere.
        QCOMPARE(int(QDir(Recovery::folder()).entryList({"*.dikkat"}).size()), 1);
        QCOMPARE(session().recipe().name, std::string("nearly lost"));
        QVERIFY(session().modified());
        QCOMPARE(session().path(), m_recipe);
        QVERIFY(!QFile::exists(dead));
    }

    void badFilesAreSaidAndNothingIsLost()
    {
        openDemo();
        QTemporaryDir dir;
        const std::string path = dir.filePath("bad.dikkat").toStdString();
        (void)base::realFiles().write(path, "PK\x03\x04 rubbish");
        QVERIFY(!m_window->openRecipe(QString::fromStdString(path)));
        QVERIFY(m_window->findChild<QLabel*>("noticeText")->text().contains("bad.dikkat"));
        QCOMPARE(int(session().recipe().steps.size()), 13); // the open one stays
        m_window->addPictures({dir.path()});
        QVERIFY(m_window->findChild<QLabel*>("noticeText")->text().contains("holds no picture"));
        // A broken picture among the trials is a hatched column with the reason, and the rest goes on.
        (void)base::realFiles().write(dir.filePath("broken.png").toStdString(), "\x89PNG\r\n\x1a\nxx");
        m_window->addPictures({dir.filePath("broken.png")});
        QVERIFY(settled());
        QVERIFY(session().result(12)->error);
        session().setTrial(12);
        QVERIFY(settled());
        QVERIFY(session().pictureError().contains("broken.png"));
        m_window->grab();
    }

    void picturesAndRecipesCanBeDropped()
    {
        const auto drop = [&](const QStringList& files) {
            QMimeData mime;
            QList<QUrl> urls;
            for (const QString& f : files) urls << QUrl::fromLocalFile(f);
            mime.setUrls(urls);
            QDragEnterEvent enter(QPoint(400, 300), Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
            QApplication::sendEvent(m_window.get(), &enter);
            QVERIFY(enter.isAccepted());
            QDropEvent e(QPointF(400, 300), Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
            QApplication::sendEvent(m_window.get(), &e);
        };
        drop({m_demo.filePath("plate-001.png"), m_demo.filePath("plate-002.png")});
        QCOMPARE(session().trialCount(), 2);
        drop({m_demo.filePath("plate-001.png")}); // twice is once
        QCOMPARE(session().trialCount(), 2);
        session().newRecipe();
        drop({m_recipe});
        QCOMPARE(int(session().recipe().steps.size()), 13);
    }

    void whatRunsIsWhatWasReleased()
    {
        openDemo();
        auto* run = m_window->runPage();
        const auto takeOne = [&](long long number) {
            run->takeOne();
            return waitFor([&] { return run->itemCount() == number; });
        };
        auto* band = m_window->findChild<VerdictBand*>("verdictBand");
        auto* chip = m_window->findChild<QToolButton*>("lineChip");
        m_window->showWorkspace(1);
        session().newRecipe();
        QVERIFY(!run->release("A. Person")); // nothing is nothing to release
        QVERIFY(m_window->openRecipe(m_recipe));
        QVERIFY(run->release("A. Person"));
        QVERIFY(m_window->findChild<QLabel*>("runsLine")->text().contains("by A. Person"));
        const int revision = run->released()->revision;
        QVERIFY(takeOne(1));
        QCOMPARE(band->word(), QString("ACCEPT"));
        // An edit, its undo, another recipe, none at all: nothing of it reaches the line.
        session().setLimits("width", "distance", *recipe::parseLimits("20 .. 21", base::Unit::Millimetre), true);
        QVERIFY(takeOne(2));
        QCOMPARE(band->word(), QString("ACCEPT"));
        QVERIFY(waitFor([&] { return chip->isVisibleTo(m_window.get()) && chip->text() == "1 not released"; }));
        session().newRecipe();
        QVERIFY(takeOne(3)); // a slot is missing
        QVERIFY(band->sentence().contains("Slots") && !band->sentence().contains("Width"));
        QVERIFY(m_window->openRecipe(m_recipe));
        session().setLimits("width", "distance", *recipe::parseLimits("20 .. 21", base::Unit::Millimetre), false);
        QVERIFY(takeOne(4));
        QCOMPARE(band->word(), QString("ACCEPT"));
        QCOMPARE(run->lamps()->words("records"), QString("4 items saved"));
        QCOMPARE(run->lamps()->state("records"), Lamps::State::Well);
        // Released, it counts from the next item on, under a number of its own, and counts begin anew.
        QVERIFY(run->release("B. Person"));
        QCOMPARE(run->released()->revision, revision + 1);
        QCOMPARE(session().recipe().revision, revision + 1);
        QVERIFY(waitFor([&] { return !chip->isVisibleTo(m_window.get()); }));
        QVERIFY(takeOne(5));
        QCOMPARE(band->word(), QString("REJECT"));
        QCOMPARE(band->counts().items, 1LL);
        const auto log = records::RecordLog::open(run->logPath());
        QVERIFY((*log)->items({})->front().sentence.startsWith("Width"));
        QCOMPARE((*log)->items({})->front().by, QString("B. Person"));
        auto events = *(*log)->events();
        std::erase_if(events, [](const auto& e) { return e.what != "release"; });
        QVERIFY(events.size() >= 2);
        const auto& first = events[events.size() - 2];
        const auto& second = events.back();
        QVERIFY(second.before == first.after && first.by == "A. Person" && second.by == "B. Person" &&
                second.revision == revision + 1);
        // A column of the other recipe shows nothing of this one's checks.
        QVERIFY(m_window->findChild<GridView*>("tape"));
        m_window->grab();
        // The records page filters.
        m_window->showWorkspace(2);
        RecordsPage& page = *m_window->recordsPage();
        page.wait();
        const auto all = page.model().view().counts;
        Sentence rejects;
        rejects.words.verdict = records::ItemVerdict::Reject;
        page.model().say(rejects);
        page.wait();
        const auto some = page.model().view().counts;
        QVERIFY(some.items >= 1 && some.items == all.rejected && some.rejected == some.items);
    }

    // An old column never shows its verdict beside another item's picture; of several items the failing one is in view.
    void eachColumnShowsItsOwnItem()
    {
        const QTemporaryDir set;
        QVERIFY(demo::writeSmallPlates(set.path().toStdString(), 1, 30, smallField()));
        QVERIFY(m_window->openRecipe(QDir(set.path()).entryInfoList({"*.dikkat"}).front().filePath()));
        auto* run = m_window->runPage();
        m_window->showWorkspace(1);
        QVERIFY(run->release("A. Person"));
        m_window->findChild<QComboBox*>("source")->setCurrentIndex(1);
        emit m_window->findChild<QComboBox*>("source")->activated(1);
        auto* tape = m_window->findChild<GridView*>("tape");
        auto* sheet = m_window->findChild<RunSheet*>("runSheet");
        auto* ladder = m_window->findChild<LadderView*>("ladder");
        auto* band = m_window->findChild<VerdictBand*>("verdictBand");
        for (int n = 1; n <= 27; ++n) {
            const auto before = run->itemCount();
            run->takeOne();
            QVERIFY(waitFor([&] { return run->itemCount() > before; }));
        }
        QVERIFY(sheet->hint().isEmpty() && ladder->title().startsWith("item "));
        emit tape->chosen(-1, 0); // older than what is kept in memory
        QVERIFY2(sheet->hint().contains("no longer in memory"), qPrintable(sheet->hint()));
        emit tape->chosen(-1, 26);
        QVERIFY(sheet->hint().isEmpty());
        // A rejected picture: the band and the values name the item that fails; N goes on to the next.
        bool rejected = false;
        for (int c = 26; c > 3 && !rejected; --c) {
            emit tape->chosen(-1, c);
            if (band->word() != "REJECT") continue;
            rejected = true;
            QVERIFY2(band->sentence().startsWith("item "), qPrintable(band->sentence()));
            QCOMPARE(ladder->title().section(' ', 0, 1), band->sentence().section(':', 0, 0));
            const QString first = ladder->title();
            QTest::keyClick(run, Qt::Key_N);
            QVERIFY(ladder->title() != first);
        }
        QVERIFY(rejected);
        m_window->grab();
    }

    void othersPassIsSaidOfWhatPassesAlone()
    {
        LadderView ladder;
        inspect::ItemResult item;
        for (int i = 0; i < 12; ++i) {
            inspect::CheckResult c;
            c.name = "check " + std::to_string(i);
            c.values = {1.0};
            c.verdict = Verdict::Pass;
            item.checks.push_back(c);
        }
        ladder.show(item, {});
        QCOMPARE(ladder.othersText(), QString("4 others pass"));
        for (int i = 0; i < 10; ++i) item.checks[std::size_t(i)].verdict = i % 2 ? Verdict::Fail : Verdict::NotMeasured;
        ladder.show(item, {});
        QCOMPARE(ladder.othersText(), QString("4 others, 2 of them do not pass"));
        // A judged value stands before one that nothing judges.
        for (int i = 0; i < 12; ++i) item.checks[std::size_t(i)].verdict = i < 11 ? Verdict::Unjudged : Verdict::Pass;
        ladder.show(item, {});
        QCOMPARE(ladder.shownNames().front(), QString("check 11"));
        // Nothing but what could not be measured says so, hatched; with a fault it is a reject.
        inspect::PictureResult result;
        inspect::ItemResult lost;
        lost.outcome = inspect::Outcome::Reject, lost.word = "REJECT";
        lost.checks = {item.checks[0]};
        lost.checks[0].verdict = Verdict::NotMeasured;
        result.items = {lost};
        VerdictBand band;
        band.show(&result, 7, 0, {}, true);
        QCOMPARE(band.word(), QString("NOT MEASURED"));
        result.items[0].checks.push_back(lost.checks[0]);
        result.items[0].checks[1].verdict = Verdict::Fail;
        band.show(&result, 7, 0, {}, true);
        QCOMPARE(band.word(), QString("REJECT"));
        for (auto& c : item.checks) c.verdict = Verdict::Unjudged;
        ladder.show(item, {});
        QCOMPARE(ladder.othersText(), QString("4 others, 4 of them do not pass"));
        item.checks.resize(3);
        ladder.show(item, {});
        QVERIFY(ladder.othersText().isEmpty());
    }

    // Saved means on disk: with a log that cannot be written nothing is said to be saved, and it is said why.
    void whatTheLogRefusesIsNotSaid()
    {
        QVERIFY(QDir().mkpath(m_place.path("dead/records.sqlite")));
        MainWindow other(smallStation(), m_place.path("dead"));
        QVERIFY(other.openRecipe(m_recipe));
        other.show();
        other.showWorkspace(1);
        QVERIFY(other.runPage()->release("A. Person"));
        other.runPage()->takeOne();
        QVERIFY(waitFor([&] { return other.runPage()->itemCount() == 1; }));
        const Lamps* lamps = other.runPage()->lamps();
        QCOMPARE(lamps->state("records"), Lamps::State::Trouble);
        QVERIFY2(lamps->words("records").startsWith("NOT saved: ") &&
                     lamps->words("records").contains("no regular file"),
                 qPrintable(lamps->words("records")));
        QCOMPARE(other.findChild<VerdictBand*>("verdictBand")->word(), QString("ACCEPT")); // inspected all the same
    }

    void theViewZoomsToThePointerAndBack()
    {
        openDemo();
        const QPointF at(300, 200);
        const auto before = sheet()->pictureOf(at);
        for (int i = 0; i < 5; ++i) {
            QWheelEvent e(at, sheet()->mapToGlobal(at), {}, {0, 120}, Qt::NoButton, Qt::NoModifier, Qt::NoScrollPhase,
                          false);
            QApplication::sendEvent(sheet(), &e);
        }
        QVERIFY(sheet()->zoom() > 1);
        QVERIFY(geometry::distance(sheet()->pictureOf(at), before) < 0.01);
        sheet()->grab();
        const double zoomed = sheet()->zoom();
        QTest::keyClick(sheet(), Qt::Key_F);
        QVERIFY(sheet()->zoom() != zoomed);
        // Middle drag moves.
        const auto corner = sheet()->screenOf({0, 0});
        QTest::mousePress(sheet(), Qt::MiddleButton, Qt::NoModifier, QPoint(100, 100));
        QMouseEvent move(QEvent::MouseMove, QPointF(130, 90), sheet()->mapToGlobal(QPointF(130, 90)), Qt::NoButton,
                         Qt::MiddleButton, Qt::NoModifier);
        QApplication::sendEvent(sheet(), &move);
        QTest::mouseRelease(sheet(), Qt::MiddleButton, Qt::NoModifier, QPoint(130, 90));
        QVERIFY(std::abs(sheet()->screenOf({0, 0}).x() - corner.x() - 30) < 0.5);
        // Each look changes what is seen, and the same key brings it back pixel for pixel.
        session().select("slots");
        sheet()->fitPicture();
        QTest::mouseMove(sheet(), QPoint(200, 150));
        QTest::qWait(30);
        const auto seen = [&] { return sheet()->grab().toImage().convertToFormat(QImage::Format_RGB32); };
        const auto differing = [](const QImage& a, const QImage& b) {
            int n = 0;
            for (int y = 0; y < a.height(); ++y)
                for (int x = 0; x < a.width(); ++x) n += a.pixel(x, y) != b.pixel(x, y);
            return n;
        };
        const QImage plain = seen();
        for (const auto& [key, least] :
             {std::pair{Qt::Key_W, 2000}, {Qt::Key_A, 50}, {Qt::Key_L, 5000}, {Qt::Key_Q, 2000}}) {
            QTest::keyClick(sheet(), key);
            const int changed = differing(plain, seen());
            QTest::keyClick(sheet(), key);
            QVERIFY2(changed >= least || (key == Qt::Key_A && sheet()->labels().size() < 24),
                     qPrintable(QKeySequence(key).toString() + QString(" %1").arg(changed)));
            QCOMPARE(differing(plain, seen()), 0);
        }
        // Taken and rest: what is left of the grey levels beside the slots is one flat level.
        QTest::keyClick(sheet(), Qt::Key_W);
        const QImage taken = seen();
        QTest::keyClick(sheet(), Qt::Key_W);
        const auto motion =
            inspect::Placing(session().prepared()->recipe(), session().currentItem()).following("plate");
        const double k = 1 / smallField().mmPerPixel;
        const QPoint brass = sheet()->screenOf(motion->motion().now.toPicture({-42 * k, -5 * k})).toPoint();
        QVERIFY(plain.pixel(brass) != taken.pixel(brass));
    }

    void noKeyStandsTwice()
    {
        // Keys of one workspace are out of reach in another.
        const QObject *records = m_window->recordsPage(), *proof = m_window->proofPage();
        std::map<QString, QString> seen, ofRecords, ofProof;
        for (QAction* a : m_window->findChildren<QAction*>())
            for (const QKeySequence& k : a->shortcuts()) {
                const QString text = k.toString();
                const bool own = a->parent() == records || a->parent() == proof;
                auto& among = a->parent() == records ? ofRecords : own ? ofProof : seen;
                QVERIFY2(!among.count(text) || among[text] == a->objectName(),
                         qPrintable(text + ": " + among[text] + ", " + a->objectName()));
                among[text] = a->objectName();
                QVERIFY2(own ? a->shortcutContext() == Qt::WidgetWithChildrenShortcut : true, qPrintable(text));
                QVERIFY2(a->toolTip().contains(k.toString(QKeySequence::NativeText)), qPrintable(a->objectName()));
            }
        QVERIFY(ofRecords.size() >= 6);
        for (const auto& [text, name] : ofRecords) // none of the whole window's
            QVERIFY2(!seen.count(text) || m_window->findChild<SetupPage*>()->findChild<QAction*>(seen[text]),
                     qPrintable(text + ": " + name));
        QVERIFY(seen.size() > 30);
        // In Proof its own keys are nobody else's; elsewhere those others have them back.
        QVERIFY(ofProof.size() >= 6);
        const auto heldByOthers = [&] {
            QStringList keys;
            for (const auto& [text, name] : ofProof)
                for (QAction* a : m_window->findChildren<QAction*>())
                    if (a->parent() != proof && a->parent() != records && a->shortcuts().contains(QKeySequence(text)) &&
                        !m_window->findChild<SetupPage*>()->findChild<QAction*>(a->objectName()))
                        keys << a->objectName();
            return keys;
        };
        QVERIFY(heldByOthers().contains("nextDoubt"));
        m_window->showWorkspace(3);
        QCOMPARE(heldByOthers().join(", "), QString());
        m_window->showWorkspace(0);
        QVERIFY(heldByOthers().contains("nextDoubt"));
    }
};
QTEST_MAIN(WindowTest)
#include "window_test.moc"

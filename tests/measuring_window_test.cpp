// Calibration, units, limits, lists and studies through the real window.
#include "demo/carton.h"
#include "demo/targets.h"
#include "desktop/calibrate_dialog.h"
#include "desktop/check_dialog.h"
#include "desktop/element_map.h"
#include "desktop/param_form.h"
#include "desktop/proposals_dialog.h"
#include "desktop/recipe_dialog.h"
#include "desktop/repeat_dialog.h"
#include "window_support.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QSpinBox>
#include <QTabWidget>
#include <QTableWidget>
#include <QToolButton>

using namespace support;
using namespace desktop;
using inspect::Verdict;

class MeasuringWindowTest : public QObject
{
    Q_OBJECT
    OwnPlace m_place;
    QTemporaryDir m_demo, m_carton;
    QString m_recipe;
    std::unique_ptr<MainWindow> m_window;

    Session& session() { return m_window->session(); }
    bool settled()
    {
        return waitFor([&] { return session().settled(); });
    }
    const recipe::Check& stored(const std::string& step, const std::string& output)
    {
        return stored(const_cast<recipe::Recipe&>(session().recipe()), step, output);
    }
    void openDemo()
    {
        QVERIFY(m_window->openRecipe(m_recipe));
        QVERIFY(settled());
    }
    const inspect::CheckResult* check(int trial, const std::string& name)
    {
        if (const auto* r = session().result(trial))
            for (const auto& c : r->items.at(0).checks)
                if (c.name == name) return &c;
        return nullptr;
    }
    recipe::Check& stored(recipe::Recipe& r, const std::string& step, const std::string& output)
    {
        for (auto& c : r.find(step)->checks)
            if (c.output == output) return c;
        qFatal("no such check");
    }
    template <class W> static W* in(QWidget& d, const char* name)
    {
        auto* w = d.findChild<W*>(QString::fromLatin1(name));
        if (!w) qFatal("no %s", name);
        return w;
    }
    static void type(QLineEdit* edit, const QString& text)
    {
        edit->setFocus();
        edit->selectAll();
        QTest::keyClicks(edit, text);
    }

private slots:
    void initTestCase()
    {
        m_recipe = QString::fromStdString(writeDemo(m_demo, 9));
        QVERIFY(demo::writeCartonPanels(m_carton.path().toStdString(), 1, 6, {612, 512, 0.208}));
    }
    void init() { m_window = openWindow(m_place.path("data")); }
    void cleanup()
    {
        if (m_window && session().modified()) session().newRecipe();
        m_window.reset();
    }

    void aTargetCalibratesAndSaysWhatItIsGoodFor()
    {
        // Plates through a tilted lens; the recipe begins with a plain factor.
        const demo::Field plain{816, 683, 0.156};
        demo::Field f = plain;
        f.lens = std::make_shared<geometry::Calibration>(demo::tiltedLens(plain));
        QTemporaryDir dir;
        QVERIFY(demo::writeReedPlates(dir.path().toStdString(), 3, 4, f));
        QVERIFY(demo::writeTargets(dir.filePath("targets").toStdString(), 2, 4, plain));
        QVERIFY(m_window->openRecipe(dir.filePath("tilted-plate.dikkat")));
        QVERIFY(settled());
        session().select("width");
        bool looked = false;
        whenDialog<CalibrateDialog>([&](CalibrateDialog& d) {
            QStringList boards;
            for (int i = 1; i <= 4; ++i) boards << dir.filePath(QString("targets/board-0%1.png").arg(i));
            d.addTargets(boards);
            in<QSpinBox>(d, "targetColumns")->setValue(15), in<QSpinBox>(d, "targetRows")->setValue(12);
            in<QComboBox>(d, "targetUnit")->setCurrentIndex(1); // µm
            in<QDoubleSpinBox>(d, "targetPitch")->setValue(8500);
            QTest::mouseClick(in<QPushButton>(d, "findTargets"), Qt::LeftButton);
            auto* table = in<QTableWidget>(d, "targetTable");
            QVERIFY(waitFor([&] { return table->item(3, 2)->text().contains("px"); }));
            QVERIFY(in<QLabel>(d, "calibrationSentence")->text().startsWith("Good for ±"));
            QVERIFY(d.findChild<TargetSheet*>()->enlargement() > 1);
            // The verdicts it would change are listed before it is taken.
            QTest::mouseClick(in<QPushButton>(d, "takeCalibration"), Qt::LeftButton);
            auto* changed = in<QListWidget>(d, "changedTrials");
            QVERIFY(waitFor([&] { return !d.isVisible() || changed->isVisible(); }));
            if (d.isVisible()) {
                QVERIFY(changed->count() > 0 && changed->item(0)->text().contains("trial"));
                // nothing taken yet
                QVERIFY(session().recipe().calibration.kind() == geometry::Calibration::Kind::Factor);
                QTest::mouseClick(in<QPushButton>(d, "takeCalibration"), Qt::LeftButton);
            }
            looked = true;
        });
        click(m_window->findChild<QToolButton*>("calibratedChip"));
        QVERIFY(looked);
        QVERIFY(settled());
        QVERIFY(session().recipe().calibration.bends());
        QVERIFY(m_window->findChild<QToolButton*>("calibratedChip")->text().contains("lens"));
        session().undo();
        QVERIFY(!session().recipe().calibration.bends());
        session().redo();
        QVERIFY(session().recipe().calibration.bends());
        // Opened again, nothing is changed by pressing Enter: the lens stays until a person states another length.
        CalibrateDialog again(session(), m_window.get());
        again.show();
        QVERIFY2(in<QLabel>(again, "calibrationSentence")->text().startsWith("In use: Good for"),
                 qPrintable(in<QLabel>(again, "calibrationSentence")->text()));
        QVERIFY(!in<QPushButton>(again, "takeCalibration")->isEnabled());
        in<QTabWidget>(again, "calibrateBy")->setCurrentIndex(0); // it opens where it was left
        in<QDoubleSpinBox>(again, "factor")->setValue(0.2);
        QVERIFY(in<QLabel>(again, "calibrationSentence")->text().contains("takes the place of the lens calibration"));
        QVERIFY(in<QPushButton>(again, "takeCalibration")->isEnabled());
    }
    void whatWouldBeTakenIsSaidAndNothingElse()
    {
        openDemo();
        CalibrateDialog d(session(), m_window.get());
        d.show();
        auto* sentence = in<QLabel>(d, "calibrationSentence");
        auto* take = in<QPushButton>(d, "takeCalibration");
        QVERIFY2(sentence->text().startsWith("In use: One factor"), qPrintable(sentence->text()));
        QVERIFY(!take->isEnabled()); // nothing was changed yet
        in<QDoubleSpinBox>(d, "knownLength")->setValue(27);
        QVERIFY(take->isEnabled() && !sentence->text().startsWith("In use"));
        // A picture without a target: the reason stays said, and there is nothing to take.
        in<QTabWidget>(d, "calibrateBy")->setCurrentIndex(1);
        d.addTargets({m_demo.filePath("plate-001.png")});
        QTest::mouseClick(in<QPushButton>(d, "findTargets"), Qt::LeftButton);
        auto* table = in<QTableWidget>(d, "targetTable");
        QVERIFY(waitFor([&] { return table->item(0, 1) && table->item(0, 1)->text() == "not found"; }));
        QVERIFY(table->item(0, 1)->toolTip().contains("no target"));
        QVERIFY2(!sentence->text().contains("factor") && !sentence->text().isEmpty(), qPrintable(sentence->text()));
        QVERIFY(!take->isEnabled());
    }
    void aThicknessWithoutADistanceIsRefused()
    {
        openDemo();
        whenDialog<CalibrateDialog>([&](CalibrateDialog& d) {
            in<QDoubleSpinBox>(d, "thickness")->setValue(2);
            QVERIFY(in<QLabel>(d, "calibrateError")->isVisible());
            QVERIFY(!in<QPushButton>(d, "takeCalibration")->isEnabled());
            in<QDoubleSpinBox>(d, "lensDistance")->setValue(400);
            QVERIFY(!in<QLabel>(d, "calibrateError")->isVisible());
            d.accept();
        });
        const double before = session().recipe().mmPerPixel();
        m_window->findChild<QAction*>("calibrate")->trigger();
        QVERIFY(std::abs(session().recipe().mmPerPixel() - before * (1 - 2 / 400.0)) < 1e-12);
    }
    void limitsInPixelsAreFlaggedAndConvertedAtOneClick()
    {
        openDemo();
        const auto calibrated = session().recipe().calibration;
        const double mm = check(0, "Width")->values.at(0);
        session().recalibrate({}, true); // everything in px
        QVERIFY(settled());
        QCOMPARE(check(0, "Width")->verdict, Verdict::Pass);
        QCOMPARE(session().recipe().find("width")->checks[0].limits.unit, base::Unit::Pixel);
        session().recalibrate(calibrated, false);
        QVERIFY(settled());
        QCOMPARE(check(0, "Width")->verdict, Verdict::NotMeasured);
        QVERIFY(check(0, "Width")->reason.find("limit is in px") == 0);
        auto* chip = m_window->findChild<QToolButton*>("foreignChip");
        QVERIFY(chip->isVisible());
        // One, in the form.
        session().select("width");
        auto* form = m_window->setupPage()->evidence()->form();
        QVERIFY(form->findChild<QLabel*>("foreign_distance"));
        const int before = int(recipe::foreignLimits(session().recipe()).size());
        QVERIFY(before > 2);
        click(form->findChild<QPushButton*>("convert_distance"));
        QVERIFY(waitFor([&] { return int(recipe::foreignLimits(session().recipe()).size()) == before - 1; }));
        QVERIFY(settled());
        QCOMPARE(check(0, "Width")->verdict, Verdict::Pass);
        QVERIFY(std::abs(check(0, "Width")->values.at(0) - mm) < 1e-9);
        // All the rest.
        click(chip);
        QVERIFY(recipe::foreignLimits(session().recipe()).empty());
        QVERIFY(!chip->isVisible());
        QVERIFY(settled());
        for (int t = 0; t < session().trialCount(); ++t)
            QVERIFY(session().agreement(t) != Session::Agreement::Disagrees);
    }
    void theUnitShownChangesNoVerdict()
    {
        openDemo();
        std::vector<bool> before;
        for (int t = 0; t < session().trialCount(); ++t) before.push_back(session().result(t)->accepted());
        whenDialog<RecipeDialog>([&](RecipeDialog& d) {
            in<QComboBox>(d, "shownIn")->setCurrentIndex(2); // inch
            d.accept();
        });
        m_window->findChild<QAction*>("recipeSettings")->trigger();
        QVERIFY(settled());
        for (int t = 0; t < session().trialCount(); ++t)
            QCOMPARE(session().result(t)->accepted(), bool(before[std::size_t(t)]));
        QVERIFY(check(0, "Width")->valueText().find(" in") != std::string::npos);
        // A limit typed now is in inch and stays so.
        session().select("width");
        auto* edit = m_window->setupPage()->evidence()->form()->findChild<QLineEdit*>("limits_distance");
        type(edit, "1.0236 +-0.002");
        QTest::keyClick(edit, Qt::Key_Return);
        QCOMPARE(session().recipe().find("width")->checks[0].limits.unit, base::Unit::Inch);
        QVERIFY(settled());
        QCOMPARE(check(0, "Width")->verdict, Verdict::Pass);
        session().change("mm", [](recipe::Recipe& r) { r.shownIn = base::Unit::Millimetre; });
        QCOMPARE(check(0, "Width")->verdict, Verdict::Pass);
        QCOMPARE(session().recipe().find("width")->checks[0].limits.unit, base::Unit::Inch);
    }
    void aRuleWordsAndTotals()
    {
        openDemo();
        whenDialog<RecipeDialog>([&](RecipeDialog& d) {
            type(in<QLineEdit>(d, "itemRule"), "[Slots] and (");
            QVERIFY(waitFor([&] { return in<QLabel>(d, "recipeState")->text().contains("rule"); }));
            type(in<QLineEdit>(d, "itemRule"), "[Slots]");
            type(in<QLineEdit>(d, "acceptWord"), "SHIP");
            type(in<QLineEdit>(d, "rejectWord"), "SORT");
            QTest::mouseClick(in<QPushButton>(d, "addTotal"), Qt::LeftButton);
            auto* table = in<QTableWidget>(d, "totals");
            table->item(0, 0)->setText("Slots seen"), table->item(0, 1)->setText("[Slots]");
            QVERIFY(table->item(0, 3)->text().toDouble() > 20);
            in<QCheckBox>(d, "stopUnsaved")->click();
            d.accept();
        });
        m_window->findChild<QAction*>("recipeSettings")->trigger();
        QCOMPARE(session().recipe().rule, std::string("[slots]"));
        QVERIFY(session().recipe().stopUnsaved);
        QVERIFY(settled());
        int narrow = 0;
        for (int t = 0; t < session().trialCount(); ++t) {
            const auto& item = session().result(t)->items.front();
            QCOMPARE(item.word, std::string(item.accepted() ? "SHIP" : "SORT"));
            narrow += item.accepted() && check(t, "Hole pitch")->verdict == Verdict::Fail;
        }
        QVERIFY(narrow > 0); // a plate the checks alone would reject
        // The totals add up while items run, and begin anew.
        m_window->showWorkspace(1);
        QVERIFY(m_window->runPage()->release("A. Person"));
        m_window->runPage()->start();
        QVERIFY(waitFor([&] { return m_window->runPage()->itemCount() >= 3; }));
        m_window->runPage()->stop();
        auto* text = m_window->findChild<QLabel*>("totalsText");
        QVERIFY(text->isVisible() && text->text().startsWith("Slots seen"));
        QVERIFY(text->text().section(' ', -1).toInt() >= 9);
        click(m_window->findChild<QPushButton*>("resetTotals"));
        QCOMPARE(text->text().section(' ', -1).toInt(), 0);
    }
    void limitsInDetail()
    {
        openDemo();
        session().select("width");
        whenDialog<CheckDialog>([&](CheckDialog& d) {
            type(in<QLineEdit>(d, "checkLimits"), "rubbish");
            d.accept();
            QVERIFY(d.isVisible() && in<QLabel>(d, "checkState")->text().contains("is not a limit"));
            in<QDoubleSpinBox>(d, "plusMinus")->setValue(0.04);
            QTest::mouseClick(in<QPushButton>(d, "fromThisPart"), Qt::LeftButton);
            type(in<QLineEdit>(d, "uncertainty"), "0,038");
            type(in<QLineEdit>(d, "faultText"), "plate too wide or narrow");
            QVERIFY(in<QLabel>(d, "checkState")->text().contains("here: pass"));
            d.accept();
        });
        m_window->findChild<QAction*>("checkDetails")->trigger();
        const auto& c = session().recipe().find("width")->checks[0];
        QVERIFY(c.limits.hasTolerance && c.limits.plus == 0.04 &&
                std::abs(*c.limits.nominal - check(0, "Width")->values[0]) < 0.001);
        QVERIFY(c.uncertainty && *c.uncertainty == 0.038 && c.fault == "plate too wide or narrow");
        // With the guard band some parts that lay inside are no longer proved.
        int before = 0, after = 0;
        QVERIFY(settled());
        for (int t = 0; t < session().trialCount(); ++t) before += check(t, "Width")->verdict == Verdict::Pass;
        session().change("guard", [](recipe::Recipe& r) { r.guardBand = true; });
        for (int t = 0; t < session().trialCount(); ++t) {
            after += check(t, "Width")->verdict == Verdict::Pass;
            if (check(t, "Width")->reason.find("within uncertainty") == 0)
                QCOMPARE(check(t, "Width")->verdict, Verdict::Fail);
        }
        QVERIFY2(
            after < before,
            qPrintable(
                QString("%1 %2 %3").arg(after).arg(before).arg(QString::fromStdString(check(1, "Width")->reason))));
    }
    void aListIsTakenFromThisPartAndUnfolds()
    {
        openDemo();
        session().select("slots");
        session().setTrial(0);
        whenDialog<CheckDialog>([&](CheckDialog& d) {
            in<QComboBox>(d, "matchBy")->setCurrentIndex(1);
            QVERIFY(in<QLabel>(d, "checkState")->text().contains("needs elements"));
            in<QDoubleSpinBox>(d, "plusMinus")->setValue(4);
            QTest::mouseClick(in<QPushButton>(d, "fromThisPart"), Qt::LeftButton);
            QCOMPARE(in<QTableWidget>(d, "elements")->rowCount(), 10);
            d.accept();
        });
        auto* form = m_window->setupPage()->evidence()->form();
        click(form->findChild<QToolButton*>("details_areas"));
        QVERIFY(waitFor([&] { return session().recipe().find("slots")->checks[1].elements.size() == 10; }));
        QVERIFY(settled());
        QCOMPARE(check(0, "Slot size")->verdict, Verdict::Pass);
        // The trial whose slot is missing names it, and only it.
        int named = 0;
        for (int t = 0; t < session().trialCount(); ++t)
            if (const auto* c = check(t, "Slot size"); c && c->missing == 1) {
                ++named;
                QCOMPARE(int(c->failed().size()), 1);
                QVERIFY(c->reason.find("missing") != std::string::npos);
            }
        QVERIFY(named > 0);
        const auto rowsNow = [&] {
            int n = 0;
            for (int r = 0; r < m_window->setupPage()->grid()->source().rows(); ++r)
                n += m_window->setupPage()->grid()->source().row(r).kind == RowKind::Element;
            return n;
        };
        QCOMPARE(rowsNow(), 0);
        auto& source = m_window->setupPage()->grid()->source();
        for (int r = 0; r < source.rows(); ++r)
            if (source.row(r).output == "areas") {
                emit m_window->setupPage()->grid()->foldToggled(r);
                break;
            }
        QCOMPARE(rowsNow(), 10);
        // The map shows each in its place, level, and a click chooses its row.
        auto* map = m_window->setupPage()->evidence()->elementMap();
        session().select("slots", "areas");
        QTRY_VERIFY(map->isVisible());
        QCOMPARE(int(map->spots().size()), 10);
        for (int i = 1; i < 10; ++i) { // a row of slots along the datum's x
            const QPointF step = map->spots()[std::size_t(i)].at - map->spots()[std::size_t(i - 1)].at;
            QVERIFY2(step.x() > 10 && std::abs(step.y()) < 0.2 * step.x(),
                     qPrintable(QString("%1 %2").arg(step.x()).arg(step.y())));
            QVERIFY(!map->boxOf(i).intersects(map->boxOf(i - 1)));
        }
        QTest::mouseClick(map, Qt::LeftButton, Qt::NoModifier, map->boxOf(6).center().toPoint());
        QCOMPARE(session().selectedElement(), 6);
        QTest::keyClick(m_window->setupPage()->grid(), Qt::Key_Down);
        QCOMPARE(session().selectedElement(), 7);
        session().select("width");
        QTRY_VERIFY(!map->isVisible());
    }
    void placesAreDraggedOnTheSheet()
    {
        openDemo();
        session().select("slots");
        session().setTrial(0);
        const auto made = inspect::fromThisPart(session().prepared()->recipe(), *session().currentItem(),
                                                stored("slots", "areas"), "slots", 4, true);
        QVERIFY(made);
        session().setCheck("slots", *made);
        QVERIFY(settled());
        QCOMPARE(check(0, "Slot size")->verdict, Verdict::Pass);
        auto* sheet = m_window->setupPage()->sheet();
        const auto placeOf = [&](std::size_t i) { return *stored("slots", "areas").elements[i].at; };
        const auto onSheet = [&](geometry::Point reference) {
            return sheet->screenOf(
                inspect::Placing(session().recipe(), session().currentItem()).following("plate")->toPicture(reference));
        };
        const geometry::Point before = placeOf(3);
        const QPointF from = onSheet(before), to = from + QPointF(0, -40); // well off its slot
        drag(sheet, from, to);
        QVERIFY(settled());
        QVERIFY2(geometry::distance(placeOf(3), before) * sheet->zoom() > 35, "the place did not move");
        QVERIFY(std::hypot(onSheet(placeOf(3)).x() - to.x(), onSheet(placeOf(3)).y() - to.y()) < 2);
        QCOMPARE(check(0, "Slot size")->verdict, Verdict::Fail);
        QCOMPARE(check(0, "Slot size")->missing, 1);
        QCOMPARE(session().undoText(), QString("place")); // one gesture, one undo
        session().undo();
        QVERIFY(settled());
        QVERIFY(placeOf(3) == before);
        QCOMPARE(check(0, "Slot size")->verdict, Verdict::Pass);
    }
    void whatIsNotTouchedStaysExact()
    {
        openDemo();
        session().select("width");
        recipe::Check c = stored("width", "distance");
        c.limits.nominal = 25.987654321098, c.uncertainty = 0.00123456789;
        session().setCheck("width", c);
        whenDialog<CheckDialog>([&](CheckDialog& d) {
            type(in<QLineEdit>(d, "faultText"), "too wide");
            d.accept();
        });
        m_window->findChild<QAction*>("checkDetails")->trigger();
        QCOMPARE(stored("width", "distance").fault, std::string("too wide"));
        QVERIFY(stored("width", "distance").limits == c.limits); // shown rounded, kept whole
        QVERIFY(stored("width", "distance").uncertainty == c.uncertainty);
        // The form: focus in and out changes nothing, a finer figure is taken.
        const auto* edit = m_window->setupPage()->evidence()->form()->findChild<QLineEdit*>("limits_distance");
        QTest::keyClick(const_cast<QLineEdit*>(edit), Qt::Key_Return);
        QVERIFY(stored("width", "distance").limits == c.limits);
        type(const_cast<QLineEdit*>(edit), "25.987651 +-0.05");
        QTest::keyClick(const_cast<QLineEdit*>(edit), Qt::Key_Return);
        QCOMPARE(*stored("width", "distance").limits.nominal, 25.987651);
    }
    void theReviewLeadsToWhatIsDoubtful()
    {
        openDemo();
        auto* chip = m_window->findChild<QToolButton*>("reviewChip");
        QVERIFY(waitFor([&] { return chip->isVisible() && chip->text() != "review …"; }));
        session().change("limits in px",
                         [](recipe::Recipe& r) { r.find("width")->checks[0].limits.unit = base::Unit::Pixel; });
        session().change("label", [](recipe::Recipe& r) { r.trials[1].label = recipe::Label::Bad; });
        QVERIFY(settled());
        click(chip);
        auto* dialog = m_window->findChild<QDialog*>("reviewDialog");
        QVERIFY(dialog && dialog->isVisible() && !dialog->isModal());
        auto* table = in<QTableWidget>(*dialog, "findings");
        QVERIFY(table->rowCount() > 1);
        QCOMPARE(table->item(0, 0)->text(), QString("limit in another unit"));
        session().select("slots");
        const auto rowOf = [&](const QString& doubt) {
            for (int i = 0; i < table->rowCount(); ++i)
                if (table->item(i, 0)->text() == doubt) return i;
            return -1;
        };
        QTest::mouseClick(table->viewport(), Qt::LeftButton, Qt::NoModifier,
                          table->visualItemRect(table->item(0, 2)).center());
        QCOMPARE(session().selected(), std::string("width"));
        const int label = rowOf("label and verdict disagree");
        QVERIFY(label > 0);
        table->scrollToItem(table->item(label, 2));
        QTest::mouseClick(table->viewport(), Qt::LeftButton, Qt::NoModifier,
                          table->visualItemRect(table->item(label, 2)).center());
        QVERIFY(table->item(label, 1)->text().contains(QString::number(session().trial() + 1)));
        QCOMPARE(int(session().agreement(session().trial())), int(Session::Agreement::Disagrees));
        // Converting there: px read as mm would be wrong, so the limit is carried over by the scale.
        click(in<QPushButton>(*dialog, "reviewConvert"));
        QVERIFY(recipe::foreignLimits(session().recipe()).empty());
        QVERIFY(waitFor([&] { return rowOf("limit in another unit") < 0; }));
        QVERIFY(!in<QPushButton>(*dialog, "reviewConvert")->isVisible());
        dialog->hide();
        // F3 walks through all of them and begins again.
        giveKeys(m_window->setupPage()->sheet());
        QVERIFY(settled());
        QSet<QString> said;
        const int all = table->rowCount();
        for (int i = 0; i < all; ++i) {
            QTest::keyClick(m_window->setupPage()->sheet(), Qt::Key_F3);
            said << m_window->findChild<QLabel*>("said")->text();
        }
        QCOMPARE(int(said.size()), all);
        session().newRecipe();
        QVERIFY(waitFor([&] { return !chip->isVisible(); }));
    }
    void rowsAndColumnsOfPlaces()
    {
        openDemo();
        session().select("slots");
        CheckDialog d(session(), "slots", "areas", m_window.get());
        d.show();
        whenDialog([&](QDialog& g) {
            QCOMPARE(g.objectName(), QString("gridDialog"));
            in<QSpinBox>(g, "gridRows")->setValue(2), in<QSpinBox>(g, "gridColumns")->setValue(3);
            g.accept();
        });
        QTest::mouseClick(in<QPushButton>(d, "rowsAndColumns"), Qt::LeftButton);
        QCOMPARE(in<QTableWidget>(d, "elements")->rowCount(), 6);
        QCOMPARE(in<QTableWidget>(d, "elements")->item(5, 0)->text(), QString("2.3"));
    }
    void proposalsAreTakenOnConfirmationOnly()
    {
        openDemo();
        session().change("clear", [](recipe::Recipe& r) {
            r.find("width")->checks[0].limits = recipe::Limits{},
            r.find("width")->checks[0].limits.unit = base::Unit::Millimetre;
        });
        QVERIFY(settled());
        ProposalsDialog d(session(), m_window.get());
        d.show();
        auto* table = in<QTableWidget>(d, "proposalTable");
        int row = -1;
        for (int i = 0; i < table->rowCount(); ++i)
            if (table->item(i, 0)->text() == "Width") row = i;
        QVERIFY(row >= 0 && table->item(row, 0)->checkState() == Qt::Checked);
        QVERIFY(table->item(row, 5)->text().contains("good pass"));
        QVERIFY(!session().recipe().find("width")->checks[0].limits.any());
        d.accept();
        QVERIFY(session().recipe().find("width")->checks[0].limits.any());
        for (int t = 0; t < session().trialCount(); ++t)
            if (session().recipe().trials[std::size_t(t)].label == recipe::Label::Good)
                QCOMPARE(check(t, "Width")->verdict, Verdict::Pass);
        // A complete sample and one with a gap; the same twice, and the wrong way round, are refused.
        int gap = -1;
        for (int t = 0; t < session().trialCount(); ++t)
            if (const auto* c = check(t, "Slots"); c && !c->values.empty() && c->values[0] == 9) gap = t;
        QVERIFY(gap >= 0);
        session().select("slots");
        ProposalsDialog pair(session(), m_window.get());
        pair.show();
        in<QComboBox>(pair, "proposeFrom")->setCurrentIndex(1);
        in<QComboBox>(pair, "completeSample")->setCurrentIndex(0), in<QComboBox>(pair, "gapSample")->setCurrentIndex(0);
        QVERIFY(in<QLabel>(pair, "proposalState")->text().contains("nothing tells them apart"));
        in<QComboBox>(pair, "completeSample")->setCurrentIndex(gap);
        QVERIFY(in<QLabel>(pair, "proposalState")->text().contains("swapped"));
        in<QComboBox>(pair, "completeSample")->setCurrentIndex(0),
            in<QComboBox>(pair, "gapSample")->setCurrentIndex(gap);
        bool found = false;
        auto* rows = in<QTableWidget>(pair, "proposalTable");
        for (int i = 0; i < rows->rowCount(); ++i)
            if (rows->item(i, 0)->text() == "Slots") found = rows->item(i, 3)->text().startsWith("≥ 10");
        QVERIFY(found);
    }
    void repeatabilityGivesTheUncertainty()
    {
        openDemo();
        RepeatDialog d(session(), m_window.get());
        d.show();
        in<QSpinBox>(d, "repeatCopies")->setValue(6);
        QTest::mouseClick(in<QPushButton>(d, "repeatStart"), Qt::LeftButton);
        auto* table = in<QTableWidget>(d, "repeatTable");
        QVERIFY(waitFor([&] { return table->rowCount() > 3; }));
        int row = -1;
        for (int i = 0; i < table->rowCount(); ++i)
            if (table->item(i, 0)->text() == "Width") row = i;
        QVERIFY(row >= 0);
        QVERIFY(table->item(row, 7)->text().toDouble() > 1);
        QCOMPARE(table->item(row, 8)->text(), QString("–")); // no true value yet
        table->item(row, 1)->setText(QString::number(check(0, "Width")->values[0] + 0.005));
        QVERIFY(table->item(row, 8)->text().toDouble() > 0);
        const double cg = table->item(row, 7)->text().toDouble();
        in<QDoubleSpinBox>(d, "gaugeShare")->setValue(0.4);
        QVERIFY(std::abs(table->item(row, 7)->text().toDouble() - 2 * cg) < 0.02);
        QTest::mouseClick(in<QPushButton>(d, "takeUncertainty"), Qt::LeftButton);
        QVERIFY(session().recipe().find("width")->checks[0].uncertainty.value_or(0) > 0.004);
        // Some of the trials as takes: mean and spread are those of their values.
        in<QComboBox>(d, "repeatFrom")->setCurrentIndex(1);
        QVERIFY(!in<QSpinBox>(d, "repeatCopies")->isVisible() && in<QSpinBox>(d, "repeatFirst")->isVisible());
        in<QSpinBox>(d, "repeatFirst")->setValue(1), in<QSpinBox>(d, "repeatLast")->setValue(2);
        QTest::mouseClick(in<QPushButton>(d, "repeatStart"), Qt::LeftButton);
        QCOMPARE(table->item(row, 2)->text(), QString("2"));
        const double a = check(0, "Width")->values.at(0), b = check(1, "Width")->values.at(0);
        QVERIFY(std::abs(table->item(row, 3)->text().section(' ', 0, 0).toDouble() - (a + b) / 2) < 1e-4);
        QVERIFY(std::abs(table->item(row, 4)->text().section(' ', 0, 0).toDouble() - std::abs(a - b) / std::sqrt(2.0)) <
                1e-4);
        // The study from a file.
        QTemporaryDir dir;
        QFile csv(dir.filePath("study.csv"));
        QVERIFY(csv.open(QIODevice::WriteOnly));
        csv.write("part;person;value\na;x;1,0\na;x;1,2\na;y;1,1\na;y;1,3\nb;x;2,0\nb;x;2,2\nb;y;2,1\nb;y;2,1\n");
        csv.close();
        d.openStudy(csv.fileName());
        QCOMPARE(in<QTableWidget>(d, "anovaTable")->rowCount(), 5);
        QVERIFY(in<QLabel>(d, "studyState")->text().startsWith("2 parts × 2 persons × 2 repeats"));
        // The trials' own pictures are not named so; those that are make a study.
        QTest::mouseClick(in<QPushButton>(d, "studyTrials"), Qt::LeftButton);
        QVERIFY2(in<QLabel>(d, "studyState")->text().contains("part-person-take"),
                 qPrintable(in<QLabel>(d, "studyState")->text()));
        QCOMPARE(in<QTableWidget>(d, "anovaTable")->rowCount(), 0);
        QStringList named;
        for (const char* part : {"1", "2"})
            for (const char* person : {"anna", "ben"})
                for (const char* take : {"1", "2"}) {
                    named << dir.filePath(QString("p%1-%2-%3.png").arg(part, person, take));
                    QVERIFY(QFile::copy(m_demo.filePath(QString("plate-00%1.png").arg(part)), named.back()));
                }
        session().change("only the study's", [](recipe::Recipe& r) { r.trials.clear(); });
        session().addTrials(named);
        QVERIFY(settled());
        in<QComboBox>(d, "studyCheck")->setCurrentText("Width");
        QTest::mouseClick(in<QPushButton>(d, "studyTrials"), Qt::LeftButton);
        QVERIFY2(in<QLabel>(d, "studyState")->text().startsWith("2 parts × 2 persons × 2 repeats"),
                 qPrintable(in<QLabel>(d, "studyState")->text()));
        QVERIFY(std::abs(in<QDoubleSpinBox>(d, "studyTolerance")->value() - 0.1) < 1e-9); // the check's own
        QFile broken(dir.filePath("broken.csv"));
        QVERIFY(broken.open(QIODevice::WriteOnly));
        broken.write("a,x,1\na,x,much\n");
        broken.close();
        d.openStudy(broken.fileName());
        QVERIFY(in<QLabel>(d, "studyState")->text().contains("line 2"));
    }
    void aLabelIsMovedByHandAndStays()
    {
        openDemo();
        session().select("pitch");
        auto* sheet = m_window->setupPage()->sheet();
        QTest::qWait(100);
        const auto boxOf = [&](const std::string& step) {
            sheet->grab();
            for (const auto& l : sheet->labels())
                if (l.step == step) return l.box;
            return QRectF();
        };
        const QRectF before = boxOf("pitch");
        QVERIFY(!before.isEmpty());
        const QPointF to = before.center() + QPointF(-60, 70);
        drag(sheet, before.center(), to);
        QRectF after = boxOf("pitch");
        QVERIFY2(std::hypot(after.center().x() - to.x(), after.center().y() - to.y()) < 3,
                 qPrintable(QString("%1 %2").arg(after.center().x()).arg(to.x())));
        const auto labels = sheet->labels();
        for (std::size_t i = 0; i < labels.size(); ++i)
            for (std::size_t k = i + 1; k < labels.size(); ++k)
                QVERIFY(!labels[i].box.adjusted(1, 1, -1, -1).intersects(labels[k].box.adjusted(1, 1, -1, -1)));
        session().undo();
        QVERIFY(std::hypot(boxOf("pitch").center().x() - before.center().x(),
                           boxOf("pitch").center().y() - before.center().y()) < 1);
        session().redo();
        m_window->findChild<QAction*>("freeLabels")->trigger();
        QVERIFY(!session().recipe().find("pitch")->checks[0].labelAt);
    }
    void onlyWhatFailsIsShown()
    {
        openDemo();
        auto& source = m_window->setupPage()->grid()->source();
        const int all = source.rows();
        m_window->findChild<QAction*>("onlyFailed")->trigger();
        QVERIFY(source.rows() < all);
        bool pitch = false;
        for (int r = 0; r < source.rows(); ++r) pitch = pitch || source.row(r).name == "Hole pitch";
        QVERIFY(pitch);
        m_window->findChild<QAction*>("onlyFailed")->trigger();
        QCOMPARE(source.rows(), all);
    }
    void theCartonNamesItsMissingDot()
    {
        QVERIFY(m_window->openRecipe(m_carton.filePath("carton-panel.dikkat")));
        QVERIFY(settled());
        for (int t = 0; t < session().trialCount(); ++t) QVERIFY(session().agreement(t) == Session::Agreement::Agrees);
        const auto* c = check(2, "Dot size");
        QVERIFY(c && c->missing == 1 && c->failed().size() == 1);
    }
};

QTEST_MAIN(MeasuringWindowTest)
#include "measuring_window_test.moc"

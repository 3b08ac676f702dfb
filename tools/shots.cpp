// shots DEMO_FOLDER OUTPUT_FOLDER - opens the demo in the real window and keeps one picture of each main view
// (docs/screenshots).
#include "demo/reed_plate.h"
#include "desktop/calibrate_dialog.h"
#include "desktop/check_dialog.h"
#include "desktop/find_dialog.h"
#include "desktop/fit_dialog.h"
#include "desktop/hints.h"
#include "desktop/main_window.h"
#include "desktop/objects_view.h"
#include "desktop/person.h"
#include "desktop/proposals_dialog.h"
#include "desktop/recipe_dialog.h"
#include "desktop/repeat_dialog.h"
#include "desktop/revisions_dialog.h"
#include "desktop/run/release_dialog.h"
#include "desktop/style.h"

#include <QApplication>
#include <QComboBox>
#include <QDir>
#include <QElapsedTimer>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSettings>
#include <QSpinBox>
#include <QStandardPaths>
#include <QTabWidget>
#include <QTableWidget>
#include <QTemporaryDir>
#include <QTest>
#include <iostream>

namespace
{
using namespace desktop;

template <class F> bool waitFor(F done, int milliseconds = 60000)
{
    QElapsedTimer t;
    t.start();
    while (!done() && t.elapsed() < milliseconds) QTest::qWait(20);
    return done();
}

void drag(QWidget* w, QPointF from, QPointF to, Qt::KeyboardModifiers modifiers = Qt::NoModifier, bool release = true)
{
    QTest::mousePress(w, Qt::LeftButton, modifiers, from.toPoint());
    for (int i = 1; i <= 10; ++i) QTest::mouseMove(w, (from + (to - from) * i / 10.0).toPoint());
    if (release) QTest::mouseRelease(w, Qt::LeftButton, modifiers, to.toPoint());
}
} // namespace

int main(int argc, char** argv)
{
    QTemporaryDir scratch;
    qputenv("XDG_DATA_HOME", scratch.path().toUtf8());
    qputenv("XDG_CONFIG_HOME", scratch.path().toUtf8());
    QApplication application(argc, argv);
    QApplication::setApplicationName(QStringLiteral("dikkat"));
    if (argc < 3) {
        std::cerr << "usage: shots DEMO_FOLDER OUTPUT_FOLDER\n";
        return 2;
    }
    const QString demoFolder = QString::fromLocal8Bit(argv[1]), out = QString::fromLocal8Bit(argv[2]);
    QDir().mkpath(out);
    report::loadFonts();
    applyTheme(application);
    const auto simulated = [] {
        return std::make_unique<station::SimulatedSource>(
            [](int n) { return demo::plate(demo::Field{}, 2211, n).picture; });
    };
    MainWindow window(simulated, scratch.path());
    window.resize(1280, 800);
    window.show();
    const auto shoot = [&](const char* name) {
        QTest::qWait(250);
        if (!window.grab().save(out + QStringLiteral("/") + QLatin1String(name) + QStringLiteral(".png")))
            std::cerr << "cannot write " << name << "\n";
    };
    shoot("empty");
    if (!window.openRecipe(demoFolder + QStringLiteral("/reed-plate.dikkat"))) {
        std::cerr << "the demo recipe does not open\n";
        return 1;
    }
    Session& s = window.session();
    const auto allDone = [&] { return s.settled(); };
    if (!waitFor(allDone)) return 1;
    if (argc == 4) { // each hint at its place
        window.hints()->again();
        for (int i = 0; i < Hints::kCount; ++i) {
            shoot(("hint-" + std::to_string(i)).c_str());
            window.hints()->done(i);
        }
    }
    // A rejected trial, its hole pitch in view.
    s.select("pitch");
    s.setTrial(5);
    shoot("setup");
    s.select("slots");
    s.setTrial(2);
    window.setupPage()->evidence()->showObjects(true);
    waitFor([&] { return !window.setupPage()->evidence()->objects()->waiting(); });
    window.setupPage()->evidence()->objects()->choose(3);
    shoot("objects");
    window.setupPage()->evidence()->showObjects(false);
    window.setupPage()->sheet()->setSteady(true);
    s.setTrial(6);
    waitFor(allDone);
    window.setupPage()->sheet()->setDifference(true);
    s.setTrial(8);
    waitFor(allDone);
    shoot("difference");
    window.setupPage()->sheet()->setDifference(false), window.setupPage()->sheet()->setSteady(false);
    // The draft of a stroke across the plate, with its offers.
    s.setTrial(0);
    SheetView* sheet = window.setupPage()->sheet();
    const auto motion = inspect::Placing(s.recipe(), s.currentItem()).following("plate");
    const double k = 1 / s.recipe().mmPerPixel();
    const auto at = [&](double x, double y) { return sheet->screenOf(motion->motion().now.toPicture({x * k, y * k})); };
    drag(sheet, at(38, -16), at(38.3, 16), Qt::NoModifier, false);
    if (argc == 4) shoot("setup-stroke");
    QTest::mouseRelease(sheet, Qt::LeftButton, Qt::NoModifier, at(38.3, 16).toPoint());
    waitFor(allDone);
    shoot("setup-draft");
    QTest::keyClick(sheet, Qt::Key_Return);
    waitFor(allDone);
    if (argc == 4) shoot("setup-proposal");
    QTest::keyClick(sheet, Qt::Key_Escape);
    s.undo();
    s.select("top");
    s.setTrial(3);
    waitFor(allDone);
    {
        FindDialog d(s, *window.setupPage(), window.findChildren<QAction*>(), &window);
        d.show();
        d.findChild<QLineEdit*>(QStringLiteral("findText"))->setText(QStringLiteral("set 1 0.01"));
        QTest::qWait(250);
        QImage whole = window.grab().toImage();
        QPainter over(&whole);
        over.drawImage(84, 52, d.grab().toImage());
        over.setPen(report::theme().rule);
        over.drawRect(QRect(QPoint(84, 52), d.size()));
        over.end();
        whole.save(out + QStringLiteral("/find.png"));
    }
    {
        s.select("slots", "count");
        FitDialog d(s, "slots", "count", &window);
        d.findChild<QComboBox*>(QStringLiteral("fitSetting"))
            ->setCurrentIndex(
                d.findChild<QComboBox*>(QStringLiteral("fitSetting"))->findData(QStringLiteral("least_area")));
        d.show();
        waitFor([&] { return !d.running(); });
        QTest::qWait(250);
        if (!d.grab().save(out + QStringLiteral("/fit.png"))) std::cerr << "cannot write fit\n";
    }
    s.select("top");
    // Run.
    window.showWorkspace(1);
    if (argc == 4) shoot("run-empty");
    if (auto ok = window.runPage()->release(QStringLiteral("A. Person")); !ok) return 1;
    window.runPage()->start();
    waitFor([&] { return window.runPage()->itemCount() >= 12; });
    window.runPage()->stop();
    QTest::qWait(900);
    shoot("run");
    window.showWorkspace(2);
    shoot("records");
    window.showWorkspace(0);
    // What differs from what runs, before it is released.
    s.setLimits("width", "distance", *recipe::parseLimits("26 +-0.04", base::Unit::Millimetre), false);
    s.change(QStringLiteral("threshold"), [](recipe::Recipe& r) {
        recipe::findKind("blobs")->param("least_area")->put(r.find("slots")->params, recipe::Value(2500.0));
    });
    {
        ReleaseDialog dialog(s, *window.runPage(), &window);
        dialog.findChild<QLineEdit*>(QStringLiteral("releaseBy"))->setText(QStringLiteral("A. Person"));
        dialog.show();
        QTest::qWait(600);
        if (!dialog.grab().save(out + QStringLiteral("/release.png"))) std::cerr << "cannot write release\n";
        if (argc == 4) shoot("setup-differs");
    }
    s.undo();
    s.undo();
    window.findChild<QAction*>(QStringLiteral("dark"))->setChecked(true);
    s.select("width");
    s.setTrial(8);
    waitFor(allDone);
    shoot("setup-dark");
    // The other sets: several items in a picture, an arc across 0°, a filter in the form.
    window.findChild<QAction*>(QStringLiteral("dark"))->setChecked(false);
    const auto other = [&](const char* set, const char* step, int trial, const char* shot) {
        if (!window.openRecipe(demoFolder + QStringLiteral("/%1/%1.dikkat").arg(QLatin1String(set)))) return false;
        s.select(step);
        s.setTrial(trial);
        if (!waitFor(allDone)) return false;
        shoot(shot);
        return true;
    };
    window.setupPage()->action(QStringLiteral("unfoldItems"))->setChecked(true);
    const bool small = other("small-plates", "width", 5, "setup-small-plates");
    window.setupPage()->action(QStringLiteral("unfoldItems"))->setChecked(false);
    if (!small || !other("tuning-ring", "notch", 2, "setup-tuning-ring")) {
        std::cerr << "the small sets do not open\n";
        return 1;
    }
    if (argc == 4) { // several items in a picture while running
        window.openRecipe(demoFolder + QStringLiteral("/small-plates/small-plates.dikkat"));
        if (auto ok = window.runPage()->release(QStringLiteral("A. Person")); !ok) return 1;
        window.showWorkspace(1);
        window.findChild<QComboBox*>(QStringLiteral("source"))->setCurrentIndex(1);
        emit window.findChild<QComboBox*>(QStringLiteral("source"))->activated(1);
        for (int i = 0; i < 6; ++i) {
            window.runPage()->takeOne();
            QTest::qWait(700);
        }
        shoot("run-items");
        window.showWorkspace(0);
        other("tuning-ring", "notch", 2, "setup-tuning-ring");
    }
    s.select("sink");
    s.setTrial(8);
    waitFor(allDone);
    const auto shootDialog = [&](QDialog& d, const char* name) {
        QTest::qWait(250);
        if (!d.grab().save(out + QStringLiteral("/") + QLatin1String(name) + QStringLiteral(".png")))
            std::cerr << "cannot write " << name << "\n";
    };
    // A list by place, opened into its elements; its limits in detail.
    if (!window.openRecipe(demoFolder + QStringLiteral("/carton-panel/carton-panel.dikkat"))) return 1;
    s.select("dots");
    s.setTrial(2);
    waitFor(allDone);
    window.setupPage()->grid()->setFocus();
    QTest::keyClick(window.setupPage()->grid(), Qt::Key_U);
    shoot("setup-list");
    {
        CheckDialog d(s, "dots", "areas", &window);
        d.show();
        if (argc == 4) shootDialog(d, "limits-of-a-list");
    }
    {
        ProposalsDialog d(s, &window);
        d.show();
        if (argc == 4) shootDialog(d, "proposals");
    }
    // What a careful colleague would ask about a recipe that is not done: a limit in px, a value nobody judges, a label
    // that disagrees.
    s.change(QStringLiteral("doubts"), [](recipe::Recipe& r) {
        recipe::Check& first = r.steps[1].checks.empty() ? r.steps[2].checks.at(0) : r.steps[1].checks[0];
        first.limits.unit = base::Unit::Pixel;
        for (recipe::Step& step : r.steps)
            if (step.checks.size() == 1 && step.checks[0].output != first.output) {
                step.checks[0].limits = {};
                break;
            }
        r.trials[3].label = recipe::Label::Good, r.trials[4].label = recipe::Label::Bad;
    });
    waitFor(allDone);
    window.findChild<QAction*>(QStringLiteral("review"))->trigger();
    shootDialog(*window.findChild<QDialog*>(QStringLiteral("reviewDialog")), "review");
    window.findChild<QDialog*>(QStringLiteral("reviewDialog"))->hide();
    s.undo();
    // Three revisions and what the newest does to the trials; the same recipe beside a picture that is higher than wide.
    if (!window.openRecipe(demoFolder + QStringLiteral("/reed-plate.dikkat"))) return 1;
    waitFor(allDone);
    setPerson(QStringLiteral("E. Sand"));
    const QString kept = scratch.filePath(QStringLiteral("reed-plate.dikkat"));
    const auto keep = [&](const char* why) { return s.saveTo(kept, QString::fromLatin1(why)).has_value(); };
    bool saved = keep("");
    s.setLimits("width", "distance", *recipe::parseLimits("26 +-0.03", base::Unit::Millimetre), false);
    saved = keep("the new fixture is narrower") && saved;
    s.setLimits("pitch", "distance", *recipe::parseLimits("92 +-0.03", base::Unit::Millimetre), false);
    s.change(QStringLiteral("least area"), [](recipe::Recipe& r) {
        recipe::findKind("blobs")->param("least_area")->put(r.find("slots")->params, recipe::Value(2500.0));
    });
    setPerson(QStringLiteral("M. Ott"));
    saved = keep("") && saved;
    if (!saved) return 1;
    waitFor(allDone);
    {
        RevisionsDialog d(s, &window);
        d.show();
        auto* table = d.findChild<QTableWidget*>(QStringLiteral("revisions"));
        table->setCurrentCell(table->rowCount() - 1, 0);
        d.findChild<QPushButton*>(QStringLiteral("compareRun"))->click();
        waitFor([&] { return d.findChild<QTableWidget*>(QStringLiteral("compareTrials"))->rowCount() > 0; });
        shootDialog(d, "revisions");
    }
    s.select("pitch");
    s.setTrial(5);
    window.setupPage()->action(QStringLiteral("otherArrangement"))->trigger();
    waitFor(allDone);
    window.setupPage()->sheet()->quarterTurn();
    shoot("setup-tall");
    if (argc == 4) {
        s.select("slots", "areas");
        shoot("setup-tall-list");
        window.resize(1900, 1000);
        shoot("setup-tall-large");
        window.resize(1280, 800);
        window.setupPage()->action(QStringLiteral("gridAlone"))->setChecked(true);
        shoot("setup-tall-grid");
        window.setupPage()->action(QStringLiteral("gridAlone"))->setChecked(false);
        window.setupPage()->action(QStringLiteral("sheetAlone"))->setChecked(true);
        shoot("setup-tall-sheet");
        window.setupPage()->action(QStringLiteral("sheetAlone"))->setChecked(false);
        RecipeDialog d(s, &window);
        d.show();
        shootDialog(d, "recipe-carry");
        d.hide();
        // A datum in a datum.
        window.setupPage()->sheet()->setFocus();
        s.change(QStringLiteral("nested"), [](recipe::Recipe& r) {
            recipe::Step in = recipe::makeStep(r, *recipe::findKind("two_holes"));
            in.name = "Both holes", in.datum = "plate";
            in.inputs = {{"first", "hole_left"}, {"second", "hole_right"}};
            r.steps.push_back(in);
            recipe::Step w = *r.find("width");
            w.id = r.freshId(), w.name = "Width again", w.datum = in.id;
            w.checks[0].balloon = r.freshBalloon(), w.checks[0].name = w.name;
            r.steps.push_back(w);
        });
        waitFor(allDone);
        s.select("pitch");
        shoot("setup-nested");
        s.undo();
    }
    for (int i = 0; i < 3; ++i) window.setupPage()->sheet()->quarterTurn();
    window.setupPage()->action(QStringLiteral("otherArrangement"))->trigger();
    s.forgetRecovery();
    // Calibration by a target; how well the tilted plates repeat.
    if (!window.openRecipe(demoFolder + QStringLiteral("/tilted-plate/tilted-plate.dikkat"))) return 1;
    waitFor(allDone);
    s.select("width");
    {
        CalibrateDialog d(s, &window);
        d.resize(1280, 800);
        d.show();
        QStringList boards;
        for (int i = 1; i <= 8; ++i) boards << demoFolder + QStringLiteral("/tilted-plate/board-0%1.png").arg(i);
        d.addTargets(boards);
        d.findChild<QDoubleSpinBox*>(QStringLiteral("targetPitch"))->setValue(8.5);
        d.find();
        waitFor([&] {
            return d.findChild<QTableWidget*>(QStringLiteral("targetTable"))
                ->item(0, 2)
                ->text()
                .contains(QStringLiteral("px"));
        });
        shootDialog(d, "calibrate");
    }
    {
        RepeatDialog d(s, &window);
        d.show();
        d.findChild<QSpinBox*>(QStringLiteral("repeatCopies"))->setValue(10);
        d.measure();
        auto* table = d.findChild<QTableWidget*>(QStringLiteral("repeatTable"));
        waitFor([&] { return table->rowCount() > 3 && table->item(1, 3); });
        shootDialog(d, "repeatability");
    }
    if (argc == 4) { // a look at the rest
        RecipeDialog d(s, &window);
        d.show();
        shootDialog(d, "recipe-settings");
        RepeatDialog study(s, &window);
        study.show();
        QFile csv(out + QStringLiteral("/study.csv"));
        if (csv.open(QIODevice::WriteOnly)) {
            for (int part = 1; part <= 5; ++part)
                for (int person = 0; person < 3; ++person)
                    for (int take = 0; take < 3; ++take)
                        csv.write(
                            QStringLiteral("p%1,%2,%3\n")
                                .arg(part)
                                .arg(QLatin1Char(char('a' + person)))
                                .arg(26 + part * 0.01 + person * 0.001 + ((take * 7 + part * 3 + person) % 5) * 0.0006,
                                     0, 'f', 4)
                                .toUtf8());
            csv.close();
            study.openStudy(csv.fileName());
            csv.remove();
        }
        shootDialog(study, "study");
        CalibrateDialog calibrate(s, &window);
        calibrate.show();
        for (int tab : {0, 2}) {
            calibrate.findChild<QTabWidget*>()->setCurrentIndex(tab);
            shootDialog(calibrate, tab ? "calibrate-check" : "calibrate-length");
        }
        shoot("setup-tilted");
        s.change(QStringLiteral("inch"), [](recipe::Recipe& r) {
            r.shownIn = base::Unit::Inch, r.guardBand = true, r.find("width")->checks[0].uncertainty = 0.02;
        });
        s.setTrial(5);
        waitFor(allDone);
        shoot("setup-inch");
        s.recalibrate(geometry::Calibration(), false);
        waitFor(allDone);
        shoot("setup-foreign");
    }
    return 0;
}

// shots DEMO_FOLDER OUTPUT_FOLDER - opens the demo in the real window and keeps one picture of each main view (docs/screenshots).
#include "demo/reed_plate.h"
#include "desktop/main_window.h"
#include "desktop/style.h"

#include <QApplication>
#include <QDir>
#include <QElapsedTimer>
#include <QSettings>
#include <QStandardPaths>
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
    if (argc != 3) {
        std::cerr << "usage: shots DEMO_FOLDER OUTPUT_FOLDER\n";
        return 2;
    }
    const QString demoFolder = QString::fromLocal8Bit(argv[1]), out = QString::fromLocal8Bit(argv[2]);
    QDir().mkpath(out);
    report::loadFonts();
    applyTheme(application);
    const auto simulated = [] {
        return std::make_unique<station::SimulatedSource>([](int n) { return demo::plate(demo::Field{}, 2211, n).picture; });
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
    const auto allDone = [&] { return s.pending() == 0; };
    if (!waitFor(allDone)) return 1;
    // A rejected trial, its hole pitch in view.
    s.select("pitch");
    s.setTrial(5);
    shoot("setup");
    s.select("slots");
    s.setTrial(2);
    shoot("setup-blobs");
    // The draft of a stroke across the plate, with its offers.
    s.setTrial(0);
    SheetView* sheet = window.setupPage()->sheet();
    const auto motion = inspect::motionOf(s.recipe(), "plate", s.currentItem());
    const double k = 1 / s.recipe().mmPerPixel;
    const auto at = [&](double x, double y) { return sheet->screenOf(motion->now.toPicture({x * k, y * k})); };
    drag(sheet, at(38, -16), at(38.3, 16), Qt::NoModifier, false);
    shoot("setup-stroke");
    QTest::mouseRelease(sheet, Qt::LeftButton, Qt::NoModifier, at(38.3, 16).toPoint());
    waitFor(allDone);
    shoot("setup-draft");
    QTest::keyClick(sheet, Qt::Key_Return);
    waitFor(allDone);
    shoot("setup-proposal");
    QTest::keyClick(sheet, Qt::Key_Escape);
    s.undo();
    s.select("top");
    s.setTrial(3);
    waitFor(allDone);
    shoot("setup-line");
    // Run.
    window.showWorkspace(1);
    shoot("run-empty");
    window.runPage()->start();
    waitFor([&] { return window.runPage()->itemCount() >= 12; });
    window.runPage()->stop();
    QTest::qWait(900);
    shoot("run");
    window.showWorkspace(2);
    shoot("records");
    window.showWorkspace(0);
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
    if (!other("small-plates", "width", 5, "setup-small-plates") || !other("tuning-ring", "notch", 2, "setup-tuning-ring")) {
        std::cerr << "the small sets do not open\n";
        return 1;
    }
    s.select("sink");
    s.setTrial(8);
    waitFor(allDone);
    shoot("setup-farthest");
    return 0;
}

// How long a person waits: a limit dragged to all verdicts on the screen, a threshold dragged to the picture in view,
// at 5 megapixels and
// 100 trials. Run with QT_QPA_PLATFORM=offscreen; prints the median of each.
#include "demo/reed_plate.h"
#include "desktop/main_window.h"
#include "desktop/style.h"
#include "recipe/recipe_file.h"

#include <QApplication>
#include <QStandardPaths>
#include <QTemporaryDir>
#include <QTest>
#include <benchmark/benchmark.h>

namespace
{
std::unique_ptr<desktop::MainWindow> g_window;

desktop::Session& session() { return g_window->session(); }
void settle()
{
    while (!session().settled()) QTest::qWait(5);
    QApplication::processEvents();
}

void limitDragToAllVerdicts(benchmark::State& state)
{
    session().select("width");
    settle();
    double tolerance = 0.05;
    for (auto _ : state) {
        tolerance = tolerance > 0.06 ? 0.01 : tolerance + 0.0007;
        // as the mouse does while it drags
        emit g_window->setupPage()->evidence()->trialsPlot()->handleMoved("high", 26 + tolerance, false);
        if (session().pending() != 0) state.SkipWithError("a limit must not start any inspection");
        g_window->grab(); // grid, sheet and evidence painted anew
    }
    emit g_window->setupPage()->evidence()->trialsPlot()->handleMoved("high", 26.05, true);
}

void thresholdDragToPictureInView(benchmark::State& state)
{
    session().select("slots");
    settle();
    auto* plot = g_window->setupPage()->evidence()->picturePlot();
    double low = 100;
    for (auto _ : state) {
        low = low > 160 ? 100 : low + 1;
        emit plot->handleMoved("low", low, false); // as the mouse does while it drags
        const auto wanted = session().prepared()->fingerprint("slots");
        for (;;) {
            const auto* item = session().currentItem();
            if (item && item->step("slots")->fingerprint == wanted) break;
            QApplication::processEvents(QEventLoop::WaitForMoreEvents, 5);
        }
        g_window->setupPage()->sheet()->grab();
    }
    emit plot->handleMoved("low", low, true);
    settle();
}
BENCHMARK(limitDragToAllVerdicts)
    ->Unit(benchmark::kMillisecond)
    ->MinTime(2)
    ->UseRealTime()
    ->Repetitions(5)
    ->ReportAggregatesOnly();
BENCHMARK(thresholdDragToPictureInView)
    ->Unit(benchmark::kMillisecond)
    ->MinTime(2)
    ->UseRealTime()
    ->Repetitions(5)
    ->ReportAggregatesOnly();
} // namespace

int main(int argc, char** argv)
{
    QTemporaryDir dir;
    qputenv("XDG_DATA_HOME", dir.path().toUtf8());
    qputenv("XDG_CONFIG_HOME", dir.path().toUtf8());
    QApplication application(argc, argv);
    benchmark::Initialize(&argc, argv);
    report::loadFonts();
    desktop::applyTheme(application);
    if (auto ok = demo::writeReedPlates(dir.path().toStdString(), 1, 100); !ok) return 1;
    g_window = std::make_unique<desktop::MainWindow>([](const station::Conveyor&) { return nullptr; }, dir.path());
    g_window->resize(1280, 800);
    g_window->show();
    if (!g_window->openRecipe(dir.filePath("reed-plate.dikkat"))) return 1;
    settle();
    benchmark::RunSpecifiedBenchmarks();
    session().newRecipe();
    g_window.reset();
    return 0;
}

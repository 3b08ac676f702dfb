// Many at once, in the real window: how soon it stands and works, 200 trials of 5 megapixels, and a grid of 40 checks over
// 500 trials of three parts. Run with QT_QPA_PLATFORM=offscreen; prints one line for each figure.
#include "demo/reed_plate.h"
#include "desktop/main_window.h"
#include "desktop/style.h"
#include "heartbeat.h"
#include "recipe/recipe_file.h"

#include <QApplication>
#include <QElapsedTimer>
#include <QScrollBar>
#include <QTemporaryDir>
#include <QTest>
#include <algorithm>
#include <cstdio>
#include <fstream>
#include <sstream>

namespace
{
void say(const char* what, double value, const char* unit, const char* bound)
{
    std::printf("%-44s %8.1f %s   (asked: %s)\n", what, value, unit, bound);
    std::fflush(stdout);
}
double peakMegabytes()
{
    std::ifstream in("/proc/self/status");
    for (std::string line; std::getline(in, line);)
        if (line.rfind("VmHWM:", 0) == 0) return std::stod(line.substr(6)) / 1024;
    return 0;
}
// 40 checks over 500 pictures of three parts, each with a value and a verdict.
class ManyCells : public desktop::GridSource
{
public:
    ManyCells()
    {
        demo::Random random(3);
        for (int t = 0; t < 500; ++t) {
            inspect::PictureResult r;
            for (int i = 0; i < 3; ++i) {
                inspect::ItemResult item;
                item.number = i + 1;
                for (int c = 0; c < 40; ++c) {
                    inspect::CheckResult check;
                    check.step = "step-" + std::to_string(c), check.output = "distance";
                    check.name = "Check " + std::to_string(c);
                    check.values = {10 + random.normal(0, 0.04)};
                    check.low = 9.9, check.high = 10.1;
                    const bool ok = check.values[0] > 9.9 && check.values[0] < 10.1;
                    check.verdict = ok ? inspect::Verdict::Pass : inspect::Verdict::Fail;
                    check.share = std::abs(check.values[0] - 10) / 0.1;
                    item.checks.push_back(std::move(check));
                }
                r.items.push_back(std::move(item));
            }
            m_results.push_back(std::move(r));
        }
    }
    int rows() const override { return 40; }
    int columns() const override { return 1500; }
    desktop::GridRow row(int r) const override
    {
        desktop::GridRow out;
        out.step = "step-" + std::to_string(r), out.output = "distance";
        out.balloon = QString::number(r + 1), out.name = QStringLiteral("Check %1").arg(r);
        out.value = QStringLiteral("10.02"), out.unit = QStringLiteral("mm"), out.limits = QStringLiteral("10 ±0.1");
        out.low = 9.9, out.high = 10.1, out.verdict = inspect::Verdict::Pass;
        out.stepKind = recipe::findKind("edge_pair");
        return out;
    }
    desktop::GridColumn column(int c) const override
    {
        desktop::GridColumn out;
        out.head = QStringLiteral("%1.%2").arg(c / 3 + 1).arg(c % 3 + 1);
        out.begins = c % 3 == 0, out.bracket = true, out.answered = true, out.label = report::Sign::Good;
        return out;
    }
    desktop::GridCell cell(int r, int c) const override
    {
        return desktop::cellFor(&m_results[std::size_t(c / 3)], "step-" + std::to_string(r), "distance", 9.9, 10.1,
                                c % 3);
    }
    QString verdictLine() const override { return QStringLiteral("Verdict"); }
    QString emptyHint() const override { return {}; }
    QString columnWord(int c) const override { return QStringLiteral("trial %1").arg(c / 3 + 1); }

private:
    std::vector<inspect::PictureResult> m_results;
};

void scrollTheGrid()
{
    ManyCells source;
    desktop::GridView grid(source);
    grid.resize(1280, 760);
    grid.show();
    QTest::qWait(50);
    for (const int width : {72, 28, 10, 3}) {
        grid.setColumnWidth(width);
        grid.refresh();
        QTest::qWait(20);
        std::vector<double> frames;
        QScrollBar* bar = grid.horizontalScrollBar();
        QPixmap target(grid.viewport()->size());
        for (int n = 0; n <= 120; ++n) {
            QElapsedTimer t;
            t.start();
            bar->setValue(bar->maximum() * n / 120);
            grid.viewport()->render(&target);
            frames.push_back(double(t.nsecsElapsed()) / 1e6);
        }
        std::sort(frames.begin(), frames.end());
        std::printf(
            "grid 40 x 500 x 3, columns of %2d px            median %.1f ms, worst %.1f ms   (asked: 16.6 ms)\n", width,
            frames[frames.size() / 2], frames.back());
    }
}
} // namespace

int main(int argc, char** argv)
{
    QElapsedTimer since;
    since.start();
    QTemporaryDir dir;
    qputenv("XDG_DATA_HOME", dir.path().toUtf8());
    qputenv("XDG_CONFIG_HOME", dir.path().toUtf8());
    // Pictures first: they are no part of the start.
    if (auto ok = demo::writeReedPlates(dir.path().toStdString(), 1, 24); !ok) return 1;
    const double before = double(since.nsecsElapsed()) / 1e6;
    QApplication application(argc, argv);
    report::loadFonts();
    desktop::applyTheme(application);
    desktop::MainWindow window([](const station::Conveyor&) { return nullptr; }, dir.path());
    window.resize(1280, 800);
    window.show();
    if (!QTest::qWaitForWindowExposed(&window)) return 1;
    window.grab();
    say("window visible after", double(since.nsecsElapsed()) / 1e6 - before, "ms", "1000 ms");
    if (!window.openRecipe(dir.filePath("reed-plate.dikkat"))) return 1;
    desktop::Session& s = window.session();
    while (!s.result(0) || s.loading() || s.preparing()) QTest::qWait(1);
    window.grab();
    say("usable with the demo recipe after", double(since.nsecsElapsed()) / 1e6 - before, "ms", "2000 ms");
    while (!s.settled()) QTest::qWait(5);

    // 200 trials: the demo's pictures under as many names.
    auto r = recipe::load(dir.filePath("reed-plate.dikkat").toStdString());
    const auto trials = r->trials;
    r->trials.clear();
    for (int i = 0; i < 200; ++i) {
        const QString to = dir.filePath(QStringLiteral("many-%1.png").arg(i, 3, 10, QLatin1Char('0')));
        const auto& of = trials[std::size_t(i) % trials.size()];
        if (!QFile::link(QString::fromStdString(of.picture), to)) return 1;
        r->trials.push_back({to.toStdString(), of.label});
    }
    if (!recipe::save(*r, dir.filePath("many.dikkat").toStdString())) return 1;
    Heartbeat heart;
    QTest::qWait(100);
    (void)heart.longest();
    QElapsedTimer t;
    t.start();
    if (!window.openRecipe(dir.filePath("many.dikkat"))) return 1;
    while (!s.result(0)) QTest::qWait(1);
    say("200 trials of 5 MP: first verdict after", double(t.nsecsElapsed()) / 1e6, "ms", "2000 ms");
    while (!s.settled()) QTest::qWait(5);
    int unread = 0;
    for (int i = 0; i < s.trialCount(); ++i) unread += s.result(i)->error.has_value();
    if (s.trialCount() != 200 || unread) {
        std::printf("%d trials, %d of them cannot be read: %s\n", s.trialCount(), unread,
                    s.result(0)->error.value_or("").c_str());
        return 1;
    }
    say("200 trials: all answered after", double(t.nsecsElapsed()) / 1e6, "ms", "-");
    say("200 trials: longest gap while they answer", heart.longest(), "ms", "50 ms");
    say("200 trials: most memory", peakMegabytes(), "MB", "1500 MB");
    s.select("width", "distance");
    QTest::qWait(200);
    t.restart();
    s.setLimits("width", "distance", *recipe::parseLimits("26 +-0.04", base::Unit::Millimetre), false);
    while (s.pending()) QTest::qWait(1);
    window.grab();
    say("200 trials: a limit judged and drawn", double(t.nsecsElapsed()) / 1e6, "ms", "100 ms");
    QTest::qWait(300);
    (void)heart.longest();
    t.restart();
    s.change(QStringLiteral("threshold"), [](recipe::Recipe& to) {
        recipe::findKind("blobs")->param("least_area")->put(to.find("slots")->params, recipe::Value(2900.0));
    });
    while (!s.result(s.trial())) QTest::qWait(1);
    say("200 trials: a setting, the picture in view", double(t.nsecsElapsed()) / 1e6, "ms", "100 ms");
    // Given up on the way: undo makes the earlier answers hold again.
    QTest::qWait(100);
    s.undo();
    while (!s.settled()) QTest::qWait(2);
    say("200 trials: given up and back", double(t.nsecsElapsed()) / 1e6, "ms", "-");
    t.restart();
    s.redo();
    while (!s.settled()) QTest::qWait(2);
    say("200 trials: a setting, all of them", double(t.nsecsElapsed()) / 1e6, "ms", "-");
    say("200 trials: longest gap meanwhile", heart.longest(), "ms", "50 ms");
    say("200 trials: most memory at the end", peakMegabytes(), "MB", "1500 MB");
    scrollTheGrid();
    s.newRecipe();
    return 0;
}

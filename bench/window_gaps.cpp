// The longest time the window does not answer: the largest gap of a heartbeat on its event loop while a person works at
// 5 megapixels with 24 trials. Run with QT_QPA_PLATFORM=offscreen; prints one line for each kind of work.
#include "demo/reed_plate.h"
#include "desktop/main_window.h"
#include "desktop/style.h"
#include "heartbeat.h"
#include "recipe/recipe_file.h"

#include <QApplication>
#include <QElapsedTimer>
#include <QSpinBox>
#include <QTemporaryDir>
#include <QTest>
#include <cstdio>

namespace
{
// Notes the event that took longest: a gap is one of them, or several in a row.
class Watched : public QApplication
{
public:
    using QApplication::QApplication;
    bool notify(QObject* receiver, QEvent* event) override
    {
        const int type = int(event->type());
        const char* name = receiver->metaObject()->className(); // the receiver may be gone afterwards
        QElapsedTimer timer;
        timer.start();
        ++m_depth;
        const bool done = QApplication::notify(receiver, event);
        if (--m_depth == 0)
            if (const double took = double(timer.nsecsElapsed()) / 1e6; took > m_longest)
                m_longest = took, m_what = QString::fromLatin1(name) + QStringLiteral(" event %1").arg(type);
        return done;
    }
    QString longest() // and from anew
    {
        return QStringLiteral("%1, %2 ms").arg(m_what).arg(std::exchange(m_longest, 0), 0, 'f', 1);
    }

private:
    int m_depth = 0;
    double m_longest = 0;
    QString m_what;
};

std::unique_ptr<desktop::MainWindow> g_window;
std::unique_ptr<Heartbeat> g_heart;
double g_worst = 0;

desktop::Session& session() { return g_window->session(); }
void settle()
{
    QTest::qWait(50);
    while (!session().settled()) QTest::qWait(5);
    QTest::qWait(50);
}
template <class Work> void measured(const char* what, Work work)
{
    settle();
    (void)g_heart->longest(), (void)static_cast<Watched*>(qApp)->longest();
    work();
    settle();
    const double gap = g_heart->longest();
    g_worst = std::max(g_worst, gap);
    std::printf("%-28s %6.1f ms   longest event: %s\n", what, gap, qPrintable(static_cast<Watched*>(qApp)->longest()));
    std::fflush(stdout);
}
void stroke(QPoint from, QPoint to)
{
    auto* sheet = g_window->setupPage()->sheet();
    QTest::mousePress(sheet, Qt::LeftButton, {}, from);
    for (int i = 1; i <= 25; ++i) {
        QTest::mouseMove(sheet, from + (to - from) * i / 25);
        QTest::qWait(12);
    }
    QTest::mouseRelease(sheet, Qt::LeftButton, {}, to);
    QTest::qWait(300);
    QTest::keyClick(sheet, Qt::Key_Escape);
}
void typed(const char* step, const char* field, const QList<double>& values)
{
    session().select(step);
    settle();
    for (const double v : values) {
        if (auto* box = g_window->findChild<QDoubleSpinBox*>(field)) box->setValue(v);
        else if (auto* whole = g_window->findChild<QSpinBox*>(field)) whole->setValue(int(v));
        else std::printf("no field %s\n", field);
        QTest::qWait(150);
    }
}
} // namespace

int main(int argc, char** argv)
{
    QTemporaryDir dir;
    qputenv("XDG_DATA_HOME", dir.path().toUtf8());
    qputenv("XDG_CONFIG_HOME", dir.path().toUtf8());
    Watched application(argc, argv);
    report::loadFonts();
    desktop::applyTheme(application);
    if (auto ok = demo::writeReedPlates(dir.path().toStdString(), 1, 24); !ok) return 1;
    g_window = std::make_unique<desktop::MainWindow>([](const station::Conveyor&) { return nullptr; }, dir.path());
    g_window->resize(1280, 800);
    g_window->show();
    g_heart = std::make_unique<Heartbeat>();
    bool opened = false;
    measured("opening 24 trials", [&] { opened = g_window->openRecipe(dir.filePath("reed-plate.dikkat")); });
    if (!opened) return 1;
    measured("stepping through trials", [] {
        for (int i = 0; i < session().trialCount(); ++i) {
            session().setTrial(i);
            QTest::qWait(60);
        }
    });
    measured("showing the reference", [] {
        session().setShowReference(true);
        QTest::qWait(200);
        session().setShowReference(false);
    });
    session().setTrial(0);
    measured("dragging a stroke", [] {
        const QRect r = g_window->setupPage()->sheet()->rect();
        stroke({r.width() * 2 / 5, r.height() * 3 / 10}, {r.width() * 2 / 5, r.height() * 6 / 10});
    });
    measured("dragging an area", [] {
        const QRect r = g_window->setupPage()->sheet()->rect();
        stroke({r.width() * 3 / 10, r.height() * 3 / 10}, {r.width() * 6 / 10, r.height() * 6 / 10});
    });
    session().select("width");
    measured("dragging a limit", [] {
        auto* plot = g_window->setupPage()->evidence()->trialsPlot();
        for (int i = 0; i < 25; ++i) {
            emit plot->handleMoved("high", 26 + 0.01 + i * 0.002, false);
            QTest::qWait(12);
        }
        emit plot->handleMoved("high", 26.05, true);
    });
    session().select("slots");
    measured("dragging a threshold", [] {
        auto* plot = g_window->setupPage()->evidence()->picturePlot();
        for (int i = 0; i < 25; ++i) {
            emit plot->handleMoved("low", 100 + i * 2, false);
            QTest::qWait(12);
        }
        emit plot->handleMoved("low", 128, true);
    });
    measured("typing a blob setting", [] { typed("slots", "least_area", {2900, 3100, 3200, 3000}); });
    measured("typing a pattern setting", [] { typed("plate", "least_contrast", {20, 21, 22, 20}); });
    measured("autosave", [] { QTest::qWait(2600); });
    measured("taking a reference", [] {
        const auto ok = session().takeReference();
        if (!ok) std::printf("%s\n", ok.error().text().c_str());
    });
    measured("undo of it", [] { session().undo(); });
    std::printf("%-28s %6.1f ms\n", "longest", g_worst);
    session().newRecipe();
    g_heart.reset();
    g_window.reset();
    return 0;
}

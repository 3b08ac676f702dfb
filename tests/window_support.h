// window_support.h - driving the real window by mouse and keys.
#pragma once
#include "desktop/main_window.h"
#include "desktop/style.h"
#include "support.h"

#include <QApplication>
#include <QDialog>
#include <QMenu>
#include <QMenuBar>
#include <QPointer>
#include <QSettings>
#include <QStandardPaths>
#include <QTimer>

namespace support
{

// Settings and data of their own, so that tests neither see nor change a person's.
class OwnPlace
{
public:
    OwnPlace()
    {
        qputenv("XDG_DATA_HOME", m_dir.filePath("data").toUtf8());
        qputenv("XDG_CONFIG_HOME", m_dir.filePath("config").toUtf8());
    }
    QString path(const QString& leaf) const { return m_dir.filePath(leaf); }

private:
    QTemporaryDir m_dir;
};

inline desktop::RunPage::SourceMaker smallStation()
{
    return [](const station::Conveyor&) {
        return std::make_unique<station::SimulatedSource>(
            [](int n) { return demo::plate(smallField(), 77, n).picture; });
    };
}
inline std::unique_ptr<desktop::MainWindow> openWindow(const QString& dataFolder)
{
    static bool done = false;
    if (!done) {
        QApplication::setApplicationName(QStringLiteral("dikkat-test"));
        report::loadFonts();
        desktop::applyTheme(*qApp);
        done = true;
    }
    auto w = std::make_unique<desktop::MainWindow>(smallStation(), dataFolder);
    w->resize(1280, 800);
    w->show();
    if (!QTest::qWaitForWindowExposed(w.get())) qFatal("the window does not show");
    QTest::qWait(30);
    return w;
}
inline void click(QWidget* w, QPoint at = {})
{
    QVERIFY(w);
    QTest::mouseClick(w, Qt::LeftButton, Qt::NoModifier, at.isNull() ? w->rect().center() : at);
}
// Opens a menu of the bar and clicks one of its lines.
inline void clickMenu(desktop::MainWindow& window, const QString& menu, const QString& action)
{
    auto* bar = window.findChild<QMenuBar*>();
    for (QAction* m : bar->actions()) {
        if (m->text().remove('&') != menu) continue;
        QTest::mouseClick(bar, Qt::LeftButton, Qt::NoModifier, bar->actionGeometry(m).center());
        QTRY_VERIFY(m->menu()->isVisible());
        for (QAction* a : m->menu()->actions())
            if (a->objectName() == action) {
                QVERIFY2(a->isEnabled(), qPrintable(action));
                QTest::mouseClick(m->menu(), Qt::LeftButton, Qt::NoModifier, m->menu()->actionGeometry(a).center());
                return;
            }
    }
    QFAIL(qPrintable(menu + " has no " + action));
}
// Calls with the dialog of the type once it stands open and has the keyboard, however slow the machine is. The call has
// to close it: one left open is a failure and is dismissed, so that no test waits for a person.
template <class D = QDialog, class F> void whenDialog(F call)
{
    auto* timer = new QTimer(qApp);
    auto waited = std::make_shared<QElapsedTimer>();
    waited->start();
    QObject::connect(timer, &QTimer::timeout, timer, [timer, waited, call] {
        QPointer<D> dialog = qobject_cast<D*>(QApplication::activeModalWidget());
        if (!dialog || !dialog->isVisible()) {
            if (waited->elapsed() < 60000) return;
            timer->stop(), timer->deleteLater();
            QFAIL("no such dialog within a minute");
        }
        if (!dialog->isActiveWindow() && waited->elapsed() < 20000) return dialog->activateWindow();
        timer->stop(), timer->deleteLater();
        call(*dialog);
        if (!waitFor([&] { return !dialog || !dialog->isVisible(); }, 5000)) {
            QWidget* left = dialog;
            left->close();
            QFAIL("the dialog was left open");
        }
    });
    timer->start(20);
}
// Gives the keyboard to a widget of the window and waits until it has it.
inline void giveKeys(QWidget* w)
{
    w->window()->activateWindow();
    w->setFocus();
    QVERIFY(waitFor([&] { return w->hasFocus(); }));
}
inline void drag(QWidget* w, QPointF from, QPointF to, Qt::KeyboardModifiers keys = Qt::NoModifier)
{
    QTest::mousePress(w, Qt::LeftButton, keys, from.toPoint());
    for (int i = 1; i <= 8; ++i) {
        const QPointF at = from + (to - from) * i / 8.0;
        QMouseEvent move(QEvent::MouseMove, at, w->mapToGlobal(at), Qt::NoButton, Qt::LeftButton, keys);
        QApplication::sendEvent(w, &move);
    }
    QTest::mouseRelease(w, Qt::LeftButton, keys, to.toPoint());
}

} // namespace support

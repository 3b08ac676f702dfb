// hints.h - five notes on the demo, one at a time, each at its place and gone when it was done; never in the way.
#pragma once
#include "desktop/session.h"

#include <QLabel>
#include <QToolButton>
#include <QWidget>

namespace desktop
{
class SetupPage;

class Hints : public QWidget
{
    Q_OBJECT
public:
    // `runTab`: where the last one points to.
    Hints(Session& session, SetupPage& page, QWidget* runTab, QWidget* window);
    static constexpr int kCount = 5;
    int current() const { return m_current; } // kCount: all done
    void start();                             // where it was left, unless nobody wants them any more
    void again();                             // from the first one
    void done(int hint);                      // what it asks for was done

protected:
    void paintEvent(QPaintEvent*) override;
    bool eventFilter(QObject*, QEvent*) override;

private:
    void show(int hint);
    void place();
    QWidget* target() const;
    QString text() const;

    Session& m_session;
    SetupPage& m_page;
    QWidget* m_runTab;
    QLabel* m_text;
    int m_current = kCount;
    bool m_above = true; // it stands above what it points to
    std::size_t m_steps = 0;
    std::vector<recipe::Limits> m_limits;
    std::vector<recipe::Label> m_labels;
    int m_trial = -1;
    std::vector<recipe::Limits> limitsNow() const;
    std::vector<recipe::Label> labelsNow() const;
    void look(); // whether the present one was done
};

} // namespace desktop

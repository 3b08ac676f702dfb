// step_acts.h - what is done to steps as wholes: copied, cut, pasted, repeated, moved, deleted; each one undo.
#pragma once
#include "desktop/session.h"
#include "recipe/copies.h"

#include <QDialog>

class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QSpinBox;

namespace desktop
{

class StepActs : public QObject
{
    Q_OBJECT
public:
    StepActs(Session& session, QWidget* window) : QObject(window), m_session(session), m_window(window) {}
    void copy();
    void cut();
    void paste();
    void repeat();
    void move(int direction);
    void remove();            // what read it stays and says so
    void removeWithReaders(); // of what was removed last, or of the chosen step

private:
    void removeAll(const std::vector<std::string>& ids, const QString& what);
    Session& m_session;
    QWidget* m_window;
    std::vector<std::string> m_orphans; // what read the step that was removed last
};

// Rows and columns, or round a centre: how many, how far; the copies are drawn on the sheet while one chooses.
class CopiesDialog : public QDialog
{
    Q_OBJECT
public:
    CopiesDialog(Session& session, const std::string& step, QWidget* parent);
    ~CopiesDialog() override;
    const recipe::Repeat& chosen() const { return m_repeat; }

private:
    void refresh();
    Session& m_session;
    std::string m_step;
    recipe::Repeat m_repeat;
    geometry::Point m_axisX, m_axisY, m_origin; // of the datum on the reference, px
    double m_unit = 1;                          // px of one shown length
    QComboBox *m_way, *m_centre;
    QSpinBox *m_columns, *m_rows, *m_count;
    QDoubleSpinBox *m_columnStep, *m_rowStep, *m_sweep;
    QLabel* m_words;
    std::vector<QWidget*> m_straight, m_round;
};

} // namespace desktop

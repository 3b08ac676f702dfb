// line_dialogs.h - what a person at the line may do: move a released limit within its bounds, overrule a verdict.
#pragma once
#include "desktop/run/run_page.h"

#include <QDialog>

class QDoubleSpinBox;
class QLineEdit;

namespace desktop
{

class LimitsDialog : public QDialog
{
    Q_OBJECT
public:
    LimitsDialog(RunPage& run, QWidget* parent);

private:
    void apply();
    RunPage& m_run;
    std::vector<RunPage::Movable> m_limits;
    std::vector<QDoubleSpinBox*> m_fields;
    QLabel* m_state;
};

class OverruleDialog : public QDialog
{
    Q_OBJECT
public:
    OverruleDialog(const inspect::ItemResult& item, QWidget* parent);
    inspect::Outcome outcome() const;
    QString why() const;

private:
    QPushButton *m_accept, *m_reject;
    QLineEdit* m_why;
};

} // namespace desktop

// repeat_dialog.h - how well values repeat: takes of one part, noisy copies of the picture in view, or a study of
// parts, persons and repeats.
#pragma once
#include "desktop/background.h"
#include "desktop/session.h"
#include "inspect/repeatability.h"

#include <QDialog>

class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QLineEdit;
class QProgressBar;
class QPushButton;
class QSpinBox;
class QTableWidget;
class QTabWidget;

namespace desktop
{

class RepeatDialog : public QDialog
{
    Q_OBJECT
public:
    RepeatDialog(Session& session, QWidget* parent);
    void openStudy(const QString& csv);
    void studyTrials(); // of the chosen check, parts and persons by the pictures' names

public slots:
    void measure();

private:
    QWidget* gaugeTab();
    QWidget* studyTab();
    void showTakes();
    void takeUncertainties();
    void showStudy();
    Session& m_session;
    Background m_work;
    std::vector<inspect::Takes> m_takes;
    std::vector<inspect::StudyValue> m_values;
    QTabWidget* m_tabs = nullptr;
    QComboBox *m_from = nullptr, *m_studyCheck = nullptr;
    QSpinBox *m_copies = nullptr, *m_first = nullptr, *m_last = nullptr;
    QDoubleSpinBox *m_share = nullptr, *m_width = nullptr, *m_half = nullptr, *m_reach = nullptr,
                   *m_tolerance = nullptr;
    QTableWidget *m_table = nullptr, *m_anova = nullptr, *m_parts = nullptr;
    QLabel *m_state = nullptr, *m_studyState = nullptr;
    QPushButton* m_studyPdf = nullptr;
    QString m_studyOf; // the check, or the file the values are from
    QProgressBar* m_progress = nullptr;
    QPushButton *m_start = nullptr, *m_stop = nullptr, *m_take = nullptr;
};

} // namespace desktop

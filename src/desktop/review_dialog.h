// review_dialog.h - what is doubtful about the recipe, kept up to date while the person works on it; each line leads to
// its step and trial.
#pragma once
#include "desktop/session.h"
#include "inspect/review.h"

#include <QDialog>

class QLabel;
class QPushButton;
class QTableWidget;

namespace desktop
{

class ReviewDialog : public QDialog
{
    Q_OBJECT
public:
    ReviewDialog(Session& session, QWidget* parent);
    void setFindings(const std::vector<inspect::Finding>& findings, bool complete);
    void choose(int finding);

signals:
    void wanted(int finding);

private:
    Session& m_session;
    std::vector<inspect::Finding> m_findings;
    QTableWidget* m_table = nullptr;
    QLabel* m_state = nullptr;
    QPushButton* m_convert = nullptr;
};

} // namespace desktop

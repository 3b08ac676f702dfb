// proposals_dialog.h - limits proposed for every check from the trials, or from a complete sample and one with a gap;
// taken on confirmation.
#pragma once
#include "desktop/session.h"
#include "inspect/proposals.h"

#include <QDialog>

class QComboBox;
class QLabel;
class QPushButton;
class QTableWidget;

namespace desktop
{

class ProposalsDialog : public QDialog
{
    Q_OBJECT
public:
    ProposalsDialog(Session& session, QWidget* parent);

public slots:
    void accept() override;

private:
    void refresh();
    Session& m_session;
    std::vector<inspect::Proposal> m_proposals;
    QComboBox *m_from = nullptr, *m_complete = nullptr, *m_gap = nullptr;
    QTableWidget* m_table = nullptr;
    QLabel* m_state = nullptr;
    QPushButton* m_take = nullptr;
};

} // namespace desktop

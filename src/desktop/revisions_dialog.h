// revisions_dialog.h - what the recipe was each time it was saved, compared with another revision or with what it is now.
#pragma once
#include "desktop/background.h"
#include "desktop/session.h"
#include "inspect/comparing.h"

#include <QDialog>

class QComboBox;
class QLabel;
class QLineEdit;
class QListWidget;
class QProgressBar;
class QPushButton;
class QTableWidget;

namespace desktop
{

class RevisionsDialog : public QDialog
{
    Q_OBJECT
public:
    explicit RevisionsDialog(Session& session, QWidget* parent = nullptr);

private:
    void fill();
    void refresh();
    void runTrials();
    void showTrials();
    void takeBack();
    const recipe::Revision* chosen() const;
    const recipe::Revision* other() const; // null: as it is now

    Session& m_session;
    QTableWidget *m_table, *m_trials;
    QComboBox* m_with;
    QLabel *m_head, *m_said;
    QListWidget* m_changes;
    QProgressBar* m_progress;
    QPushButton *m_run, *m_stop, *m_take, *m_go;
    std::vector<inspect::PictureChange> m_answers;
    Background m_work; // last: its thread ends first
};

} // namespace desktop

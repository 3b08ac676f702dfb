// samples_dialog.h - the pictures comparisons learn from beside the reference: seen, and taken out again.
#pragma once
#include "desktop/session.h"

#include <QDialog>

class QLabel;
class QListWidget;
class QPushButton;

namespace desktop
{

class SamplesDialog : public QDialog
{
    Q_OBJECT
public:
    explicit SamplesDialog(Session& session, QWidget* parent = nullptr);

private:
    void refresh();
    void drop();
    Session& m_session;
    QLabel* m_said;
    QListWidget* m_list;
    QPushButton* m_drop;
};

} // namespace desktop

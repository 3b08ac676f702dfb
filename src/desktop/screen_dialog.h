// screen_dialog.h - what the operator sees of the recipe, and which limits may be moved at the screen.
#pragma once
#include "desktop/session.h"

#include <QDialog>

class QCheckBox;
class QComboBox;
class QLabel;
class QTableWidget;

namespace desktop
{

class ScreenDialog : public QDialog
{
    Q_OBJECT
public:
    explicit ScreenDialog(Session& session, QWidget* parent = nullptr);

public slots:
    void accept() override;

private:
    struct Row {
        std::string step, output;
        recipe::Check check;
    };
    base::Result<std::vector<recipe::Check>> edited() const;
    void refresh();
    Session& m_session;
    std::vector<Row> m_rows;
    QComboBox *m_picture, *m_turn, *m_marks;
    QCheckBox *m_totals, *m_cycle, *m_rejects;
    QTableWidget* m_table;
    QLabel* m_state;
};

} // namespace desktop

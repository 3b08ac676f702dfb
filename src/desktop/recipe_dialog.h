// recipe_dialog.h - what holds for the whole recipe: unit shown, general tolerance, guard band, item rule, words,
// totals.
#pragma once
#include "desktop/session.h"

#include <QDialog>

class QCheckBox;
class QComboBox;
class QLabel;
class QLineEdit;
class QTableWidget;

namespace desktop
{

class RecipeDialog : public QDialog
{
    Q_OBJECT
public:
    RecipeDialog(Session& session, QWidget* parent);

public slots:
    void accept() override;

private:
    base::Result<recipe::Recipe> edited() const;
    void refresh();
    Session& m_session;
    QComboBox *m_unit = nullptr, *m_class = nullptr;
    QCheckBox *m_guard = nullptr, *m_guardMeasured = nullptr, *m_stop = nullptr, *m_inside = nullptr, *m_back = nullptr;
    QLineEdit *m_rule = nullptr, *m_accept = nullptr, *m_reject = nullptr;
    QTableWidget* m_totals = nullptr;
    QLabel* m_state = nullptr;
};

} // namespace desktop

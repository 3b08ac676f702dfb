// outputs_dialog.h - who is told of every item: added, written down, and tried with the item in view. Part of the recipe;
// the line tells them from the next release on.
#pragma once
#include "control/outlets.h"
#include "desktop/session.h"

#include <QDialog>

class QCheckBox;
class QComboBox;
class QFormLayout;
class QLabel;
class QLineEdit;
class QListWidget;
class QPushButton;
class QSpinBox;
class QTableWidget;
class QPlainTextEdit;

namespace desktop
{

class OutputsDialog : public QDialog
{
    Q_OBJECT
public:
    explicit OutputsDialog(Session& session, QWidget* parent = nullptr);
    const std::vector<recipe::Outlet>& outlets() const { return m_outlets; }

public slots:
    void sendItem(); // the one in view, to the chosen output
    void accept() override;

private:
    void add(recipe::Outlet::Kind kind);
    void showChosen();
    void read(); // the fields into the chosen one
    void refresh();
    recipe::Outlet* chosen();
    std::optional<station::Logged> itemInView() const;
    void exportTable();
    QLineEdit* text(const QString& label, const char* name, const std::string& value, const QString& tip);
    QSpinBox* number(const QString& label, const char* name, int value, int low, int high, const QString& tip);
    QCheckBox* flag(const QString& label, const char* name, bool value, const QString& tip);

    Session& m_session;
    std::vector<recipe::Outlet> m_outlets;
    QListWidget* m_list;
    QWidget* m_fields = nullptr;
    QFormLayout* m_form = nullptr;
    class QVBoxLayout* m_right;
    QTableWidget* m_table;
    QPlainTextEdit* m_preview;
    QLabel *m_state, *m_names;
    QPushButton *m_send, *m_export, *m_drop;
    std::map<QString, QLineEdit*> m_texts;
    std::map<QString, QSpinBox*> m_numbers;
    std::map<QString, QCheckBox*> m_flags;
    QComboBox *m_way = nullptr, *m_values = nullptr;
};

} // namespace desktop

// check_dialog.h - one check in detail: limits, uncertainty, fault text, and the elements of a list with their own
// limits and places.
#pragma once
#include "desktop/session.h"

#include <QDialog>

class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QLineEdit;
class QTableWidget;

namespace desktop
{

class CheckDialog : public QDialog
{
    Q_OBJECT
public:
    CheckDialog(Session& session, const std::string& step, const std::string& output, QWidget* parent);

public slots:
    void accept() override;

private:
    base::Result<recipe::Check> edited() const;
    QString shown(const recipe::Limits& limits) const;
    static QString shown(const geometry::Point& place);
    base::Result<recipe::Limits> read(const QString& text, const recipe::Limits& filled) const;
    void fill(const recipe::Check& check);
    void refresh();
    void fromThisPart();
    void rowsAndColumns();
    Session& m_session;
    std::string m_step;
    recipe::Check m_check, m_filled;      // as it was, and as the fields were filled: what is not touched stays exact
    base::Unit m_unit = base::Unit::None; // the value is shown in
    bool m_list = false;
    QLineEdit *m_limits = nullptr, *m_fault = nullptr, *m_uncertainty = nullptr;
    QComboBox* m_match = nullptr;
    QDoubleSpinBox *m_tolerance = nullptr, *m_reach = nullptr;
    QTableWidget* m_elements = nullptr;
    QLabel* m_state = nullptr;
};

} // namespace desktop

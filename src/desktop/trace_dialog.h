// trace_dialog.h - a drawing made of the part in view: lines, arcs and circles beside what was measured, its datum
// chosen, nominals rounded by a person; saved as DXF, or taken as the recipe's drawing.
#pragma once
#include "desktop/session.h"
#include "inspect/tracing.h"

#include <QDialog>

class QComboBox;
class QLabel;
class QLineEdit;
class QPushButton;
class QTableWidget;

namespace desktop
{
class DrawingView;

class TraceDialog : public QDialog
{
    Q_OBJECT
public:
    explicit TraceDialog(Session& session, QWidget* parent = nullptr);
    base::Status save(const QString& path) const; // as DXF

private:
    void trace();   // anew, as the tolerance says
    void reframe(); // into the chosen datum
    void round();   // all nominals to the grain
    void edited(int row, int column);
    void fill();
    void take();
    Session& m_session;
    std::optional<inspect::Traced> m_measured, m_nominal;
    DrawingView* m_view;
    QTableWidget* m_table;
    QComboBox *m_datum, *m_second;
    QLineEdit *m_tolerance, *m_grain;
    QLabel* m_says;
    QPushButton *m_save, *m_take;
    bool m_filling = false;
    struct Field {
        int element;
        enum What { Diameter, X, Y } what;
    };
    std::vector<Field> m_fields; // of the table's rows; element -1: not edited
};

} // namespace desktop

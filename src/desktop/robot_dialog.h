// robot_dialog.h - the robot's frame by pairs of points: seen here, driven to there; how well they fit, and where the item
// in view lies for the robot.
#pragma once
#include "desktop/session.h"

#include <QDialog>

class QComboBox;
class QLabel;
class QTableWidget;

namespace desktop
{

class RobotDialog : public QDialog
{
    Q_OBJECT
public:
    explicit RobotDialog(Session& session, QWidget* parent = nullptr);

public slots:
    void takeItem(); // its place becomes a pair; the robot's side is typed
    void accept() override;

private:
    void addRow(const recipe::RobotFrame::Pair* pair);
    base::Result<recipe::RobotFrame> edited() const;
    void refresh();
    Session& m_session;
    QTableWidget* m_table;
    QComboBox* m_mirrored;
    QLabel* m_state;
};

} // namespace desktop

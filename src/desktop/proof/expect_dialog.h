// expect_dialog.h - what is expected on the line and asked of the recipe: how far each change goes, from which size on
// each planted fault must be found, how much of a tolerance the uncertainty may take.
#pragma once
#include "desktop/session.h"

#include <QDialog>

class QDoubleSpinBox;

namespace desktop
{

class ExpectDialog : public QDialog
{
    Q_OBJECT
public:
    // `change`: the one that is edited first; empty: none.
    ExpectDialog(Session& session, const std::string& change, QWidget* parent = nullptr);

public slots:
    void accept() override;

private:
    Session& m_session;
    std::map<std::string, QDoubleSpinBox*> m_changes, m_faults;
    QDoubleSpinBox* m_share = nullptr;
};

} // namespace desktop

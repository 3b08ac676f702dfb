// release_dialog.h - puts the recipe being edited on the line: what would change there, and who answers for it.
#pragma once
#include "desktop/run/run_page.h"

#include <QDialog>

namespace desktop
{

class ReleaseDialog : public QDialog
{
    Q_OBJECT
public:
    ReleaseDialog(const Session& session, const RunPage& run, QWidget* parent);
    QString by() const;

private:
    QLineEdit* m_by = nullptr;
};

} // namespace desktop

// calibrate_dialog.h - calibration by a known length, a stated factor or pictures of a target; every corner and every
// residual is shown.
#pragma once
#include "desktop/background.h"
#include "desktop/session.h"
#include "desktop/target_sheet.h"
#include "inspect/calibrating.h"

#include <QDialog>

class QCheckBox;
class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QListWidget;
class QProgressBar;
class QPushButton;
class QSpinBox;
class QTableWidget;
class QTabWidget;

namespace desktop
{

class CalibrateDialog : public QDialog
{
    Q_OBJECT
public:
    CalibrateDialog(Session& session, QWidget* parent);
    ~CalibrateDialog() override; // what was entered is there again when the dialog is opened anew
    void addTargets(const QStringList& pictures);

public slots:
    void accept() override;
    void find();
    void lookAmongTrials(); // those that show the target are listed, and set aside when the calibration is taken

private:
    QWidget* lengthTab();
    QWidget* targetTab();
    QWidget* checkTab();
    inspect::Target target() const;
    void showPicture();
    void showResult();
    void showCheck();
    void writePdf();
    base::Result<geometry::Calibration> candidate() const;
    void refreshConsequences();
    void compareTrials(const geometry::Calibration& with);

    Session& m_session;
    Background m_work;
    inspect::Calibrating m_result;
    void search(int plane);
    void dropTrialsWithoutTarget();
    void readEntries();
    void chooseRuler(int index);

    QStringList m_pictures;
    QSet<QString> m_fromTrials;
    double m_rulerPixels = 0, m_factorAtOpen = 0;
    QString m_ruler;
    bool m_compared = false;

    QTabWidget* m_tabs = nullptr;
    QDoubleSpinBox *m_factor = nullptr, *m_known = nullptr, *m_pitch = nullptr, *m_thickness = nullptr,
                   *m_distance = nullptr, *m_true = nullptr;
    QSpinBox *m_columns = nullptr, *m_rows = nullptr;
    QComboBox *m_kind = nullptr, *m_unit = nullptr, *m_plane = nullptr, *m_part = nullptr, *m_rulers = nullptr;
    QTableWidget* m_table = nullptr;
    TargetSheet* m_sheet = nullptr;
    QLabel *m_sentence = nullptr, *m_consequence = nullptr, *m_checked = nullptr, *m_error = nullptr;
    QCheckBox* m_convert = nullptr;
    QListWidget* m_changed = nullptr;
    QProgressBar* m_progress = nullptr;
    QPushButton *m_find = nullptr, *m_look = nullptr, *m_cancel = nullptr, *m_take = nullptr;
};

} // namespace desktop

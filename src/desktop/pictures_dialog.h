// pictures_dialog.h - what one capture consists of: its pictures under several lights by their files' names, and
// pictures that are joined from tiles, with the plan of where tiles lie and every seam to be looked at and corrected.
#pragma once
#include "desktop/latest_job.h"
#include "desktop/seam_view.h"
#include "desktop/session.h"

#include <QDialog>

class QCheckBox;
class QComboBox;
class QGroupBox;
class QLabel;
class QLineEdit;
class QPushButton;
class QSpinBox;
class QTableWidget;

namespace desktop
{

class PicturesDialog : public QDialog
{
    Q_OBJECT
public:
    explicit PicturesDialog(Session& session, QWidget* parent = nullptr);
    const image::Naming& naming() const { return m_naming; }
    bool settled() const { return !m_job.busy() && !m_timer.isActive(); }

public slots:
    void accept() override;

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    void makeTiles();
    void connectAll();
    void fillTable();
    void tableEdited(int row, int column);
    void addPicture();
    void dropPicture();
    void chooseRow();
    image::PictureName* chosen();
    void gridEdited(); // rows, columns, steps
    void findPlan();
    void rejoin();
    void showSeams();
    void chooseSeam(int seam);
    void nudge(double dx, double dy);
    void letGo();
    void say();
    std::vector<image::Image> tilesInView(const image::PictureName& name, QString& why) const;

    Session& m_session;
    image::Naming m_naming;
    QString m_picture;
    QTableWidget *m_table, *m_seams;
    QPushButton *m_drop, *m_find, *m_letGo, *m_ok;
    QGroupBox* m_tiles;
    QSpinBox *m_rows, *m_columns;
    QLineEdit *m_stepX, *m_stepY, *m_reach;
    QComboBox *m_by, *m_shows;
    QCheckBox* m_even;
    SeamMap* m_map;
    SeamCloseUp* m_close;
    QLabel *m_says, *m_joinedSays;
    JoinedShownPtr m_joined;
    int m_seam = -1;
    bool m_filling = false;
    QTimer m_timer;
    LatestJob m_job; // last: its thread ends first
};

} // namespace desktop

// height_dialog.h - what the steps of a height picture mean: mm a step, offset, mm a pixel or the pitch of a point cloud,
// the value that means no point; shown at once with what the picture in view then says.
#pragma once
#include "desktop/session.h"

#include <QDialog>

class QComboBox;
class QLabel;
class QLineEdit;
class QPushButton;

namespace desktop
{

class HeightDialog : public QDialog
{
    Q_OBJECT
public:
    // `picture`: one to try it on; empty: the trial in view.
    explicit HeightDialog(Session& session, const QString& picture = {}, QWidget* parent = nullptr);

public slots:
    void accept() override;

private:
    base::Result<image::Naming> edited() const;
    void choose(); // another picture of the capture, heights or light
    void tryIt();
    Session& m_session;
    QString m_picture;
    QComboBox *m_which, *m_holds;
    QLineEdit *m_step, *m_offset, *m_pixel, *m_missing;
    QLabel* m_says;
    QPushButton* m_ok;
};

} // namespace desktop

// target_sheet.h - a picture of the target with what was found in it.
#pragma once
#include "inspect/calibrating.h"

#include <QImage>
#include <QWidget>
#include <optional>

namespace desktop
{

// One picture of the target with every point found, its residual as an arrow, and the area the calibration was proved
// in.
class TargetSheet : public QWidget
{
    Q_OBJECT
public:
    explicit TargetSheet(QWidget* parent = nullptr);
    void show(const QImage& picture, const inspect::TargetPicture* found, const geometry::Calibration* calibration);
    double enlargement() const { return m_enlargement; }

protected:
    void paintEvent(QPaintEvent*) override;

private:
    QImage m_picture;
    std::optional<inspect::TargetPicture> m_found;
    std::vector<geometry::Point> m_covered;
    double m_enlargement = 0;
};

} // namespace desktop

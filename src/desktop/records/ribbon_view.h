// ribbon_view.h - the whole log by time: items grey, rejects from the baseline up, posts where batches begin, triangles
// where another recipe was released. A stroke takes a span.
#pragma once
#include "desktop/records/records_model.h"

#include <QWidget>

namespace desktop
{

class RibbonView : public QWidget
{
    Q_OBJECT
public:
    RibbonView(RecordsModel& model, QWidget* parent);
    // The span that stands in the sentence; none: nothing.
    std::optional<std::pair<std::int64_t, std::int64_t>> span() const;
    double xOf(std::int64_t at) const;

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override;
    void wheelEvent(QWheelEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    bool event(QEvent*) override;

private:
    std::int64_t timeAt(double x) const;
    QRectF bars() const;
    void take(std::int64_t from, std::int64_t to);
    const records::Ribbon::Mark* markAt(QPointF at, bool& batch) const;
    RecordsModel& m_model;
    std::optional<std::pair<std::int64_t, std::int64_t>> m_stroke;
    double m_pressed = -1;
    int m_handle = 0; // 1: the left one is held, 2: the right one
};

} // namespace desktop

// sheet_canvas.h - a picture that is fitted, zoomed and moved, drawn fast: what the sheets of Set up and Run stand on.
#pragma once
#include "geometry/geometry.h"

#include <QImage>
#include <QPixmap>
#include <QTransform>
#include <QWidget>

namespace desktop
{

class SheetCanvas : public QWidget
{
    Q_OBJECT
public:
    explicit SheetCanvas(QWidget* parent = nullptr);

    // Picture px to widget px; pixel centres are whole numbers in the picture.
    QTransform toScreen() const
    {
        QTransform t = QTransform::fromTranslate(m_offset.x(), m_offset.y());
        t.rotateRadians(-m_turn);
        return t.scale(m_zoom, m_zoom);
    }
    QPointF screenOf(geometry::Point p) const { return toScreen().map(QPointF(p.x + 0.5, p.y + 0.5)); }
    geometry::Point pictureOf(QPointF p) const
    {
        const QPointF q = toScreen().inverted().map(p);
        return {q.x() - 0.5, q.y() - 0.5};
    }
    double zoom() const { return m_zoom; }
    double turn() const { return m_turn; } // of the view, radians counter-clockwise; nothing measured depends on it

public slots:
    virtual void fitPicture();
    void zoomBy(double factor); // about the pointer, else the middle

protected:
    // Another picture; one of another size is fitted, one of the same size stays where the last one was looked at.
    void setPicture(QImage picture);
    void redrawPicture() { m_scaledFor = {}; }
    void paintPicture(QPainter& p, bool fast);
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override;
    void wheelEvent(QWheelEvent*) override;
    void resizeEvent(QResizeEvent*) override;

    QImage m_picture; // as shown at 1:1
    // Where the picture's corner comes to lie when it is turned about it and its middle stays in the window's.
    void centre(double zoom);
    double m_zoom = 1, m_turn = 0;
    QPointF m_offset; // widget px of the picture's corner
    bool m_fitted = true;
    int m_fitMode = 0; // 1: the whole picture
    QPointF m_pressed, m_pointer, m_panStart;

private:
    QImage m_half; // means of 2 × 2 pixels, from which small views are scaled in a quarter of the time
    QPixmap m_scaled;
    QSize m_scaledFor;
    bool m_scaledFast = false;
    bool m_panning = false;
};

} // namespace desktop

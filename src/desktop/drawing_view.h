// drawing_view.h - a drawing, shown to be looked at: outlines in ink, holes thinner, what closes with nothing in the
// colour of a fault; the element under the pointer is named.
#pragma once
#include "drawing/outline.h"

#include <QWidget>

namespace desktop
{

class DrawingView : public QWidget
{
    Q_OBJECT
public:
    explicit DrawingView(QWidget* parent = nullptr);
    // `points`: what it was traced from, mm, y down.
    void show(const drawing::Drawing& drawing, const std::vector<std::string>& layersOff,
              std::vector<geometry::Point> points = {});
    QSize sizeHint() const override { return {520, 360}; }
    int hovered() const { return m_hovered; } // number of the element, from 1; 0: none

signals:
    void clicked(int element);

protected:
    void paintEvent(QPaintEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void leaveEvent(QEvent*) override;

private:
    QPointF at(geometry::Point mm) const;
    geometry::Point mm(QPointF at) const;
    double scale() const;
    bool shown(const drawing::Element& e) const;
    drawing::Drawing m_drawing;
    drawing::Box m_box;
    std::vector<bool> m_off, m_open;
    std::vector<geometry::Point> m_points;
    int m_hovered = 0;
};

// "circle ⌀2.70 at 4.0, 22.0"
QString elementText(const drawing::Element& e);

} // namespace desktop

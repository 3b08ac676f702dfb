// pencil.h - how everything on the sheet is drawn: the light palette on a paper casing, in units of one screen px.
#pragma once
#include "geometry/geometry.h"
#include "report/theme.h"

#include <QPainter>
#include <QPainterPath>
#include <QTransform>
#include <cmath>

namespace report
{

// Marks look alike in both themes.
inline const Theme& ink() { return lightTheme(); }
// Pixel centres are whole, painters count from corners.
inline QPointF at(const QTransform& t, geometry::Point p) { return t.map(QPointF(p.x + 0.5, p.y + 0.5)); }

struct Pencil {
    QPainter& p;
    double unit;
    double casing = 1; // px on each side
    void stroke(const QPainterPath& path, const QColor& colour, double width, Qt::PenStyle style = Qt::SolidLine,
                const QList<qreal>& pattern = {}) const
    {
        p.setBrush(Qt::NoBrush);
        // Opaque: what lies under a mark must not take its contrast.
        p.strokePath(path, QPen(ink().paper, (width + 2 * casing) * unit, Qt::SolidLine, Qt::FlatCap));
        QPen pen(colour, width * unit, style, Qt::FlatCap);
        if (!pattern.isEmpty()) pen.setDashPattern(pattern);
        p.strokePath(path, pen);
    }
    void cross(QPointF c, double half, const QColor& colour, double width) const
    {
        QPainterPath path;
        path.moveTo(c - QPointF(half, half)), path.lineTo(c + QPointF(half, half));
        path.moveTo(c + QPointF(half, -half)), path.lineTo(c + QPointF(-half, half));
        stroke(path, colour, width);
    }
};

// A slender filled head at `tip`, pointing away from `back`.
inline void arrowHead(QPainterPath& path, QPointF tip, QPointF back, double unit)
{
    const QPointF d = back - tip;
    const double n = std::hypot(d.x(), d.y());
    if (n < 1e-9) return;
    const QPointF u = d / n, v(-u.y(), u.x());
    path.moveTo(tip), path.lineTo(tip + u * 9 * unit + v * 2.6 * unit),
        path.lineTo(tip + u * 9 * unit - v * 2.6 * unit), path.closeSubpath();
}

} // namespace report

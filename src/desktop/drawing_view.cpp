#include "desktop/drawing_view.h"

#include "report/theme.h"

#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QToolTip>
#include <algorithm>

namespace desktop
{
using drawing::Element;
using geometry::Point;
using report::theme;

QString elementText(const Element& e)
{
    const auto at = [](Point p) {
        const auto d = drawing::drawn(p);
        return QStringLiteral("%1, %2").arg(d.x, 0, 'f', 2).arg(d.y, 0, 'f', 2);
    };
    if (e.whole()) return QObject::tr("circle ⌀%1 at %2").arg(2 * e.radius, 0, 'f', 3).arg(at(e.centre));
    if (e.arc) return QObject::tr("arc R%1 at %2").arg(e.radius, 0, 'f', 3).arg(at(e.centre));
    return QObject::tr("line %1 long, from %2 to %3").arg(e.length(), 0, 'f', 3).arg(at(e.from), at(e.to));
}

DrawingView::DrawingView(QWidget* parent) : QWidget(parent)
{
    setMouseTracking(true);
    setMinimumSize(260, 200);
    setAccessibleName(tr("The drawing"));
}

void DrawingView::show(const drawing::Drawing& d, const std::vector<std::string>& layersOff, std::vector<Point> points)
{
    m_drawing = d;
    m_points = std::move(points);
    m_off.assign(d.layers.size(), false);
    for (std::size_t i = 0; i < d.layers.size(); ++i)
        m_off[i] = std::find(layersOff.begin(), layersOff.end(), d.layers[i].name) != layersOff.end();
    m_open.assign(d.elements.size(), false);
    if (const auto outline = drawing::Outline::make(d, {layersOff, 0.01}))
        for (const int k : outline->open()) m_open[std::size_t(k)] = true;
    std::vector<Element> all;
    for (const Element& e : d.elements)
        if (shown(e)) all.push_back(e);
    m_box = drawing::boxOf(all);
    m_hovered = 0;
    update();
}
bool DrawingView::shown(const Element& e) const
{
    return std::size_t(e.layer) >= m_off.size() || !m_off[std::size_t(e.layer)];
}
double DrawingView::scale() const
{
    if (m_box.empty) return 1;
    return std::min((width() - 40) / std::max(1e-9, m_box.width()), (height() - 40) / std::max(1e-9, m_box.height()));
}
QPointF DrawingView::at(Point p) const
{
    const double k = scale();
    const Point middle = drawing::sheet({(m_box.left + m_box.right) / 2, (m_box.bottom + m_box.top) / 2});
    return {width() / 2.0 + (p.x - middle.x) * k, height() / 2.0 + (p.y - middle.y) * k};
}
Point DrawingView::mm(QPointF q) const
{
    const double k = scale();
    const Point middle = drawing::sheet({(m_box.left + m_box.right) / 2, (m_box.bottom + m_box.top) / 2});
    return {middle.x + (q.x() - width() / 2.0) / k, middle.y + (q.y() - height() / 2.0) / k};
}

void DrawingView::paintEvent(QPaintEvent*)
{
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.fillRect(rect(), theme().raised);
    p.setPen(QPen(theme().hair, 1));
    p.drawRect(rect().adjusted(0, 0, -1, -1));
    if (m_box.empty) {
        p.setPen(theme().second);
        p.setFont(report::uiFont(13));
        p.drawText(rect().adjusted(20, 20, -20, -20), Qt::AlignCenter | Qt::TextWordWrap,
                   tr("No drawing yet\nDrop a DXF file here, or choose one"));
        return;
    }
    p.setPen(Qt::NoPen);
    p.setBrush(theme().datum);
    const std::size_t step = std::max<std::size_t>(1, m_points.size() / 6000);
    for (std::size_t i = 0; i < m_points.size(); i += step) p.drawEllipse(at(m_points[i]), 1, 1);
    p.setBrush(Qt::NoBrush);
    for (std::size_t i = 0; i < m_drawing.elements.size(); ++i) {
        const Element& e = m_drawing.elements[i];
        if (!shown(e)) continue;
        const bool hot = int(i) + 1 == m_hovered;
        p.setPen(m_open[i] ? QPen(theme().fail, 1.6, Qt::DashLine)
                           : QPen(hot ? theme().datum : theme().ink, hot ? 2.6 : 1.2));
        if (!e.arc) {
            p.drawLine(at(e.from), at(e.to));
            continue;
        }
        const double r = e.radius * scale();
        const QPointF c = at(e.centre);
        QPainterPath path;
        path.arcMoveTo(QRectF(c.x() - r, c.y() - r, 2 * r, 2 * r), geometry::degrees(e.start));
        path.arcTo(QRectF(c.x() - r, c.y() - r, 2 * r, 2 * r), geometry::degrees(e.start), geometry::degrees(e.sweep));
        p.drawPath(path);
    }
    // The origin, when it is in view.
    const QPointF o = at({0, 0});
    if (rect().contains(o.toPoint())) {
        p.setPen(QPen(theme().datum, 1.4));
        p.drawLine(o, o + QPointF(26, 0));
        p.drawLine(o, o - QPointF(0, 18));
    }
    if (m_hovered > 0) {
        p.setFont(report::uiFont(13));
        p.setPen(theme().ink);
        p.drawText(
            rect().adjusted(8, 0, -8, -4), Qt::AlignBottom | Qt::AlignLeft,
            QStringLiteral("%1: %2").arg(m_hovered).arg(elementText(m_drawing.elements[std::size_t(m_hovered - 1)])));
    }
}

void DrawingView::mouseMoveEvent(QMouseEvent* e)
{
    const Point p = mm(e->position());
    double best = 8 / scale();
    int hit = 0;
    for (std::size_t i = 0; i < m_drawing.elements.size(); ++i)
        if (const double d = shown(m_drawing.elements[i]) ? m_drawing.elements[i].distanceTo(p) : 1e300; d < best)
            best = d, hit = int(i) + 1;
    if (hit == m_hovered) return;
    m_hovered = hit;
    update();
}
void DrawingView::mousePressEvent(QMouseEvent*)
{
    if (m_hovered > 0) emit clicked(m_hovered);
}
void DrawingView::leaveEvent(QEvent*)
{
    m_hovered = 0;
    update();
}

} // namespace desktop

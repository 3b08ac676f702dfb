#include "desktop/target_sheet.h"

#include "report/sheet_painter.h"
#include "report/theme.h"

#include <QPainter>
#include <QPainterPath>
#include <algorithm>
#include <cmath>

namespace desktop
{
using geometry::Calibration;
using geometry::Point;

TargetSheet::TargetSheet(QWidget* parent) : QWidget(parent)
{
    setObjectName(QStringLiteral("targetSheet"));
    setAccessibleName(tr("Picture of the target with its points"));
    setMinimumSize(420, 320);
}

void TargetSheet::show(const QImage& picture, const inspect::TargetPicture* found, const Calibration* calibration)
{
    m_picture = picture;
    m_found.reset();
    m_covered.clear();
    m_enlargement = 0;
    if (found) m_found = *found;
    if (calibration && calibration->bends()) m_covered = calibration->lens().covered;
    if (m_found && m_found->fit && m_found->fit->max > 0) {
        // The longest arrow takes half the way to the next point.
        double least = 1e9;
        const auto& p = m_found->found->points;
        for (std::size_t i = 1; i < p.size(); ++i)
            if (p[i].row == p[i - 1].row && p[i].column == p[i - 1].column + 1)
                least = std::min(least, geometry::distance(p[i].at, p[i - 1].at));
        const double fits = 0.5 * least / m_found->fit->max,
                     ten = std::pow(10.0, std::floor(std::log10(std::max(1.0, fits))));
        m_enlargement = std::max(1.0, std::floor(fits / ten) * ten);
    }
    update();
}

void TargetSheet::paintEvent(QPaintEvent*)
{
    const report::Theme& th = report::theme();
    const report::Theme& light = report::lightTheme();
    QPainter p(this);
    p.fillRect(rect(), th.raised);
    p.setPen(th.rule);
    p.drawRect(rect().adjusted(0, 0, -1, -1));
    if (m_picture.isNull()) {
        p.setPen(th.second);
        p.setFont(report::uiFont(14));
        p.drawText(rect().adjusted(30, 30, -30, -30), Qt::AlignCenter | Qt::TextWordWrap,
                   tr("Pictures of a checkerboard or a dot grid go here.\nAdd some, say how many corners or dots it "
                      "has and their pitch,\nthen find "
                      "them. Tilted views and views "
                      "near the rim make the calibration better; the first one says where parts will lie."));
        return;
    }
    const QSizeF size = QSizeF(m_picture.size()).scaled(QSizeF(width() - 2, height() - 2), Qt::KeepAspectRatio);
    const QRectF where(QPointF((width() - size.width()) / 2, (height() - size.height()) / 2), size);
    p.setRenderHint(QPainter::SmoothPixmapTransform);
    p.drawImage(where, m_picture);
    const double k = size.width() / m_picture.width();
    const auto at = [&](Point q) { return where.topLeft() + QPointF((q.x + 0.5) * k, (q.y + 0.5) * k); };
    p.setRenderHint(QPainter::Antialiasing);
    const auto cased = [&](const QPainterPath& path, const QColor& c, double w, Qt::PenStyle style = Qt::SolidLine) {
        p.setBrush(Qt::NoBrush);
        p.setPen(QPen(light.paper, w + 2));
        p.drawPath(path);
        p.setPen(QPen(c, w, style));
        p.drawPath(path);
    };
    if (m_covered.size() > 2) {
        QPainterPath hull;
        for (std::size_t i = 0; i < m_covered.size(); ++i)
            i ? hull.lineTo(at(m_covered[i])) : hull.moveTo(at(m_covered[i]));
        hull.closeSubpath();
        cased(hull, light.datum, 1.4, Qt::DashLine);
    }
    if (!m_found || !m_found->found) return;
    QPainterPath points, arrows, dropped;
    const auto& all = m_found->found->points;
    for (std::size_t i = 0; i < all.size(); ++i) {
        const QPointF c = at(all[i].at);
        const bool used = !m_found->fit || m_found->fit->used[i];
        QPainterPath& to = used ? points : dropped;
        if (used) to.addEllipse(c, 2.6, 2.6);
        else
            to.moveTo(c - QPointF(4, 4)), to.lineTo(c + QPointF(4, 4)), to.moveTo(c + QPointF(-4, 4)),
                to.lineTo(c + QPointF(4, -4));
        if (!m_found->fit || !used) continue;
        const Point r = m_found->fit->residuals[i];
        const QPointF d = QPointF(r.x, r.y) * (m_enlargement * k), tip = c + d;
        arrows.moveTo(c), arrows.lineTo(tip);
        const double n = std::hypot(d.x(), d.y());
        if (n > 5) {
            const QPointF u = d / n, v(-u.y(), u.x());
            arrows.moveTo(tip), arrows.lineTo(tip - u * 4 + v * 2.4), arrows.moveTo(tip),
                arrows.lineTo(tip - u * 4 - v * 2.4);
        }
    }
    cased(arrows, light.fail, 1.2);
    cased(points, light.pass, 1.2);
    cased(dropped, light.fail, 1.6);
    // Axes of the target: x along the columns, y along the rows.
    const auto place = [&](int column, int row) -> std::optional<QPointF> {
        for (const auto& one : all)
            if (one.column == column && one.row == row) return at(one.at);
        return std::nullopt;
    };
    const auto& first = all.front();
    if (const auto o = place(first.column, first.row), x = place(first.column + 2, first.row),
        y = place(first.column, first.row + 2);
        o && x && y) {
        QPainterPath axes;
        axes.moveTo(*x), axes.lineTo(*o), axes.lineTo(*y);
        cased(axes, light.datum, 2);
        p.setFont(report::sheetFont(15));
        for (const auto& [c, name] : {std::pair{*x, QStringLiteral("x")}, {*y, QStringLiteral("y")}}) {
            const QRectF box(c.x() + 4, c.y() + 4, 15, 17);
            p.fillRect(box, light.paper);
            p.setPen(light.datum);
            p.drawText(box, Qt::AlignCenter, name);
        }
    }
    if (m_enlargement > 0) {
        const QString text =
            tr("arrows: residuals × %1, longest %2 px").arg(m_enlargement, 0, 'f', 0).arg(m_found->fit->max, 0, 'f', 3);
        p.setFont(report::uiFont(12));
        const QRectF box(where.left() + 8, where.bottom() - 28, p.fontMetrics().horizontalAdvance(text) + 14, 20);
        p.fillRect(box, light.paper);
        p.setPen(light.ink);
        p.drawText(box, Qt::AlignCenter, text);
    }
}

} // namespace desktop

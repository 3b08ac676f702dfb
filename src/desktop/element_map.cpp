#include "desktop/element_map.h"

#include "report/theme.h"

#include <QHelpEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>
#include <algorithm>
#include <cmath>

namespace desktop
{
using inspect::Verdict;

ElementMap::ElementMap(QWidget* parent) : QWidget(parent)
{
    setObjectName(QStringLiteral("elementMap"));
    setAccessibleName(tr("Elements in their places"));
    setFixedHeight(36);
    setMouseTracking(true);
}

void ElementMap::setSpots(std::vector<Spot> spots, int chosen)
{
    m_spots = std::move(spots), m_chosen = chosen;
    // A row of places needs a line, several rows more.
    double left = 1e300, right = -1e300, top = 1e300, bottom = -1e300;
    for (const Spot& s : m_spots)
        left = std::min(left, s.at.x()), right = std::max(right, s.at.x()), top = std::min(top, s.at.y()),
        bottom = std::max(bottom, s.at.y());
    const double share = m_spots.empty() || right - left < 1e-9 ? 0 : (bottom - top) / (right - left);
    setFixedHeight(int(std::clamp(36 + share * 320, 36.0, 92.0)));
    update();
}

QRectF ElementMap::boxOf(int spot) const
{
    if (spot < 0 || spot >= int(m_spots.size())) return {};
    QRectF all;
    for (const Spot& s : m_spots) {
        const QRectF one(s.at, QSizeF(1e-9, 1e-9));
        all = all.isNull() ? one : all.united(one);
    }
    // As large as the least distance allows, one scale for both ways.
    const QRectF room = QRectF(rect()).adjusted(24, 14, -24, -14);
    const double scale = std::min(all.width() > 0 ? room.width() / all.width() : 1e300,
                                  all.height() > 0 ? room.height() / all.height() : 1e300);
    const double k = scale < 1e200 ? scale : 1;
    double least = 1e300;
    for (std::size_t i = 0; i < m_spots.size(); ++i)
        for (std::size_t j = i + 1; j < m_spots.size(); ++j) {
            const QPointF d = (m_spots[i].at - m_spots[j].at) * k;
            least = std::min(least, std::max(std::abs(d.x()), std::abs(d.y())));
        }
    const double size = std::clamp(least - 2, 4.0, 22.0);
    const QPointF c = room.center() + (m_spots[std::size_t(spot)].at - all.center()) * k;
    return {c.x() - size / 2, c.y() - size / 2, size, size};
}

void ElementMap::paintEvent(QPaintEvent*)
{
    QPainter p(this);
    const report::Theme& th = report::theme();
    p.setFont(report::uiFont(12));
    for (int i = 0; i < int(m_spots.size()); ++i) {
        const Spot& s = m_spots[std::size_t(i)];
        const QRectF box = boxOf(i);
        p.setRenderHint(QPainter::Antialiasing, false);
        // The verdict codes of the grid's cells; a missing one is dashed as well.
        if (s.verdict == Verdict::Fail && !s.missing) {
            p.fillRect(box, th.fail);
            if (box.width() >= 12) report::drawCross(p, box.adjusted(4, 4, -4, -4), th.paper, 2);
        } else if (s.missing) {
            p.fillRect(box, th.paper);
            if (box.width() >= 8) report::drawCross(p, box.adjusted(2, 2, -2, -2), th.fail, 1.6);
        } else if (s.verdict == Verdict::NotMeasured) {
            report::hatch(p, box, th.notMeasured, 4);
        } else if (s.verdict == Verdict::Pass) {
            p.fillRect(box, th.passGround);
        }
        p.setPen(QPen(s.missing                        ? th.fail
                      : s.verdict == Verdict::Unjudged ? th.ink
                                                       : th.of(s.verdict),
                      i == m_chosen ? 2 : 1, s.missing ? Qt::DashLine : Qt::SolidLine));
        p.setBrush(Qt::NoBrush);
        p.drawRect(box);
        if (i == m_chosen) {
            p.setPen(QPen(th.datum, 2));
            p.drawRect(box.adjusted(-3, -3, 3, 3));
        }
        if (s.verdict == Verdict::Fail || s.missing) continue;
        const QString number = s.surplus ? QStringLiteral("+") : QString::number(i + 1);
        if (p.fontMetrics().horizontalAdvance(number) + 2 > box.width()) continue;
        p.setPen(th.ink);
        p.drawText(box, Qt::AlignCenter, number);
    }
}

int ElementMap::spotAt(QPointF at) const
{
    for (int i = 0; i < int(m_spots.size()); ++i)
        if (boxOf(i).adjusted(-2, -2, 2, 2).contains(at)) return i;
    return -1;
}

void ElementMap::mousePressEvent(QMouseEvent* e)
{
    if (const int i = spotAt(e->position()); i >= 0) emit clicked(i);
}

bool ElementMap::event(QEvent* e)
{
    if (e->type() == QEvent::ToolTip) {
        const auto* help = static_cast<QHelpEvent*>(e);
        if (const int i = spotAt(help->pos()); i >= 0)
            QToolTip::showText(help->globalPos(), m_spots[std::size_t(i)].tip, this);
        else QToolTip::hideText();
        return true;
    }
    return QWidget::event(e);
}

} // namespace desktop

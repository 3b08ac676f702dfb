#include "desktop/proof/flip_view.h"

#include "report/theme.h"

#include <QPainter>
#include <cmath>

namespace desktop
{

FlipView::FlipView(QWidget* parent) : QWidget(parent)
{
    setObjectName(QStringLiteral("flipView"));
    setAccessibleName(tr("The picture as it turns"));
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
}

void FlipView::show(std::shared_ptr<const Flip> flip, const QString& hint)
{
    m_flip = std::move(flip), m_hint = hint;
    update();
}

void FlipView::paintEvent(QPaintEvent*)
{
    const report::Theme& th = report::theme();
    QPainter p(this);
    p.fillRect(rect(), th.paper);
    p.setRenderHint(QPainter::Antialiasing);
    if (!m_flip) {
        p.setFont(report::uiFont(13)), p.setPen(th.second);
        p.drawText(rect().adjusted(16, 0, -16, 0), Qt::AlignCenter | Qt::TextWordWrap, m_hint);
        return;
    }
    const Flip& f = *m_flip;
    p.setFont(report::uiFont(13, true)), p.setPen(th.ink);
    p.drawText(QRect(10, 4, width() - 20, 22), Qt::AlignVCenter,
               p.fontMetrics().elidedText(f.title, Qt::ElideRight, width() - 20));
    const double half = (width() - 28) / 2.0, high = std::min(half * 0.62, height() * 0.38);
    int side = 0;
    for (const auto& [image, text] : {std::pair{&f.before, f.taken}, {&f.after, f.turned}}) {
        const QRectF box(10 + side * (half + 8), 30, half, high);
        p.fillRect(box, th.raised);
        if (!image->isNull()) p.drawImage(box, *image, QRectF(image->rect()));
        p.setBrush(Qt::NoBrush);
        p.setPen(QPen(side == 1 && f.turns ? th.fail : th.pass, 2));
        p.drawRect(box);
        p.setFont(report::uiFont(12));
        const QRectF plate(box.left() + 1, box.bottom() - 21, p.fontMetrics().horizontalAdvance(text) + 12, 20);
        p.setPen(Qt::NoPen), p.setBrush(th.paper);
        p.drawRect(plate);
        p.setPen(side == 1 && f.turns ? th.fail : th.ink);
        p.drawText(plate, Qt::AlignCenter, text);
        ++side;
    }
    // The value as the change grows.
    const auto& r = f.response;
    const QRectF plot(58, 30 + high + 22, width() - 76, height() - (30 + high + 22) - 26);
    if (plot.height() < 40 || r.levels.size() < 2) return;
    double low = 1e300, top = -1e300;
    for (const double v : r.values)
        if (std::isfinite(v)) low = std::min(low, v), top = std::max(top, v);
    if (!(top >= low)) {
        p.setPen(th.second), p.setFont(report::uiFont(12));
        p.drawText(plot, Qt::AlignCenter | Qt::TextWordWrap, tr("it has no value to draw: it is found, or it is not"));
        return;
    }
    // Limits are shown where they are near.
    const double span = std::max(top - low, 1e-9);
    for (const auto& limit : {r.low, r.high})
        if (limit && *limit > low - 2 * span && *limit < top + 2 * span)
            low = std::min(low, *limit), top = std::max(top, *limit);
    const double room = 0.12 * std::max(top - low, 1e-9);
    low -= room, top += room;
    const double most = r.levels.back();
    const auto x = [&](double level) { return plot.left() + plot.width() * level / most; };
    const auto y = [&](double v) { return plot.bottom() - plot.height() * (v - low) / (top - low); };
    p.setPen(Qt::NoPen), p.setBrush(th.raised);
    p.drawRect(plot);
    const double passTop = r.high ? std::max(plot.top(), y(*r.high)) : plot.top(),
                 passLow = r.low ? std::min(plot.bottom(), y(*r.low)) : plot.bottom();
    if (passLow > passTop) p.fillRect(QRectF(plot.left(), passTop, plot.width(), passLow - passTop), th.passGround);
    p.setFont(report::uiFont(12));
    for (const auto& limit : {r.low, r.high})
        if (limit && y(*limit) >= plot.top() - 1 && y(*limit) <= plot.bottom() + 1) {
            p.setPen(QPen(th.pass, 1.6));
            p.drawLine(QPointF(plot.left(), y(*limit)), QPointF(plot.right(), y(*limit)));
            p.drawText(QRectF(0, y(*limit) - 9, plot.left() - 6, 18), Qt::AlignRight | Qt::AlignVCenter,
                       QString::number(*limit, 'g', 5));
        }
    p.setPen(QPen(th.ink, 1.8));
    p.drawLine(QPointF(x(f.expected), plot.top()), QPointF(x(f.expected), plot.bottom()));
    p.setPen(th.second);
    p.drawText(QRectF(x(f.expected) - 60, plot.top() - 17, 120, 16), Qt::AlignHCenter, tr("expected"));
    p.drawText(QRectF(plot.left() - 4, plot.bottom() + 3, 60, 18), Qt::AlignLeft, QStringLiteral("0"));
    p.drawText(QRectF(plot.right() - 100, plot.bottom() + 3, 104, 18), Qt::AlignRight,
               QString::number(most, 'g', 3) + QLatin1Char(' ') + f.unit);
    p.drawText(QRectF(0, plot.top() - 18, plot.left() + 40, 16), Qt::AlignLeft, f.valueUnit);
    QPolygonF line;
    p.setPen(QPen(th.ink, 1.5)), p.setBrush(Qt::NoBrush);
    const auto draw = [&] {
        if (line.size() > 1) p.drawPolyline(line);
        line.clear();
    };
    for (std::size_t i = 0; i < r.levels.size(); ++i)
        if (std::isfinite(r.values[i])) line << QPointF(x(r.levels[i]), y(r.values[i]));
        else draw();
    draw();
    for (std::size_t i = 0; i < r.levels.size(); ++i) {
        if (!std::isfinite(r.values[i])) {
            report::hatch(p, QRectF(x(r.levels[i]) - 4, plot.bottom() - 12, 8, 10), th.notMeasured, 3);
            continue;
        }
        const bool out = (r.low && r.values[i] < *r.low) || (r.high && r.values[i] > *r.high);
        p.setPen(QPen(out ? th.fail : th.ink, 1.3)), p.setBrush(th.paper);
        p.drawEllipse(QPointF(x(r.levels[i]), y(r.values[i])), 3, 3);
    }
    if (f.turns) {
        p.setPen(QPen(th.fail, 1, Qt::DashLine));
        p.drawLine(QPointF(x(f.level), plot.top()), QPointF(x(f.level), plot.bottom()));
    }
}

} // namespace desktop

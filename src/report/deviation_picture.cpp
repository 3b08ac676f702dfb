#include "report/deviation_picture.h"

#include "report/pencil.h"
#include "report/theme.h"

#include <QFontMetricsF>
#include <algorithm>
#include <cmath>

namespace report
{
using geometry::Point;
using recipe::Mark;
using recipe::MarkShape;

namespace
{
constexpr double kLongest = 70; // screen px, of a tooth
// px of the picture a mm is, from the longest tooth.
double pxPerMm(const Mark& m)
{
    double best = 0, px = 0;
    for (std::size_t i = 0; i < m.offsets.size(); ++i)
        if (std::abs(m.offsets[i]) > best) {
            best = std::abs(m.offsets[i]);
            px = geometry::distance(m.points[2 * i], m.points[2 * i + 1]);
        }
    return best > 0 ? px / best : 0;
}
} // namespace

QColor deviationColour(double share)
{
    const QColor less(0x8A, 0x2A, 0x7A), none(0xD8, 0xD3, 0xC8), more(0x4F, 0x5A, 0x10);
    const double k = std::min(1.0, std::abs(share) / 2);
    const QColor& end = share < 0 ? less : more;
    const auto mix = [&](int a, int b) { return int(std::lround(a + (b - a) * k)); };
    return QColor(mix(none.red(), end.red()), mix(none.green(), end.green()), mix(none.blue(), end.blue()));
}

std::optional<DeviationView> deviationView(const inspect::ItemResult& item, const std::string& step,
                                           const QTransform& t, double unit)
{
    const Mark* found = nullptr;
    double px = 0;
    for (const bool own : {true, false})
        for (const auto& r : item.steps) {
            if (found || (own && r->step != step)) continue;
            for (const Mark& m : r->marks)
                if (m.shape == MarkShape::Deviation && m.offsets.size() > 1) {
                    if (!found) found = &m;
                    px = std::max(px, pxPerMm(m));
                }
        }
    if (!found) return std::nullopt;
    DeviationView v;
    v.tolerance = found->tolerance;
    const double tooth = std::max(1e-9, v.tolerance * px * std::hypot(t.m11(), t.m12()) / unit);
    while (v.times < 128 && tooth * v.times * 2 <= 14) v.times *= 2;
    return v;
}

void paintDeviation(QPainter& p, const Mark& m, const QTransform& t, double unit, int times)
{
    const std::size_t n = m.offsets.size();
    if (n < 2 || m.points.size() < 2 * n) return;
    p.save();
    p.setRenderHint(QPainter::Antialiasing);
    std::vector<QPointF> foot(n), tip(n);
    for (std::size_t i = 0; i < n; ++i) {
        foot[i] = at(t, m.points[2 * i]);
        QPointF d = (at(t, m.points[2 * i + 1]) - foot[i]) * times;
        const double length = std::hypot(d.x(), d.y());
        if (length > kLongest * unit) d *= kLongest * unit / length;
        tip[i] = foot[i] + d;
    }
    // Teeth as one filled band, piece by piece in its colour; points closer than half a px are one.
    const double tolerance = std::max(m.tolerance, 1e-9);
    std::vector<std::size_t> seen{0};
    for (std::size_t i = 1; i < n; ++i) {
        const QPointF d = foot[i] - foot[seen.back()], e = tip[i] - tip[seen.back()];
        if (i + 1 == n || std::max({std::abs(d.x()), std::abs(d.y()), std::abs(e.x()), std::abs(e.y())}) >= 0.8 * unit)
            seen.push_back(i);
    }
    QPainterPath drawn, contour;
    drawn.moveTo(foot[0]);
    contour.moveTo(tip[0]);
    for (std::size_t k = 1; k < seen.size(); ++k) {
        const std::size_t a = seen[k - 1], b = seen[k];
        const QColor colour = deviationColour((m.offsets[a] + m.offsets[b]) / 2 / tolerance);
        QPolygonF piece;
        piece << foot[a] << foot[b] << tip[b] << tip[a];
        p.setPen(QPen(colour, 0.4 * unit));
        p.setBrush(colour);
        p.drawPolygon(piece);
        drawn.lineTo(foot[b]);
        contour.lineTo(tip[b]);
    }
    const Pencil pencil{p, unit};
    pencil.stroke(drawn, theme().ink, 1);
    const Pencil thin{p, unit, 0.6};
    thin.stroke(contour, theme().ink, 0.9);
    // Beyond the tolerance: a double line inside of the part, along the stretch.
    for (std::size_t k = 0; k < seen.size();) {
        if (std::abs(m.offsets[seen[k]]) <= m.tolerance) {
            ++k;
            continue;
        }
        std::size_t last = k;
        while (last + 1 < seen.size() && std::abs(m.offsets[seen[last + 1]]) > m.tolerance) ++last;
        const std::size_t before = k > 0 ? k - 1 : k, after = last + 1 < seen.size() ? last + 1 : last;
        for (const double depth : {6.0, 9.5}) {
            QPainterPath path;
            bool begun = false;
            for (std::size_t i = before; i <= after; ++i) {
                const std::size_t j = seen[i];
                QPointF out = tip[j] - foot[j];
                const double length = std::hypot(out.x(), out.y());
                if (length < 1e-6) continue;
                out *= (m.offsets[j] >= 0 ? 1 : -1) / length;
                const QPointF q = foot[j] - out * depth * unit;
                if (begun) path.lineTo(q);
                else path.moveTo(q);
                begun = true;
            }
            if (begun) pencil.stroke(path, theme().fail, 1.6);
        }
        k = last + 1;
    }
    p.restore();
}

void paintWorst(QPainter& p, const inspect::StepResult& step, const QTransform& t, const QRectF& area, double unit)
{
    const auto* worst = step.output("worst");
    const auto places = step.elementPlaces();
    if (!worst || places.size() != worst->values.size()) return;
    QPointF middle;
    std::size_t count = 0;
    for (const Mark& m : step.marks)
        if (m.shape == MarkShape::Deviation)
            for (std::size_t i = 0; i < m.offsets.size(); i += 16, ++count) middle += at(t, m.points[2 * i]);
    if (count) middle /= double(count);
    p.save();
    p.setRenderHint(QPainter::Antialiasing);
    p.setFont(sheetFont(14 * unit));
    const QFontMetricsF metrics(p.font());
    std::vector<QRectF> taken;
    for (std::size_t i = 0; i < places.size() && i < 3; ++i) {
        const QPointF q = at(t, places[i]);
        const double v = worst->values[i];
        const QString text = QStringLiteral("worst %1 %2%3")
                                 .arg(i + 1)
                                 .arg(v < 0 ? QStringLiteral("−") : QStringLiteral("+"))
                                 .arg(std::abs(v), 0, 'f', 2);
        const double wide = metrics.horizontalAdvance(text) + 30 * unit, high = 20 * unit;
        // Outward, and on where others stand.
        QPointF way = q - middle;
        const double length = std::hypot(way.x(), way.y());
        way = length > 1 ? way / length : QPointF(0, -1);
        QRectF box;
        for (int tries = 0; tries < 12; ++tries) {
            const double far = (44 + 16 * tries) * unit;
            const QPointF c = q + way * far + QPointF((tries % 3 - 1) * 0.3 * wide, 0);
            box = QRectF(c.x() - wide / 2, c.y() - high / 2, wide, high);
            box.moveLeft(std::clamp(box.left(), area.left() + 4 * unit,
                                    std::max(area.left() + 4 * unit, area.right() - wide - 4 * unit)));
            box.moveTop(std::clamp(box.top(), area.top() + 4 * unit,
                                   std::max(area.top() + 4 * unit, area.bottom() - high - 4 * unit)));
            if (!box.contains(q) && std::none_of(taken.begin(), taken.end(), [&](const QRectF& r) {
                    return r.intersects(box.adjusted(-4 * unit, -4 * unit, 4 * unit, 4 * unit));
                }))
                break;
        }
        taken.push_back(box);
        QPainterPath leader;
        const QPointF from(std::clamp(q.x(), box.left(), box.right()), std::clamp(q.y(), box.top(), box.bottom()));
        leader.moveTo(from);
        leader.lineTo(q);
        const Pencil pencil{p, unit};
        pencil.stroke(leader, theme().fail, 1.2);
        p.setPen(QPen(theme().fail, 1.6 * unit));
        p.setBrush(theme().paper);
        p.drawRect(box);
        p.setPen(theme().fail);
        p.drawText(box.adjusted(7 * unit, 0, -22 * unit, 0), Qt::AlignVCenter | Qt::AlignLeft, text);
        drawCross(p, QRectF(box.right() - 18 * unit, box.top() + 4 * unit, 12 * unit, 12 * unit), theme().fail,
                  2 * unit);
    }
    p.restore();
}

} // namespace report

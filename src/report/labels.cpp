#include "report/labels.h"

#include "report/step_symbols.h"

#include <QFontMetricsF>
#include <algorithm>
#include <cmath>

namespace report
{
using geometry::Point;
using inspect::Verdict;

namespace
{
constexpr double kBoxed = 24; // width of a tolerance frame's box for a sign
double datumWidth(const LabelItem& l, double unit)
{
    return l.datum.isEmpty()
               ? 0
               : std::max(kBoxed * unit, QFontMetricsF(sheetFont(15 * unit)).horizontalAdvance(l.datum) + 12 * unit);
}
bool hasSign(const LabelItem& l) { return l.check->verdict == Verdict::Pass || l.check->verdict == Verdict::Fail; }
} // namespace

QSizeF plateSize(const LabelItem& l, double unit)
{
    if (l.bare) return {22 * unit, 22 * unit};
    const QFontMetricsF f(sheetFont(15 * unit));
    double wide = f.horizontalAdvance(l.text) + (l.number.isEmpty() ? 12 : 34) * unit + (hasSign(l) ? 16 * unit : 0);
    if (l.frame) wide += kBoxed * unit + datumWidth(l, unit) + 4 * unit;
    return {wide, 22 * unit};
}

void paintPlate(QPainter& p, const LabelItem& l, QRectF box, double unit)
{
    if (l.bare) {
        const bool fails = l.check->verdict == Verdict::Fail;
        return paintBalloon(p, box.center(), 10 * unit, l.number, fails ? ink().paper : l.colour,
                            fails ? l.colour : ink().paper);
    }
    const QPen border(l.colour, (l.check->verdict == Verdict::Fail ? 2 : 1) * unit,
                      l.check->verdict == Verdict::NotMeasured ? Qt::DashLine : Qt::SolidLine);
    p.setPen(border);
    p.setBrush(ink().paper);
    p.drawRect(box);
    double x = box.left() + 6 * unit;
    if (!l.number.isEmpty()) {
        paintBalloon(p, {box.left() + 14 * unit, box.center().y()}, 8.5 * unit, l.number, l.colour, ink().paper);
        x = box.left() + 28 * unit;
    }
    const auto divide = [&](double at) {
        p.setPen(border);
        p.drawLine(QPointF(at, box.top()), QPointF(at, box.bottom()));
    };
    if (l.frame) { // tolerance frame: what is toleranced, by how much, against which datum
        divide(x);
        drawKindSymbol(p, *l.frame, QRectF(x + 4 * unit, box.center().y() - 7.5 * unit, 15 * unit, 15 * unit),
                       l.colour);
        x += kBoxed * unit;
        divide(x);
        x += 4 * unit;
    }
    p.setFont(sheetFont(15 * unit));
    p.setPen(l.colour);
    p.drawText(QRectF(x, box.top(), box.right() - x, box.height()), Qt::AlignVCenter | Qt::AlignLeft, l.text);
    if (!l.datum.isEmpty()) {
        x += QFontMetricsF(sheetFont(15 * unit)).horizontalAdvance(l.text) + 4 * unit;
        divide(x);
        const double wide = datumWidth(l, unit);
        p.setPen(l.colour);
        p.drawText(QRectF(x, box.top(), wide, box.height()), Qt::AlignCenter, l.datum);
        divide(x + wide);
    }
    // The verdict's sign: colour alone tells nothing to some.
    const QRectF sign(box.right() - 17 * unit, box.center().y() - 5.5 * unit, 11 * unit, 11 * unit);
    if (l.check->verdict == Verdict::Pass) drawTick(p, sign, l.colour, 1.5 * unit);
    else if (l.check->verdict == Verdict::Fail) drawCross(p, sign, l.colour, 1.8 * unit);
}

QLineF leaderOf(const LabelItem& l, const QRectF& box)
{
    if (l.how == LabelItem::How::Free) return {box.center(), box.center()};
    QPointF end = l.anchor;
    if (l.how == LabelItem::How::Round) { // pointed at the centre, as far as the circle; of an arc where it was seen
        const QPointF d = box.center() - l.centre;
        double angle = std::atan2(d.y(), d.x());
        if (l.sweep < 2 * geometry::kPi - 1e-6) {
            const double middle = l.start + l.sweep / 2;
            angle = middle + std::clamp(geometry::wrapped(angle - middle), -0.4 * l.sweep, 0.4 * l.sweep);
        }
        end = l.centre + QPointF(std::cos(angle), std::sin(angle)) * l.radius;
    }
    return {QPointF(std::clamp(end.x(), box.left(), box.right()), std::clamp(end.y(), box.top(), box.bottom())), end};
}

void paintLeader(const Pencil& pencil, const LabelItem& l, const QRectF& box)
{
    if (l.how == LabelItem::How::Free) return;
    const QLineF line = leaderOf(l, box);
    QPainterPath leader;
    leader.moveTo(line.p1()), leader.lineTo(line.p2());
    pencil.stroke(leader, l.colour, 1);
    if (l.how == LabelItem::How::Round) {
        QPainterPath tip;
        arrowHead(tip, line.p2(), line.p1(), pencil.unit);
        pencil.p.fillPath(tip, l.colour);
    } else if (l.how != LabelItem::How::Angle) {
        pencil.p.setBrush(l.colour);
        pencil.p.setPen(Qt::NoPen);
        pencil.p.drawEllipse(l.anchor, 2.4 * pencil.unit, 2.4 * pencil.unit);
    }
}

void paintAngle(const Pencil& pencil, const LabelItem& l)
{
    const auto angleTo = [&](QPointF q) { return std::atan2(q.y() - l.centre.y(), q.x() - l.centre.x()); };
    const double from = angleTo(l.arc[0]), half = geometry::wrapped(angleTo(l.arc[1]) - from);
    const auto on = [&](double share, double radius) {
        const double a = from + 2 * half * share;
        return l.centre + QPointF(std::cos(a), std::sin(a)) * radius;
    };
    QPainterPath legs;
    for (const double share : {0.0, 1.0}) legs.moveTo(l.centre), legs.lineTo(on(share, l.radius + 7 * pencil.unit));
    pencil.stroke(legs, l.colour, 1);
    QPainterPath arc;
    arc.moveTo(on(0, l.radius));
    for (int i = 1; i <= 40; ++i) arc.lineTo(on(i / 40.0, l.radius));
    pencil.stroke(arc, l.colour, l.check->verdict == Verdict::Fail ? 2.5 : 1.2);
    // Heads lie along the arc; on a short one they would meet.
    if (std::abs(2 * half) * l.radius < 24 * pencil.unit) return;
    const double back = 9 * pencil.unit / (std::abs(2 * half) * l.radius);
    QPainterPath heads;
    arrowHead(heads, on(0, l.radius), on(back, l.radius), pencil.unit);
    arrowHead(heads, on(1, l.radius), on(1 - back, l.radius), pencil.unit);
    pencil.p.fillPath(heads, l.colour);
}

PlacedLabel paintDimension(const Pencil& pencil, const LabelItem& l, Lanes& lanes, const QTransform& t,
                           const QRectF& area, const std::vector<PlacedLabel>& taken,
                           std::vector<std::function<void()>>& plates)
{
    QPainter& p = pencil.p;
    const double unit = pencil.unit;
    Point a = l.from, b = l.to;
    const double scale = std::hypot(t.m11(), t.m12());
    if (lanes.has) {
        const Point la = lanes.frame.toLocal(a), lb = lanes.frame.toLocal(b);
        const bool alongX = std::abs(lb.y - la.y) < 0.15 * std::abs(lb.x - la.x),
                   alongY = std::abs(lb.x - la.x) < 0.15 * std::abs(lb.y - la.y);
        if (alongX || alongY) {
            const double middle = alongX ? (la.y + lb.y) / 2 : (la.x + lb.x) / 2;
            const double low = alongX ? lanes.top : lanes.left, high = alongX ? lanes.bottom : lanes.right;
            // The nearer side first, then the other, up to three lanes; the plate must be seen.
            const bool nearHigh = middle - low > high - middle;
            for (const bool high_ : {nearHigh, !nearHigh}) {
                const std::size_t side = (alongX ? 0u : 2u) + (high_ ? 1u : 0u);
                if (lanes.used[side] >= 3) continue;
                const double off = (32 + 26 * lanes.used[side]) * unit / scale;
                const double lane = high_ ? high + off : low - off;
                const Point na = alongX ? Point{la.x, lane} : Point{lane, la.y},
                            nb = alongX ? Point{lb.x, lane} : Point{lane, lb.y};
                const Point pa = lanes.frame.toPicture(na), pb = lanes.frame.toPicture(nb);
                if (!area.adjusted(24 * unit, 16 * unit, -24 * unit, -16 * unit).contains((at(t, pa) + at(t, pb)) / 2))
                    continue;
                ++lanes.used[side];
                const double over = (high_ ? 6 : -6) * unit / scale;
                QPainterPath ext;
                for (const auto& [foot, end] : {std::pair{a, na}, std::pair{b, nb}}) {
                    ext.moveTo(at(t, foot));
                    ext.lineTo(
                        at(t, lanes.frame.toPicture(alongX ? Point{end.x, end.y + over} : Point{end.x + over, end.y})));
                }
                pencil.stroke(ext, l.colour, 1);
                a = pa, b = pb;
                break;
            }
        }
    }
    const QPointF sa = at(t, a), sb = at(t, b);
    QPainterPath line;
    line.moveTo(sa), line.lineTo(sb);
    pencil.stroke(line, l.colour, l.check->verdict == Verdict::Fail ? 2.5 : 1.2);
    QPainterPath heads;
    arrowHead(heads, sa, sb, unit), arrowHead(heads, sb, sa, unit);
    p.fillPath(heads, l.colour);
    // The plate lies on the line, readable from below or from the right; where the line is too short it stands beyond
    // an end.
    double angle = std::atan2(sb.y() - sa.y(), sb.x() - sa.x()) * 180 / geometry::kPi;
    // Read from below, steep ones from the right (ISO 129-1).
    if (angle > 80) angle -= 180;
    if (angle <= -100) angle += 180;
    const QSizeF size = plateSize(l, unit);
    const double long_ = std::hypot(sb.x() - sa.x(), sb.y() - sa.y());
    const QPointF along = long_ > 0 ? (sb - sa) / long_ : QPointF(1, 0);
    struct Place {
        QPointF at;
        double turn;
    };
    std::vector<Place> places;
    if (long_ > size.width() + 24 * unit)
        for (const double t01 : {0.5, 0.35, 0.65, 0.25, 0.75}) places.push_back({sa + (sb - sa) * t01, angle});
    for (const double step : {0.0, 1.0, 2.0, 3.0, 4.0})
        for (const double aside : {0.0, 1.0, -1.0})
            for (const int end : {1, -1}) {
                const QPointF tip = end > 0 ? sb : sa,
                              away = along * (end * (std::abs(along.x()) * size.width() / 2 +
                                                     std::abs(along.y()) * size.height() / 2 + (6 + 26 * step) * unit));
                places.push_back({tip + away + QPointF(-along.y(), along.x()) * (aside * size.width() * 0.6), 0});
            }
    const auto boxOf = [&](const Place& q) {
        QTransform turn;
        turn.translate(q.at.x(), q.at.y());
        turn.rotate(q.turn);
        return turn.mapRect(QRectF(-size.width() / 2, -size.height() / 2, size.width(), size.height()));
    };
    Place chosen = places.front();
    if (l.own) chosen = {*l.own, l.ownTurn}, places.clear();
    for (const Place& q : places) {
        const QRectF box = boxOf(q);
        if (area.contains(box) && std::none_of(taken.begin(), taken.end(),
                                               [&](const PlacedLabel& other) { return other.box.intersects(box); })) {
            chosen = q;
            break;
        }
    }
    // Never on top of another: when all usual places are taken, the nearest free one on rings about the line.
    const auto free = [&](const Place& q) {
        const QRectF box = boxOf(q);
        return area.contains(box) && std::none_of(taken.begin(), taken.end(),
                                                  [&](const PlacedLabel& other) { return other.box.intersects(box); });
    };
    if (!l.own && !free(chosen)) {
        const QPointF middle = (sa + sb) / 2;
        bool found = false;
        for (double ring = 40 * unit; ring < std::max(area.width(), area.height()) && !found; ring += 24 * unit)
            for (int k = 0; k < 24 && !found; ++k) {
                const Place q{
                    middle + QPointF(std::cos(k * geometry::kPi / 12), std::sin(k * geometry::kPi / 12)) * ring, 0};
                if (free(q)) chosen = q, found = true;
            }
    }
    if (chosen.turn == 0 && ((l.own && !l.kept) || long_ <= size.width() + 24 * unit ||
                             std::hypot((chosen.at - (sa + sb) / 2).x(), (chosen.at - (sa + sb) / 2).y()) > long_)) {
        QPainterPath leader;
        leader.moveTo(std::hypot((chosen.at - sa).x(), (chosen.at - sa).y()) <
                              std::hypot((chosen.at - sb).x(), (chosen.at - sb).y())
                          ? sa
                          : sb);
        leader.lineTo(chosen.at);
        pencil.stroke(leader, l.colour, 1);
    }
    // The plate comes last of all: no leader crosses its text.
    plates.push_back([&p, &l, chosen, size, unit] {
        p.save();
        p.translate(chosen.at);
        p.rotate(chosen.turn);
        paintPlate(p, l, QRectF(-size.width() / 2, -size.height() / 2, size.width(), size.height()), unit);
        p.restore();
    });
    return {l.check->step, l.check->output, boxOf(chosen), {}, chosen.turn};
}

} // namespace report

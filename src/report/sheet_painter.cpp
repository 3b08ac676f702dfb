#include "report/sheet_painter.h"

#include "report/theme.h"

#include <QFileInfo>
#include <QPainterPath>
#include <algorithm>
#include <array>
#include <cmath>
#include <functional>
#include <optional>

namespace report
{
using geometry::Point;
using inspect::Verdict;
using recipe::Mark;
using recipe::MarkRole;
using recipe::MarkShape;

QImage toQImage(const image::Image& in)
{
    const bool colour = image::channels(in.format()) == 3, wide = image::bytesPerSample(in.format()) == 2;
    QImage out(in.width(), in.height(), colour ? QImage::Format_RGB888 : QImage::Format_Grayscale8);
    const int n = in.width() * (colour ? 3 : 1);
    // A camera of 10, 12 or 14 bit fills the lower ones only: it is shown with its own range, not nearly black.
    int shift = 8;
    if (wide) {
        std::uint16_t most = 0;
        for (int y = 0; y < in.height(); ++y) {
            const auto* from = reinterpret_cast<const std::uint16_t*>(in.row(y));
            most = std::max(most, *std::max_element(from, from + n));
        }
        while (shift > 0 && most < (256 << (shift - 2))) shift -= 2;
    }
    for (int y = 0; y < in.height(); ++y) {
        if (!wide) {
            std::copy_n(in.row(y), n, out.scanLine(y));
        } else {
            const auto* from = reinterpret_cast<const std::uint16_t*>(in.row(y));
            std::transform(from, from + n, out.scanLine(y), [shift](std::uint16_t v) { return uchar(v >> shift); });
        }
    }
    return out;
}

namespace
{
// Marks look alike in both themes: always the light palette on a paper casing.
const Theme& ink() { return lightTheme(); }
// pixel centres are whole, painters count from corners
QPointF at(const QTransform& t, Point p) { return t.map(QPointF(p.x + 0.5, p.y + 0.5)); }

struct Pencil {
    QPainter& p;
    double unit;
    void stroke(const QPainterPath& path, const QColor& colour, double width, Qt::PenStyle style = Qt::SolidLine,
                const QList<qreal>& pattern = {}) const
    {
        p.setBrush(Qt::NoBrush);
        // Opaque: what lies under a mark must not take its contrast.
        p.strokePath(path, QPen(ink().paper, (width + 2) * unit, Qt::SolidLine, Qt::FlatCap));
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

Verdict worst(const inspect::ItemResult& item, const std::string& step, bool& judged)
{
    Verdict v = Verdict::Unjudged;
    judged = false;
    for (const auto& c : item.checks) {
        if (c.step != step) continue;
        judged = true;
        if (c.verdict == Verdict::Fail) return Verdict::Fail;
        if (c.verdict == Verdict::NotMeasured || (c.verdict == Verdict::Pass && v == Verdict::Unjudged)) v = c.verdict;
    }
    return v;
}

// A mark of a list's element has that element's verdict; a wrong count says nothing against the objects that are there.
Verdict verdictOf(const inspect::ItemResult& item, const inspect::StepResult& step, const Mark& m, Verdict whole)
{
    if (m.element <= 0) return whole;
    for (const auto& c : item.checks)
        if (c.step == step.step && c.list && std::size_t(m.element) <= c.values.size()) {
            for (const auto& e : c.elements)
                if (e.value == m.element - 1) return e.verdict;
            return Verdict::Unjudged;
        }
    return whole == Verdict::Fail ? Verdict::Unjudged : whole;
}

// Objects are numbered as they come; where a list has places, by the place they belong to.
QString numberOf(const inspect::ItemResult& item, const inspect::StepResult& step, const Mark& m)
{
    for (const auto& c : item.checks)
        if (c.step == step.step && c.list)
            for (std::size_t n = 0; n < c.elements.size(); ++n)
                if (m.element > 0 && c.elements[n].value == m.element - 1 && c.elements[n].reason != "surplus")
                    return QString::number(n + 1);
    return QString::fromStdString(m.text);
}

// The points as they are seen: of those closer than `least` to the one before only the first, and always the last.
// Outlines and dense edges have several points for each of the screen's pixels.
std::vector<QPointF> seen(const std::vector<Point>& points, const QTransform& t, double least)
{
    std::vector<QPointF> out;
    for (std::size_t i = 0; i < points.size(); ++i) {
        const QPointF q = at(t, points[i]);
        if (!out.empty() && i + 1 < points.size() &&
            std::max(std::abs(q.x() - out.back().x()), std::abs(q.y() - out.back().y())) < least)
            continue;
        out.push_back(q);
    }
    return out;
}

QPainterPath pathOf(const Mark& m, const QTransform& t)
{
    QPainterPath path;
    if (m.shape == MarkShape::Circle && !m.points.empty()) {
        const QPointF c = at(t, m.points[0]), edge = at(t, m.points[0] + Point{m.radius, 0});
        const double r = std::hypot(edge.x() - c.x(), edge.y() - c.y());
        path.addEllipse(c, r, r);
        return path;
    }
    for (const QPointF& q : seen(m.points, t, 0.6))
        if (path.elementCount() == 0) path.moveTo(q);
        else path.lineTo(q);
    if (m.shape == MarkShape::Polygon) path.closeSubpath();
    return path;
}

void paintMark(const Pencil& pencil, const Mark& m, const QTransform& t, Verdict v, bool selected)
{
    const QColor colour = m.role == MarkRole::Datum ? ink().datum : ink().of(v);
    const double width = v == Verdict::Fail ? 3 : 1.5;
    switch (m.shape) {
    case MarkShape::Points:
        if (m.role == MarkRole::Datum || (m.role == MarkRole::Used && !selected)) {
            if (m.role != MarkRole::Datum) return;
            pencil.p.setPen(Qt::NoPen);
            pencil.p.setBrush(colour);
            const double r = (selected ? 1.6 : 0.9) * pencil.unit;
            for (const QPointF& q : seen(m.points, t, 0.8 * pencil.unit)) pencil.p.drawEllipse(q, r, r);
            return;
        }
        if (m.role == MarkRole::Stray) {
            for (const QPointF& q : seen(m.points, t, 2 * pencil.unit))
                pencil.cross(q, 3 * pencil.unit, ink().ink, 1.2);
            return;
        }
        pencil.p.setPen(QPen(ink().paper, pencil.unit));
        pencil.p.setBrush(colour);
        for (const QPointF& q : seen(m.points, t, 1.5 * pencil.unit))
            pencil.p.drawEllipse(q, 2.2 * pencil.unit, 2.2 * pencil.unit);
        return;
    case MarkShape::Dimension: return; // stated with its value, by the label
    case MarkShape::Frame:
    case MarkShape::Polyline:
    case MarkShape::Polygon:
    case MarkShape::Circle: {
        pencil.stroke(pathOf(m, t), colour, width);
        return;
    }
    }
}

// ---- labels
struct LabelItem {
    const inspect::CheckResult* check;
    QString number, text;
    QColor colour;
    bool isDimension = false;
    Point from, to; // picture
    QPointF anchor; // screen; where its leader ends
    QPointF home{}; // screen; what its place is chosen by: the same in every trial of a steady view
    int rank = 0;
    std::optional<QPointF> own; // screen; where the person put it, or where it stood
    int row = 0;                // of the recipe's checks
    double ownTurn = 0;         // of a plate along its dimension, degrees
    bool kept = false;          // stands where it stood
};

QSizeF plateSize(const LabelItem& l, double unit)
{
    const QFontMetricsF f(sheetFont(15 * unit));
    const bool sign = l.check->verdict == Verdict::Pass || l.check->verdict == Verdict::Fail;
    return {f.horizontalAdvance(l.text) + (l.number.isEmpty() ? 12 : 34) * unit + (sign ? 16 * unit : 0), 22 * unit};
}

void paintPlate(QPainter& p, const LabelItem& l, QRectF box, double unit)
{
    p.setPen(QPen(l.colour, (l.check->verdict == Verdict::Fail ? 2 : 1) * unit,
                  l.check->verdict == Verdict::NotMeasured ? Qt::DashLine : Qt::SolidLine));
    p.setBrush(ink().paper);
    p.drawRect(box);
    double x = box.left() + 6 * unit;
    if (!l.number.isEmpty()) {
        paintBalloon(p, {box.left() + 14 * unit, box.center().y()}, 8.5 * unit, l.number, l.colour, ink().paper);
        x = box.left() + 28 * unit;
    }
    p.setFont(sheetFont(15 * unit));
    p.setPen(l.colour);
    p.drawText(QRectF(x, box.top(), box.right() - x, box.height()), Qt::AlignVCenter | Qt::AlignLeft, l.text);
    // The verdict's sign: colour alone tells nothing to some.
    const QRectF sign(box.right() - 17 * unit, box.center().y() - 5.5 * unit, 11 * unit, 11 * unit);
    if (l.check->verdict == Verdict::Pass) drawTick(p, sign, l.colour, 1.5 * unit);
    else if (l.check->verdict == Verdict::Fail) drawCross(p, sign, l.colour, 1.8 * unit);
}

void arrowHead(QPainterPath& path, QPointF tip, QPointF back, double unit)
{
    const QPointF d = back - tip;
    const double n = std::hypot(d.x(), d.y());
    if (n < 1e-9) return;
    const QPointF u = d / n, v(-u.y(), u.x());
    path.moveTo(tip), path.lineTo(tip + u * 9 * unit + v * 2.6 * unit),
        path.lineTo(tip + u * 9 * unit - v * 2.6 * unit), path.closeSubpath();
}

// Lanes beside the item, parallel to the datum's axes.
struct Lanes {
    bool has = false;
    geometry::Pose frame;
    double left = 0, right = 0, top = 0, bottom = 0; // of the item, datum coordinates
    std::array<int, 4> used{};                       // top, bottom, left, right
};

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
} // namespace

void paintBalloon(QPainter& p, QPointF c, double r, const QString& text, const QColor& colour, const QColor& ground)
{
    p.save();
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(QPen(colour, r / 7));
    p.setBrush(ground);
    p.drawEllipse(c, r, r);
    p.setFont(sheetFont(text.size() > 2 ? r * 1.1 : r * 1.5));
    p.drawText(QRectF(c.x() - r, c.y() - r, 2 * r, 2 * r), Qt::AlignCenter, text);
    p.restore();
}

void paintRegion(QPainter& p, const geometry::Region& region, bool across, bool reversed, const QTransform& t,
                 double unit, bool faint, bool round)
{
    const Pencil pencil{p, unit};
    QPainterPath path;
    for (const auto& outline : region.outlines()) {
        QPolygonF polygon;
        for (const Point q : outline) polygon << at(t, q);
        path.addPolygon(polygon);
        path.closeSubpath();
    }
    pencil.stroke(path, ink().datum, faint ? 1 : 1.4, Qt::CustomDashLine, {5, 3});
    if (faint) return;
    // The search direction, boldly.
    QPointF from, to;
    if (region.shape == geometry::Shape::Window) {
        from = at(t, region.from), to = at(t, region.to);
        if (across) {
            const Point n =
                geometry::leftOf(geometry::unit(region.to - region.from)) * (region.width / 2 * (reversed ? -1 : 1));
            from = at(t, region.middle() - n), to = at(t, region.middle() + n);
        }
    } else if (region.shape == geometry::Shape::Polyline && region.points.size() > 1) {
        from = at(t, region.points[region.points.size() - 2]), to = at(t, region.points.back());
    } else if ((region.shape == geometry::Shape::Ring || region.shape == geometry::Shape::Arc) && round) {
        // Along the way, at its middle.
        const double middle =
                         region.shape == geometry::Shape::Arc ? region.start + region.sweep / 2 : geometry::radians(35),
                     radius = (region.inner + region.outer) / 2;
        const double half =
            std::min(0.35, region.shape == geometry::Shape::Arc ? region.sweep / 3 : 0.35) * (reversed ? -1 : 1);
        from = at(t, region.centre + geometry::direction(middle - half) * radius),
        to = at(t, region.centre + geometry::direction(middle + half) * radius);
    } else if (region.shape == geometry::Shape::Ring || region.shape == geometry::Shape::Arc) {
        const Point u = geometry::direction(region.shape == geometry::Shape::Arc ? region.start + region.sweep / 2
                                                                                 : geometry::radians(35));
        from = at(t, region.centre + u * (reversed ? region.outer : region.inner)),
        to = at(t, region.centre + u * (reversed ? region.inner : region.outer));
    } else {
        return;
    }
    const QPointF d = to - from;
    const double n = std::hypot(d.x(), d.y());
    if (n < 1) return;
    const QPointF u = d / n, v(-u.y(), u.x());
    const double head = std::min(13 * unit, 0.7 * n);
    QPainterPath arrow;
    arrow.moveTo(from), arrow.lineTo(to - u * head * 0.8);
    pencil.stroke(arrow, ink().datum, 2.6);
    QPainterPath tip;
    tip.moveTo(to), tip.lineTo(to - u * head + v * head * 0.42), tip.lineTo(to - u * head - v * head * 0.42),
        tip.closeSubpath();
    pencil.stroke(tip, ink().datum, 1);
    p.fillPath(tip, ink().datum);
}

namespace
{
// One sheet, painted in stages: marks, elements, other items, datums; labels are gathered, laid out and painted last, so
// that no line crosses a text.
class SheetPainting
{
public:
    SheetPainting(QPainter& painter, const SheetScene& sheet, const QTransform& toScreen, const QRectF& where, double u)
        : p(painter), scene(sheet), t(toScreen), area(where), unit(u), items(sheet.result->items),
          chosen(std::size_t(std::clamp(sheet.item, 0, int(items.size()) - 1))), item(items[chosen])
    {
    }
    std::vector<PlacedLabel> paint()
    {
        marks();
        missingAndSurplus();
        otherItems();
        datums();
        gatherLabels();
        placeOwnLabels();
        untangle();
        labelsAndPlates();
        return std::move(placed);
    }

private:
    // Marks, the selected step last.
    void marks() const
    {
        for (const bool selectedRound : {false, true})
            for (const auto& r : item.steps) {
                if ((r->step == scene.selected) != selectedRound) continue;
                bool judged = false;
                const Verdict v = worst(item, r->step, judged);
                for (const Mark& m : r->marks) paintMark(pencil, m, t, verdictOf(item, *r, m, v), selectedRound);
                // Object numbers only for the step that is looked at.
                if (selectedRound)
                    for (const Mark& m : r->marks) {
                        if (m.text.empty() || m.points.empty()) continue;
                        QPointF c;
                        for (const Point q : m.points) c += at(t, q);
                        c /= double(m.points.size());
                        paintBalloon(p, c, 8 * unit, numberOf(item, *r, m), ink().of(verdictOf(item, *r, m, v)),
                                     ink().paper);
                    }
            }
    }
    // Elements of a list that are missing stand hatched in their place, surplus ones are crossed out.
    void missingAndSurplus() const
    {
        for (const auto& c : item.checks)
            for (std::size_t n = 0; n < c.elements.size(); ++n) {
                const auto& e = c.elements[n];
                if (!e.at || (e.value >= 0 && e.reason != "surplus")) continue;
                const QPointF q = at(t, *e.at);
                const double r = 12 * unit;
                if (e.value < 0) {
                    QPainterPath ring;
                    ring.addEllipse(q, r, r);
                    pencil.stroke(ring, ink().fail, 2, Qt::CustomDashLine, {3, 2});
                    paintBalloon(p, q, 8 * unit, QString::number(n + 1), ink().fail, ink().paper);
                } else {
                    drawCross(p, QRectF(q.x() - r, q.y() - r, 2 * r, 2 * r), ink().fail, 3 * unit);
                }
            }
    }
    // Other items: outline, number and sign.
    void otherItems() const
    {
        if (items.size() > 1)
            for (std::size_t i = 0; i < items.size(); ++i) {
                if (!items[i].pose) continue;
                if (i != chosen)
                    for (const auto& r : items[i].steps)
                        if (!r->finds.empty())
                            for (const Mark& m : r->marks) paintMark(pencil, m, t, Verdict::Unjudged, false);
                const QPointF c = at(t, scene.recipe->calibration.picture(items[i].pose->origin));
                const QColor colour = items[i].accepted() ? ink().pass : items[i].rejected() ? ink().fail : ink().ink;
                p.setPen(QPen(colour, unit));
                p.setBrush(ink().paper);
                const QRectF box(c.x() - 20 * unit, c.y() - 11 * unit, 40 * unit, 22 * unit);
                p.drawRect(box);
                p.setFont(sheetFont(15 * unit));
                p.drawText(box.adjusted(5 * unit, 0, -20 * unit, 0), Qt::AlignCenter, QString::number(items[i].number));
                const QRectF sign(box.right() - 18 * unit, box.top() + 4 * unit, 14 * unit, 14 * unit);
                if (items[i].accepted()) drawTick(p, sign, colour, 2 * unit);
                else if (items[i].rejected()) drawCross(p, sign, colour, 2 * unit);
                else drawDash(p, sign, colour, 2 * unit);
            }
    }
    // Datum frames: origin, x arrow, framed letter. The first one says how dimensions are laid out.
    void datums()
    {
        for (const recipe::Step& s : scene.recipe->steps) {
            const inspect::StepResult* r = item.step(s.id);
            if (!r || r->finds.empty()) continue;
            geometry::Pose pose = r->finds.front().pose;
            if (const auto& cal = scene.recipe->calibration; cal.bends()) {
                const Point o = cal.picture(pose.origin), x = cal.picture(pose.toPicture({1, 0}));
                pose = {o, geometry::angleOf(x - o)};
            }
            paintDatum(s, pose);
            if (!lanes.has) layOutBy(*r, pose);
        }
    }
    void paintDatum(const recipe::Step& s, const geometry::Pose& pose) const
    {
        const double k = 46 * unit / std::max(1e-9, std::hypot(t.m11(), t.m12()));
        QPainterPath axes;
        const QPointF o = at(t, pose.origin), x = at(t, pose.toPicture({k, 0})),
                      y = at(t, pose.toPicture({0, k * 0.6}));
        axes.moveTo(o), axes.lineTo(x), axes.moveTo(o), axes.lineTo(y);
        pencil.stroke(axes, ink().datum, 1.5, Qt::CustomDashLine, {8, 2, 1.5, 2});
        QPainterPath head;
        arrowHead(head, x, o, unit);
        p.fillPath(head, ink().datum);
        const QPointF d = o - x;
        const QPointF c = o + d / std::max(1.0, std::hypot(d.x(), d.y())) * 20 * unit;
        const QRectF box(c.x() - 10 * unit, c.y() - 10 * unit, 20 * unit, 20 * unit);
        p.setPen(QPen(ink().datum, 1.5 * unit));
        p.setBrush(ink().paper);
        p.drawRect(box);
        p.setFont(sheetFont(15 * unit));
        p.drawText(box, Qt::AlignCenter, QString::fromStdString(s.letter));
    }
    void layOutBy(const inspect::StepResult& datum, const geometry::Pose& pose)
    {
        lanes.has = true;
        lanes.frame = pose;
        lanes.left = lanes.top = 1e300, lanes.right = lanes.bottom = -1e300;
        for (const Mark& m : datum.marks)
            for (const Point q : m.points) {
                const Point l = pose.toLocal(q);
                lanes.left = std::min(lanes.left, l.x), lanes.right = std::max(lanes.right, l.x),
                lanes.top = std::min(lanes.top, l.y), lanes.bottom = std::max(lanes.bottom, l.y);
            }
        if (lanes.left > lanes.right) lanes.has = false;
    }
    // What is said of a check, and where; nothing when it has no place on the part.
    std::optional<LabelItem> labelOf(const inspect::CheckResult& c, const recipe::Step& s, int order) const
    {
        const inspect::StepResult* r = item.step(c.step);
        LabelItem l{&c,
                    c.balloon ? QString::number(c.balloon) : QString(),
                    QString::fromStdString(c.valueText()),
                    ink().of(c.verdict),
                    false,
                    {},
                    {},
                    {},
                    {},
                    order,
                    {}};
        if (c.step == scene.selected) l.rank -= 400;
        if (c.verdict == Verdict::Fail) l.rank -= 300;
        else if (c.share && *c.share >= 0.8) l.rank -= 100;
        bool anchored = false;
        if (r)
            for (const Mark& m : r->marks) {
                if (m.points.empty() || m.role == MarkRole::Stray) continue;
                if (m.shape == MarkShape::Dimension && !c.list) {
                    l.isDimension = true, l.from = m.points[0], l.to = m.points[1], anchored = true;
                    break;
                }
                if (anchored) continue;
                if (m.shape == MarkShape::Circle) l.anchor = at(t, m.points[0]) - QPointF(0, m.radius * scale);
                else l.anchor = at(t, m.shape == MarkShape::Polygon ? middleOf(m) : m.points[0]);
                anchored = true;
            }
        l.home = l.anchor;
        // A list is told by its first failing element.
        for (const auto& e : c.elements)
            if (e.at && (e.verdict == Verdict::Fail || e.verdict == Verdict::NotMeasured)) {
                l.anchor = at(t, *e.at) + QPointF(0, e.value < 0 ? 13 * unit : 0), l.isDimension = false,
                anchored = true;
                break;
            }
        // A label moved by hand lies where it was put on the part; it is never moved by the machine.
        for (const recipe::Check& check : s.checks)
            if (check.output == c.output && check.labelAt)
                if (const auto motion = inspect::Placing(*scene.recipe, &item).following(s.datum))
                    l.own = at(t, motion->toPicture(*check.labelAt));
        if (!anchored) return std::nullopt;
        l.row = order;
        if (scene.stood && !l.own)
            for (const PlacedLabel& before : *scene.stood)
                if (before.step == c.step && before.output == c.output)
                    l.own = before.box.center(), l.ownTurn = before.turn, l.kept = true;
        return l;
    }
    // Labels: selected, fail, not measured, near, then row order.
    void gatherLabels()
    {
        int order = 0;
        for (const auto& c : item.checks) {
            ++order;
            const recipe::Step* s = scene.recipe->find(c.step);
            const recipe::StepKind* kind = s ? recipe::findKind(s->kind) : nullptr;
            if (!kind || kind->datum || c.values.empty()) continue; // a value that is not there has no place
            if (scene.onlyFailed && c.verdict != Verdict::Fail && c.verdict != Verdict::NotMeasured) continue;
            if (auto l = labelOf(c, *s, order)) labels.push_back(std::move(*l));
        }
        std::stable_sort(labels.begin(), labels.end(),
                         [](const LabelItem& a, const LabelItem& b) { return a.rank < b.rank; });
        if (!scene.all && labels.size() > 24) labels.resize(24);
        // Laid out in the order of the rows: a verdict moves nothing.
        std::stable_sort(labels.begin(), labels.end(),
                         [](const LabelItem& a, const LabelItem& b) { return a.row < b.row; });
    }
    // Those a person put somewhere stand there; the others keep clear of them.
    void placeOwnLabels()
    {
        if (!scene.obstacle.isEmpty()) placed.push_back({{}, {}, scene.obstacle});
        for (const LabelItem& l : labels)
            if (l.own && !l.isDimension) {
                const QSizeF size = plateSize(l, unit);
                const QRectF box(l.own->x() - size.width() / 2, l.own->y() - size.height() / 2, size.width(),
                                 size.height());
                placed.push_back({l.check->step, l.check->output, box, leaderOf(l, box)});
                stands.push_back({l, box});
            } else if (l.own) {
                // Its dimension line is drawn later; the others keep clear of it from now on.
                const QSizeF size = plateSize(l, unit);
                placed.push_back({{},
                                  l.check->step,
                                  QRectF(l.own->x() - size.width() / 2, l.own->y() - size.height() / 2, size.width(),
                                         size.height())});
            }
    }
    static Point middleOf(const Mark& m)
    {
        Point sum;
        for (const Point q : m.points) sum = sum + q;
        return sum * (1.0 / double(m.points.size()));
    }
    // To the nearest side of the sheet that has room, in the order of importance; what finds none is left out.
    void fillRails()
    {
        std::array<double, 4> used{};
        const double gap = 4 * unit;
        const bool blocked = !scene.obstacle.isEmpty();
        const std::array<double, 4> room{
            area.width() - 12 * unit, (blocked ? scene.obstacle.left() - area.left() : area.width()) - 12 * unit,
            area.height() - 90 * unit, (blocked ? scene.obstacle.top() - area.top() : area.height()) - 90 * unit};
        for (LabelItem& l : labels) {
            if (l.own || l.isDimension || !area.contains(l.anchor)) continue;
            const QSizeF size = sizeOf(l);
            const std::array<double, 4> far{l.home.y() - area.top(), area.bottom() - l.home.y(),
                                            (l.home.x() - area.left()) * 1.6, (area.right() - l.home.x()) * 1.6};
            int best = -1;
            for (int side = 0; side < 4; ++side) {
                const double need = (side < 2 ? size.width() : size.height()) + gap;
                if (used[std::size_t(side)] + need > room[std::size_t(side)]) continue;
                if (best < 0 || far[std::size_t(side)] < far[std::size_t(best)]) best = side;
            }
            if (best < 0) continue;
            used[std::size_t(best)] += (best < 2 ? size.width() : size.height()) + gap;
            rails[best].push_back(l);
        }
        for (int side = 0; side < 4; ++side)
            std::stable_sort(rails[side].begin(), rails[side].end(), [&](const LabelItem& a, const LabelItem& b) {
                return side < 2 ? a.home.x() < b.home.x() : a.home.y() < b.home.y();
            });
    }
    // Boxes of one rail in its order, pushed apart from the start and then back from its end.
    std::vector<QRectF> railBoxes(int side) const
    {
        const std::vector<LabelItem>& rail = rails[side];
        const bool level = side < 2;
        std::vector<QRectF> boxes;
        for (const LabelItem& l : rail) {
            const QSizeF s = sizeOf(l);
            const QPointF c = side == 0   ? QPointF(l.home.x(), area.top() + 20 * unit)
                              : side == 1 ? QPointF(l.home.x(), area.bottom() - 20 * unit)
                              : side == 2 ? QPointF(area.left() + 8 * unit + s.width() / 2, l.home.y())
                                          : QPointF(area.right() - 8 * unit - s.width() / 2, l.home.y());
            boxes.push_back(QRectF(c.x() - s.width() / 2, c.y() - s.height() / 2, s.width(), s.height()));
        }
        // The rails at the sides end where those above and below begin.
        const double gap = 4 * unit, corner = level ? 6 * unit : 40 * unit;
        double edge = (level ? area.left() : area.top()) + corner;
        for (QRectF& b : boxes) {
            if (level) b.moveLeft(std::max(b.left(), edge)), edge = b.right() + gap;
            else b.moveTop(std::max(b.top(), edge)), edge = b.bottom() + gap;
        }
        edge = (level ? area.right() : area.bottom()) - corner;
        if (!scene.obstacle.isEmpty() && side == 1) edge = scene.obstacle.left() - gap;
        if (!scene.obstacle.isEmpty() && side == 3) edge = std::min(edge, scene.obstacle.top() - gap);
        for (auto b = boxes.rbegin(); b != boxes.rend(); ++b) {
            if (level) b->moveRight(std::min(b->right(), edge)), edge = b->left() - gap;
            else b->moveBottom(std::min(b->bottom(), edge)), edge = b->top() - gap;
        }
        return boxes;
    }
    static QLineF leaderOf(const LabelItem& l, const QRectF& box)
    {
        return {QPointF(std::clamp(l.anchor.x(), box.left(), box.right()),
                        std::clamp(l.anchor.y(), box.top(), box.bottom())),
                l.anchor};
    }
    struct At {
        int side = 0;
        std::size_t index = 0;
    };
    using Boxes = std::array<std::vector<QRectF>, 4>;
    // The first two leaders that cross; nothing: none do.
    std::optional<std::pair<At, At>> crossing(const Boxes& boxes) const
    {
        std::vector<std::pair<QLineF, At>> lines;
        for (int side = 0; side < 4; ++side)
            for (std::size_t i = 0; i < rails[side].size(); ++i)
                lines.push_back({leaderOf(rails[side][i], boxes[std::size_t(side)][i]), {side, i}});
        for (std::size_t i = 0; i < lines.size(); ++i)
            for (std::size_t k = i + 1; k < lines.size(); ++k) {
                // What shares its end with another crosses nothing.
                const QPointF d = lines[i].first.p2() - lines[k].first.p2();
                if (std::hypot(d.x(), d.y()) < 1) continue;
                if (lines[i].first.intersects(lines[k].first, nullptr) == QLineF::BoundedIntersection)
                    return std::pair{lines[i].second, lines[k].second};
            }
        return {};
    }
    // Two leaders that cross change places until none do. In places of equal size every exchange makes the leaders
    // shorter in all, so it comes to an end; as plates mostly fit as they are, that is tried first.
    void untangle()
    {
        Boxes boxes;
        for (const bool equal : {false, true}) {
            if (equal)
                for (const LabelItem& l : labels)
                    if (!l.own && !l.isDimension) plateWidth = std::max(plateWidth, plateSize(l, unit).width());
            for (auto& rail : rails) rail.clear();
            fillRails();
            for (int side = 0; side < 4; ++side) boxes[std::size_t(side)] = railBoxes(side);
            std::optional<std::pair<At, At>> pair;
            for (int round = 0; round < (equal ? 400 : 12); ++round) {
                if (pair = crossing(boxes); !pair) break;
                const auto [a, b] = *pair;
                std::swap(rails[a.side][a.index], rails[b.side][b.index]);
                if (equal) continue;
                for (int side : {a.side, b.side}) boxes[std::size_t(side)] = railBoxes(side);
            }
            if (!crossing(boxes)) break;
        }
        for (int side = 0; side < 4; ++side)
            for (std::size_t i = 0; i < rails[side].size(); ++i) {
                const QRectF& box = boxes[std::size_t(side)][i];
                placed.push_back(
                    {rails[side][i].check->step, rails[side][i].check->output, box, leaderOf(rails[side][i], box)});
                stands.push_back({rails[side][i], box});
            }
    }
    QSizeF sizeOf(const LabelItem& l) const
    {
        const QSizeF s = plateSize(l, unit);
        return {std::max(s.width(), plateWidth), s.height()};
    }
    void labelsAndPlates()
    {
        std::vector<std::function<void()>> plates;
        // Dimensions have more places to go, so they keep clear of what stands on the rails.
        for (const LabelItem& l : labels) {
            if (!l.isDimension) continue;
            const QPointF sa = at(t, l.from), sb = at(t, l.to);
            if (!area.intersects(QRectF(sa, sb).normalized().adjusted(-1, -1, 1, 1))) continue;
            placed.push_back(paintDimension(pencil, l, lanes, t, area, placed, plates));
        }
        // Leaders and plates of the rails last: no line crosses a text.
        for (const auto& [l, box] : stands) {
            const QLineF line = leaderOf(l, box);
            QPainterPath leader;
            leader.moveTo(line.p1()), leader.lineTo(line.p2());
            pencil.stroke(leader, l.colour, 1);
            p.setBrush(l.colour);
            p.setPen(Qt::NoPen);
            p.drawEllipse(l.anchor, 2.4 * unit, 2.4 * unit);
        }
        for (const auto& plate : plates) plate();
        for (const auto& [l, box] : stands) paintPlate(p, l, box, unit);
        placed.erase(std::remove_if(placed.begin(), placed.end(), [](const PlacedLabel& l) { return l.step.empty(); }),
                     placed.end());
    }

    QPainter& p;
    const SheetScene& scene;
    const QTransform& t;
    const QRectF& area;
    const double unit;
    const std::vector<inspect::ItemResult>& items;
    const std::size_t chosen;
    const inspect::ItemResult& item;
    const double scale = std::hypot(t.m11(), t.m12());
    const Pencil pencil{p, unit};
    double plateWidth = 0; // of all plates on rails, when they are given places of equal size
    Lanes lanes;
    std::vector<LabelItem> labels, rails[4]; // top, bottom, left, right
    std::vector<std::pair<LabelItem, QRectF>> stands;
    std::vector<PlacedLabel> placed;
};
} // namespace

std::vector<PlacedLabel> paintSheet(QPainter& p, const SheetScene& scene, const QTransform& t, const QRectF& area,
                                    double unit)
{
    if (!scene.result || !scene.recipe || scene.result->items.empty()) return {};
    p.save();
    p.setRenderHint(QPainter::Antialiasing);
    auto placed = SheetPainting(p, scene, t, area, unit).paint();
    p.restore();
    return placed;
}

QRectF titleBlockBox(const SheetScene&, const QString& picture, const QRectF& area, double unit)
{
    const double left = std::clamp(QFontMetricsF(sheetFont(15 * unit)).horizontalAdvance(picture) + 18 * unit,
                                   214 * unit, 330 * unit),
                 stampWidth = 92 * unit, row = 20 * unit;
    return {area.right() - left - stampWidth - 8 * unit, area.bottom() - 3 * row - 8 * unit, left + stampWidth,
            3 * row};
}

QRectF paintTitleBlock(QPainter& p, const SheetScene& scene, const QString& picture, const QRectF& area, double unit)
{
    const Theme& th = ink();
    const bool has = scene.result && !scene.result->items.empty();
    const QString name = picture.isEmpty() ? QStringLiteral("no picture") : picture;
    p.save();
    p.setRenderHint(QPainter::Antialiasing);
    const QFont font = sheetFont(15 * unit);
    const QFontMetricsF metrics(font);
    const QRectF box = titleBlockBox(scene, picture, area, unit);
    const double stampWidth = 92 * unit, left = box.width() - stampWidth, row = 20 * unit;
    p.setPen(QPen(th.ink, unit));
    p.setBrush(th.paper);
    p.drawRect(box);
    p.drawLine(QPointF(box.left() + left, box.top()), QPointF(box.left() + left, box.bottom()));
    for (int i = 1; i < 3; ++i)
        p.drawLine(QPointF(box.left(), box.top() + i * row), QPointF(box.left() + left, box.top() + i * row));
    const double split = box.left() + 0.56 * left;
    p.drawLine(QPointF(split, box.top() + row), QPointF(split, box.bottom()));
    p.setFont(font);
    const auto cell = [&](double x0, double x1, int line, const QString& text) {
        const QRectF r(x0 + 6 * unit, box.top() + line * row, x1 - x0 - 9 * unit, row);
        p.drawText(r, Qt::AlignVCenter | Qt::AlignLeft, metrics.elidedText(text, Qt::ElideMiddle, r.width()));
    };
    const double right = box.left() + left;
    cell(box.left(), right, 0, name);
    const double factor = scene.recipe ? scene.recipe->mmPerPixel() : 0;
    cell(box.left(), split, 1,
         factor <= 0 ? QStringLiteral("not calibrated") : QString::number(factor, 'g', 4) + QStringLiteral(" mm/px"));
    cell(split, right, 1,
         QStringLiteral("unit ") +
             QString::fromUtf8(base::symbol(factor > 0 ? scene.recipe->shownIn : base::Unit::Pixel)));
    if (has)
        cell(box.left(), split, 2,
             QStringLiteral("item %1 of %2")
                 .arg(std::clamp(scene.item + 1, 1, int(scene.result->items.size())))
                 .arg(scene.result->items.size()));
    cell(split, right, 2, QStringLiteral("%1×%2").arg(scene.pictureSize.width()).arg(scene.pictureSize.height()));
    // The stamp.
    const QRectF stamp =
        QRectF(right, box.top(), stampWidth, box.height()).adjusted(8 * unit, 14 * unit, -8 * unit, -14 * unit);
    QString word;
    QColor colour = th.second;
    bool filled = false, hatched = false;
    if (scene.result && scene.result->error) word = QStringLiteral("ERROR"), colour = th.fail;
    else if (has && !scene.pending) {
        const auto& item =
            scene.result->items[std::size_t(std::clamp(scene.item, 0, int(scene.result->items.size()) - 1))];
        const bool failed = std::any_of(item.checks.begin(), item.checks.end(),
                                        [](const auto& c) { return c.verdict == Verdict::Fail; });
        word = QString::fromStdString(item.word);
        if (item.rejected()) colour = th.fail, filled = true, hatched = !failed;
        else colour = item.accepted() ? th.pass : th.ink;
    }
    if (!word.isEmpty()) {
        p.setPen(QPen(colour, 1.6 * unit));
        p.setBrush(filled && !hatched ? QBrush(colour) : QBrush(Qt::NoBrush));
        p.drawRect(stamp);
        if (hatched) {
            hatch(p, stamp, th.notMeasured, 5 * unit);
            p.fillRect(stamp.adjusted(6 * unit, 6 * unit, -6 * unit, -6 * unit), th.paper);
        }
        // A long word of the recipe's own is set smaller.
        const double room = stamp.width() - 8 * unit,
                     wanted = QFontMetricsF(sheetFont(20 * unit)).horizontalAdvance(word);
        p.setFont(sheetFont(wanted > room ? std::max(9 * unit, 20 * unit * room / wanted) : 20 * unit));
        p.setPen(filled && !hatched ? th.paper : colour);
        p.drawText(stamp, Qt::AlignCenter, word);
    }
    p.restore();
    return box;
}

QImage annotated(const image::Capture& capture, const recipe::Recipe& recipe, const inspect::PictureResult& result)
{
    loadFonts();
    QImage out = toQImage(capture.first().pixels).convertToFormat(QImage::Format_RGB888);
    QPainter p(&out);
    SheetScene scene{&recipe, &result, 0, {}, true, QSizeF(out.width(), out.height())};
    const double unit = std::max(1.0, out.width() / 1400.0);
    const QRectF area(0, 0, out.width(), out.height());
    const QString leaf = QFileInfo(QString::fromStdString(result.picture)).fileName();
    scene.obstacle = titleBlockBox(scene, leaf, area, unit);
    paintSheet(p, scene, QTransform(), area, unit);
    if (out.width() >= 400 && out.height() >= 200) paintTitleBlock(p, scene, leaf, area, unit);
    return out;
}

} // namespace report

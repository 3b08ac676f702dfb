#include "report/sheet_painter.h"

#include "report/step_symbols.h"

#include "report/labels.h"

#include <QFileInfo>
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

QImage toQImage(const image::Picture& picture, std::optional<HeightRange> range, bool contours)
{
    if (picture.content != image::Content::Height) return toQImage(picture.pixels);
    if (!range) range = usualRange(picture);
    return heightImage(picture, range.value_or(HeightRange{}), contours);
}

namespace
{
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
    // Of several lists, as of the heights and the shares of places, the worst counts.
    std::optional<Verdict> worst;
    bool listed = false;
    for (const auto& c : item.checks) {
        if (c.step != step.step || !c.list || step.elementNames.count(c.output)) continue;
        listed = true;
        for (const auto& e : c.elements)
            if (e.listed == m.element - 1 && (!worst || e.verdict == Verdict::Fail || *worst == Verdict::Unjudged))
                worst = e.verdict;
    }
    if (worst) return *worst;
    if (listed) return Verdict::Unjudged;
    return whole == Verdict::Fail ? Verdict::Unjudged : whole;
}

// Objects are numbered as they come; where a list has places, by the place they belong to.
QString numberOf(const inspect::ItemResult& item, const inspect::StepResult& step, const Mark& m)
{
    for (const auto& c : item.checks)
        if (c.step == step.step && c.list)
            for (std::size_t n = 0; n < c.elements.size(); ++n)
                if (m.element > 0 && c.elements[n].listed == m.element - 1 && c.elements[n].reason != "surplus" &&
                    !step.elementNames.count(c.output))
                    return step.elementNames.count("") ? QString::fromStdString(m.text) : QString::number(n + 1);
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
    case MarkShape::Deviation: return; // painted over all others
    case MarkShape::Dimension:
    case MarkShape::Angle: return; // stated with its value, by the label
    case MarkShape::Frame:
    case MarkShape::Polyline:
    case MarkShape::Polygon:
    case MarkShape::Circle: {
        pencil.stroke(pathOf(m, t), colour, width);
        return;
    }
    }
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
// One sheet, painted in stages: marks, elements, other items, datums; labels are gathered, laid out and painted last,
// so that no line crosses a text.
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
        if (scene.deviation)
            for (const auto& r : item.steps)
                if (std::any_of(r->marks.begin(), r->marks.end(),
                                [](const Mark& m) { return m.shape == MarkShape::Deviation; }))
                    paintWorst(p, *r, t, area, unit);
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
                for (const Mark& m : r->marks)
                    if (m.shape == MarkShape::Deviation) {
                        if (scene.deviation) paintDeviation(p, m, t, unit, scene.deviation->times);
                    } else {
                        paintMark(pencil, m, t, verdictOf(item, *r, m, v), selectedRound);
                    }
                // Object numbers only for the step that is looked at.
                if (selectedRound)
                    for (const Mark& m : r->marks) {
                        if (m.text.empty() || m.points.empty()) continue;
                        QPointF c;
                        for (const Point q : m.points) c += at(t, q);
                        c /= double(m.points.size());
                        const QString number = numberOf(item, *r, m);
                        const QColor& colour = ink().of(verdictOf(item, *r, m, v));
                        if (number.size() <= 3) paintBalloon(p, c, 8 * unit, number, colour, ink().paper);
                        else paintName(c, number, m.role == MarkRole::Stray ? ink().fail : colour);
                    }
            }
    }
    // A name is longer than a number.
    void paintName(QPointF c, const QString& text, const QColor& colour) const
    {
        p.setFont(sheetFont(13 * unit));
        const double wide = p.fontMetrics().horizontalAdvance(text) + 10 * unit;
        const QRectF plate(c.x() - wide / 2, c.y() - 9 * unit, wide, 18 * unit);
        p.setPen(QPen(colour, 1.2 * unit));
        p.setBrush(ink().paper);
        p.drawRect(plate);
        p.setPen(colour);
        p.drawText(plate, Qt::AlignCenter, text);
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
    std::optional<LabelItem> labelOf(const inspect::CheckResult& c, const recipe::Step& s,
                                     const recipe::OutputSpec& spec, int order) const
    {
        const inspect::StepResult* r = item.step(c.step);
        LabelItem l;
        l.check = &c;
        l.number = c.balloon ? QString::number(c.balloon) : QString();
        l.text = QString::fromStdString(c.valueText());
        if (const std::string u = c.uncertaintyText(); scene.uncertainty && !c.list && !u.empty())
            if (const auto at = l.text.lastIndexOf(QLatin1Char(' ')); at > 0)
                l.text.insert(at, QLatin1Char(' ') + QString::fromStdString(u));
        l.colour = ink().of(c.verdict);
        l.rank = l.row = order;
        if (c.step == scene.selected) l.rank -= 400;
        if (c.verdict == Verdict::Fail) l.rank -= 300;
        else if (c.verdict == Verdict::NotMeasured) l.rank -= 200;
        else if (c.share && *c.share >= 0.8) l.rank -= 100;
        bool anchored = r && !c.values.empty() && place(l, *r, spec);
        if (c.values.empty()) anchored = placeWhereLooked(l, s);
        else if (!anchored) anchored = placeAtItem(l, s);
        l.home = l.anchor;
        if (c.list) anchored = placeWorst(l, r) || anchored;
        if (spec.drawn == recipe::OutputSpec::Drawn::Tolerance || spec.drawn == recipe::OutputSpec::Drawn::ToleranceTo)
            putInFrame(l, s, spec);
        // A label moved by hand lies where it was put on the part; it is never moved by the machine.
        for (const recipe::Check& check : s.checks)
            if (check.output == c.output && check.labelAt)
                if (const auto motion = inspect::Placing(*scene.recipe, &item).following(s.datum))
                    l.own = at(t, motion->toPicture(*check.labelAt));
        if (!anchored) return std::nullopt;
        if (scene.stood && !l.own)
            for (const PlacedLabel& before : *scene.stood)
                if (before.step == c.step && before.output == c.output)
                    l.own = before.box.center(), l.ownTurn = before.turn, l.kept = true;
        return l;
    }
    // Where the check has its place, and how it is stated there; false when its step left no mark.
    bool place(LabelItem& l, const inspect::StepResult& r, const recipe::OutputSpec& spec) const
    {
        using Drawn = recipe::OutputSpec::Drawn;
        if ((spec.drawn == Drawn::Diameter || spec.drawn == Drawn::Radius) && placeRound(l, r, spec.drawn)) return true;
        bool anchored = false;
        for (const Mark& m : r.marks) {
            if (m.points.empty() || m.role == MarkRole::Stray) continue;
            if (m.shape == MarkShape::Angle) {
                if (spec.drawn == Drawn::Angle && placeAngle(l, m)) return true;
                continue;
            }
            if (m.shape == MarkShape::Dimension && !l.check->list && spec.drawn != Drawn::Angle) {
                l.how = LabelItem::How::Lane, l.from = m.points[0], l.to = m.points[1];
                return true;
            }
            if (anchored) continue;
            if (m.shape == MarkShape::Circle) l.anchor = at(t, m.points[0]) - QPointF(0, m.radius * scale);
            else l.anchor = at(t, m.shape == MarkShape::Polygon ? middleOf(m) : m.points[0]);
            anchored = true;
        }
        if (anchored || spec.drawn != Drawn::Angle) return anchored;
        for (const Mark& m : r.marks) // an arc whose apex is not seen: told where one of its legs was seen
            if (m.shape == MarkShape::Angle) {
                l.anchor = at(t, m.points[3]);
                return true;
            }
        return false;
    }
    // What was not found is said where it was looked for.
    bool placeWhereLooked(LabelItem& l, const recipe::Step& s) const
    {
        if (s.regions.empty() || s.regions.begin()->second.shape == geometry::Shape::Whole) return false;
        const auto motion = inspect::Placing(*scene.recipe, &item).following(s.datum);
        if (!motion) return false;
        l.anchor = at(t, motion->toPicture(s.regions.begin()->second).middle());
        return true;
    }
    // What is worked out of others has no place of its own: it is said of the item.
    bool placeAtItem(LabelItem& l, const recipe::Step& s) const
    {
        if (!s.regions.empty() || !item.pose) return false;
        l.how = LabelItem::How::Free;
        l.anchor = at(t, scene.recipe->calibration.picture(item.pose->origin));
        return area.contains(l.anchor);
    }
    // A diameter or radius is pointed at by its leader, as on a drawing; under a lens a circle is no circle.
    bool placeRound(LabelItem& l, const inspect::StepResult& r, recipe::OutputSpec::Drawn drawn) const
    {
        if (r.features.empty() || l.check->list || scene.recipe->calibration.bends()) return false;
        const auto* c = std::get_if<geometry::Circle>(&r.features.begin()->second);
        if (!c || c->radius * scale < 3 * unit) return false;
        l.how = LabelItem::How::Round;
        l.centre = at(t, c->centre), l.radius = c->radius * scale;
        // Angles of the picture as the view is turned; both run clockwise as seen once y points down.
        const QPointF begin = at(t, c->centre + geometry::direction(c->start + c->sweep)) - l.centre;
        l.start = std::atan2(begin.y(), begin.x()), l.sweep = c->sweep;
        l.text = (drawn == recipe::OutputSpec::Drawn::Diameter ? QStringLiteral("⌀ ") : QStringLiteral("R ")) + l.text;
        const double middle = c->start + c->sweep / 2;
        l.anchor = c->sweep < 6.2 ? at(t, c->centre + geometry::direction(middle) * c->radius) : l.centre;
        return true;
    }
    bool placeAngle(LabelItem& l, const Mark& m) const
    {
        if (m.points.size() < 4) return false;
        l.centre = at(t, m.points[0]);
        if (!area.contains(l.centre)) return false;
        double least = 1e300;
        for (std::size_t i = 0; i < 3; ++i) {
            l.arc[i] = at(t, m.points[i + 1]);
            least = std::min(least, QLineF(l.centre, l.arc[i]).length());
        }
        l.how = LabelItem::How::Angle;
        l.radius = m.radius > 0 ? m.radius * scale : std::clamp(0.6 * least, 28 * unit, 70 * unit);
        QLineF half(l.centre, l.arc[1]);
        half.setLength(l.radius);
        l.anchor = half.p2();
        return true;
    }
    // A list is told by its worst element: the failing one farthest beyond its limits, else a missing one.
    bool placeWorst(LabelItem& l, const inspect::StepResult* r) const
    {
        const inspect::CheckResult& c = *l.check;
        const inspect::ElementResult* worst = nullptr;
        double most = -1;
        for (const auto& e : c.elements) {
            if (e.verdict != Verdict::Fail && e.verdict != Verdict::NotMeasured) continue;
            double beyond = 0;
            if (e.value >= 0) {
                const double v = c.values[std::size_t(e.value)], wide = e.low && e.high ? *e.high - *e.low : 1;
                beyond = std::max(e.high ? v - *e.high : 0, e.low ? *e.low - v : 0) / std::max(wide, 1e-9);
            }
            if (beyond > most) most = beyond, worst = &e;
        }
        if (!worst) return false;
        if (worst->value >= 0)
            l.text += QStringLiteral(" · ") +
                      QString::fromStdString(base::toText(c.values[std::size_t(worst->value)], c.unit, c.shownIn));
        if (worst->value >= 0 && r)
            for (const Mark& m : r->marks)
                if (m.shape == MarkShape::Dimension && m.element == worst->value + 1) {
                    l.how = LabelItem::How::Lane, l.from = m.points[0], l.to = m.points[1];
                    return true;
                }
        if (!worst->at) return false;
        l.anchor = at(t, *worst->at) + QPointF(0, worst->value < 0 ? 13 * unit : 0), l.how = LabelItem::How::Rail;
        return true;
    }
    // The tolerance frame of ISO 1101; what it refers to is the datum line, else the datum the step follows.
    void putInFrame(LabelItem& l, const recipe::Step& s, const recipe::OutputSpec& spec) const
    {
        const recipe::StepKind* kind = recipe::findKind(s.kind);
        l.frame = &statedBy(*kind, l.check->output);
        if (spec.drawn != recipe::OutputSpec::Drawn::ToleranceTo) return;
        for (const recipe::InputSpec& in : kind->inputs)
            if (const auto given = s.inputs.find(in.key); !in.needed && given != s.inputs.end())
                if (const recipe::Step* of = scene.recipe->find(given->second))
                    l.datum =
                        QFontMetrics(sheetFont(15)).elidedText(QString::fromStdString(of->name), Qt::ElideRight, 90);
        if (const recipe::Step* datum = scene.recipe->find(s.datum); datum && l.datum.isEmpty())
            l.datum = QString::fromStdString(datum->letter);
    }
    // Elements whose fault has a name say it where they lie, the worst ones; false: none has.
    bool nameFaults(const inspect::CheckResult& c, int order)
    {
        constexpr std::size_t most = 12;
        std::vector<const inspect::ElementResult*> named;
        for (const auto& e : c.elements)
            if (e.verdict == Verdict::Fail && !e.says.empty() && e.at) named.push_back(&e);
        std::stable_sort(named.begin(), named.end(),
                         [](const auto* a, const auto* b) { return a->share.value_or(0) > b->share.value_or(0); });
        if (named.size() > most) named.resize(most);
        for (const auto* e : named) {
            LabelItem l;
            l.check = &c;
            l.number = QString::fromStdString((c.balloon ? std::to_string(c.balloon) + "." : std::string()) + e->name);
            l.text = QString::fromStdString(e->says);
            l.colour = ink().fail;
            l.rank = order - 300 - (c.step == scene.selected ? 400 : 0), l.row = order;
            l.anchor = l.home = at(t, *e->at);
            labels.push_back(std::move(l));
        }
        return !named.empty();
    }
    // Labels: selected, fail, not measured, near, then row order.
    void gatherLabels()
    {
        int order = 0;
        for (const auto& c : item.checks) {
            ++order;
            const recipe::Step* s = scene.recipe->find(c.step);
            const recipe::StepKind* kind = s ? recipe::findKind(s->kind) : nullptr;
            if (!kind || kind->datum) continue;
            if (c.values.empty() && c.verdict != Verdict::NotMeasured && c.verdict != Verdict::Fail) continue;
            if (scene.onlyFailed && c.verdict != Verdict::Fail && c.verdict != Verdict::NotMeasured) continue;
            const recipe::OutputSpec* spec = kind->output(c.output);
            if (!spec) continue;
            if (nameFaults(c, order)) continue;
            if (auto l = labelOf(c, *s, *spec, order)) labels.push_back(std::move(*l));
        }
        std::stable_sort(labels.begin(), labels.end(),
                         [](const LabelItem& a, const LabelItem& b) { return a.rank < b.rank; });
        // Of those beyond, the number alone, where there is room for it.
        for (auto i = std::size_t(kTold); i < labels.size() && !scene.all; ++i) {
            LabelItem& l = labels[i];
            l.bare = !l.number.isEmpty();
            if (l.how == LabelItem::How::Lane) {
                l.anchor = l.home = (at(t, l.from) + at(t, l.to)) / 2;
                l.how = LabelItem::How::Rail;
            }
        }
        if (!scene.all && labels.size() > std::size_t(kTold))
            labels.erase(
                std::remove_if(labels.begin() + kTold, labels.end(), [](const LabelItem& l) { return !l.bare; }),
                labels.end());
        // Laid out in the order of the rows: a verdict moves nothing.
        std::stable_sort(labels.begin(), labels.end(), [](const LabelItem& a, const LabelItem& b) {
            return a.bare != b.bare ? b.bare : a.row < b.row;
        });
    }
    // Those a person put somewhere stand there; the others keep clear of them.
    void placeOwnLabels()
    {
        if (!scene.obstacle.isEmpty()) placed.push_back({{}, {}, scene.obstacle});
        if (!scene.covered.isEmpty()) placed.push_back({{}, {}, scene.covered});
        for (LabelItem& l : labels) {
            if (!l.own) continue;
            const QSizeF size = plateSize(l, unit);
            const QRectF box(l.own->x() - size.width() / 2, l.own->y() - size.height() / 2, size.width(),
                             size.height());
            // A balloon alone gives way to what has something to say.
            if (l.bare && l.kept && std::any_of(placed.begin(), placed.end(), [&](const PlacedLabel& other) {
                    return other.box.intersects(box);
                })) {
                l.own.reset(), l.kept = false;
                continue;
            }
            if (l.how == LabelItem::How::Lane) // its dimension line is drawn later; the others keep clear of it
                placed.push_back({{}, l.check->step, box});
            else placed.push_back(placedAt(l, box)), stands.push_back({l, box});
        }
    }
    static PlacedLabel placedAt(const LabelItem& l, const QRectF& box)
    {
        return {l.check->step, l.check->output, box, leaderOf(l, box), 0, l.bare};
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
            if (l.own || l.how == LabelItem::How::Lane || !area.contains(l.anchor)) continue;
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
        const auto first = [&](const QRectF& b) { return level ? b.left() : b.top(); };
        const auto last = [&](const QRectF& b) { return level ? b.right() : b.bottom(); };
        const auto begin = [&](QRectF& b, double to) { level ? b.moveLeft(to) : b.moveTop(to); };
        const auto end = [&](QRectF& b, double to) { level ? b.moveRight(to) : b.moveBottom(to); };
        // What stands there already is stepped over.
        const auto inTheWay = [&](const QRectF& b) -> const PlacedLabel* {
            const QRectF wide = b.adjusted(-gap, -gap, gap, gap);
            for (const PlacedLabel& l : placed)
                if (l.box != scene.obstacle && l.box.intersects(wide)) return &l;
            return nullptr;
        };
        double edge = first(area) + corner;
        for (QRectF& b : boxes) {
            begin(b, std::max(first(b), edge));
            for (int i = 0; i < 40; ++i)
                if (const PlacedLabel* l = inTheWay(b)) begin(b, last(l->box) + 2 * gap);
                else break;
            edge = last(b) + gap;
        }
        edge = last(area) - corner;
        if (!scene.obstacle.isEmpty() && side == 1) edge = scene.obstacle.left() - gap;
        if (!scene.obstacle.isEmpty() && side == 3) edge = std::min(edge, scene.obstacle.top() - gap);
        for (auto b = boxes.rbegin(); b != boxes.rend(); ++b) {
            if (last(*b) <= edge) {
                edge = first(*b) - gap;
                continue;
            }
            end(*b, edge);
            for (int i = 0; i < 40; ++i)
                if (const PlacedLabel* l = inTheWay(*b)) end(*b, first(l->box) - 2 * gap);
                else break;
            edge = first(*b) - gap;
        }
        return boxes;
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
                    if (!l.own && l.how != LabelItem::How::Lane)
                        plateWidth = std::max(plateWidth, plateSize(l, unit).width());
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
                placed.push_back(placedAt(rails[side][i], box));
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
            if (l.how != LabelItem::How::Lane) continue;
            const QPointF sa = at(t, l.from), sb = at(t, l.to);
            if (!area.intersects(QRectF(sa, sb).normalized().adjusted(-1, -1, 1, 1))) continue;
            placed.push_back(paintDimension(pencil, l, lanes, t, area, placed, plates));
        }
        // Leaders and plates of the rails last: no line crosses a text.
        for (const auto& [l, box] : stands) {
            if (l.how == LabelItem::How::Angle) paintAngle(pencil, l);
            paintLeader(pencil, l, box);
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
    // Beyond four screen px a pixel the casing thins, so that the edge itself stays visible.
    const Pencil pencil{p, unit, scale > 4 * unit ? 0.5 : 1.0};
    double plateWidth = 0; // of all plates on rails, when they are given places of equal size
    Lanes lanes;
    static constexpr std::ptrdiff_t kTold = 24; // so many labels say their value; the others their number
    std::vector<LabelItem> labels, rails[4];    // top, bottom, left, right
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

QImage annotated(const image::Capture& capture, const recipe::Recipe& recipe, const inspect::PictureResult& result)
{
    loadFonts();
    QImage out = toQImage(capture.first()).convertToFormat(QImage::Format_RGB888);
    QPainter p(&out);
    SheetScene scene{&recipe, &result, 0, {}, true, QSizeF(out.width(), out.height())};
    const double unit = std::max(1.0, out.width() / 1400.0);
    const QRectF area(0, 0, out.width(), out.height());
    const QString leaf = QFileInfo(QString::fromStdString(result.picture)).fileName();
    if (!result.items.empty()) scene.deviation = deviationView(result.items.front(), {}, QTransform(), unit);
    scene.obstacle = titleBlockBox(scene, leaf, area, unit);
    paintSheet(p, scene, QTransform(), area, unit);
    if (out.width() >= 400 && out.height() >= 200) paintTitleBlock(p, scene, leaf, area, unit);
    return out;
}

} // namespace report

#include "report/drawing_pages.h"

#include "drawing/fit.h"
#include "report/page_tables.h"
#include "report/pencil.h"
#include "report/sheet_painter.h"
#include "report/theme.h"

#include <QObject>

#include <algorithm>
#include <cmath>

namespace report
{
using geometry::Point;
using inspect::Verdict;
using recipe::Mark;
using recipe::MarkShape;

namespace
{
const Theme& light() { return lightTheme(); }
QString figure(double v)
{
    return (v < 0 ? QStringLiteral("−") : QStringLiteral("+")) + QString::number(std::abs(v), 'f', 3);
}
const inspect::StepResult* compared(const inspect::ItemResult& item)
{
    for (const auto& r : item.steps)
        if (std::any_of(r->marks.begin(), r->marks.end(),
                        [](const Mark& m) { return m.shape == MarkShape::Deviation; }))
            return r.get();
    return nullptr;
}
// Where a check's step was measured, level px.
std::optional<Point> anchorOf(const inspect::StepResult& r)
{
    for (const Mark& m : r.marks) {
        if (m.points.empty() || m.role == recipe::MarkRole::Stray || m.shape == MarkShape::Deviation) continue;
        if (m.shape == MarkShape::Circle) return m.points[0];
        if (m.points.size() >= 2) return (m.points[0] + m.points[1]) * 0.5;
        return m.points[0];
    }
    return std::nullopt;
}
} // namespace

void addDeviationPage(Pages& pages, std::shared_ptr<const image::Capture> capture, const recipe::Recipe& recipe,
                      const inspect::ItemResult& item)
{
    const inspect::StepResult* step = compared(item);
    if (!step) return;
    const recipe::Step* s = recipe.find(step->step);
    pages.newPage();
    pages.line(QObject::tr("%1: deviation from the drawing").arg(QString::fromStdString(s ? s->name : std::string())),
               17, true);
    QRectF part;
    for (const Mark& m : step->marks)
        if (m.shape == MarkShape::Deviation)
            for (const Point p : m.points)
                part = part.isNull() ? QRectF(p.x, p.y, 0.1, 0.1) : part.united(QRectF(p.x, p.y, 0.1, 0.1));
    const double more = 0.12 * std::max(part.width(), part.height()) + 20;
    QImage picture = toQImage(capture->first());
    const QRectF seen = part.adjusted(-more, -more, more, more).intersected(QRectF(picture.rect()));
    const auto result = std::make_shared<inspect::StepResult>(*step);
    const double high = std::min(420.0, pages.width() * seen.height() / seen.width());
    pages.add(high, [=](QPainter& p, QRectF box) {
        const double k = std::min(box.width() / seen.width(), box.height() / seen.height());
        const QRectF to(box.center().x() - k * seen.width() / 2, box.top(), k * seen.width(), k * seen.height());
        p.drawImage(to, picture, seen);
        p.setClipRect(to);
        QTransform t = QTransform::fromTranslate(to.left(), to.top());
        t.scale(k, k);
        t.translate(-seen.left(), -seen.top());
        inspect::ItemResult one;
        one.steps.push_back(result);
        const auto view = deviationView(one, result->step, t, 0.8);
        for (const Mark& m : result->marks)
            if (m.shape == MarkShape::Deviation && view) paintDeviation(p, m, t, 0.8, view->times);
        paintWorst(p, *result, t, to, 0.8);
        if (view) {
            p.setClipping(false);
            p.setFont(printSheetFont(11));
            p.setPen(light().second);
            p.drawText(QRectF(to.left(), to.bottom() - 16, to.width() - 6, 14), Qt::AlignRight,
                       QObject::tr("deviation ×%1, zone ±%2 mm").arg(view->times).arg(view->tolerance));
        }
    });
    pages.gap(10);
    const auto value = [&](const char* key) {
        const auto* v = step->output(key);
        return v && !v->values.empty() ? v->values[0] : 0.0;
    };
    pages.line(
        QObject::tr("profile %1 mm · most too much %2 · most too little %3 · %4 drawn, not found · %5 found, not drawn")
            .arg(value("profile"), 0, 'f', 3)
            .arg(figure(value("most")), figure(value("least")))
            .arg(value("missing"))
            .arg(value("surplus")),
        12);
    const auto* worst = step->output("worst");
    const auto* lengths = step->output("lengths");
    if (worst && lengths && !worst->values.empty()) {
        pages.gap(6);
        addHead(pages, {{0.1, QString()},
                        {0.4, QObject::tr("place beyond the zone, at mm"), Qt::AlignLeft},
                        {0.25, QObject::tr("length, mm")},
                        {0.25, QObject::tr("worst, mm")}});
        for (std::size_t i = 0; i < worst->values.size() && i < 40; ++i)
            addRow(pages,
                   {{0.1, QString::number(i + 1), Qt::AlignLeft, true},
                    {0.4, QString::fromStdString(step->elementName("worst", i)), Qt::AlignLeft},
                    {0.25, QString::number(lengths->values[i], 'f', 2)},
                    {0.25, figure(worst->values[i]), Qt::AlignRight, true, light().fail}},
                   17);
        pages.setHead(0, nullptr);
    }
    if (!step->note.empty()) pages.text(QString::fromStdString(step->note), 12, light().fail);
}

void addDrawingPage(Pages& pages, const recipe::Recipe& recipe, const inspect::ItemResult& item)
{
    if (!recipe.drawing.outline || !(recipe.mmPerPixel() > 0)) return;
    const inspect::StepResult* datum = nullptr;
    for (const recipe::Step& s : recipe.steps)
        if (const auto* k = recipe::findKind(s.kind); k && k->datum && k->byDrawing && !datum)
            if (const auto* r = item.step(s.id); r && !r->finds.empty()) datum = r;
    if (!datum) return;
    const drawing::Laid laid{datum->finds.front().pose, 1 / recipe.mmPerPixel(), false};
    const auto outline = recipe.drawing.outline;
    struct Balloon {
        Point at; // mm
        int number;
        Verdict verdict;
    };
    std::vector<Balloon> balloons;
    std::vector<const inspect::CheckResult*> rows;
    for (const auto& c : item.checks) {
        const auto* r = item.step(c.step);
        if (!r || r->marks.empty() || c.list || c.balloon <= 0 || r == datum) continue;
        if (std::any_of(r->marks.begin(), r->marks.end(),
                        [](const Mark& m) { return m.shape == MarkShape::Deviation; }))
            continue;
        const auto at = anchorOf(*r);
        if (!at) continue;
        const Point level = recipe.calibration.bends() ? recipe.calibration.level(*at) : *at;
        balloons.push_back({laid.toDrawing(level), c.balloon, c.verdict});
        rows.push_back(&c);
    }
    pages.newPage();
    pages.line(QObject::tr("Drawing %1 with what was checked").arg(QString::fromStdString(recipe.drawing.origin)), 17,
               true);
    const drawing::Box box = outline->box();
    const double shape = (box.height() + 0.2 * outline->size()) / (box.width() + 0.2 * outline->size());
    pages.add(std::clamp(pages.width() * shape, 160.0, 440.0), [=](QPainter& p, QRectF area) {
        p.setRenderHint(QPainter::Antialiasing);
        const double margin = 36, k = std::min((area.width() - 2 * margin) / box.width(),
                                               (area.height() - 2 * margin) / box.height());
        const Point middle = drawing::sheet({(box.left + box.right) / 2, (box.bottom + box.top) / 2});
        const auto at = [&](Point mm) { return area.center() + QPointF((mm.x - middle.x) * k, (mm.y - middle.y) * k); };
        p.setPen(QPen(light().ink, 1));
        p.setBrush(Qt::NoBrush);
        for (std::size_t l = 0; l < outline->loops().size(); ++l) {
            QPolygonF polygon;
            for (const Point q : outline->polygon(int(l), 0.2 / k)) polygon << at(q);
            p.drawPolygon(polygon);
        }
        std::vector<QPointF> taken;
        for (const Balloon& b : balloons) {
            const QPointF q = at(b.at);
            QPointF way = q - area.center();
            const double length = std::hypot(way.x(), way.y());
            way = length > 1 ? way / length : QPointF(0, -1);
            QPointF c;
            for (int i = 0; i < 24; ++i) {
                const double turn = (i % 2 ? 1 : -1) * (i / 2) * 0.5;
                const QPointF d(way.x() * std::cos(turn) - way.y() * std::sin(turn),
                                way.x() * std::sin(turn) + way.y() * std::cos(turn));
                c = q + d * (24 + 3 * i);
                c.setX(std::clamp(c.x(), area.left() + 12, area.right() - 12));
                c.setY(std::clamp(c.y(), area.top() + 12, area.bottom() - 12));
                if (std::none_of(taken.begin(), taken.end(),
                                 [&](QPointF o) { return std::hypot(o.x() - c.x(), o.y() - c.y()) < 21; }))
                    break;
            }
            taken.push_back(c);
            const QColor& colour = light().of(b.verdict);
            p.setPen(QPen(colour, 1));
            p.drawLine(q, c);
            paintBalloon(p, c, 9, QString::number(b.number), colour, Qt::white);
        }
    });
    pages.gap(10);
    addHead(pages, {{0.08, QString()},
                    {0.36, QObject::tr("check"), Qt::AlignLeft},
                    {0.14, QObject::tr("drawn")},
                    {0.24, QObject::tr("limits")},
                    {0.18, QObject::tr("measured")}});
    for (const inspect::CheckResult* c : rows) {
        const auto text = [](const std::optional<double>& v) {
            return v ? QString::number(*v, 'f', 3) : QStringLiteral("–");
        };
        addRow(pages,
               {{0.08, QString::number(c->balloon), Qt::AlignLeft, true},
                {0.36, QString::fromStdString(c->name), Qt::AlignLeft},
                {0.14, text(c->nominal)},
                {0.24, c->low || c->high ? text(c->low) + QStringLiteral(" … ") + text(c->high) : QStringLiteral("–")},
                {0.18, QString::fromStdString(c->valueText()), Qt::AlignRight, true, light().of(c->verdict)}},
               17);
    }
    pages.setHead(0, nullptr);
}

} // namespace report

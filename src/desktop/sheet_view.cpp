#include "desktop/sheet_view.h"

#include "report/theme.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <algorithm>
#include <cmath>

namespace desktop
{
using geometry::Point;
using geometry::Region;
using geometry::Shape;
using namespace recipe;
using report::theme;

namespace
{
constexpr double kClick = 6; // px; shorter strokes are clicks
}

SheetView::SheetView(Session& session, QWidget* parent) : QWidget(parent), m_session(session)
{
    setObjectName(QStringLiteral("sheet"));
    setAccessibleName(tr("Sheet"));
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setMinimumSize(240, 180);
    connect(&session, &Session::trialChanged, this, &SheetView::pictureChanged);
    connect(&session, &Session::resultsChanged, this, [this] {
        if (m_taken) renderPicture();
        update();
    });
    connect(&session, &Session::recipeChanged, this, [this] {
        if (m_taken) renderPicture();
        update();
    });
    connect(&session, &Session::selectionChanged, this, [this] {
        if (m_taken) renderPicture();
        update();
    });
    connect(&session, &Session::draftChanged, this, [this] { update(); });
}

// ---------------------------------------------------------------- view
QTransform SheetView::toScreen() const { return QTransform(m_zoom, 0, 0, m_zoom, m_offset.x(), m_offset.y()); }
QPointF SheetView::screenOf(Point p) const { return toScreen().map(QPointF(p.x + 0.5, p.y + 0.5)); }
Point SheetView::pictureOf(QPointF p) const { return {(p.x() - m_offset.x()) / m_zoom - 0.5, (p.y() - m_offset.y()) / m_zoom - 0.5}; }

void SheetView::pictureChanged()
{
    const QSize before = m_picture.size();
    m_live.clear();
    renderPicture();
    if (m_picture.size() != before || m_fitted) fitPicture();
    update();
}

void SheetView::renderPicture()
{
    m_scaledFor = {};
    const auto capture = m_session.capture();
    if (!capture) {
        m_picture = QImage();
        return;
    }
    m_picture = report::toQImage(capture->shown());
    if (!m_taken) return;
    // What the grey range takes keeps its look; the rest goes flat: to paper when dark is taken, to ink when bright is taken.
    const Step* s = m_session.selectedStep();
    const auto* item = m_session.currentItem();
    if (!s || !item) return;
    const auto e = inspect::evidence(*m_session.prepared(), *capture, *item, s->id);
    if (!e || !e->takes) return;
    bool placed = false;
    const auto regions = inspect::regionsInPicture(m_session.prepared()->recipe(), *s, *item, placed);
    const bool dark = !e->mask && e->low <= 0.5;
    const uchar rest = dark ? 251 : 31;
    const auto searched = regions.find("region");
    const Region where = searched == regions.end() ? Region::whole() : searched->second;
    if (e->mask && !capture->original.empty()) {
        // Colour keeps its colour where it is taken; the rest goes grey.
        QImage colour = m_picture.convertToFormat(QImage::Format_RGB32);
        for (const auto& span : geometry::spans(where, colour.width(), colour.height())) {
            auto* row = reinterpret_cast<QRgb*>(colour.scanLine(span.y));
            for (int x = span.from; x < span.to; ++x)
                if (e->mask->row(span.y)[x] == 0) {
                    const int g = 120 + qGray(row[x]) / 3;
                    row[x] = qRgb(g, g, g);
                }
        }
        m_picture = colour;
        return;
    }
    QImage flat = report::toQImage(capture->grey);
    for (const auto& span : geometry::spans(where, flat.width(), flat.height())) {
        uchar* row = flat.scanLine(span.y);
        for (int x = span.from; x < span.to; ++x)
            if (e->mask ? e->mask->row(span.y)[x] == 0 : row[x] < e->low || row[x] > e->high) row[x] = rest;
    }
    m_picture = flat;
}

void SheetView::fitPicture()
{
    m_fitted = true;
    m_fitMode = 1;
    if (m_picture.isNull()) return;
    const double k = std::min((width() - 16.0) / m_picture.width(), (height() - 16.0) / m_picture.height());
    m_zoom = std::max(1e-3, k);
    m_offset = QPointF((width() - m_zoom * m_picture.width()) / 2, (height() - m_zoom * m_picture.height()) / 2);
    update();
}

void SheetView::fit()
{
    if (m_picture.isNull()) return;
    m_fitMode = (m_fitMode + 1) % 3;
    if (m_fitMode == 1) return fitPicture();
    QRectF box;
    if (m_fitMode == 0) {
        if (const auto* item = m_session.currentItem())
            for (const auto& r : item->steps)
                if (!r->finds.empty())
                    for (const Mark& m : r->marks)
                        for (const Point p : m.points) box |= QRectF(p.x, p.y, 1, 1);
        if (box.isEmpty()) return fitPicture();
        m_zoom = std::min((width() - 140.0) / box.width(), (height() - 140.0) / box.height());
    } else {
        const Point c = pictureOf(rect().center());
        box = QRectF(c.x, c.y, 1, 1);
        m_zoom = 1;
    }
    m_fitted = false;
    m_offset = QPointF(width() / 2.0, height() / 2.0) - box.center() * m_zoom;
    m_scaledFor = {};
    update();
}

void SheetView::zoomBy(double factor)
{
    const QPointF c = rect().contains(m_pointer.toPoint()) ? m_pointer : QPointF(width() / 2.0, height() / 2.0);
    const double to = std::clamp(m_zoom * factor, 0.01, 64.0);
    m_offset = c - (c - m_offset) * (to / m_zoom);
    m_zoom = to;
    m_fitted = false;
    m_fitMode = 2;
    update();
}

void SheetView::setTaken(bool on)
{
    m_taken = on;
    renderPicture();
    update();
}

void SheetView::resizeEvent(QResizeEvent*)
{
    m_scaledFor = {};
    if (m_fitted) fitPicture();
}

// ---------------------------------------------------------------- painting
void SheetView::paintEvent(QPaintEvent*)
{
    QPainter p(this);
    p.fillRect(rect(), theme().dark ? QColor("#10141A") : QColor("#E9E6DD"));
    p.setFont(report::uiFont(13));
    if (m_picture.isNull()) {
        p.setPen(theme().ink);
        const QString text = !m_session.pictureError().isEmpty() ? tr("This picture cannot be shown\n%1").arg(m_session.pictureError())
                             : m_session.trialCount() == 0       ? tr("No pictures yet\nDrop pictures or a folder here, or press Ctrl+P")
                                                                 : tr("No picture chosen");
        p.drawText(rect().adjusted(24, 24, -24, -24), Qt::AlignCenter | Qt::TextWordWrap, text);
        return;
    }
    // The scaled picture is kept while the view stands still.
    const QTransform t = toScreen();
    if (m_zoom < 1) {
        const QRectF target = t.mapRect(QRectF(m_picture.rect()));
        if (m_scaledFor != target || m_scaledAt != t) {
            const double ratio = devicePixelRatioF();
            m_scaled = QPixmap::fromImage(m_picture.scaled((target.size() * ratio).toSize().expandedTo({1, 1}), Qt::IgnoreAspectRatio,
                                                           m_drag == Drag::Pan ? Qt::FastTransformation : Qt::SmoothTransformation));
            m_scaledFor = target, m_scaledAt = t;
        }
        p.drawPixmap(target, m_scaled, QRectF(m_scaled.rect()));
    } else {
        const QRectF seen = t.inverted().mapRect(QRectF(rect())).intersected(QRectF(m_picture.rect()));
        const QRect whole = seen.toAlignedRect().intersected(m_picture.rect());
        p.drawImage(t.mapRect(QRectF(whole)), m_picture, QRectF(whole));
    }
    report::SheetScene scene;
    scene.recipe = &m_session.prepared()->recipe();
    scene.result = m_session.currentResult();
    scene.item = m_session.item();
    scene.selected = m_session.draft() ? m_session.draft()->offer().step.id : m_session.selected();
    scene.all = m_all;
    scene.onlyFailed = m_onlyFailed;
    scene.pictureSize = m_picture.size();
    scene.obstacle = report::titleBlockBox(scene, m_session.pictureName(), QRectF(rect()));
    m_labels.clear();
    if (!m_bare) {
        if (const Step* s = editedStep(); s && m_drag != Drag::Stroke) {
            const StepKind* kind = findKind(s->kind);
            const bool reversed = kind->isReversed(s->params);
            for (const auto& [key, region] : regionsOf(*s)) {
                const RegionSpec* spec = kind->region(key);
                if (key.front() == '-') { // left out: no search, no arrow
                    report::paintRegion(p, region, false, false, t, 1, true);
                    continue;
                }
                const ParamSpec* flag = kind->param("reversed");
                const bool back = spec && spec->searchesRound ? flag && std::get<bool>(flag->get(s->params)) : reversed;
                report::paintRegion(p, region, spec && spec->searchesAcross, back, t, 1, false, spec && spec->searchesRound);
            }
        }
        // Labels over the regions: a text is never crossed.
        m_labels = report::paintSheet(p, scene, t, QRectF(rect()));
        if (m_drag != Drag::Stroke) {
            p.setRenderHint(QPainter::Antialiasing);
            // Places carry their number; the one under the pointer its name. A plate that would cover another is left out.
            std::vector<QRectF> plates;
            for (const Handle& h : handles()) {
                const QPointF c = screenOf(h.at);
                p.setPen(QPen(report::lightTheme().datum, 1.6));
                p.setBrush(report::lightTheme().paper);
                p.drawRect(QRectF(c.x() - 4.5, c.y() - 4.5, 9, 9));
                if (h.name.isEmpty()) continue;
                const bool over = std::hypot(m_pointer.x() - c.x(), m_pointer.y() - c.y()) <= 8;
                const QString text = over ? h.name : QString::number(h.index + 1);
                const double wide = p.fontMetrics().horizontalAdvance(text) + 6;
                const QRectF plate(c.x() - wide / 2, c.y() - 23, wide, 16);
                if (!over && std::any_of(plates.begin(), plates.end(), [&](const QRectF& q) { return q.intersects(plate); })) continue;
                plates.push_back(plate);
                p.setPen(Qt::NoPen);
                p.drawRect(plate);
                p.setPen(report::lightTheme().datum);
                p.drawText(plate, Qt::AlignCenter, text);
            }
        }
        report::paintTitleBlock(p, scene, m_session.pictureName(), QRectF(rect()));
    }
    if (m_drag == Drag::Stroke) paintStroke(p);
    if (m_session.draft() && m_drag == Drag::None) paintOffers(p);
    if (m_session.recipe().reference.empty() && !m_bare) {
        const QRectF note(12, 12, std::min(width() - 24.0, 470.0), 52);
        p.setPen(QPen(theme().datum, 1.4));
        p.setBrush(theme().paper);
        p.drawRect(note);
        p.setPen(theme().ink);
        p.drawText(note.adjusted(12, 4, -10, -4), Qt::AlignVCenter | Qt::TextWordWrap,
                   tr("No reference yet. Show a good part and press Ctrl+R to take this picture as reference; steps are drawn on it."));
    } else if (!m_armed.empty()) {
        const StepKind* k = findKind(m_armed);
        const QString text = tr("The next stroke makes: %1   (Esc lets go)").arg(QString::fromStdString(k ? k->label : m_armed));
        const QRectF note(12, 12, p.fontMetrics().horizontalAdvance(text) + 24, 28);
        p.setPen(QPen(theme().datum, 1.4));
        p.setBrush(theme().paper);
        p.drawRect(note);
        p.setPen(theme().ink);
        p.drawText(note, Qt::AlignCenter, text);
    }
    if (m_loupe || m_drag == Drag::Stroke) paintLoupe(p);
    if (hasFocus()) {
        p.setPen(QPen(theme().datum, 1));
        p.setBrush(Qt::NoBrush);
        p.drawRect(rect().adjusted(0, 0, -1, -1));
    }
}

void SheetView::paintStroke(QPainter& p)
{
    p.setRenderHint(QPainter::Antialiasing);
    const QPointF a = m_pressed, b = m_pointer;
    const report::Theme& th = report::lightTheme();
    if (m_area) {
        const Gesture g = gesture();
        const Point d = g.to - g.from;
        report::paintRegion(p, Region::rectangle((g.from + g.to) * 0.5, std::abs(d.x) + 1e-3, std::abs(d.y) + 1e-3), false, false, toScreen());
        return;
    }
    if (!m_live.empty()) {
        const StepKind* kind = findKind(m_live.front().step.kind);
        for (const auto& [key, region] : regionsOf(m_live.front().step)) {
            const RegionSpec* spec = kind->region(key);
            report::paintRegion(p, region, spec && spec->searchesAcross, false, toScreen());
        }
        // What the reading found, alive.
        if (const auto* r = m_liveItem.step(m_live.front().step.id))
            for (const Mark& m : r->marks) {
                QPainterPath path;
                for (std::size_t i = 0; i < m.points.size(); ++i) i ? path.lineTo(screenOf(m.points[i])) : path.moveTo(screenOf(m.points[i]));
                p.setBrush(Qt::NoBrush);
                p.strokePath(path, QPen(th.paper, 4));
                p.strokePath(path, QPen(th.pass, 2));
            }
    } else {
        p.setPen(QPen(th.paper, 4));
        p.drawLine(a, b);
        p.setPen(QPen(th.datum, 2, Qt::DashLine));
        p.drawLine(a, b);
    }
    if (!m_liveText.isEmpty()) {
        p.setFont(report::sheetFont(16));
        const double w = p.fontMetrics().horizontalAdvance(m_liveText) + 16;
        QRectF box(b.x() + 16, b.y() + 14, w, 26);
        if (box.right() > width()) box.moveRight(b.x() - 12);
        if (box.bottom() > height()) box.moveBottom(b.y() - 12);
        p.setPen(QPen(th.datum, 1.2));
        p.setBrush(th.paper);
        p.drawRect(box);
        p.setPen(th.ink);
        p.drawText(box, Qt::AlignCenter, m_liveText);
    }
}

void SheetView::paintLoupe(QPainter& p)
{
    const auto capture = m_session.capture();
    const Point at = pictureOf(m_pointer);
    if (!capture || !capture->grey.grey().contains(std::round(at.x), std::round(at.y)) || !rect().contains(m_pointer.toPoint())) return;
    constexpr int cells = 17;
    constexpr double side = 136, cell = side / cells;
    // Away from the pointer.
    const QRectF box(m_pointer.x() > width() / 2.0 ? 10 : width() - side - 10, 10, side, side);
    const int cx = int(std::lround(at.x)), cy = int(std::lround(at.y));
    p.setRenderHint(QPainter::Antialiasing, false);
    p.fillRect(box, theme().paper);
    for (int j = 0; j < cells; ++j)
        for (int i = 0; i < cells; ++i) {
            const int x = cx + i - cells / 2, y = cy + j - cells / 2;
            if (x < 0 || y < 0 || x >= m_picture.width() || y >= m_picture.height()) continue;
            p.fillRect(QRectF(box.left() + i * cell, box.top() + j * cell, cell + 0.5, cell + 0.5), m_picture.pixelColor(x, y));
        }
    p.setPen(QPen(report::lightTheme().datum, 1.4));
    p.setBrush(Qt::NoBrush);
    p.drawRect(QRectF(box.left() + (cells / 2) * cell, box.top() + (cells / 2) * cell, cell, cell));
    p.setPen(QPen(theme().ink, 1));
    p.drawRect(box);
    const double k = m_session.recipe().mmPerPixel();
    const auto place = [&](double v) { return k > 0 ? QString::number(v * k, 'f', 2) : QString::number(v, 'f', 0); };
    const QString text = tr("%1, %2 %3  grey %4")
                             .arg(place(at.x), place(at.y), k > 0 ? QStringLiteral("mm") : QStringLiteral("px"))
                             .arg(capture->grey.grey().levelAt(cx, cy), 0, 'f', capture->grey.grey().wide ? 1 : 0);
    p.setFont(report::uiFont(12));
    const QRectF line(box.left(), box.bottom() + 2, side, 18);
    QRectF plate = p.fontMetrics().boundingRect(line.toRect(), Qt::AlignCenter, text).toRectF().adjusted(-4, -1, 4, 1);
    if (plate.right() > width() - 4) plate.moveRight(width() - 4);
    if (plate.left() < 4) plate.moveLeft(4);
    p.fillRect(plate, theme().paper);
    p.setPen(theme().ink);
    p.drawText(plate, Qt::AlignCenter, text);
}

QPointF SheetView::offerAnchor() const
{
    // At the side that is free: beside the region, else in a corner the part does not reach.
    const Draft* d = m_session.draft();
    const QSizeF size(260, 24.0 * double(d->offers.size() + 1));
    QRectF region, part;
    for (const auto& [key, r] : regionsOf(d->offer().step))
        for (const auto& outline : r.outlines(24))
            for (const Point q : outline) region |= QRectF(screenOf(q), QSizeF(1, 1));
    if (const auto* item = m_session.currentItem())
        for (const auto& r : item->steps)
            if (!r->finds.empty())
                for (const Mark& m : r->marks)
                    for (const Point q : m.points) part |= QRectF(screenOf(q), QSizeF(1, 1));
    const double right = width() - size.width() - 8, bottom = height() - size.height() - 80;
    const QPointF places[] = {
        {region.right() + 14, region.top()}, {region.left() - size.width() - 14, region.top()}, {right, 8}, {8, 8}, {8, bottom}, {right, bottom}};
    double least = 1e300;
    QPointF best(8, 8);
    for (const QPointF at : places) {
        const QRectF box(at, size);
        if (!QRectF(rect()).adjusted(4, 4, -4, -4).contains(box)) continue;
        const QRectF a = box.intersected(part), b = box.intersected(region);
        const double cost = a.width() * a.height() + 4 * b.width() * b.height();
        if (cost < least) least = cost, best = at;
    }
    return best;
}
QRectF SheetView::offerRect(int index) const
{
    const QPointF at = offerAnchor();
    return {at.x(), at.y() + 24.0 * index, 260, 24};
}

void SheetView::paintOffers(QPainter& p)
{
    const Draft* d = m_session.draft();
    p.setRenderHint(QPainter::Antialiasing, false);
    p.setFont(report::uiFont(12));
    for (int i = 0; i < int(d->offers.size()); ++i) {
        const QRectF r = offerRect(i);
        const bool chosen = i == d->chosen;
        p.setPen(QPen(chosen ? theme().datum : theme().rule, 1));
        p.setBrush(chosen ? theme().selected : theme().paper);
        p.drawRect(r);
        p.setPen(theme().ink);
        const QString words = QString::fromStdString(d->offers[std::size_t(i)].words);
        p.drawText(r.adjusted(8, 0, -8, 0), Qt::AlignVCenter | Qt::AlignLeft, words);
        p.setFont(report::uiFont(12, true));
        const double room = r.width() - 24 - p.fontMetrics().horizontalAdvance(words);
        p.drawText(r.adjusted(8, 0, -8, 0), Qt::AlignVCenter | Qt::AlignRight,
                   p.fontMetrics().elidedText(d->values[std::size_t(i)], Qt::ElideRight, int(room)));
        p.setFont(report::uiFont(12));
    }
    const QRectF last = offerRect(int(d->offers.size())), take = takeRect(true), drop = takeRect(false);
    p.setPen(QPen(theme().rule, 1));
    p.setBrush(theme().paper);
    p.drawRect(last);
    p.setPen(theme().second);
    p.drawText(last.adjusted(8, 0, -150, 0), Qt::AlignVCenter, tr("Tab: next"));
    for (const auto& [box, text] : {std::pair{take, tr("Take  ⏎")}, {drop, tr("Drop  Esc")}}) {
        p.setPen(QPen(box == take ? theme().datum : theme().rule, 1));
        p.setBrush(theme().raised);
        p.drawRect(box);
        p.setPen(theme().ink);
        p.drawText(box, Qt::AlignCenter, text);
    }
}

QRectF SheetView::takeRect(bool take) const
{
    const QRectF last = offerRect(int(m_session.draft()->offers.size()));
    return QRectF(last.right() - (take ? 154 : 76), last.top() + 2, 72, last.height() - 4);
}

// ---------------------------------------------------------------- regions and handles
const Step* SheetView::editedStep() const { return m_session.selectedStep(); }

std::optional<geometry::Motion> SheetView::motionOf(const Step& step, const RegionSpec* spec) const
{
    if (spec && spec->teaching) {
        // What is taught lies on the reference; on another picture it is shown where the part was found.
        if (m_session.viewIsReference()) return geometry::Motion{};
        return inspect::motionOf(m_session.prepared()->recipe(), step.id, m_session.currentItem());
    }
    if (spec && !spec->follows) return geometry::Motion{};
    return inspect::motionOf(m_session.prepared()->recipe(), step.datum, m_session.currentItem());
}

// Places of the step's own, points and what is left out: of a taught part they lie on the reference, elsewhere they follow the datum.
std::optional<geometry::Motion> SheetView::ownMotion(const Step& step) const
{
    const StepKind* kind = findKind(step.kind);
    const bool taught = kind && kind->datum && kind->teach;
    static const RegionSpec teaching{"", "", "", {}, true, false, true}, following{"", "", "", {}, true, true, false};
    return motionOf(step, taught ? &teaching : &following);
}

std::vector<std::pair<std::string, Region>> SheetView::regionsOf(const Step& step) const
{
    std::vector<std::pair<std::string, Region>> out;
    const StepKind* kind = findKind(step.kind);
    if (!kind) return out;
    for (const auto& [key, r] : step.regions)
        if (const auto motion = motionOf(step, kind->region(key)); motion && !step.regionsOf.count(key))
            out.emplace_back(key, inspect::carried(m_session.recipe(), *motion, r));
    // Areas left out are edited like regions; their names begin with what no key begins with.
    for (std::size_t i = 0; i < step.leaveOut.size(); ++i)
        if (const auto motion = ownMotion(step))
            out.emplace_back("-" + std::to_string(i), inspect::carried(m_session.recipe(), *motion, step.leaveOut[i]));
    return out;
}

std::vector<SheetView::Handle> SheetView::handles() const
{
    std::vector<Handle> out;
    const Step* s = editedStep();
    if (!s) return out;
    const StepKind* kind = findKind(s->kind);
    for (const auto& [key, r] : regionsOf(*s)) {
        const RegionSpec* spec = kind ? kind->region(key) : nullptr;
        if (spec && spec->teaching && !m_session.viewIsReference()) continue; // taught areas are edited on the reference
        const auto add = [&, k = key](int i, Point p) { out.push_back({k, i, p}); };
        add(0, r.middle());
        if (key.front() == '-' && s->leaveOut.size() > 2) continue; // many of them: only moved, so that the part stays in view
        switch (r.shape) {
        case Shape::Whole: break;
        case Shape::Window: add(1, r.from), add(2, r.to), add(3, r.middle() + geometry::leftOf(geometry::unit(r.to - r.from)) * (r.width / 2)); break;
        case Shape::Rectangle: {
            const Point u = geometry::direction(r.angle) * (r.width / 2), v = geometry::leftOf(geometry::direction(r.angle)) * (r.height / 2);
            add(1, r.centre + u), add(2, r.centre - u), add(3, r.centre + v), add(4, r.centre - v);
            add(5, r.centre + u + v);
            break;
        }
        case Shape::Circle: add(1, r.centre + Point{r.outer, 0}); break;
        case Shape::Ring: add(1, r.centre + Point{r.outer, 0}), add(2, r.centre + Point{r.inner, 0}); break;
        case Shape::Arc: {
            const Point mid = geometry::direction(r.start + r.sweep / 2);
            add(1, r.centre + mid * r.outer), add(2, r.centre + mid * r.inner);
            const double radius = (r.inner + r.outer) / 2;
            add(3, r.centre + geometry::direction(r.start) * radius), add(4, r.centre + geometry::direction(r.start + r.sweep) * radius);
            break;
        }
        case Shape::Polyline:
        case Shape::Polygon:
            for (std::size_t i = 0; i < r.points.size() && i < 60; ++i) add(int(i) + 1, r.points[i]);
            break;
        }
    }
    // Points: the origin of what is taught, the place of one object.
    if (const auto motion = kind ? ownMotion(*s) : std::nullopt; motion && !(kind->teach && kind->datum && !m_session.viewIsReference()))
        for (const PointSpec& spec : kind->points) {
            const auto set = s->points.find(spec.key);
            const auto* item = m_session.currentItem();
            const auto* found = item ? item->step(s->id) : nullptr;
            Point at = kind->regions.empty() || !s->regions.count(kind->regions.front().key)
                           ? pictureOf(QPointF(width() / 2.0, height() / 2.0))
                           : inspect::carried(m_session.recipe(), *motion, s->regions.at(kind->regions.front().key).middle());
            if (found && found->state == inspect::State::Ok && kind->regions.empty() && !found->features.empty())
                at = m_session.recipe().calibration.picture(recipe::placeOf(found->features.begin()->second));
            if (set != s->points.end()) at = inspect::carried(m_session.recipe(), *motion, set->second);
            // Beside the region's own middle when both fall together, so that either can be taken.
            const bool hidden = std::any_of(out.begin(), out.end(), [&](const Handle& h) { return geometry::distance(h.at, at) * m_zoom < 12; });
            out.push_back({"." + spec.key, 0, hidden ? at + Point{16 / m_zoom, 16 / m_zoom} : at});
        }
    // Where the elements of a list belong, and the named places of the step itself; not on a draft, which has none yet.
    if (const auto motion = m_session.draft() ? std::nullopt : followingMotion(*s)) {
        const auto add = [&](const std::string& key, std::size_t i, Point at, const std::string& name) {
            out.push_back({key, int(i), inspect::carried(m_session.recipe(), *motion, at),
                           name.empty() ? QString::number(i + 1) : QString::fromStdString(name)});
        };
        for (const Check& c : s->checks)
            if (c.match == Match::Place)
                for (std::size_t i = 0; i < c.elements.size(); ++i)
                    if (c.elements[i].at) add("#" + c.output, i, *c.elements[i].at, c.elements[i].name);
        if (kind && kind->hasPlaces)
            for (std::size_t i = 0; i < s->places.size(); ++i) add("@", i, s->places[i].at, s->places[i].name);
    }
    return out;
}

std::optional<geometry::Motion> SheetView::followingMotion(const Step& step) const
{
    return inspect::motionOf(m_session.prepared()->recipe(), step.datum, m_session.currentItem());
}

void SheetView::moveLabel()
{
    if (std::hypot(m_pointer.x() - m_pressed.x(), m_pointer.y() - m_pressed.y()) < kClick) return;
    const Step* s = m_session.recipe().find(m_label.step);
    const auto motion = s ? followingMotion(*s) : std::nullopt;
    if (!motion) return;
    // Kept on the part: it goes where the part goes.
    const QPointF centre = m_label.box.center() + (m_pointer - m_pressed);
    const Point at = inspect::carried(m_session.prepared()->recipe(), {motion->now, motion->reference}, pictureOf(centre));
    m_session.change(
        tr("move label"),
        [&](Recipe& r) {
            for (Check& c : r.find(m_label.step)->checks)
                if (c.output == m_label.output) c.labelAt = at;
        },
        QStringLiteral("label:") + QString::fromStdString(m_label.step + "." + m_label.output));
}

void SheetView::freeLabels()
{
    m_session.change(tr("labels find their own places"), [](Recipe& r) {
        for (Step& s : r.steps)
            for (Check& c : s.checks) c.labelAt.reset();
    });
}

void SheetView::editStep(const QString& what, const std::function<void(Step&)>& edit, const QString& merge)
{
    const Step* s = editedStep();
    if (!s) return;
    if (m_session.draft()) return m_session.editDraft(edit);
    const std::string id = s->id;
    m_session.change(
        what, [&](Recipe& r) { edit(*r.find(id)); }, merge);
}

void SheetView::moveHandle(const Handle& h, Point to)
{
    const Step* s = editedStep();
    const StepKind* kind = s ? findKind(s->kind) : nullptr;
    if (!kind) return;
    if (h.region.front() == '.') {
        if (const auto own = ownMotion(*s))
            editStep(
                tr("point"),
                [&](Step& step) {
                    step.points[h.region.substr(1)] = inspect::carried(m_session.recipe(), geometry::Motion{own->now, own->reference}, to);
                },
                QStringLiteral("point:") + QString::fromStdString(h.region));
        return;
    }
    if (h.region.front() == '#' || h.region.front() == '@') {
        const auto follows = followingMotion(*s);
        if (!follows) return;
        const Point at = inspect::carried(m_session.recipe(), geometry::Motion{follows->now, follows->reference}, to);
        editStep(
            tr("place"),
            [&](Step& step) {
                if (h.region == "@") step.places.at(std::size_t(h.index)).at = at;
                else
                    for (Check& c : step.checks)
                        if (c.output == h.region.substr(1)) c.elements.at(std::size_t(h.index)).at = at;
            },
            QStringLiteral("place:") + QString::fromStdString(h.region) + QString::number(h.index));
        return;
    }
    const auto motion = h.region.front() == '-' ? ownMotion(*s) : motionOf(*s, kind->region(h.region));
    if (!motion) return;
    const geometry::Motion back{motion->now, motion->reference};
    editStep(
        tr("region"),
        [&](Step& step) {
            Region& stored = h.region.front() == '-' ? step.leaveOut.at(std::size_t(std::stoi(h.region.substr(1)))) : step.regions.at(h.region);
            Region r = inspect::carried(m_session.recipe(), *motion, stored);
            const auto minimum = [](double v) { return std::max(2.0, v); };
            if (h.index == 0) {
                const Point d = to - r.middle();
                r.from = r.from + d, r.to = r.to + d, r.centre = r.centre + d;
                for (Point& p : r.points) p = p + d;
            } else if (r.shape == Shape::Window) {
                if (h.index == 1 && geometry::distance(to, r.to) > 4) r.from = to;
                if (h.index == 2 && geometry::distance(to, r.from) > 4) r.to = to;
                if (h.index == 3) r.width = minimum(2 * std::abs(geometry::cross(geometry::unit(r.to - r.from), to - r.from)));
            } else if (r.shape == Shape::Rectangle) {
                const Point u = geometry::direction(r.angle), v = geometry::leftOf(u), d = to - r.centre;
                const auto side = [&](Point axis, double& size, double sign) { // the far side stays where it is
                    const double reach = geometry::dot(axis, d) * sign, grown = minimum(reach + size / 2);
                    r.centre = r.centre + axis * (sign * (grown - size) / 2);
                    size = grown;
                };
                if (h.index == 1) side(u, r.width, 1);
                if (h.index == 2) side(u, r.width, -1);
                if (h.index == 3) side(v, r.height, 1);
                if (h.index == 4) side(v, r.height, -1);
                if (h.index == 5) r.angle = geometry::angleOf(d) - std::atan2(r.height, r.width); // the corner turns
            } else if (r.shape == Shape::Circle) {
                r.outer = minimum(geometry::distance(to, r.centre));
            } else if (r.shape == Shape::Ring) {
                const double d = geometry::distance(to, r.centre);
                if (h.index == 1) r.outer = std::max(d, r.inner + 2);
                if (h.index == 2) r.inner = std::clamp(d, 0.0, r.outer - 2);
            } else if (r.shape == Shape::Arc) {
                const double d = geometry::distance(to, r.centre), a = geometry::angleOf(to - r.centre);
                const auto turn = [](double v) {
                    v = std::fmod(v, 2 * geometry::kPi);
                    return v <= 0 ? v + 2 * geometry::kPi : v;
                };
                if (h.index == 1) r.outer = std::max(d, r.inner + 2);
                if (h.index == 2) r.inner = std::clamp(d, 0.0, r.outer - 2);
                if (h.index == 3) r.sweep = turn(r.start + r.sweep - a), r.start = a;
                if (h.index == 4) r.sweep = turn(a - r.start);
            } else if (h.index - 1 < int(r.points.size())) {
                r.points[std::size_t(h.index - 1)] = to;
                if (!r.check()) return;
            }
            stored = inspect::carried(m_session.recipe(), back, r);
        },
        QStringLiteral("region:") + QString::fromStdString(h.region) + QString::number(h.index));
}

bool SheetView::teaches(const Handle& h) const
{
    const Step* s = editedStep();
    const StepKind* kind = s ? findKind(s->kind) : nullptr;
    if (kind && h.region.front() == '.') return kind->datum && kind->teach;
    const RegionSpec* spec = kind ? kind->region(h.region) : nullptr;
    return spec && spec->teaching;
}

void SheetView::nudge(QPointF d)
{
    const auto all = handles();
    const auto middle = std::find_if(all.begin(), all.end(), [](const Handle& h) { return h.index == 0 && h.name.isEmpty(); });
    if (middle != all.end()) moveHandle(*middle, middle->at + Point{d.x(), d.y()});
}

void SheetView::nextShape()
{
    const Step* s = editedStep();
    const StepKind* kind = s ? findKind(s->kind) : nullptr;
    if (!kind || s->regions.empty()) return;
    const std::string key = s->regions.begin()->first;
    const RegionSpec* spec = kind->region(key);
    if (!spec || spec->shapes.size() < 2) return;
    editStep(tr("shape"), [&](Step& step) {
        Region& r = step.regions[key];
        const auto at = std::find(spec->shapes.begin(), spec->shapes.end(), r.shape);
        const Shape next = at == spec->shapes.end() || at + 1 == spec->shapes.end() ? spec->shapes.front() : *(at + 1);
        const Point c = r.middle();
        double w = r.width, h = r.height;
        if (r.shape == Shape::Circle || r.shape == Shape::Ring || r.shape == Shape::Arc) w = h = 2 * r.outer;
        if (!r.points.empty()) {
            const geometry::Region whole = r;
            double left = 1e300, right = -1e300, top = 1e300, bottom = -1e300;
            for (const Point p : whole.points)
                left = std::min(left, p.x), right = std::max(right, p.x), top = std::min(top, p.y), bottom = std::max(bottom, p.y);
            w = std::max(8.0, right - left), h = r.shape == Shape::Polyline ? r.width : std::max(8.0, bottom - top);
        }
        const Point middle = r.shape == Shape::Arc ? r.centre : c;
        if (r.shape == Shape::Window) w = geometry::distance(r.from, r.to), h = r.width;
        switch (next) {
        case Shape::Circle: r = Region::circle(c, std::max(w, h) / 2); break;
        case Shape::Ring: r = Region::ring(c, std::max(w, h) / 4, std::max(w, h) / 2); break;
        case Shape::Window: r = Region::window(c - Point{w / 2, 0}, c + Point{w / 2, 0}, h); break;
        case Shape::Rectangle: r = Region::rectangle(c, w, h, r.angle); break;
        case Shape::Arc: r = Region::arc(middle, std::max(w, h) / 4, std::max(w, h) / 2, 0, geometry::kPi); break;
        case Shape::Polygon:
            r = Region::polygon({c - Point{w / 2, h / 2}, c + Point{w / 2, -h / 2}, c + Point{w / 2, h / 2}, c + Point{-w / 2, h / 2}});
            break;
        case Shape::Polyline: r = Region::polyline({c - Point{w / 2, 0}, c, c + Point{w / 2, 0}}, std::max(3.0, h)); break;
        case Shape::Whole: r = Region::whole(); break;
        }
    });
}

// A click on the picture shows a colour when the chosen step takes pixels by colour.
bool SheetView::wantsSamples() const
{
    const Step* s = editedStep();
    const StepKind* kind = s ? findKind(s->kind) : nullptr;
    if (!kind || !kind->hasSamples || m_session.draft() || !m_armed.empty()) return false;
    const ParamSpec* mode = kind->param("mode");
    return mode && std::get<std::string>(mode->get(s->params)) == "colour";
}

void SheetView::startLeavingOut()
{
    const Step* s = editedStep();
    const StepKind* kind = s ? findKind(s->kind) : nullptr;
    if (!kind || !kind->leavesOut) {
        emit m_session.said(tr("Choose a step first that can leave areas out: blobs, share, edges, fits, pattern"));
        return;
    }
    if (!ownMotion(*s)) {
        emit m_session.said(tr("The step's datum was not found on this picture"));
        return;
    }
    m_leaving = true;
    emit m_session.said(tr("Leave out: stroke for a thin line, Ctrl-drag for an area"));
    update();
}

void SheetView::leaveOut(const Gesture& g)
{
    m_leaving = false;
    const Step* s = editedStep();
    if (!s || g.type == Gesture::Type::Click) return;
    const auto motion = ownMotion(*s);
    if (!motion) return;
    const Point d = g.to - g.from;
    Region r = g.type == Gesture::Type::Area ? Region::rectangle((g.from + g.to) * 0.5, std::max(1.0, std::abs(d.x)), std::max(1.0, std::abs(d.y)))
                                             : Region::polyline({g.from, g.to}, m_width > 0 ? m_width : 3);
    if (!r.check()) return;
    r = inspect::carried(m_session.recipe(), {motion->now, motion->reference}, r);
    editStep(tr("leave out"), [&](Step& step) { step.leaveOut.push_back(r); });
}

void SheetView::reverse()
{
    if (m_drag == Drag::Stroke) {
        m_reversed = !m_reversed;
        updateStroke(false);
        return;
    }
    const Step* s = editedStep();
    const StepKind* kind = s ? findKind(s->kind) : nullptr;
    if (!kind) return;
    editStep(tr("reverse"), [&](Step& step) {
        if (const ParamSpec* flag = kind->param(kind->reverse)) return flag->put(step.params, !kind->isReversed(step.params));
        for (auto& [key, r] : step.regions)
            if (r.shape == Shape::Window) std::swap(r.from, r.to);
            else if (r.shape == Shape::Polyline) std::reverse(r.points.begin(), r.points.end());
            else if (const ParamSpec* flag = kind->param("reversed")) flag->put(step.params, !std::get<bool>(flag->get(step.params)));
    });
}

// ---------------------------------------------------------------- the stroke
std::string SheetView::featureUnder(Point p) const
{
    const auto* item = m_session.currentItem();
    if (!item) return {};
    p = m_session.recipe().calibration.level(p); // as features are
    const double reach = 10 / m_zoom;
    std::string best;
    double least = reach;
    for (const auto& r : item->steps) {
        if (r->state != inspect::State::Ok || r->features.empty()) continue;
        const Feature& f = r->features.begin()->second;
        double d = 1e300;
        if (const auto* q = std::get_if<Point>(&f)) d = geometry::distance(*q, p);
        if (const auto* c = std::get_if<geometry::Circle>(&f))
            d = std::min(geometry::distance(c->centre, p), std::abs(geometry::distance(c->centre, p) - c->radius));
        if (const auto* c = std::get_if<geometry::Circle>(&f); c && geometry::distance(c->centre, p) < c->radius) d = std::min(d, reach * 0.99);
        if (const auto* s = std::get_if<geometry::Segment>(&f)) {
            const double t = geometry::dot(s->along(), p - s->from);
            if (t >= -reach && t <= s->length() + reach) d = std::abs(geometry::signedDistance(*s, p));
        }
        if (const auto* e = std::get_if<geometry::Ellipse>(&f)) d = std::min(geometry::distance(e->centre, p), geometry::offsetFromOutline(*e, p));
        if (const auto* c = std::get_if<Contour>(&f))
            for (const Point q : c->points) d = std::min(d, geometry::distance(q, p));
        if (d < least) least = d, best = r->step;
    }
    return best;
}

Gesture SheetView::gesture() const
{
    Gesture g;
    g.from = pictureOf(m_pressed), g.to = pictureOf(m_pointer);
    const double way = std::hypot(m_pointer.x() - m_pressed.x(), m_pointer.y() - m_pressed.y());
    g.type = m_area ? Gesture::Type::Area : way < kClick ? Gesture::Type::Click : Gesture::Type::Stroke;
    g.width = m_width;
    g.reversed = m_reversed;
    if (g.type == Gesture::Type::Stroke) {
        g.fromFeature = featureUnder(g.from), g.toFeature = featureUnder(g.to);
        if (m_reversed) std::swap(g.from, g.to), std::swap(g.fromFeature, g.toFeature);
    }
    return g;
}

void SheetView::updateStroke(bool released)
{
    m_live.clear();
    m_liveText.clear();
    if (m_leaving) return;
    const Gesture g = gesture();
    if (!released && g.type != Gesture::Type::Stroke) return; // areas and clicks are read when let go
    m_live = m_session.offersFor(g, m_armed);
    if (released) return;
    if (m_live.empty()) {
        m_liveText = tr("no edge above %1 grey levels").arg(std::max(4 * m_session.noiseHere(), 8.0), 0, 'f', 0);
        return;
    }
    std::optional<Evidence> evidence;
    const QString value = m_session.probe(m_live.front().step, &m_liveItem, &evidence);
    if (evidence) emit m_session.strokeRead(evidence);
    m_liveText = value.isEmpty() ? QString::fromStdString(m_live.front().words) : value;
    if (!m_live.front().wants.empty()) m_liveText = QString::fromStdString(m_live.front().wants);
}

void SheetView::mousePressEvent(QMouseEvent* e)
{
    setFocus(Qt::MouseFocusReason);
    m_pressed = m_pointer = e->position();
    if (e->button() == Qt::RightButton) {
        letGo();
        return;
    }
    if (e->button() == Qt::MiddleButton || (e->button() == Qt::LeftButton && m_space)) {
        m_drag = Drag::Pan;
        m_panStart = m_offset;
        setCursor(Qt::ClosedHandCursor);
        return;
    }
    if (e->button() != Qt::LeftButton || m_picture.isNull()) return;
    if (m_session.draft()) {
        for (int i = 0; i < int(m_session.draft()->offers.size()); ++i)
            if (offerRect(i).contains(e->position())) return m_session.chooseOffer(i);
        if (takeRect(true).contains(e->position())) return m_session.takeDraft();
        if (takeRect(false).contains(e->position())) return m_session.dropDraft();
    }
    for (const Handle& h : handles())
        if (const QPointF d = screenOf(h.at) - e->position(); std::hypot(d.x(), d.y()) <= 8) {
            m_handle = h;
            m_drag = Drag::Handle;
            m_session.endMerge();
            return;
        }
    if (m_session.recipe().reference.empty()) {
        emit referenceWanted();
        return;
    }
    // A label is taken by its plate and put anywhere.
    if (m_armed.empty() && !m_leaving && !m_session.draft() && !e->modifiers().testFlag(Qt::ControlModifier))
        for (const auto& l : m_labels)
            if (l.box.contains(m_pointer)) {
                m_label = l;
                m_drag = Drag::Label;
                return;
            }
    // A place on the part is known by the datum; without one, steps are drawn on the reference itself.
    const StepKind* armed = findKind(m_armed);
    if (m_leaving || wantsSamples()) {
        if (wantsSamples() && !m_session.viewIsReference()) {
            m_session.setShowReference(true);
            emit m_session.said(tr("Colours are shown on the reference; it is in view now"));
            return;
        }
        m_area = e->modifiers().testFlag(Qt::ControlModifier);
        m_reversed = false, m_width = 0;
        m_live.clear(), m_liveText.clear();
        m_drag = Drag::Stroke;
        return;
    }
    if ((m_session.datumForNewSteps().empty() || (armed && armed->datum)) && !m_session.viewIsReference()) {
        m_session.setShowReference(true);
        emit m_session.said(armed && armed->datum ? tr("A datum is drawn on the reference; it is shown now")
                                                  : tr("No datum was found on this picture; the reference is shown, draw there"));
        return;
    }
    m_area = e->modifiers().testFlag(Qt::ControlModifier);
    if (armed && !m_area) // some kinds are made by an area only
        m_area = armed->byArea;
    m_reversed = false;
    m_width = 0;
    m_live.clear();
    m_liveText.clear();
    m_drag = Drag::Stroke;
}

void SheetView::mouseMoveEvent(QMouseEvent* e)
{
    m_pointer = e->position();
    switch (m_drag) {
    case Drag::Pan:
        m_offset = m_panStart + (m_pointer - m_pressed);
        m_fitted = false;
        break;
    case Drag::Handle:
        // A taught area is taught anew, which takes a while: once, when it is let go.
        if (!teaches(m_handle)) moveHandle(m_handle, pictureOf(m_pointer));
        break;
    case Drag::Stroke: updateStroke(false); break;
    case Drag::Label: moveLabel(); break;
    case Drag::None: {
        const auto all = handles();
        const bool over = std::any_of(all.begin(), all.end(), [&](const Handle& h) {
            const QPointF d = screenOf(h.at) - m_pointer;
            return std::hypot(d.x(), d.y()) <= 8;
        });
        setCursor(over ? Qt::SizeAllCursor : Qt::CrossCursor);
        if (!m_loupe) {
            emit pointerMoved({});
            return;
        }
        break;
    }
    }
    update();
}

void SheetView::mouseReleaseEvent(QMouseEvent* e)
{
    const Drag was = m_drag;
    m_pointer = e->position();
    m_drag = Drag::None;
    setCursor(Qt::CrossCursor);
    if (was == Drag::Stroke) emit m_session.strokeRead({});
    if (was == Drag::Pan) m_scaledFor = {};
    if (was == Drag::Handle) {
        if (teaches(m_handle)) moveHandle(m_handle, pictureOf(m_pointer));
        m_session.endMerge();
    }
    if (was == Drag::Label) {
        const double way = std::hypot(m_pointer.x() - m_pressed.x(), m_pointer.y() - m_pressed.y());
        if (way < kClick) { // a click chooses the step it belongs to
            m_session.dropDraft();
            m_session.select(m_label.step, m_label.output);
        }
        m_session.endMerge();
    }
    if (was == Drag::Stroke && e->button() == Qt::LeftButton) {
        const Gesture g = gesture();
        if (m_leaving) {
            leaveOut(g);
            update();
            return;
        }
        if (g.type == Gesture::Type::Click && wantsSamples()) {
            const Point at = g.from;
            const bool refused = e->modifiers().testFlag(Qt::ShiftModifier);
            editStep(refused ? tr("not this colour") : tr("this colour"), [&](Step& s) { s.samples.push_back({at, refused, {}}); });
            emit m_session.said(refused ? tr("This colour is refused") : tr("This colour is taken"));
            update();
            return;
        }
        if (g.type == Gesture::Type::Click) {
            for (const auto& l : m_labels)
                if (l.box.contains(m_pointer)) {
                    m_session.dropDraft();
                    m_session.select(l.step, l.output);
                    update();
                    return;
                }
        }
        updateStroke(true);
        if (m_live.empty()) {
            if (g.type == Gesture::Type::Click) {
                const std::string under = featureUnder(g.from);
                if (!under.empty()) m_session.select(under);
            } else {
                emit m_session.said(
                    g.type == Gesture::Type::Area
                        ? tr("Nothing to find in this area: no edges and no objects")
                        : tr("No edge above %1 grey levels under this stroke").arg(std::max(4 * m_session.noiseHere(), 8.0), 0, 'f', 0));
            }
        } else {
            // A click on something already found selects it; its offers would only repeat it.
            const std::string under = g.type == Gesture::Type::Click && m_armed.empty() ? featureUnder(g.from) : "";
            if (!under.empty()) m_session.select(under);
            else m_session.setDraft(std::move(m_live));
            if (!m_armed.empty()) emit armedUsed();
            m_armed.clear();
        }
        m_live.clear();
    }
    update();
}

void SheetView::wheelEvent(QWheelEvent* e)
{
    if (m_drag == Drag::Stroke) { // averaging width
        const double now = m_width > 0 ? m_width : std::clamp(0.05 * geometry::distance(gesture().from, gesture().to), 7.0, 41.0);
        m_width = std::clamp(now + (e->angleDelta().y() > 0 ? 4 : -4), 1.0, 401.0);
        updateStroke(false);
        update();
        return;
    }
    m_pointer = e->position();
    zoomBy(std::pow(1.0015, e->angleDelta().y()));
}

void SheetView::leaveEvent(QEvent*)
{
    if (m_drag == Drag::None) m_pointer = QPointF(-1, -1);
    update();
}

bool SheetView::letGo()
{
    if (m_drag != Drag::None) {
        if (m_drag == Drag::Stroke) emit m_session.strokeRead({});
        m_drag = Drag::None;
        m_live.clear();
        update();
        return true;
    }
    if (m_session.draft()) {
        m_session.dropDraft();
        return true;
    }
    if (m_leaving) {
        m_leaving = false;
        update();
        return true;
    }
    if (!m_armed.empty()) {
        m_armed.clear();
        emit armedUsed();
        update();
        return true;
    }
    if (m_session.proposal()) {
        m_session.dropProposal();
        return true;
    }
    return false;
}

void SheetView::keyPressEvent(QKeyEvent* e)
{
    const double step = e->modifiers().testFlag(Qt::ShiftModifier) ? 10 : e->modifiers().testFlag(Qt::ControlModifier) ? 0.1 : 1;
    switch (e->key()) {
    case Qt::Key_Space:
        m_space = true;
        setCursor(Qt::OpenHandCursor);
        return;
    case Qt::Key_Left: return nudge({-step, 0});
    case Qt::Key_Right: return nudge({step, 0});
    case Qt::Key_Up: return nudge({0, -step});
    case Qt::Key_Down: return nudge({0, step});
    default: QWidget::keyPressEvent(e);
    }
}
void SheetView::keyReleaseEvent(QKeyEvent* e)
{
    if (e->key() == Qt::Key_Space) {
        m_space = false;
        setCursor(Qt::CrossCursor);
    }
    QWidget::keyReleaseEvent(e);
}

} // namespace desktop

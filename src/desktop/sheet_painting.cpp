// What the sheet draws: picture, results, regions, the stroke under way, loupe and offers.
#include "desktop/sheet_view.h"

#include "desktop/fault_list.h"
#include "report/theme.h"

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
// Where a tile is missing there is nothing, which is no grey: hatched, with the tile's name.
void paintHoles(QPainter& p, const image::Joined& joined, const QTransform& t)
{
    if (joined.missing().empty()) return;
    QPainterPath seen;
    const auto boxOf = [&](const image::Joined::Tile& tile) {
        QPainterPath box;
        box.addPolygon(t.map(QPolygonF(QRectF(tile.x - 0.5, tile.y - 0.5, tile.width, tile.height))));
        return box;
    };
    for (const auto& tile : joined.tiles)
        if (tile.there) seen = seen.united(boxOf(tile));
    const report::Theme& th = report::lightTheme();
    for (const auto& tile : joined.tiles) {
        if (tile.there) continue;
        const QPainterPath hole = boxOf(tile).subtracted(seen);
        const QRectF box = hole.boundingRect();
        p.save();
        p.setClipPath(hole, Qt::IntersectClip);
        p.fillRect(box, th.paper);
        report::hatch(p, box, th.fail, 9);
        p.restore();
        const QString text = SheetView::tr("tile %1 is missing").arg(QString::fromStdString(tile.name));
        QRectF plate(0, 0, p.fontMetrics().horizontalAdvance(text) + 16, 24);
        plate.moveCenter(box.center());
        p.setPen(QPen(th.fail, 1)), p.setBrush(th.paper);
        p.drawRect(plate);
        p.drawText(plate, Qt::AlignCenter, text);
    }
}
} // namespace

void SheetView::paintEvent(QPaintEvent*)
{
    QPainter p(this);
    p.fillRect(rect(), theme().dark ? QColor("#10141A") : QColor("#E9E6DD"));
    p.setFont(report::uiFont(13));
    if (m_picture.isNull()) {
        p.setPen(theme().ink);
        const QString text =
            !m_session.pictureError().isEmpty() ? tr("This picture cannot be shown\n%1").arg(m_session.pictureError())
            : m_session.loading()               ? tr("Reading the picture …")
            : m_session.trialCount() == 0       ? tr("No pictures yet\nDrop pictures or a folder here, or press Ctrl+P")
                                                : tr("No picture chosen");
        p.drawText(rect().adjusted(24, 24, -24, -24), Qt::AlignCenter | Qt::TextWordWrap, text);
        return;
    }
    const QTransform t = toScreen();
    paintPicture(p, m_drag == Drag::Pan);
    if (const auto& joined = m_session.shownPicture().joined) paintHoles(p, *joined, t);
    report::SheetScene scene;
    scene.recipe = &m_session.prepared()->recipe();
    scene.result = m_session.loading() ? nullptr : m_session.currentResult();
    scene.item = m_session.item();
    scene.selected = m_session.draft() ? m_session.draft()->offer().step.id : m_session.selected();
    scene.all = m_all;
    scene.onlyFailed = m_onlyFailed;
    scene.uncertainty = m_uncertainty;
    scene.pending = m_session.viewIsPending();
    scene.pictureSize = m_picture.size();
    scene.heights = sceneHeights();
    if (const auto* item = m_session.currentItem())
        scene.deviation = report::deviationView(*item, scene.selected, toScreen(), 1);
    scene.obstacle = report::titleBlockBox(scene, m_session.pictureName(), QRectF(rect()));
    if (m_session.draft() && m_drag == Drag::None)
        scene.covered = offerRect(0).united(offerRect(int(m_session.draft()->offers.size()))).adjusted(-3, -3, 3, 3);
    // What stands over the sheet's foot is kept clear of labels.
    for (const auto* list : findChildren<FaultList*>(Qt::FindDirectChildrenOnly))
        if (list->isVisible()) scene.covered = scene.covered.united(QRectF(list->geometry()));
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
                const bool back = spec && spec->searchesRound ? kind->isReversedRound(s->params) : reversed;
                report::paintRegion(p, region, spec && spec->searchesAcross, back, t, 1, false,
                                    spec && spec->searchesRound);
            }
        }
        // Labels over the regions: a text is never crossed.
        if (m_steady) {
            const std::vector<double> seen{m_zoom,       double(width()),    double(height()), m_anchor.x(),
                                           m_anchor.y(), double(m_quarters), double(m_all),    double(m_onlyFailed)};
            if (seen != m_stoodFor) m_stood.clear(), m_stoodFor = seen;
            scene.stood = &m_stood;
        }
        m_labels = report::paintSheet(p, scene, t, QRectF(rect()));
        for (const report::PlacedLabel& l : m_labels)
            if (m_steady && std::none_of(m_stood.begin(), m_stood.end(), [&](const report::PlacedLabel& known) {
                    return known.step == l.step && known.output == l.output;
                }))
                m_stood.push_back(l);
        if (m_drag != Drag::Stroke) {
            p.setRenderHint(QPainter::Antialiasing);
            // Places carry their number; the one under the pointer its name. A plate that would cover another is left
            // out.
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
                if (!over &&
                    std::any_of(plates.begin(), plates.end(), [&](const QRectF& q) { return q.intersects(plate); }))
                    continue;
                plates.push_back(plate);
                p.setPen(Qt::NoPen);
                p.drawRect(plate);
                p.setPen(report::lightTheme().datum);
                p.drawText(plate, Qt::AlignCenter, text);
            }
        }
        if (const Step* to = m_session.recipe().find(m_snappedTo); to && m_drag == Drag::Handle) {
            for (const Handle& h : handles())
                if (h.region == m_handle.region && h.index == m_handle.index) {
                    p.setPen(QPen(report::lightTheme().datum, 1.6));
                    p.setBrush(Qt::NoBrush);
                    p.drawEllipse(screenOf(h.at), 11, 11);
                }
            paintAt(p, m_pointer, tr("at %1").arg(QString::fromStdString(to->name)));
        }
        countLabels(scene);
        report::paintTitleBlock(p, scene, m_session.pictureName(), QRectF(rect()));
    }
    if (!m_bare) {
        paintPictureKeys(p);
        if (const auto& ghosts = m_session.ghosts(); !ghosts.regions.empty())
            if (const auto motion =
                    inspect::Placing(m_session.prepared()->recipe(), m_session.currentItem()).following(ghosts.datum))
                for (const Region& r : ghosts.regions)
                    report::paintRegion(p, motion->toPicture(r), false, false, t, 0.8, true);
        paintPointed(p);
    }
    if (m_drag == Drag::Label && rect().contains(m_pointer.toPoint())) {
        p.setPen(QPen(report::lightTheme().datum, 1.4, Qt::DashLine));
        p.setBrush(Qt::NoBrush);
        p.drawRect(m_label.box.translated(m_pointer - m_pressed));
    }
    if (m_drag == Drag::Stroke) paintStroke(p);
    else if (!m_pointerText.isEmpty()) paintAt(p, m_pointerTextAt, m_pointerText);
    if (m_session.draft() && m_drag == Drag::None) paintOffers(p);
    if (m_session.recipe().reference.empty() && !m_bare) {
        const QRectF note(12, 12, std::min(width() - 24.0, 470.0), 52);
        p.setPen(QPen(theme().datum, 1.4));
        p.setBrush(theme().paper);
        p.drawRect(note);
        p.setPen(theme().ink);
        p.drawText(note.adjusted(12, 4, -10, -4), Qt::AlignVCenter | Qt::TextWordWrap,
                   tr("No reference yet. Show a good part and press Ctrl+R to take this picture as reference; steps "
                      "are drawn on it."));
    } else if (!m_armed.empty()) {
        const StepKind* k = findKind(m_armed);
        const QString text =
            tr("The next stroke makes: %1   (Esc lets go)").arg(QString::fromStdString(k ? k->label : m_armed));
        const QRectF note(12, 12, p.fontMetrics().horizontalAdvance(text) + 24, 28);
        p.setPen(QPen(theme().datum, 1.4));
        p.setBrush(theme().paper);
        p.drawRect(note);
        p.setPen(theme().ink);
        p.drawText(note, Qt::AlignCenter, text);
    }
    if (const QString on = modes(); !on.isEmpty()) { // a view that shows less or other than the picture says so
        p.setFont(report::uiFont(12));
        QRectF plate(8, height() - 28, p.fontMetrics().horizontalAdvance(on) + 16, 20);
        if (plate.adjusted(-4, -4, 4, 4).intersects(scene.obstacle)) plate.moveBottom(scene.obstacle.top() - 8);
        p.setPen(QPen(theme().rule, 1));
        p.setBrush(theme().paper);
        p.drawRect(plate);
        p.setPen(theme().ink);
        p.drawText(plate, Qt::AlignCenter, on);
    }
    if (m_loupe || m_drag == Drag::Stroke) paintLoupe(p);
    if (hasFocus()) {
        p.setPen(QPen(theme().datum, 1));
        p.setBrush(Qt::NoBrush);
        p.drawRect(rect().adjusted(0, 0, -1, -1));
    }
}

// How many checks are told with their value.
void SheetView::countLabels(report::SheetScene& scene) const
{
    const auto* item = m_session.currentItem();
    if (!item || m_onlyFailed || !scene.result) return;
    for (const auto& c : item->checks)
        if (const Step* s = scene.recipe->find(c.step); s && !findKind(s->kind)->datum && c.balloon) ++scene.checks;
    scene.told = int(std::count_if(m_labels.begin(), m_labels.end(), [](const auto& l) { return !l.bare; }));
}

// What a person asks about: a ring round it, dashed when it was turned away.
void SheetView::paintPointed(QPainter& p)
{
    if (!m_session.pointed()) return;
    const auto& at = *m_session.pointed();
    const double a = std::max(9.0, at.radius * m_zoom * 1.2 + 5), b = std::max(9.0, at.across * m_zoom * 1.2 + 5);
    p.save();
    p.translate(screenOf(at.at));
    p.rotate(-geometry::degrees(at.angle));
    p.setRenderHint(QPainter::Antialiasing);
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(report::lightTheme().paper, 4.5));
    p.drawEllipse(QPointF(0, 0), a, b);
    p.setPen(QPen(report::lightTheme().datum, 2.2, at.kept ? Qt::SolidLine : Qt::DashLine));
    p.drawEllipse(QPointF(0, 0), a, b);
    p.restore();
}

void SheetView::paintStroke(QPainter& p)
{
    p.setRenderHint(QPainter::Antialiasing);
    const QPointF a = m_pressed, b = m_pointer;
    const report::Theme& th = report::lightTheme();
    if (m_area) {
        const Gesture g = gesture();
        const Point d = g.to - g.from;
        // As the view is turned: in steady view the area lies along the datum.
        const double along = std::abs(std::remainder(m_turn, geometry::kPi / 2)) < 1e-9 ? 0 : -m_turn;
        const Point u = geometry::direction(along), v = geometry::leftOf(u);
        report::paintRegion(p,
                            Region::rectangle((g.from + g.to) * 0.5, std::abs(geometry::dot(u, d)) + 1e-3,
                                              std::abs(geometry::dot(v, d)) + 1e-3, along),
                            false, false, toScreen());
        return;
    }
    if (!m_live.empty()) {
        const StepKind* kind = findKind(m_live.front().step.kind);
        for (const auto& [key, region] : regionsOf(m_live.front().step)) {
            const RegionSpec* spec = kind->region(key);
            report::paintRegion(p, region, spec && spec->searchesAcross, kind->isReversed(m_live.front().step.params),
                                toScreen());
        }
        // What the reading found, alive.
        if (const auto* r = m_liveItem.step(m_live.front().step.id))
            for (const Mark& m : r->marks) {
                QPainterPath path;
                for (std::size_t i = 0; i < m.points.size(); ++i)
                    i ? path.lineTo(screenOf(m.points[i])) : path.moveTo(screenOf(m.points[i]));
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
    paintAt(p, b, m_liveText);
}

void SheetView::paintAt(QPainter& p, QPointF b, const QString& text)
{
    const report::Theme& th = report::lightTheme();
    if (!text.isEmpty()) {
        p.setFont(report::sheetFont(16));
        const double w = p.fontMetrics().horizontalAdvance(text) + 16;
        QRectF box(b.x() + 16, b.y() + 14, w, 26);
        if (box.right() > width()) box.moveRight(std::max(box.width() + 2, b.x() - 12));
        if (box.bottom() > height()) box.moveBottom(b.y() - 12);
        p.setPen(QPen(th.datum, 1.2));
        p.setBrush(th.paper);
        p.drawRect(box);
        p.setPen(th.ink);
        p.drawText(box, Qt::AlignCenter, text);
    }
}

// Where it is, and how grey or how high; over the base where the chosen step asks for one.
QString SheetView::loupeText(Point at) const
{
    const image::Picture& shown = m_session.shownPicture();
    const int x = int(std::lround(at.x)), y = int(std::lround(at.y));
    const double k = m_session.recipe().mmPerPixel();
    const auto place = [&](double v) { return k > 0 ? QString::number(v * k, 'f', 2) : QString::number(v, 'f', 0); };
    const QString where =
        tr("%1, %2 %3").arg(place(at.x), place(at.y), k > 0 ? QStringLiteral("mm") : QStringLiteral("px"));
    if (shown.content != image::Content::Height)
        return where + tr("  grey %1").arg(shown.grey().levelAt(x, y), 0, 'f', shown.grey().wide ? 1 : 0);
    const image::HeightView v = shown.heights();
    if (v.missing(x, y)) return where + tr("  no point");
    QString text = where + tr("  z %1 mm").arg(v.mm(x, y), 0, 'f', 3);
    const Step* s = m_session.selectedStep();
    const auto* item = m_session.currentItem();
    if (const auto base = s ? s->inputs.find("base") : std::map<std::string, std::string>::const_iterator();
        s && item && base != s->inputs.end())
        if (const auto* found = item->step(base->second); found && found->state == inspect::State::Ok)
            for (const auto& [key, f] : found->features)
                if (const auto* plane = std::get_if<geometry::HeightPlane>(&f))
                    text += tr(", over base %1").arg(v.mm(x, y) - plane->at(x, y), 0, 'f', 3);
    return text;
}

std::optional<report::SheetScene::Heights> SheetView::sceneHeights() const
{
    const auto shown = m_session.heightRange();
    if (!shown || m_difference) return std::nullopt;
    const image::Picture& p = m_session.shownPicture();
    if (m_allHeights.first != &p) m_allHeights = {&p, report::wholeRange(p)}, m_covered = report::coveredShare(p);
    const auto& all = m_allHeights;
    if (!all.second) return std::nullopt;
    // Flyers far away would leave no room for the rest: twice the usual range on both sides is enough.
    const auto usual = report::usualRange(p).value_or(*shown);
    const double wide = std::max(usual.high - usual.low, 1e-9);
    report::SheetScene::Heights h;
    h.shown = *shown;
    h.covered = m_covered;
    h.all = {std::min({std::max(all.second->low, usual.low - wide), usual.low, shown->low}),
             std::max({std::min(all.second->high, usual.high + wide), usual.high, shown->high})};
    return h;
}

std::optional<report::HeightHandles> SheetView::heightHandles() const
{
    if (m_bare || m_picture.isNull()) return std::nullopt;
    report::SheetScene scene;
    scene.recipe = &m_session.prepared()->recipe();
    scene.heights = sceneHeights();
    return report::heightHandles(scene, m_session.pictureName(), QRectF(rect()));
}

void SheetView::dragHeights(QPointF to, bool both)
{
    const auto h = heightHandles();
    if (!h) return;
    const double perPixel = (h->all.high - h->all.low) / std::max(1.0, h->bar.width()),
                 moved = (to.x() - m_pressed.x()) * perPixel, least = 0.005 * (h->all.high - h->all.low);
    report::HeightRange r = m_rangeBefore;
    if (both || m_drag == Drag::HeightLow) r.low += moved;
    if (both || m_drag == Drag::HeightHigh) r.high += moved;
    if (r.high - r.low < least) (m_drag == Drag::HeightLow ? r.low = r.high - least : r.high = r.low + least);
    m_session.setHeightRange(r);
}

QRectF SheetView::pictureKeyRect(int index) const
{
    const auto capture = m_session.capture();
    if (!capture) return {};
    const QFontMetricsF metrics(report::uiFont(13));
    double x = 10;
    for (int i = 0; i < int(capture->pictures().size()); ++i) {
        const double wide =
            metrics.horizontalAdvance(QString::fromStdString(capture->pictures()[std::size_t(i)].key)) + 18;
        if (i == index) return {x, height() - (modes().isEmpty() ? 34.0 : 62.0), wide, 24};
        x += wide;
    }
    return {};
}

// Which picture of the capture is in view; a click, or I, shows another.
void SheetView::paintPictureKeys(QPainter& p)
{
    const auto capture = m_session.capture();
    if (!capture || capture->pictures().size() < 2) return;
    const report::Theme& th = theme();
    p.setRenderHint(QPainter::Antialiasing, false);
    p.setFont(report::uiFont(13));
    for (std::size_t i = 0; i < capture->pictures().size(); ++i) {
        const image::Picture& one = capture->pictures()[i];
        const QRectF r = pictureKeyRect(int(i));
        const bool now = one.key == m_session.shownPicture().key;
        p.setPen(QPen(now ? th.datum : th.rule, 1));
        p.setBrush(now ? th.selected : th.paper);
        p.drawRect(r);
        p.setPen(now ? th.datum : th.ink);
        p.drawText(r, Qt::AlignCenter, QString::fromStdString(one.key));
    }
}

void SheetView::paintLoupe(QPainter& p)
{
    const auto capture = m_session.capture();
    const Point at = pictureOf(m_pointer);
    if (!capture || !m_session.shownPicture().grey().contains(std::round(at.x), std::round(at.y)) ||
        !rect().contains(m_pointer.toPoint()))
        return;
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
            p.fillRect(QRectF(box.left() + i * cell, box.top() + j * cell, cell + 0.5, cell + 0.5),
                       m_picture.pixelColor(x, y));
        }
    p.setPen(QPen(report::lightTheme().datum, 1.4));
    p.setBrush(Qt::NoBrush);
    p.drawRect(QRectF(box.left() + (cells / 2) * cell, box.top() + (cells / 2) * cell, cell, cell));
    p.setPen(QPen(theme().ink, 1));
    p.drawRect(box);
    const QString text = loupeText(at);
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
    const QPointF places[] = {{region.right() + 14, region.top()},
                              {region.left() - size.width() - 14, region.top()},
                              {right, 8},
                              {8, 8},
                              {8, bottom},
                              {8, height() - size.height() - 34},
                              {right, bottom},
                              {right, height() / 2.0 - size.height() / 2},
                              {8, height() / 2.0 - size.height() / 2}};
    double least = 1e300;
    QPointF best(8, 8);
    for (const QPointF at : places) {
        const QRectF box(at, size);
        if (!QRectF(rect()).adjusted(4, 4, -4, -4).contains(box)) continue;
        const QRectF a = box.intersected(part), b = box.intersected(region);
        double cost = a.width() * a.height() + 4 * b.width() * b.height();
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
} // namespace desktop

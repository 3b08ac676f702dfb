#include "desktop/sheet_view.h"

#include "report/theme.h"

#include <QApplication>
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

SheetView::SheetView(Session& session, QWidget* parent) : SheetCanvas(parent), m_session(session)
{
    setObjectName(QStringLiteral("sheet"));
    setAccessibleName(tr("Sheet"));
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setMinimumSize(240, 180);
    connect(&session, &Session::trialChanged, this, &SheetView::pictureChanged);
    connect(&session, &Session::resultsChanged, this, [this] {
        standStill();
        if (m_taken || m_difference) renderPicture();
        update();
    });
    const auto otherPicture = [this] {
        if (m_taken || m_session.shownPicture().key != m_pictureKey) renderPicture();
        update();
    };
    connect(&session, &Session::recipeChanged, this, otherPicture);
    connect(&session, &Session::viewChanged, this, [this] {
        renderPicture();
        update();
    });
    connect(&session, &Session::selectionChanged, this, otherPicture);
    connect(&session, &Session::draftChanged, this, [this] {
        // A draft that became a step: its handles sleep until they are asked for.
        const Draft* d = m_session.draft();
        if (d) m_drafted = d->offer().step.id;
        else m_measuring = m_measuring && m_measureTo.empty();
        if (d) return update();
        if (!m_drafted.empty() && m_session.recipe().find(m_drafted)) m_justTaken = m_drafted, m_drafted.clear();
        update();
    });
    connect(&session, &Session::selectionChanged, this, [this] {
        if (!m_session.draft() && m_session.selected() != m_justTaken) m_justTaken.clear();
    });
    connect(&session, &Session::pointedChanged, this, [this] { update(); });
    connect(&session, &Session::draftRead, this, [this] { update(); });
    m_pointerTimer.setSingleShot(true);
    connect(&m_pointerTimer, &QTimer::timeout, this, [this] {
        m_pointerText.clear();
        update();
    });
}

// ---------------------------------------------------------------- view
void SheetView::pictureChanged()
{
    m_live.clear();
    renderPicture();
    standStill();
    update();
}

// Where the part lies on the reference and in the picture in view.
std::optional<std::pair<geometry::Pose, geometry::Pose>> SheetView::itemPose() const
{
    const auto prepared = m_session.prepared();
    const auto* item = m_session.currentItem();
    if (!prepared || prepared->itemDatum() < 0 || !item || m_session.loading()) return {};
    const Step& datum = prepared->recipe().steps[std::size_t(prepared->itemDatum())];
    const auto reference = inspect::referencePose(prepared->recipe(), datum.id);
    const auto* found = item->step(datum.id);
    if (!reference || !found || found->finds.empty()) return {};
    const auto& calibration = prepared->recipe().calibration;
    auto here = found->finds.front().pose;
    here.origin = calibration.picture(here.origin);
    return std::pair{geometry::Pose{calibration.picture(reference->origin), reference->angle}, here};
}

// The view is turned and shifted so that the part stands where it stood. Only the view: nothing is measured anew.
void SheetView::standStill()
{
    const double quarters = m_quarters * geometry::kPi / 2;
    const auto pose = m_steady ? itemPose() : std::nullopt;
    const double turn = pose ? quarters - geometry::wrapped(pose->second.angle - pose->first.angle) : quarters;
    if (m_steady && !pose) return; // not answered yet, or no part: as it was
    m_turn = std::abs(turn) < 1e-12 ? 0 : turn;
    if (pose) m_offset += m_anchor - screenOf(pose->second.origin);
    update();
}

void SheetView::keepAnchor()
{
    if (const auto pose = m_steady ? itemPose() : std::nullopt) m_anchor = screenOf(pose->second.origin);
}

void SheetView::setSteady(bool on)
{
    m_steady = on;
    m_turn = m_quarters * geometry::kPi / 2;
    fitPicture();
    if (on && !itemPose()) emit m_session.said(tr("Without a datum that is found the view cannot stand still"));
}

void SheetView::quarterTurn()
{
    m_quarters = (m_quarters + 1) % 4;
    m_turn = m_quarters * geometry::kPi / 2;
    fitPicture();
}

// In steady view every trial is fitted as the reference would be, so that nothing moves from one to the next.
void SheetView::fitPicture()
{
    const auto pose = m_steady ? itemPose() : std::nullopt;
    m_turn = m_quarters * geometry::kPi / 2;
    SheetCanvas::fitPicture();
    if (!pose || m_picture.isNull()) return;
    m_anchor = screenOf(pose->first.origin);
    standStill();
}

QString SheetView::modes() const
{
    QStringList on;
    if (m_session.showsReference()) on << tr("reference (E)");
    if (m_steady) on << tr("steady view (T)");
    if (m_quarters) on << tr("turned %1° (V)").arg(90 * m_quarters);
    if (m_difference) on << tr("difference (D)");
    if (m_taken) on << tr("taken and rest (W)");
    if (m_bare) on << tr("bare picture (Q)");
    if (!m_snapping) on << tr("no snapping (S)");
    if (m_greyUnder && !m_bare) on << tr("grey under marks");
    if (m_all) on << tr("all marks (A)");
    if (m_onlyFailed) on << tr("only what fails (Z)");
    if (m_measuring)
        on << (m_measureFrom.empty() || !m_session.recipe().find(m_measureFrom)
                   ? tr("measure (M)")
                   : tr("measure from %1 (M)")
                         .arg(QString::fromStdString(m_session.recipe().find(m_measureFrom)->name)));
    return on.join(QStringLiteral(" · "));
}

void SheetView::setDifference(bool on)
{
    m_difference = on;
    renderPicture();
    update();
}

// What lies at the same place of the reference, laid on the part: alike is paper, different is ink.
QImage SheetView::difference() const
{
    const auto prepared = m_session.prepared();
    const auto& reference = m_session.recipe().reference;
    const image::Picture& shown = m_session.shownPicture();
    const auto* other = reference.capture ? reference.capture->find(shown.key) : nullptr;
    if (!other && reference.capture) other = &reference.capture->first();
    const int item = prepared ? prepared->itemDatum() : -1;
    const auto placed = inspect::Placing(prepared->recipe(), m_session.currentItem())
                            .following(item < 0 ? std::string() : prepared->recipe().steps[std::size_t(item)].id);
    if (!other || !placed) return {};
    const image::GreyView here = shown.grey(), there = other->grey();
    QImage out(here.width, here.height, QImage::Format_Grayscale8);
    out.fill(224); // nothing to compare with
    constexpr int stride = 16;
    for (int y = 0; y < here.height; ++y) {
        uchar* row = out.scanLine(y);
        Point from = placed->toReference(Point{0, double(y)});
        for (int x0 = 0; x0 < here.width; x0 += stride) {
            const Point to = placed->toReference(Point{double(x0 + stride), double(y)});
            const double dx = (to.x - from.x) / stride, dy = (to.y - from.y) / stride;
            const int end = std::min(stride, here.width - x0);
            for (int i = 0; i < end; ++i) {
                const double x = from.x + dx * i, v = from.y + dy * i;
                const int xi = int(std::floor(x)), yi = int(std::floor(v));
                if (xi < 0 || yi < 0 || xi + 1 >= there.width || yi + 1 >= there.height) continue;
                const double fx = x - xi, fy = v - yi;
                const double level = (there.levelAt(xi, yi) * (1 - fx) + there.levelAt(xi + 1, yi) * fx) * (1 - fy) +
                                     (there.levelAt(xi, yi + 1) * (1 - fx) + there.levelAt(xi + 1, yi + 1) * fx) * fy;
                row[x0 + i] = uchar(std::clamp(251 - 3 * std::abs(here.levelAt(x0 + i, y) - level), 20.0, 251.0));
            }
            from = to;
        }
    }
    return out;
}

void SheetView::renderPicture()
{
    // The one before stays, without marks, for the moment it takes to read this one.
    if (m_session.loading()) return;
    setPicture(m_session.capture() ? pictureToShow() : QImage());
}

QImage SheetView::pictureToShow()
{
    const image::Picture& shown = m_session.shownPicture();
    m_pictureKey = shown.key;
    if (m_difference && !m_session.viewIsReference())
        if (QImage seen = difference(); !seen.isNull()) return seen;
    if (!m_taken && m_greyUnder && !m_bare && shown.content == image::Content::Colour)
        return report::toQImage(shown.levels());
    QImage plain = report::toQImage(shown, m_session.heightRange(), m_contours);
    if (!m_taken) return plain;
    // What the grey range takes keeps its look; the rest goes flat: to paper when dark is taken, to ink when bright is
    // taken.
    const Step* s = m_session.selectedStep();
    const auto* item = m_session.currentItem();
    if (!s || !item) return plain;
    const auto e = inspect::evidence(*m_session.prepared(), *m_session.capture(), *item, s->id);
    if (!e || (!e->takes && !e->takesHeights)) return plain;
    bool placed = false;
    const auto regions = inspect::Placing(m_session.prepared()->recipe(), item).regions(*s, placed);
    const bool dark = !e->mask && e->low <= 0.5;
    const uchar rest = dark ? 251 : 31;
    const auto searched = regions.find(findKind(s->kind)->regions.front().key);
    const Region where = searched == regions.end() ? Region::whole() : searched->second;
    if (e->takesHeights && shown.content == image::Content::Height) {
        // What lies beyond the band goes to paper, its border drawn.
        const image::HeightView v = shown.heights();
        const auto in = [&](int x, int y) {
            if (x < 0 || y < 0 || x >= v.width || y >= v.height || v.missing(x, y)) return false;
            const double z = v.mm(x, y) - e->over.at(x, y);
            return z >= e->low && z <= e->high;
        };
        for (const auto& span : geometry::spans(where, plain.width(), plain.height())) {
            auto* row = reinterpret_cast<QRgb*>(plain.scanLine(span.y));
            for (int x = span.from; x < span.to; ++x) {
                if (in(x, span.y)) continue;
                const bool border = in(x - 1, span.y) || in(x + 1, span.y) || in(x, span.y - 1) || in(x, span.y + 1);
                row[x] = border ? qRgb(42, 30, 70) : qRgb(251, 250, 246);
            }
        }
        return plain;
    }
    if (e->mask && shown.content == image::Content::Colour) {
        // Colour keeps its colour where it is taken; the rest goes grey.
        QImage colour = plain.convertToFormat(QImage::Format_RGB32);
        for (const auto& span : geometry::spans(where, colour.width(), colour.height())) {
            auto* row = reinterpret_cast<QRgb*>(colour.scanLine(span.y));
            for (int x = span.from; x < span.to; ++x)
                if (e->mask->row(span.y)[x] == 0) {
                    const int g = 120 + qGray(row[x]) / 3;
                    row[x] = qRgb(g, g, g);
                }
        }
        return colour;
    }
    QImage flat = report::toQImage(shown.levels());
    const image::GreyView grey = shown.grey();
    for (const auto& span : geometry::spans(where, flat.width(), flat.height())) {
        uchar* row = flat.scanLine(span.y);
        for (int x = span.from; x < span.to; ++x)
            if (const double level = grey.wide ? grey.levelAt(x, span.y) : row[x];
                e->mask ? e->mask->row(span.y)[x] == 0 : level < e->low || level > e->high)
                row[x] = rest;
    }
    return flat;
}

void SheetView::fit()
{
    if (m_picture.isNull()) return;
    m_fitMode = m_fitMode == 1 ? 0 : 1;
    if (m_fitMode == 1) return fitPicture();
    QRectF box;
    if (const auto* item = m_session.currentItem())
        for (const auto& r : item->steps)
            if (!r->finds.empty())
                for (const Mark& m : r->marks)
                    for (const Point p : m.points) box |= QRectF(p.x, p.y, 1, 1);
    if (box.isEmpty()) return fitPicture();
    QTransform turned;
    turned.rotateRadians(-m_turn);
    const QRectF seen = turned.mapRect(box);
    lookAt({box.center().x() - 0.5, box.center().y() - 0.5},
           std::min((width() - 140.0) / seen.width(), (height() - 140.0) / seen.height()));
}

void SheetView::singlePixels()
{
    if (m_picture.isNull()) return;
    const Point c = pointedPlace().value_or(pictureOf(rect().center()));
    m_fitMode = 2;
    lookAt(c, 1 / devicePixelRatioF());
}

void SheetView::lookAt(Point middle, double zoom)
{
    m_zoom = zoom;
    m_fitted = false;
    m_offset = {};
    m_offset = QPointF(width() / 2.0, height() / 2.0) - screenOf(middle);
    keepAnchor();
    redrawPicture();
    update();
}

// ---------------------------------------------------------------- measuring by pointing
void SheetView::startMeasuring()
{
    m_measuring = !m_measuring;
    m_measureFrom.clear(), m_measureTo.clear();
    if (!m_measuring) {
        m_session.dropDraft();
    } else {
        m_session.dropDraft();
        if (rect().contains(m_pointer.toPoint())) m_measureFrom = featureUnder(pictureOf(m_pointer));
        emit m_session.said(m_measureFrom.empty()
                                ? tr("Measure: point at one feature, then at another")
                                : tr("Measure from %1: point at another feature")
                                      .arg(QString::fromStdString(m_session.recipe().find(m_measureFrom)->name)));
    }
    update();
}

// The pointer moved: what it lies on is the second feature, once there is a first one.
void SheetView::measureTo()
{
    const Point at = pictureOf(m_pointer);
    const std::string under = featureUnder(at);
    if (under.empty() || under == m_measureFrom || under == m_measureTo) return;
    const Step* step = m_session.recipe().find(under);
    if (!step) return; // of the draft itself
    if (m_measureFrom.empty()) {
        m_measureFrom = under;
        emit m_session.said(tr("Measure from %1: point at another feature").arg(QString::fromStdString(step->name)));
        return update();
    }
    Gesture g;
    const auto place = [&](const std::string& id) {
        const auto* r = m_session.currentItem()->step(id);
        return m_session.recipe().calibration.picture(recipe::placeOf(r->features.begin()->second));
    };
    g.from = place(m_measureFrom), g.to = at;
    g.fromFeature = m_measureFrom, g.toFeature = under;
    auto offers = m_session.offersFor(g, "distance");
    if (offers.empty()) return sayAtPointer(tr("no distance between these two"));
    m_measureTo = under;
    m_session.setDraft(std::move(offers));
}

void SheetView::setTaken(bool on)
{
    m_taken = on;
    renderPicture();
    update();
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
        if (const auto* c = std::get_if<geometry::Circle>(&f); c && geometry::distance(c->centre, p) < c->radius)
            d = std::min(d, reach * 0.99);
        if (const auto* s = std::get_if<geometry::Segment>(&f)) {
            const double t = geometry::dot(s->along(), p - s->from);
            if (t >= -reach && t <= s->length() + reach) d = std::abs(geometry::signedDistance(*s, p));
        }
        if (const auto* g = std::get_if<Group>(&f)) // on one of its objects
            for (const auto& m : g->members)
                if (const double off = geometry::distance(m.centre, p); off < std::max(reach, m.width / 2))
                    d = std::min(d, reach * 0.98);
        if (const auto* e = std::get_if<geometry::Ellipse>(&f))
            d = std::min(geometry::distance(e->centre, p), geometry::offsetFromOutline(*e, p));
        if (const auto* c = std::get_if<Contour>(&f))
            for (const Point q : c->points) d = std::min(d, geometry::distance(q, p));
        if (d < least) least = d, best = r->step;
    }
    return best;
}

double SheetView::axisAt(Point p) const
{
    const auto* item = m_session.currentItem();
    if (!item) return 0;
    const std::string under = featureUnder(p);
    if (const auto* r = under.empty() ? nullptr : item->step(under); r && !r->features.empty())
        if (const auto* line = std::get_if<geometry::Segment>(&r->features.begin()->second)) {
            // In a gesture to another feature the datum's axes are meant.
            const std::string end = featureUnder(pictureOf(m_pointer));
            if (end.empty() || end == under) return geometry::angleOf(line->along());
        }
    const std::string datum = m_session.datumForNewSteps(p);
    const auto* found = datum.empty() ? nullptr : item->step(datum);
    return found && !found->finds.empty() ? found->finds.front().pose.angle : 0;
}

Gesture SheetView::gesture() const
{
    Gesture g;
    g.from = pictureOf(m_pressed), g.to = pictureOf(m_pointer);
    if (m_straight && !m_area) { // along or square to the edge it began at, else the datum
        const double axis = axisAt(g.from);
        const Point d = g.to - g.from, u = geometry::direction(axis), v = geometry::leftOf(u);
        const double x = geometry::dot(d, u), y = geometry::dot(d, v);
        const bool alongX = std::abs(x) > std::abs(y);
        const std::string start = featureUnder(g.from), end = featureUnder(g.to);
        // From one feature to another both stay: the part of the way along the datum is meant.
        if (!start.empty() && !end.empty() && start != end) g.axis = alongX ? Gesture::Axis::X : Gesture::Axis::Y;
        else g.to = g.from + (alongX ? u * x : v * y);
    }
    g.square = m_snapping;
    const double way = std::hypot(m_pointer.x() - m_pressed.x(), m_pointer.y() - m_pressed.y());
    g.type = way < kClick ? Gesture::Type::Click : m_area ? Gesture::Type::Area : Gesture::Type::Stroke;
    g.width = m_width;
    g.reversed = m_reversed;
    if (g.type == Gesture::Type::Click) g.fromFeature = featureUnder(g.from);
    if (g.type == Gesture::Type::Stroke) {
        if (!m_straight) g.path = m_path, g.path.push_back(g.to);
        g.fromFeature = featureUnder(g.from), g.toFeature = featureUnder(g.to);
        if (m_reversed) {
            std::swap(g.from, g.to), std::swap(g.fromFeature, g.toFeature);
            std::reverse(g.path.begin(), g.path.end());
        }
    }
    return g;
}

// Why a gesture makes nothing: what the chosen kind is drawn by, else what the picture lacks there.
QString SheetView::refusal(const Gesture& g) const
{
    if (const StepKind* k = findKind(m_armed)) return QString::fromStdString(k->label + ": " + k->gesture);
    if (g.type == Gesture::Type::Area) return tr("nothing to find in this area: no edges and no objects");
    return tr("no edge above %1 grey levels").arg(std::max(4 * m_session.noiseHere(), 8.0), 0, 'f', 0);
}
void SheetView::sayAtPointer(const QString& text)
{
    m_pointerText = text, m_pointerTextAt = m_pointer;
    m_pointerTimer.start(5000);
    update();
}

void SheetView::updateStroke(bool released)
{
    m_live.clear();
    m_liveText.clear();
    if (m_leaving) return;
    const Gesture g = gesture();
    if (!released && g.type != Gesture::Type::Stroke) return; // areas and clicks are read when let go
    m_live = m_session.offersFor(g, m_armed);
    if (!m_live.empty()) { // the reading chosen by Tab comes first, also in the draft
        m_reading = m_reading % int(m_live.size());
        std::rotate(m_live.begin(), m_live.begin() + m_reading, m_live.begin() + m_reading + 1);
    }
    if (released) return;
    if (m_live.empty()) {
        m_liveText = refusal(g);
        return;
    }
    std::optional<Evidence> evidence;
    const QString value = m_session.probe(m_live.front(), &m_liveItem, &evidence);
    if (evidence) emit m_session.strokeRead(evidence);
    m_liveText = value.isEmpty() ? QString::fromStdString(m_live.front().words) : value;
    if (const std::string& note = m_live.front().note; !note.empty())
        m_liveText += QStringLiteral(" · ") + QString::fromStdString(note);
    if (!m_live.front().wants.empty()) m_liveText = QString::fromStdString(m_live.front().wants);
}

void SheetView::mousePressEvent(QMouseEvent* e)
{
    setFocus(Qt::MouseFocusReason);
    m_pressed = m_pointer = e->position();
    m_path = {pictureOf(m_pressed)};
    m_wakes = false;
    m_pointerText.clear();
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
    if (m_session.capture() && m_session.capture()->pictures().size() > 1 && !m_bare)
        for (std::size_t i = 0; i < m_session.capture()->pictures().size(); ++i)
            if (pictureKeyRect(int(i)).contains(m_pointer))
                return m_session.viewPicture(m_session.capture()->pictures()[i].key);
    if (const auto h = heightHandles()) {
        const auto near = [&](QPointF at) {
            return std::abs(at.x() - m_pointer.x()) <= 9 && std::abs(at.y() - m_pointer.y()) <= 12;
        };
        if (near(h->low) || near(h->high)) {
            m_drag = near(h->high) ? Drag::HeightHigh : Drag::HeightLow;
            m_rangeBefore = *m_session.heightRange();
            return;
        }
    }
    if (m_session.draft()) {
        for (int i = 0; i < int(m_session.draft()->offers.size()); ++i)
            if (offerRect(i).contains(e->position())) return m_session.chooseOffer(i);
        if (takeRect(true).contains(e->position())) return m_session.takeDraft();
        if (takeRect(false).contains(e->position())) return m_session.dropDraft();
    }
    // Those of a step that was just taken do not catch the next stroke; a click on one wakes them.
    const bool asleep = !m_justTaken.empty() && m_justTaken == m_session.selected() && !m_session.draft();
    for (const Handle& h : handles())
        if (const QPointF d = screenOf(h.at) - e->position(); std::hypot(d.x(), d.y()) <= 8) {
            if (asleep) {
                m_wakes = true;
                break;
            }
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
    if ((m_session.datumForNewSteps(pictureOf(e->position())).empty() || (armed && armed->datum)) &&
        !m_session.viewIsReference()) {
        m_session.setShowReference(true);
        emit m_session.said(armed && armed->datum
                                ? tr("A datum is drawn on the reference; it is shown now")
                                : tr("No datum was found on this picture; the reference is shown, draw there"));
        return;
    }
    m_reading = 0, m_straight = false;
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
    m_straight = e->modifiers().testFlag(Qt::ShiftModifier);
    switch (m_drag) {
    case Drag::HeightLow:
    case Drag::HeightHigh: dragHeights(m_pointer, m_straight); break;
    case Drag::Pan:
        m_offset = m_panStart + (m_pointer - m_pressed);
        keepAnchor();
        m_fitted = false;
        break;
    case Drag::Handle:
        // A taught area is taught anew, which takes a while: once, when it is let go.
        // A hand that shakes on a click moves nothing.
        if (!teaches(m_handle) &&
            std::hypot(m_pointer.x() - m_pressed.x(), m_pointer.y() - m_pressed.y()) >= kClick / 2)
            moveHandle(m_handle, snapped(m_handle, pictureOf(m_pointer)));
        break;
    case Drag::Stroke:
        if (const QPointF d = m_pointer - screenOf(m_path.back()); std::hypot(d.x(), d.y()) >= 4)
            m_path.push_back(pictureOf(m_pointer));
        updateStroke(false);
        break;
    case Drag::Label: // carried off the sheet it is put into a field, and stays where it was
        setCursor(rect().contains(m_pointer.toPoint()) ? Qt::ClosedHandCursor : Qt::DragLinkCursor);
        break;
    case Drag::None: {
        if (m_measuring) {
            measureTo();
            return update();
        }
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

void SheetView::takeSample(Point at, bool refused)
{
    editStep(refused ? tr("not this colour") : tr("this colour"), [&](Step& s) {
        s.samples.push_back({at, refused, {}});
    });
    emit m_session.said(refused ? tr("This colour is refused") : tr("This colour is taken"));
    update();
}

// A click on the middle of a region: its arrow turns round; where there is none, something there may be made a step.
bool SheetView::clickedMiddle()
{
    const Step* s = editedStep();
    const StepKind* kind = s ? findKind(s->kind) : nullptr;
    const auto region = s ? s->regions.find(m_handle.region) : std::map<std::string, Region>::const_iterator();
    if (!kind || region == s->regions.end()) return false;
    const Shape shape = region->second.shape;
    const bool round = shape == Shape::Ring || shape == Shape::Arc;
    if (shape == Shape::Window || shape == Shape::Polyline || kind->param(kind->roles.reversed) ||
        (round && kind->param(kind->roles.reversedRound))) {
        reverse();
        return true;
    }
    if (wantsSamples() && !m_session.viewIsReference()) return false;
    if (wantsSamples()) {
        takeSample(pictureOf(m_pressed), QApplication::keyboardModifiers().testFlag(Qt::ShiftModifier));
        return true;
    }
    if (m_session.draft()) return false;
    m_area = false, m_reversed = false, m_width = 0, m_reading = 0;
    updateStroke(true);
    if (m_live.empty()) return false;
    m_session.setDraft(std::move(m_live));
    m_live.clear();
    return true;
}

void SheetView::mouseReleaseEvent(QMouseEvent* e)
{
    const Drag was = m_drag;
    m_pointer = e->position();
    m_drag = Drag::None;
    setCursor(Qt::CrossCursor);
    // Pulled from a mark into a field; asked for before anything there moves.
    const bool outside = was == Drag::Stroke && m_takesDrop && !rect().contains(m_pointer.toPoint());
    const std::string pulled = outside ? gesture().fromFeature : std::string();
    const bool given = !pulled.empty() && m_takesDrop(pulled, e->globalPosition().toPoint());
    if (was == Drag::Stroke) emit m_session.strokeRead({});
    if (was == Drag::HeightLow || was == Drag::HeightHigh) return update();
    if (given) {
        m_live.clear();
        return update();
    }
    if (was == Drag::Pan) redrawPicture();
    if (was == Drag::Handle) {
        const double way = std::hypot(m_pointer.x() - m_pressed.x(), m_pointer.y() - m_pressed.y());
        if (way < kClick && m_handle.index == 0 && m_handle.name.isEmpty() && clickedMiddle()) {
            m_session.endMerge();
            update();
            return;
        }
        if (way >= kClick / 2 && teaches(m_handle)) moveHandle(m_handle, snapped(m_handle, pictureOf(m_pointer)));
        m_snappedTo.clear();
        m_session.endMerge();
    }
    if (was == Drag::Label) {
        const double way = std::hypot(m_pointer.x() - m_pressed.x(), m_pointer.y() - m_pressed.y());
        if (way < kClick) { // a click chooses the step it belongs to
            m_session.dropDraft();
            m_session.select(m_label.step, m_label.output);
        } else if (rect().contains(m_pointer.toPoint())) {
            moveLabel();
        } else if (m_takesDrop) {
            m_takesDrop(m_label.step, e->globalPosition().toPoint());
        }
        m_session.endMerge();
    }
    if (was == Drag::Stroke && e->button() == Qt::LeftButton) {
        const Gesture g = gesture();
        if (g.type == Gesture::Type::Click && wantsSamples())
            return takeSample(g.from, e->modifiers().testFlag(Qt::ShiftModifier));
        if (m_wakes && g.type == Gesture::Type::Click) {
            // What can be made of the place goes before handles that sleep there.
            updateStroke(true);
            if (m_live.empty()) m_justTaken.clear();
            else m_session.setDraft(std::move(m_live));
            m_live.clear();
            update();
            return;
        }
        if (m_leaving) {
            leaveOut(g);
            update();
            return;
        }
        if (g.type == Gesture::Type::Click) {
            for (const auto& l : m_labels)
                if (l.box.contains(m_pointer)) {
                    if (m_session.nameIntoFormula(l.step, l.output)) return;
                    m_session.dropDraft();
                    m_session.select(l.step, l.output);
                    update();
                    return;
                }
        }
        if (g.type == Gesture::Type::Click && m_armed.empty() && m_takesClick && m_takesClick(g.from)) return update();
        updateStroke(true);
        if (m_live.empty()) {
            if (g.type == Gesture::Type::Click) {
                const std::string under = featureUnder(g.from);
                if (!under.empty()) m_session.select(under);
                if (under.empty() && !m_armed.empty()) sayAtPointer(refusal(g)), emit m_session.said(refusal(g));
            } else {
                const QString why = refusal(g);
                sayAtPointer(why);
                emit m_session.said(why.left(1).toUpper() + why.mid(1));
            }
        } else {
            // A click on something already found selects it; its offers would only repeat it.
            const std::string under = g.type == Gesture::Type::Click && m_armed.empty() ? featureUnder(g.from) : "";
            if (!under.empty()) m_session.select(under);
            else m_session.setDraft(std::move(m_live));
            if (!m_armedStays) {
                if (!m_armed.empty()) emit armedUsed();
                m_armed.clear();
            }
        }
        m_live.clear();
    }
    update();
}

std::optional<Point> SheetView::pointedPlace() const
{
    const Point at = pictureOf(m_pointer);
    if (m_picture.isNull() || !rect().contains(m_pointer.toPoint()) || at.x < -0.5 || at.y < -0.5 ||
        at.x > m_picture.width() - 0.5 || at.y > m_picture.height() - 0.5)
        return {};
    return at;
}

void SheetView::wheelEvent(QWheelEvent* e)
{
    if (m_drag == Drag::Stroke) { // averaging width
        const double now =
            m_width > 0 ? m_width : std::clamp(0.05 * geometry::distance(gesture().from, gesture().to), 7.0, 41.0);
        m_width = std::clamp(now + (e->angleDelta().y() > 0 ? 4 : -4), 1.0, 401.0);
        updateStroke(false);
        update();
        return;
    }
    // With a colour being shown: how much of its neighbourhood is taken.
    if (e->modifiers().testFlag(Qt::ShiftModifier) && changeTolerance(e->angleDelta().y() > 0 ? 1 : -1)) return;
    SheetCanvas::wheelEvent(e);
    keepAnchor();
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
    if (m_measuring) {
        m_measuring = false;
        m_session.dropDraft();
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
        m_armed.clear(), m_armedStays = false;
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

// Tab walks through the readings while a stroke is drawn; elsewhere it walks through the window.
bool SheetView::event(QEvent* e)
{
    if (e->type() == QEvent::KeyPress && m_drag == Drag::Stroke && static_cast<QKeyEvent*>(e)->key() == Qt::Key_Tab) {
        ++m_reading;
        updateStroke(false);
        update();
        return true;
    }
    return SheetCanvas::event(e);
}

void SheetView::keyPressEvent(QKeyEvent* e)
{
    const double step = e->modifiers().testFlag(Qt::ShiftModifier)     ? 10
                        : e->modifiers().testFlag(Qt::ControlModifier) ? 0.1
                                                                       : 1;
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
// What is held ends with the focus: nobody sees the key being let go elsewhere.
void SheetView::focusOutEvent(QFocusEvent* e)
{
    if (m_space && m_drag != Drag::Pan) setCursor(Qt::CrossCursor);
    m_space = false;
    QWidget::focusOutEvent(e);
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

// Regions, points, places and labels on the sheet, moved by hand.
#include "desktop/sheet_view.h"

#include <QMouseEvent>
#include <algorithm>
#include <cmath>

namespace desktop
{
using geometry::Point;
using geometry::Region;
using geometry::Shape;
using namespace recipe;

const Step* SheetView::editedStep() const { return m_session.selectedStep(); }

std::optional<inspect::Placed> SheetView::motionOf(const Step& step, const RegionSpec* spec) const
{
    const inspect::Placing placing(m_session.prepared()->recipe(), m_session.currentItem());
    // What is taught lies on the reference; on another picture it is shown where the part was found.
    if (spec && spec->teaching) return placing.following(m_session.viewIsReference() ? std::string() : step.id);
    return placing.following(spec && !spec->follows ? std::string() : step.datum);
}

// Places of the step's own, points and what is left out: of a taught part they lie on the reference, elsewhere they
// follow the datum.
std::optional<inspect::Placed> SheetView::ownMotion(const Step& step) const
{
    const StepKind* kind = findKind(step.kind);
    const bool taught = kind && kind->datum && kind->taughtOnReference();
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
            out.emplace_back(key, motion->toPicture(r));
    // Areas left out are edited like regions; their names begin with what no key begins with.
    for (std::size_t i = 0; i < step.leaveOut.size(); ++i)
        if (const auto motion = ownMotion(step))
            out.emplace_back("-" + std::to_string(i), motion->toPicture(step.leaveOut[i]));
    // The outline of the place that is meant; it is moved by the place's own square.
    if (const Place* place =
            m_session.draft() ? (step.places.empty() ? nullptr : &step.places.front()) : m_session.selectedPlace();
        place && place->outline)
        if (const auto motion = followingMotion(step))
            for (std::size_t i = 0; i < step.places.size(); ++i)
                if (step.places[i].name == place->name)
                    out.emplace_back("@" + std::to_string(i), motion->toPicture(*step.places[i].outline));
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
        // taught areas are edited on the reference
        if (spec && spec->teaching && !m_session.viewIsReference()) continue;
        // Those of one region do not pile up where it is small: the first ones stay.
        const std::size_t begin = out.size();
        const auto add = [&, k = key](int i, Point p) {
            for (std::size_t n = begin; n < out.size(); ++n)
                if (geometry::distance(out[n].at, p) * m_zoom < 13 && i > 1 + int(k.front() == '@')) return;
            out.push_back({k, i, p});
        };
        if (key.front() != '@') add(0, r.middle());
        // many of them: only moved, so that the part stays in view
        if (key.front() == '-' && s->leaveOut.size() > 2) continue;
        switch (r.shape) {
        case Shape::Whole: break;
        case Shape::Window:
            add(1, r.from), add(2, r.to),
                add(3, r.middle() + geometry::leftOf(geometry::unit(r.to - r.from)) * (r.width / 2));
            break;
        case Shape::Rectangle: {
            const Point u = geometry::direction(r.angle) * (r.width / 2),
                        v = geometry::leftOf(geometry::direction(r.angle)) * (r.height / 2);
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
            add(3, r.centre + geometry::direction(r.start) * radius),
                add(4, r.centre + geometry::direction(r.start + r.sweep) * radius);
            break;
        }
        case Shape::Polyline:
        case Shape::Polygon:
            for (std::size_t i = 0; i < r.points.size() && i < 60; ++i) add(int(i) + 1, r.points[i]);
            break;
        }
    }
    // Points: the origin of what is taught, the place of one object.
    if (const auto motion = kind ? ownMotion(*s) : std::nullopt;
        motion && !(kind->taughtOnReference() && kind->datum && !m_session.viewIsReference()))
        for (const PointSpec& spec : kind->points) {
            const auto set = s->points.find(spec.key);
            const auto* item = m_session.currentItem();
            const auto* found = item ? item->step(s->id) : nullptr;
            Point at = kind->regions.empty() || !s->regions.count(kind->regions.front().key)
                           ? pictureOf(QPointF(width() / 2.0, height() / 2.0))
                           : motion->toPicture(s->regions.at(kind->regions.front().key).middle());
            if (found && found->state == inspect::State::Ok && kind->regions.empty() && !found->features.empty())
                at = m_session.recipe().calibration.picture(recipe::placeOf(found->features.begin()->second));
            if (set != s->points.end()) at = motion->toPicture(set->second);
            // Beside the region's own middle when both fall together, so that either can be taken.
            const bool hidden = std::any_of(
                out.begin(), out.end(), [&](const Handle& h) { return geometry::distance(h.at, at) * m_zoom < 12; });
            out.push_back({"." + spec.key, 0, hidden ? at + Point{16 / m_zoom, 16 / m_zoom} : at});
        }
    // Where the elements of a list belong, and the named places of the step itself; not on a draft, which has none yet.
    if (const auto motion = m_session.draft() ? std::nullopt : followingMotion(*s)) {
        const auto add = [&](const std::string& key, std::size_t i, Point at, const std::string& name) {
            out.push_back({key, int(i), motion->toPicture(at),
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

std::optional<inspect::Placed> SheetView::followingMotion(const Step& step) const
{
    return inspect::Placing(m_session.prepared()->recipe(), m_session.currentItem()).following(step.datum);
}

void SheetView::moveLabel()
{
    if (std::hypot(m_pointer.x() - m_pressed.x(), m_pointer.y() - m_pressed.y()) < kClick) return;
    const Step* s = m_session.recipe().find(m_label.step);
    const auto motion = s ? followingMotion(*s) : std::nullopt;
    if (!motion) return;
    // Kept on the part: it goes where the part goes.
    const QPointF centre = m_label.box.center() + (m_pointer - m_pressed);
    const Point at = motion->toReference(pictureOf(centre));
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
                tr("point"), [&](Step& step) { step.points[h.region.substr(1)] = own->toReference(to); },
                QStringLiteral("point:") + QString::fromStdString(h.region));
        return;
    }
    if (h.region.front() == '#' || h.region == "@") {
        const auto follows = followingMotion(*s);
        if (!follows) return;
        const Point at = follows->toReference(to);
        editStep(
            tr("place"),
            [&](Step& step) {
                if (h.region == "@") {
                    Place& place = step.places.at(std::size_t(h.index));
                    const Point by = at - place.at;
                    place.at = at;
                    if (place.outline) place.outline = place.outline->mapped([&](Point p) { return p + by; });
                } else
                    for (Check& c : step.checks)
                        if (c.output == h.region.substr(1)) c.elements.at(std::size_t(h.index)).at = at;
            },
            QStringLiteral("place:") + QString::fromStdString(h.region) + QString::number(h.index));
        return;
    }
    const bool ofPlace = h.region.front() == '@';
    const auto motion = h.region.front() == '-' ? ownMotion(*s)
                        : ofPlace               ? followingMotion(*s)
                                                : motionOf(*s, kind->region(h.region));
    if (!motion) return;
    editStep(
        tr("region"),
        [&](Step& step) {
            const auto number = [&] { return std::size_t(std::stoi(h.region.substr(1))); };
            Region& stored = h.region.front() == '-' ? step.leaveOut.at(number())
                             : ofPlace               ? *step.places.at(number()).outline
                                                     : step.regions.at(h.region);
            Region r = motion->toPicture(stored);
            const auto minimum = [](double v) { return std::max(2.0, v); };
            if (h.index == 0) {
                const Point d = to - r.middle();
                r.from = r.from + d, r.to = r.to + d, r.centre = r.centre + d;
                for (Point& p : r.points) p = p + d;
            } else if (r.shape == Shape::Window) {
                if (h.index == 1 && geometry::distance(to, r.to) > 4) r.from = to;
                if (h.index == 2 && geometry::distance(to, r.from) > 4) r.to = to;
                if (h.index == 3)
                    r.width = minimum(2 * std::abs(geometry::cross(geometry::unit(r.to - r.from), to - r.from)));
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
            stored = motion->toReference(r);
            if (ofPlace) step.places.at(number()).at = stored.middle();
        },
        QStringLiteral("region:") + QString::fromStdString(h.region) + QString::number(h.index));
}

bool SheetView::teaches(const Handle& h) const
{
    const Step* s = editedStep();
    const StepKind* kind = s ? findKind(s->kind) : nullptr;
    if (kind && h.region.front() == '.') return kind->datum && kind->taughtOnReference();
    const RegionSpec* spec = kind ? kind->region(h.region) : nullptr;
    return spec && spec->teaching;
}

void SheetView::nudge(QPointF d)
{
    const auto all = handles();
    const auto middle =
        std::find_if(all.begin(), all.end(), [](const Handle& h) { return h.index == 0 && h.name.isEmpty(); });
    if (middle != all.end()) moveHandle(*middle, middle->at + Point{d.x(), d.y()});
}

// A double click on a corner takes it away, one on a side puts one there.
bool SheetView::changeCorners(Point at)
{
    const Step* s = editedStep();
    const StepKind* kind = s ? findKind(s->kind) : nullptr;
    if (!kind) return false;
    for (const auto& [key, r] : regionsOf(*s)) {
        if (r.points.empty() || key.front() == '@') continue;
        const bool closed = r.shape == Shape::Polygon;
        const std::size_t n = r.points.size();
        const auto motion = key.front() == '-' ? ownMotion(*s) : motionOf(*s, kind->region(key));
        if (!motion) continue;
        const auto edit = [&](const QString& what, const std::function<void(std::vector<Point>&)>& change) {
            editStep(what, [&, k = key](Step& step) {
                Region& stored =
                    k.front() == '-' ? step.leaveOut.at(std::size_t(std::stoi(k.substr(1)))) : step.regions.at(k);
                Region next = stored;
                change(next.points);
                if (next.check()) stored = next;
            });
        };
        for (std::size_t i = 0; i < n; ++i)
            if (geometry::distance(r.points[i], at) * m_zoom <= 8) {
                if (n <= (closed ? 3u : 2u)) {
                    emit m_session.said(tr("These corners are the least it can have"));
                    return true;
                }
                edit(tr("corner away"), [i](auto& points) { points.erase(points.begin() + std::ptrdiff_t(i)); });
                return true;
            }
        for (std::size_t i = 0; i + (closed ? 0 : 1) < n; ++i) {
            const Point a = r.points[i], b = r.points[(i + 1) % n];
            const double length = geometry::distance(a, b), along = geometry::dot(geometry::unit(b - a), at - a);
            const double off = std::abs(geometry::cross(geometry::unit(b - a), at - a));
            if (off * m_zoom > 8 || along < 0 || along > length || n >= geometry::kMostCorners) continue;
            edit(tr("new corner"), [&, i](auto& points) {
                points.insert(points.begin() + std::ptrdiff_t(i) + 1, motion->toReference(at));
            });
            return true;
        }
    }
    return false;
}

void SheetView::mouseDoubleClickEvent(QMouseEvent* e)
{
    if (e->button() == Qt::LeftButton && changeCorners(pictureOf(e->position()))) return;
    SheetCanvas::mouseDoubleClickEvent(e);
}

namespace
{
// About what a ring through this place would lie: the round thing that was found there, else the datum's origin.
std::optional<Point> ringCentre(const inspect::ItemResult* item, const Step& step, Point at,
                                const geometry::Calibration& calibration)
{
    if (!item) return {};
    std::optional<Point> best;
    double largest = 0, least = 1e300; // a bore goes before a small hole, then the nearest
    for (const auto& r : item->steps) {
        if (r->step == step.id || r->state != inspect::State::Ok || r->features.empty()) continue;
        const Feature& f = r->features.begin()->second;
        double radius = -1;
        if (const auto* c = std::get_if<geometry::Circle>(&f)) radius = c->radius;
        if (const auto* e = std::get_if<geometry::Ellipse>(&f)) radius = e->major / 2;
        if (radius < 0) continue;
        const Point centre = calibration.picture(placeOf(f));
        const double d = geometry::distance(centre, at);
        if (d < 0.5 * radius || radius < 0.95 * largest || (radius < 1.05 * largest && d >= least)) continue;
        largest = std::max(largest, radius), least = d, best = centre;
    }
    if (best) return best;
    for (const auto& r : item->steps)
        if (r->step == step.datum && !r->finds.empty()) best = calibration.picture(r->finds.front().pose.origin);
    return best && geometry::distance(*best, at) > 8 ? best : std::nullopt;
}
} // namespace

void SheetView::nextShape()
{
    const Step* s = editedStep();
    const StepKind* kind = s ? findKind(s->kind) : nullptr;
    if (!kind || s->regions.empty()) return;
    const std::string key = s->regions.begin()->first;
    const RegionSpec* spec = kind->region(key);
    if (!spec || spec->shapes.size() < 2) return;
    std::optional<Point> centre; // reference px
    if (const auto motion = motionOf(*s, spec); motion && spec->searchesRound)
        if (const auto here = ringCentre(m_session.currentItem(), *s, motion->toPicture(s->regions.at(key)).middle(),
                                         m_session.recipe().calibration))
            centre = motion->toReference(*here);
    editStep(tr("shape"), [&](Step& step) {
        Region& r = step.regions[key];
        std::vector<Shape> shapes = spec->shapes;
        // Searched round a centre: the arc through the window first, then the whole way round.
        if (spec->searchesRound)
            std::stable_sort(shapes.begin() + 1, shapes.end(), [](Shape a, Shape b) {
                const auto rank = [](Shape x) { return x == Shape::Arc ? 0 : x == Shape::Ring ? 1 : 2; };
                return rank(a) < rank(b);
            });
        const auto at = std::find(shapes.begin(), shapes.end(), r.shape);
        const Shape next = at == shapes.end() || at + 1 == shapes.end() ? shapes.front() : *(at + 1);
        if (next == Shape::Ring && r.shape == Shape::Arc) {
            r = Region::ring(r.centre, r.inner, r.outer);
            return;
        }
        if (next == Shape::Arc && r.shape == Shape::Ring) {
            r = Region::arc(r.centre, r.inner, r.outer, 0, geometry::kPi);
            return;
        }
        const Point c = r.middle();
        double w = r.width, h = r.height;
        if (r.shape == Shape::Circle || r.shape == Shape::Ring || r.shape == Shape::Arc) w = h = 2 * r.outer;
        if (!r.points.empty()) {
            const geometry::Region whole = r;
            double left = 1e300, right = -1e300, top = 1e300, bottom = -1e300;
            for (const Point p : whole.points)
                left = std::min(left, p.x), right = std::max(right, p.x), top = std::min(top, p.y),
                bottom = std::max(bottom, p.y);
            w = std::max(8.0, right - left), h = r.shape == Shape::Polyline ? r.width : std::max(8.0, bottom - top);
        }
        const Point middle = r.shape == Shape::Arc ? r.centre : c;
        if (r.shape == Shape::Window) w = geometry::distance(r.from, r.to), h = r.width;
        if (spec->searchesRound) {
            // Round a centre the angle is the value; laid about what is round there, through the window's middle.
            const bool round = next == Shape::Ring || next == Shape::Arc;
            for (Check& check : step.checks)
                if (!check.limits.any() && check.elements.empty() && kind->output(kind->roles.roundValue) &&
                    check.output == (round ? kind->mainOutput()->key : kind->roles.roundValue)) {
                    check.output = round ? kind->roles.roundValue : kind->mainOutput()->key;
                    check.limits.unit = m_session.recipe().unitOf(step, *kind->output(check.output));
                }
            if (next == Shape::Arc && centre && r.shape == Shape::Window) {
                const double radius = geometry::distance(*centre, c), half = std::max(3.0, r.width / 2);
                const double sweep = std::min(geometry::kPi, geometry::distance(r.from, r.to) / std::max(radius, 1.0));
                r = Region::arc(*centre, std::max(1.0, radius - half), radius + half,
                                geometry::angleOf(c - *centre) - sweep / 2, sweep);
                return;
            }
        }
        switch (next) {
        case Shape::Circle: r = Region::circle(c, std::max(w, h) / 2); break;
        case Shape::Ring: r = Region::ring(c, std::max(w, h) / 4, std::max(w, h) / 2); break;
        case Shape::Window: r = Region::window(c - Point{w / 2, 0}, c + Point{w / 2, 0}, h); break;
        case Shape::Rectangle: r = Region::rectangle(c, w, h, r.angle); break;
        case Shape::Arc: r = Region::arc(middle, std::max(w, h) / 4, std::max(w, h) / 2, 0, geometry::kPi); break;
        case Shape::Polygon:
            r = Region::polygon(
                {c - Point{w / 2, h / 2}, c + Point{w / 2, -h / 2}, c + Point{w / 2, h / 2}, c + Point{-w / 2, h / 2}});
            break;
        case Shape::Polyline:
            r = Region::polyline({c - Point{w / 2, 0}, c, c + Point{w / 2, 0}}, std::max(3.0, h));
            break;
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
    return kind->takesColour(s->params);
}

bool SheetView::changeTolerance(int steps)
{
    if (!wantsSamples()) return false;
    const StepKind* kind = findKind(editedStep()->kind);
    const ParamSpec* spec = kind->param(kind->roles.colourTolerance);
    const auto* range = spec ? std::get_if<Real>(&spec->domain) : nullptr;
    if (!range) return false;
    const double to =
        std::clamp(std::get<double>(spec->get(editedStep()->params)) + steps * range->step, range->min, range->max);
    editStep(
        tr("colour tolerance"), [&](Step& s) { spec->put(s.params, to); },
        QStringLiteral("param:") + QString::fromStdString(spec->key));
    sayAtPointer(tr("%1 %2").arg(QString::fromStdString(spec->label)).arg(to));
    return true;
}

Point SheetView::snapped(const Handle& h, Point to)
{
    m_snappedTo.clear();
    const auto* item = m_session.currentItem();
    const Step* edited = editedStep();
    if (!m_snapping || !item || !edited) return to;
    // Points, places and the middles of round regions jump; a side that is dragged is meant where it is.
    if (h.region.front() != '.' && h.region.front() != '#' && h.region.front() != '@') {
        const auto region = edited->regions.find(h.region);
        const bool round = region != edited->regions.end() &&
                           (region->second.shape == Shape::Circle || region->second.shape == Shape::Ring ||
                            region->second.shape == Shape::Arc);
        if (!round || h.index != 0) return to;
    }
    double least = 6 / m_zoom;
    Point best = to;
    const auto offer = [&](Point p, const std::string& step) {
        p = m_session.recipe().calibration.picture(p);
        const double d = geometry::distance(p, to);
        if (d >= least) return;
        least = d, best = p;
        m_snappedTo = step;
    };
    for (const auto& r : item->steps) {
        if (r->step == edited->id || r->state != inspect::State::Ok) continue;
        for (const auto& [key, f] : r->features) {
            if (const auto* line = std::get_if<geometry::Segment>(&f))
                offer(line->from, r->step), offer(line->to, r->step);
            else if (const auto* group = std::get_if<Group>(&f)) {
                for (const auto& m : group->members) offer(m.centre, r->step);
            } else if (typeOf(f) != FeatureType::Contour) offer(placeOf(f), r->step);
        }
    }
    return best;
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
    Region r = g.type == Gesture::Type::Area ? Region::rectangle((g.from + g.to) * 0.5, std::max(1.0, std::abs(d.x)),
                                                                 std::max(1.0, std::abs(d.y)))
                                             : Region::polyline({g.from, g.to}, m_width > 0 ? m_width : 3);
    if (!r.check()) return;
    r = motion->toReference(r);
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
        if (const ParamSpec* flag = kind->param(kind->roles.reversed))
            return flag->put(step.params, !kind->isReversed(step.params));
        for (auto& [key, r] : step.regions)
            if (r.shape == Shape::Window) std::swap(r.from, r.to);
            else if (r.shape == Shape::Polyline) std::reverse(r.points.begin(), r.points.end());
            else if (const ParamSpec* flag = kind->param(kind->roles.reversedRound))
                flag->put(step.params, !kind->isReversedRound(step.params));
    });
}
} // namespace desktop

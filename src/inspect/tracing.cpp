#include "inspect/tracing.h"

#include "geometry/zones.h"
#include "vision/blobs.h"
#include "vision/refined_outline.h"
#include "vision/threshold.h"

#include <algorithm>

namespace inspect
{
using base::ErrorCode;
using base::fail;
using drawing::Element;
using geometry::Point;

namespace
{
constexpr double kAveraging = 5;
constexpr std::size_t kMostOutlines = 5000;

std::optional<double> thresholdOf(const image::GreyView& picture)
{
    const auto spans = geometry::spans(geometry::Region::whole(), picture.width, picture.height);
    const auto t = vision::automaticThreshold(vision::histogram(picture, spans));
    return t ? std::optional(*t) : std::nullopt;
}
// In px → mm with another frame.
Element moved(const Element& e, const drawing::Laid& laid)
{
    Element out = e;
    out.from = laid.toDrawing(e.from);
    out.to = laid.toDrawing(e.to);
    if (!e.arc) return out;
    out.centre = laid.toDrawing(e.centre);
    out.radius = e.radius / laid.pxPerMm;
    out.start = e.start - laid.pose.angle;
    out.curvature = 1 / out.radius;
    return out;
}
} // namespace

bool partIsDark(const image::GreyView& g)
{
    const auto t = thresholdOf(g);
    if (!t) return true;
    int bright = 0, all = 0;
    for (int x = 0; x < g.width; ++x)
        for (const int y : {0, g.height - 1}) bright += g.levelAt(x, y) >= *t, ++all;
    for (int y = 0; y < g.height; ++y)
        for (const int x : {0, g.width - 1}) bright += g.levelAt(x, y) >= *t, ++all;
    return 2 * bright >= all;
}

base::Result<Traced> trace(const image::GreyView& picture, const geometry::Calibration& calibration,
                           const TraceSettings& s)
{
    const double mm = calibration.mmPerPixel();
    if (!(mm > 0)) return fail(ErrorCode::NotFound, "a drawing is in mm: a calibration must say how large a px is");
    const auto threshold = thresholdOf(picture);
    if (!threshold) return fail(ErrorCode::NoResult, "the picture has one grey level only");
    Traced out;
    out.dark = s.dark.value_or(partIsDark(picture));
    out.toleranceMm = s.toleranceMm > 0 ? s.toleranceMm : 0.5 * mm;
    vision::BlobOptions o;
    o.low = out.dark ? 0 : *threshold;
    o.high = out.dark ? std::nextafter(*threshold, 0.0) : 255;
    o.leastArea = std::max(s.leastArea, 1e-4 * picture.width * picture.height);
    o.border = vision::BorderRule::DropAtPicture;
    const vision::BlobList list = vision::findBlobs(picture, geometry::Region::whole(), o);
    if (list.blobs.empty())
        return fail(ErrorCode::NoResult, list.atBorder > 0 ? "the part is cut by the picture's border"
                                                           : "nothing stands out from its ground");
    const vision::BlobRuns runs(list);
    vision::RefineOptions refine;
    refine.averaging = kAveraging;
    refine.leastStrength = 6;
    struct One {
        drawing::TracedLoop traced;
        std::vector<Point> points;
        bool hole;
    };
    std::vector<One> all;
    std::vector<Point> outer;
    for (std::size_t b = 0; b < list.blobs.size(); ++b) {
        bool first = true;
        for (const auto& corners : runs.outlines(int(b))) {
            const bool hole = !first;
            first = false;
            double area = 0;
            for (std::size_t i = 0; i < corners.size(); ++i)
                area += geometry::cross(corners[i], corners[(i + 1) % corners.size()]) / 2;
            if (std::abs(area) < s.leastArea) continue;
            if (all.size() >= kMostOutlines)
                return fail(ErrorCode::NoResult, "more than " + std::to_string(kMostOutlines) +
                                                     " outlines: this is no part on a plain ground");
            auto fine = vision::refinedOutline(picture, corners, refine);
            drawing::FoundLoop loop;
            loop.blur = fine.blur;
            loop.spread = fine.spread;
            for (const Point p : fine.points) loop.points.push_back(calibration.bends() ? calibration.level(p) : p);
            drawing::TraceOptions to;
            to.tolerance = out.toleranceMm / mm;
            auto traced = drawing::traceLoop(loop, to);
            if (!traced) continue; // a speck
            if (!hole) outer.insert(outer.end(), loop.points.begin(), loop.points.end());
            all.push_back({std::move(*traced), std::move(loop.points), hole});
        }
    }
    if (all.empty()) return fail(ErrorCode::NoResult, "no outline is long enough to be drawn");
    // The frame: lower left of the smallest box, x along its longer side, not upside down.
    const geometry::TurnedBox box = geometry::smallestBox(outer);
    double angle = box.angle;
    if (box.length - box.width < 1e-3 * box.length && angle > geometry::kPi / 4) angle -= geometry::kPi / 2;
    const Point along = geometry::direction(angle), up = geometry::leftOf(along);
    const double length = std::abs(geometry::wrapped(angle - box.angle)) < 1e-9 ? box.length : box.width,
                 width = length == box.length ? box.width : box.length;
    out.laid = {{box.centre - along * (length / 2) - up * (width / 2), angle}, 1 / mm, false};
    out.drawing.unit = drawing::LengthUnit::Millimetre;
    out.drawing.layers = {{"outline", 0, false}, {"holes", 0, false}};
    for (One& one : all) {
        TracedOutline t;
        t.hole = one.hole;
        t.tangent = one.traced.tangent;
        t.rmsMm = one.traced.rms * mm;
        t.worstMm = one.traced.worst * mm;
        for (const Element& e : one.traced.elements) {
            Element m = moved(e, out.laid);
            m.layer = one.hole;
            m.entity = int(out.drawing.elements.size()) + 1;
            t.elements.push_back(int(out.drawing.elements.size()));
            ++out.drawing.layers[std::size_t(m.layer)].elements;
            out.drawing.elements.push_back(m);
        }
        for (const Point p : one.points) t.points.push_back(out.laid.toDrawing(p));
        out.outlines.push_back(std::move(t));
    }
    return out;
}

void reframe(Traced& t, Point origin, double angle)
{
    // A drawing laid on a drawing, one mm a px.
    const drawing::Laid there{{origin, angle}, 1, false};
    for (Element& e : t.drawing.elements) e = moved(e, there);
    for (TracedOutline& o : t.outlines)
        for (Point& p : o.points) p = there.toDrawing(p);
    t.laid.pose = {t.laid.toPicture(origin), t.laid.pose.angle + angle};
}

namespace
{
// Rounded when that moves it no farther than `reach`.
bool near(double& v, double grain, double reach)
{
    const double to = std::round(v / grain) * grain;
    if (std::abs(to - v) > reach) return false;
    const bool other = std::abs(to - v) > 1e-12;
    v = to;
    return other;
}
// A straight side as its direction and the origin's distance to its left.
struct Straight {
    double angle = 0, offset = 0;
    Point foot(Point p) const
    {
        const Point left = geometry::leftOf(geometry::direction(angle));
        return p - left * (geometry::dot(p, left) - offset);
    }
    double off(Point p) const { return geometry::dot(p, geometry::leftOf(geometry::direction(angle))) - offset; }
};
Straight straightOf(const Element& e)
{
    const double angle = geometry::angleOf(e.to - e.from);
    return {angle, geometry::dot(e.from, geometry::leftOf(geometry::direction(angle)))};
}
bool meet(const Straight& a, const Straight& b, double byA, double byB, Point& out)
{
    const Point na = geometry::leftOf(geometry::direction(a.angle)),
                nb = geometry::leftOf(geometry::direction(b.angle));
    const double det = geometry::cross(na, nb);
    if (std::abs(det) < 1e-3) return false;
    const double da = a.offset + byA, db = b.offset + byB;
    out = {(da * nb.y - db * na.y) / det, (na.x * db - nb.x * da) / det};
    return true;
}

// Lines, and arcs that are tangent to a line at both ends: they are drawn anew from rounded lines and radii.
int roundLoop(std::vector<Element>& elements, const TracedOutline& o, double grain, double reach)
{
    const std::size_t n = o.elements.size();
    const auto at = [&](std::size_t k) -> Element& { return elements[std::size_t(o.elements[k % n])]; };
    for (std::size_t k = 0; k < n; ++k)
        if (at(k).arc && (at(k + n - 1).arc || at(k + 1).arc || !o.tangent[k] || !o.tangent[(k + 1) % n])) return 0;
    if (n < 2) return 0;
    int changed = 0;
    std::vector<Straight> lines(n);
    std::vector<double> radii(n);
    for (std::size_t k = 0; k < n; ++k) {
        const Element& e = at(k);
        radii[k] = e.radius;
        if (e.arc) {
            changed += near(radii[k], grain, reach);
            continue;
        }
        lines[k] = straightOf(e);
        double degrees = geometry::degrees(lines[k].angle);
        const Point middle = (e.from + e.to) * 0.5;
        if (near(degrees, 15, geometry::degrees(2 * reach / e.length()))) {
            ++changed;
            lines[k].angle = geometry::radians(degrees);
            lines[k].offset = geometry::dot(middle, geometry::leftOf(geometry::direction(lines[k].angle)));
        }
        if (std::abs(std::remainder(degrees, 90)) < 1e-9) changed += near(lines[k].offset, grain, reach);
    }
    // New ends of every side, all or none.
    std::vector<std::pair<Point, Point>> ends(n); // of lines, as they run
    std::vector<Point> centres(n);
    for (std::size_t k = 0; k < n; ++k) {
        const Straight &a = lines[(k + n - 1) % n], &b = lines[(k + 1) % n];
        if (at(k).arc) {
            const Point c = at(k).centre;
            const double sideA = a.off(c) >= 0 ? 1 : -1, sideB = b.off(c) >= 0 ? 1 : -1;
            Point made;
            if (meet(a, b, sideA * radii[k], sideB * radii[k], made)) {
                if (geometry::distance(made, c) > 4 * reach + 4 * std::abs(radii[k] - at(k).radius)) return 0;
            } else { // between parallel lines
                const double across = std::abs(a.off(c)) + std::abs(b.off(c));
                radii[k] = across / 2;
                made = a.foot(c) + geometry::leftOf(geometry::direction(a.angle)) * (sideA * radii[k]);
            }
            centres[k] = made;
            ends[(k + n - 1) % n].second = a.foot(made);
            ends[(k + 1) % n].first = b.foot(made);
        } else if (!at(k + 1).arc) {
            Point corner;
            if (!meet(lines[k], b, 0, 0, corner)) return 0;
            ends[k].second = corner;
            ends[(k + 1) % n].first = corner;
        }
    }
    for (std::size_t k = 0; k < n; ++k) {
        Element& e = at(k);
        const Element old = e;
        if (!e.arc) {
            e.from = ends[k].first;
            e.to = ends[k].second;
            continue;
        }
        const Point before = ends[(k + n - 1) % n].second, after = ends[(k + 1) % n].first;
        const bool along = geometry::distance(old.from, before) < geometry::distance(old.from, after);
        const Point from = along ? before : after, to = along ? after : before;
        const double start = geometry::angleOf(from - centres[k]);
        double sweep = geometry::angleOf(to - centres[k]) - start;
        while (sweep <= 1e-9) sweep += 2 * geometry::kPi;
        e = drawing::arcElement(centres[k], radii[k], start, sweep);
        e.from = from;
        e.to = to;
        e.layer = old.layer;
        e.entity = old.entity;
    }
    return changed;
}
} // namespace

int roundNominals(Traced& t, double grain, double reach)
{
    int changed = 0;
    for (const TracedOutline& o : t.outlines) {
        Element& e = t.drawing.elements[std::size_t(o.elements.front())];
        if (!e.whole()) {
            changed += roundLoop(t.drawing.elements, o, grain, reach);
            continue;
        }
        Point c = e.centre;
        double d = 2 * e.radius;
        changed += near(d, grain, reach);
        changed += near(c.x, grain, reach);
        changed += near(c.y, grain, reach);
        const Element old = e;
        e = drawing::arcElement(c, d / 2, 0, 2 * geometry::kPi);
        e.layer = old.layer;
        e.entity = old.entity;
    }
    return changed;
}

} // namespace inspect

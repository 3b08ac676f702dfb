#include "steps/drawing_glue.h"

#include "vision/blobs.h"
#include "vision/refined_outline.h"

#include <algorithm>

namespace steps
{
using namespace recipe;
using drawing::Laid;
using drawing::Outline;
using geometry::Point;

base::Result<Laid> laidFor(const RunInput& in)
{
    if (!in.drawing) return base::fail(base::ErrorCode::NotFound, "the recipe has no drawing");
    if (!in.onDrawing || !(in.mmPerPixel() > 0))
        return base::fail(base::ErrorCode::NotFound, "it follows no datum that lays the drawing on the part");
    return Laid{in.frame, 1 / in.mmPerPixel(), false};
}

std::vector<Outline::Foot> openStations(const Outline& outline, double cornerMm, std::size_t about)
{
    auto stations = outline.stations(outline.length() / double(about), 24);
    stations.erase(
        std::remove_if(stations.begin(), stations.end(), [&](const auto& s) { return s.cornerGap < cornerMm; }),
        stations.end());
    return stations;
}

DrawnEdges edgesAt(const RunInput& in, const Laid& laid, const std::vector<Outline::Foot>& stations,
                   const EdgeSearch& o)
{
    DrawnEdges out;
    const image::GreyView picture = in.grey();
    std::vector<vision::Edge> all;
    std::vector<double> bends;
    std::vector<Point> outwards;
    vision::EdgeOptions options;
    options.polarity = o.dark ? vision::Polarity::DarkToBright : vision::Polarity::BrightToDark;
    options.leastStrength = o.leastStrength;
    options.smoothing = o.smoothing;
    const double half = o.reach + 2 * o.smoothing + 2, mm = half / laid.pxPerMm;
    for (std::size_t i = 0; i < stations.size(); ++i) {
        const auto& s = stations[i];
        const Point from = in.picture(laid.toPicture(s.at - s.outward * mm)),
                    to = in.picture(laid.toPicture(s.at + s.outward * mm));
        const Point middle = (from + to) * 0.5;
        if (middle.x < 2 || middle.y < 2 || middle.x > picture.width - 3 || middle.y > picture.height - 3) continue;
        if (geometry::containsAny(in.leaveOut, middle)) continue;
        ++out.asked;
        const auto profile = vision::profile(picture, from, to, o.averaging);
        if (!profile) continue;
        std::optional<vision::Edge> best;
        const double centre = geometry::distance(from, to) / 2;
        for (const vision::Edge& e : vision::edges(*profile, options)) {
            if (std::abs(e.position - centre) > o.reach) continue;
            const bool better =
                best && (o.strongest ? e.strength > best->strength
                                     : std::abs(e.position - centre) < std::abs(best->position - centre));
            if (!best || better) best = e;
        }
        if (!best) continue;
        out.edges.push_back({i, in.level(best->point), best->strength});
        all.push_back(*best);
        bends.push_back(s.curvature / laid.pxPerMm);
        outwards.push_back(geometry::unit(laid.toPicture(s.at + s.outward) - laid.toPicture(s.at)));
    }
    constexpr double far = 1e6;
    const double wide = std::max(1.0, std::round(o.averaging));
    out.blur = vision::curvatureShift(all, far) * 2 * far + (wide * wide - 1) / 12;
    for (std::size_t i = 0; i < out.edges.size(); ++i)
        out.edges[i].found = out.edges[i].found + outwards[i] * (out.blur * bends[i] / 2);
    return out;
}

base::Result<std::vector<drawing::FoundLoop>> outlinesFor(const SelectionSettings& settings, const RunInput& in,
                                                          double leastArea, double averaging)
{
    const auto where = selectionSpans(in);
    if (where.empty()) return base::fail(base::ErrorCode::NoResult, "the region lies outside the picture");
    const auto taken = select(settings, in, where);
    if (!taken) return base::passOn(taken.error());
    if (taken->nothing) return base::fail(base::ErrorCode::NoResult, "all pixels of the region have one grey level");
    vision::BlobOptions o;
    o.low = taken->low;
    o.high = taken->high;
    o.leastArea = leastArea;
    const vision::BlobList list = vision::findBlobs(taken->view, where, o);
    if (list.blobs.empty())
        return base::fail(base::ErrorCode::NoResult, "no area of at least " + base::toText(leastArea, 0) + " px²");
    constexpr std::size_t kMostAreas = 20000;
    if (list.blobs.size() > kMostAreas)
        return base::fail(base::ErrorCode::NoResult, "more than " + std::to_string(kMostAreas) + " areas of at least " +
                                                         base::toText(leastArea, 0) + " px²");
    const vision::BlobRuns runs(list);
    std::vector<drawing::FoundLoop> out;
    vision::RefineOptions refine;
    refine.averaging = averaging;
    for (std::size_t b = 0; b < list.blobs.size(); ++b) {
        for (const auto& corners : runs.outlines(int(b))) {
            // Tiny holes are no holes of the part, as tiny areas are none.
            double area = 0;
            for (std::size_t i = 0; i < corners.size(); ++i)
                area += geometry::cross(corners[i], corners[(i + 1) % corners.size()]) / 2;
            if (std::abs(area) < leastArea) continue;
            auto fine = vision::refinedOutline(in.grey(), corners, refine);
            drawing::FoundLoop loop;
            loop.blur = fine.blur;
            loop.spread = fine.spread;
            for (std::size_t i = 0; i < fine.points.size(); ++i) {
                const Point p = fine.points[i];
                // The picture's border is no edge of the part.
                const auto g = in.grey();
                if (p.x < 1 || p.y < 1 || p.x > g.width - 2 || p.y > g.height - 2) continue;
                if (geometry::containsAny(in.leaveOut, p)) continue;
                loop.points.push_back(in.level(p));
            }
            if (loop.points.size() >= 8) out.push_back(std::move(loop));
        }
    }
    return out;
}

base::Result<DrawnElement> measureElement(const DrawnSettings& s, const RunInput& in, bool arc)
{
    auto laid = laidFor(in);
    if (!laid) return base::passOn(laid.error());
    const auto& elements = in.drawing->elements();
    const int loop =
        s.element >= 1 && std::size_t(s.element) <= elements.size() ? in.drawing->loopOf(s.element - 1) : -1;
    if (loop < 0)
        return base::fail(base::ErrorCode::NotFound,
                          "element " + std::to_string(s.element) + " is part of no closed outline of the drawing");
    const drawing::Element& e = elements[std::size_t(s.element - 1)];
    if (e.arc != arc)
        return base::fail(base::ErrorCode::InvalidArgument, "element " + std::to_string(s.element) + " is a " +
                                                                (e.arc ? "arc" : "line") + ": " + elementWords(e));
    const double mm = in.mmPerPixel();
    const double corner = std::min(4 * mm, e.length() / 4);
    std::vector<Outline::Foot> own;
    const double length = in.drawing->loops()[std::size_t(loop)].length;
    const auto same = [&](int k) {
        const drawing::Element& x = elements[std::size_t(k)];
        if (k == s.element - 1) return true;
        return arc && x.arc && geometry::distance(x.centre, e.centre) < 1e-3 && std::abs(x.radius - e.radius) < 1e-3;
    };
    const double spacing = std::clamp(e.length() / 400, mm, std::max(mm, e.length() / 24));
    const std::size_t n = std::clamp<std::size_t>(std::size_t(length / spacing), 24, 200'000);
    for (std::size_t i = 0; i < n; ++i) {
        const auto f = in.drawing->at(loop, length * (double(i) + 0.5) / double(n));
        if (same(f.element) && f.cornerGap >= corner) own.push_back(f);
    }
    DrawnElement out;
    out.laid = *laid;
    out.element = e;
    EdgeSearch search;
    search.reach = std::max(3.0, s.reach / mm);
    search.averaging = s.averaging;
    search.leastStrength = s.leastStrength;
    search.strongest = false;
    search.dark = true;
    DrawnEdges dark = edgesAt(in, *laid, own, search);
    search.dark = false;
    DrawnEdges bright = edgesAt(in, *laid, own, search);
    const double darkSum = double(dark.edges.size()), brightSum = double(bright.edges.size());
    for (const DrawnEdge& x : (brightSum > darkSum ? bright : dark).edges) out.points.push_back(x.found);
    out.asked = own.size();
    const std::size_t least = arc ? 5 : 3;
    if (out.points.size() < least || 100 * double(out.points.size()) < s.leastSeen * double(out.asked))
        return base::fail(base::ErrorCode::Absent, elementWords(e) + " is not seen: edges at " +
                                                       std::to_string(out.points.size()) + " of " +
                                                       std::to_string(out.asked) + " places");
    return out;
}

RunInput onto(const OfferInput& in)
{
    RunInput out = in.looking();
    out.calibration = in.calibration;
    out.drawing = in.drawing;
    out.onDrawing = in.onDrawing;
    out.frame = in.datum;
    return out;
}

bool materialIsDark(const RunInput& in, const Laid& laid)
{
    const image::GreyView g = in.grey();
    double sum = 0;
    for (const auto& s : openStations(*in.drawing, 4 / laid.pxPerMm, 300)) {
        const auto level = [&](double px) -> std::optional<double> {
            const Point p = in.picture(laid.toPicture(s.at + s.outward * (px / laid.pxPerMm)));
            if (!(p.x >= 0 && p.y >= 0 && p.x < g.width - 1 && p.y < g.height - 1)) return std::nullopt;
            return g.levelAt(int(p.x), int(p.y));
        };
        if (const auto inside = level(-4), outside = level(4); inside && outside) sum += *outside - *inside;
    }
    return sum >= 0;
}

std::optional<int> elementNear(const RunInput& in, const Laid& laid, Point p, double reach)
{
    const auto f = in.drawing->nearest(laid.toDrawing(p), reach / laid.pxPerMm);
    if (!f) return std::nullopt;
    return f->element + 1;
}

std::optional<DrawnPair> drawnPair(const Gesture& g, const OfferInput& in)
{
    if (g.type != Gesture::Type::Stroke || !in.onDrawing || !in.drawing || !g.fromFeature.empty() ||
        !g.toFeature.empty())
        return std::nullopt;
    const RunInput here = onto(in);
    const auto laid = laidFor(here);
    if (!laid) return std::nullopt;
    DrawnPair out;
    const drawing::Element* e[2]{};
    const Point ends[2] = {g.from, g.to};
    for (int i = 0; i < 2; ++i) {
        const auto number = elementNear(here, *laid, here.level(ends[i]), 10);
        if (!number) return std::nullopt;
        e[i] = &in.drawing->elements()[std::size_t(*number - 1)];
        if (e[i]->piece) return std::nullopt;
        const StepKind* kind = findKind(e[i]->arc ? "drawn_circle" : "drawn_line");
        Step s;
        s.kind = kind->key;
        s.name = e[i]->arc ? "Hole" : "Edge";
        s.params = kind->defaults;
        kind->param("element")->put(s.params, std::int64_t(*number));
        out.before.push_back(std::move(s));
    }
    if (e[0] == e[1]) return std::nullopt;
    const auto rounded = [](double v) { return std::round(v * 1e4) / 1e4; };
    const geometry::Segment a{e[0]->from, e[0]->to}, b{e[1]->from, e[1]->to};
    if (e[0]->arc && e[1]->arc) out.distance = rounded(geometry::distance(e[0]->centre, e[1]->centre));
    else if (e[0]->arc) out.distance = rounded(std::abs(geometry::signedDistance(b, e[0]->centre)));
    else if (e[1]->arc) out.distance = rounded(std::abs(geometry::signedDistance(a, e[1]->centre)));
    else if (geometry::angleBetween(a, b) < geometry::radians(0.5))
        out.distance = rounded(std::abs(geometry::signedDistance(a, (b.from + b.to) * 0.5)));
    else out.angle = rounded(geometry::degrees(geometry::angleBetween(a, b)));
    return out;
}

std::vector<Mark> drawnMarks(const Outline& outline, const Laid& laid)
{
    std::vector<Mark> out;
    std::size_t points = 0;
    for (std::size_t l = 0; l < outline.loops().size() && points < 50000; ++l) {
        Mark m{MarkShape::Polygon, MarkRole::Datum, outline.polygon(int(l), 0.1 / laid.pxPerMm), 0, {}};
        for (Point& p : m.points) p = laid.toPicture(p);
        points += m.points.size();
        out.push_back(std::move(m));
    }
    return out;
}

namespace
{
std::string at(Point mm)
{
    const auto p = drawing::drawn(mm);
    return "at " + base::toText(p.x, 1) + ", " + base::toText(p.y, 1);
}
} // namespace

std::string loopWords(const Outline& outline, int loop)
{
    const drawing::Loop& l = outline.loops()[std::size_t(loop)];
    const std::string what = l.hole ? "hole" : "outline";
    if (l.round) return what + " ⌀" + base::toText(2 * l.round->radius, 2) + " " + at(l.round->centre);
    return what + " " + base::toText(l.box.width(), 1) + " × " + base::toText(l.box.height(), 1) + " " + at(l.centre);
}
std::string elementWords(const drawing::Element& e)
{
    if (e.whole()) return "circle ⌀" + base::toText(2 * e.radius, 2) + " " + at(e.centre);
    if (e.arc) return "arc R" + base::toText(e.radius, 2) + " " + at(e.centre);
    return "edge of " + base::toText(e.length(), 2) + " mm " + at((e.from + e.to) * 0.5);
}

} // namespace steps

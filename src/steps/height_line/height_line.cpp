#include "steps/height_line/height_line.h"

#include <cmath>

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Point;
using geometry::Region;
using geometry::Segment;
using geometry::Shape;
using P = HeightLineParams;

namespace
{
struct Seen {
    std::vector<Point> points;
    std::vector<double> rises;
    geometry::Fit<Segment> fit;
};
base::Result<Seen> see(const P& p, const RunInput& in)
{
    const Region r = in.region("window");
    const Point u = geometry::unit(r.to - r.from), side = geometry::leftOf(u) * (p.backwards ? -1.0 : 1.0);
    const double length = geometry::distance(r.from, r.to);
    Seen s;
    for (int k = 0; k < p.windows; ++k) {
        const Point at = r.from + u * (length * (k + 0.5) / p.windows);
        const auto section = vision::sectionOf(
            in.heights(), vision::straight(at - side * (r.width / 2), at + side * (r.width / 2), p.windowWidth),
            baseOf(in));
        if (!section) continue;
        const auto edges = vision::heightEdges(*section, {p.least, p.smoothing, p.mostGap, signOf(p.sense)});
        const auto meant = pickEdge(edges, p.pick);
        if (!meant || geometry::containsAny(in.leaveOut, edges[*meant].point)) continue;
        s.points.push_back(in.level(edges[*meant].point));
        s.rises.push_back(edges[*meant].rise);
    }
    if (s.points.empty()) return base::fail(base::ErrorCode::NoResult, noStepText(p.least));
    const std::string counted =
        std::to_string(s.points.size()) + " of " + std::to_string(p.windows) + " windows have an edge";
    if (s.points.size() < 2) return base::fail(base::ErrorCode::NoResult, counted);
    auto fit = geometry::fitLine(s.points, p.reach);
    if (!fit) return base::passOn(fit.error());
    if (100.0 * fit->usedCount < p.leastShare * p.windows)
        return base::fail(base::ErrorCode::NoResult, counted + ", " + std::to_string(fit->usedCount) +
                                                         " in a line; at least " + base::toText(p.leastShare, 0) +
                                                         " % are needed");
    s.fit = std::move(*fit);
    return s;
}

base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    const auto seen = see(p, in);
    if (!seen) return base::passOn(seen.error());
    const Segment& s = seen->fit.shape;
    RunOutput out = lineResult(in, s);
    out.marks.clear();
    out.marks.push_back(lineMark(s.from, s.to));
    std::vector<Point> used, stray;
    double rise = 0;
    for (std::size_t i = 0; i < seen->points.size(); ++i) {
        (seen->fit.used[i] ? used : stray).push_back(seen->points[i]);
        if (seen->fit.used[i]) rise += seen->rises[i] / seen->fit.usedCount;
    }
    if (!used.empty()) out.marks.push_back(pointsMark(used, MarkRole::Used));
    if (!stray.empty()) out.marks.push_back(pointsMark(stray, MarkRole::Stray));
    out.points["all"] = used;
    out.values["rise"] = {rise};
    out.values["rms"] = {seen->fit.rms};
    out.values["used"] = {double(seen->fit.usedCount)};
    return out;
}

base::Result<Evidence> evidence(const P& p, const RunInput& in)
{
    const auto seen = see(p, in);
    if (!seen) return base::passOn(seen.error());
    Evidence e;
    e.title = "distance of the edge points from the line";
    e.xLabel = "px along the line", e.yLabel = "px";
    const Segment& s = seen->fit.shape;
    for (std::size_t i = 0; i < seen->points.size(); ++i)
        e.stems.push_back({geometry::dot(s.along(), seen->points[i] - s.from),
                           geometry::signedDistance(s, seen->points[i]),
                           {},
                           bool(seen->fit.used[i]),
                           in.picture(seen->points[i])});
    return e;
}

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    if (g.type != Gesture::Type::Stroke || in.seen().content != image::Content::Height) return {};
    const double length = geometry::distance(g.from, g.to);
    if (length < 24) return {};
    P p;
    p.windows = std::clamp(int(length / 8), 8, 60);
    const Region r = Region::window(g.from, g.to, 30);
    // The step that most of the windows see.
    const RunInput here = in.looking({{"window", r}});
    std::vector<double> rises;
    const Point u = geometry::unit(g.to - g.from), side = geometry::leftOf(u);
    double noise = 0;
    for (int k = 0; k < 5; ++k) {
        const Point at = g.from + (g.to - g.from) * ((k + 0.5) / 5);
        const auto s = vision::sectionOf(in.seen().heights(),
                                         vision::straight(at - side * 15, at + side * 15, p.windowWidth), planeOf(in));
        if (!s) continue;
        noise = std::max(noise, heightNoise(*s));
        const auto edges = vision::heightEdges(*s, {std::max(8 * noise, 1e-3), p.smoothing, p.mostGap, 0});
        if (const auto meant = pickEdge(edges, p.pick)) rises.push_back(edges[*meant].rise);
    }
    if (rises.size() < 3) return {};
    std::sort(rises.begin(), rises.end());
    const double rise = rises[rises.size() / 2];
    p.least = std::max(8 * noise, std::abs(rise) / 2);
    const double digits = std::pow(10, std::floor(std::log10(p.least)) - 1);
    p.least = std::floor(p.least / digits) * digits;
    p.sense = rise > 0 ? Sense::Up : Sense::Down;
    p.leastShare = 70;
    const auto seen = see(p, here);
    if (!seen) return {};
    const double off =
        std::abs(geometry::wrapped(geometry::angleOf(seen->fit.shape.along()) - geometry::angleOf(g.to - g.from)));
    if (std::min(off, geometry::kPi - off) > geometry::radians(6)) return {};
    p.leastShare = P{}.leastShare;
    Offer o;
    o.step.params = p;
    const Segment& line = seen->fit.shape;
    o.step.regions["window"] = Region::window(geometry::foot(line, g.from), geometry::foot(line, g.to), 30);
    if (const std::string plane = planeThere(in); !plane.empty()) o.step.inputs["base"] = plane;
    o.words = "line along the edge";
    // Drawn on the edge it is meant; beside one, what the stroke runs across is.
    const double beside =
        std::max(std::abs(geometry::signedDistance(line, g.from)), std::abs(geometry::signedDistance(line, g.to)));
    o.rank = beside < 5 ? -1 : 3;
    o.chosen = {"least", "sense", "windows"};
    return {o};
}
} // namespace

StepKind height_line()
{
    Declare<P> d({"height_line", "Line in height",
                  "Straight line along an edge in height, through many small windows; stray points are dropped."},
                 Question::What, 1, "edges of sections, vision/section.h; line as in geometry/fit.h");
    d.called("Line")
        .purpose("edge side rim border line height datum")
        .drawn("stroke along the edge")
        .gives(FeatureType::Line)
        .region({"window",
                 "Stroke along the edge",
                 "Laid along the edge; the search goes square to it, over its width.",
                 {Shape::Window},
                 true,
                 true,
                 false,
                 true});
    return declareHeights(d)
        .param(&P::windows, {"windows", "Windows", "Number of small windows along the edge."}, Unit::None,
               Whole{2, 2000}, true)
        .param(&P::windowWidth, {"window_width", "Window width", "Averaging width of each window along the edge."},
               Unit::Pixel, Real{1, 200, 1, 1, 15})
        .param(&P::least, {"least", "Least step", "Smaller ones are no edges."}, Unit::Millimetre,
               Real{1e-6, 1e6, 0.01, 0.01, 1}, true)
        .param(&P::sense, {"sense", "Goes", "Whether the ground rises or falls in the direction of the search."},
               senseChoices(), true)
        .param(&P::pick, {"pick", "Which one", "Of several edges in a window."}, pickChoices())
        .param(&P::backwards, {"reversed", "Search to the right",
                               "Search from the left hand side of the stroke to its right instead of the other way."})
        .reversedBy("reversed")
        .param(&P::reach,
               {"reach", "Belongs within",
                "Points farther from the line, and beyond three times their spread, are stray."},
               Unit::Pixel, Real{0.05, 100, 0.1, 0.1, 5})
        .param(&P::leastShare,
               {"least_share", "Least share of windows", "With fewer edge points in a line there is no line."},
               Unit::Percent, kShareRange)
        .param(&P::smoothing, {"smoothing", "Smoothing", "Width of the Gaussian edges are found with."}, Unit::Pixel,
               kSmoothingRange)
        .param(
            &P::mostGap,
            {"most_gap", "Widest gap", "Where points are missing beside the edge over a longer way, no edge is seen."},
            Unit::Pixel, Real{0, 10000, 1, 0, 100})
        .output({"angle", "Angle", "Direction of the line in the picture, counter-clockwise as seen.", Unit::Degree})
        .output({"datum_angle", "Angle to the datum",
                 "Direction of the line against the datum's x direction, counter-clockwise as seen.", Unit::Degree})
        .output({"length", "Length seen", "From the first to the last edge point used.", Unit::Pixel})
        .output({"rise", "Rise", "Mean rise of the edge in the direction of the search; down is negative.",
                 Unit::Millimetre})
        .output({"rms", "Residual", "Root mean square of the used points' distances.", Unit::Pixel})
        .output({"used", "Points used", "Number of edge points the line goes through.", Unit::None})
        .better({"rms"}, OutputSpec::Better::Less, 0.0)
        .better({"used"}, OutputSpec::Better::More, 0.0)
        .madeByStroke()
        .shows(evidence)
        .offers(offer)
        .runs(run);
}

} // namespace steps

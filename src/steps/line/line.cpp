#include "steps/line/line.h"

#include "geometry/fit.h"
#include "steps/glue.h"

#include <algorithm>

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Point;
using geometry::Region;
using geometry::Shape;
using P = LineParams;

namespace
{
struct Found {
    vision::Probe probe;
    geometry::Fit<geometry::Segment> fit;
};
base::Result<Found> find(const P& p, const image::GreyView& picture, const Region& r)
{
    Found f;
    f.probe = vision::probeLine(picture, {r.from, r.to}, r.width, p.windows, p.windowWidth, p.towardsRight,
                                {p.polarity, p.leastStrength, p.smoothing}, p.which);
    if (f.probe.edges.empty())
        return base::fail(base::ErrorCode::NoResult, f.probe.outside == p.windows
                                                         ? "the region lies outside the picture"
                                                         : noEdgeText(p.leastStrength) + " in any of " + std::to_string(p.windows) + " windows");
    std::vector<Point> points;
    for (const auto& e : f.probe.edges) points.push_back(e.point);
    auto fit = geometry::fitLine(points, p.reach);
    if (!fit) return base::passOn(fit.error());
    f.fit = std::move(*fit);
    return f;
}

base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    const Region r = in.region("window");
    auto f = find(p, in.grey(), r);
    if (!f) return base::passOn(f.error());
    const double share = 100.0 * f->fit.usedCount / p.windows;
    if (share < p.leastShare)
        return base::fail(base::ErrorCode::NoResult,
                          "the line is seen in " + base::toText(share, 0) + " % of the windows; " + base::toText(p.leastShare, 0) + " % are asked");
    RunOutput out;
    const geometry::Segment& s = f->fit.shape;
    out.values["angle"] = {geometry::degrees(geometry::wrapped(geometry::angleOf(s.along())))};
    out.values["length"] = {s.length()};
    out.values["share"] = {share};
    out.values["residual"] = {f->fit.rms};
    out.features["line"] = s;
    std::vector<Point> used, stray;
    for (std::size_t i = 0; i < f->probe.edges.size(); ++i) (f->fit.used[i] ? used : stray).push_back(f->probe.edges[i].point);
    out.marks.push_back(lineMark(s.from, s.to));
    out.marks.push_back(pointsMark(used, MarkRole::Used));
    if (!stray.empty()) out.marks.push_back(pointsMark(stray, MarkRole::Stray));
    return out;
}

base::Result<Evidence> evidence(const P& p, const RunInput& in)
{
    auto f = find(p, in.grey(), in.region("window"));
    if (!f) return base::passOn(f.error());
    Evidence e;
    e.title = "distance of the edge points from the line";
    e.xLabel = "px along the line", e.yLabel = "px";
    Evidence::Curve used{"used", {}, {}, false, false}, stray{"stray", {}, {}, false, true};
    for (std::size_t i = 0; i < f->probe.edges.size(); ++i) {
        const Point q = f->probe.edges[i].point;
        auto& c = f->fit.used[i] ? used : stray;
        c.x.push_back(geometry::dot(f->fit.shape.along(), q - f->fit.shape.from)), c.y.push_back(geometry::signedDistance(f->fit.shape, q));
    }
    e.curves = {used, stray};
    e.handles.push_back({"reach", "stray beyond", false, p.reach});
    e.note =
        std::to_string(f->fit.usedCount) + " of " + std::to_string(p.windows) + " windows used, residual " + base::toText(f->fit.rms, 3) + " px rms";
    return e;
}

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    if (g.type != Gesture::Type::Stroke) return {};
    const double length = geometry::distance(g.from, g.to);
    if (length < 24) return {};
    P p;
    p.windows = std::clamp(int(length / 8), 12, 60);
    p.leastStrength = std::max(4 * in.noise, 8.0);
    const Point cut = (g.to - g.from) * 0.05;
    const Region r = Region::window(g.from + cut, g.to - cut, 24);
    auto f = find(p, in.capture.grey.grey(), r);
    if (!f || f->fit.usedCount < 0.7 * p.windows) return {};
    const double off = std::abs(geometry::wrapped(geometry::angleOf(f->fit.shape.along()) - geometry::angleOf(g.to - g.from)));
    if (std::min(off, geometry::kPi - off) > geometry::radians(6)) return {};
    std::vector<double> strengths;
    int rising = 0;
    for (const auto& e : f->probe.edges) strengths.push_back(e.strength), rising += e.polarity > 0;
    std::sort(strengths.begin(), strengths.end());
    p.leastStrength = leastStrengthFor(strengths[strengths.size() / 4], in.noise);
    // The search starts on the dark side or the bright side as seen; keep it.
    p.polarity = 2 * rising > int(f->probe.edges.size()) ? vision::Polarity::DarkToBright : vision::Polarity::BrightToDark;
    p.towardsRight = g.reversed;
    if (g.reversed) p.polarity = p.polarity == vision::Polarity::DarkToBright ? vision::Polarity::BrightToDark : vision::Polarity::DarkToBright;
    Offer o;
    o.step.params = p;
    // Laid along the edge that was found, so that it stands square.
    const Point a = geometry::foot(f->fit.shape, r.from), b = geometry::foot(f->fit.shape, r.to);
    o.step.regions["window"] = Region::window(a, b, 30);
    o.words = "line";
    o.rank = 0;
    o.chosen = {"polarity", "least_strength", "windows"};
    return {o};
}
} // namespace

StepKind line()
{
    return Declare<P>({"line", "Line", "Straight line through the edge points of many small windows; stray points are dropped."}, Question::What, 1,
                      "least median of squares (Rousseeuw 1984), then total least squares; edges as in vision/edges.h")
        .purpose("edge side border straight contour baseline")
        .gives(FeatureType::Line)
        .region({"window",
                 "Stroke along the edge",
                 "Laid along the edge; the search goes square to it, over its width.",
                 {Shape::Window},
                 true,
                 true,
                 false,
                 true})
        .param(&P::polarity, {"polarity", "Polarity", "Which way the grey level must change along the search."}, polarityChoices(), true)
        .param(&P::towardsRight,
               {"reversed", "Search to the right", "Search from the left hand side of the stroke to its right instead of the other way."}, true)
        .param(&P::which, {"which", "Which edge", "Which edge of each small window counts."}, pickChoices(), true)
        .param(&P::leastStrength,
               {"least_strength", "Least strength", "Edges with a smaller grey difference are ignored; raise it when dirt is found."},
               Unit::GreyLevel, kStrengthRange, true)
        .param(&P::windows, {"windows", "Windows", "Number of small windows along the stroke; more of them quiet the noise."}, Unit::None,
               Whole{2, 2000})
        .param(&P::windowWidth, {"window_width", "Window width", "Averaging width of each small window along the edge."}, Unit::Pixel,
               Real{1, 200, 1, 1, 21})
        .param(&P::smoothing, {"smoothing", "Smoothing", "Width of the Gaussian that quiets the profile; raise it when noise makes false edges."},
               Unit::Pixel, kSmoothingRange)
        .param(&P::reach, {"reach", "Stray beyond", "Points farther from the line than this, and than three times the spread, are dropped as stray."},
               Unit::Pixel, Real{0.05, 50, 0.05, 0.1, 3})
        .param(&P::leastShare, {"least_share", "Least share", "Share of the windows that must agree on the line; fewer is 'not measured'."},
               Unit::Percent, Real{5, 100, 5}, true)
        .output({"angle", "Angle", "Direction of the line in the picture, counter-clockwise as seen.", Unit::Degree, false, true, false})
        .output({"length", "Length seen", "From the first to the last edge point used.", Unit::Pixel, false, true, false})
        .output({"share", "Share seen", "Windows whose edge lies on the line.", Unit::Percent, false, true, false})
        .output({"residual", "Residual", "Root mean square distance of the used points from the line.", Unit::Pixel, false, true, false})
        .reversedBy("reversed")
        .shows(evidence)
        .offers(offer)
        .runs(run);
}

} // namespace steps

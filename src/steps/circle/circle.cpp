#include "steps/circle/circle.h"

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
using P = CircleParams;

namespace
{
struct Found {
    vision::Probe probe;
    geometry::Fit<geometry::Circle> fit;
};
base::Result<Found> find(const P& p, const image::GreyView& picture, const Region& r)
{
    Found f;
    f.probe = vision::probeCircle(picture, r.centre, r.inner, r.outer, p.windows, p.windowWidth, p.inward, {p.polarity, p.leastStrength, p.smoothing},
                                  p.which);
    if (f.probe.edges.empty())
        return base::fail(base::ErrorCode::NoResult, f.probe.outside == p.windows
                                                         ? "the region lies outside the picture"
                                                         : noEdgeText(p.leastStrength) + " in any of " + std::to_string(p.windows) + " windows");
    std::vector<Point> points;
    for (const auto& e : f.probe.edges) points.push_back(e.point);
    auto fit = geometry::fitCircle(points, p.reach);
    if (!fit) return base::passOn(fit.error());
    f.fit = std::move(*fit);
    f.fit.shape.radius += vision::curvatureShift(f.probe.edges, f.fit.shape.radius);
    return f;
}

base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    auto f = find(p, in.grey(), in.region("ring"));
    if (!f) return base::passOn(f.error());
    const double share = 100.0 * f->fit.usedCount / p.windows;
    if (share < p.leastShare)
        return base::fail(base::ErrorCode::NoResult,
                          "the circle is seen in " + base::toText(share, 0) + " % of the windows; " + base::toText(p.leastShare, 0) + " % are asked");
    RunOutput out;
    const geometry::Circle& c = f->fit.shape;
    out.values["x"] = {c.centre.x}, out.values["y"] = {c.centre.y};
    out.values["radius"] = {c.radius}, out.values["diameter"] = {2 * c.radius};
    out.values["share"] = {share};
    out.values["residual"] = {f->fit.rms};
    out.features["circle"] = c;
    std::vector<Point> used, stray;
    for (std::size_t i = 0; i < f->probe.edges.size(); ++i) (f->fit.used[i] ? used : stray).push_back(f->probe.edges[i].point);
    out.marks.push_back({MarkShape::Circle, MarkRole::Found, {c.centre}, c.radius, {}});
    out.marks.push_back(pointsMark(used, MarkRole::Used));
    if (!stray.empty()) out.marks.push_back(pointsMark(stray, MarkRole::Stray));
    return out;
}

base::Result<Evidence> evidence(const P& p, const RunInput& in)
{
    auto f = find(p, in.grey(), in.region("ring"));
    if (!f) return base::passOn(f.error());
    Evidence e;
    e.title = "distance of the edge points from the circle";
    e.xLabel = "angle, °", e.yLabel = "px";
    Evidence::Curve used{"used", {}, {}, false, false}, stray{"stray", {}, {}, false, true};
    for (std::size_t i = 0; i < f->probe.edges.size(); ++i) {
        const Point d = f->probe.edges[i].point - f->fit.shape.centre;
        auto& c = f->fit.used[i] ? used : stray;
        c.x.push_back(geometry::degrees(geometry::angleOf(d))), c.y.push_back(geometry::length(d) - f->fit.shape.radius);
    }
    e.curves = {used, stray};
    e.handles.push_back({"reach", "stray beyond", false, p.reach});
    e.note =
        std::to_string(f->fit.usedCount) + " of " + std::to_string(p.windows) + " windows used, residual " + base::toText(f->fit.rms, 3) + " px rms";
    return e;
}

// The round thing under a click: rays to the first clear edge, twice, the second time from the centre found.
std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    if (g.type != Gesture::Type::Click) return {};
    const image::GreyView picture = in.capture.grey.grey();
    const double least = std::max(6 * in.noise, 20.0);
    geometry::Circle c{g.from, 0};
    int rising = 0, used = 0;
    std::vector<double> strengths;
    constexpr int rays = 48;
    for (int round = 0; round < 2; ++round) {
        const double far = round == 0 ? std::min(400.0, 0.3 * std::max(picture.width, picture.height)) : 1.4 * c.radius;
        std::vector<Point> points;
        rising = 0, used = 0;
        strengths.clear();
        for (int i = 0; i < rays; ++i) {
            const auto p = vision::profile(picture, c.centre, c.centre + geometry::direction(2 * geometry::kPi * i / rays) * far, 1);
            if (!p) continue;
            if (const auto e = vision::pick(vision::edges(*p, {vision::Polarity::Any, least, 1.5}), vision::Pick::First)) {
                points.push_back(e->point);
                rising += e->polarity > 0;
                strengths.push_back(e->strength);
            }
        }
        const auto fit = geometry::fitCircle(points, 1.0);
        if (!fit || fit->usedCount < 0.7 * rays || fit->rms > 1.5 || fit->shape.radius < 4) return {};
        c = fit->shape;
        used = int(points.size());
    }
    std::sort(strengths.begin(), strengths.end());
    P p;
    p.polarity = 2 * rising > used ? vision::Polarity::DarkToBright : vision::Polarity::BrightToDark;
    p.leastStrength = leastStrengthFor(strengths[strengths.size() / 4], in.noise);
    const double band = std::max(6.0, 0.15 * c.radius);
    Offer o;
    o.step.params = p;
    o.step.regions["ring"] = Region::ring(c.centre, std::max(1.0, c.radius - band), c.radius + band);
    o.words = "circle";
    o.rank = 0;
    o.chosen = {"polarity", "least_strength"};
    Offer diameter = o;
    diameter.step.name = "Diameter";
    diameter.words = "diameter";
    diameter.judged = {"diameter"};
    diameter.rank = 1;
    return {o, diameter};
}
} // namespace

StepKind circle()
{
    return Declare<P>(
               {"circle", "Circle", "Circle through the edge points of radial windows; stray points are dropped."}, Question::What, 1,
               "least median of squares (Rousseeuw 1984), then geometric least squares; inward shift of blurred discs undone (docs/methods.md)")
        .purpose("hole round diameter radius bore disc")
        .gives(FeatureType::Circle)
        .region({"ring", "Ring", "The edge is searched between the inner and the outer circle.", {Shape::Ring}})
        .param(&P::polarity, {"polarity", "Polarity", "Which way the grey level must change along the search."}, polarityChoices(), true)
        .param(&P::inward, {"inward", "Search inward", "Search from the outer circle to the inner one instead of outward."}, true)
        .param(&P::which, {"which", "Which edge", "Which edge of each window counts."}, pickChoices(), true)
        .param(&P::leastStrength,
               {"least_strength", "Least strength", "Edges with a smaller grey difference are ignored; raise it when dirt is found."},
               Unit::GreyLevel, kStrengthRange, true)
        .param(&P::windows, {"windows", "Windows", "Number of radial windows; more of them quiet the noise."}, Unit::None, Whole{3, 2000})
        .param(&P::windowWidth, {"window_width", "Window width", "Averaging width of each window along the arc."}, Unit::Pixel,
               Real{1, 100, 1, 1, 15})
        .param(&P::smoothing, {"smoothing", "Smoothing", "Width of the Gaussian that quiets the profile; raise it when noise makes false edges."},
               Unit::Pixel, kSmoothingRange)
        .param(&P::reach,
               {"reach", "Stray beyond", "Points farther from the circle than this, and than three times the spread, are dropped as stray."},
               Unit::Pixel, Real{0.05, 50, 0.05, 0.1, 3})
        .param(&P::leastShare, {"least_share", "Least share", "Share of the windows that must agree on the circle; fewer is 'not measured'."},
               Unit::Percent, Real{5, 100, 5}, true)
        .output({"x", "Centre x", "Place of the centre in the picture.", Unit::Pixel, false, false, false})
        .output({"y", "Centre y", "Place of the centre in the picture.", Unit::Pixel, false, false, false})
        .output({"radius", "Radius", "Radius of the circle.", Unit::Pixel, false, true, false})
        .output({"diameter", "Diameter", "Diameter of the circle.", Unit::Pixel, false, true, false})
        .output({"share", "Share seen", "Windows whose edge lies on the circle.", Unit::Percent, false, true, false})
        .output({"residual", "Residual", "Root mean square distance of the used points from the circle.", Unit::Pixel, false, true, false})
        .reversedBy("inward")
        .shows(evidence)
        .offers(offer)
        .runs(run);
}

} // namespace steps

#include "steps/circle/circle.h"

#include <algorithm>
#include <cmath>

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
base::Result<FoundShape<geometry::Circle>> find(const P& p, const RunInput& in)
{
    auto f = fitProbe<geometry::Circle>(p, in, probeRing(p, in), geometry::fitCircle,
                                        in.region("ring").shape == Shape::Arc ? "arc" : "circle");
    if (f) f->fit.shape.radius += vision::curvatureShift(f->probe.edges, f->fit.shape.radius);
    return f;
}

// An edge near the end of its window is seen in part only, and its place is skewed.
std::string nearBorder(const P& p, const RunInput& in, const geometry::Circle& c)
{
    const Region ring = in.region("ring");
    if (ring.shape != Shape::Ring) return {};
    const double off = geometry::distance(in.picture(c.centre), ring.centre), room = 2 * p.smoothing;
    if (c.radius + off <= ring.outer - room && c.radius - off >= ring.inner + room) return {};
    return "the circle lies " + base::toText(off, 1) +
           " px off the ring's middle and reaches its border: make the ring wider";
}

base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    const auto f = find(p, in);
    if (!f) return base::passOn(f.error());
    RunOutput out;
    const geometry::Circle& c = f->fit.shape;
    out.values["x"] = {c.centre.x}, out.values["y"] = {c.centre.y};
    const Point local = in.frame.toLocal(c.centre);
    out.values["along_x"] = {local.x}, out.values["along_y"] = {local.y};
    out.values["radius"] = {c.radius}, out.values["diameter"] = {2 * c.radius};
    std::vector<Point> used;
    for (std::size_t i = 0; i < f->probe.edges.size(); ++i)
        if (f->fit.used[i]) used.push_back(f->probe.edges[i].point);
    double start = 0, sweep = 2 * geometry::kPi;
    if (in.region("ring").shape == Shape::Arc) geometry::arcOf(c, used, start, sweep);
    out.values["start"] = {geometry::degrees(start)}, out.values["sweep"] = {geometry::degrees(sweep)};
    const geometry::Circle seen{c.centre, c.radius, start, sweep};
    out.features["circle"] = seen;
    const double apart =
        seen.radius * (in.region("ring").shape == Shape::Arc ? in.region("ring").sweep : 2 * geometry::kPi) / p.windows;
    const auto numbers = fitSpreads(*f, p, noiseAbout(in, in.region("ring")), apart, [&](Point q) {
        const Point out1 = geometry::unit(q - c.centre);
        return std::vector<double>{-out1.x, -out1.y, -1};
    });
    if (numbers.size() == 3) {
        out.featureSpreads["circle"] = numbers;
        out.spreads["x"] = {numbers[0]}, out.spreads["y"] = {numbers[1]}, out.spreads["radius"] = {numbers[2]};
        out.spreads["diameter"] = {scaled(numbers[2], 2)};
        if (in.frame == geometry::Pose{}) out.spreads["along_x"] = {numbers[0]}, out.spreads["along_y"] = {numbers[1]};
    }
    out.marks.push_back(roundMark(seen));
    tell(*f, p, out);
    if (const std::string near = nearBorder(p, in, c); !near.empty()) out.note += (out.note.empty() ? "" : "; ") + near;
    // The points lie on the circle as blurred; form is judged about the corrected one.
    const double shift = vision::curvatureShift(f->probe.edges, c.radius);
    for (Point& q : out.points["all"]) q = q + geometry::unit(q - c.centre) * shift;
    return out;
}

base::Result<Evidence> evidence(const P& p, const RunInput& in)
{
    const auto f = find(p, in);
    if (!f) return base::passOn(f.error());
    const geometry::Circle& c = f->fit.shape;
    return residuals(
        *f, p, "distance of the edge points from the circle", "angle, °",
        [&](Point q) { return geometry::degrees(geometry::angleOf(q - c.centre)); },
        [&](Point q) { return geometry::distance(q, c.centre) - c.radius; });
}

// Along an arc: the way the hand went says where it is.
std::vector<Offer> arcOffer(const Gesture& g, const OfferInput& in)
{
    const double chord = geometry::distance(g.from, g.to);
    if (g.path.size() < 5 || bulge(g.path) < std::max(4.0, 0.08 * chord)) return {};
    const auto drawn = geometry::fitCircle(g.path, std::max(4.0, 0.1 * chord));
    if (!drawn || drawn->rms > 0.04 * drawn->shape.radius + 2 || drawn->shape.radius > 20 * chord) return {};
    geometry::Circle c = drawn->shape;
    P p;
    p.leastStrength = std::max(4 * in.noise, 8.0);
    p.leastShare = 60, p.reach = 3;
    Region arc;
    std::optional<FoundShape<geometry::Circle>> found;
    for (int round = 0; round < 2; ++round) {
        double start = 0, sweep = 0;
        geometry::arcOf(c, g.path, start, sweep);
        const double band = round == 0 ? std::max(12.0, 0.2 * c.radius) : std::max(8.0, 0.15 * c.radius);
        arc =
            Region::arc(c.centre, std::max(1.0, c.radius - band), c.radius + band, start + 0.03 * sweep, 0.94 * sweep);
        auto f = find(p, in.looking({{"ring", arc}}));
        if (!f) return {};
        c = f->fit.shape;
        found = std::move(*f);
    }
    std::vector<double> strengths;
    int rising = 0;
    for (const auto& e : found->probe.edges) strengths.push_back(e.strength), rising += e.polarity > 0;
    std::sort(strengths.begin(), strengths.end());
    p.leastStrength = leastStrengthFor(strengths[strengths.size() / 4], in.noise);
    p.polarity = 2 * rising > int(strengths.size()) ? vision::Polarity::DarkToBright : vision::Polarity::BrightToDark;
    p.leastShare = P{}.leastShare, p.reach = reachFor(found->fit.rms);
    Offer o;
    o.step.name = "Arc";
    o.step.params = p;
    o.step.regions["ring"] = arc;
    o.words = "arc", o.rank = -1;
    o.chosen = {"polarity", "least_strength", "reach"};
    Offer radius = o;
    radius.step.name = "Radius";
    radius.words = "radius", radius.judged = {"radius"}, radius.rank = 0;
    return {o, radius};
}

// The round thing under a click: rays to the first clear edge, twice, the second time from the centre found.
std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    if (g.type == Gesture::Type::Stroke) return arcOffer(g, in);
    if (g.type != Gesture::Type::Click) return {};
    const image::GreyView picture = in.grey();
    const double least = std::max(6 * in.noise, 20.0);
    geometry::Circle c{g.from, 0};
    int rising = 0, used = 0;
    std::vector<double> strengths;
    double spread = 0;
    constexpr int rays = 48;
    for (int round = 0; round < 2; ++round) {
        const double far = round == 0 ? std::min(400.0, 0.3 * std::max(picture.width, picture.height)) : 1.4 * c.radius;
        std::vector<Point> points;
        rising = 0, used = 0;
        strengths.clear();
        for (int i = 0; i < rays; ++i) {
            const auto p = vision::profile(picture, c.centre,
                                           c.centre + geometry::direction(2 * geometry::kPi * i / rays) * far, 1);
            if (!p) continue;
            if (const auto e =
                    vision::pick(vision::edges(*p, {vision::Polarity::Any, least, 1.5}), vision::Pick::First)) {
                points.push_back(e->point);
                rising += e->polarity > 0;
                strengths.push_back(e->strength);
            }
        }
        const auto fit = geometry::fitCircle(points, 1.0);
        if (!fit || fit->usedCount < 0.7 * rays || fit->rms > 1.5 || fit->shape.radius < 4) return {};
        c = fit->shape;
        spread = fit->rms;
        used = int(points.size());
    }
    std::sort(strengths.begin(), strengths.end());
    P p;
    p.polarity = 2 * rising > used ? vision::Polarity::DarkToBright : vision::Polarity::BrightToDark;
    p.leastStrength = leastStrengthFor(strengths[strengths.size() / 4], in.noise);
    p.reach = reachFor(spread);
    // As wide as nothing else is met, so that the circle may lie elsewhere in the next part.
    double band = std::max(6.0, 0.15 * c.radius);
    for (const double share : {0.55, 0.4, 0.28}) {
        const double wide = share * c.radius;
        if (wide < band) break;
        const auto probe = vision::probeCircle(picture, c.centre, c.radius - wide, c.radius + wide, rays, 3, false,
                                               {p.polarity, p.leastStrength, 1.5}, vision::Pick::Strongest);
        std::vector<Point> points;
        for (const auto& e : probe.edges) points.push_back(e.point);
        const auto fit = geometry::fitCircle(points, 1.0);
        if (!fit || fit->usedCount < 0.95 * rays || geometry::distance(fit->shape.centre, c.centre) > 0.5 ||
            std::abs(fit->shape.radius - c.radius) > 0.5)
            continue;
        band = wide;
        break;
    }
    Offer o;
    o.step.params = p;
    o.step.regions["ring"] = Region::ring(c.centre, std::max(1.0, c.radius - band), c.radius + band);
    o.step.name = p.polarity == vision::Polarity::BrightToDark ? "Hole" : "Disc";
    o.words = "circle";
    o.rank = 0;
    o.chosen = {"polarity", "least_strength", "reach"};
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
    Declare<P> d({"circle", "Circle or arc",
                  "Circle or arc through the edge points of radial windows; stray points are dropped."},
                 Question::What, 1,
                 "least median of squares (Rousseeuw 1984), then geometric least squares; inward shift of blurred "
                 "discs undone (docs/methods.md)");
    d.purpose("hole round diameter radius bore disc arc rounding fillet")
        .called("Circle")
        .drawn("click the round thing, or stroke along an arc")
        .gives(FeatureType::Circle)
        .region({"ring",
                 "Ring",
                 "The edge is searched between the inner and the outer circle, all round or over an arc.",
                 {Shape::Ring, Shape::Arc}});
    return declareFit(d, "inward", "Search inward", "Search from the outer circle to the inner one instead of outward.")
        .output({"x", "Centre x", "Place of the centre in the picture.", Unit::Pixel, false, false})
        .output({"y", "Centre y", "Place of the centre in the picture.", Unit::Pixel, false, false})
        .place("x", "y")
        .output({"along_x", "Along datum x", "Place of the centre along the datum's x direction.", Unit::Pixel})
        .output({"along_y", "Along datum y", "Place of the centre along the datum's y direction.", Unit::Pixel})
        .output({"radius", "Radius", "Radius of the circle.", Unit::Pixel})
        .output({"diameter", "Diameter", "Diameter of the circle.", Unit::Pixel})
        .output({"start", "Arc start", "Direction at which the found arc begins; 0 for a whole circle.", Unit::Degree})
        .output({"sweep", "Arc sweep",
                 "Angle from the first to the last edge point used, counter-clockwise; 360 for a whole circle.",
                 Unit::Degree})
        .stated({"diameter"}, OutputSpec::Drawn::Diameter)
        .stated({"radius"}, OutputSpec::Drawn::Radius)
        .shows(evidence)
        .offers(offer)
        .runs(run);
}

} // namespace steps

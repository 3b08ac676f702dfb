#include "steps/line/line.h"

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
base::Result<FoundShape<geometry::Segment>> find(const P& p, const RunInput& in)
{
    const Region r = in.region("window");
    return fitProbe<geometry::Segment>(p, in,
                                       vision::probeLine(in.grey(), {r.from, r.to}, r.width, p.windows, p.windowWidth,
                                                         p.backwards, p.edges(), p.which),
                                       geometry::fitLine, "line");
}

base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    const auto f = find(p, in);
    if (!f) return base::passOn(f.error());
    RunOutput out;
    const geometry::Segment& s = f->fit.shape;
    out.values["angle"] = {geometry::degrees(geometry::wrapped(geometry::angleOf(s.along())))};
    out.values["datum_angle"] = {geometry::degrees(geometry::wrapped(geometry::angleOf(s.along()) - in.frame.angle))};
    out.values["length"] = {s.length()};
    out.values["x1"] = {s.from.x}, out.values["y1"] = {s.from.y}, out.values["x2"] = {s.to.x},
    out.values["y2"] = {s.to.y};
    out.features["line"] = s;
    // As an offset at the middle and a turn about it: both ends lie off square to the line only.
    const Region window = in.region("window");
    const Point middle = (s.from + s.to) * 0.5, along = s.along(), square = geometry::leftOf(along);
    const double noise = noiseAbout(in, window);
    const auto numbers = fitSpreads(*f, p, noise, geometry::distance(window.from, window.to) / p.windows, [&](Point q) {
        return std::vector<double>{-1, -geometry::dot(along, q - middle)};
    });
    if (numbers.size() == 2) {
        // Its ends are feet of edge points, which lie off along the search: not quite square to the line that was
        // found.
        const double aslant = geometry::dot(geometry::leftOf(geometry::unit(window.to - window.from)), along);
        double one = 0;
        for (const vision::Edge& e : f->probe.edges) one += e.perNoise * noise / double(f->probe.edges.size());
        const auto end = [&](Point q, std::uint64_t own) {
            auto at = alongSpread(square, plus(numbers[0], numbers[1], geometry::dot(along, q - middle)));
            at[0].add(Spread::source(own, one * aslant), along.x),
                at[1].add(Spread::source(own, one * aslant), along.y);
            return at;
        };
        const auto from = end(s.from, 2), to = end(s.to, 3);
        out.featureSpreads["line"] = {from[0], from[1], to[0], to[1]};
        // Counter-clockwise as seen is towards the left hand side.
        out.spreads["angle"] = {scaled(numbers[1], geometry::degrees(1))};
        if (in.frame == geometry::Pose{}) out.spreads["datum_angle"] = out.spreads["angle"];
        out.spreads["x1"] = {from[0]}, out.spreads["y1"] = {from[1]}, out.spreads["x2"] = {to[0]},
        out.spreads["y2"] = {to[1]};
    }
    out.marks.push_back(lineMark(s.from, s.to));
    tell(*f, p, out);
    return out;
}

base::Result<Evidence> evidence(const P& p, const RunInput& in)
{
    const auto f = find(p, in);
    if (!f) return base::passOn(f.error());
    const geometry::Segment& s = f->fit.shape;
    return residuals(
        *f, p, "distance of the edge points from the line", "px along the line",
        [&](Point q) { return geometry::dot(s.along(), q - s.from); },
        [&](Point q) { return geometry::signedDistance(s, q); });
}

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    if (g.type != Gesture::Type::Stroke) return {};
    const double length = geometry::distance(g.from, g.to);
    if (length < 24) return {};
    P p;
    p.windowWidth = 5;
    p.windows = std::clamp(int(length / 8), 12, 60);
    p.leastStrength = std::max(4 * in.noise, 8.0);
    const Point cut = (g.to - g.from) * 0.05;
    const Region r = Region::window(g.from + cut, g.to - cut, 24);
    p.leastShare = 70;
    p.reach = 3;
    RunInput here = in.looking({{"window", r}});
    auto f = find(p, here);
    if (!f) return {};
    p.leastShare = P{}.leastShare;
    p.reach = reachFor(f->fit.rms);
    const double off =
        std::abs(geometry::wrapped(geometry::angleOf(f->fit.shape.along()) - geometry::angleOf(g.to - g.from)));
    if (std::min(off, geometry::kPi - off) > geometry::radians(6)) return {};
    std::vector<double> strengths;
    int rising = 0;
    for (const auto& e : f->probe.edges) strengths.push_back(e.strength), rising += e.polarity > 0;
    std::sort(strengths.begin(), strengths.end());
    p.leastStrength = leastStrengthFor(strengths[strengths.size() / 4], in.noise);
    // The search starts on the dark side or the bright side as seen; keep it.
    p.polarity =
        2 * rising > int(f->probe.edges.size()) ? vision::Polarity::DarkToBright : vision::Polarity::BrightToDark;
    // A reversed stroke comes with its ends exchanged: its left hand side is the other one already.
    Offer o;
    o.step.params = p;
    // Laid along the edge that was found, so that it stands square.
    const Point a = geometry::foot(f->fit.shape, r.from), b = geometry::foot(f->fit.shape, r.to);
    o.step.regions["window"] = Region::window(a, b, 30);
    o.words = "line";
    o.rank = 0;
    o.chosen = {"polarity", "least_strength", "windows", "reach"};
    return {o};
}
} // namespace

StepKind line()
{
    Declare<P> d(
        {"line", "Line", "Straight line through the edge points of many small windows; stray points are dropped."},
        Question::What, 1,
        "least median of squares (Rousseeuw 1984), then total least squares; edges as in vision/edges.h");
    d.purpose("edge side border straight contour baseline")
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
    return declareFit(d, "reversed", "Search to the right",
                      "Search from the left hand side of the stroke to its right instead of the other way.")
        .output({"angle", "Angle", "Direction of the line in the picture, counter-clockwise as seen.", Unit::Degree})
        .output({"datum_angle", "Angle to the datum",
                 "Direction of the line against the datum's x direction, counter-clockwise as seen.", Unit::Degree})
        .output({"length", "Length seen", "From the first to the last edge point used.", Unit::Pixel})
        .output({"x1", "Start x", "Place of the found line's first end in the picture.", Unit::Pixel, false, false})
        .output({"y1", "Start y", "Place of the found line's first end in the picture.", Unit::Pixel, false, false})
        .place("x1", "y1")
        .output({"x2", "End x", "Place of the found line's last end in the picture.", Unit::Pixel, false, false})
        .output({"y2", "End y", "Place of the found line's last end in the picture.", Unit::Pixel, false, false})
        .place("x2", "y2")
        .shows(evidence)
        .offers(offer)
        .runs(run);
}

} // namespace steps

#include "steps/roundness/roundness.h"
#include "geometry/zones.h"

#include <algorithm>
#include <cmath>

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Point;
using P = RoundnessParams;

namespace
{
base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    const auto edges = densePoints(in, in.inputs.at("of"), p);
    if (!edges) return base::passOn(edges.error());
    const std::vector<Point> points = outlineOf(*edges);
    const geometry::RingZone z = geometry::roundness(points);
    RunOutput out;
    out.values["zone"] = {z.width};
    out.values["points"] = {double(points.size())};
    const auto& of = std::get<geometry::Circle>(in.inputs.at("of"));
    for (geometry::Circle border : {z.inner, z.outer}) {
        border.start = of.start, border.sweep = of.sweep;
        out.marks.push_back(roundMark(border));
    }
    out.points["all"] = points;
    return out;
}

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    // Pulled from a feature into empty space.
    if (g.type != Gesture::Type::Stroke || g.fromFeature.empty() || !g.toFeature.empty()) return {};
    const auto f = in.features.find(g.fromFeature);
    if (f == in.features.end() || typeOf(f->second) != FeatureType::Circle) return {};
    P p;
    p.leastStrength = std::max(8.0, std::round(5 * in.noise));
    Offer o;
    o.step.params = p;
    o.step.inputs = {{"of", g.fromFeature}};
    o.words = "roundness";
    o.rank = 2;
    return {o};
}
} // namespace

StepKind roundness()
{
    Declare<P> d(
        {"roundness", "Roundness", "Roundness of a circle: width of the narrowest ring that holds every edge point."},
        Question::HowTrue, 1, "ISO 1101, ISO 12181-1 minimum zone circles (geometry/zones.h)");
    d.purpose("round circular form tolerance oval lobes")
        .drawn("pull from a circle into empty space")
        .input({"of", "Feature", "Feature whose edge is judged, every point of it.", {FeatureType::Circle}});
    declareDense(d)
        .output({"zone", "Roundness", "Width of the smallest zone that holds every edge point.", Unit::Pixel, false,
                 true, true})
        .output({"points", "Points", "Number of edge points the zone holds.", Unit::None})
        .stated({"zone"}, OutputSpec::Drawn::Tolerance)
        .better({"zone"}, OutputSpec::Better::Less, 0.0);
    return d.offers(offer).runs(run);
}

} // namespace steps

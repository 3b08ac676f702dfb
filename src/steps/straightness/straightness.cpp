#include "steps/straightness/straightness.h"
#include "geometry/zones.h"

#include <algorithm>
#include <cmath>

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Point;
using P = StraightnessParams;

namespace
{
base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    const auto edges = densePoints(in, in.inputs.at("of"), p);
    if (!edges) return base::passOn(edges.error());
    const std::vector<Point> points = outlineOf(*edges);
    return stripResult(geometry::straightness(points), points);
}

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    // Pulled from a feature into empty space.
    if (g.type != Gesture::Type::Stroke || g.fromFeature.empty() || !g.toFeature.empty()) return {};
    const auto f = in.features.find(g.fromFeature);
    if (f == in.features.end() || typeOf(f->second) != FeatureType::Line) return {};
    P p;
    p.leastStrength = std::max(8.0, std::round(5 * in.noise));
    Offer o;
    o.step.params = p;
    o.step.inputs = {{"of", g.fromFeature}};
    o.words = "straightness";
    o.rank = 2;
    return {o};
}
} // namespace

StepKind straightness()
{
    Declare<P> d({"straightness", "Straightness",
                  "Straightness of an edge: width of the narrowest strip that holds every edge point."},
                 Question::HowTrue, 1, "ISO 1101, minimum zone; calipers on the convex hull (geometry/zones.h)");
    d.purpose("straight flat form tolerance bent edge bow")
        .drawn("pull from a line into empty space")
        .input({"of", "Feature", "Feature whose edge is judged, every point of it.", {FeatureType::Line}});
    declareDense(d)
        .output({"zone", "Straightness", "Width of the smallest zone that holds every edge point.", Unit::Pixel, false,
                 true, true})
        .output({"points", "Points", "Number of edge points the zone holds.", Unit::None})
        .stated({"zone"}, OutputSpec::Drawn::Tolerance)
        .better({"zone"}, OutputSpec::Better::Less, 0.0);
    return d.offers(offer).runs(run);
}

} // namespace steps

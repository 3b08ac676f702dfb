#include "steps/perpendicularity/perpendicularity.h"
#include "geometry/zones.h"

#include <algorithm>
#include <cmath>

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Point;
using P = PerpendicularityParams;

namespace
{
base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    const auto edges = densePoints(in, in.inputs.at("of"), p);
    if (!edges) return base::passOn(edges.error());
    const std::vector<Point> points = outlineOf(*edges);
    return stripResult(geometry::stripAlong(points, geometry::leftOf(datumDirection(in))), points);
}

// From an edge to the one it refers to; pulled into empty space: against the datum's x direction.
std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    if (g.type != Gesture::Type::Stroke) return {};
    const auto a = in.features.find(g.fromFeature), b = in.features.find(g.toFeature);
    if (a == in.features.end() || typeOf(a->second) != FeatureType::Line || a == b) return {};
    if (!g.toFeature.empty() && (b == in.features.end() || typeOf(b->second) != FeatureType::Line)) return {};
    const auto& line = std::get<geometry::Segment>(a->second);
    const geometry::Segment datum = g.toFeature.empty() ? geometry::Segment{in.datum.origin, in.datum.origin + geometry::direction(in.datum.angle)}
                                                        : std::get<geometry::Segment>(b->second);
    const double turn = geometry::angleBetween(line, datum);
    if (!(turn > geometry::kPi / 4)) return {};
    P p;
    p.leastStrength = std::max(8.0, std::round(5 * in.noise));
    Offer o;
    o.step.params = p;
    o.step.inputs["of"] = g.fromFeature;
    if (!g.toFeature.empty()) o.step.inputs["datum"] = g.toFeature;
    o.words = "perpendicularity", o.rank = 4;
    return {o};
}
} // namespace

StepKind perpendicularity()
{
    Declare<P> d({"perpendicularity", "Perpendicularity",
                  "Perpendicularity of an edge to a datum line: width of the strip square to the datum that holds every edge point."},
                 Question::HowTrue, 1, "ISO 1101, zone square to the datum (geometry/zones.h)");
    d.purpose("square perpendicular right angle form tolerance").drawn("stroke from one line to the other, or from a line into empty space")
        .input({"of", "Feature", "Feature whose edge is judged, every point of it.", {FeatureType::Line}})
        .input({"datum", "Datum line", "Line the tolerance refers to; without it the datum's x direction.", {FeatureType::Line}, false});
    declareDense(d)
        .output({"zone", "Perpendicularity", "Width of the smallest zone that holds every edge point.", Unit::Pixel, false, true, true})
        .output({"points", "Points", "Number of edge points the zone holds.", Unit::None})
        .better({"zone"}, OutputSpec::Better::Less, 0.0);
    return d.offers(offer).runs(run);
}

} // namespace steps

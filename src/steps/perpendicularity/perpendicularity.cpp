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
} // namespace

StepKind perpendicularity()
{
    Declare<P> d({"perpendicularity", "Perpendicularity",
                  "Perpendicularity of an edge to a datum line: width of the strip square to the datum that holds every edge point."},
                 Question::HowTrue, 1, "ISO 1101, zone square to the datum (geometry/zones.h)");
    d.purpose("square perpendicular right angle form tolerance")
        .input({"of", "Feature", "Feature whose edge is judged, every point of it.", {FeatureType::Line}})
        .input({"datum", "Datum line", "Line the tolerance refers to; without it the datum's x direction.", {FeatureType::Line}, false});
    declareDense(d)
        .output({"zone", "Perpendicularity", "Width of the smallest zone that holds every edge point.", Unit::Pixel, false, true, true})
        .output({"points", "Points", "Number of edge points the zone holds.", Unit::None});
    return d.runs(run);
}

} // namespace steps

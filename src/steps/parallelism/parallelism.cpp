#include "steps/parallelism/parallelism.h"
#include "geometry/zones.h"

#include <algorithm>
#include <cmath>

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Point;
using P = ParallelismParams;

namespace
{
base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    const auto edges = densePoints(in, in.inputs.at("of"), p);
    if (!edges) return base::passOn(edges.error());
    const std::vector<Point> points = outlineOf(*edges);
    return stripResult(geometry::stripAlong(points, datumDirection(in)), points);
}
} // namespace

StepKind parallelism()
{
    Declare<P> d(
        {"parallelism", "Parallelism", "Parallelism of an edge to a datum line: width of the strip along the datum that holds every edge point."},
        Question::HowTrue, 1, "ISO 1101, zone parallel to the datum (geometry/zones.h)");
    d.purpose("parallel form tolerance taper")
        .input({"of", "Feature", "Feature whose edge is judged, every point of it.", {FeatureType::Line}})
        .input({"datum", "Datum line", "Line the tolerance refers to; without it the datum's x direction.", {FeatureType::Line}, false});
    declareDense(d)
        .output({"zone", "Parallelism", "Width of the smallest zone that holds every edge point.", Unit::Pixel, false, true, true})
        .output({"points", "Points", "Number of edge points the zone holds.", Unit::None});
    return d.runs(run);
}

} // namespace steps

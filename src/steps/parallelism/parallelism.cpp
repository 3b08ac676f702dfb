#include "steps/parallelism/parallelism.h"
#include "steps/orientation.h"

namespace steps
{
using namespace recipe;
using base::Unit;
using P = ParallelismParams;

namespace
{
base::Result<RunOutput> run(const P& p, const RunInput& in) { return runOrientation(p, in, false); }
std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    return offerOrientation<P>(g, in, false, "parallelism");
}
} // namespace

StepKind parallelism()
{
    Declare<P> d(
        {"parallelism", "Parallelism",
         "Parallelism of an edge to a datum line: width of the strip along the datum that holds every edge point."},
        Question::HowTrue, 1, "ISO 1101, zone parallel to the datum (geometry/zones.h)");
    d.purpose("parallel form tolerance taper")
        .drawn("stroke from one line to the other, or from a line into empty space")
        .input({"of", "Feature", "Feature whose edge is judged, every point of it.", {FeatureType::Line}})
        .input({"datum",
                "Datum line",
                "Line the tolerance refers to; without it the datum's x direction.",
                {FeatureType::Line},
                false});
    declareDense(d)
        .output({"zone", "Parallelism", "Width of the smallest zone that holds every edge point.", Unit::Pixel, false,
                 true, true})
        .output({"points", "Points", "Number of edge points the zone holds.", Unit::None})
        .stated({"zone"}, OutputSpec::Drawn::ToleranceTo)
        .better({"zone"}, OutputSpec::Better::Less, 0.0);
    return d.offers(offer).runs(run);
}

} // namespace steps

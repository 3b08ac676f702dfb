#include "steps/perpendicularity/perpendicularity.h"
#include "steps/orientation.h"

namespace steps
{
using namespace recipe;
using base::Unit;
using P = PerpendicularityParams;

namespace
{
base::Result<RunOutput> run(const P& p, const RunInput& in) { return runOrientation(p, in, true); }
std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    return offerOrientation<P>(g, in, true, "perpendicularity");
}
} // namespace

StepKind perpendicularity()
{
    Declare<P> d({"perpendicularity", "Perpendicularity",
                  "Perpendicularity of an edge to a datum line: width of the strip square to the datum that holds "
                  "every edge point."},
                 Question::HowTrue, 1, "ISO 1101, zone square to the datum (geometry/zones.h)");
    d.purpose("square perpendicular right angle form tolerance")
        .drawn("stroke from one line to the other, or from a line into empty space")
        .input({"of", "Feature", "Feature whose edge is judged, every point of it.", {FeatureType::Line}})
        .input({"datum",
                "Datum line",
                "Line the tolerance refers to; without it the datum's x direction.",
                {FeatureType::Line},
                false});
    declareDense(d)
        .output({"zone", "Perpendicularity", "Width of the smallest zone that holds every edge point.", Unit::Pixel,
                 false, true, true})
        .output({"points", "Points", "Number of edge points the zone holds.", Unit::None})
        .stated({"zone"}, OutputSpec::Drawn::ToleranceTo)
        .better({"zone"}, OutputSpec::Better::Less, 0.0);
    return d.offers(offer).runs(run);
}

} // namespace steps

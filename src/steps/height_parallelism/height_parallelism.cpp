#include "steps/height_parallelism/height_parallelism.h"

namespace steps
{
using namespace recipe;
using base::Unit;
using P = HeightParallelismParams;

namespace
{
base::Result<vision::FlatZone> zoneOf(const P& p, const RunInput& in, const HeightArea& area)
{
    return vision::zoneAlong(in.heights(), area.where, baseOf(in), in.pixelMm(), p.leftOut / 100);
}

base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    const auto area = heightArea(in, "region");
    if (!area) return base::passOn(area.error());
    const auto zone = zoneOf(p, in, *area);
    if (!zone) return base::passOn(zone.error());
    return zoneResult(in, *zone, *area, p.leastCovered, "parallelism");
}

base::Result<Evidence> evidence(const P& p, const RunInput& in)
{
    const auto area = heightArea(in, "region");
    if (!area) return base::passOn(area.error());
    const auto zone = zoneOf(p, in, *area);
    if (!zone) return base::passOn(zone.error());
    return zoneEvidence(in, *zone, *area);
}

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    if (planeThere(in).empty()) return {};
    return areaOffer(g, in, P{}, "Parallelism", "parallelism to the base", 3, 6);
}
} // namespace

StepKind height_parallelism()
{
    Declare<P> d({"height_parallelism", "Parallelism to the base",
                  "Distance of the two planes parallel to the base that hold all points of an area."},
                 Question::HowTrue, 1, "ISO 1101; vision/minimum_zone.h");
    d.called("Parallelism")
        .purpose("parallel tilt level form tolerance plane zone")
        .drawn("Ctrl and drag a frame")
        .region(heightRegion("The area that is to be parallel; without it the whole picture."));
    declareHeights(d, false).input({"base", "Base", "Plane the area is to be parallel to.", {FeatureType::Plane}});
    return declareZone(d, "With fewer points than this share of the area there is no parallelism.")
        .output({"parallelism", "Parallelism", "Width of the zone.", Unit::Millimetre, false, true, true})
        .output({"covered", "Covered", "Share of the area in which points were measured.", Unit::Percent})
        .better({"parallelism"}, OutputSpec::Better::Less, 0.0)
        .better({"covered"}, OutputSpec::Better::More, 0.0, 100.0)
        .stated({"parallelism"}, OutputSpec::Drawn::ToleranceTo)
        .madeByArea()
        .shows(evidence)
        .offers(offer)
        .runs(run);
}

} // namespace steps

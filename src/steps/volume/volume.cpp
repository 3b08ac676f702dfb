#include "steps/volume/volume.h"

namespace steps
{
using namespace recipe;
using base::Unit;
using P = VolumeParams;

namespace
{
base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    const auto area = heightArea(in, "region");
    if (!area) return base::passOn(area.error());
    const double mm = in.pixelMm();
    if (!(mm > 0)) return base::fail(base::ErrorCode::NoResult, "no volume: it is not known how many mm a pixel is");
    const auto v = vision::volumeOver(in.heights(), area->where, baseOf(in), p.band());
    RunOutput out;
    const double covered = area->covered(v.points), square = mm * mm;
    out.values["covered"] = {covered};
    markRegion(in, in.region("region"), out);
    if (v.points == 0 || covered < p.leastCovered) {
        out.note = tooFewPoints(covered, p.leastCovered);
        return out;
    }
    out.values["volume"] = {(v.above - v.below) * square};
    out.values["above"] = {v.above * square}, out.values["below"] = {v.below * square};
    if (covered < 99.95)
        out.note = "over the " + base::toText(covered, 1) + " % of the area in which points were measured";
    return out;
}

base::Result<Evidence> evidence(const P&, const RunInput& in)
{
    const auto area = heightArea(in, "region");
    if (!area) return base::passOn(area.error());
    return sideView(in, *area, baseOf(in), lengthwise(in, in.region("region")));
}

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    if (in.seen().content != image::Content::Height) return {};
    const bool known =
        (in.seen().scale && in.seen().scale->pixelMm > 0) || (in.calibration && in.calibration->mmPerPixel() > 0);
    if (!known) return {};
    return areaOffer(g, in, P{}, "Volume", "volume over the base", 4, 3);
}
} // namespace

StepKind volume()
{
    Declare<P> d({"volume", "Volume", "Volume of an area over the base plane, over the points that were measured."},
                 Question::HowBig, 1, "sum of heights by area, vision/height.h");
    d.purpose("volume fill glue paste amount")
        .drawn("Ctrl and drag a frame")
        .region(heightRegion("The area whose volume is told; without it the whole picture."));
    declareHeights(d);
    declareBand(d);
    return declareCover(d, "With fewer points than this share of the area there is no volume.")
        .output({"volume", "Volume", "What lies above the base less what lies below it.", Unit::CubicMillimetre, false,
                 true, true})
        .output({"above", "Above", "Volume of what lies above the base.", Unit::CubicMillimetre})
        .output({"below", "Below", "Volume of what lies below the base.", Unit::CubicMillimetre})
        .output({"covered", "Covered", "Share of the area in which points were measured.", Unit::Percent})
        .better({"covered"}, OutputSpec::Better::More, 0.0, 100.0)
        .madeByArea()
        .shows(evidence)
        .offers(offer)
        .runs(run);
}

} // namespace steps

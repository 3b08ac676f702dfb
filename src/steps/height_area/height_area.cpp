#include "steps/height_area/height_area.h"

namespace steps
{
using namespace recipe;
using base::Unit;
using P = HeightAreaParams;

namespace
{
base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    const auto area = heightArea(in, "region");
    if (!area) return base::passOn(area.error());
    const auto s = vision::heightStats(in.heights(), area->where, baseOf(in), p.leftOut / 100, p.band());
    RunOutput out;
    const double covered = area->covered(s.points);
    out.values["covered"] = {covered};
    markRegion(in, in.region("region"), out);
    if (s.points == 0 || covered < p.leastCovered) {
        out.note = tooFewPoints(covered, p.leastCovered);
        return out;
    }
    out.values["height"] = {heightOf(s, p.of)};
    out.values["mean"] = {s.mean}, out.values["median"] = {s.median};
    out.values["lowest"] = {s.low}, out.values["highest"] = {s.high};
    out.values["spread"] = {s.spread};
    return out;
}

base::Result<Evidence> evidence(const P& p, const RunInput& in)
{
    const auto area = heightArea(in, "region");
    if (!area) return base::passOn(area.error());
    return heightHistogram(vision::heightsIn(in.heights(), area->where, baseOf(in), p.band()));
}

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    return areaOffer(g, in, P{}, "Height", "height of the area", 0, 2);
}
} // namespace

StepKind height_area()
{
    Declare<P> d(
        {"height_area", "Height of an area", "How high an area lies, over the base plane or over 0 of the scale."},
        Question::HowBig, 1, "quantiles of the points, vision/height.h");
    d.called("Height")
        .purpose("height level mean median thickness covered points")
        .drawn("Ctrl and drag a frame")
        .region(heightRegion("The area that is looked at; without it the whole picture."));
    declareHeights(d);
    declareBand(d);
    declareCover(d, "With fewer points than this share of the area there is no height.");
    return d
        .param(&P::of, {"of", "Height is", "Which of the points' heights stands for the area."}, heightOfChoices(),
               true)
        .param(&P::leftOut,
               {"left_out", "Left out at both ends",
                "Share of the points that are no highest and no lowest ones: spikes."},
               Unit::Percent, Real{0, 49, 0.5, 0, 10})
        .output({"height", "Height", "The height that stands for the area.", Unit::Millimetre, false, true, true})
        .output({"covered", "Covered", "Share of the area in which points were measured.", Unit::Percent})
        .output({"mean", "Mean height", "Mean of the points' heights.", Unit::Millimetre})
        .output({"median", "Median height", "As many points are higher as are lower.", Unit::Millimetre})
        .output({"lowest", "Lowest", "Lowest of the points, those left out excepted.", Unit::Millimetre})
        .output({"highest", "Highest", "Highest of the points, those left out excepted.", Unit::Millimetre})
        .output({"spread", "Spread of height", "Standard deviation of the points' heights.", Unit::Millimetre})
        .better({"covered"}, OutputSpec::Better::More, 0.0, 100.0)
        .better({"spread"}, OutputSpec::Better::Less, 0.0)
        .madeByArea()
        .shows(evidence)
        .offers(offer)
        .runs(run);
}

} // namespace steps

#include "steps/highest_point/highest_point.h"

namespace steps
{
using namespace recipe;
using base::Unit;
using P = HighestPointParams;

namespace
{
base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    const auto area = heightArea(in, "region");
    if (!area) return base::passOn(area.error());
    const double covered = coveredOf(in, *area);
    if (covered < p.leastCovered) return base::fail(base::ErrorCode::NoResult, tooFewPoints(covered, p.leastCovered));
    const auto e =
        vision::extremeOf(in.heights(), area->where, baseOf(in), p.side, p.which == WhichExtreme::Highest, p.band());
    if (!e) return base::passOn(e.error());
    RunOutput out = pointResult(in, in.level(e->at));
    out.values["height"] = {e->height};
    out.values["covered"] = {covered};
    return out;
}

base::Result<Evidence> evidence(const P& p, const RunInput& in)
{
    const auto area = heightArea(in, "region");
    if (!area) return base::passOn(area.error());
    const geometry::Point along = lengthwise(in, in.region("region"));
    Evidence e = sideView(in, *area, baseOf(in), along);
    const auto found =
        vision::extremeOf(in.heights(), area->where, baseOf(in), p.side, p.which == WhichExtreme::Highest, p.band());
    if (!found || e.curves.empty() || e.curves.front().x.empty()) return e;
    double from = 1e300;
    for (const geometry::Span& s : area->where)
        for (const int x : {s.from, s.to - 1}) from = std::min(from, geometry::dot(along, {double(x), double(s.y)}));
    e.stems.push_back({(geometry::dot(along, found->at) - from) * alongUnit(in), found->height,
                       base::toText(found->height, Unit::Millimetre), true, found->at});
    return e;
}

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    return areaOffer(g, in, P{}, "Highest", "highest point", 5, 4);
}
} // namespace

StepKind highest_point()
{
    Declare<P> d({"highest_point", "Highest point",
                  "The highest or the lowest place of an area, as large as a small square: a spike is none."},
                 Question::What, 1, "erosion by a square (van Herk 1992), median of the square; vision/height.h");
    d.purpose("highest lowest peak top bottom point")
        .drawn("Ctrl and drag a frame")
        .gives(FeatureType::Point)
        .region(heightRegion("The area that is looked at; without it the whole picture."));
    declareHeights(d);
    declareBand(d);
    return declareCover(
               d, "With fewer points than this share of the area there is no highest place: it may lie where none is.",
               false)
        .param(&P::which, {"which", "Which one", "The highest place or the lowest."},
               {{"highest", "Highest"}, {"lowest", "Lowest"}}, true)
        .param(&P::side,
               {"side", "As large as",
                "Side of the square that must lie so high as a whole; more than half of its points must be there. Its "
                "median counts."},
               Unit::Pixel, Whole{1, 501}, true)
        .output({"height", "Height", "Height of that place.", Unit::Millimetre, false, true, true})
        .output({"covered", "Covered", "Share of the area in which points were measured.", Unit::Percent})
        .onePlace()
        .better({"covered"}, OutputSpec::Better::More, 0.0, 100.0)
        .madeByArea()
        .shows(evidence)
        .offers(offer)
        .runs(run);
}

} // namespace steps

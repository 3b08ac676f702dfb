#include "steps/foot/foot.h"

#include "steps/glue.h"

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Point;
using geometry::Segment;
using P = FootParams;

namespace
{
base::Result<RunOutput> run(const P&, const RunInput& in)
{
    const Point from = placeOf(in.inputs.at("second"));
    const Point p = geometry::foot(std::get<Segment>(in.inputs.at("first")), from);
    RunOutput out = pointResult(in, p);
    out.marks.push_back(lineMark(from, p, MarkRole::Used));
    return out;
}

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    auto made = pairOffer(g, in, P{}, "foot of the perpendicular", 6, [](const Feature& a, const Feature& b) {
        return (typeOf(a) == FeatureType::Line && hasPlace(b)) || (typeOf(b) == FeatureType::Line && hasPlace(a));
    });
    // Whichever end the line is at.
    for (Offer& o : made)
        if (typeOf(in.features.at(g.fromFeature)) != FeatureType::Line)
            std::swap(o.step.inputs["first"], o.step.inputs["second"]);
    return made;
}
} // namespace

StepKind foot()
{
    return Declare<P>({"foot", "Foot of the perpendicular", "Point of a line nearest to another feature."},
                      Question::What, 1, "plane geometry")
        .purpose("perpendicular nearest point on line")
        .drawn("stroke from the line to the point, or back")
        .gives(FeatureType::Point)
        .input({"first", "Line", "Line the foot stands on.", {FeatureType::Line}})
        .input({"second",
                "Point",
                "Point or centre it is dropped from.",
                {FeatureType::Point, FeatureType::Circle, FeatureType::Ellipse, FeatureType::Contour}})
        .onePlace()
        .offers(offer)
        .runs(run);
}

} // namespace steps

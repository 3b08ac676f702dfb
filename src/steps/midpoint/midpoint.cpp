#include "steps/midpoint/midpoint.h"

#include "steps/glue.h"

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Point;
using geometry::Segment;
using P = MidpointParams;

namespace
{
base::Result<RunOutput> run(const P&, const RunInput& in)
{
    return pointResult(in, (placeOf(in.inputs.at("first")) + placeOf(in.inputs.at("second"))) * 0.5);
}

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    const auto fits = [](const Feature& f) {
        return hasPlace(f) || typeOf(f) == FeatureType::Line || typeOf(f) == FeatureType::Group;
    };
    return pairOffer(g, in, P{}, "midpoint", 5, [&](const Feature& a, const Feature& b) { return fits(a) && fits(b); });
}
} // namespace

StepKind midpoint()
{
    return Declare<P>({"midpoint", "Midpoint", "Point midway between two features."}, Question::What, 1,
                      "plane geometry")
        .purpose("middle centre between symmetry")
        .drawn("stroke from one feature to the other")
        .gives(FeatureType::Point)
        .input({"first",
                "First",
                "Point, centre or line.",
                {FeatureType::Point, FeatureType::Circle, FeatureType::Ellipse, FeatureType::Line, FeatureType::Contour,
                 FeatureType::Group}})
        .input({"second",
                "Second",
                "Point, centre or line.",
                {FeatureType::Point, FeatureType::Circle, FeatureType::Ellipse, FeatureType::Line, FeatureType::Contour,
                 FeatureType::Group}})
        .onePlace()
        .offers(offer)
        .runs(run);
}

} // namespace steps

#include "steps/crossing/crossing.h"

#include "steps/glue.h"

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Point;
using geometry::Segment;
using P = CrossingParams;

namespace
{
base::Result<RunOutput> run(const P&, const RunInput& in)
{
    const auto &a = std::get<Segment>(in.inputs.at("first")), &b = std::get<Segment>(in.inputs.at("second"));
    Point p;
    if (geometry::angleBetween(a, b) < 1e-4 || !geometry::crossing(a, b, p))
        return base::fail(base::ErrorCode::NoResult, "the lines are parallel");
    return pointResult(in, p);
}

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    return pairOffer(g, in, P{}, "crossing", 3, [](const Feature& a, const Feature& b) {
        return typeOf(a) == FeatureType::Line && typeOf(b) == FeatureType::Line &&
               geometry::angleBetween(std::get<Segment>(a), std::get<Segment>(b)) > 0.35;
    });
}
} // namespace

StepKind crossing()
{
    return Declare<P>({"crossing", "Crossing", "Point where two lines cross, also beyond their ends."}, Question::What,
                      1, "plane geometry")
        .purpose("intersection corner point of two lines")
        .drawn("stroke from one line to the other")
        .gives(FeatureType::Point)
        .input({"first", "First line", "Line that crosses the other.", {FeatureType::Line}})
        .input({"second", "Second line", "Line that crosses the first.", {FeatureType::Line}})
        .onePlace()
        .offers(offer)
        .runs(run);
}

} // namespace steps

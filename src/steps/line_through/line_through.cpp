#include "steps/line_through/line_through.h"

#include "steps/glue.h"

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Point;
using geometry::Segment;
using P = LineThroughParams;

namespace
{
base::Result<RunOutput> run(const P&, const RunInput& in)
{
    const Segment s{placeOf(in.inputs.at("first")), placeOf(in.inputs.at("second"))};
    if (s.length() < 1e-6) return base::fail(base::ErrorCode::NoResult, "the two points lie in one place");
    return lineResult(in, s);
}

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    return pairOffer(g, in, P{}, "line through two", 6,
                     [](const Feature& a, const Feature& b) { return hasPlace(a) && hasPlace(b); });
}
} // namespace

StepKind line_through()
{
    return Declare<P>({"line_through", "Line through two", "Line through two points or centres."}, Question::What, 1,
                      "plane geometry")
        .purpose("connect centres axis")
        .drawn("stroke from one point or centre to the other")
        .gives(FeatureType::Line)
        .input({"first",
                "From",
                "Point or centre the line starts at.",
                {FeatureType::Point, FeatureType::Circle, FeatureType::Ellipse, FeatureType::Contour}})
        .input({"second",
                "To",
                "Point or centre the line ends at.",
                {FeatureType::Point, FeatureType::Circle, FeatureType::Ellipse, FeatureType::Contour}})
        .output({"angle", "Angle", "Direction in the picture, counter-clockwise as seen.", Unit::Degree})
        .output({"datum_angle", "Angle to the datum", "Direction against the datum's x direction.", Unit::Degree})
        .output({"length", "Length", "Between the two ends.", Unit::Pixel})
        .offers(offer)
        .runs(run);
}

} // namespace steps

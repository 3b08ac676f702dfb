#include "steps/bisector/bisector.h"

#include "steps/glue.h"

#include <algorithm>

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Point;
using geometry::Segment;
using P = BisectorParams;

namespace
{
base::Result<RunOutput> run(const P&, const RunInput& in)
{
    const auto &a = std::get<Segment>(in.inputs.at("first")), &b = std::get<Segment>(in.inputs.at("second"));
    Point u = a.along(), v = b.along();
    if (geometry::dot(u, v) < 0) v = v * -1.0;
    const Point along = geometry::unit(u + v);
    // Through the crossing, or midway between parallel lines; as long as both are seen.
    Point through = ((a.from + a.to) * 0.5 + (b.from + b.to) * 0.5) * 0.5;
    if (Point p; geometry::angleBetween(a, b) > 1e-6 && geometry::crossing(a, b, p))
        through = through + geometry::leftOf(along) * geometry::dot(geometry::leftOf(along), p - through);
    double low = 1e300, high = -1e300;
    for (const Point q : {a.from, a.to, b.from, b.to})
        low = std::min(low, geometry::dot(along, q - through)),
        high = std::max(high, geometry::dot(along, q - through));
    return lineResult(in, {through + along * low, through + along * high});
}

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    return pairOffer(g, in, P{}, "bisector", 4, [](const Feature& a, const Feature& b) {
        return typeOf(a) == FeatureType::Line && typeOf(b) == FeatureType::Line;
    });
}
} // namespace

StepKind bisector()
{
    return Declare<P>({"bisector", "Bisector", "Line midway between two lines; of parallel ones the middle line."},
                      Question::What, 1, "plane geometry")
        .purpose("middle line symmetry axis centre line")
        .drawn("stroke from one line to the other")
        .gives(FeatureType::Line)
        .input({"first", "First line", "Line on one side.", {FeatureType::Line}})
        .input({"second", "Second line", "Line on the other side.", {FeatureType::Line}})
        .output({"angle", "Angle", "Direction in the picture, counter-clockwise as seen.", Unit::Degree})
        .output({"datum_angle", "Angle to the datum", "Direction against the datum's x direction.", Unit::Degree})
        .output({"length", "Length", "Between the two ends.", Unit::Pixel})
        .offers(offer)
        .runs(run);
}

} // namespace steps

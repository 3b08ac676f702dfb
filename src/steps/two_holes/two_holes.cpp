#include "steps/two_holes/two_holes.h"

#include "steps/glue.h"

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Point;
using geometry::Segment;
using P = TwoHolesParams;

namespace
{
base::Result<RunOutput> run(const P&, const RunInput& in)
{
    const Point a = placeOf(in.inputs.at("first")), b = placeOf(in.inputs.at("second"));
    if (geometry::distance(a, b) < 1) return base::fail(base::ErrorCode::NoResult, "the two features lie in one place");
    const geometry::Pose pose{a, geometry::angleOf(b - a)};
    RunOutput out;
    out.values["x"] = {a.x}, out.values["y"] = {a.y};
    out.values["angle"] = {geometry::degrees(geometry::wrapped(pose.angle))};
    out.values["distance"] = {geometry::distance(a, b)};
    out.finds.push_back({pose, 1});
    out.features["origin"] = a;
    out.marks.push_back({MarkShape::Frame, MarkRole::Datum, {a, a + geometry::direction(pose.angle) * 40}, 0, {}});
    return out;
}

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    const auto round = [](const Feature& f) {
        return typeOf(f) == FeatureType::Circle || typeOf(f) == FeatureType::Point;
    };
    auto made = pairOffer(g, in, P{}, "datum of two holes", in.hasDatum ? 5 : -2,
                          [&](const Feature& a, const Feature& b) { return round(a) && round(b); });
    for (Offer& o : made) o.step.name = "Two holes";
    return made;
}
} // namespace

StepKind two_holes()
{
    const std::vector<FeatureType> any{FeatureType::Point, FeatureType::Circle, FeatureType::Ellipse,
                                       FeatureType::Contour};
    return Declare<P>({"two_holes", "Datum of two holes", "Origin on the first hole, x direction towards the second."},
                      Question::Where, 1, "plane geometry; ISO 5459 datum system")
        .purpose("locate datum holes origin direction align where pins")
        .drawn("stroke from one hole that was found to the other")
        .isDatum()
        .madeByStroke()
        .gives(FeatureType::Point)
        .input({"first", "Origin", "Hole or point the origin lies on.", any})
        .input({"second", "Towards", "Hole or point the x direction runs to.", any})
        .output({"x", "x", "Place of the origin in the picture.", Unit::Pixel, false, false})
        .output({"y", "y", "Place of the origin in the picture.", Unit::Pixel, false, false})
        .output({"angle", "Angle", "Turn of the x direction, counter-clockwise as seen.", Unit::Degree})
        .find("x", "y", "angle")
        .output({"distance", "Distance", "Between the two holes.", Unit::Pixel})
        .offers(offer)
        .runs(run);
}

} // namespace steps

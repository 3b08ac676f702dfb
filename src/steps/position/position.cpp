#include "steps/position/position.h"

#include "steps/glue.h"

#include <algorithm>
#include <cmath>

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Point;
using P = PositionParams;

namespace
{
base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    const double scale = in.mmPerPixel();
    double perPixel = scale > 0 ? scale : 1; // what one of the stated units is worth, the other way round
    if (p.unit != PlaceUnit::Value) {
        const bool pixels = p.unit == PlaceUnit::Pixel;
        if (pixels != (scale <= 0))
            return base::fail(base::ErrorCode::InvalidArgument,
                              pixels ? "the true place is in px, the recipe is calibrated: convert it"
                                     : "the true place is in a real unit, the recipe is not calibrated");
        if (p.unit == PlaceUnit::Micrometre) perPixel = scale * 1000;
        if (p.unit == PlaceUnit::Inch) perPixel = scale / 25.4;
    }
    const Point actual = placeOf(in.inputs.at("of"));
    const Point truly = in.frame.toPicture({p.x / perPixel, p.y / perPixel});
    const double off = geometry::distance(actual, truly);
    const Point local = in.frame.toLocal(actual) - in.frame.toLocal(truly);
    RunOutput out;
    out.values["position"] = {2 * off};
    out.values["dx"] = {local.x}, out.values["dy"] = {local.y};
    out.marks.push_back({MarkShape::Circle, MarkRole::Found, {truly}, std::max(off, 0.5), {}});
    out.marks.push_back(lineMark(truly, actual));
    return out;
}

// Pulled from a feature into empty space: its true place is where it is now, rounded.
std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    const Feature* f = pulledFrom(g, in);
    if (!f || g.type != Gesture::Type::Stroke || !hasPlace(*f)) return {};
    const double scale = in.calibration ? in.calibration->mmPerPixel() : 0, grain = scale > 0 ? 0.05 : 1;
    const Point local = in.datum.toLocal(placeOf(*f)) * (scale > 0 ? scale : 1);
    P p;
    p.x = std::round(local.x / grain) * grain, p.y = std::round(local.y / grain) * grain;
    p.unit = scale > 0 ? PlaceUnit::Millimetre : PlaceUnit::Pixel;
    Offer o;
    o.step.params = p;
    o.step.inputs["of"] = g.fromFeature;
    o.words = "position", o.rank = 3;
    o.chosen = {"x", "y"};
    return {o};
}
} // namespace

StepKind position()
{
    return Declare<P>({"position", "Position",
                       "Position of a feature: diameter of the zone about its true place that reaches to where it is."},
                      Question::HowTrue, 1, "ISO 1101: twice the distance from the true position")
        .purpose("position true place hole tolerance location")
        .drawn("pull from a hole or point into empty space")
        .input({"of",
                "Feature",
                "Feature whose place is judged.",
                {FeatureType::Point, FeatureType::Circle, FeatureType::Ellipse, FeatureType::Contour}})
        .param(&P::x,
               {"x", "True x",
                "True place along the datum's x direction, in mm when the recipe is calibrated, else in px."},
               Unit::None, Real{-1e6, 1e6, 0.01}, true)
        .param(&P::y,
               {"y", "True y",
                "True place along the datum's y direction (down when the datum is level), in mm when the recipe is "
                "calibrated, else in px."},
               Unit::None, Real{-1e6, 1e6, 0.01}, true)
        .param(&P::unit,
               {"unit", "Unit of the true place",
                "The unit true x and y are stated in; the value's own: mm when calibrated, else px."},
               {{"", "The value's own"}, {"px", "px"}, {"mm", "mm"}, {"um", "µm"}, {"in", "inch"}})
        .statesLengths({"x", "y"}, "unit")
        .output({"position", "Position", "Diameter of the zone: twice the distance from the true place.", Unit::Pixel,
                 false, true, true})
        .output({"dx", "Off in x", "Deviation along the datum's x direction.", Unit::Pixel})
        .output({"dy", "Off in y", "Deviation along the datum's y direction.", Unit::Pixel})
        .stated({"position"}, OutputSpec::Drawn::ToleranceTo)
        .better({"position"}, OutputSpec::Better::Less, 0.0)
        .offers(offer)
        .runs(run);
}

} // namespace steps

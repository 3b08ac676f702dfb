#include "steps/corner/corner.h"

#include "steps/glue.h"

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Point;
using geometry::Segment;
using P = CornerParams;

namespace
{
base::Result<RunOutput> run(const P&, const RunInput& in)
{
    const auto &a = std::get<Segment>(in.inputs.at("first")), &b = std::get<Segment>(in.inputs.at("second"));
    const double between = geometry::degrees(geometry::angleBetween(a, b));
    Point origin;
    if (between < 5 || !geometry::crossing(a, b, origin))
        return base::fail(base::ErrorCode::NoResult,
                          "the two edges are " + base::toText(between, 1) + "° apart; a corner needs at least 5°");
    // x runs from the corner along the first edge, to where most of it lies.
    const Point middle = (a.from + a.to) * 0.5;
    const geometry::Pose pose{
        origin, geometry::angleOf(geometry::dot(a.along(), middle - origin) >= 0 ? a.along() : a.along() * -1.0)};
    RunOutput out;
    out.values["x"] = {origin.x}, out.values["y"] = {origin.y};
    out.values["angle"] = {geometry::degrees(geometry::wrapped(pose.angle))};
    out.values["between"] = {between};
    out.finds.push_back({pose, 1});
    out.features["origin"] = origin;
    out.marks.push_back(
        {MarkShape::Frame, MarkRole::Datum, {origin, origin + geometry::direction(pose.angle) * 40}, 0, {}});
    return out;
}

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    auto made = pairOffer(g, in, P{}, "corner datum", in.hasDatum ? 5 : -2, [](const Feature& a, const Feature& b) {
        return typeOf(a) == FeatureType::Line && typeOf(b) == FeatureType::Line &&
               geometry::angleBetween(std::get<Segment>(a), std::get<Segment>(b)) >= geometry::radians(20);
    });
    // One bent stroke along two edges: the first leg is x, the crossing the origin; the middle 60 % of each leg.
    const auto legs = bentLegs(g.path);
    const char* const kind = in.seen().content == image::Content::Height ? "height_line" : "line";
    const StepKind* line = findKind(kind);
    if (made.empty() && legs && line) {
        Offer o;
        o.step.params = P{};
        const Point ends[] = {g.path.front(), *legs, g.path.back()};
        for (int i = 0; i < 2; ++i) {
            Gesture leg = g;
            leg.path.clear();
            leg.from = ends[i] + (ends[i + 1] - ends[i]) * 0.2, leg.to = ends[i] + (ends[i + 1] - ends[i]) * 0.8;
            auto lines = line->offer(leg, in);
            if (lines.empty()) return {};
            lines.front().step.kind = kind;
            lines.front().step.name = i == 0 ? "x edge" : "y edge";
            o.before.push_back(std::move(lines.front().step));
        }
        o.step.inputs = {{"first", "+0"}, {"second", "+1"}};
        o.words = "corner datum of two edges", o.rank = in.hasDatum ? 4 : -2;
        made.push_back(std::move(o));
    }
    for (Offer& o : made) o.step.name = "Corner";
    return made;
}
} // namespace

StepKind corner()
{
    return Declare<P>(
               {"corner", "Corner datum", "Crossing of two edges: the origin; along the first edge: the x direction."},
               Question::Where, 1, "plane geometry; ISO 5459 datum system")
        .purpose("locate datum corner edges origin direction align where")
        .drawn("one bent stroke along two edges, or stroke from one edge that was found to the other")
        .isDatum()
        .madeByStroke()
        .gives(FeatureType::Point)
        .input({"first", "x direction", "Edge the x direction runs along.", {FeatureType::Line}})
        .input({"second", "Second edge", "Edge that crosses it at the origin.", {FeatureType::Line}})
        .output({"x", "x", "Place of the origin in the picture.", Unit::Pixel, false, false})
        .output({"y", "y", "Place of the origin in the picture.", Unit::Pixel, false, false})
        .output({"angle", "Angle", "Turn of the x direction, counter-clockwise as seen.", Unit::Degree})
        .find("x", "y", "angle")
        .output({"between", "Angle between", "Angle between the two edges.", Unit::Degree})
        .offers(offer)
        .runs(run);
}

} // namespace steps

#include "steps/distance/distance.h"

#include "steps/glue.h"

#include <algorithm>

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Point;
using geometry::Segment;
using P = DistanceParams;

namespace
{
Point placeOf(const Feature& f)
{
    if (const auto* p = std::get_if<Point>(&f)) return *p;
    if (const auto* c = std::get_if<geometry::Circle>(&f)) return c->centre;
    const auto& s = std::get<Segment>(f);
    return (s.from + s.to) * 0.5;
}
} // namespace

base::Result<std::pair<Point, Point>> ends(const Feature& a, const Feature& b)
{
    const auto* la = std::get_if<Segment>(&a);
    const auto* lb = std::get_if<Segment>(&b);
    if (la && lb) {
        double turn = std::abs(geometry::wrapped(geometry::angleOf(la->along()) - geometry::angleOf(lb->along())));
        turn = std::min(turn, geometry::kPi - turn);
        if (turn > geometry::radians(5))
            return base::fail(base::ErrorCode::NoResult,
                              "the lines are " + base::toText(geometry::degrees(turn), 1) + "° apart; a distance is stated up to 5°");
        // Along the mean direction, over the part where both were seen (or the middle of the gap when they do not overlap).
        Point u = la->along(), v = lb->along();
        if (geometry::dot(u, v) < 0) v = v * -1.0;
        const Point mean = geometry::unit(u + v);
        const auto range = [&](const Segment& s) {
            return std::minmax({geometry::dot(mean, s.from - la->from), geometry::dot(mean, s.to - la->from)});
        };
        const auto ra = range(*la), rb = range(*lb);
        const double middle = 0.5 * (std::max(ra.first, rb.first) + std::min(ra.second, rb.second));
        const Segment square{la->from + mean * middle, la->from + mean * middle + geometry::leftOf(mean)};
        Point pa, pb;
        if (!geometry::crossing(*la, square, pa) || !geometry::crossing(*lb, square, pb))
            return base::fail(base::ErrorCode::NoResult, "the lines do not face each other");
        return std::pair{pa, pb};
    }
    if (la) return std::pair{geometry::foot(*la, placeOf(b)), placeOf(b)};
    if (lb) return std::pair{placeOf(a), geometry::foot(*lb, placeOf(a))};
    return std::pair{placeOf(a), placeOf(b)};
}

namespace
{
base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    const auto e = ends(in.inputs.at("first"), in.inputs.at("second"));
    if (!e) return base::passOn(e.error());
    Point from = e->first, to = e->second;
    if (p.along != Along::Direct) {
        const Point axis = geometry::direction(in.frame.angle), u = p.along == Along::DatumX ? axis : geometry::leftOf(axis);
        to = from + u * geometry::dot(u, to - from);
    }
    RunOutput out;
    out.values["distance"] = {geometry::distance(from, to)};
    out.features["middle"] = Point((from + to) * 0.5);
    out.marks.push_back({MarkShape::Dimension, MarkRole::Found, {from, to}, 0, {}});
    return out;
}

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    if (g.type != Gesture::Type::Stroke || g.fromFeature.empty() || g.toFeature.empty() || g.fromFeature == g.toFeature) return {};
    const auto a = in.features.find(g.fromFeature), b = in.features.find(g.toFeature);
    if (a == in.features.end() || b == in.features.end() || !ends(a->second, b->second)) return {};
    Offer o;
    o.step.params = P{};
    o.step.inputs = {{"first", g.fromFeature}, {"second", g.toFeature}};
    o.words = "distance";
    o.rank = -1;
    std::vector<Offer> out{o};
    if (in.hasDatum)
        for (const auto& [along, words] : {std::pair{Along::DatumX, "along datum x"}, std::pair{Along::DatumY, "along datum y"}}) {
            o.step.params = P{along};
            o.words = words;
            ++o.rank;
            out.push_back(o);
        }
    return out;
}
} // namespace

StepKind distance()
{
    const std::vector<FeatureType> any{FeatureType::Point, FeatureType::Line, FeatureType::Circle};
    return Declare<P>({"distance", "Distance", "Distance of two features: points, lines, circle centres."}, Question::HowBig, 1,
                      "plane geometry; ends stated in steps/distance/distance.h")
        .purpose("pitch spacing gap centre to centre hole width")
        .gives(FeatureType::Point)
        .input({"first", "From", "Feature the distance starts at.", any})
        .input({"second", "To", "Feature the distance ends at.", any})
        .param(&P::along, {"along", "Along", "Straight, or only the part along one axis of the datum."},
               {{"direct", "Straight"}, {"datum_x", "Datum x"}, {"datum_y", "Datum y"}}, true)
        .output({"distance", "Distance", "Between the two features.", Unit::Pixel, false, true, true})
        .offers(offer)
        .runs(run);
}

} // namespace steps

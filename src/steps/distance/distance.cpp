#include "steps/distance/distance.h"

#include "steps/drawing_glue.h"

#include <algorithm>
#include <cmath>

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Point;
using geometry::Segment;
using P = DistanceParams;

namespace
{
// Round things by centre and radius, everything else by its points.
struct Outline {
    std::vector<Point> points;
    double radius = 0;
};
Outline outlineOf(const Feature& f)
{
    Outline o;
    if (const auto* circle = std::get_if<geometry::Circle>(&f)) o.points = {circle->centre}, o.radius = circle->radius;
    else if (const auto* e = std::get_if<geometry::Ellipse>(&f)) {
        const Point u = geometry::direction(e->angle), v = geometry::leftOf(u);
        for (int i = 0; i < 1440; ++i) {
            const double t = 2 * geometry::kPi * i / 1440;
            o.points.push_back(e->centre + u * (e->major / 2 * std::cos(t)) + v * (e->minor / 2 * std::sin(t)));
        }
    } else if (const auto* c = std::get_if<Contour>(&f)) o.points = c->points;
    else if (const auto* g = std::get_if<Group>(&f)) {
        for (const auto& m : g->members) o.points.push_back(m.centre);
    } else o.points = {placeOf(f)};
    return o;
}
using Ends = std::pair<Point, Point>;
base::Result<Ends> betweenOutlines(const Feature& a, const Feature& b, bool nearest)
{
    const Outline p = outlineOf(a), q = outlineOf(b);
    if (p.points.empty() || q.points.empty()) return base::fail(base::ErrorCode::NoResult, "an outline without points");
    if (double(p.points.size()) * double(q.points.size()) > 4e8)
        return base::fail(base::ErrorCode::NoResult, "the outlines have too many points to compare");
    double best = nearest ? 1e300 : -1;
    Ends found;
    for (const Point x : p.points)
        for (const Point y : q.points) {
            const double d = geometry::distance(x, y);
            if (nearest ? d < best : d > best) best = d, found = {x, y};
        }
    const Point u = geometry::unit(found.second - found.first) * (nearest ? 1.0 : -1.0);
    if (nearest && best <= p.radius + q.radius) return Ends{found.first + u * p.radius, found.first + u * p.radius};
    return Ends{found.first + u * p.radius, found.second - u * q.radius};
}
base::Result<Ends> fromLine(const Segment& line, const Feature& f, bool nearest)
{
    const Outline o = outlineOf(f);
    if (o.points.empty()) return base::fail(base::ErrorCode::NoResult, "an outline without points");
    double best = nearest ? 1e300 : -1;
    Point at = o.points.front();
    for (const Point p : o.points)
        if (const double d = std::abs(geometry::signedDistance(line, p)); nearest ? d < best : d > best)
            best = d, at = p;
    const Point foot = geometry::foot(line, at), u = geometry::unit(at - foot) * (nearest ? -1.0 : 1.0);
    if (nearest && best <= o.radius) return Ends{foot, foot};
    return Ends{foot, at + u * o.radius};
}
} // namespace

base::Result<std::pair<Point, Point>> ends(const Feature& a, const Feature& b, Reach reach)
{
    const auto* la = std::get_if<Segment>(&a);
    const auto* lb = std::get_if<Segment>(&b);
    if (reach != Reach::Centre && !(la && lb)) {
        const bool nearest = reach == Reach::Nearest;
        if (la) return fromLine(*la, b, nearest);
        if (lb) {
            auto e = fromLine(*lb, a, nearest);
            if (e) std::swap(e->first, e->second);
            return e;
        }
        return betweenOutlines(a, b, nearest);
    }
    if (la && lb) {
        double turn = std::abs(geometry::wrapped(geometry::angleOf(la->along()) - geometry::angleOf(lb->along())));
        turn = std::min(turn, geometry::kPi - turn);
        if (turn > geometry::radians(5))
            return base::fail(base::ErrorCode::NoResult, "the lines are " + base::toText(geometry::degrees(turn), 1) +
                                                             "° apart; a distance is stated up to 5°");
        // Along the mean direction, over the part where both were seen (or the middle of the gap when they do not
        // overlap).
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
    const auto e = ends(in.inputs.at("first"), in.inputs.at("second"), p.reach);
    if (!e) return base::passOn(e.error());
    Point from = e->first, to = e->second;
    if (p.along != Along::Direct) {
        const Point axis = geometry::direction(in.frame.angle),
                    u = p.along == Along::DatumX ? axis : geometry::leftOf(axis);
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
    if (auto pair = drawnPair(g, in); pair && pair->distance) {
        Offer o;
        o.step.params = P{};
        o.step.inputs = {{"first", "+0"}, {"second", "+1"}};
        o.before = std::move(pair->before);
        Check c;
        c.output = "distance";
        c.limits.nominal = *pair->distance;
        c.limits.unit = Unit::Millimetre;
        c.limits.general = General::Length;
        o.step.checks.push_back(c);
        o.words = "distance " + base::toText(*pair->distance, 2) + " drawn";
        o.rank = -5;
        return {o};
    }
    if (g.type != Gesture::Type::Stroke || g.fromFeature.empty() || g.toFeature.empty() || g.fromFeature == g.toFeature)
        return {};
    const auto a = in.features.find(g.fromFeature), b = in.features.find(g.toFeature);
    if (a == in.features.end() || b == in.features.end() || !ends(a->second, b->second, Reach::Centre)) return {};
    Offer o;
    o.step.params = P{};
    o.step.inputs = {{"first", g.fromFeature}, {"second", g.toFeature}};
    o.words = "distance";
    o.rank = -1;
    std::vector<Offer> out{o};
    if (in.hasDatum)
        for (const auto& [along, words] :
             {std::pair{Along::DatumX, "along datum x"}, std::pair{Along::DatumY, "along datum y"}}) {
            o.step.params = P{along, Reach::Centre};
            o.words = words;
            ++o.rank;
            out.push_back(o);
            const auto asked = along == Along::DatumX ? Gesture::Axis::X : Gesture::Axis::Y;
            if (g.axis == asked) out.back().rank = -5;
        }
    return out;
}
} // namespace

StepKind distance()
{
    const std::vector<FeatureType> any{FeatureType::Point,   FeatureType::Line,    FeatureType::Circle,
                                       FeatureType::Ellipse, FeatureType::Contour, FeatureType::Group};
    return Declare<P>({"distance", "Distance", "Distance of two features: points, lines, circle centres."},
                      Question::HowBig, 1, "plane geometry; ends stated in steps/distance/distance.h")
        .purpose("pitch spacing gap centre to centre hole width")
        .drawn("stroke from one feature to the other")
        .gives(FeatureType::Point)
        .input({"first", "From", "Feature the distance starts at.", any})
        .input({"second", "To", "Feature the distance ends at.", any})
        .param(&P::along, {"along", "Along", "Straight, or only the part along one axis of the datum."},
               {{"direct", "Straight"}, {"datum_x", "Datum x"}, {"datum_y", "Datum y"}}, true)
        .param(&P::reach,
               {"reach", "Between", "Centres, or the nearest or farthest points of circles, ellipses and contours."},
               {{"centre", "Centres"}, {"nearest", "Nearest points"}, {"farthest", "Farthest points"}}, true)
        .output({"distance", "Distance", "Between the two features.", Unit::Pixel, false, true, true})
        .offers(offer)
        .runs(run);
}

} // namespace steps

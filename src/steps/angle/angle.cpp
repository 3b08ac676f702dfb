#include "steps/angle/angle.h"

#include "steps/drawing_glue.h"

#include <algorithm>
#include <cmath>

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Point;
using geometry::Segment;
using P = AngleParams;

namespace
{
// The arc whose angle it is. Of the smaller and the larger one there are two each: the one where the lines were seen.
Mark arcBetween(const RunInput& in, const Segment& line, const Segment* against, Point apex, double turn, Sector sector)
{
    const Point u = line.along(), v = against ? against->along() : geometry::direction(in.frame.angle);
    const Point seen = geometry::unit((line.from + line.to) * 0.5 - apex),
                other = against ? geometry::unit((against->from + against->to) * 0.5 - apex) : v;
    double begin = geometry::angleOf(v), sweep = turn, best = -10;
    if (sector == Sector::Acute || sector == Sector::Obtuse)
        for (const double start : {geometry::angleOf(v), geometry::angleOf(v) + geometry::kPi})
            for (const double way : {turn, -turn}) {
                const Point from = geometry::direction(start), to = geometry::direction(start + way);
                if (std::abs(geometry::cross(to, u)) > 1e-6) continue;
                const double fit = geometry::dot(from, other) + geometry::dot(to, seen);
                if (fit > best) best = fit, begin = start, sweep = way;
            }
    const double reach = std::max(30.0, geometry::distance(apex, (line.from + line.to) * 0.5));
    Mark arc{MarkShape::Angle, MarkRole::Found, {apex}, 0, {}};
    for (const double share : {0.0, 0.5, 1.0})
        arc.points.push_back(apex + geometry::direction(begin + share * sweep) * reach);
    return arc;
}

base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    const auto& a = std::get<Segment>(in.inputs.at("first"));
    const auto second = in.inputs.find("second");
    const Point u = a.along(), v = second == in.inputs.end() ? geometry::direction(in.frame.angle)
                                                             : std::get<Segment>(second->second).along();
    double turn = geometry::wrapped(geometry::angleOf(u) - geometry::angleOf(v));
    if (p.sector == Sector::Acute) turn = std::abs(turn), turn = std::min(turn, geometry::kPi - turn);
    if (p.sector == Sector::Obtuse) turn = std::abs(turn), turn = std::max(turn, geometry::kPi - turn);
    if (p.sector == Sector::Directed && turn < 0) turn += 2 * geometry::kPi;
    RunOutput out;
    out.values["angle"] = {geometry::degrees(turn)};
    Point apex = (a.from + a.to) * 0.5;
    if (second != in.inputs.end()) geometry::crossing(a, std::get<Segment>(second->second), apex);
    out.marks.push_back(arcBetween(in, a, second == in.inputs.end() ? nullptr : &std::get<Segment>(second->second),
                                   apex, turn, p.sector));
    return out;
}

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    if (auto pair = drawnPair(g, in); pair && pair->angle) {
        Offer o;
        o.step.params = P{};
        o.step.inputs = {{"first", "+0"}, {"second", "+1"}};
        o.before = std::move(pair->before);
        Check c;
        c.output = "angle";
        c.limits.nominal = *pair->angle;
        c.limits.unit = base::Unit::Degree;
        o.step.checks.push_back(c);
        o.words = "angle " + base::toText(*pair->angle, 2) + "° drawn";
        o.rank = -5;
        return {o};
    }
    // Between lines that are nearly parallel the distance is meant; who chose the kind gets their angle all the same.
    bool apart = false;
    auto made = pairOffer(g, in, P{}, "angle", 0, [&](const Feature& a, const Feature& b) {
        if (typeOf(a) != FeatureType::Line || typeOf(b) != FeatureType::Line) return false;
        apart = geometry::angleBetween(std::get<Segment>(a), std::get<Segment>(b)) > geometry::radians(5);
        return true;
    });
    for (Offer& o : made)
        if (!apart) o.rank = 8;
    return made;
}
} // namespace

StepKind angle()
{
    return Declare<P>({"angle", "Angle", "Angle between two lines, or between a line and the datum."}, Question::HowBig,
                      1, "plane geometry")
        .purpose("angle inclination tilt between lines")
        .drawn("stroke from one line to the other")
        .input({"first", "Line", "Line whose direction is asked for.", {FeatureType::Line}})
        .input({"second",
                "Against",
                "Line it is compared with; without it the datum's x direction.",
                {FeatureType::Line},
                false})
        .param(
            &P::sector,
            {"sector", "Which angle",
             "The smaller angle, the larger one, directed 0 to 360 counter-clockwise from the second to the first, or "
             "signed -180 to 180."},
            {{"acute", "The smaller"}, {"obtuse", "The larger"}, {"directed", "0 to 360"}, {"signed", "-180 to 180"}},
            true)
        .output({"angle", "Angle", "Between the two directions.", Unit::Degree, false, true, true})
        .stated({"angle"}, OutputSpec::Drawn::Angle)
        .offers(offer)
        .runs(run);
}

} // namespace steps

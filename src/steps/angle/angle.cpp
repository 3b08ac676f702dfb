#include "steps/angle/angle.h"

#include "steps/glue.h"

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
    // A small arc where the lines meet, when that is near.
    if (geometry::distance(apex, (a.from + a.to) * 0.5) < 3 * a.length() + 50) {
        const double from = geometry::angleOf(v), sweep = geometry::wrapped(geometry::angleOf(u) - from);
        Mark arc{MarkShape::Polyline, MarkRole::Found, {}, 0, {}};
        for (int i = 0; i <= 24; ++i) arc.points.push_back(apex + geometry::direction(from + sweep * i / 24) * 30);
        out.marks.push_back(std::move(arc));
    }
    return out;
}

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
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
        .offers(offer)
        .runs(run);
}

} // namespace steps

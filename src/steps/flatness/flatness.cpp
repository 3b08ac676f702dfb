#include "steps/flatness/flatness.h"

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Point;
using P = FlatnessParams;

RunOutput zoneResult(const RunInput& in, const vision::FlatZone& zone, const HeightArea& area, double leastCovered,
                     const char* output)
{
    RunOutput out;
    const double covered = area.covered(zone.points);
    out.values["covered"] = {covered};
    markRegion(in, in.region("region"), out);
    if (covered < leastCovered) {
        out.note = tooFewPoints(covered, leastCovered);
        return out;
    }
    out.values[output] = {zone.width};
    if (zone.dropped > 0) out.note = std::to_string(zone.dropped) + " points were left out as spikes";
    std::vector<Point> high, low;
    for (const Point p : zone.high) high.push_back(in.level(p));
    for (const Point p : zone.low) low.push_back(in.level(p));
    if (!high.empty()) out.marks.push_back(pointsMark(high, MarkRole::Found));
    if (!low.empty()) out.marks.push_back(pointsMark(low, MarkRole::Used));
    return out;
}

Evidence zoneEvidence(const RunInput& in, const vision::FlatZone& zone, const HeightArea& area)
{
    Evidence e = sideView(in, area, zone.plane, lengthwise(in, in.region("region")));
    e.title = "the area from the side, over the zone's middle";
    if (e.curves.empty() || e.curves.front().x.empty()) return e;
    const double from = e.curves.front().x.front(), to = e.curves.front().x.back();
    for (const double z : {zone.half, -zone.half})
        e.curves.push_back({"", {from, to}, {z, z}, false, true, Evidence::Curve::Look::Bold});
    e.rules.push_back({from + (to - from) * 0.9, -zone.half, zone.half, base::toText(zone.width, Unit::Millimetre)});
    return e;
}

namespace
{
base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    const auto area = heightArea(in, "region");
    if (!area) return base::passOn(area.error());
    const auto zone = vision::minimumZone(in.heights(), area->where, in.pixelMm(), p.leftOut / 100);
    if (!zone) return base::passOn(zone.error());
    RunOutput out = zoneResult(in, *zone, *area, p.leastCovered, "flatness");
    if (out.values.count("flatness") && in.pixelMm() > 0)
        out.values["tilt"] = {geometry::degrees(zone->plane.tilt(in.pixelMm()))};
    return out;
}

base::Result<Evidence> evidence(const P& p, const RunInput& in)
{
    const auto area = heightArea(in, "region");
    if (!area) return base::passOn(area.error());
    const auto zone = vision::minimumZone(in.heights(), area->where, in.pixelMm(), p.leftOut / 100);
    if (!zone) return base::passOn(zone.error());
    return zoneEvidence(in, *zone, *area);
}

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    auto out = areaOffer(g, in, P{}, "Flatness", "flatness", 2, 5);
    for (Offer& o : out) o.step.inputs.clear();
    return out;
}
} // namespace

StepKind flatness()
{
    Declare<P> d({"flatness", "Flatness",
                  "Distance of the two parallel planes closest together that hold all points of an area."},
                 Question::HowTrue, 1, "ISO 1101, ISO 12781-1 minimum zone; exchange, vision/minimum_zone.h");
    d.purpose("flat warp bend form tolerance plane zone")
        .drawn("Ctrl and drag a frame")
        .region(heightRegion("The area that is to be flat; without it the whole picture."));
    declareHeights(d, false);
    return declareZone(d, "With fewer points than this share of the area there is no flatness.")
        .output({"flatness", "Flatness", "Width of the zone.", Unit::Millimetre, false, true, true})
        .output({"tilt", "Tilt", "Angle of the zone against the picture's plane.", Unit::Degree})
        .output({"covered", "Covered", "Share of the area in which points were measured.", Unit::Percent})
        .better({"flatness", "tilt"}, OutputSpec::Better::Less, 0.0)
        .better({"covered"}, OutputSpec::Better::More, 0.0, 100.0)
        .stated({"flatness"}, OutputSpec::Drawn::Tolerance)
        .madeByArea()
        .shows(evidence)
        .offers(offer)
        .runs(run);
}

} // namespace steps

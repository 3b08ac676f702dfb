#include "steps/height_between/height_between.h"

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Point;
using geometry::Region;
using geometry::Shape;
using P = HeightBetweenParams;

namespace
{
base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    RunOutput out;
    double height[2] = {}, least = 100;
    Point middle[2];
    bool there = true;
    for (const int k : {0, 1}) {
        const std::string key = k == 0 ? "region" : "other";
        const auto area = heightArea(in, key);
        if (!area) return base::passOn(area.error());
        const auto s = vision::heightStats(in.heights(), area->where, baseOf(in), p.leftOut / 100);
        const double covered = area->covered(s.points);
        least = std::min(least, covered);
        there = there && s.points > 0 && covered >= p.leastCovered;
        height[k] = heightOf(s, p.of);
        middle[k] = in.level(in.region(key).middle());
        markRegion(in, in.region(key), out, MarkRole::Found, k == 0 ? "1" : "2");
    }
    out.values["covered"] = {least};
    if (!there) {
        out.note = tooFewPoints(least, p.leastCovered);
        return out;
    }
    out.values["step"] = {height[1] - height[0]};
    out.values["first"] = {height[0]}, out.values["second"] = {height[1]};
    out.marks.push_back({MarkShape::Dimension, MarkRole::Found, {middle[0], middle[1]}, 0, {}});
    return out;
}

base::Result<Evidence> evidence(const P& p, const RunInput& in)
{
    Evidence e;
    e.title = "heights of both areas";
    e.xLabel = "mm", e.yLabel = "points";
    for (const int k : {0, 1}) {
        const auto area = heightArea(in, k == 0 ? "region" : "other");
        if (!area) return base::passOn(area.error());
        auto all = vision::heightsIn(in.heights(), area->where, baseOf(in));
        // Drawn where they are, spikes left out.
        if (!all.empty()) {
            const double low = vision::quantile(all, p.leftOut / 100),
                         high = vision::quantile(all, 1 - p.leftOut / 100);
            all.erase(
                std::remove_if(all.begin(), all.end(), [&](float z) { return double(z) < low || double(z) > high; }),
                all.end());
        }
        Evidence one = heightHistogram(all);
        for (auto& c : one.curves) {
            c.name = k == 0 ? "first" : "second";
            c.second = k == 1;
            e.curves.push_back(std::move(c));
        }
    }
    return e;
}

// A stroke from one flat to the other: a square round both ends.
std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    if (g.type != Gesture::Type::Stroke || in.seen().content != image::Content::Height) return {};
    const double length = geometry::distance(g.from, g.to);
    if (length < 12) return {};
    const double side = std::clamp(length / 5, 4.0, 60.0), turn = in.hasDatum ? in.datumAngle : 0;
    Offer o;
    o.step.params = P{};
    o.step.name = "Step";
    o.step.regions["region"] = Region::rectangle(g.from, side, side, turn);
    o.step.regions["other"] = Region::rectangle(g.to, side, side, turn);
    if (const std::string plane = planeThere(in); !plane.empty()) o.step.inputs["base"] = plane;
    o.words = "step between both ends";
    o.rank = 4;
    return {o};
}
} // namespace

StepKind height_between()
{
    const std::vector<Shape> shapes{Shape::Rectangle, Shape::Circle, Shape::Ring, Shape::Arc, Shape::Polygon};
    Declare<P> d({"height_between", "Step between areas", "How much higher one area lies than another."},
                 Question::HowBig, 1, "difference of quantiles or means, vision/height.h");
    d.called("Step")
        .purpose("step difference offset flush height gap")
        .drawn("stroke from one area to the other")
        .region({"region", "First area", "The area the step is measured from.", shapes})
        .region({"other", "Second area", "The area whose height is told over the first.", shapes});
    declareHeights(d);
    return declareCover(d, "With fewer points than this share of either area there is no step.")
        .param(&P::of, {"of", "Height is", "Which of the points' heights stands for an area."}, heightOfChoices(), true)
        .param(&P::leftOut,
               {"left_out", "Left out at both ends",
                "Share of the points that are no highest and no lowest ones: spikes."},
               Unit::Percent, Real{0, 49, 0.5, 0, 10})
        .output({"step", "Step", "Height of the second area over the first; lower is negative.", Unit::Millimetre,
                 false, true, true})
        .output({"first", "First height", "Height of the first area.", Unit::Millimetre})
        .output({"second", "Second height", "Height of the second area.", Unit::Millimetre})
        .output({"covered", "Covered", "Share of the area in which points were measured; the lesser of both.",
                 Unit::Percent})
        .better({"covered"}, OutputSpec::Better::More, 0.0, 100.0)
        .madeByStroke()
        .shows(evidence)
        .offers(offer)
        .runs(run);
}

} // namespace steps

#include "steps/height_base/height_base.h"

#include "vision/height.h"

#include <cmath>
#include <limits>

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::HeightPlane;
using geometry::Point;
using geometry::Region;
using geometry::Shape;
using P = HeightBaseParams;

namespace
{
constexpr const char* kAreas[] = {"region", "region_2", "region_3", "region_4"};
constexpr const char* kPoints[] = {"first", "second", "third"};

// All areas together, each pixel once.
HeightArea together(const RunInput& in)
{
    HeightArea all;
    bool any = false;
    for (const char* key : kAreas) {
        if (in.regions.find(key) == in.regions.end()) continue;
        any = true;
        const HeightArea one = heightArea(in, in.region(key));
        all.where.insert(all.where.end(), one.where.begin(), one.where.end());
        all.pixels += one.pixels;
    }
    if (!any) return heightArea(in, Region::whole());
    std::sort(all.where.begin(), all.where.end(),
              [](const auto& a, const auto& b) { return a.y != b.y ? a.y < b.y : a.from < b.from; });
    std::vector<geometry::Span> joined;
    for (const geometry::Span& s : all.where) {
        if (!joined.empty() && joined.back().y == s.y && s.from <= joined.back().to) {
            all.pixels -= std::min(joined.back().to, s.to) - s.from;
            joined.back().to = std::max(joined.back().to, s.to);
        } else {
            joined.push_back(s);
        }
    }
    all.where = std::move(joined);
    return all;
}

struct Seen {
    vision::PlaneFit fit;
    HeightArea area;
};
base::Result<Seen> see(const P& p, const RunInput& in)
{
    Seen s;
    if (p.by == PlaneBy::Points) {
        Point places[3];
        for (int i = 0; i < 3; ++i) {
            const auto it = in.points.find(kPoints[i]);
            if (it == in.points.end())
                return base::fail(base::ErrorCode::NoResult,
                                  "the " + std::string(kPoints[i]) + " point has not been placed");
            places[i] = in.picture(it->second);
        }
        auto fit = vision::planeThrough(in.heights(), places, p.radius * in.grows());
        if (!fit) return base::passOn(fit.error());
        s.fit = std::move(*fit);
        for (const Point place : places) {
            const HeightArea one = heightArea(in, Region::circle(place, p.radius * in.grows()));
            s.area.where.insert(s.area.where.end(), one.where.begin(), one.where.end());
            s.area.pixels += one.pixels;
        }
        return s;
    }
    s.area = together(in);
    if (s.area.where.empty()) return base::fail(base::ErrorCode::NoResult, "the region lies outside the picture");
    auto fit = vision::fitPlane(in.heights(), s.area.where, p.reach);
    if (!fit) return base::passOn(fit.error());
    s.fit = std::move(*fit);
    const double covered = s.area.covered(s.fit.points);
    if (covered < p.leastCovered) return base::fail(base::ErrorCode::NoResult, tooFewPoints(covered, p.leastCovered));
    return s;
}

base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    const auto seen = see(p, in);
    if (!seen) return base::passOn(seen.error());
    const vision::PlaneFit& fit = seen->fit;
    RunOutput out;
    out.values["covered"] = {seen->area.covered(fit.points)};
    out.values["used"] = {fit.points ? 100.0 * double(fit.used) / double(fit.points) : 0};
    out.values["spread"] = {fit.scale};
    out.values["height"] = {fit.plane.at(fit.plane.middle)};
    if (const double mm = in.pixelMm(); mm > 0) {
        const Point slope{fit.plane.right / mm, fit.plane.down / mm}, u = geometry::direction(in.frame.angle);
        out.values["tilt"] = {geometry::degrees(fit.plane.tilt(mm))};
        out.values["tilt_x"] = {geometry::degrees(std::atan(geometry::dot(slope, u)))};
        out.values["tilt_y"] = {geometry::degrees(std::atan(geometry::dot(slope, geometry::leftOf(u) * -1.0)))};
    } else {
        out.note = "no tilt: it is not known how many mm a pixel is";
    }
    out.features["plane"] = fit.plane;
    if (p.by == PlaneBy::Points) {
        for (const char* key : kPoints) {
            Mark m{MarkShape::Circle, MarkRole::Used, {in.points.at(key)}, p.radius * in.grows(), {}};
            out.marks.push_back(std::move(m));
        }
        return out;
    }
    for (const char* key : kAreas)
        if (in.regions.find(key) != in.regions.end()) markRegion(in, in.region(key), out, MarkRole::Used);
    // What was dropped is shown.
    constexpr double kFar = std::numeric_limits<double>::infinity();
    const double least = std::max(12.0, double(fit.points) / 20000);
    for (const auto& [low, high] : {std::pair{-kFar, -fit.reach}, {fit.reach, kFar}})
        for (Mark& m : areaMarks(in, vision::runsInBand(in.heights(), seen->area.where, fit.plane, low, high),
                                 seen->area.where, least, MarkRole::Stray))
            out.marks.push_back(std::move(m));
    const double dropped = 100 - out.values["used"].front();
    if (dropped >= 0.1)
        out.note += (out.note.empty() ? "" : "; ") + base::toText(dropped, 1) +
                    " % of the points lie off the plane by more than " + base::toText(fit.reach, Unit::Millimetre) +
                    " and are not of it";
    return out;
}

base::Result<Evidence> evidence(const P& p, const RunInput& in)
{
    const auto seen = see(p, in);
    if (!seen) return base::passOn(seen.error());
    auto all = vision::heightsIn(in.heights(), seen->area.where, seen->fit.plane);
    // Far outliers would leave nothing to be seen of the rest.
    const double reach = 4 * std::max(seen->fit.reach, 1e-6);
    const std::size_t before = all.size();
    all.erase(std::remove_if(all.begin(), all.end(), [&](float z) { return std::abs(double(z)) > reach; }), all.end());
    Evidence e = heightHistogram(all);
    e.title = "points off the plane";
    e.logarithmic = true;
    if (before > all.size()) e.note = std::to_string(before - all.size()) + " points lie farther off than is shown";
    if (p.by == PlaneBy::Areas) e.handles.push_back({"reach", "belongs", true, seen->fit.reach});
    return e;
}

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    if (in.seen().content != image::Content::Height) return {};
    auto out =
        areaOffer(g, in, P{}, "Base", "base plane", planeThere(in).empty() ? 1 : 7, planeThere(in).empty() ? 3 : 8);
    for (Offer& o : out) o.step.inputs.clear();
    return out;
}
} // namespace

StepKind height_base()
{
    const std::vector<Shape> shapes{Shape::Rectangle, Shape::Circle, Shape::Ring, Shape::Arc, Shape::Polygon};
    Declare<P> d(
        {"height_base", "Base plane", "Plane through the flat of a height picture: heights are measured over it."},
        Question::What, 1, "robust plane, vision/height.h");
    d.called("Base")
        .purpose("plane reference ground tilt level height flat")
        .drawn("Ctrl and drag a frame on the flat")
        .gives(FeatureType::Plane);
    return declareHeights(d, false)
        .region({"region", "Area", "Points of the plane; without an area those of the whole picture.", shapes, false})
        .region({"region_2", "Second area", "Further points of the plane.", shapes, false})
        .region({"region_3", "Third area", "Further points of the plane.", shapes, false})
        .region({"region_4", "Fourth area", "Further points of the plane.", shapes, false})
        .point({"first", "First point", "With three points: a place on the plane."})
        .point({"second", "Second point", "With three points: a place on the plane."})
        .point({"third", "Third point", "With three points: a place on the plane."})
        .param(&P::by, {"by", "Through", "The points of areas, what stands out dropped; or three places."},
               {{"areas", "Areas"}, {"points", "Three points"}}, true)
        .param(&P::reach,
               {"reach", "Belongs within",
                "Points farther from the plane are not of it; 0: by their own spread, which fits most pictures."},
               Unit::Millimetre, Real{0, 1e6, 0.01, 0, 1}, true)
        .param(&P::radius,
               {"radius", "Radius of a point", "With three points: the median of the heights so near counts."},
               Unit::Pixel, Real{0.5, 1000, 1, 1, 30})
        .param(&P::leastCovered,
               {"least_covered", "Least share of points",
                "With fewer points than this share of the area there is no plane."},
               Unit::Percent, kShareRange)
        .readWhen({"reach", "least_covered"}, "by", {"areas"})
        .readWhen({"radius"}, "by", {"points"})
        .output({"tilt", "Tilt", "Angle of the plane against the picture's plane.", Unit::Degree, false, true, true})
        .output({"tilt_x", "Tilt along x", "Slope along the datum's x direction, up is positive.", Unit::Degree})
        .output({"tilt_y", "Tilt along y", "Slope along the datum's y direction, up is positive.", Unit::Degree})
        .output({"height", "Height", "Height of the plane in the middle of its points, over 0 of the scale.",
                 Unit::Millimetre})
        .output({"spread", "Spread", "Standard deviation of its points about it, robust.", Unit::Millimetre})
        .output({"used", "Used", "Share of the points that belong to the plane.", Unit::Percent})
        .output({"covered", "Covered", "Share of the area in which points were measured.", Unit::Percent})
        .better({"tilt"}, OutputSpec::Better::Less, 0.0, 90.0)
        .better({"spread"}, OutputSpec::Better::Less, 0.0)
        .better({"used", "covered"}, OutputSpec::Better::More, 0.0, 100.0)
        .madeByArea()
        .shows(evidence)
        .offers(offer)
        .runs(run);
}

} // namespace steps

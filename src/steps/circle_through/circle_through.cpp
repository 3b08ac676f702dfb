#include "steps/circle_through/circle_through.h"

#include "geometry/fit.h"
#include "steps/glue.h"

#include <algorithm>
#include <cmath>

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Point;
using geometry::Segment;
using P = CircleThroughParams;

namespace
{
base::Result<RunOutput> run(const P&, const RunInput& in)
{
    std::vector<Point> centres;
    for (const auto& [key, f] : in.inputs) {
        if (const auto* g = std::get_if<Group>(&f))
            for (const auto& m : g->members) centres.push_back(m.centre);
        else centres.push_back(placeOf(f));
    }
    const auto fit = geometry::fitCircle(centres, 1e9); // every centre counts
    if (!fit)
        return base::fail(base::ErrorCode::NoResult, centres.size() < 3
                                                         ? std::to_string(centres.size()) + " centres, a circle needs 3"
                                                         : "the centres lie in a row");
    RunOutput out = pointResult(in, fit->shape.centre);
    out.values["radius"] = {fit->shape.radius}, out.values["diameter"] = {2 * fit->shape.radius};
    double farthest = 0;
    for (const Point c : centres)
        farthest = std::max(farthest, std::abs(geometry::distance(c, fit->shape.centre) - fit->shape.radius));
    out.values["deviation"] = {farthest};
    out.features.clear();
    out.features["circle"] = fit->shape;
    out.points["all"] = centres;
    out.marks.push_back({MarkShape::Circle, MarkRole::Found, {fit->shape.centre}, fit->shape.radius, {}});
    out.marks.push_back(pointsMark(centres, MarkRole::Used));
    return out;
}

// From one round thing to another: all centres found that lie on one circle with these two. On a group: through all its
// objects.
std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    Offer o;
    o.step.params = P{};
    o.words = "circle through centres", o.rank = 7;
    if (const Feature* f = pulledFrom(g, in);
        f && typeOf(*f) == FeatureType::Group && std::get<Group>(*f).members.size() >= 3) {
        o.step.inputs["c1"] = g.fromFeature;
        return {o};
    }
    if (g.type != Gesture::Type::Stroke || g.fromFeature == g.toFeature) return {};
    std::vector<std::pair<std::string, Point>> all;
    for (const std::string& id : {g.fromFeature, g.toFeature}) {
        const auto f = in.features.find(id);
        if (f == in.features.end() || !hasPlace(f->second)) return {};
        all.push_back({id, placeOf(f->second)});
    }
    for (const auto& [id, f] : in.features)
        if (id != g.fromFeature && id != g.toFeature && typeOf(f) == FeatureType::Circle && all.size() < 8)
            all.push_back({id, placeOf(f)});
    std::vector<Point> centres;
    for (const auto& [id, p] : all) centres.push_back(p);
    const auto fit = geometry::fitCircle(centres, 1e6);
    if (centres.size() < 3 || !fit || fit->rms > 0.05 * fit->shape.radius) return {};
    for (std::size_t i = 0; i < all.size(); ++i) o.step.inputs["c" + std::to_string(i + 1)] = all[i].first;
    return {o};
}
} // namespace

StepKind circle_through()
{
    const std::vector<FeatureType> any{FeatureType::Point, FeatureType::Circle, FeatureType::Ellipse,
                                       FeatureType::Contour, FeatureType::Group};
    Declare<P> d({"circle_through", "Circle through centres",
                  "Circle through the centres of several features, or of all objects of a group: a bolt circle."},
                 Question::What, 1, "geometric least squares by Gauss-Newton (geometry/fit.h), every centre counts");
    d.purpose("bolt circle pitch holes centres")
        .drawn("stroke from one of three or more circles to another, or click objects of a group")
        .gives(FeatureType::Circle)
        .input({"c1", "Centre 1", "Feature whose centre lies on the circle, or a whole group.", any});
    for (int i = 2; i <= 8; ++i)
        d.input({"c" + std::to_string(i), "Centre " + std::to_string(i),
                 "Another feature whose centre lies on the circle.", any, false});
    return d.onePlace()
        .output({"radius", "Radius", "Radius of the circle.", Unit::Pixel})
        .output({"diameter", "Diameter", "Diameter of the circle.", Unit::Pixel})
        .output({"deviation", "Largest deviation", "Distance of the farthest centre from the circle.", Unit::Pixel})
        .stated({"diameter"}, OutputSpec::Drawn::Diameter)
        .stated({"radius"}, OutputSpec::Drawn::Radius)
        .offers(offer)
        .runs(run);
}

} // namespace steps

#include "steps/farthest/farthest.h"

#include <algorithm>
#include <cmath>

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Point;
using P = FarthestParams;

namespace
{
// +1 when outward (away from the material) is the positive side of the feature.
double outwardOf(Material material, const std::vector<DenseEdge>& edges)
{
    // Along the positive direction the strongest edges go from the material to the ground, or the other way.
    double rising = 0, all = 0;
    for (const DenseEdge& e : edges)
        if (std::abs(e.offset) < 3) rising += e.edge.polarity > 0 ? e.edge.strength : 0, all += e.edge.strength;
    const bool toBright = 2 * rising >= all;
    return (material == Material::Dark) == toBright ? 1 : -1;
}
struct Found {
    std::vector<DenseEdge> edges;
    double sign = 1;
    const DenseEdge* worst = nullptr;
    double size = 0; // ≥ 0, on the side asked for
};
base::Result<Found> find(const P& p, const RunInput& in)
{
    auto edges = densePoints(in, in.inputs.at("of"), p);
    if (!edges) return base::passOn(edges.error());
    Found f;
    f.edges = std::move(*edges);
    f.sign = outwardOf(p.material, f.edges);
    for (const DenseEdge& e : f.edges) {
        const double out = e.offset * f.sign, value = p.side == Side::Outward  ? out
                                                      : p.side == Side::Inward ? -out
                                                                               : std::abs(out);
        if (value > f.size) f.size = value, f.worst = &e;
    }
    return f;
}

base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    const auto f = find(p, in);
    if (!f) return base::passOn(f.error());
    RunOutput out;
    out.values["size"] = {f->size};
    out.values["points"] = {double(f->edges.size())};
    const Feature& feature = in.inputs.at("of");
    const Point at = f->worst ? f->worst->edge.point : f->edges.front().edge.point;
    const auto* line = std::get_if<geometry::Segment>(&feature);
    const auto* circle = std::get_if<geometry::Circle>(&feature);
    const Point foot =
        line ? geometry::foot(*line, at) : circle->centre + geometry::unit(at - circle->centre) * circle->radius;
    out.values["x"] = {at.x}, out.values["y"] = {at.y};
    out.values["outward"] = {f->worst ? f->worst->offset * f->sign : 0.0};
    out.features["point"] = at;
    std::vector<Point> all;
    for (const DenseEdge& e : f->edges) all.push_back(e.edge.point);
    out.points["all"] = all;
    out.marks.push_back({MarkShape::Dimension, MarkRole::Found, {foot, at}, 0, {}});
    out.marks.push_back({MarkShape::Circle, MarkRole::Found, {at}, 8, {}});
    return out;
}

base::Result<Evidence> evidence(const P& p, const RunInput& in)
{
    const auto f = find(p, in);
    if (!f) return base::passOn(f.error());
    Evidence e;
    e.title = "edge points off the feature, outward up";
    const bool line = std::holds_alternative<geometry::Segment>(in.inputs.at("of"));
    e.xLabel = line ? "px along the line" : "angle, °", e.yLabel = "px outward";
    Evidence::Curve c{"edge points", {}, {}, false, false};
    for (const DenseEdge& d : f->edges)
        c.x.push_back(line ? d.edge.station : geometry::degrees(d.edge.station)), c.y.push_back(d.offset * f->sign);
    e.curves = {c};
    e.note =
        std::to_string(f->edges.size()) + " edge points, none dropped; farthest " + base::toText(f->size, 3) + " px";
    return e;
}

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    if (g.type != Gesture::Type::Stroke || g.fromFeature.empty() || g.fromFeature != g.toFeature) return {};
    const auto f = in.features.find(g.fromFeature);
    if (f == in.features.end() || (typeOf(f->second) != FeatureType::Line && typeOf(f->second) != FeatureType::Circle))
        return {};
    P p;
    p.leastStrength = std::max(8.0, std::round(5 * in.noise));
    std::vector<Offer> out;
    for (const auto& [side, name, words] : {std::tuple{Side::Outward, "Burr", "farthest outward: burr"},
                                            std::tuple{Side::Inward, "Sink", "farthest inward: sink"}}) {
        Offer o;
        p.side = side;
        o.step.params = p;
        o.step.name = name;
        o.step.inputs = {{"of", g.fromFeature}};
        o.words = words;
        o.rank = -3 + int(side);
        out.push_back(o);
    }
    return out;
}
} // namespace

StepKind farthest()
{
    Declare<P> d({"farthest", "Farthest point",
                  "Farthest edge point off a line or circle, outward or inward, among all points: burr or sink."},
                 Question::HowBig, 1,
                 "distance of every edge point of dense profiles, square to the feature; edges as in vision/edges.h");
    d.purpose("burr flash sink chip dent bulge protrusion notch")
        .drawn("stroke along a line or circle that was found")
        .gives(FeatureType::Point)
        .input({"of",
                "Line or circle",
                "Feature the points are measured from.",
                {FeatureType::Line, FeatureType::Circle}});
    declareDense(d)
        .param(&P::side, {"side", "Side", "Outward: away from the material (burr); inward: into it (sink)."},
               {{"outward", "Outward"}, {"inward", "Inward"}, {"both", "Both"}}, true)
        .param(&P::material, {"material", "Material is", "Which side of the edge is the part."},
               {{"dark", "Dark"}, {"bright", "Bright"}}, true)
        .output({"size", "Size", "Distance of the farthest point on the side asked for, 0 when there is none.",
                 Unit::Pixel, false, true, true})
        .output({"outward", "Outward", "The same with its sign: outward positive.", Unit::Pixel})
        .output({"x", "x", "Place of the farthest point in the picture.", Unit::Pixel, false, false})
        .output({"y", "y", "Place of the farthest point in the picture.", Unit::Pixel, false, false})
        .place("x", "y")
        .output({"points", "Points", "Number of edge points looked at.", Unit::None})
        .better({"size"}, OutputSpec::Better::Less, 0.0);
    return d.shows(evidence).offers(offer).runs(run);
}

} // namespace steps

#include "steps/distances/distances.h"

#include "steps/glue.h"

#include <algorithm>

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Point;
using geometry::Segment;
using P = DistancesParams;

namespace
{
base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    const auto& all = std::get<Group>(in.inputs.at("each")).members;
    const auto other = in.inputs.find("from");
    RunOutput out;
    auto& list = out.values["distances"];
    list = {};
    int number = 0;
    for (const auto& m : all) {
        Point from = in.frame.origin, to = m.centre;
        if (other != in.inputs.end()) {
            const auto e = ends(other->second, Feature(m.centre), Reach::Centre);
            if (!e) return base::passOn(e.error());
            from = e->first, to = e->second;
        }
        double value = geometry::distance(from, to);
        if (p.along != Along::Direct) {
            const Point axis = geometry::direction(in.frame.angle),
                        u = p.along == Along::DatumX ? axis : geometry::leftOf(axis) * -1.0;
            value = geometry::dot(u, to - from); // signed: which side counts
            to = from + u * value;
        }
        list.push_back(value);
        out.points["elements"].push_back(m.centre);
        if (++number <= 200) out.marks.push_back({MarkShape::Dimension, MarkRole::Found, {from, to}, 0, {}, number});
    }
    if (list.empty()) return base::fail(base::ErrorCode::NoResult, "there is no object");
    out.values["least"] = {*std::min_element(list.begin(), list.end())};
    out.values["greatest"] = {*std::max_element(list.begin(), list.end())};
    return out;
}

// From a group to what its distances start at, or the other way; pulled into empty space: from the datum's origin.
std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    Offer o;
    o.step.params = P{};
    o.words = "distance of each", o.rank = 1;
    if (const Feature* f = pulledFrom(g, in);
        f && g.type == Gesture::Type::Stroke && typeOf(*f) == FeatureType::Group) {
        o.step.inputs["each"] = g.fromFeature;
        o.words = "distance of each from the datum";
        return {o};
    }
    if (g.type != Gesture::Type::Stroke) return {};
    const auto a = in.features.find(g.fromFeature), b = in.features.find(g.toFeature);
    if (a == in.features.end() || b == in.features.end() || a == b) return {};
    const bool first = typeOf(a->second) == FeatureType::Group;
    const Feature &group = first ? a->second : b->second, &from = first ? b->second : a->second;
    if (typeOf(group) != FeatureType::Group || (!hasPlace(from) && typeOf(from) != FeatureType::Line) ||
        typeOf(from) == FeatureType::Contour)
        return {};
    o.step.inputs = {{"each", first ? g.fromFeature : g.toFeature}, {"from", first ? g.toFeature : g.fromFeature}};
    return {o};
}
} // namespace

StepKind distances()
{
    return Declare<P>({"distances", "Distance of each",
                       "Distance of each object of a group from a feature, or from the datum's origin."},
                      Question::HowBig, 1, "plane geometry; ends stated in steps/distance/distance.h")
        .purpose("list pitch spacing position of each from edge")
        .drawn("stroke from objects of a group to what their distances start at, or into empty space")
        .input({"each", "Objects", "Step that finds the objects.", {FeatureType::Group}})
        .input({"from",
                "From",
                "Feature the distances start at; without it the datum's origin.",
                {FeatureType::Point, FeatureType::Line, FeatureType::Circle, FeatureType::Ellipse},
                false})
        .param(&P::along,
               {"along", "Along", "Straight, or only the part along one axis of the datum; then with its sign."},
               {{"direct", "Straight"}, {"datum_x", "Datum x"}, {"datum_y", "Datum y"}}, true)
        .output({"distances", "Distances", "Distance of each object, in the order of the group.", Unit::Pixel, true,
                 true, true})
        .output({"least", "Least", "Smallest of the distances.", Unit::Pixel})
        .output({"greatest", "Greatest", "Largest of the distances.", Unit::Pixel})
        .offers(offer)
        .runs(run);
}

} // namespace steps

#include "steps/element/element.h"

#include "steps/glue.h"

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Point;
using geometry::Segment;
using P = ElementParams;

namespace
{
base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    const auto& all = std::get<Group>(in.inputs.at("group")).members;
    if (all.empty()) return base::fail(base::ErrorCode::NoResult, "there is no object");
    const std::size_t unlisted = std::get<Group>(in.inputs.at("group")).unlisted;
    if (unlisted > 0 && (p.by == PickBy::Place || p.number < 0))
        return base::fail(base::ErrorCode::NoResult,
                          "the list is cut off: " + std::to_string(unlisted) + " objects are not in it");
    std::size_t index = 0;
    if (p.by == PickBy::Place) {
        const auto at = in.points.find("place");
        if (at == in.points.end())
            return base::fail(base::ErrorCode::NotFound, "the point \"Place\" (place) has not been set");
        for (std::size_t i = 1; i < all.size(); ++i)
            if (geometry::distance(all[i].centre, at->second) < geometry::distance(all[index].centre, at->second))
                index = i;
    } else {
        const int n = p.number > 0 ? p.number - 1 : int(all.size()) + p.number;
        if (p.number == 0 || n < 0 || n >= int(all.size()))
            return base::fail(base::ErrorCode::NoResult, "no value: object " + std::to_string(p.number) + " of " +
                                                             std::to_string(all.size()) + " is asked for");
        index = std::size_t(n);
    }
    RunOutput out = pointResult(in, all[index].centre);
    out.values["number"] = {double(index + 1)};
    out.values["length"] = {all[index].length}, out.values["width"] = {all[index].width};
    out.values["angle"] = {geometry::degrees(geometry::wrapped(2 * (all[index].angle - in.frame.angle)) / 2)};
    return out;
}

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    const Feature* f = pulledFrom(g, in);
    if (!f || typeOf(*f) != FeatureType::Group || std::get<Group>(*f).members.empty()) return {};
    P p;
    p.by = PickBy::Place;
    Offer o;
    o.step.params = p;
    o.step.inputs["group"] = g.fromFeature;
    o.step.points["place"] = g.from;
    o.words = "this one of the group", o.rank = 2;
    return {o};
}
} // namespace

StepKind element()
{
    return Declare<P>({"element", "One of a group",
                       "Picks one object out of a group, by its number from either end or as the nearest to a place."},
                      Question::What, 1, "plane geometry")
        .purpose("pick one object of many number nearest first last")
        .drawn("click the object of a group")
        .gives(FeatureType::Point)
        .input({"group", "Group", "Step that finds the objects.", {FeatureType::Group}})
        .point({"place", "Place", "With the nearest: where the object belongs, on the reference."})
        .param(&P::by, {"by", "Picked by", "The object with this number, or the nearest to the place."},
               {{"number", "Number"}, {"place", "Nearest to the place"}}, true)
        .param(
            &P::number,
            {"number", "Number", "Counted from 1 at the start, from -1 at the end; beyond the end there is no value."},
            Unit::None, Whole{-100000, 100000}, true)
        .onePlace()
        .output({"number", "Number", "Number of the picked object in its list.", Unit::None})
        .output({"length", "Length", "Longer side of its smallest turned box.", Unit::Pixel})
        .output({"width", "Width", "Shorter side of its smallest turned box.", Unit::Pixel})
        .output({"angle", "Angle", "Direction of its longer axis against the datum's x direction.", Unit::Degree})
        .offers(offer)
        .runs(run);
}

} // namespace steps

#include "steps/blob_datum/blob_datum.h"

#include "geometry/zones.h"
#include "steps/glue.h"

#include <algorithm>

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Point;
using geometry::Segment;
using P = BlobDatumParams;

namespace
{
base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    const auto& g = std::get<Group>(in.inputs.at("blobs"));
    if (g.members.empty()) return base::fail(base::ErrorCode::NoResult, "there is no object");
    if (g.unlisted > 0 && p.of != BlobFrame::First)
        return base::fail(base::ErrorCode::NoResult,
                          "the list of objects is cut off: " + std::to_string(g.unlisted) + " are not in it");
    RunOutput out;
    const auto add = [&](Point at, double angle) {
        // An axis has no sense of its own: the half turn nearest to the datum above (or to the picture's x) is taken.
        const double turn = geometry::wrapped(2 * (angle - in.frame.angle)) / 2;
        out.finds.push_back({{at, p.turned ? in.frame.angle + turn : in.frame.angle}, 1});
    };
    const auto size = [](const Group::Member& m) { return m.length * m.width; };
    switch (p.of) {
    case BlobFrame::First: add(g.members.front().centre, g.members.front().angle); break;
    case BlobFrame::Largest: {
        const auto best = std::max_element(g.members.begin(), g.members.end(),
                                           [&](const auto& a, const auto& b) { return size(a) < size(b); });
        add(best->centre, best->angle);
        break;
    }
    case BlobFrame::Each:
        for (const auto& m : g.members) add(m.centre, m.angle);
        break;
    case BlobFrame::All: {
        const geometry::TurnedBox box = geometry::smallestBox(g.extent);
        add(box.centre, box.angle);
    }
    }
    const std::size_t all = out.finds.size();
    if (p.of == BlobFrame::Each && p.expected > 0 && all > std::size_t(p.expected)) {
        out.surplus.assign(out.finds.begin() + p.expected, out.finds.end());
        out.finds.resize(std::size_t(p.expected));
    }
    const geometry::Pose first = out.finds.front().pose;
    out.values["x"] = {first.origin.x}, out.values["y"] = {first.origin.y};
    out.values["angle"] = {geometry::degrees(geometry::wrapped(first.angle))};
    out.values["finds"] = {double(all)};
    out.features["origin"] = first.origin;
    int number = 0;
    for (const auto* list : {&out.finds, &out.surplus})
        for (const Find& f : *list)
            out.marks.push_back({MarkShape::Frame,
                                 MarkRole::Datum,
                                 {f.pose.origin, f.pose.origin + geometry::direction(f.pose.angle) * 40},
                                 0,
                                 {},
                                 ++number});
    if (p.of == BlobFrame::Each && p.expected > 0 && int(all) != p.expected)
        out.note = std::to_string(all) + " parts found, " + std::to_string(p.expected) + " expected";
    return out;
}

// On objects that were found: the frame of the one nearest, which is the largest when there is one.
std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    const Feature* f = pulledFrom(g, in);
    if (!f || typeOf(*f) != FeatureType::Group) return {};
    const std::size_t n = std::get<Group>(*f).members.size();
    std::vector<Offer> out;
    for (const auto& [of, words] : {std::pair{BlobFrame::Largest, "datum of the largest"},
                                    {BlobFrame::Each, "each one is a part"},
                                    {BlobFrame::All, "the frame round all"}}) {
        if (n < 2 && of != BlobFrame::Largest) break;
        P p;
        p.of = of;
        Offer o;
        o.step.params = p;
        o.step.name = "Blob";
        o.step.inputs["blobs"] = g.fromFeature;
        o.words = words, o.rank = (in.hasDatum ? 6 : 0) + int(out.size());
        out.push_back(o);
    }
    return out;
}
} // namespace

StepKind blob_datum()
{
    return Declare<P>(
               {"blob_datum", "Datum of blobs",
                "Origin on the centroid of a blob, x direction along its longer axis; or the frame round a group."},
               Question::Where, 1,
               "first and second moments (vision/blobs.h); smallest turned box: Freeman, Shapira 1975")
        .purpose("locate datum blob object group frame centroid each where")
        .drawn("click objects that a blobs step found")
        .isDatum()
        .madeByStroke()
        .gives(FeatureType::Point)
        .input({"blobs", "Blobs", "Step that finds the objects.", {FeatureType::Group}})
        .param(
            &P::of, {"of", "Datum of", "Which objects make the datum; of each one: every object is an item."},
            {{"largest", "The largest"}, {"first", "The first"}, {"each", "Each one"}, {"all", "The frame round all"}},
            true)
        .param(
            &P::turned,
            {"turned", "Turns with it", "The x direction follows the longer axis; without it the datum only shifts."},
            true)
        .param(&P::expected,
               {"expected", "Parts expected",
                "With each one: number of objects that must lie in the picture; each lost or surplus one is a rejected "
                "item. 0: any."},
               Unit::None, Whole{0, 1000})
        .output({"x", "x", "Place of the origin in the picture.", Unit::Pixel, false, false})
        .output({"y", "y", "Place of the origin in the picture.", Unit::Pixel, false, false})
        .output({"angle", "Angle", "Turn of the x direction, counter-clockwise as seen.", Unit::Degree})
        .find("x", "y", "angle")
        .expects("expected")
        .output({"finds", "Finds", "Number of datums made.", Unit::None})
        .offers(offer)
        .runs(run);
}

} // namespace steps

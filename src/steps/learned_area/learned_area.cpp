#include "steps/learned_area/learned_area.h"

#include "steps/glue.h"

#include <algorithm>
#include <cmath>

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Point;
using geometry::Region;
using geometry::Shape;
using vision::Learned;
using vision::Patch;
using P = LearnedAreaParams;

namespace
{
constexpr std::size_t kMostFaults = 1000; // listed
struct Taught {
    Learned learned;
    Patch shown; // the reference, in its colours
};

Region regionOf(const std::map<std::string, Region>& regions)
{
    const auto it = regions.find("region");
    return it == regions.end() ? Region::whole() : it->second;
}

base::Result<Taught> teach(const P& p, const TeachInput& in)
{
    const Region region = regionOf(in.regions);
    const auto box = boxOf(region, 0, in.seen());
    if (!box) return base::fail(base::ErrorCode::NoResult, "the region lies outside the reference");
    std::vector<std::uint8_t> counts = countsIn(region, in.leaveOut, *box, in.seen());
    const bool colour = p.by == CompareBy::Colour;
    std::vector<Patch> good;
    good.push_back(vision::laid(in.seen(), colour, *box, [](Point q) { return q; }));
    std::vector<float> levels(box->count());
    for (std::size_t i = 0; i < levels.size(); ++i) levels[i] = good.front().level(i);
    for (const SampleInput& s : in.learnedFrom) {
        const image::Picture* picture = s.good() ? pictureOf(in, s, in.seen().key) : nullptr;
        if (!picture) continue;
        Patch patch = vision::settled(*picture, colour, *box, carryTo(in, s), levels, counts, p.light, p.drift).patch;
        if (patch.pixels.format() != good.front().pixels.format()) continue;
        good.push_back(std::move(patch));
    }
    auto learned = Learned::make(good, std::move(counts), learnOptions(p));
    if (!learned) return base::passOn(learned.error());
    return Taught{std::move(*learned), vision::laid(in.seen(), true, *box, [](Point q) { return q; })};
}
std::string note(const P&, const Taught& t) { return fewSamples(t.learned.samples()); }

struct Seen {
    Patch patch;
    vision::Light light;
    Point drift;
    vision::Difference difference;
    std::vector<vision::DifferentPlace> faults;
    double worst = 0;
};

base::Result<Seen> look(const P& p, const RunInput& in, const Learned& learned)
{
    Seen s;
    const bool colour = p.by == CompareBy::Colour;
    vision::Settled here = vision::settled(in.seen(), colour, learned.box(), carryTo(in), learned.levels(),
                                           learned.counts(), p.light, p.drift);
    s.patch = std::move(here.patch), s.light = here.light, s.drift = here.shift;
    if (s.patch.colour() != learned.colour() || s.patch.heights() != learned.heights())
        return base::fail(base::ErrorCode::NoResult, learned.colour()
                                                         ? "the picture has no colour, the good ones have"
                                                         : "the picture is of another sort than the good ones");
    s.difference = vision::differ(learned, s.patch, s.light);
    if (s.difference.worst > 1 && !learned.heights()) {
        s.light = learned.focused(s.patch, s.light);
        s.difference = vision::differ(learned, s.patch, s.light);
    }
    if (s.difference.compared == 0) return base::fail(base::ErrorCode::NoResult, "nothing is left to compare");
    if (const double unseen = 100.0 * double(s.difference.unseen) / double(s.difference.compared); unseen > 0.05)
        return base::fail(base::ErrorCode::NoResult,
                          base::toText(unseen, 1) + " % of the area lies outside the picture");
    s.faults = vision::places(learned, s.patch, s.light, s.difference, p.leastArea);
    // Single pixels are no fault; without one the largest ratio says how near it was.
    s.worst = s.faults.empty() ? std::min(1.0, s.difference.worst) : s.faults.front().worst;
    return s;
}

base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    const Learned& learned = std::any_cast<const Taught&>(*in.taught).learned;
    auto seen = look(p, in, learned);
    if (!seen) return base::passOn(seen.error());
    RunOutput out;
    const double grow = in.grows() * in.grows();
    double total = 0, largest = 0;
    const auto carry = carryTo(in, seen->drift);
    const Point corner{double(learned.box().left), double(learned.box().top)};
    const auto here = [&](Point patch) { return in.level(carry(corner + patch)); };
    ObjectTable& table = out.objects;
    table.columns = {
        {"sizes", "Size", Unit::SquarePixel}, {"ratios", "Ratio", Unit::None}, {"sides", "Brighter", Unit::Percent}};
    for (std::size_t i = 0; i < seen->faults.size(); ++i) {
        const auto& f = seen->faults[i];
        total += f.area * grow, largest = std::max(largest, f.area * grow);
        if (i >= kMostFaults) continue;
        ObjectTable::Row row;
        row.at = here(f.worstAt);
        row.values = {f.area * grow, f.worst, 100 * f.brighter};
        row.number = int(i) + 1;
        row.radius = std::max(4.0, (f.right - f.left + 1) / 2.0),
        row.across = std::max(4.0, (f.bottom - f.top + 1) / 2.0);
        table.rows.push_back(row);
        out.points["elements"].push_back(row.at);
        out.elementSays[""].push_back(sideOf(f.brighter));
        if (f.outline.empty()) continue;
        Mark m{MarkShape::Polygon, MarkRole::Found, {}, 0, std::to_string(i + 1)};
        for (const Point q : f.outline) m.points.push_back(here(q));
        out.marks.push_back(std::move(m));
    }
    out.unlisted = seen->faults.size() > kMostFaults ? seen->faults.size() - kMostFaults : 0;
    out.values["ratio"] = {seen->worst};
    out.values["count"] = {double(seen->faults.size())};
    out.values["largest"] = {largest};
    out.values["total"] = {total};
    out.values["drift"] = {geometry::distance(seen->drift, {}) * in.grows()};
    if (!seen->faults.empty()) {
        const auto& f = seen->faults.front();
        out.note = "worst place " + base::toText(f.worst, 1) + " times what is allowed, " + sideOf(f.brighter) +
                   " than the good ones";
    }
    // Where it looked, while there is nothing else to show.
    if (out.marks.empty())
        for (const auto& outline : in.region("region").outlines())
            out.marks.push_back(levelled(in, {MarkShape::Polygon, MarkRole::Used, outline, 0, {}}));
    return out;
}

// The box about the worst place, in both pictures; the whole area while nothing differs.
base::Result<Evidence> evidence(const P& p, const RunInput& in)
{
    const Learned& learned = std::any_cast<const Taught&>(*in.taught).learned;
    auto seen = look(p, in, learned);
    if (!seen) return base::passOn(seen.error());
    Evidence e;
    e.title = "largest difference ÷ allowed";
    e.xLabel = "", e.yLabel = "ratio";
    e.logarithmic = true;
    e.limit = 1;
    for (std::size_t i = 0; i < learned.own().size(); ++i)
        e.dots.push_back({1, learned.own()[i], Evidence::Dot::Of::Good, "good"});
    e.dots.push_back({2, seen->worst, Evidence::Dot::Of::Here, "this one"});
    for (std::size_t i = 0; i < std::min<std::size_t>(30, seen->faults.size()); ++i)
        e.dots.push_back({3 + double(i), seen->faults[i].worst, Evidence::Dot::Of::Here, std::to_string(i + 1)});
    double most = 0;
    for (const double o : learned.own()) most = std::max(most, o);
    e.note = "learned from " + std::to_string(learned.samples()) +
             (learned.samples() == 1 ? " good part" : " good parts") + ", their own worst " + base::toText(most, 2);
    Evidence::Map map;
    map.picture = std::make_shared<const image::Image>(learned.map(map.low, map.high));
    map.unit = learned.colour() ? "colour difference" : learned.heights() ? "mm" : "grey";
    map.text = "allowed difference, from " + std::to_string(learned.samples()) + " good";
    e.map = std::move(map);
    Evidence::Pair pair;
    const Patch shown = vision::laid(in.seen(), true, learned.box(), carryTo(in, seen->drift));
    pair.good = std::make_shared<const image::Image>(shownPatch(std::any_cast<const Taught&>(*in.taught).shown));
    pair.here = std::make_shared<const image::Image>(shownPatch(shown));
    pair.difference = std::make_shared<const image::Image>(differencePicture(learned, seen->patch, seen->light, shown));
    pair.goodText = "good", pair.hereText = "this one";
    const std::size_t chosen = in.chosen > 0 ? std::size_t(in.chosen) - 1 : 0;
    if (chosen < seen->faults.size()) {
        const auto& f = seen->faults[chosen];
        const auto l = double(f.left) - 3, t = double(f.top) - 3, r = double(f.right) + 3, b = double(f.bottom) + 3;
        pair.is = {{l, t}, {r, t}, {r, b}, {l, b}, {l, t}};
        pair.facts.push_back({base::toText(f.worst, 1) + " × allowed, " + sideOf(f.brighter), false});
        pair.facts.push_back({base::toText(f.area, 0) + " px² differ", false});
    } else {
        pair.facts.push_back({"as the good ones, worst " + base::toText(seen->worst, 2), true});
    }
    if (!seen->light.even() || std::abs(seen->light.gain[0] - 1) > 0.005)
        pair.facts.push_back({"light × " + base::toText(seen->light.gain[0], 2), true});
    if (p.drift > 0)
        pair.facts.push_back(
            {"shifted " + base::toText(seen->drift.x, 2) + ", " + base::toText(seen->drift.y, 2) + " px", true});
    e.pair = std::move(pair);
    return e;
}

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    const auto region = framedBy(g, in);
    if (!region) return {};
    P p;
    if (in.seen().content == image::Content::Colour) p.by = CompareBy::Colour;
    Offer o;
    o.step.params = p;
    o.step.name = "As learned";
    o.step.regions["region"] = *region;
    o.words = "area as learned";
    o.rank = 6;
    o.judged = {"ratio"};
    o.note = in.hasDatum ? "" : "it follows no datum: only parts that always lie alike can be compared";
    return {o};
}
} // namespace

StepKind learned_area()
{
    Declare<P> d(
        {"learned_area", "Area as learned",
         "An area compared with the same area of the reference and of the recipe's good samples, pixel by pixel: "
         "what differs more than good parts do is a fault."},
        Question::Same, 1, "median and robust spread, vision/learned.h");
    d.called("As learned")
        .purpose("compare same golden sample print texture scratch stain missing surface difference defect anomaly")
        .drawn("Ctrl and drag a frame")
        .leavesOut()
        .region({"region",
                 "Region",
                 "What is compared; it follows the datum.",
                 {Shape::Rectangle, Shape::Circle, Shape::Ring, Shape::Arc, Shape::Polygon},
                 false})
        .teaches(teach, note);
    return declareLearned(d)
        .param(&P::leastArea, {"least_area", "Smallest fault", "Connected places that are smaller are no fault."},
               Unit::SquarePixel, Real{1, 1e6, 1, 1, 200}, true)
        .param(
            &P::drift,
            {"drift", "May lie off by",
             "Print may lie so far beside its usual place; it is looked for within this and then compared. 0: not at "
             "all."},
            Unit::Pixel, Real{0, 200, 0.5, 0, 20})
        .output({"ratio", "Largest ratio",
                 "Largest difference by what is allowed there: up to 1 as the good ones, above 1 a fault.", Unit::None,
                 false, false, true})
        .output({"count", "Faults", "Number of connected places that differ more than is allowed.", Unit::None})
        .output({"largest", "Largest fault", "Size of the largest of them.", Unit::SquarePixel})
        .output({"total", "All faults", "Size of all of them together.", Unit::SquarePixel})
        .output({"drift", "Lies off by", "How far what is shown lies beside its usual place.", Unit::Pixel})
        .output({"sizes", "Size of each", "Size of each fault, worst first.", Unit::SquarePixel, true})
        .output({"ratios", "Ratio of each", "Largest ratio of each fault.", Unit::None, true})
        .output({"sides", "Brighter of each", "Share of each fault that is brighter than usual: 0 is dark, 100 bright.",
                 Unit::Percent, true})
        .better({"ratio", "count", "largest", "total", "drift"}, OutputSpec::Better::Less, 0.0)
        .usually("ratio", {}, 1.0)
        .usually("count", {}, 0.0)
        .madeByArea()
        .shows(evidence)
        .offers(offer)
        .runs(run);
}

} // namespace steps

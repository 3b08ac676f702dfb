#include "steps/height_step/height_step.h"

#include <cmath>

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Point;
using geometry::Region;
using geometry::Shape;
using P = HeightStepParams;

std::optional<std::size_t> pickEdge(const std::vector<vision::HeightEdge>& all, vision::Pick which)
{
    if (all.empty()) return {};
    if (which == vision::Pick::First) return 0;
    if (which == vision::Pick::Last) return all.size() - 1;
    std::size_t best = 0;
    for (std::size_t i = 1; i < all.size(); ++i)
        if (std::abs(all[i].rise) > std::abs(all[best].rise)) best = i;
    return best;
}
std::string noStepText(double least) { return "no step of " + base::toText(least, Unit::Millimetre) + " or more"; }

namespace
{
struct Seen {
    vision::Section section;
    std::vector<vision::HeightEdge> edges;
    std::size_t meant = 0;
    vision::SectionStep step;
    double from = 0, to = 0; // of the ground on both sides that was fitted
};
base::Result<Seen> see(const P& p, const RunInput& in)
{
    auto section = vision::sectionOf(in.heights(), vision::pathOf(in.region("window")), baseOf(in));
    if (!section) return base::passOn(section.error());
    Seen s;
    s.section = std::move(*section);
    s.edges = vision::heightEdges(s.section, {p.least, p.smoothing, p.mostGap, 0});
    std::vector<vision::HeightEdge> right;
    std::vector<std::size_t> at;
    for (std::size_t i = 0; i < s.edges.size(); ++i)
        if (signOf(p.sense) == 0 || (s.edges[i].rise > 0) == (signOf(p.sense) > 0))
            right.push_back(s.edges[i]), at.push_back(i);
    const auto meant = pickEdge(right, p.pick);
    if (!meant) return base::fail(base::ErrorCode::NoResult, noStepText(p.least));
    s.meant = at[*meant];
    // As far as the next step on either side.
    const double margin = p.margin * in.grows();
    s.from = s.meant > 0 ? s.edges[s.meant - 1].position + margin : 0;
    s.to = s.meant + 1 < s.edges.size() ? s.edges[s.meant + 1].position - margin : s.section.path.length;
    if (p.reach > 0) {
        const double reach = p.reach * in.grows() + margin, middle = s.edges[s.meant].position;
        s.from = std::max(s.from, middle - s.edges[s.meant].gap - reach),
        s.to = std::min(s.to, middle + s.edges[s.meant].gap + reach);
    }
    auto step = vision::fitStep(s.section, s.from, s.edges[s.meant].position, s.to, margin, p.slopes == Slopes::Own);
    if (!step) return base::passOn(step.error());
    s.step = std::move(*step);
    return s;
}

base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    const auto seen = see(p, in);
    if (!seen) return base::passOn(seen.error());
    const vision::HeightEdge& e = seen->edges[seen->meant];
    RunOutput out = pointResult(in, in.level(e.point));
    out.values["step"] = {std::abs(seen->step.rise)};
    out.values["rise"] = {seen->step.rise};
    out.values["before"] = {seen->step.before.at(e.position)}, out.values["behind"] = {seen->step.after.at(e.position)};
    out.values["position"] = {e.position};
    out.values["gap"] = {e.gap};
    out.values["covered"] = {100.0 * double(seen->section.points) / double(seen->section.heights.size())};
    if (const double mm = in.pixelMm(); mm > 0)
        out.values["slope"] = {geometry::degrees(std::atan(seen->step.before.slope / mm))};
    const vision::Path& path = seen->section.path;
    out.marks.clear();
    for (const auto* l : {&seen->step.before, &seen->step.after})
        out.marks.push_back(levelled(in, lineMark(path.at(l->from), path.at(l->to), MarkRole::Used)));
    vision::Edge mark;
    mark.position = e.position, mark.point = e.point;
    out.marks.push_back(levelled(in, edgeMark(mark, path.along(e.position), path.width, MarkRole::Found)));
    return out;
}

base::Result<Evidence> evidence(const P& p, const RunInput& in)
{
    const auto seen = see(p, in);
    if (!seen) {
        // The section is shown all the same: why there is none is seen in it.
        auto section = vision::sectionOf(in.heights(), vision::pathOf(in.region("window")), baseOf(in));
        if (!section) return base::passOn(section.error());
        Evidence e = sectionEvidence(in, *section);
        e.note = seen.error().message;
        return e;
    }
    Evidence e = sectionEvidence(in, seen->section);
    const double at = seen->edges[seen->meant].position, length = seen->section.path.length;
    addLine(e, in, seen->step.before, 0, length);
    addLine(e, in, seen->step.after, 0, length);
    // Where both lines differ by what is told.
    const double middle = p.slopes == Slopes::Own ? at : (at + seen->step.after.middle) / 2;
    e.rules.push_back({middle * alongUnit(in), seen->step.before.at(middle), seen->step.after.at(middle),
                       base::toText(std::abs(seen->step.rise), Unit::Millimetre)});
    return e;
}

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    if (g.type != Gesture::Type::Stroke || in.seen().content != image::Content::Height) return {};
    const double width = averagingWidth(g);
    if (geometry::distance(g.from, g.to) < 8) return {};
    const auto s = vision::sectionOf(in.seen().heights(), vision::straight(g.from, g.to, width), planeOf(in));
    if (!s) return {};
    const double noise = heightNoise(*s);
    P p;
    p.least = std::max({8 * noise, 1e-3});
    const auto edges = vision::heightEdges(*s, {p.least, p.smoothing, p.mostGap, 0});
    const auto meant = pickEdge(edges, p.pick);
    if (!meant) return {};
    // Half of what is there: the same step is found when it is smaller.
    double rise = std::abs(edges[*meant].rise);
    const double digits = std::pow(10, std::floor(std::log10(rise / 2)) - 1);
    p.least = std::max(p.least, std::floor(rise / 2 / digits) * digits);
    p.sense = edges[*meant].rise > 0 ? Sense::Up : Sense::Down;
    // Ground of two slopes, or bent ground, is told from the piece of it at the step.
    const double at = edges[*meant].position;
    for (const double reach : {0.0, 80.0, 40.0, 20.0}) {
        p.reach = reach;
        const double from = reach > 0 ? at - edges[*meant].gap - reach : 0,
                     to = reach > 0 ? at + edges[*meant].gap + reach : s->path.length;
        const auto one = vision::fitStep(*s, from, at, to, p.margin, false),
                   own = vision::fitStep(*s, from, at, to, p.margin, true);
        if (!one || !own) break;
        const double least = 6 * noise + 1e-4;
        p.slopes = std::max(one->before.straightness, one->after.straightness) >
                               std::max(own->before.straightness, own->after.straightness) + least ||
                           std::abs(own->rise - one->rise) > least + 0.02 * std::abs(rise)
                       ? Slopes::Own
                       : Slopes::One;
        if (std::max(own->before.straightness, own->after.straightness) < std::max(least, 0.03 * std::abs(rise))) break;
    }
    Offer o;
    o.step.params = p;
    o.step.name = "Step";
    o.step.regions["window"] = Region::window(g.from, g.to, width);
    if (const std::string plane = planeThere(in); !plane.empty()) o.step.inputs["base"] = plane;
    o.words = "height step";
    o.rank = 0;
    o.chosen = {"least", "sense"};
    return {o};
}
} // namespace

StepKind height_step()
{
    Declare<P> d({"height_step", "Height step",
                  "Height of a step a stroke runs across, between the lines through the ground on both sides."},
                 Question::HowBig, 1, "ISO 5436-1 type A1; edges of sections, vision/section.h");
    d.called("Step")
        .purpose("step height groove depth shoulder edge thickness")
        .drawn("stroke across the step")
        .gives(FeatureType::Point)
        .region({"window",
                 "Window",
                 "Directed window or bent line across the step; heights are averaged across its width.",
                 {Shape::Window, Shape::Polyline},
                 true,
                 true,
                 false,
                 false,
                 false});
    return declareHeights(d)
        .param(&P::least, {"least", "Least step", "Smaller ones are no steps."}, Unit::Millimetre,
               Real{1e-6, 1e6, 0.01, 0.01, 1}, true)
        .param(&P::sense, {"sense", "Goes", "Whether the ground rises or falls along the stroke."}, senseChoices(),
               true)
        .param(&P::pick, {"pick", "Which one", "Of several steps."}, pickChoices())
        .param(&P::margin,
               {"margin", "Left out beside it", "So much of the ground on both sides of the step does not count."},
               Unit::Pixel, Real{0, 1000, 0.5, 0, 20})
        .param(&P::slopes,
               {"slopes", "Ground",
                "Whether the ground on both sides has one slope, as ISO 5436-1 measures a step, or each its own; then "
                "the step is told at the edge."},
               {{"one", "One slope"}, {"own", "Each its own"}})
        .param(&P::reach,
               {"reach", "Ground looked at",
                "So much of the ground on each side counts; 0: as far as the window, or the next step."},
               Unit::Pixel, Real{0, 100000, 1, 0, 200})
        .param(&P::smoothing, {"smoothing", "Smoothing", "Width of the Gaussian the step is found with."}, Unit::Pixel,
               kSmoothingRange)
        .param(&P::mostGap,
               {"most_gap", "Widest gap",
                "Where points are missing beside the step, in shadow, over a longer way, no step is seen."},
               Unit::Pixel, Real{0, 10000, 1, 0, 100})
        .output({"step", "Step", "Height of the step, always positive.", Unit::Millimetre, false, true, true})
        .output({"rise", "Rise", "Height behind the step over that before it; down is negative.", Unit::Millimetre})
        .output({"before", "Height before", "Of the ground before the step, at the step.", Unit::Millimetre})
        .output({"behind", "Height behind", "Of the ground behind the step, at the step.", Unit::Millimetre})
        .output({"position", "Position", "Distance of the step from the stroke's start.", Unit::Pixel})
        .output({"gap", "Gap", "Length without points beside the step.", Unit::Pixel})
        .output({"slope", "Slope", "Slope of the ground along the stroke.", Unit::Degree})
        .output({"covered", "Covered", "Share of the section in which points were measured.", Unit::Percent})
        .onePlace()
        .better({"covered"}, OutputSpec::Better::More, 0.0, 100.0)
        .better({"gap"}, OutputSpec::Better::Less, 0.0)
        .madeByStroke()
        .shows(evidence)
        .offers(offer)
        .runs(run);
}

} // namespace steps

#include "steps/height_edge/height_edge.h"

#include <cmath>

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Point;
using geometry::Region;
using geometry::Shape;
using P = HeightEdgeParams;

namespace
{
struct Seen {
    vision::Section section;
    std::vector<vision::HeightEdge> edges;
};
base::Result<Seen> see(const P& p, const RunInput& in)
{
    auto section = vision::sectionOf(in.heights(), vision::pathOf(in.region("window")), baseOf(in));
    if (!section) return base::passOn(section.error());
    Seen s{std::move(*section), {}};
    for (const vision::HeightEdge& e :
         vision::heightEdges(s.section, {p.least, p.smoothing, p.mostGap, signOf(p.sense)}))
        if (!geometry::containsAny(in.leaveOut, e.point)) s.edges.push_back(e);
    return s;
}
Mark edgeMarkOf(const RunInput& in, const vision::Path& path, const vision::HeightEdge& e, MarkRole role, int element)
{
    vision::Edge mark;
    mark.position = e.position, mark.point = e.point;
    Mark m = levelled(in, edgeMark(mark, path.along(e.position), path.width, role));
    m.element = element;
    return m;
}

base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    const auto seen = see(p, in);
    if (!seen) return base::passOn(seen.error());
    const auto meant = pickEdge(seen->edges, p.pick);
    if (!meant) return base::fail(base::ErrorCode::NoResult, noStepText(p.least));
    const vision::HeightEdge& e = seen->edges[*meant];
    RunOutput out = pointResult(in, in.level(e.point));
    out.marks.clear();
    out.values["position"] = {e.position};
    out.values["rise"] = {e.rise};
    out.values["gap"] = {e.gap};
    out.values["edges"] = {double(seen->edges.size())};
    auto &positions = out.values["positions"], &rises = out.values["rises"];
    for (std::size_t i = 0; i < seen->edges.size(); ++i) {
        const vision::HeightEdge& one = seen->edges[i];
        positions.push_back(one.position), rises.push_back(one.rise);
        out.points["elements"].push_back(in.level(one.point));
        if (i < 500)
            out.marks.push_back(
                edgeMarkOf(in, seen->section.path, one, i == *meant ? MarkRole::Found : MarkRole::Used, int(i) + 1));
    }
    return out;
}

base::Result<Evidence> evidence(const P& p, const RunInput& in)
{
    const auto seen = see(p, in);
    if (!seen) return base::passOn(seen.error());
    Evidence e = sectionEvidence(in, seen->section);
    const auto meant = pickEdge(seen->edges, p.pick);
    double low = 1e300;
    for (const double z : seen->section.heights)
        if (!std::isnan(z)) low = std::min(low, z);
    for (std::size_t i = 0; i < seen->edges.size(); ++i) {
        const vision::HeightEdge& one = seen->edges[i];
        const double z = seen->section.heights[seen->section.indexOf(one.position)];
        e.stems.push_back({one.position * alongUnit(in), std::isnan(z) ? low : z,
                           base::toText(one.rise, Unit::Millimetre), meant && i == *meant, one.point});
    }
    if (!meant) e.note = noStepText(p.least);
    return e;
}

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    if (g.type != Gesture::Type::Stroke || in.seen().content != image::Content::Height) return {};
    auto out = std::vector<Offer>();
    for (Offer& o : findKind("height_step")->offer(g, in)) {
        const auto& step = std::any_cast<const HeightStepParams&>(o.step.params);
        P p;
        p.least = step.least, p.sense = step.sense;
        o.step.params = p;
        o.step.name = "Edge";
        o.words = "edge in height", o.rank = 3;
        out.push_back(std::move(o));
    }
    return out;
}
} // namespace

StepKind height_edge()
{
    Declare<P> d({"height_edge", "Edge in height", "Where along a way the height steps up or down."}, Question::What, 1,
                 "edges of sections, vision/section.h");
    d.called("Edge")
        .purpose("edge point step height position rim border")
        .drawn("stroke across the step")
        .gives(FeatureType::Point)
        .region({"window",
                 "Window",
                 "Directed window or bent line across the edges; heights are averaged across its width.",
                 {Shape::Window, Shape::Polyline}});
    return declareHeights(d)
        .param(&P::least, {"least", "Least step", "Smaller ones are no edges."}, Unit::Millimetre,
               Real{1e-6, 1e6, 0.01, 0.01, 1}, true)
        .param(&P::sense, {"sense", "Goes", "Whether the ground rises or falls along the way."}, senseChoices(), true)
        .param(&P::pick, {"pick", "Which one", "Of several edges."}, pickChoices(), true)
        .param(&P::smoothing, {"smoothing", "Smoothing", "Width of the Gaussian edges are found with."}, Unit::Pixel,
               kSmoothingRange)
        .param(&P::mostGap,
               {"most_gap", "Widest gap",
                "Where points are missing beside the edge, in shadow, over a longer way, no edge is seen. The edge is "
                "the higher side's last point."},
               Unit::Pixel, Real{0, 10000, 1, 0, 100})
        .output({"position", "Position", "Distance of the edge from the start.", Unit::Pixel, false, true, true})
        .output({"rise", "Rise", "Height behind the edge over that before it; down is negative.", Unit::Millimetre})
        .output({"gap", "Gap", "Length without points beside the edge.", Unit::Pixel})
        .output({"edges", "Edges", "Number of edges.", Unit::None})
        .output({"positions", "Positions", "Distance of each edge from the start.", Unit::Pixel, true})
        .output({"rises", "Rise of each", "Rise of each edge.", Unit::Millimetre, true})
        .onePlace()
        .madeByStroke()
        .shows(evidence)
        .offers(offer)
        .runs(run);
}

} // namespace steps

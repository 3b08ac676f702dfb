#include "steps/edge_point/edge_point.h"

#include "steps/glue.h"

#include <algorithm>
#include <cstdlib>

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Point;
using geometry::Region;
using geometry::Shape;
using P = EdgePointParams;

namespace
{
vision::EdgeOptions options(const P& p) { return {p.polarity, p.leastStrength, p.smoothing}; }

// All edges that are not left out, in the order they are met.
std::vector<vision::Edge> edgesOf(const vision::Profile& profile, const vision::EdgeOptions& o, const RunInput& in)
{
    auto all = vision::edges(profile, o);
    all.erase(std::remove_if(all.begin(), all.end(),
                             [&](const vision::Edge& e) { return geometry::containsAny(in.leaveOut, e.point); }),
              all.end());
    return all;
}

base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    const vision::Path path = vision::pathOf(in.region("window"), p.backwards);
    auto profile = vision::profile(in.grey(), path);
    if (!profile) return base::passOn(profile.error());
    const auto all = edgesOf(*profile, options(p), in);
    const auto edge = vision::pick(all, p.which, p.number);
    if (!edge && all.empty()) return base::fail(base::ErrorCode::NoResult, noEdgeText(p.leastStrength));
    if (!edge)
        return base::fail(base::ErrorCode::NoResult, "edge " + std::to_string(std::abs(p.number)) + " from the " +
                                                         (p.number < 0 ? "end" : "start") + " is not there; " +
                                                         std::to_string(all.size()) + " of " +
                                                         std::to_string(std::abs(p.number)) + " found");
    RunOutput out;
    // Places along the way: under tilt or lens, the straight distance on the part from its start.
    const Point start = in.level(path.at(0));
    const auto positionOf = [&](const vision::Edge& e) {
        return in.bends() ? geometry::distance(start, in.level(e.point)) : e.position;
    };
    out.values["position"] = {positionOf(*edge)};
    out.values["strength"] = {edge->strength};
    out.values["edges"] = {double(all.size())};
    if (path.kind == vision::Path::Kind::Round)
        out.values["direction"] = {geometry::degrees(
            geometry::wrapped(geometry::angleOf(in.level(edge->point) - in.level(path.centre)) - in.frame.angle))};
    const double noise = noiseAbout(in, in.region("window"));
    auto &positionSpreads = out.spreads["positions"], &gapSpreads = out.spreads["gaps"];
    const auto spreadOf = [&](const vision::Edge& one) {
        return edgeSpread(one, noise, std::uint64_t(&one - all.data()));
    };
    for (const vision::Edge& one : all)
        if (one.position == edge->position) {
            out.spreads["position"] = {spreadOf(one)};
            out.featureSpreads["point"] = alongSpread(path.along(one.position), spreadOf(one));
        }
    for (std::size_t i = 0; i < all.size(); ++i) {
        positionSpreads.push_back(spreadOf(all[i]));
        if (i) gapSpreads.push_back(plus(spreadOf(all[i]), spreadOf(all[i - 1]), -1));
    }
    auto &positions = out.values["positions"], &strengths = out.values["strengths"], &gaps = out.values["gaps"];
    for (std::size_t i = 0; i < all.size(); ++i) {
        positions.push_back(positionOf(all[i])), strengths.push_back(all[i].strength);
        if (i)
            gaps.push_back(in.bends() ? geometry::distance(in.level(all[i].point), in.level(all[i - 1].point))
                                      : all[i].position - all[i - 1].position);
        out.points["elements"].push_back(in.level(all[i].point));
        if (all[i].position != edge->position && i < 500)
            out.marks.push_back(levelled(
                in, edgeMark(all[i], path.along(all[i].position), std::min(path.width, 12.0), MarkRole::Used)));
    }
    out.features["point"] = in.level(edge->point);
    out.marks.push_back(levelled(in, edgeMark(*edge, path.along(edge->position), path.width, MarkRole::Found)));
    return out;
}

base::Result<Evidence> evidence(const P& p, const RunInput& in)
{
    const vision::Path path = vision::pathOf(in.region("window"), p.backwards);
    auto profile = vision::profile(in.grey(), path);
    if (!profile) return base::passOn(profile.error());
    vision::EdgeOptions o = options(p);
    const auto chosen = vision::pick(edgesOf(*profile, o, in), p.which, p.number);
    o.leastStrength = std::min(o.leastStrength, 2.0);
    o.polarity = vision::Polarity::Any;
    const auto all = vision::edges(*profile, o);
    return profileEvidence(*profile, all, p.leastStrength, p.smoothing,
                           [&](std::size_t i) { return chosen && chosen->position == all[i].position; });
}

base::Result<ObjectTable> tell(const P& p, const RunInput& in)
{
    auto profile = vision::profile(in.grey(), vision::pathOf(in.region("window"), p.backwards));
    if (!profile) return base::passOn(profile.error());
    return edgeTable(in, *profile, options(p), [](const vision::Edge&) { return true; });
}

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    if (g.type != Gesture::Type::Stroke) return {};
    const double width = averagingWidth(g);
    auto profile = vision::profile(in.grey(), g.from, g.to, width);
    if (!profile) return {};
    const auto all = vision::edges(*profile, {vision::Polarity::Any, std::max(4 * in.noise, 8.0), 1.0});
    const auto strongest = vision::pick(all, vision::Pick::Strongest);
    if (!strongest) return {};
    P p;
    p.leastStrength = leastStrengthFor(strongest->strength, in.noise);
    p.polarity = strongest->polarity > 0 ? vision::Polarity::DarkToBright : vision::Polarity::BrightToDark;
    Offer o;
    o.step.params = p;
    o.step.regions["window"] = Region::window(g.from, g.to, width);
    o.words = "edge point";
    o.rank = all.size() == 1 ? 3 : 6;
    if (all.size() == 1) o.wants = "1 of 2 edges found, go on for a width";
    o.chosen = {"polarity", "least_strength"};
    return {o};
}
} // namespace

StepKind edge_point()
{
    return Declare<P>({"edge_point", "Edge point", "Finds one edge along a directed window, to a fraction of a pixel."},
                      Question::What, 1, "Canny 1986; log-parabola on the derivative of a Gaussian (docs/methods.md)")
        .purpose("edge border transition position level")
        .drawn("stroke across the edge")
        .gives(FeatureType::Point)
        .picture()
        .region({"window",
                 "Window",
                 "Directed window, bent line, ring or arc; edges are met from its start to its end.",
                 {Shape::Window, Shape::Polyline, Shape::Ring, Shape::Arc},
                 true,
                 true,
                 false,
                 false,
                 true})
        .param(&P::polarity, {"polarity", "Polarity", "Which way the grey level must change along the search."},
               polarityChoices(), true)
        .param(&P::which, {"which", "Which edge", "Which of the edges met counts."},
               {{"first", "First"}, {"last", "Last"}, {"strongest", "Strongest"}, {"numbered", "By number"}}, true)
        .param(&P::number, {"number", "Number", "With 'by number': counted from 1 at the start, from -1 at the end."},
               Unit::None, Whole{-1000, 1000})
        .param(&P::backwards,
               {"reversed", "Search backwards", "Edges are met from the end of the region to its start."})
        .reversedRoundBy("reversed")
        .param(&P::leastStrength,
               {"least_strength", "Least strength",
                "Edges with a smaller grey difference are ignored; raise it when dirt is found."},
               Unit::GreyLevel, kStrengthRange, true)
        .param(&P::smoothing,
               {"smoothing", "Smoothing",
                "Width of the Gaussian that quiets the profile; raise it when noise makes false edges."},
               Unit::Pixel, kSmoothingRange)
        .output({"position", "Position", "Place of the edge from the start of the window.", Unit::Pixel, false, true,
                 false})
        .output({"strength", "Strength", "Grey difference across the edge.", Unit::GreyLevel, false, true, false})
        .output({"edges", "Edges met", "Number of edges that fit the settings.", Unit::None})
        .output({"direction", "Direction",
                 "On a ring or arc: direction of the edge from the centre, against the datum's x direction.",
                 Unit::Degree})
        .output({"positions", "Position of each", "Places of all edges from the start, in order.", Unit::Pixel, true})
        .output({"strengths", "Strength of each", "Grey differences of all edges, in order.", Unit::GreyLevel, true})
        .output({"gaps", "Gaps", "From each edge to the next.", Unit::Pixel, true})
        .leavesOut()
        .shows(evidence)
        .tells(tell)
        .offers(offer)
        .runs(run);
}

} // namespace steps

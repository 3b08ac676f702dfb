#include "steps/edge_point/edge_point.h"

#include "steps/glue.h"

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Region;
using geometry::Shape;
using P = EdgePointParams;

namespace
{
vision::EdgeOptions options(const P& p) { return {p.polarity, p.leastStrength, p.smoothing}; }

base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    const Region r = in.region("window");
    auto profile = vision::profile(in.grey(), r.from, r.to, r.width);
    if (!profile) return base::passOn(profile.error());
    const auto all = vision::edges(*profile, options(p));
    const auto edge = vision::pick(all, p.which);
    if (!edge) return base::fail(base::ErrorCode::NoResult, noEdgeText(p.leastStrength));
    RunOutput out;
    out.values["position"] = {edge->position};
    out.values["strength"] = {edge->strength};
    out.values["edges"] = {double(all.size())};
    out.features["point"] = edge->point;
    out.marks.push_back(edgeMark(*edge, profile->along, r.width, MarkRole::Found));
    return out;
}

base::Result<Evidence> evidence(const P& p, const RunInput& in)
{
    const Region r = in.region("window");
    auto profile = vision::profile(in.grey(), r.from, r.to, r.width);
    if (!profile) return base::passOn(profile.error());
    vision::EdgeOptions o = options(p);
    const auto chosen = vision::pick(vision::edges(*profile, o), p.which);
    o.leastStrength = std::min(o.leastStrength, 2.0);
    o.polarity = vision::Polarity::Any;
    const auto all = vision::edges(*profile, o);
    return profileEvidence(*profile, all, p.leastStrength, p.smoothing, [&](std::size_t i) { return chosen && chosen->position == all[i].position; });
}

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    if (g.type != Gesture::Type::Stroke) return {};
    const double width = averagingWidth(g);
    auto profile = vision::profile(in.capture.grey.grey(), g.from, g.to, width);
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
    return Declare<P>({"edge_point", "Edge point", "Finds one edge along a directed window, to a fraction of a pixel."}, Question::What, 1,
                      "Canny 1986; log-parabola on the derivative of a Gaussian (docs/methods.md)")
        .purpose("edge border transition position level")
        .gives(FeatureType::Point)
        .region({"window", "Window", "Directed window; edges are met from its start to its end.", {Shape::Window}})
        .param(&P::polarity, {"polarity", "Polarity", "Which way the grey level must change along the search."}, polarityChoices(), true)
        .param(&P::which, {"which", "Which edge", "Which of the edges met counts."}, pickChoices(), true)
        .param(&P::leastStrength,
               {"least_strength", "Least strength", "Edges with a smaller grey difference are ignored; raise it when dirt is found."},
               Unit::GreyLevel, kStrengthRange, true)
        .param(&P::smoothing, {"smoothing", "Smoothing", "Width of the Gaussian that quiets the profile; raise it when noise makes false edges."},
               Unit::Pixel, kSmoothingRange)
        .output({"position", "Position", "Place of the edge from the start of the window.", Unit::Pixel, false, true, false})
        .output({"strength", "Strength", "Grey difference across the edge.", Unit::GreyLevel, false, true, false})
        .output({"edges", "Edges met", "Number of edges that fit the settings.", Unit::None, false, true, false})
        .shows(evidence)
        .offers(offer)
        .runs(run);
}

} // namespace steps

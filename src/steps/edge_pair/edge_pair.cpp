#include "steps/edge_pair/edge_pair.h"

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
using P = EdgePairParams;

namespace
{
vision::EdgeOptions options(const P& p) { return {vision::Polarity::Any, p.leastStrength, p.smoothing}; }

base::Result<std::pair<std::size_t, std::size_t>> choose(const P& p, const std::vector<vision::Edge>& all,
                                                         double middle)
{
    const auto none = [&](const std::string& text) { return base::fail(base::ErrorCode::NoResult, text); };
    if (all.empty()) return none(noEdgeText(p.leastStrength));
    if (all.size() < 2) return none("1 of 2 edges found");
    std::size_t a = 0, b = all.size() - 1;
    const auto right = [&](std::size_t i) {
        return p.first == vision::Polarity::Any || (p.first == vision::Polarity::DarkToBright) == (all[i].polarity > 0);
    };
    // The pair is two opposite edges, so the second must have the other polarity when the first one's is stated.
    const auto opposite = [&](std::size_t i) { return p.first == vision::Polarity::Any || !right(i); };
    switch (p.rule) {
    case PairRule::Outermost:
        while (a < all.size() && !right(a)) ++a;
        while (b > 0 && !opposite(b)) --b;
        break;
    case PairRule::Innermost: {
        std::size_t split = 0;
        while (split < all.size() && all[split].position < middle) ++split;
        if (split == 0 || split == all.size()) return none("both edges lie on one side of the window's middle");
        a = split - 1, b = split;
        while (a > 0 && !right(a)) --a;
        while (b + 1 < all.size() && !opposite(b)) ++b;
        break;
    }
    case PairRule::Numbered:
        for (const auto& [number, from] : {std::pair{p.firstNumber, p.firstFrom}, {p.lastNumber, p.lastFrom}})
            if (std::size_t(number) > all.size())
                return none("edge " + std::to_string(number) + " from the " +
                            (from == CountedFrom::Start ? "start" : "end") + " is not there; " +
                            std::to_string(all.size()) + " were found");
        const auto place = [&](int number, CountedFrom from) {
            return from == CountedFrom::Start ? std::size_t(number - 1) : all.size() - std::size_t(number);
        };
        a = place(p.firstNumber, p.firstFrom), b = place(p.lastNumber, p.lastFrom);
        if (a == b) return none("both numbers name the same edge of " + std::to_string(all.size()));
        if (a > b) std::swap(a, b); // two edges are a pair, whichever was named first
        break;
    }
    if (a >= all.size() || a >= b || !right(a) || !opposite(b))
        return none("1 of 2 edges found: no pair with this polarity");
    return std::pair{a, b};
}

struct Seen {
    vision::Profile profile;
    std::vector<vision::Edge> edges;
};
base::Result<Seen> see(const P& p, const RunInput& in)
{
    auto profile = vision::profile(in.grey(), vision::pathOf(in.region("window"), p.backwards));
    if (!profile) return base::passOn(profile.error());
    Seen s{std::move(*profile), {}};
    for (vision::Edge& e : vision::edges(s.profile, options(p)))
        if (!geometry::containsAny(in.leaveOut, e.point)) s.edges.push_back(e);
    return s;
}

base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    const auto seen = see(p, in);
    if (!seen) return base::passOn(seen.error());
    const vision::Path& path = seen->profile.path;
    const auto& all = seen->edges;
    auto pair = choose(p, all, path.length / 2);
    if (!pair) return base::passOn(pair.error());
    const vision::Edge& a = all[pair->first];
    const vision::Edge& b = all[pair->second];
    RunOutput out;
    out.values["edges"] = {double(all.size())};
    const Point from = in.level(a.point), to = in.level(b.point);
    out.features["middle"] = Point((from + to) * 0.5);
    if (path.kind == vision::Path::Kind::Straight && !in.bends()) {
        out.values["distance"] = {b.position - a.position};
    } else {
        // On a bent way the distance is the straight one; round a centre the angle is what counts.
        out.values["distance"] = {geometry::distance(from, to)};
        if (path.kind == vision::Path::Kind::Round) {
            const Point c = in.level(path.centre);
            double turn = (b.position - a.position) / path.radius;
            // The whole turns are those of the way, the rest is measured.
            if (in.bends()) {
                const double met = (geometry::angleOf(to - c) - geometry::angleOf(from - c)) * path.turn;
                turn = met + 2 * geometry::kPi * std::round((turn - met) / (2 * geometry::kPi));
            }
            out.values["angle"] = {geometry::degrees(turn)};
        }
    }
    const double noise = noiseAbout(in, in.region("window"));
    const Spread first = edgeSpread(a, noise, 0), second = edgeSpread(b, noise, 1);
    const auto atFirst = alongSpread(path.along(a.position), first),
               atSecond = alongSpread(path.along(b.position), second);
    out.featureSpreads["middle"] = {scaled(plus(atFirst[0], atSecond[0]), 0.5),
                                    scaled(plus(atFirst[1], atSecond[1]), 0.5)};
    if (path.kind == vision::Path::Kind::Straight) {
        out.spreads["distance"] = {plus(scaled(first, -1), second)};
    } else {
        const Point along = geometry::unit(to - from);
        Spread d = scaled(first, -geometry::dot(along, path.along(a.position)));
        d.add(second, geometry::dot(along, path.along(b.position)));
        out.spreads["distance"] = {std::move(d)};
        if (path.kind == vision::Path::Kind::Round)
            out.spreads["angle"] = {scaled(plus(scaled(first, -1), second), geometry::degrees(1 / path.radius))};
    }
    out.marks.push_back(levelled(in, edgeMark(a, path.along(a.position), path.width, MarkRole::Used)));
    out.marks.push_back(levelled(in, edgeMark(b, path.along(b.position), path.width, MarkRole::Used)));
    out.marks.push_back({MarkShape::Dimension, MarkRole::Found, {from, to}, 0, {}});
    if (path.kind == vision::Path::Kind::Round)
        out.marks.push_back({MarkShape::Angle,
                             MarkRole::Found,
                             {in.level(path.centre), from, in.level(path.at((a.position + b.position) / 2)), to},
                             path.radius,
                             {}});
    return out;
}

base::Result<Evidence> evidence(const P& p, const RunInput& in)
{
    const auto seen = see(p, in);
    if (!seen) return base::passOn(seen.error());
    vision::EdgeOptions o = options(p);
    const auto pair = choose(p, seen->edges, seen->profile.path.length / 2);
    // weaker ones are shown too, so that the limit can be dragged past them
    o.leastStrength = std::min(o.leastStrength, 2.0);
    const auto all = vision::edges(seen->profile, o);
    Evidence e = profileEvidence(seen->profile, all, p.leastStrength, p.smoothing, [&](std::size_t i) {
        return pair && (all[i].position == seen->edges[pair->first].position ||
                        all[i].position == seen->edges[pair->second].position);
    });
    e.note = pair ? "" : pair.error().message;
    return e;
}

base::Result<ObjectTable> tell(const P& p, const RunInput& in)
{
    const auto seen = see(p, in);
    if (!seen) return base::passOn(seen.error());
    const auto pair = choose(p, seen->edges, seen->profile.path.length / 2);
    return edgeTable(in, seen->profile, options(p), [&](const vision::Edge& e) {
        return pair &&
               (e.position == seen->edges[pair->first].position || e.position == seen->edges[pair->second].position);
    });
}

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    if (g.type != Gesture::Type::Stroke) return {};
    const image::GreyView picture = in.grey();
    const double width = averagingWidth(g), least = std::max(4 * in.noise, 8.0);
    auto profile = vision::profile(picture, g.from, g.to, width);
    if (!profile) return {};
    auto all = vision::edges(*profile, {vision::Polarity::Any, least, 1.0});
    if (all.size() < 2) return {};
    // Square to the mean of both edges: a slanting window would add to the width.
    const double turnA = squareTurn(picture, all.front(), profile->along(), width, {vision::Polarity::Any, least, 1.0});
    const double turnB = squareTurn(picture, all.back(), profile->along(), width, {vision::Polarity::Any, least, 1.0});
    const double apart = std::abs(turnA - turnB),
                 turn = apart < geometry::radians(4.0) && g.square ? (turnA + turnB) / 2 : 0;
    const Point middle = (all.front().point + all.back().point) * 0.5;
    Point along = geometry::direction(geometry::angleOf(profile->along()) + turn);
    if (in.calibration && in.calibration->bends()) {
        // Square on the part, not in the tilted picture.
        const auto local = in.calibration->local(middle);
        const Point edge = local.carry(geometry::leftOf(along)), want{edge.y, -edge.x};
        const double det = local.area();
        Point back{(want.x * local.down.y - want.y * local.down.x) / det,
                   (local.right.x * want.y - local.right.y * want.x) / det};
        along = geometry::unit(geometry::dot(back, along) < 0 ? back * -1.0 : back);
    }
    const Region window = Region::window(middle + along * geometry::dot(g.from - middle, profile->along()),
                                         middle + along * geometry::dot(g.to - middle, profile->along()), width);
    profile = vision::profile(picture, window.from, window.to, width);
    if (!profile) return {};
    all = vision::edges(*profile, {vision::Polarity::Any, least, 1.0});
    if (all.size() < 2) return {};
    P p;
    // Between many edges the two strongest opposite ones outside are meant; dirt is ignored by the strength.
    p.leastStrength = leastStrengthFor(std::min(all.front().strength, all.back().strength), in.noise);
    p.first = all.front().polarity != all.back().polarity
                  ? (all.front().polarity > 0 ? vision::Polarity::DarkToBright : vision::Polarity::BrightToDark)
                  : vision::Polarity::Any;
    Offer o;
    o.step.name = "Width";
    o.step.regions["window"] = window;
    o.step.params = p;
    o.words = "edge pair";
    o.rank = 1;
    o.chosen = {"rule", "first", "least_strength"};
    if (apart > geometry::radians(1.0))
        o.note = "the edges are " + base::toText(geometry::degrees(apart), 1) + "° apart";
    std::vector<Offer> out{o};
    if (all.size() > 3) {
        Offer inner = o;
        p.rule = PairRule::Innermost;
        inner.step.params = p;
        inner.words = "innermost pair";
        inner.rank = 2;
        out.push_back(inner);
    }
    return out;
}
} // namespace

StepKind edge_pair()
{
    return Declare<P>(
               {"edge_pair", "Edge pair", "Distance of two edges along a directed window, to a fraction of a pixel."},
               Question::HowBig, 1, "Canny 1986; log-parabola on the derivative of a Gaussian (docs/methods.md)")
        .called("Width")
        .purpose("width thickness gap diameter distance size length")
        .drawn("stroke across both edges")
        .gives(FeatureType::Point)
        .picture()
        .region({"window",
                 "Window",
                 "Directed window, bent line, ring or arc across both edges.",
                 {Shape::Window, Shape::Polyline, Shape::Ring, Shape::Arc},
                 true,
                 true,
                 false,
                 false,
                 true})
        .param(&P::rule,
               {"rule", "Which pair",
                "Outermost: first and last edge; innermost: the two beside the middle; by number: any two, each "
                "counted from either end."},
               {{"outermost", "Outermost"}, {"innermost", "Innermost"}, {"numbered", "By number"}}, true)
        .param(&P::first,
               {"first", "First edge",
                "Which way the grey level changes at the first edge; the second one is its opposite."},
               polarityChoices(), true)
        .param(&P::firstNumber,
               {"first_number", "Number of the first",
                "With 'by number': the first edge, counted from the end stated below."},
               Unit::None, Whole{1, 1000})
        .param(&P::firstFrom,
               {"first_from", "First counted from",
                "With 'by number': from which end of the way the first edge is counted."},
               {{"start", "The start"}, {"end", "The end"}})
        .param(&P::lastNumber,
               {"last_number", "Number of the second",
                "With 'by number': the second edge, counted from the end stated below."},
               Unit::None, Whole{1, 1000})
        .param(&P::lastFrom,
               {"last_from", "Second counted from",
                "With 'by number': from which end of the way the second edge is counted."},
               {{"start", "The start"}, {"end", "The end"}})
        .param(&P::leastStrength,
               {"least_strength", "Least strength",
                "Edges with a smaller grey difference are ignored; raise it when dirt is found."},
               Unit::GreyLevel, kStrengthRange, true)
        .param(&P::smoothing,
               {"smoothing", "Smoothing",
                "Width of the Gaussian that quiets the profile; raise it when noise makes false edges."},
               Unit::Pixel, kSmoothingRange)
        .param(&P::backwards,
               {"reversed", "Search backwards", "Edges are met from the end of the region to its start."})
        .readWhen({"first_number", "first_from", "last_number", "last_from"}, "rule", {"numbered"})
        .reversedRoundBy("reversed")
        .onRound("angle")
        .output(
            {"distance", "Distance", "From the first edge of the pair to the second.", Unit::Pixel, false, true, true})
        .output({"edges", "Edges met", "Number of edges above the least strength.", Unit::None, false, true, false})
        .output({"angle", "Angle", "On a ring or arc: angle between the two edges about the centre.", Unit::Degree})
        .stated({"angle"}, OutputSpec::Drawn::Angle)
        .leavesOut()
        .shows(evidence)
        .tells(tell)
        .offers(offer)
        .runs(run);
}

} // namespace steps

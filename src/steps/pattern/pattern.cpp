#include "steps/pattern/pattern.h"

#include "vision/pattern.h"

#include "steps/finding.h"
#include "steps/glue.h"
#include "vision/level_picture.h"

#include <algorithm>
#include <cmath>

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Point;
using geometry::Pose;
using geometry::Region;
using geometry::Shape;
using P = PatternParams;

namespace
{
base::Result<vision::PatternModel> teach(const P& p, const TeachInput& in)
{
    const auto region = in.regions.find("part");
    if (region == in.regions.end()) return base::fail(base::ErrorCode::InvalidArgument, "the region 'part' is missing");
    const auto origin = in.points.find("origin");
    const Point at = origin == in.points.end() ? region->second.middle() : origin->second;
    if (in.calibration && in.calibration->bends()) {
        // Under tilt or lens the part keeps its shape only on the level picture: it is taught and found there, and
        // nowhere else.
        const auto level = vision::levelPicture(in.seen().grey(), *in.calibration);
        const auto carry = [&](Point q) { return in.calibration->level(q) - level.origin; };
        std::vector<Region> leftOut;
        for (const Region& r : in.leaveOut) leftOut.push_back(r.mapped(carry));
        const Point x = geometry::direction(geometry::radians(p.direction));
        return vision::teachPattern(level.picture.grey(), region->second.mapped(carry),
                                    {carry(at), geometry::angleOf(carry(at + x) - carry(at - x))}, p.leastContrast,
                                    leftOut);
    }
    return vision::teachPattern(in.seen().grey(), region->second, {at, geometry::radians(p.direction)}, p.leastContrast,
                                in.leaveOut);
}

std::string note(const P& p, const vision::PatternModel& m)
{
    if (std::abs(p.angleRange) > 20 && m.turnedScore > 0.85)
        return "looks alike when turned by " + base::toText(geometry::degrees(m.turnedAngle), 0) + "° (" +
               base::toText(100 * m.turnedScore, 0) + " % of its edges)";
    if (m.contrast < 3 * p.leastContrast)
        return "weak: its edges differ by " + base::toText(m.contrast, 0) + " grey levels only";
    return {};
}

// The same parts get the same numbers in every picture of the same scene, whatever their scores are.
void inOrder(FindOrder order, double radius, std::vector<vision::PatternFind>& finds)
{
    const auto place = [&](const vision::PatternFind& f) { return f.pose.origin; };
    const auto by = [&](auto key) {
        std::stable_sort(finds.begin(), finds.end(), [&](const auto& a, const auto& b) { return key(a) < key(b); });
    };
    switch (order) {
    case FindOrder::Score: return;
    case FindOrder::AlongX: return by([&](const auto& f) { return place(f).x; });
    case FindOrder::AlongY: return by([&](const auto& f) { return place(f).y; });
    case FindOrder::Angle: return by([&](const auto& f) { return f.pose.angle; });
    case FindOrder::Rows: return inRows(finds, radius, place);
    }
}

// Nothing was found: one look without the limits of angle and place says whether they are too narrow.
std::string outside(const P& p, const RunInput& in, const vision::PatternModel& model, vision::PatternOptions o)
{
    const bool everywhere = in.region("search").shape == Shape::Whole;
    if (p.angleRange >= 180 && everywhere) return {};
    o.angleFrom = -geometry::kPi, o.angleTo = geometry::kPi;
    const auto better = findIn(in, model, Region::whole(), o);
    if (better.empty()) return {};
    const vision::PatternFind& f = better.front();
    const Point at = in.picture(f.pose.origin);
    const double turn = geometry::degrees(geometry::wrapped(f.pose.angle - model.origin.angle - in.motion.turn()));
    std::string out = "; a part of score " + base::toText(f.score, 2) + " lies at " + base::toText(at.x, 0) + ", " +
                      base::toText(at.y, 0) + " px, turned by " + base::toText(turn, 0) + "°";
    if (std::abs(turn) > p.angleRange) out += ": outside the angle range of ± " + base::toText(p.angleRange, 0) + "°";
    else out += ": outside the search area";
    return out;
}

vision::PatternOptions options(const P& p, const RunInput& in)
{
    vision::PatternOptions o;
    o.leastScore = p.leastScore;
    // Inside another datum the part turns and grows with it.
    o.angleFrom = geometry::radians(-p.angleRange) + in.motion.turn(),
    o.angleTo = geometry::radians(p.angleRange) + in.motion.turn();
    o.leastContrast = p.leastContrast;
    o.wanted = p.expected > 0 ? p.expected : p.most;
    o.most = 100000; // what is there is there, however many are wanted
    o.leastDistance = p.leastDistance * in.grows(), o.reversal = p.reversal;
    o.scaleFrom = (1 - p.scaleRange / 100) * in.grows(), o.scaleTo = (1 + p.scaleRange / 100) * in.grows();
    return o;
}

base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    if (!in.taught) return base::fail(base::ErrorCode::NotFound, "not taught: the recipe has no reference");
    const auto& model = std::any_cast<const vision::PatternModel&>(*in.taught);
    const vision::PatternOptions o = options(p, in);
    std::vector<vision::PatternFind> finds = findIn(in, model, in.region("search"), o);
    if (finds.empty())
        return base::fail(base::ErrorCode::Absent, "not found: nothing reaches the least score " +
                                                       base::toText(p.leastScore, 2) + outside(p, in, model, o));
    // The best ones are the wanted ones; what lies on one of them is no part of its own.
    const std::size_t wanted = p.expected > 0 ? std::size_t(p.expected)
                               : p.most > 0   ? std::size_t(p.most)
                                              : finds.size();
    std::vector<vision::PatternFind> surplus;
    if (finds.size() > wanted) {
        surplus.assign(finds.begin() + std::ptrdiff_t(wanted), finds.end());
        finds.resize(wanted);
        surplus.erase(std::remove_if(surplus.begin(), surplus.end(),
                                     [&](const auto& f) {
                                         return std::any_of(finds.begin(), finds.end(), [&](const auto& g) {
                                             return vision::overlap(model, f.pose, f.scale, g.pose, g.scale) > 0.4;
                                         });
                                     }),
                      surplus.end());
    }
    inOrder(p.order, model.radius, finds), inOrder(p.order, model.radius, surplus);
    RunOutput out;
    const vision::PatternFind& lead = finds.front();
    out.values["x"] = {lead.pose.origin.x}, out.values["y"] = {lead.pose.origin.y};
    out.values["angle"] = {geometry::degrees(lead.pose.angle)};
    out.values["score"] = {lead.score};
    out.values["scale"] = {lead.scale};
    out.values["finds"] = {double(finds.size() + surplus.size())};
    auto& scores = out.values["scores"];
    int number = 0;
    for (const auto* list : {&finds, &surplus})
        for (const auto& f : *list) {
            (list == &finds ? out.finds : out.surplus).push_back({f.pose, f.score, f.scale});
            scores.push_back(f.score);
            Mark m = pointsMark(vision::outlinePoints(model, f.pose, f.scale), MarkRole::Datum);
            m.element = ++number;
            out.marks.push_back(std::move(m));
        }
    out.features["origin"] = lead.pose.origin;
    if (p.expected > 0 && int(finds.size()) < p.expected)
        out.note = std::to_string(finds.size()) + " of " + std::to_string(p.expected) + " parts found";
    if (!surplus.empty())
        out.note = std::to_string(finds.size() + surplus.size()) + " parts found, " + std::to_string(finds.size()) +
                   (p.expected > 0 ? " expected" : " wanted") + ": the others are surplus";
    return out;
}

// Finds down to a score nobody would ask for: the best false one says how low the least score may be.
base::Result<ObjectTable> tell(const P& p, const RunInput& in)
{
    if (!in.taught) return base::fail(base::ErrorCode::NotFound, "not taught: the recipe has no reference");
    const auto& model = std::any_cast<const vision::PatternModel&>(*in.taught);
    vision::PatternOptions o = options(p, in);
    o.leastScore = std::min(p.leastScore, 0.3);
    o.most = 200;
    auto finds = findIn(in, model, in.region("search"), o);
    std::stable_sort(finds.begin(), finds.end(), [](const auto& a, const auto& b) { return a.score > b.score; });
    ObjectTable table;
    table.columns = {{"score", "Score", Unit::None},
                     {"x", "x", Unit::Pixel},
                     {"y", "y", Unit::Pixel},
                     {"angle", "Turned", Unit::Degree},
                     {"scale", "Scale", Unit::None}};
    int number = 0;
    for (const auto& f : finds) {
        ObjectTable::Row row;
        row.at = f.pose.origin;
        const Point at = in.picture(f.pose.origin);
        row.values = {f.score, at.x, at.y, geometry::degrees(f.pose.angle), f.scale};
        row.radius = row.across = model.radius * f.scale / 2;
        if (f.score >= p.leastScore) row.number = ++number;
        else row.fate = Fate::Bounded, row.by = "least_score", row.value = f.score, row.low = p.leastScore;
        table.rows.push_back(std::move(row));
    }
    return table;
}

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    if (g.type != Gesture::Type::Area) return {};
    const Point d = g.to - g.from;
    const Region part = Region::rectangle((g.from + g.to) * 0.5, std::abs(d.x), std::abs(d.y), 0);
    if (part.width < 12 || part.height < 12) return {};
    P p;
    p.leastContrast = std::clamp(std::round(5 * in.noise), 6.0, 40.0);
    const auto model = vision::teachPattern(in.grey(), part, {part.centre, 0}, p.leastContrast);
    if (!model) return {};
    Offer o;
    o.step.params = p;
    o.step.name = "Part";
    o.step.regions["part"] = part;
    o.step.points["origin"] = model->centre; // the middle of what is seen, not of the hand's rectangle
    Check score;
    score.output = "score";
    score.limits.low = p.leastScore;
    o.step.checks.push_back(score);
    o.words = "datum by pattern";
    o.rank = in.hasDatum ? 4 : 0;
    o.chosen = {"least_contrast", "angle_range", "least_score"};
    o.wants = note(p, *model);
    return {o};
}
} // namespace

StepKind pattern()
{
    return Declare<P>(
               {"pattern", "Pattern datum", "Finds the part by the directions of its edges, at any place and angle."},
               Question::Where, 1,
               "edge directions after Steger 2002; refinement by least squares along the normals (docs/methods.md)")
        .purpose("locate find position part datum align where template")
        .drawn("Ctrl and drag a frame round the part")
        .picture()
        .isDatum()
        .gives(FeatureType::Point)
        .leavesOut()
        .region({"part",
                 "Part",
                 "What is taught: drawn round the part on the reference.",
                 {Shape::Rectangle, Shape::Circle, Shape::Polygon},
                 true,
                 false,
                 true})
        .region({"search",
                 "Search area",
                 "Where the middle of the part may lie; without it the whole picture.",
                 {Shape::Rectangle, Shape::Circle, Shape::Ring, Shape::Polygon},
                 false})
        .point({"origin", "Origin", "Origin of the datum on the reference; without it the middle of the part."})
        .origin("origin")
        .direction("direction")
        .expects("expected")
        .param(&P::leastScore,
               {"least_score", "Least score",
                "Share of the edges that must be seen again; lower it for hidden parts, raise it when other things are "
                "found."},
               Unit::None, Real{0.2, 1, 0.01, 0.4, 0.95}, true)
        .param(&P::angleRange,
               {"angle_range", "Angle range ±",
                "How far the part may be turned against the reference; a smaller range is faster."},
               Unit::Degree, Real{0, 180, 5}, true)
        .param(&P::leastContrast,
               {"least_contrast", "Least contrast",
                "Grey difference an edge of the part must have; lower it for faint parts."},
               Unit::GreyLevel, Real{2, 200, 1, 4, 80}, true)
        .param(&P::most,
               {"finds", "Finds wanted",
                "Largest number of parts in one picture; each one is an item. Parts beyond it are surplus: named, "
                "rejected, not inspected. 0: any."},
               Unit::None, Whole{0, 200}, true)
        .param(
            &P::direction,
            {"direction", "Direction", "Angle of the datum's x direction on the reference, counter-clockwise as seen."},
            Unit::Degree, Real{-360, 360, 1})
        .param(&P::expected,
               {"expected", "Parts expected",
                "Number of parts that must lie in the picture; each one that is lost or surplus is a rejected item. 0: "
                "any."},
               Unit::None, Whole{0, 200}, true)
        .param(&P::order, {"order", "Order of the finds", "How the parts in one picture are numbered."},
               {{"score", "Best first"},
                {"rows", "Row by row"},
                {"x", "Along x"},
                {"y", "Along y"},
                {"angle", "By angle"}})
        .param(&P::leastDistance,
               {"least_distance", "Least distance",
                "Two finds nearer than this are one; 0: a third of the part's radius."},
               Unit::Pixel, Real{0, 10000, 1})
        .param(&P::scaleRange,
               {"scale_range", "Scale range ±",
                "How much larger or smaller the part may be than on the reference; a smaller range is faster."},
               Unit::Percent, Real{0, 50, 1, 0, 10})
        .param(&P::reversal, {"reversal", "Bright and dark exchanged",
                              "A part that is bright where the reference is dark is found too."})
        .output({"x", "x", "Place of the origin in the picture.", Unit::Pixel, false, false, false})
        .output({"y", "y", "Place of the origin in the picture.", Unit::Pixel, false, false, false})
        .output({"angle", "Angle", "Turn of the part's x direction, counter-clockwise as seen.", Unit::Degree, false,
                 true, false})
        .output({"score", "Score", "Share of the part's edges seen again, 0 to 1.", Unit::None, false, true, true})
        .output({"finds", "Finds", "Number of parts found, also those beyond the wanted ones.", Unit::None, false, true,
                 false})
        .output({"scale", "Scale", "Size of the part against the reference, 1 when equal.", Unit::None})
        .find("x", "y", "angle", "score", "scale")
        .output({"scores", "Scores", "Score of every part found, in order.", Unit::None, true})
        .better({"score", "scores"}, OutputSpec::Better::More, 0.0, 1.0)
        .teaches(teach, note)
        .tells(tell)
        .offers(offer)
        .runs(run);
}

} // namespace steps

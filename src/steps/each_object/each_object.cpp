#include "steps/each_object/each_object.h"

#include "steps/fit_settings.h"

#include <algorithm>
#include <cmath>

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Point;
using P = EachObjectParams;

namespace
{
struct Measured {
    double size = 0, angle = 0; // level px, radians
    Point at;
    Mark mark;
};
using Answer = base::Result<Measured>;

vision::EdgeOptions options(const P& p) { return {vision::Polarity::Any, p.leastStrength, p.smoothing}; }
FitSettings fitting(const P& p, int windows)
{
    FitSettings s;
    s.windows = windows, s.leastStrength = p.leastStrength, s.smoothing = p.smoothing, s.reach = p.reach,
    s.leastShare = p.leastShare;
    return s;
}

// Where an object lies is level px, where a step looks is picture px.
Answer circleIn(const P& p, const RunInput& in, const Group::Member& m)
{
    const double radius = (m.length + m.width) / 4, band = radius * p.band / 100;
    const FitSettings s = fitting(p, 48);
    auto f = fitProbe<geometry::Circle>(s, in,
                                        vision::probeCircle(in.grey(), in.picture(m.centre),
                                                            std::max(1.0, radius - band), radius + band + 2, s.windows,
                                                            3, false, options(p), vision::Pick::Strongest),
                                        geometry::fitCircle, "circle");
    if (!f) return base::passOn(f.error());
    geometry::Circle c = f->fit.shape;
    c.radius += vision::curvatureShift(f->probe.edges, c.radius);
    return Measured{2 * c.radius, 0, c.centre, roundMark(c)};
}
Answer widthIn(const P& p, const RunInput& in, const Group::Member& m)
{
    const bool longer = p.side == EachSide::Longer;
    const Point u = geometry::direction(m.angle + (longer ? 0 : geometry::kPi / 2));
    const double size = longer ? m.length : m.width, across = longer ? m.width : m.length;
    const double half = size / 2 + std::max(4.0, size * p.band / 100);
    const Point from = in.picture(m.centre - u * half), to = in.picture(m.centre + u * half);
    const auto profile = vision::profile(in.grey(), from, to, std::max(3.0, 0.3 * across));
    if (!profile) return base::passOn(profile.error());
    const auto edges = vision::edges(*profile, options(p));
    if (edges.size() < 2)
        return base::fail(base::ErrorCode::NoResult,
                          edges.empty() ? noEdgeText(p.leastStrength) : "1 of 2 edges found");
    // On each side the edge nearest to the object's own border: a neighbour's lies farther off.
    const double middle = profile->path.length / 2, border = middle * (size / 2) / half;
    const auto nearest = [&](double at) {
        return *std::min_element(edges.begin(), edges.end(), [&](const auto& x, const auto& y) {
            return std::abs(x.position - at) < std::abs(y.position - at);
        });
    };
    const vision::Edge first = nearest(middle - border), last = nearest(middle + border);
    if (first.position == last.position) return base::fail(base::ErrorCode::NoResult, "1 of 2 edges found");
    const Point a = in.level(first.point), b = in.level(last.point);
    return Measured{geometry::distance(a, b),
                    geometry::angleOf(b - a),
                    (a + b) * 0.5,
                    {MarkShape::Dimension, MarkRole::Found, {a, b}, 0, {}}};
}
Answer lineIn(const P& p, const RunInput& in, const Group::Member& m)
{
    const bool longer = p.side == EachSide::Longer;
    const Point u = geometry::direction(m.angle + (longer ? 0 : geometry::kPi / 2)), n = geometry::leftOf(u);
    const double along = 0.35 * (longer ? m.length : m.width), off = (longer ? m.width : m.length) / 2;
    const double across = 2 * std::max(4.0, off * p.band / 100);
    const FitSettings s = fitting(p, std::clamp(int(along / 2), 6, 60));
    const geometry::Segment way{in.picture(m.centre + n * off - u * along), in.picture(m.centre + n * off + u * along)};
    auto f = fitProbe<geometry::Segment>(
        s, in, vision::probeLine(in.grey(), way, across, s.windows, 3, false, options(p), vision::Pick::Strongest),
        geometry::fitLine, "line");
    if (!f) return base::passOn(f.error());
    const geometry::Segment& l = f->fit.shape;
    return Measured{l.length(), geometry::angleOf(l.along()), (l.from + l.to) * 0.5, lineMark(l.from, l.to)};
}

base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    const auto& group = std::get<Group>(in.inputs.at("each"));
    if (group.members.empty()) return base::fail(base::ErrorCode::NoResult, "there is no object");
    RunOutput out;
    for (const char* key : {"sizes", "angles", "x", "y"}) out.values[key] = {};
    int number = 0;
    for (const auto& m : group.members) {
        ++number;
        auto one = p.what == InEach::Circle  ? circleIn(p, in, m)
                   : p.what == InEach::Width ? widthIn(p, in, m)
                                             : lineIn(p, in, m);
        // A list with a hole would shift the rest: what is missing in one is said.
        if (!one)
            return base::passOn(one.error(),
                                "in object " + std::to_string(number) + " of " + std::to_string(group.members.size()));
        out.values["sizes"].push_back(one->size);
        out.values["angles"].push_back(geometry::degrees(geometry::wrapped(2 * (one->angle - in.frame.angle)) / 2));
        out.values["x"].push_back(one->at.x), out.values["y"].push_back(one->at.y);
        out.points["elements"].push_back(one->at);
        if (number > 200) continue;
        one->mark.element = number;
        out.marks.push_back(std::move(one->mark));
    }
    const auto& sizes = out.values.at("sizes");
    out.values["least"] = {*std::min_element(sizes.begin(), sizes.end())};
    out.values["greatest"] = {*std::max_element(sizes.begin(), sizes.end())};
    return out;
}

// The member a stroke runs across, from one of its sides to the opposite one; which side it runs along.
std::optional<EachSide> across(const Gesture& g, const OfferInput& in, const Group::Member& m)
{
    const auto level = [&](Point p) { return in.calibration ? in.calibration->level(p) : p; };
    const geometry::Pose box{m.centre, m.angle};
    const Point from = box.toLocal(level(g.from)), to = box.toLocal(level(g.to)), way = geometry::unit(to - from);
    for (const EachSide side : {EachSide::Shorter, EachSide::Longer}) {
        const bool longer = side == EachSide::Longer;
        const double a = longer ? from.x : from.y, b = longer ? to.x : to.y, half = (longer ? m.length : m.width) / 2,
                     off = std::max(std::abs(longer ? from.y : from.x), std::abs(longer ? to.y : to.x));
        // Within 20° of the box's own direction, past both borders and through the middle half.
        if (std::abs(longer ? way.x : way.y) < 0.94 || std::abs(a) < half || std::abs(b) < half || a * b >= 0) continue;
        if (std::max(std::abs(a), std::abs(b)) > 3 * half + 20) continue;
        if (off < (longer ? m.width : m.length) / 2) return side;
    }
    return {};
}

std::vector<Offer> acrossOffer(const Gesture& g, const OfferInput& in)
{
    for (const auto& [id, feature] : in.features) {
        const auto* group = std::get_if<Group>(&feature);
        if (!group || group->members.size() < 2) continue;
        for (const auto& m : group->members) {
            const auto side = across(g, in, m);
            if (!side) continue;
            P p;
            p.what = InEach::Width, p.side = *side;
            p.leastStrength = std::max(8.0, std::round(5 * in.noise));
            Offer o;
            o.step.params = p;
            o.step.inputs["each"] = id;
            o.words = "each of " + std::to_string(group->members.size());
            o.rank = 2;
            o.chosen = {"what", "side", "least_strength"};
            std::vector<Offer> out{o};
            if (m.length < 1.15 * m.width) {
                p.what = InEach::Circle;
                o.step.params = p, o.words = "circle in each of " + std::to_string(group->members.size());
                out.push_back(o);
            }
            return out;
        }
    }
    return {};
}

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    // A stroke across one member asks for the same of each.
    if (g.type == Gesture::Type::Stroke) return acrossOffer(g, in);
    const Feature* f = pulledFrom(g, in);
    if (!f || g.type != Gesture::Type::Click || typeOf(*f) != FeatureType::Group) return {};
    const auto& members = std::get<Group>(*f).members;
    if (members.empty()) return {};
    const auto round =
        std::count_if(members.begin(), members.end(), [](const auto& m) { return m.length < 1.15 * m.width; });
    P p;
    p.what = 2 * round > std::ptrdiff_t(members.size()) ? InEach::Circle : InEach::Width;
    p.leastStrength = std::max(8.0, std::round(5 * in.noise));
    Offer o;
    o.step.params = p;
    o.step.inputs["each"] = g.fromFeature;
    o.words = p.what == InEach::Circle ? "circle in each" : "width of each";
    o.rank = 3;
    o.chosen = {"what", "side", "least_strength"};
    return {o};
}
} // namespace

StepKind each_object()
{
    return Declare<P>(
               {"each_object", "In each object",
                "A circle, a width or an edge line in each object of a group, to a fraction of a pixel: lists."},
               Question::HowBig, 1,
               "edges as in vision/edges.h, fits as in geometry/fit.h, laid by each object's smallest turned box")
        .purpose("each list diameter width angle of every object holes")
        .drawn("stroke across one of the objects that a blobs step found, or click one")
        .picture()
        .input({"each", "Objects", "Step that finds the objects.", {FeatureType::Group}})
        .param(&P::what,
               {"what", "Measured in each",
                "A circle about its middle, the distance of the edges at its border, or a line along its border."},
               {{"circle", "Circle"}, {"width", "Width"}, {"line", "Line"}}, true)
        .param(&P::side,
               {"side", "Along", "With width and line: along which side of the object's smallest turned box."},
               {{"longer", "The longer side"}, {"shorter", "The shorter side"}}, true)
        .param(&P::band,
               {"band", "Searched about the border",
                "How far from the object's border its edge is looked for, in percent of its half size."},
               Unit::Percent, Real{2, 200, 5, 10, 60})
        .param(&P::leastStrength,
               {"least_strength", "Least strength", "Edges with a smaller grey difference are ignored."},
               Unit::GreyLevel, kStrengthRange, true)
        .param(&P::smoothing, {"smoothing", "Smoothing", "Width of the Gaussian that quiets the profiles."},
               Unit::Pixel, kSmoothingRange)
        .param(&P::reach,
               {"reach", "Stray beyond", "With circle and line: points farther from the fit than this are not seen."},
               Unit::Pixel, Real{0.05, 50, 0.05, 0.1, 3})
        .param(&P::leastShare,
               {"least_share", "Least share",
                "With circle and line: share of the windows whose edge must lie within reach of the fit."},
               Unit::Percent, Real{5, 100, 5})
        .output({"sizes", "Sizes", "Diameter, width or length seen of each object, in the order of the group.",
                 Unit::Pixel, true, true, true})
        .output({"angles", "Angles",
                 "Direction of each width or line against the datum's x direction, -90 to 90; 0 for circles.",
                 Unit::Degree, true})
        .output({"x", "x", "Place of each in the picture.", Unit::Pixel, true, false})
        .output({"y", "y", "Place of each in the picture.", Unit::Pixel, true, false})
        .output({"least", "Least", "Smallest of the sizes.", Unit::Pixel})
        .output({"greatest", "Greatest", "Largest of the sizes.", Unit::Pixel})
        .leavesOut()
        .offers(offer)
        .runs(run);
}

} // namespace steps

#include "steps/joint_areas/joint_areas.h"

#include "steps/glue.h"
#include "vision/blobs.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Point;
using geometry::Region;
using geometry::Shape;
using geometry::Span;
using P = JointAreasParams;

namespace
{
constexpr double kMostRatio = 100;

struct Joint {
    std::string name;
    Region outline;
    double pixels = 0, covered = 0, sticking = 0;
    std::set<std::string> bridged;
    std::string says;
    double ratio = 0;
    double share() const { return pixels > 0 ? 100 * covered / pixels : 0; }
};
struct Seen {
    std::vector<Joint> joints;
    std::vector<std::pair<std::size_t, std::size_t>> bridges;
    vision::BlobList blobs;
    std::vector<std::set<std::size_t>> touches; // by blob: joints
};

std::vector<Joint> jointsOf(const RunInput& in)
{
    std::vector<Joint> out;
    for (const Place& place : outlinedPlaces(in.places, in.regions, [&](Point p) { return in.picture(p); }))
        out.push_back({place.name, *place.outline, 0, 0, 0, {}, {}, 0});
    return out;
}

// The box round all outlines and what may stick out of them.
Region fieldOf(const std::vector<Joint>& joints, double more)
{
    double l = 1e9, t = 1e9, r = -1e9, b = -1e9;
    for (const Joint& j : joints)
        for (const auto& outline : j.outline.outlines())
            for (const Point p : outline)
                l = std::min(l, p.x), r = std::max(r, p.x), t = std::min(t, p.y), b = std::max(b, p.y);
    return Region::rectangle({(l + r) / 2, (t + b) / 2}, r - l + 2 * more, b - t + 2 * more);
}

base::Result<Seen> look(const P& p, const RunInput& in)
{
    Seen s;
    s.joints = jointsOf(in);
    if (s.joints.empty()) return base::fail(base::ErrorCode::NoResult, "no place has been drawn");
    const int w = in.seen().pixels.width(), h = in.seen().pixels.height();
    const double grow = in.grows(), area = grow * grow;
    std::vector<std::vector<Span>> spans;
    for (Joint& j : s.joints) {
        spans.push_back(geometry::spans(j.outline, w, h));
        j.pixels = double(geometry::pixelCount(spans.back()));
        bool outside = j.pixels < 1;
        for (const auto& o : j.outline.outlines())
            for (const Point q : o) outside = outside || q.x < -1 || q.y < -1 || q.x > w || q.y > h;
        if (outside) return base::fail(base::ErrorCode::NoResult, "place " + j.name + " lies outside the picture");
    }
    const std::vector<Span> where =
        geometry::without(geometry::spans(fieldOf(s.joints, p.reach * grow), w, h), in.leaveOut, w, h);
    const auto taken = select(p, in, where);
    if (!taken) return base::passOn(taken.error());
    vision::BlobOptions o;
    o.low = taken->low, o.high = taken->high;
    o.leastArea = p.leastArea * area;
    if (!taken->nothing) s.blobs = vision::findBlobs(taken->view, where, o);
    // Which joint each pixel belongs to, row by row.
    std::map<int, std::vector<std::pair<Span, std::size_t>>> rows;
    for (std::size_t i = 0; i < spans.size(); ++i)
        for (const Span& q : spans[i]) rows[q.y].emplace_back(q, i);
    s.touches.resize(s.blobs.blobs.size());
    std::vector<std::map<std::size_t, double>> inside(s.blobs.blobs.size());
    for (const vision::Run& run : s.blobs.runs) {
        if (run.blob < 0) continue;
        const auto row = rows.find(run.y);
        if (row == rows.end()) continue;
        for (const auto& [span, joint] : row->second) {
            const int n = std::min(run.to, span.to) - std::max(run.from, span.from);
            if (n > 0) s.joints[joint].covered += n, inside[std::size_t(run.blob)][joint] += n;
        }
    }
    for (std::size_t b = 0; b < inside.size(); ++b) {
        double in1 = 0;
        for (const auto& [joint, n] : inside[b]) {
            in1 += n;
            // A few pixels over the line are no joint of that place.
            if (n >= std::max(4.0, 0.02 * s.joints[joint].pixels)) s.touches[b].insert(joint);
        }
        const double out = s.blobs.blobs[b].area - in1;
        for (const std::size_t joint : s.touches[b]) {
            s.joints[joint].sticking += out / double(s.touches[b].size());
            for (const std::size_t other : s.touches[b])
                if (other != joint) s.joints[joint].bridged.insert(s.joints[other].name);
        }
    }
    for (Joint& j : s.joints) {
        const double share = j.share();
        const auto at = [&](double ratio, const std::string& says) {
            if (ratio > j.ratio) j.ratio = std::min(kMostRatio, ratio);
            if (ratio > 1 && j.says.empty()) j.says = says;
        };
        if (!j.bridged.empty()) {
            std::string with;
            for (const std::string& n : j.bridged) with += (with.empty() ? "" : ", ") + n;
            at(10, "bridged with " + with);
        }
        if (share < p.none) at(kMostRatio, "none");
        at(share > 0 ? p.least / share : kMostRatio, "too little: " + base::toText(share, 0) + " %");
        if (p.most < 100) at(share / p.most, "too much: " + base::toText(share, 0) + " %");
        at(p.mayStick > 0 ? j.sticking / (p.mayStick * area) : j.sticking > 0 ? kMostRatio : 0, "sticks out");
    }
    return s;
}

base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    const auto s = look(p, in);
    if (!s) return base::passOn(s.error());
    RunOutput out;
    double faults = 0, bridged = 0;
    for (std::size_t i = 0; i < s->joints.size(); ++i) {
        const Joint& j = s->joints[i];
        out.values["ratios"].push_back(j.ratio);
        out.values["shares"].push_back(j.share());
        out.values["sticking"].push_back(j.sticking);
        faults += j.ratio > 1, bridged += !j.bridged.empty();
        out.elementNames[""].push_back(j.name);
        out.elementSays[""].push_back(j.says);
        out.points["elements"].push_back(in.level(j.outline.middle()));
        for (const auto& line : j.outline.outlines()) {
            Mark m = levelled(in, {MarkShape::Polygon, MarkRole::Found, line, 0, j.name});
            m.element = int(i) + 1;
            out.marks.push_back(std::move(m));
        }
    }
    const vision::BlobRuns runs(s->blobs);
    for (std::size_t b = 0; b < s->touches.size() && b < 300; ++b) {
        if (s->touches[b].empty()) continue;
        for (const auto& line : runs.outlines(int(b))) {
            Mark m = levelled(in, {MarkShape::Polygon, MarkRole::Used, line, 0, {}});
            m.element = int(*s->touches[b].begin()) + 1;
            out.marks.push_back(std::move(m));
        }
    }
    out.values["count"] = {faults};
    out.values["bridged"] = {bridged};
    return out;
}

base::Result<Evidence> evidence(const P& p, const RunInput& in)
{
    const std::vector<Joint> joints = jointsOf(in);
    if (joints.empty()) return base::fail(base::ErrorCode::NoResult, "no place has been drawn");
    const int w = in.seen().pixels.width(), h = in.seen().pixels.height();
    auto e = selectionEvidence(
        p, in, geometry::without(geometry::spans(fieldOf(joints, p.reach * in.grows()), w, h), in.leaveOut, w, h));
    if (!e) return e;
    if (const auto s = look(p, in)) {
        const Joint* worst = nullptr;
        for (const Joint& j : s->joints)
            if (!worst || j.ratio > worst->ratio) worst = &j;
        if (worst)
            e->note = (e->note.empty() ? "" : e->note + "; ") +
                      ("place " + worst->name + ": " +
                       (worst->says.empty() ? base::toText(worst->share(), 0) + " % covered" : worst->says));
    }
    return e;
}

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    const auto frame = framedBy(g, in);
    if (!frame || in.seen().content == image::Content::Height) return {};
    const Point middle = frame->middle();
    const double w = frame->width, h = frame->height, angle = frame->angle;
    P p;
    p.mode = TakeBy::Colour;
    Offer o;
    o.step.params = p;
    o.step.name = "Joints";
    o.step.places = {framedPlace(*frame)};
    // Taught on the reference: the colours of the middle of what was drawn. Without colour what is bright there.
    if (in.seen().content == image::Content::Colour) {
        o.step.regions["learn"] = Region::rectangle(middle, std::max(3.0, w / 3), std::max(3.0, h / 3), angle);
    } else {
        const auto around =
            geometry::spans(Region::rectangle(middle, 1.6 * w, 1.6 * h, angle), in.grey().width, in.grey().height);
        const auto t = vision::automaticThreshold(vision::histogram(in.grey(), around));
        if (!t) return {};
        p.mode = TakeBy::Fixed, p.low = std::ceil(*t), p.high = 255;
        o.step.params = p;
        o.chosen = {"low", "high"};
    }
    o.words = "joint";
    o.rank = 7;
    o.judged = {"ratios"};
    return {o};
}
} // namespace

StepKind joint_areas()
{
    Declare<P> d(
        {"joint_areas", "Joints",
         "Places that must be covered by a material of one colour, such as solder or glue under coloured light: none, "
         "too little, too much, sticking out, or bridged with a neighbour."},
        Question::Same, 1, "shares of pixels and connected areas, vision/blobs.h, vision/colour.h");
    d.called("Joints")
        .purpose("solder glue joint paste adhesive bridge short insufficient excess none area coloured light")
        .drawn("Ctrl and drag a frame round one; more in the form")
        .region({"outline",
                 "Outline",
                 "What a joint covers where a place has no outline of its own.",
                 {Shape::Rectangle, Shape::Circle, Shape::Polygon},
                 false})
        .places();
    return declareSelection(d)
        .param(&P::none, {"none", "None below", "A place of which less is covered has no joint at all."}, Unit::Percent,
               Real{0, 100, 1, 1, 30}, true)
        .param(&P::least, {"least", "Covered at least", "A place of which less is covered has too little."},
               Unit::Percent, Real{1, 100, 1, 5, 95}, true)
        .param(&P::most, {"most", "Covered at most", "A place of which more is covered has too much; 100: never."},
               Unit::Percent, Real{1, 100, 1, 50, 100}, true)
        .param(
            &P::mayStick,
            {"may_stick", "May stick out", "So much may lie outside of the outline and hang together with the joint."},
            Unit::SquarePixel, Real{0, 1e6, 5, 0, 500}, true)
        .param(&P::reach, {"reach", "Looked at round it", "How far round the places the material is followed."},
               Unit::Pixel, Real{0, 1000, 1, 5, 100})
        .param(&P::leastArea, {"least_area", "Smallest piece", "Connected pieces that are smaller are not looked at."},
               Unit::SquarePixel, Real{1, 1e6, 1, 1, 200})
        .output({"ratios", "Ratio of each",
                 "Of each place how far it is from what it must be: above 1 there is too little, too much, or it "
                 "sticks out; 10 and "
                 "more when it is bridged or there is none.",
                 Unit::None, true, false, true})
        .output({"shares", "Covered of each", "Share of each place that is covered.", Unit::Percent, true})
        .output({"sticking", "Sticking out of each", "What lies outside of each place and hangs together with it.",
                 Unit::SquarePixel, true})
        .output({"count", "Faults", "Number of places with something wrong.", Unit::None})
        .output({"bridged", "Bridged", "Number of places that hang together with another one.", Unit::None})
        .better({"ratios", "sticking", "count", "bridged"}, OutputSpec::Better::Less, 0.0)
        .usually("ratios", {}, 1.0)
        .usually("count", {}, 0.0)
        .usually("bridged", {}, 0.0)
        .madeByArea()
        .shows(evidence)
        .offers(offer)
        .runs(run);
}

} // namespace steps

#include "steps/blobs/blobs.h"

#include "steps/glue.h"
#include "vision/blobs.h"
#include "vision/colour.h"
#include "vision/sampling.h"

#include <algorithm>
#include <cmath>
#include <tuple>

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Point;
using geometry::Region;
using geometry::Shape;
using P = BlobsParams;

namespace
{
vision::BlobOptions options(const P& p, const Selection& taken, double grows = 1)
{
    vision::BlobOptions o = blobOptions(p, grows);
    o.low = taken.low, o.high = taken.high;
    return o;
}

base::Status filtersFit(const RunInput& in)
{
    const bool coloured = image::channels(in.seen().pixels.format()) == 3;
    for (const Filter& f : in.filters)
        if (!coloured && (f.output == "hue" || f.output == "chroma"))
            return base::fail(base::ErrorCode::NoResult,
                              "the filter on " + f.output + " needs a colour picture, this one is grey");
    return {};
}

// Mean and spread of grey, of a colour picture its hue.
OwnValues own(const RunInput& in)
{
    OwnValues o{{"grey_mean", "grey_spread"}, {}};
    const bool coloured = image::channels(in.seen().pixels.format()) == 3;
    if (coloured) o.keys.insert(o.keys.end(), {"hue", "chroma"});
    o.read = [&in, coloured](const vision::BlobRuns& runs, int blob, double* v) {
        std::tie(v[0], v[1]) = runs.grey(in.grey(), blob);
        if (coloured) std::tie(v[2], v[3]) = vision::hueOf(runs.colour(in.seen().pixels, blob));
    };
    return o;
}

struct Seen {
    vision::BlobList list;
    std::optional<double> threshold;
};
base::Result<Seen> see(const P& p, const RunInput& in, bool everything)
{
    const auto where = selectionSpans(in);
    if (where.empty()) return base::fail(base::ErrorCode::NoResult, "the region lies outside the picture");
    const auto taken = select(p, in, where);
    if (!taken) return base::passOn(taken.error());
    if (const auto fit = filtersFit(in); !fit) return base::passOn(fit.error());
    vision::BlobOptions o = options(p, *taken, in.grows());
    if (everything) o.border = vision::BorderRule::Keep, o.partedFrom = o.leastArea, o.leastArea = 1;
    Seen s;
    s.threshold = taken->threshold;
    if (!taken->nothing) s.list = vision::findBlobs(taken->view, where, o);
    return s;
}

// How surely the areas' borders are where they are: of an edge that rises by g grey levels a px, noise n changes
// n / (g √π) px² of each px of its length. Source: docs/methods.md, uncertainty. Only where the threshold itself stands
// still and what is taken is the picture as it came.
// Grey levels a px where an edge is steepest, from what it rises by within a px to either side of a pixel's outline
// and by all: the edge of a Gaussian, whose width is taken from the ratio of both.
double steepest(double within, double all)
{
    const double ratio = std::clamp(within / all, 0.05, 0.999);
    // Inverse of erf: Winitzki 2008, within 0.2 %.
    const double a = 0.147, l = std::log(1 - ratio * ratio), h = 2 / (geometry::kPi * a) + l / 2;
    const double inverse = std::sqrt(std::sqrt(h * h - l / a) - h), seen = 1 / (std::sqrt(2.0) * inverse);
    // The outline's steps lie off the edge by up to half a px, and the picture is read between its pixels.
    const double sigma = std::sqrt(std::max(1.0 / 12, seen * seen - 0.25));
    return all / (std::sqrt(2 * geometry::kPi) * sigma);
}
void spreadBlobs(const P& p, const RunInput& in, std::size_t listed, RunOutput& out)
{
    const bool plain = p.smooth == Smooth::None && p.ground == Ground::Kept && p.opening <= 1 && p.closing <= 1 &&
                       !p.shading && p.mode != TakeBy::Colour && p.mode != TakeBy::Local && p.split <= 0;
    if (!plain || in.bends() || listed == 0) return;
    const double noise = noiseAbout(in, in.region("region"));
    const image::GreyView view = in.grey();
    // Which way the picture rises.
    const auto rise = [&](Point q) {
        const int cx = int(std::lround(q.x)), cy = int(std::lround(q.y));
        if (cx < 6 || cy < 6 || cx + 6 >= view.width || cy + 6 >= view.height) return Point{};
        Point g;
        for (int d = -2; d <= 2; ++d) {
            g.x += view.levelAt(cx + 1, cy + d) - view.levelAt(cx - 1, cy + d);
            g.y += view.levelAt(cx + d, cy + 1) - view.levelAt(cx + d, cy - 1);
        }
        return g;
    };
    const auto levelAt = [&](Point q) { return view.visit([&](auto v) { return vision::bilinear(v, q.x, q.y); }); };
    struct Sum {
        double area = 0, xx = 0, yy = 0;
    };
    std::vector<Sum> sums(listed);
    std::vector<char> known(listed, 0);
    const auto& x = out.objects;
    for (const Mark& m : out.marks) {
        const std::size_t i = std::size_t(m.element) - 1;
        if (m.shape != MarkShape::Polygon || m.element < 1 || i >= listed || i >= x.rows.size()) continue;
        const Point centre = x.rows[i].at;
        std::vector<Point> at, slope, step;
        for (std::size_t k = 0; k < m.points.size(); ++k) {
            const Point a = m.points[k], b = m.points[(k + 1) % m.points.size()];
            const int n = std::max(1, int(std::lround(geometry::distance(a, b))));
            for (int s = 0; s < n; ++s) {
                at.push_back(a + (b - a) * ((s + 0.5) / n));
                step.push_back((b - a) * (1.0 / n));
                slope.push_back(rise(at.back()));
            }
        }
        const int count = int(at.size()), about = 4;
        const auto mean = [&](int k, const auto& of) {
            auto sum = of(k);
            for (int d = 1; d <= about; ++d) sum = sum + of((k + d) % count) + of((k + count - d) % count);
            return sum * (1.0 / (2 * about + 1));
        };
        // Across the outline: what it rises by within a px to either side, and by all.
        std::vector<Point> across;
        std::vector<double> near, whole;
        for (int k = 0; k < count; ++k) {
            const Point g = mean(k, [&](int i1) { return slope[std::size_t(i1)]; });
            across.push_back(geometry::length(g) > 0 ? geometry::unit(g) : Point{});
            const Point q = at[std::size_t(k)], u = across.back();
            const bool inside =
                geometry::length(u) > 0 && view.contains(q.x - 6, q.y - 6) && view.contains(q.x + 6, q.y + 6);
            near.push_back(inside ? levelAt(q + u) - levelAt(q - u) : 0);
            whole.push_back(inside ? levelAt(q + u * 4.5) - levelAt(q - u * 4.5) : 0);
        }
        for (int k = 0; k < count; ++k) {
            const double rises = mean(k, [&](int i1) { return near[std::size_t(i1)]; }),
                         all = mean(k, [&](int i1) { return whole[std::size_t(i1)]; });
            if (!(all > 1)) continue;
            const double steep = steepest(rises, all);
            const double facing =
                std::abs(geometry::dot(geometry::leftOf(step[std::size_t(k)]), across[std::size_t(k)]));
            const double v = facing * noise / (steep * std::sqrt(geometry::kPi));
            const Point off = at[std::size_t(k)] - centre;
            sums[i].area += v, sums[i].xx += off.x * off.x * v, sums[i].yy += off.y * off.y * v;
        }
        known[i] = 1;
    }
    const auto column =
        std::find_if(x.columns.begin(), x.columns.end(), [](const auto& c) { return c.key == "areas"; });
    if (column == x.columns.end()) return;
    const auto areas = x.list(int(column - x.columns.begin()));
    Spreads ofArea, ofX, ofY;
    for (std::size_t i = 0; i < listed; ++i) {
        const double a = i < areas.size() ? areas[i] : 0;
        if (!known[i] || !(a > 0)) {
            ofArea.push_back({}), ofX.push_back({}), ofY.push_back({});
            continue;
        }
        ofArea.push_back(Spread::source(3 * i, std::sqrt(sums[i].area)));
        ofX.push_back(Spread::source(3 * i + 1, std::sqrt(sums[i].xx) / a));
        ofY.push_back(Spread::source(3 * i + 2, std::sqrt(sums[i].yy) / a));
    }
    out.spreads["areas"] = std::move(ofArea);
    if (in.frame == geometry::Pose{}) out.spreads["along_x"] = ofX, out.spreads["along_y"] = ofY;
    out.spreads["x"] = std::move(ofX), out.spreads["y"] = std::move(ofY);
}

base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    auto seen = see(p, in, false);
    if (!seen) return base::passOn(seen.error());
    auto found = objectsFound(p, in, std::move(seen->list), own(in));
    if (!found) return base::passOn(found.error());
    RunOutput out = std::move(found->out);
    spreadBlobs(p, in, found->listed, out);
    if (seen->threshold) out.values["threshold"] = {*seen->threshold};
    return out;
}

// Every area that was taken, with what turned it away: also those that size and border left out.
base::Result<ObjectTable> tell(const P& p, const RunInput& in)
{
    auto seen = see(p, in, true);
    if (!seen) return base::passOn(seen.error());
    return objectsTold(p, in, std::move(seen->list), own(in));
}

base::Result<Evidence> evidence(const P& p, const RunInput& in) { return selectionEvidence(p, in, selectionSpans(in)); }

struct Clicked {
    P how;
    vision::BlobList list;
    int blob = -1;
    const vision::Blob& it() const { return list.blobs[std::size_t(blob)]; }
    // As wide, and not much longer or shorter: of a row of slots each may be another length.
    bool like(const vision::Blob& b) const
    {
        const auto near = [](double a, double c, double times) { return a < times * c && c < times * a; };
        if (it().major < 1.25 * it().minor && b.major > 1.4 * b.minor) return false; // a round one is like round ones
        return near(b.area, it().area, 2.2) && near(b.major, it().major, 2.2) && near(b.minor + 2, it().minor + 2, 1.4);
    }
    std::ptrdiff_t likes() const
    {
        return std::count_if(list.blobs.begin(), list.blobs.end(), [this](const auto& b) { return like(b); });
    }
};
// What a click lies on: under one threshold for the whole picture, or under one that follows the light where that tells
// more of its like apart.
std::optional<Clicked> clickedObject(Point at, const OfferInput& in)
{
    const image::GreyView picture = in.grey();
    const int px = int(std::lround(at.x)), py = int(std::lround(at.y));
    if (px < 0 || py < 0 || px >= picture.width || py >= picture.height) return {};
    const auto whole = geometry::spans(Region::whole(), picture.width, picture.height);
    const RunInput here = in.looking();
    const Point origin = in.calibration ? in.calibration->picture(in.datum.origin) : in.datum.origin;
    std::optional<Clicked> best;
    for (const TakeBy mode : {TakeBy::Automatic, TakeBy::Local})
        for (const Objects side : {Objects::Dark, Objects::Bright}) {
            Clicked c;
            c.how.mode = mode, c.how.objects = side;
            c.how.dropBorder = true;
            c.how.fillHoles = false; // what surrounds everything would swallow it
            c.how.leastArea = 12;
            if (mode == TakeBy::Local) {
                c.how.localWindow = std::clamp(std::min(picture.width, picture.height) / 6, 31, 301) | 1;
                c.how.localOffset = std::clamp(std::round(8 * in.noise), 10.0, 40.0);
            }
            const auto taken = select(c.how, here, whole);
            if (!taken || taken->nothing) continue;
            const double level = taken->view.levelAt(px, py);
            if (level < taken->low || level > taken->high) continue;
            c.list = vision::findBlobs(taken->view, whole, options(c.how, *taken));
            bool part = false;
            for (const vision::Run& r : c.list.runs)
                if (r.blob >= 0 && r.y == py && r.from <= px && px < r.to) c.blob = r.blob;
            if (c.blob < 0) continue; // the ground, or what reaches the picture's border
            // The part itself: it has holes, or the datum's origin lies on it.
            for (const vision::Run& r : c.list.runs)
                part = part || (in.hasDatum && r.blob == c.blob && r.y == int(std::lround(origin.y)) &&
                                r.from <= origin.x && origin.x < r.to);
            if (part || c.it().holes > 0) {
                if (mode == TakeBy::Automatic) return {};
                continue;
            }
            // Grain of the ground is no object: one stands off from what is about it.
            if (mode == TakeBy::Local && c.it().area < 60) continue;
            if (!best || c.likes() > best->likes()) best = std::move(c);
        }
    return best;
}

// The clicked object and those like it: where they are, and what tells them from the others there.
std::vector<Offer> likeOffer(const Gesture& g, const OfferInput& in)
{
    const auto clicked = clickedObject(g.from, in);
    if (!clicked) return {};
    P p = clicked->how;
    const vision::BlobList& list = clicked->list;
    const vision::Blob& it = clicked->it();
    const auto alike = [&](const vision::Blob& b) { return clicked->like(b); };
    // Level with the datum, so that it stays so when the part turns.
    const Point u = geometry::direction(in.datumAngle), v = geometry::leftOf(u);
    double left = 1e300, right = -1e300, top = 1e300, bottom = -1e300, least = 1e300, most = 0;
    for (const vision::Blob& b : list.blobs) {
        if (!alike(b)) continue;
        least = std::min(least, b.area), most = std::max(most, b.area);
        const double half = b.major / 2 + 0.25 * it.major + 6;
        const double x = geometry::dot(u, b.centroid), y = geometry::dot(v, b.centroid);
        left = std::min(left, x - half), right = std::max(right, x + half);
        top = std::min(top, y - half), bottom = std::max(bottom, y + half);
    }
    Offer o;
    p.leastArea = std::max(1.0, std::round(0.2 * it.area));
    // Loose objects, on no part, are looked for all over the picture.
    Region where = Region::whole();
    if (in.hasDatum)
        o.step.regions["region"] = where = Region::rectangle(u * ((left + right) / 2) + v * ((top + bottom) / 2),
                                                             right - left, bottom - top, in.datumAngle);
    // Others that lie there are told apart by their size, as far from both as can be.
    double smaller = 0, larger = 0;
    bool touching = false;
    for (const vision::Blob& b : list.blobs)
        if (!alike(b) && b.area >= p.leastArea && where.contains(b.centroid)) {
            if (b.area < least) smaller = std::max(smaller, b.area);
            if (b.area <= most) continue;
            // Two or three of them that touch are none too large.
            const double times = b.area / it.area;
            if (times < 4.5 && std::abs(times - std::round(times)) < 0.15 * times && b.minor < 2.2 * it.major)
                touching = true;
            else larger = larger > 0 ? std::min(larger, b.area) : b.area;
        }
    if (smaller > 0) p.leastArea = std::round(std::sqrt(smaller * least));
    if (larger > 0) o.step.filters.push_back({"areas", {}, std::round(std::sqrt(larger * most))});
    p.dropBorder = P{}.dropBorder, p.fillHoles = P{}.fillHoles;
    if (touching) p.split = 0.3;
    o.step.params = p;
    o.step.name = "Count";
    o.words = touching ? "this and its like, touching ones parted" : "this and its like";
    o.rank = in.hasDatum ? 2 : 4;
    o.chosen = {"objects", "least_area", "mode"};
    if (touching) o.chosen.push_back("split");
    Offer sizes = o;
    sizes.step.name = "Sizes";
    sizes.words = "size of this and each of its like";
    sizes.judged = {"areas"}, ++sizes.rank;
    return {o, sizes};
}

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    if (g.type == Gesture::Type::Click) return likeOffer(g, in);
    if (g.type != Gesture::Type::Area) return {};
    const image::GreyView picture = in.grey();
    const Point d = g.to - g.from;
    if (std::abs(d.x) < 8 || std::abs(d.y) < 8) return {};
    // The area is level with the datum, so that it stays so when the part turns.
    Region region = Region::rectangle((g.from + g.to) * 0.5, std::abs(d.x), std::abs(d.y), 0);
    if (in.hasDatum) {
        const Point u = geometry::direction(in.datumAngle), v = geometry::leftOf(u);
        region = Region::rectangle(region.centre, std::abs(geometry::dot(u, d)), std::abs(geometry::dot(v, d)),
                                   in.datumAngle);
        if (region.width < 8 || region.height < 8) return {};
    }
    P p;
    struct Side {
        Objects objects;
        std::vector<double> areas;
    };
    std::vector<Side> sides;
    for (const Objects side : {Objects::Bright, Objects::Dark}) {
        p.objects = side;
        p.leastArea = std::max(12.0, region.width * region.height / 20000);
        const auto where = geometry::spans(region, picture.width, picture.height);
        RunInput here = in.looking();
        const auto taken = select(p, here, where);
        if (!taken || taken->nothing) return {};
        Side s{side, {}};
        for (const auto& b : vision::findBlobs(taken->view, where, options(p, *taken)).blobs) s.areas.push_back(b.area);
        if (!s.areas.empty()) sides.push_back(std::move(s));
    }
    if (sides.empty()) return {};
    // The side whose objects lie free of the border and cover more.
    const auto total = [](const Side& s) {
        double sum = 0;
        for (const double a : s.areas) sum += a;
        return sum;
    };
    const Side& best = *std::max_element(sides.begin(), sides.end(),
                                         [&](const Side& a, const Side& b) { return total(a) < total(b); });
    std::vector<double> areas = best.areas;
    std::sort(areas.begin(), areas.end());
    p.objects = best.objects;
    p.leastArea = std::max(1.0, std::round(0.2 * areas[areas.size() / 2]));
    Offer o;
    o.step.params = p;
    o.step.name = "Count";
    o.step.regions["region"] = region;
    o.words = "count of blobs";
    o.rank = in.hasDatum ? 0 : 2;
    o.chosen = {"objects", "least_area", "mode"};
    Offer sizes = o;
    sizes.step.name = "Sizes";
    sizes.words = "size of each blob";
    sizes.judged = {"areas"};
    ++sizes.rank;
    return {o, sizes};
}
} // namespace

StepKind blobs()
{
    Declare<P> d(
        {"blobs", "Blobs", "Finds connected areas of taken pixels, filters, orders, counts and describes them."},
        Question::HowMany, 1,
        "threshold: Otsu 1979; runs and union-find: Rosenfeld and Pfaltz 1966; shape and splitting: vision/blobs.h");
    d.purpose("count objects holes slots missing present spot area threshold colour size shape")
        .drawn("Ctrl and drag a frame round the objects")
        .gives(FeatureType::Group)
        .region({"region",
                 "Region",
                 "Objects are searched inside it.",
                 {Shape::Rectangle, Shape::Circle, Shape::Ring, Shape::Arc, Shape::Polygon, Shape::Window},
                 false})
        .filters()
        .places();
    declareSelection(d);
    return declareObjects(d)
        .output({"grey_mean", "Mean grey", "Mean grey level of each object.", Unit::GreyLevel, true})
        .output({"grey_spread", "Spread of grey", "Standard deviation of the grey levels of each object.",
                 Unit::GreyLevel, true})
        .output({"hue", "Hue",
                 "Hue angle of each object's mean colour in CIELAB, 0 to 360 (red about 40, green 136, blue 306); "
                 "colour pictures only.",
                 Unit::Degree, true})
        .output({"chroma", "Chroma",
                 "How far each object's mean colour is from grey in CIELAB; a hue below about 5 says little.",
                 Unit::None, true})
        .output({"threshold", "Threshold",
                 "The grey level at which objects begin; nothing when the region has one grey level.", Unit::GreyLevel})
        .madeByArea()
        .shows(evidence)
        .tells(tell)
        .offers(offer)
        .runs(run);
}

} // namespace steps

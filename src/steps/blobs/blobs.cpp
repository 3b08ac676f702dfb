#include "steps/blobs/blobs.h"

#include "geometry/matching.h"
#include "steps/glue.h"
#include "vision/blobs.h"
#include "vision/colour.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
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
    vision::BlobOptions o;
    o.low = taken.low, o.high = taken.high;
    o.fillHoles = p.fillHoles, o.countHoles = true;
    o.leastArea = p.leastArea * grows * grows;
    o.border = !p.dropBorder                    ? vision::BorderRule::Keep
               : p.borderOf == BorderOf::Region ? vision::BorderRule::DropAtRegion
                                                : vision::BorderRule::DropAtPicture;
    o.fourConnected = p.connectivity == Connectivity::Four;
    o.split = p.split;
    return o;
}

enum Column {
    Areas,
    X,
    Y,
    AlongX,
    AlongY,
    BoxLeft,
    BoxTop,
    BoxWidth,
    BoxHeight,
    Length,
    Width,
    Perimeter,
    Major,
    Minor,
    Angle,
    Circularity,
    Elongation,
    Convexity,
    Holes,
    GreyMean,
    GreySpread,
    AtBorder,
    NetArea,
    FullArea,
    EqualDiameter,
    FeretMost,
    FeretLeast,
    MomentAngle,
    Hue,
    Chroma,
    kColumns
};
constexpr std::array<const char*, kColumns> kKeys{
    "areas",          "x",          "y",           "along_x",      "along_y",    "box_left",
    "box_top",        "box_width",  "box_height",  "length",       "width",      "perimeter",
    "major",          "minor",      "angle",       "circularity",  "elongation", "convexity",
    "holes",          "grey_mean",  "grey_spread", "at_border",    "net_area",   "full_area",
    "equal_diameter", "feret_most", "feret_least", "moment_angle", "hue",        "chroma"};
// Turned away ones that are kept in the table; the rest is counted.
constexpr std::size_t kMostTurnedAway = 2000;

struct Object {
    int index = 0;      // in the blob list
    vision::Blob level; // area, centroid and axes in level px
    vision::BlobShape shape;
    bool described = false;
    double rank = 0;
    ObjectTable::Row row;
    double value(Column c) const { return row.values[std::size_t(c)]; }
};

// Row numbers by height: an object within half the median box height of a row's middle belongs to it.
void rankByRows(std::vector<Object>& all, Column down, Column across, const std::vector<double>& sizes)
{
    if (all.empty()) return;
    std::vector<double> s = sizes;
    std::nth_element(s.begin(), s.begin() + std::ptrdiff_t(s.size() / 2), s.end());
    const double reach = std::max(1.0, s[s.size() / 2] / 2);
    std::stable_sort(all.begin(), all.end(),
                     [&](const Object& a, const Object& b) { return a.value(down) < b.value(down); });
    double middle = all.front().value(down), n = 0;
    int row = 0;
    for (Object& o : all) {
        const double y = o.value(down);
        if (y - middle > reach) ++row, middle = y, n = 0;
        middle = (middle * n + y) / (n + 1), ++n;
        o.rank = row;
    }
    std::stable_sort(all.begin(), all.end(), [&](const Object& a, const Object& b) {
        return a.rank != b.rank ? a.rank < b.rank : a.value(across) < b.value(across);
    });
}

void sortObjects(const P& p, const RunInput& in, const Region& region, std::vector<Object>& all)
{
    std::vector<double> heights, widths;
    for (const Object& o : all) heights.push_back(o.value(BoxHeight)), widths.push_back(o.value(BoxWidth));
    if (p.order == BlobOrder::Rows) return rankByRows(all, AlongY, AlongX, heights);
    if (p.order == BlobOrder::Columns) return rankByRows(all, AlongX, AlongY, widths);
    const Point middle =
        in.level(region.shape == Shape::Whole ? Point{in.grey().width / 2.0, in.grey().height / 2.0} : region.middle());
    for (Object& o : all) {
        switch (p.order) {
        case BlobOrder::DatumX: o.rank = o.value(AlongX); break;
        case BlobOrder::DatumY: o.rank = o.value(AlongY); break;
        case BlobOrder::Largest: o.rank = -o.level.area; break;
        case BlobOrder::Smallest: o.rank = o.level.area; break;
        default: { // counter-clockwise from the datum's x direction
            double a = std::fmod(geometry::angleOf(o.level.centroid - middle) - in.frame.angle, 2 * geometry::kPi);
            o.rank = a < -1e-9 ? a + 2 * geometry::kPi : a;
        }
        }
    }
    std::stable_sort(all.begin(), all.end(), [](const Object& a, const Object& b) { return a.rank < b.rank; });
}

// Objects of a picture, each with its values and its fate by size, border and filters.
class Finding
{
public:
    Finding(const P& p, const RunInput& in, vision::BlobList list)
        : m_p(p), m_in(in), m_list(std::move(list)), m_runs(m_list),
          m_coloured(image::channels(in.seen().pixels.format()) == 3)
    {
    }
    const vision::BlobList& list() const { return m_list; }
    int columns() const { return m_coloured ? kColumns : Hue; }
    Object measured(int index) const;
    void describe(Object& o) const; // shape and grey levels: what takes longer
    void judge(Object& o) const;    // its fate

private:
    void turnAway(Object& o, Fate fate, std::string by, double value, std::optional<double> low,
                  std::optional<double> high) const
    {
        o.row.fate = fate, o.row.by = std::move(by), o.row.value = value, o.row.low = low, o.row.high = high;
    }
    const P& m_p;
    const RunInput& m_in;
    vision::BlobList m_list;
    vision::BlobRuns m_runs;
    bool m_coloured;
};

Object Finding::measured(int index) const
{
    Object o;
    o.index = index;
    const vision::Blob& blob = m_list.blobs[std::size_t(index)];
    o.level = blob;
    if (m_in.bends())
        o.shape = m_runs.describe(
            index, [&](Point q) { return m_in.level(q); }, o.level);
    const vision::Blob& b = o.level;
    const Point local = m_in.frame.toLocal(b.centroid);
    auto& v = o.row.values;
    v.assign(std::size_t(columns()), std::numeric_limits<double>::quiet_NaN());
    v[Areas] = b.area, v[X] = blob.centroid.x, v[Y] = blob.centroid.y, v[AlongX] = local.x, v[AlongY] = local.y;
    // The box runs along the borders of its pixels.
    v[BoxLeft] = b.left - 0.5, v[BoxTop] = b.top - 0.5, v[BoxWidth] = b.right - b.left + 1,
    v[BoxHeight] = b.bottom - b.top + 1;
    v[Major] = b.major, v[Minor] = b.minor, v[Holes] = b.holes, v[AtBorder] = b.touchesBorder ? 1 : 0;
    const double hole = b.holeArea * (blob.area > 0 ? b.area / blob.area : 1);
    v[NetArea] = m_p.fillHoles ? b.area - hole : b.area, v[FullArea] = m_p.fillHoles ? b.area : b.area + hole;
    v[EqualDiameter] = std::sqrt(4 * b.area / geometry::kPi);
    v[MomentAngle] = geometry::degrees(geometry::wrapped(2 * (b.angle - m_in.frame.angle)) / 2);
    o.row.at = b.centroid;
    o.row.radius = std::max(3.0, b.major / 2), o.row.across = std::max(3.0, b.minor / 2), o.row.angle = b.angle;
    return o;
}

void Finding::describe(Object& o) const
{
    if (o.described) return;
    o.described = true;
    if (!m_in.bends()) o.shape = m_runs.describe(o.index);
    const auto [mean, spread] = m_runs.grey(m_in.grey(), o.index);
    auto& v = o.row.values;
    v[Length] = o.shape.box.length, v[Width] = o.shape.box.width, v[Perimeter] = o.shape.perimeter;
    v[Angle] = geometry::degrees(geometry::wrapped(2 * (o.shape.box.angle - m_in.frame.angle)) / 2);
    v[Circularity] = o.shape.circularity, v[Elongation] = o.shape.elongation, v[Convexity] = o.shape.convexity;
    v[GreyMean] = mean, v[GreySpread] = spread;
    v[FeretMost] = o.shape.feretMost, v[FeretLeast] = o.shape.feretLeast;
    if (m_coloured) std::tie(v[Hue], v[Chroma]) = vision::hueOf(m_runs.colour(m_in.seen().pixels, o.index));
}

// In the order they are asked: size, border, greatest size, filters. The first that is not kept to turns it away.
void Finding::judge(Object& o) const
{
    const vision::Blob& blob = m_list.blobs[std::size_t(o.index)];
    const double square = m_in.grows() * m_in.grows(), least = m_p.leastArea * square, most = m_p.mostArea * square;
    if (blob.area < least) return turnAway(o, Fate::Bounded, "least_area", blob.area, least, {});
    if (m_p.dropBorder && (m_p.borderOf == BorderOf::Region ? blob.touchesBorder : blob.touchesPicture))
        return turnAway(o, Fate::AtBorder, "drop_border", 1, {}, {});
    if (blob.area > most) return turnAway(o, Fate::Bounded, "most_area", blob.area, {}, most);
    if (m_in.filters.empty()) return;
    describe(o);
    for (const Filter& f : m_in.filters) {
        const auto at = std::find(kKeys.begin(), kKeys.end(), f.output) - kKeys.begin();
        const double x = at < columns() ? o.row.values[std::size_t(at)] : std::numeric_limits<double>::quiet_NaN();
        if ((!f.low || x >= *f.low) && (!f.high || x <= *f.high)) continue;
        return turnAway(o, Fate::Filtered, f.output, x, f.low, f.high);
    }
}

struct Counted {
    int tooSmall = 0, tooLarge = 0, atBorder = 0, filtered = 0;
    // What was taken away, in words.
    std::string text() const
    {
        std::string out;
        for (const auto& [n, words] : {std::pair{atBorder, "at the border"},
                                       {tooSmall, "too small"},
                                       {tooLarge, "too large"},
                                       {filtered, "by filters"}})
            if (n > 0) out += (out.empty() ? "" : ", ") + std::to_string(n) + " " + words;
        return out;
    }
};

ObjectTable tableOf(const Finding& finding, std::vector<Object>& kept, std::vector<Object>& away)
{
    ObjectTable table;
    for (int c = 0; c < finding.columns(); ++c) table.columns.push_back({kKeys[std::size_t(c)], {}, {}});
    // The largest of those that were turned away are the ones a person asks about.
    std::stable_sort(away.begin(), away.end(),
                     [](const Object& a, const Object& b) { return a.level.area > b.level.area; });
    if (away.size() > kMostTurnedAway) table.more = int(away.size() - kMostTurnedAway), away.resize(kMostTurnedAway);
    for (auto* list : {&kept, &away})
        for (Object& o : *list) table.rows.push_back(std::move(o.row));
    return table;
}

// Places: each takes the nearest object that no other place is nearer to.
void judgePlaces(const P& p, const RunInput& in, const std::vector<Object>& all, RunOutput& out)
{
    std::vector<Point> wanted, found;
    for (const Place& place : in.places) wanted.push_back(place.at);
    for (const Object& o : all) found.push_back(o.level.centroid);
    std::vector<double> present;
    for (const int object : geometry::nearestPairs(wanted, found, p.placeReach * in.grows()))
        present.push_back(object >= 0 ? 1 : 0);
    double missing = 0;
    std::string names;
    for (std::size_t k = 0; k < present.size(); ++k)
        if (present[k] == 0) {
            ++missing;
            names += (names.empty() ? "missing: " : ", ") + in.places[k].name;
            out.marks.push_back({MarkShape::Circle,
                                 MarkRole::Stray,
                                 {in.places[k].at},
                                 std::max(4.0, p.placeReach / 2),
                                 in.places[k].name});
        }
    out.values["present"] = present;
    out.values["missing"] = {missing};
    out.values["surplus"] = {double(all.size()) - double(present.size()) + missing};
    if (!names.empty()) out.note = out.note.empty() ? names : out.note + "; " + names;
}

// The group others read and the outlines on the sheet.
void showListed(std::vector<Object>& all, std::size_t listed, RunOutput& out)
{
    Group group;
    group.unlisted = out.unlisted;
    for (std::size_t i = 0; i < listed; ++i) {
        Object& o = all[i];
        const int number = int(i) + 1;
        group.members.push_back({o.level.centroid, o.level.angle, o.shape.box.length, o.shape.box.width});
        const auto box = Region::rectangle(o.shape.box.centre, std::max(1.0, o.shape.box.length),
                                           std::max(1.0, o.shape.box.width), o.shape.box.angle)
                             .outlines();
        group.extent.insert(group.extent.end(), box.front().begin(), box.front().end());
        bool first = true;
        if (number > 500) continue; // marks of more objects than that help nobody
        for (auto& loop : o.shape.outlines) {
            out.marks.push_back({MarkShape::Polygon, MarkRole::Found, std::move(loop), 0,
                                 first ? std::to_string(number) : std::string(), number});
            first = false;
        }
    }
    if (!group.members.empty()) out.features["group"] = std::move(group);
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

base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    const auto where = selectionSpans(in);
    if (where.empty()) return base::fail(base::ErrorCode::NoResult, "the region lies outside the picture");
    const auto taken = select(p, in, where);
    if (!taken) return base::passOn(taken.error());
    if (const auto fit = filtersFit(in); !fit) return base::passOn(fit.error());
    RunOutput out;
    if (taken->threshold) out.values["threshold"] = {*taken->threshold};
    vision::BlobList list;
    if (!taken->nothing) list = vision::findBlobs(taken->view, where, options(p, *taken, in.grows()));
    const Finding finding(p, in, std::move(list));
    Counted left{finding.list().tooSmall, 0, finding.list().atBorder, 0};
    std::vector<Object> all, away;
    for (std::size_t i = 0; i < finding.list().blobs.size(); ++i) {
        Object o = finding.measured(int(i));
        finding.judge(o);
        if (o.row.fate == Fate::Kept) {
            all.push_back(std::move(o));
            continue;
        }
        ++(o.row.fate == Fate::Filtered ? left.filtered : left.tooLarge);
        away.push_back(std::move(o));
    }
    sortObjects(p, in, in.region("region"), all);
    out.values["count"] = {double(all.size())};
    double total = 0;
    for (const Object& o : all) total += o.level.area;
    out.values["total_area"] = {total};
    const std::size_t listed = std::min(all.size(), std::size_t(p.mostObjects));
    out.unlisted = all.size() - listed;
    if (out.unlisted > 0)
        out.note = "the list is cut off: " + std::to_string(listed) + " of " + std::to_string(all.size()) +
                   " objects are listed, all are counted";
    // What was taken away is counted and said.
    out.values["left_at_border"] = {double(left.atBorder)};
    out.values["left_by_size"] = {double(left.tooSmall + left.tooLarge)};
    out.values["left_by_filters"] = {double(left.filtered)};
    if (const std::string text = left.text(); !text.empty())
        out.note += (out.note.empty() ? "" : "; ") + ("left out: " + text);
    for (std::size_t i = 0; i < all.size(); ++i) {
        if (i >= listed) {
            all[i].row.fate = Fate::Unlisted;
            continue;
        }
        finding.describe(all[i]);
        all[i].row.number = int(i) + 1;
    }
    showListed(all, listed, out);
    if (!in.places.empty()) judgePlaces(p, in, all, out);
    out.objects = tableOf(finding, all, away);
    return out;
}

// Every area that was taken, with what turned it away: also those that size and border left out.
base::Result<ObjectTable> tell(const P& p, const RunInput& in)
{
    const auto where = selectionSpans(in);
    if (where.empty()) return base::fail(base::ErrorCode::NoResult, "the region lies outside the picture");
    const auto taken = select(p, in, where);
    if (!taken) return base::passOn(taken.error());
    if (const auto fit = filtersFit(in); !fit) return base::passOn(fit.error());
    vision::BlobOptions o = options(p, *taken, in.grows());
    o.border = vision::BorderRule::Keep;
    o.partedFrom = o.leastArea, o.leastArea = 1;
    vision::BlobList list;
    if (!taken->nothing) list = vision::findBlobs(taken->view, where, o);
    const Finding finding(p, in, std::move(list));
    std::vector<Object> all, away;
    for (std::size_t i = 0; i < finding.list().blobs.size(); ++i) {
        Object one = finding.measured(int(i));
        finding.judge(one);
        (one.row.fate == Fate::Kept ? all : away).push_back(std::move(one));
    }
    sortObjects(p, in, in.region("region"), all);
    for (std::size_t i = 0; i < all.size(); ++i) {
        const bool listed = i < std::size_t(p.mostObjects);
        all[i].row.fate = listed ? Fate::Kept : Fate::Unlisted;
        all[i].row.number = listed ? int(i) + 1 : 0;
        finding.describe(all[i]);
    }
    std::stable_sort(away.begin(), away.end(),
                     [](const Object& a, const Object& b) { return a.level.area > b.level.area; });
    for (std::size_t i = 0; i < std::min(away.size(), kMostTurnedAway); ++i) finding.describe(away[i]);
    return tableOf(finding, all, away);
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
    const image::GreyView picture = in.capture.first().grey();
    const int px = int(std::lround(at.x)), py = int(std::lround(at.y));
    if (px < 0 || py < 0 || px >= picture.width || py >= picture.height) return {};
    const auto whole = geometry::spans(Region::whole(), picture.width, picture.height);
    const RunInput here{in.capture, {}, {}, {}, {}, {}, nullptr};
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
    const image::GreyView picture = in.capture.first().grey();
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
        RunInput here{in.capture, {}, {}, {}, {}, {}, nullptr};
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
    return declareSelection(d)
        .param(&P::leastArea,
               {"least_area", "Least size", "Smaller areas are not objects; this filters and does not judge."},
               Unit::SquarePixel, Real{1, 1e9, 10, 1, 20000}, true)
        .param(&P::mostArea,
               {"most_area", "Greatest size", "Larger areas are not objects; this filters and does not judge."},
               Unit::SquarePixel, Real{1, 1e9, 10})
        .param(&P::fillHoles, {"fill_holes", "Fill holes", "Background enclosed by an object belongs to it."})
        .param(&P::dropBorder,
               {"drop_border", "Drop what touches the border", "Areas cut by the border are not objects."})
        .param(&P::borderOf,
               {"border_of", "Border of",
                "Which border cuts: that of the region (and so of the picture), or only that of the picture."},
               {{"region", "The region"}, {"picture", "The picture"}})
        .param(&P::connectivity,
               {"connectivity", "Connected by",
                "Eight: pixels that meet at a corner belong together; four: only those that share a side."},
               {{"eight", "Side or corner"}, {"four", "Side only"}})
        .param(&P::split,
               {"split", "Part touching ones",
                "Parts where the neck is narrower than the smaller object by this share; 0 never parts, smaller values "
                "part more."},
               Unit::None, Real{0, 0.95, 0.05, 0, 0.6})
        .param(&P::order, {"order", "Order", "How the objects are numbered."},
               {{"datum_x", "Along datum x"},
                {"datum_y", "Along datum y"},
                {"rows", "Row by row"},
                {"columns", "Column by column"},
                {"largest", "Largest first"},
                {"smallest", "Smallest first"},
                {"round", "Round the region's middle"}})
        .param(&P::mostObjects,
               {"most_objects", "Longest list",
                "At most so many objects are listed; more are only counted, and that is said."},
               Unit::None, Whole{1, 100000})
        .param(&P::placeReach,
               {"place_reach", "Reach of a place", "With named places: how far from its place an object may lie."},
               Unit::Pixel, Real{1, 10000, 1, 5, 200})
        .ordered("least_area", "most_area")
        .output({"count", "Count", "Number of objects.", Unit::None, false, true, true})
        .output({"total_area", "Size of all", "Area of all objects together.", Unit::SquarePixel})
        .output({"areas", "Size of each", "Area of each object, in order.", Unit::SquarePixel, true})
        .output(
            {"x", "Centroid x", "Place of each object's centroid in the picture, in order.", Unit::Pixel, true, false})
        .output(
            {"y", "Centroid y", "Place of each object's centroid in the picture, in order.", Unit::Pixel, true, false})
        .output({"along_x", "Along datum x", "Place of each object's centroid along the datum's x direction.",
                 Unit::Pixel, true})
        .output({"along_y", "Along datum y", "Place of each object's centroid along the datum's y direction.",
                 Unit::Pixel, true})
        .output({"box_left", "Box left", "Left border of each object's upright box in the picture.", Unit::Pixel, true,
                 false})
        .output({"box_top", "Box top", "Upper border of each object's upright box in the picture.", Unit::Pixel, true,
                 false})
        .output({"box_width", "Box width", "Width of each object's upright box.", Unit::Pixel, true})
        .output({"box_height", "Box height", "Height of each object's upright box.", Unit::Pixel, true})
        .output({"length", "Length", "Longer side of each object's smallest turned box.", Unit::Pixel, true})
        .output({"width", "Width", "Shorter side of each object's smallest turned box.", Unit::Pixel, true})
        .output({"perimeter", "Perimeter",
                 "Length of each object's outer outline; estimator as stated in vision/blobs.h.", Unit::Pixel, true})
        .output({"major", "Longer axis", "Longer axis of the ellipse with the same second moments.", Unit::Pixel, true})
        .output(
            {"minor", "Shorter axis", "Shorter axis of the ellipse with the same second moments.", Unit::Pixel, true})
        .output({"angle", "Angle", "Direction of each object's longer side against the datum's x direction, -90 to 90.",
                 Unit::Degree, true})
        .output({"circularity", "Circularity",
                 "4π area by perimeter squared of each object: 1 for a disc, less for all else.", Unit::None, true})
        .output({"elongation", "Elongation", "Longer by shorter axis of each object: 1 for a disc or a square.",
                 Unit::None, true})
        .output({"convexity", "Convexity", "Area of each object by the area of its convex hull: 1 without dents.",
                 Unit::None, true})
        .output({"holes", "Holes", "Number of holes in each object, filled or not.", Unit::None, true})
        .output({"grey_mean", "Mean grey", "Mean grey level of each object.", Unit::GreyLevel, true})
        .output({"grey_spread", "Spread of grey", "Standard deviation of the grey levels of each object.",
                 Unit::GreyLevel, true})
        .output({"at_border", "Touches the border", "1 for objects that touch the region's border.", Unit::None, true})
        .output({"net_area", "Net size", "Area of each object without its holes, whether they are filled or not.",
                 Unit::SquarePixel, true})
        .output({"full_area", "Size with holes", "Area of each object with its holes, whether they are filled or not.",
                 Unit::SquarePixel, true})
        .output({"equal_diameter", "Equal-area diameter", "Diameter of the disc with each object's area.", Unit::Pixel,
                 true})
        .output({"feret_most", "Largest Feret diameter",
                 "Largest distance of two parallel lines that touch each object on both sides.", Unit::Pixel, true})
        .output({"feret_least", "Smallest Feret diameter",
                 "Smallest distance of two parallel lines that touch each object on both sides.", Unit::Pixel, true})
        .output(
            {"moment_angle", "Moment angle",
             "Direction of each object's longer axis by its second moments against the datum's x direction, -90 to 90.",
             Unit::Degree, true})
        .output({"hue", "Hue",
                 "Hue angle of each object's mean colour in CIELAB, 0 to 360 (red about 40, green 136, blue 306); "
                 "colour pictures only.",
                 Unit::Degree, true})
        .output({"chroma", "Chroma",
                 "How far each object's mean colour is from grey in CIELAB; a hue below about 5 says little.",
                 Unit::None, true})
        .output({"left_at_border", "Left out at the border",
                 "Number of areas that touch the border and are no objects therefore.", Unit::None})
        .output({"left_by_size", "Left out by size", "Number of areas below the least or above the greatest size.",
                 Unit::None})
        .output({"left_by_filters", "Left out by filters", "Number of objects the filters took away.", Unit::None})
        .output({"present", "Present at each place", "1 for every named place with an object, 0 where it is missing.",
                 Unit::None, true})
        .output({"missing", "Missing", "Number of named places without an object.", Unit::None})
        .output({"surplus", "Surplus", "Number of objects at no named place.", Unit::None})
        .output({"threshold", "Threshold",
                 "The grey level at which objects begin; nothing when the region has one grey level.", Unit::GreyLevel})
        .filtersNot("present")
        .placesOnly({"x", "y", "along_x", "along_y", "box_left", "box_top"})
        .better({"circularity", "convexity"}, OutputSpec::Better::More, 0.0, 1.0)
        .better({"missing", "surplus", "left_at_border", "left_by_size", "left_by_filters"}, OutputSpec::Better::Less,
                0.0)
        .madeByArea()
        .shows(evidence)
        .tells(tell)
        .offers(offer)
        .runs(run);
}

} // namespace steps

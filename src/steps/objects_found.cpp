#include "steps/objects_found.h"

#include "geometry/matching.h"
#include "geometry/zones.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <numeric>

namespace steps
{
using namespace recipe;
using geometry::Point;
using geometry::Region;
using geometry::Shape;

vision::BlobOptions blobOptions(const ObjectSettings& p, double grows)
{
    vision::BlobOptions o;
    o.fillHoles = p.fillHoles, o.countHoles = true;
    o.leastArea = p.leastArea * grows * grows;
    o.border = !p.dropBorder                    ? vision::BorderRule::Keep
               : p.borderOf == BorderOf::Region ? vision::BorderRule::DropAtRegion
                                                : vision::BorderRule::DropAtPicture;
    o.fourConnected = p.connectivity == Connectivity::Four;
    o.split = p.split;
    return o;
}

namespace
{
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
    AtBorder,
    NetArea,
    FullArea,
    EqualDiameter,
    FeretMost,
    FeretLeast,
    MomentAngle,
    kShared
};
constexpr std::array<const char*, kShared> kKeys{
    "areas",       "x",           "y",     "along_x",   "along_y",  "box_left",  "box_top",        "box_width",
    "box_height",  "length",      "width", "perimeter", "major",    "minor",     "angle",          "circularity",
    "elongation",  "convexity",   "holes", "at_border", "net_area", "full_area", "equal_diameter", "feret_most",
    "feret_least", "moment_angle"};
// Turned away ones that are kept in the table; the rest is counted.
constexpr std::size_t kMostTurnedAway = 2000;
using Object = FoundObject;
double valueOf(const Object& o, Column c) { return o.row.values[std::size_t(c)]; }

// Row numbers by height: an object within half the median box height of a row's middle belongs to it.
void rankByRows(std::vector<Object>& all, Column down, Column across, const std::vector<double>& sizes)
{
    if (all.empty()) return;
    std::vector<double> s = sizes;
    std::nth_element(s.begin(), s.begin() + std::ptrdiff_t(s.size() / 2), s.end());
    const double reach = std::max(1.0, s[s.size() / 2] / 2);
    std::stable_sort(all.begin(), all.end(),
                     [&](const Object& a, const Object& b) { return valueOf(a, down) < valueOf(b, down); });
    double middle = valueOf(all.front(), down), n = 0;
    int row = 0;
    for (Object& o : all) {
        const double y = valueOf(o, down);
        if (y - middle > reach) ++row, middle = y, n = 0;
        middle = (middle * n + y) / (n + 1), ++n;
        o.rank = row;
    }
    std::stable_sort(all.begin(), all.end(), [&](const Object& a, const Object& b) {
        return a.rank != b.rank ? a.rank < b.rank : valueOf(a, across) < valueOf(b, across);
    });
}

void sortObjects(const ObjectSettings& p, const RunInput& in, const Region& region, std::vector<Object>& all)
{
    std::vector<double> heights, widths;
    for (const Object& o : all) heights.push_back(valueOf(o, BoxHeight)), widths.push_back(valueOf(o, BoxWidth));
    if (p.order == BlobOrder::Rows) return rankByRows(all, AlongY, AlongX, heights);
    if (p.order == BlobOrder::Columns) return rankByRows(all, AlongX, AlongY, widths);
    const Point middle =
        in.level(region.shape == Shape::Whole ? Point{in.seen().pixels.width() / 2.0, in.seen().pixels.height() / 2.0}
                                              : region.middle());
    for (Object& o : all) {
        switch (p.order) {
        case BlobOrder::DatumX: o.rank = valueOf(o, AlongX); break;
        case BlobOrder::DatumY: o.rank = valueOf(o, AlongY); break;
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
    Finding(const ObjectSettings& p, const RunInput& in, vision::BlobList list, const OwnValues& own)
        : m_p(p), m_in(in), m_list(std::move(list)), m_runs(m_list), m_own(own)
    {
    }
    const vision::BlobList& list() const { return m_list; }
    std::size_t columns() const { return kShared + m_own.keys.size(); }
    const char* key(std::size_t c) const { return c < kShared ? kKeys[c] : m_own.keys[c - kShared]; }
    Object measured(int index) const;
    void describe(Object& o) const; // shape and the kind's own values: what takes longer
    void judge(Object& o) const;    // its fate

private:
    void turnAway(Object& o, Fate fate, std::string by, double value, std::optional<double> low,
                  std::optional<double> high) const
    {
        o.row.fate = fate, o.row.by = std::move(by), o.row.value = value, o.row.low = low, o.row.high = high;
    }
    const ObjectSettings& m_p;
    const RunInput& m_in;
    vision::BlobList m_list;
    vision::BlobRuns m_runs;
    const OwnValues& m_own;
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
    v.assign(columns(), std::numeric_limits<double>::quiet_NaN());
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
    auto& v = o.row.values;
    v[Length] = o.shape.box.length, v[Width] = o.shape.box.width, v[Perimeter] = o.shape.perimeter;
    v[Angle] = geometry::degrees(geometry::wrapped(2 * (o.shape.box.angle - m_in.frame.angle)) / 2);
    v[Circularity] = o.shape.circularity, v[Elongation] = o.shape.elongation, v[Convexity] = o.shape.convexity;
    v[FeretMost] = o.shape.feretMost, v[FeretLeast] = o.shape.feretLeast;
    m_own.read(m_runs, o.index, v.data() + kShared);
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
        std::size_t at = 0;
        while (at < columns() && f.output != key(at)) ++at;
        const double x = at < columns() ? o.row.values[at] : std::numeric_limits<double>::quiet_NaN();
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

ObjectTable tableOf(const Finding& finding, const std::vector<Object>& kept, std::vector<Object>& away)
{
    ObjectTable table;
    for (std::size_t c = 0; c < finding.columns(); ++c) table.columns.push_back({finding.key(c), {}, {}});
    // The largest of those that were turned away are the ones a person asks about.
    std::stable_sort(away.begin(), away.end(),
                     [](const Object& a, const Object& b) { return a.level.area > b.level.area; });
    if (away.size() > kMostTurnedAway) table.more = int(away.size() - kMostTurnedAway), away.resize(kMostTurnedAway);
    for (const Object& o : kept) table.rows.push_back(o.row);
    for (const Object& o : away) table.rows.push_back(o.row);
    return table;
}

// Places: each takes the nearest object that no other place is nearer to.
void judgePlaces(const ObjectSettings& p, const RunInput& in, const std::vector<Object>& all, RunOutput& out)
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

// Numbers of the blobs in their order, of too many those of the largest.
std::vector<int> largest(const std::vector<vision::Blob>& blobs)
{
    std::vector<int> numbers(blobs.size());
    std::iota(numbers.begin(), numbers.end(), 0);
    if (numbers.size() <= kMostAreas) return numbers;
    std::nth_element(numbers.begin(), numbers.begin() + std::ptrdiff_t(kMostAreas), numbers.end(),
                     [&](int a, int b) { return blobs[std::size_t(a)].area > blobs[std::size_t(b)].area; });
    numbers.resize(kMostAreas);
    std::sort(numbers.begin(), numbers.end());
    return numbers;
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

} // namespace

base::Result<FoundObjects> objectsFound(const ObjectSettings& p, const RunInput& in, vision::BlobList blobs,
                                        const OwnValues& own)
{
    if (blobs.blobs.size() > kMostAreas)
        return base::fail(base::ErrorCode::OutOfRange, "more than " + std::to_string(kMostAreas) + " objects, " +
                                                           std::to_string(blobs.blobs.size()) +
                                                           ": raise the least size, least_area, or smooth the picture");
    FoundObjects found;
    RunOutput& out = found.out;
    const Finding finding(p, in, std::move(blobs), own);
    Counted left{finding.list().tooSmall, 0, finding.list().atBorder, 0};
    std::vector<Object>& all = found.kept;
    std::vector<Object> away;
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
    found.listed = std::min(all.size(), std::size_t(p.mostObjects));
    out.unlisted = all.size() - found.listed;
    if (out.unlisted > 0)
        out.note = "the list is cut off: " + std::to_string(found.listed) + " of " + std::to_string(all.size()) +
                   " objects are listed, all are counted";
    // What was taken away is counted and said.
    out.values["left_at_border"] = {double(left.atBorder)};
    out.values["left_by_size"] = {double(left.tooSmall + left.tooLarge)};
    out.values["left_by_filters"] = {double(left.filtered)};
    if (const std::string text = left.text(); !text.empty())
        out.note += (out.note.empty() ? "" : "; ") + ("left out: " + text);
    for (std::size_t i = 0; i < all.size(); ++i) {
        if (i >= found.listed) {
            all[i].row.fate = Fate::Unlisted;
            continue;
        }
        finding.describe(all[i]);
        all[i].row.number = int(i) + 1;
    }
    showListed(all, found.listed, out);
    if (!in.places.empty()) judgePlaces(p, in, all, out);
    out.objects = tableOf(finding, all, away);
    return found;
}

ObjectTable objectsTold(const ObjectSettings& p, const RunInput& in, vision::BlobList blobs, const OwnValues& own)
{
    const Finding finding(p, in, std::move(blobs), own);
    std::vector<Object> all, away;
    for (const int i : largest(finding.list().blobs)) {
        Object one = finding.measured(i);
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

} // namespace steps

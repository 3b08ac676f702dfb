#include "steps/blobs/blobs.h"

#include "geometry/matching.h"
#include "steps/glue.h"
#include "vision/blobs.h"
#include "vision/colour.h"

#include <algorithm>
#include <cmath>

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

struct Object {
    const vision::Blob* blob = nullptr;
    vision::Blob level; // area, centroid and axes in level px
    vision::BlobShape shape;
    std::map<std::string, double> values; // by output key, px
    double rank = 0;
};

// Row numbers by height: an object within half the median box height of a row's middle belongs to it.
void rankByRows(std::vector<Object>& all, const char* down, const char* across, const std::vector<double>& sizes)
{
    if (all.empty()) return;
    std::vector<double> s = sizes;
    std::nth_element(s.begin(), s.begin() + std::ptrdiff_t(s.size() / 2), s.end());
    const double reach = std::max(1.0, s[s.size() / 2] / 2);
    std::stable_sort(all.begin(), all.end(),
                     [&](const Object& a, const Object& b) { return a.values.at(down) < b.values.at(down); });
    double middle = all.front().values.at(down), n = 0;
    int row = 0;
    for (Object& o : all) {
        const double y = o.values.at(down);
        if (y - middle > reach) ++row, middle = y, n = 0;
        middle = (middle * n + y) / (n + 1), ++n;
        o.rank = row;
    }
    std::stable_sort(all.begin(), all.end(), [&](const Object& a, const Object& b) {
        return a.rank != b.rank ? a.rank < b.rank : a.values.at(across) < b.values.at(across);
    });
}

void sortObjects(const P& p, const RunInput& in, const Region& region, std::vector<Object>& all)
{
    std::vector<double> heights, widths;
    for (const Object& o : all)
        heights.push_back(o.values.at("box_height")), widths.push_back(o.values.at("box_width"));
    if (p.order == BlobOrder::Rows) return rankByRows(all, "along_y", "along_x", heights);
    if (p.order == BlobOrder::Columns) return rankByRows(all, "along_x", "along_y", widths);
    const Point middle =
        in.level(region.shape == Shape::Whole ? Point{in.grey().width / 2.0, in.grey().height / 2.0} : region.middle());
    for (Object& o : all) {
        switch (p.order) {
        case BlobOrder::DatumX: o.rank = o.values.at("along_x"); break;
        case BlobOrder::DatumY: o.rank = o.values.at("along_y"); break;
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

const std::vector<std::string>& listKeys()
{
    static const std::vector<std::string> keys{
        "areas",     "x",           "y",          "along_x",        "along_y",    "box_left",    "box_top",
        "box_width", "box_height",  "length",     "width",          "perimeter",  "major",       "minor",
        "angle",     "circularity", "elongation", "convexity",      "holes",      "grey_mean",   "grey_spread",
        "at_border", "net_area",    "full_area",  "equal_diameter", "feret_most", "feret_least", "moment_angle"};
    return keys;
}

base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    const Region region = in.region("region");
    const auto where = selectionSpans(in);
    if (where.empty()) return base::fail(base::ErrorCode::NoResult, "the region lies outside the picture");
    const auto taken = select(p, in, where);
    if (!taken) return base::passOn(taken.error());
    RunOutput out;
    for (const std::string& key : listKeys()) out.values[key] = {};
    out.values["count"] = {0}, out.values["total_area"] = {0};
    const image::Image& shown = in.seen().pixels;
    const bool coloured = image::channels(shown.format()) == 3;
    if (coloured) out.values["hue"] = {}, out.values["chroma"] = {};
    for (const Filter& f : in.filters)
        if (!coloured && (f.output == "hue" || f.output == "chroma"))
            return base::fail(base::ErrorCode::NoResult,
                              "the filter on " + f.output + " needs a colour picture, this one is grey");
    std::vector<Object> all;
    vision::BlobList list;
    if (taken->threshold) out.values["threshold"] = {*taken->threshold};
    if (!taken->nothing) list = vision::findBlobs(taken->view, where, options(p, *taken, in.grows()));
    const vision::BlobRuns runs(list);
    // Shape is described for what is listed, and before that only when a filter asks for it.
    const auto describe = [&](Object& o) {
        const int index = int(o.blob - list.blobs.data());
        if (!in.bends()) o.shape = runs.describe(index);
        const auto [mean, spread] = runs.grey(in.grey(), index);
        auto& v = o.values;
        v["length"] = o.shape.box.length, v["width"] = o.shape.box.width, v["perimeter"] = o.shape.perimeter;
        v["angle"] = geometry::degrees(geometry::wrapped(2 * (o.shape.box.angle - in.frame.angle)) / 2);
        v["circularity"] = o.shape.circularity, v["elongation"] = o.shape.elongation,
        v["convexity"] = o.shape.convexity;
        v["grey_mean"] = mean, v["grey_spread"] = spread;
        v["feret_most"] = o.shape.feretMost, v["feret_least"] = o.shape.feretLeast;
        if (!coloured) return;
        const auto rgb = runs.colour(shown, index);
        const auto [hue, chroma] = vision::hueOf(rgb);
        v["hue"] = hue, v["chroma"] = chroma;
    };
    const bool filtersByShape = !in.filters.empty();
    int tooLarge = 0, filtered = 0;
    const double mostArea = p.mostArea * in.grows() * in.grows();
    for (std::size_t i = 0; i < list.blobs.size(); ++i) {
        if (list.blobs[i].area > mostArea) {
            ++tooLarge;
            continue;
        }
        Object o;
        o.blob = &list.blobs[i];
        o.level = *o.blob;
        if (in.bends())
            o.shape = runs.describe(
                int(i), [&](Point q) { return in.level(q); }, o.level);
        const vision::Blob& b = o.level;
        const Point local = in.frame.toLocal(b.centroid);
        auto& v = o.values;
        v["areas"] = b.area, v["x"] = o.blob->centroid.x, v["y"] = o.blob->centroid.y, v["along_x"] = local.x,
        v["along_y"] = local.y;
        // The box runs along the borders of its pixels.
        v["box_left"] = b.left - 0.5, v["box_top"] = b.top - 0.5, v["box_width"] = b.right - b.left + 1,
        v["box_height"] = b.bottom - b.top + 1;
        v["major"] = b.major, v["minor"] = b.minor, v["holes"] = b.holes, v["at_border"] = b.touchesBorder ? 1 : 0;
        const double hole = b.holeArea * (o.blob->area > 0 ? b.area / o.blob->area : 1);
        v["net_area"] = p.fillHoles ? b.area - hole : b.area, v["full_area"] = p.fillHoles ? b.area : b.area + hole;
        v["equal_diameter"] = std::sqrt(4 * b.area / geometry::kPi);
        v["moment_angle"] = geometry::degrees(geometry::wrapped(2 * (b.angle - in.frame.angle)) / 2);
        if (filtersByShape) describe(o);
        const bool kept = std::all_of(in.filters.begin(), in.filters.end(), [&](const Filter& f) {
            const auto it = v.find(f.output);
            return it != v.end() && ((!f.low || it->second >= *f.low) && (!f.high || it->second <= *f.high));
        });
        if (kept) all.push_back(std::move(o));
        else ++filtered;
    }
    sortObjects(p, in, region, all);
    out.values["count"] = {double(all.size())};
    for (const Object& o : all) out.values["total_area"][0] += o.level.area;
    const std::size_t listed = std::min(all.size(), std::size_t(p.mostObjects));
    out.unlisted = all.size() - listed;
    if (out.unlisted > 0)
        out.note = "the list is cut off: " + std::to_string(listed) + " of " + std::to_string(all.size()) +
                   " objects are listed, all are counted";
    // What was taken away is counted and said.
    const int offSize = list.tooSmall + tooLarge;
    out.values["left_at_border"] = {double(list.atBorder)}, out.values["left_by_size"] = {double(offSize)};
    out.values["left_by_filters"] = {double(filtered)};
    std::string left;
    for (const auto& [n, words] : {std::pair{list.atBorder, "at the border"},
                                   {list.tooSmall, "too small"},
                                   {tooLarge, "too large"},
                                   {filtered, "by filters"}})
        if (n > 0) left += (left.empty() ? "" : ", ") + std::to_string(n) + " " + words;
    if (!left.empty()) out.note += (out.note.empty() ? "" : "; ") + ("left out: " + left);
    Group group;
    group.unlisted = out.unlisted;
    int number = 0;
    for (std::size_t i = 0; i < listed; ++i) {
        Object& o = all[i];
        if (!filtersByShape) describe(o);
        for (const std::string& key : listKeys()) out.values[key].push_back(o.values.at(key));
        for (const char* key : {"hue", "chroma"})
            if (coloured) out.values[key].push_back(o.values.at(key));
        group.members.push_back({o.level.centroid, o.level.angle, o.shape.box.length, o.shape.box.width});
        const auto box = Region::rectangle(o.shape.box.centre, std::max(1.0, o.shape.box.length),
                                           std::max(1.0, o.shape.box.width), o.shape.box.angle)
                             .outlines();
        group.extent.insert(group.extent.end(), box.front().begin(), box.front().end());
        ++number;
        bool first = true;
        if (number > 500) continue; // marks of more objects than that help nobody
        for (auto& loop : o.shape.outlines) {
            out.marks.push_back({MarkShape::Polygon, MarkRole::Found, std::move(loop), 0,
                                 first ? std::to_string(number) : std::string(), number});
            first = false;
        }
    }
    // Places: each takes the nearest object that no other place is nearer to.
    if (!in.places.empty()) {
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
    if (!group.members.empty()) out.features["group"] = std::move(group);
    return out;
}

base::Result<Evidence> evidence(const P& p, const RunInput& in) { return selectionEvidence(p, in, selectionSpans(in)); }

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
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
        .better({"circularity", "convexity"}, OutputSpec::Better::More, 0.0, 1.0)
        .better({"missing", "surplus", "left_at_border", "left_by_size", "left_by_filters"}, OutputSpec::Better::Less,
                0.0)
        .madeByArea()
        .shows(evidence)
        .offers(offer)
        .runs(run);
}

} // namespace steps

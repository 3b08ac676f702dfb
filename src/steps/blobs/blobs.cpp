#include "steps/blobs/blobs.h"

#include "steps/glue.h"
#include "vision/blobs.h"
#include "vision/threshold.h"

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
struct Range {
    double low, high;
};
// With the automatic threshold the two limits are worked out in this picture and region; else they are as set.
base::Result<Range> range(const P& p, const image::GreyView& picture, const Region& region)
{
    if (p.mode == ThresholdMode::Fixed) return Range{p.low, p.high};
    const auto t = vision::automaticThreshold(vision::histogram(picture, geometry::spans(region, picture.width, picture.height)));
    if (!t) return base::passOn(t.error());
    if (p.objects == Objects::Bright) return Range{std::ceil(*t), 255.0};
    // Levels below the bright side's lowest one; a 16-bit level of 99.6 belongs to bin 99, thus to the dark side of 100.
    return Range{0.0, std::ceil(*t) - (picture.wide ? 1.0 / 257.0 : 1.0)};
}

vision::BlobOptions options(const P& p, const Range& r)
{
    vision::BlobOptions o;
    o.low = r.low, o.high = r.high;
    o.fillHoles = p.fillHoles, o.dropBorder = p.dropBorder, o.leastArea = p.leastArea;
    return o;
}

base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    const Region region = in.region("region");
    if (geometry::spans(region, in.grey().width, in.grey().height).empty())
        return base::fail(base::ErrorCode::NoResult, "the region lies outside the picture");
    const auto r = range(p, in.grey(), region);
    RunOutput out;
    for (const char* list : {"areas", "x", "y", "box_left", "box_top", "box_width", "box_height"}) out.values[list] = {};
    out.values["count"] = {0};
    if (!r) {
        return out; // one grey level everywhere: there is no object, and that is an answer
    }
    out.values["threshold"] = {p.objects == Objects::Bright || p.mode == ThresholdMode::Fixed ? r->low : r->high};
    const vision::BlobList list = vision::findBlobs(in.grey(), region, options(p, *r));
    std::vector<std::size_t> order;
    for (std::size_t i = 0; i < list.blobs.size(); ++i)
        if (list.blobs[i].area <= p.mostArea) order.push_back(i);
    const auto rank = [&](std::size_t i) {
        const Point local = in.frame.toLocal(list.blobs[i].centroid);
        return p.order == BlobOrder::DatumX ? local.x : p.order == BlobOrder::DatumY ? local.y : -list.blobs[i].area;
    };
    std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) { return rank(a) < rank(b); });
    auto& areas = out.values["areas"];
    int number = 0;
    for (const std::size_t i : order) {
        const vision::Blob& b = list.blobs[i];
        areas.push_back(b.area);
        out.values["x"].push_back(b.centroid.x), out.values["y"].push_back(b.centroid.y);
        // The box runs along the borders of its pixels.
        out.values["box_left"].push_back(b.left - 0.5), out.values["box_top"].push_back(b.top - 0.5);
        out.values["box_width"].push_back(b.right - b.left + 1), out.values["box_height"].push_back(b.bottom - b.top + 1);
        ++number;
        bool first = true;
        if (number > 500) continue; // marks of more objects than that help nobody
        for (auto& loop : vision::outlines(list, int(i))) {
            out.marks.push_back({MarkShape::Polygon, MarkRole::Found, std::move(loop), 0, first ? std::to_string(number) : std::string(), number});
            first = false;
        }
    }
    out.values["count"] = {double(order.size())};
    return out;
}

base::Result<Evidence> evidence(const P& p, const RunInput& in)
{
    const Region region = in.region("region");
    const auto where = geometry::spans(region, in.grey().width, in.grey().height);
    const vision::Histogram h = vision::histogram(in.grey(), where);
    if (h.total == 0) return base::fail(base::ErrorCode::NoResult, "the region lies outside the picture");
    Evidence e;
    e.title = "histogram of the region";
    e.xLabel = "grey", e.yLabel = "pixels";
    e.logarithmic = true;
    Evidence::Curve c{"pixels", {}, {}, true, false};
    for (std::size_t i = 0; i < 256; ++i) c.x.push_back(double(i)), c.y.push_back(double(h.count[i]));
    e.curves = {c};
    if (const auto r = range(p, in.grey(), region)) {
        e.takes = true, e.low = r->low, e.high = r->high;
        // Dragging a limit fixes it.
        e.handles.push_back({"low", "low", true, r->low, {{"mode", std::string("fixed")}, {"high", r->high}}});
        e.handles.push_back({"high", "high", true, r->high, {{"mode", std::string("fixed")}, {"low", r->low}}});
        e.note = p.mode == ThresholdMode::Automatic ? "automatic threshold, worked out for each picture; drag a limit to fix it" : "fixed limits";
    }
    return e;
}

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    if (g.type != Gesture::Type::Area) return {};
    const image::GreyView picture = in.capture.grey.grey();
    const Point d = g.to - g.from;
    if (std::abs(d.x) < 8 || std::abs(d.y) < 8) return {};
    // The area is level with the datum, so that it stays so when the part turns.
    Region region = Region::rectangle((g.from + g.to) * 0.5, std::abs(d.x), std::abs(d.y), 0);
    if (in.hasDatum) {
        const Point u = geometry::direction(in.datumAngle), v = geometry::leftOf(u);
        region = Region::rectangle(region.centre, std::abs(geometry::dot(u, d)), std::abs(geometry::dot(v, d)), in.datumAngle);
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
        const auto r = range(p, picture, region);
        if (!r) return {};
        Side s{side, {}};
        for (const auto& b : vision::findBlobs(picture, region, options(p, *r)).blobs) s.areas.push_back(b.area);
        if (!s.areas.empty()) sides.push_back(std::move(s));
    }
    if (sides.empty()) return {};
    // The side whose objects lie free of the border and cover more.
    const auto total = [](const Side& s) {
        double sum = 0;
        for (const double a : s.areas) sum += a;
        return sum;
    };
    const Side& best = *std::max_element(sides.begin(), sides.end(), [&](const Side& a, const Side& b) { return total(a) < total(b); });
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
    return Declare<P>({"blobs", "Blobs", "Finds connected areas in a grey range, filters, orders and counts them."}, Question::HowMany, 1,
                      "threshold: Otsu 1979; runs and union-find: Rosenfeld and Pfaltz 1966")
        .purpose("count objects holes slots missing present spot area threshold")
        .region({"region", "Region", "Objects are searched inside it.", {Shape::Rectangle, Shape::Circle, Shape::Ring, Shape::Window}, false})
        .param(&P::mode, {"mode", "Threshold", "Automatic works the limits out for each picture; fixed uses the two limits below."},
               {{"automatic", "Automatic"}, {"fixed", "Fixed"}}, true)
        .param(&P::objects, {"objects", "Objects are", "With the automatic threshold: which side of it the objects are on."},
               {{"bright", "Bright"}, {"dark", "Dark"}}, true)
        .param(&P::low, {"low", "Lowest grey", "With fixed limits: darker pixels do not belong to an object."}, Unit::GreyLevel, Real{0, 255, 1},
               true)
        .param(&P::high, {"high", "Highest grey", "With fixed limits: brighter pixels do not belong to an object."}, Unit::GreyLevel, Real{0, 255, 1},
               true)
        .param(&P::leastArea, {"least_area", "Least size", "Smaller areas are not objects; this filters and does not judge."}, Unit::SquarePixel,
               Real{1, 1e9, 10, 1, 20000}, true)
        .param(&P::mostArea, {"most_area", "Greatest size", "Larger areas are not objects; this filters and does not judge."}, Unit::SquarePixel,
               Real{1, 1e9, 10})
        .param(&P::fillHoles, {"fill_holes", "Fill holes", "Background enclosed by an object belongs to it."})
        .param(&P::dropBorder, {"drop_border", "Drop what touches the border", "Areas cut by the region or by the picture are not objects."})
        .param(&P::order, {"order", "Order", "How the objects are numbered."},
               {{"datum_x", "Along datum x"}, {"datum_y", "Along datum y"}, {"largest", "Largest first"}})
        .output({"count", "Count", "Number of objects.", Unit::None, false, true, true})
        .output({"areas", "Size of each", "Area of each object, in order.", Unit::SquarePixel, true, true, false})
        .output({"x", "Centroid x", "Place of each object's centroid in the picture, in order.", Unit::Pixel, true, false, false})
        .output({"y", "Centroid y", "Place of each object's centroid in the picture, in order.", Unit::Pixel, true, false, false})
        .output({"box_left", "Box left", "Left border of each object's upright box in the picture.", Unit::Pixel, true, false, false})
        .output({"box_top", "Box top", "Upper border of each object's upright box in the picture.", Unit::Pixel, true, false, false})
        .output({"box_width", "Box width", "Width of each object's upright box.", Unit::Pixel, true, true, false})
        .output({"box_height", "Box height", "Height of each object's upright box.", Unit::Pixel, true, true, false})
        .output({"threshold", "Threshold", "The grey level at which objects begin; nothing when the region has one grey level.", Unit::GreyLevel,
                 false, true, false})
        .madeByArea()
        .shows(evidence)
        .offers(offer)
        .runs(run);
}

} // namespace steps

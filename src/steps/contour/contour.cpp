#include "steps/contour/contour.h"
#include "steps/glue.h"
#include "vision/blobs.h"
#include "vision/refined_outline.h"

#include <algorithm>
#include <cmath>

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Point;
using geometry::Shape;
using P = ContourParams;

namespace
{
base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    const auto where = selectionSpans(in);
    if (where.empty()) return base::fail(base::ErrorCode::NoResult, "the region lies outside the picture");
    const auto taken = select(p, in, where);
    if (!taken) return base::passOn(taken.error());
    if (taken->nothing) return base::fail(base::ErrorCode::NoResult, "all pixels of the region have one grey level");
    vision::BlobOptions o;
    o.low = taken->low, o.high = taken->high, o.leastArea = p.leastArea;
    const vision::BlobList list = vision::findBlobs(taken->view, where, o);
    if (list.blobs.empty())
        return base::fail(base::ErrorCode::NoResult, "no object of at least " + base::toText(p.leastArea, 0) + " px²");
    std::size_t best = 0;
    for (std::size_t i = 1; i < list.blobs.size(); ++i)
        if (list.blobs[i].area > list.blobs[best].area) best = i;
    const auto loops = vision::outlines(list, int(best));
    std::vector<Point> outline = vision::refinedOutline(in.grey(), loops.front(), {p.smoothing}).points;
    for (Point& q : outline) q = in.level(q);
    if (outline.size() < 8) return base::fail(base::ErrorCode::NoResult, "the outline is too short");
    RunOutput out;
    double left = 1e300, right = -1e300, top = 1e300, bottom = -1e300;
    for (const Point q : outline) {
        const Point l = in.frame.toLocal(q);
        left = std::min(left, l.x), right = std::max(right, l.x), top = std::min(top, l.y),
        bottom = std::max(bottom, l.y);
    }
    out.values["length_x"] = {right - left}, out.values["length_y"] = {bottom - top};
    out.values["perimeter"] = {geometry::perimeterOf(outline)};
    out.values["area"] = {geometry::areaOf(outline)};
    const geometry::TurnedBox box = geometry::smallestBox(outline);
    out.values["length"] = {box.length}, out.values["width"] = {box.width};
    out.values["holes"] = {double(loops.size() - 1)};
    out.values["points"] = {double(outline.size())};
    out.values["cut"] = {list.blobs[best].touchesPicture ? 1.0 : 0.0};
    if (list.blobs[best].touchesPicture) out.note = "the outline is cut by the picture's border";
    out.features["contour"] = Contour{outline, true};
    out.points["all"] = outline;
    out.marks.push_back({MarkShape::Polygon, MarkRole::Found, outline, 0, {}});
    return out;
}

base::Result<Evidence> evidence(const P& p, const RunInput& in) { return selectionEvidence(p, in, selectionSpans(in)); }

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    if (g.type != Gesture::Type::Area) return {};
    const Point d = g.to - g.from;
    if (std::abs(d.x) < 20 || std::abs(d.y) < 20) return {};
    const geometry::Region region = geometry::Region::rectangle((g.from + g.to) * 0.5, std::abs(d.x), std::abs(d.y), 0);
    P p;
    // The side that does not reach the area's border.
    for (const Objects side : {Objects::Dark, Objects::Bright}) {
        p.objects = side;
        const RunInput here = in.looking({{"region", region}});
        const auto where = geometry::spans(region, here.grey().width, here.grey().height);
        const auto taken = select(p, here, where);
        if (!taken || taken->nothing) return {};
        vision::BlobOptions o;
        o.low = taken->low, o.high = taken->high, o.leastArea = p.leastArea;
        const auto list = vision::findBlobs(taken->view, where, o);
        const auto best = std::max_element(list.blobs.begin(), list.blobs.end(),
                                           [](const auto& a, const auto& b) { return a.area < b.area; });
        if (best == list.blobs.end() || best->touchesBorder) continue;
        Offer one;
        one.step.params = p;
        one.step.regions["region"] = region;
        one.words = "outline of the part";
        one.rank = in.hasDatum ? 3 : 5;
        one.chosen = {"objects"};
        return {one};
    }
    return {};
}
} // namespace

StepKind contour()
{
    Declare<P> d(
        {"contour", "Contour",
         "Outline of the largest object in the region to a fraction of a pixel, with its overall sizes."},
        Question::What, 1,
        "pixel outline as in vision/blobs.h, each point moved along its normal onto the edge (vision/edges.h)");
    d.purpose("outline contour silhouette overall length height size whole part")
        .drawn("Ctrl and drag a frame round the thing")
        .gives(FeatureType::Contour)
        .region({"region",
                 "Region",
                 "The part lies inside it.",
                 {Shape::Rectangle, Shape::Circle, Shape::Ring, Shape::Polygon, Shape::Window},
                 false});
    return declareSelection(d)
        .param(&P::leastArea, {"least_area", "Least size", "Smaller areas are not the part."}, Unit::SquarePixel,
               Real{16, 1e9, 10, 50, 100000}, true)
        .param(&P::smoothing,
               {"smoothing", "Smoothing", "Width of the Gaussian that quiets the edge along each normal."}, Unit::Pixel,
               kSmoothingRange)
        .output({"length_x", "Overall length", "Extent along the datum's x direction.", Unit::Pixel, false, true, true})
        .output({"length_y", "Overall height", "Extent along the datum's y direction.", Unit::Pixel})
        .output({"length", "Length", "Longer side of the smallest turned box.", Unit::Pixel})
        .output({"width", "Width", "Shorter side of the smallest turned box.", Unit::Pixel})
        .output({"perimeter", "Perimeter", "Length of the outline.", Unit::Pixel})
        .output({"area", "Area", "Area inside the outline, holes included.", Unit::SquarePixel})
        .output({"holes", "Holes", "Number of holes in the part.", Unit::None})
        .output({"points", "Points", "Number of outline points.", Unit::None})
        .output({"cut", "Cut off", "1 when the outline is cut by the picture's border.", Unit::None})
        .madeByArea()
        .shows(evidence)
        .offers(offer)
        .runs(run);
}

} // namespace steps

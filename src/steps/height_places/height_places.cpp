#include "steps/height_places/height_places.h"

#include <cmath>
#include <limits>

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Point;
using geometry::Region;
using geometry::Shape;
using P = HeightPlacesParams;

namespace
{
constexpr double kNone = std::numeric_limits<double>::quiet_NaN();
struct One {
    std::string name;
    Region region;
};

Region placeAt(const P& p, Point at, double width, double height, double angle)
{
    return p.round ? Region::circle(at, std::max(0.5, std::min(width, height) / 2))
                   : Region::rectangle(at, std::max(1.0, width), std::max(1.0, height), angle);
}

base::Result<std::vector<One>> placesOf(const P& p, const RunInput& in)
{
    std::vector<One> out;
    const double side = p.size * in.grows();
    if (p.layout == PlacesIn::Free) {
        if (in.places.empty()) return base::fail(base::ErrorCode::NoResult, "no place has been drawn");
        for (const Place& place : in.places)
            out.push_back({place.name, placeAt(p, in.picture(place.at), side, side, in.frame.angle)});
        return out;
    }
    if (in.regions.find("field") == in.regions.end())
        return base::fail(base::ErrorCode::NoResult, "the field of the places has not been drawn");
    const Region field = in.region("field");
    if (p.layout == PlacesIn::Circle) {
        if (field.shape != Shape::Circle)
            return base::fail(base::ErrorCode::NoResult, "places round a circle need a circle as their field");
        for (int i = 0; i < p.count; ++i) {
            // As the hands of a clock go.
            const double a = in.frame.angle + geometry::radians(p.start) - 2 * geometry::kPi * i / p.count;
            out.push_back({std::to_string(i + 1), placeAt(p, field.centre + geometry::direction(a) * field.outer, side,
                                                          side, in.frame.angle)});
        }
        return out;
    }
    if (field.shape != Shape::Rectangle)
        return base::fail(base::ErrorCode::NoResult, "rows and columns of places need a rectangle as their field");
    const Point u = geometry::direction(field.angle), down = geometry::leftOf(u) * -1.0;
    const double w = field.width / p.columns, h = field.height / p.rows;
    for (int r = 0; r < p.rows; ++r)
        for (int c = 0; c < p.columns; ++c) {
            const Point at =
                field.centre + u * ((c + 0.5) * w - field.width / 2) + down * ((r + 0.5) * h - field.height / 2);
            out.push_back({std::to_string(r * p.columns + c + 1),
                           placeAt(p, at, w * p.fill / 100, h * p.fill / 100, field.angle)});
        }
    return out;
}

base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    const auto places = placesOf(p, in);
    if (!places) return base::passOn(places.error());
    RunOutput out;
    auto &heights = out.values["heights"], &shares = out.values["shares"], &highest = out.values["highest"],
         &lowest = out.values["lowest"];
    auto& names = out.elementNames[""];
    double missing = 0, low = 1e300, high = -1e300;
    std::string gone;
    const geometry::HeightPlane base = baseOf(in);
    for (std::size_t i = 0; i < places->size(); ++i) {
        const One& one = (*places)[i];
        const HeightArea area = heightArea(in, one.region);
        const auto s = vision::heightStats(in.heights(), area.where, base, p.leftOut / 100, p.band());
        const double covered = area.covered(s.points);
        const bool there = s.points > 0 && covered >= p.leastCovered;
        const double z = there ? heightOf(s, p.of) : kNone;
        heights.push_back(z);
        highest.push_back(there ? s.high : kNone), lowest.push_back(there ? s.low : kNone);
        shares.push_back(covered);
        names.push_back(one.name);
        out.points["elements"].push_back(in.level(one.region.middle()));
        if (there) low = std::min(low, z), high = std::max(high, z);
        else ++missing, gone += (gone.empty() ? "" : ", ") + one.name;
        markRegion(in, one.region, out, MarkRole::Found, one.name, int(i) + 1);
    }
    out.values["missing"] = {missing};
    if (missing == 0) out.values["range"] = {high - low};
    if (!gone.empty()) out.note = "missing: " + gone;
    return out;
}

// Each place as a bar from its lowest to its highest point.
base::Result<Evidence> evidence(const P& p, const RunInput& in)
{
    const auto places = placesOf(p, in);
    if (!places) return base::passOn(places.error());
    Evidence e;
    e.title = "heights of the places, lowest to highest";
    e.xLabel = "place", e.yLabel = "mm";
    e.ownRange = true;
    Evidence::Curve middles{"height", {}, {}, false, true};
    const geometry::HeightPlane base = baseOf(in);
    for (std::size_t i = 0; i < places->size(); ++i) {
        const HeightArea area = heightArea(in, (*places)[i].region);
        const auto s = vision::heightStats(in.heights(), area.where, base, p.leftOut / 100, p.band());
        const double x = double(i) + 1;
        if (s.points == 0 || area.covered(s.points) < p.leastCovered) {
            e.gaps.push_back({x - 0.3, x + 0.3});
            continue;
        }
        e.curves.push_back({"", {x, x}, {s.low, s.high}, false, false, Evidence::Curve::Look::Thin});
        const double z = heightOf(s, p.of);
        e.curves.push_back({"", {x - 0.3, x + 0.3}, {z, z}, false, true, Evidence::Curve::Look::Bold});
    }
    e.curves.push_back(
        {"", {0.4, double(places->size()) + 0.6}, {kNone, kNone}, false, false, Evidence::Curve::Look::Thin});
    return e;
}

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    const auto region = framedBy(g, in);
    if (!region || in.seen().content != image::Content::Height) return {};
    P p;
    // As many rows and columns as objects stand out in, when they do.
    if (const auto out = standsOut(in, *region)) {
        RunInput here = in.looking({{"region", *region}});
        const HeightArea area = heightArea(here, *region);
        vision::BlobOptions o;
        o.leastArea = region->width * region->height / 2000, o.fillHoles = true;
        const auto list =
            vision::findBlobs(vision::runsInBand(in.seen().heights(), area.where, planeOf(in), out->low, 1e6),
                              area.where, in.seen().pixels.width(), in.seen().pixels.height(), o);
        std::vector<double> x, y;
        const Point u = geometry::direction(region->angle), down = geometry::leftOf(u) * -1.0;
        for (const auto& b : list.blobs)
            x.push_back(geometry::dot(u, b.centroid)), y.push_back(geometry::dot(down, b.centroid));
        const auto lines = [](std::vector<double> v, double size) {
            std::sort(v.begin(), v.end());
            int n = 1;
            for (std::size_t i = 1; i < v.size(); ++i) n += v[i] - v[i - 1] > size;
            return n;
        };
        if (list.blobs.size() > 1) {
            p.columns = std::clamp(lines(x, region->width / 14), 1, 100);
            p.rows = std::clamp(lines(y, region->height / 14), 1, 100);
        }
    }
    Offer o;
    o.step.params = p;
    o.step.name = "Places";
    o.step.regions["field"] = *region;
    if (const std::string plane = planeThere(in); !plane.empty()) o.step.inputs["base"] = plane;
    o.words = std::to_string(p.rows) + " × " + std::to_string(p.columns) + " places";
    o.judged = {"heights", "shares"};
    o.rank = 3;
    o.chosen = {"rows", "columns"};
    return {o};
}
} // namespace

StepKind height_places()
{
    Declare<P> d({"height_places", "Heights at places",
                  "Many like places, in rows and columns, round a circle or free: the height and the share of covered "
                  "points of each."},
                 Question::HowBig, 1, "quantiles of the points, vision/height.h");
    d.called("Places")
        .purpose("places tray grid rows columns pallet each missing stacked too high height list")
        .drawn("Ctrl and drag a frame round all places")
        .region({"field",
                 "Field",
                 "All places together: a rectangle of rows and columns, or the circle they lie on.",
                 {Shape::Rectangle, Shape::Circle},
                 false})
        .places();
    declareHeights(d);
    return declareBand(d)
        .param(&P::layout, {"layout", "Places lie", "How the places lie to each other."},
               {{"grid", "In rows and columns"}, {"circle", "Round a circle"}, {"free", "Anywhere"}}, true)
        .param(&P::rows, {"rows", "Rows", "Number of rows."}, Unit::None, Whole{1, 200}, true)
        .param(&P::columns, {"columns", "Columns", "Number of columns."}, Unit::None, Whole{1, 200}, true)
        .param(&P::count, {"count", "Places", "Number of places round the circle."}, Unit::None, Whole{1, 1000}, true)
        .param(&P::start,
               {"start", "First place at",
                "Direction of the first place from the circle's middle; the others follow as the hands of a clock go."},
               Unit::Degree, Real{-360, 360, 1, -180, 180})
        .param(&P::fill, {"fill", "Size of a place", "Share of the pitch that is looked at, each way."}, Unit::Percent,
               Real{1, 100, 1, 20, 100}, true)
        .param(&P::size, {"size", "Side of a place", "Side, or diameter, of what is looked at."}, Unit::Pixel,
               Real{1, 20000, 1, 5, 400}, true)
        .param(&P::round, {"round", "Round places", "Discs instead of squares."})
        .param(&P::of, {"of", "Height is", "Which of the points' heights stands for a place."}, heightOfChoices(), true)
        .param(&P::leftOut,
               {"left_out", "Left out at both ends",
                "Share of the points that are no highest and no lowest ones: spikes."},
               Unit::Percent, Real{0, 49, 0.5, 0, 10})
        .param(&P::leastCovered,
               {"least_covered", "Least share of points", "A place with fewer points has no height: it is missing."},
               Unit::Percent, kShareRange)
        .readWhen({"rows", "columns", "fill"}, "layout", {"grid"})
        .readWhen({"count", "start"}, "layout", {"circle"})
        .readWhen({"size"}, "layout", {"circle", "free"})
        .output({"heights", "Height of each", "Height of each place; missing where too few points are.",
                 Unit::Millimetre, true, true, true})
        .output(
            {"shares", "Covered of each", "Share of each place in which points were measured.", Unit::Percent, true})
        .output({"highest", "Highest of each", "Highest point of each place, those left out excepted.",
                 Unit::Millimetre, true})
        .output({"lowest", "Lowest of each", "Lowest point of each place, those left out excepted.", Unit::Millimetre,
                 true})
        .output({"missing", "Missing", "Number of places without a height.", Unit::None})
        .output({"range", "Range", "Highest place less lowest; nothing when one is missing.", Unit::Millimetre})
        .better({"missing", "range"}, OutputSpec::Better::Less, 0.0)
        .better({"shares"}, OutputSpec::Better::More, 0.0, 100.0)
        .madeByArea()
        .shows(evidence)
        .offers(offer)
        .runs(run);
}

} // namespace steps

#include "steps/height_blobs/height_blobs.h"

#include <cmath>

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::HeightPlane;
using geometry::Point;
using geometry::Region;
using geometry::Shape;
using P = HeightBlobsParams;

namespace
{
// The kind that takes an object, from 1; 0: none does.
int kindOf(const RunInput& in, double height, double area)
{
    for (std::size_t i = 0; i < in.kinds.size(); ++i)
        if (in.kinds[i].takes(height, area)) return int(i) + 1;
    return 0;
}

OwnValues own(const P& p, const RunInput& in)
{
    OwnValues o{{"height_median", "height_mean", "height_highest", "height_lowest", "object_covered"}, {}};
    const double mm = in.pixelMm();
    if (mm > 0) o.keys.push_back("volume");
    if (!in.kinds.empty()) o.keys.push_back("kind");
    o.read = [&p, &in, mm, rows = vision::HeightRows(in.heights(), baseOf(in))](const vision::BlobRuns& runs, int blob,
                                                                                double* v) {
        const auto spans = runs.spans(blob);
        const auto all = vision::heightsIn(rows, spans);
        double volume = 0;
        for (const float z : all) volume += double(z);
        const auto s = vision::heightStats(all, std::size_t(geometry::pixelCount(spans)), p.leftOut / 100);
        *v++ = s.median, *v++ = s.mean, *v++ = s.high, *v++ = s.low, *v++ = s.covered();
        if (mm > 0) *v++ = volume * mm * mm;
        if (!in.kinds.empty()) *v++ = kindOf(in, heightOf(s, p.of), double(s.pixels));
    };
    return o;
}

base::Status filtersFit(const RunInput& in)
{
    for (const Filter& f : in.filters) {
        if (f.output == "volume" && !(in.pixelMm() > 0))
            return base::fail(base::ErrorCode::NoResult, "the filter on volume needs to know how many mm a pixel is");
        if (f.output == "kind" && in.kinds.empty())
            return base::fail(base::ErrorCode::NoResult, "the filter on kind needs kinds");
    }
    return {};
}

base::Result<vision::BlobList> see(const P& p, const RunInput& in, bool everything)
{
    const auto area = heightArea(in, "region");
    if (!area) return base::passOn(area.error());
    if (const auto fit = filtersFit(in); !fit) return base::passOn(fit.error());
    if (p.low > p.high)
        return base::fail(base::ErrorCode::OutOfRange, "the lowest height, " + base::toText(p.low, Unit::Millimetre) +
                                                           ", lies above the highest, " +
                                                           base::toText(p.high, Unit::Millimetre));
    vision::BlobOptions o = blobOptions(p, in.grows());
    if (everything) o.border = vision::BorderRule::Keep, o.partedFrom = o.leastArea, o.leastArea = 1;
    return vision::findBlobs(vision::runsInBand(in.heights(), area->where, baseOf(in), p.low, p.high), area->where,
                             in.seen().pixels.width(), in.seen().pixels.height(), o);
}

// How many of each kind, and of none.
void countKinds(const RunInput& in, RunOutput& out)
{
    const int column = out.objects.column("kind");
    std::vector<double> count(in.kinds.size(), 0.0);
    double none = 0;
    for (const ObjectTable::Row& row : out.objects.rows) {
        if (row.number == 0) continue;
        const int kind = int(row.values[std::size_t(column)]);
        if (kind > 0) ++count[std::size_t(kind - 1)];
        else ++none;
    }
    auto& names = out.elementNames["of_kind"];
    std::string said;
    for (std::size_t i = 0; i < count.size(); ++i) {
        names.push_back(in.kinds[i].name);
        said += (said.empty() ? "" : ", ") + base::toText(count[i], 0) + " " + in.kinds[i].name;
    }
    if (none > 0) said += ", " + base::toText(none, 0) + " of no kind";
    out.values["of_kind"] = std::move(count);
    out.values["no_kind"] = {none};
    out.note += (out.note.empty() ? "" : "; ") + said;
    // Each carries its name.
    for (Mark& m : out.marks) {
        if (m.text.empty() || m.element <= 0) continue;
        for (const ObjectTable::Row& row : out.objects.rows)
            if (row.number == m.element) {
                const int kind = int(row.values[std::size_t(column)]);
                m.text += kind > 0 ? " " + in.kinds[std::size_t(kind - 1)].name : " ?";
                if (kind == 0) m.role = MarkRole::Stray;
                break;
            }
    }
}

base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    const auto area = heightArea(in, "region");
    if (!area) return base::passOn(area.error());
    // Where nothing was measured nothing can be counted.
    const double covered = coveredOf(in, *area);
    if (covered < p.leastCovered) {
        RunOutput none;
        none.values["covered"] = {covered};
        none.note = tooFewPoints(covered, p.leastCovered);
        return none;
    }
    auto list = see(p, in, false);
    if (!list) return base::passOn(list.error());
    const OwnValues values = own(p, in);
    auto found = objectsFound(p, in, std::move(*list), values);
    if (!found) return base::passOn(found.error());
    RunOutput out = std::move(found->out);
    if (!in.kinds.empty()) countKinds(in, out);
    if (in.pixelMm() > 0) {
        double sum = 0;
        const int column = out.objects.column("volume");
        for (const auto& row : out.objects.rows)
            if (row.number > 0) sum += row.values[std::size_t(column)];
        out.values["total_volume"] = {sum};
    } else {
        out.note += std::string(out.note.empty() ? "" : "; ") + "no volume: it is not known how many mm a pixel is";
    }
    out.values["covered"] = {covered};
    return out;
}

base::Result<ObjectTable> tell(const P& p, const RunInput& in)
{
    auto list = see(p, in, true);
    if (!list) return base::passOn(list.error());
    return objectsTold(p, in, std::move(*list), own(p, in));
}

base::Result<Evidence> evidence(const P& p, const RunInput& in)
{
    const auto area = heightArea(in, "region");
    if (!area) return base::passOn(area.error());
    Evidence e = sideView(in, *area, baseOf(in), lengthwise(in, in.region("region")));
    // A bound far off the points stands at the plot's border, from where it is dragged in.
    double bottom = 1e300, top = -1e300;
    for (const auto& c : e.curves)
        for (const double z : c.y)
            if (!std::isnan(z)) bottom = std::min(bottom, z), top = std::max(top, z);
    const double room = std::max(0.1 * (top - bottom), 1e-3);
    const auto seen = [&](double z) { return top < bottom ? z : std::clamp(z, bottom - room, top + room); };
    e.handles.push_back({"low", "low", false, seen(p.low)});
    e.handles.push_back({"high", "high", false, seen(p.high)});
    e.takesHeights = true, e.over = baseOf(in), e.low = p.low, e.high = p.high;
    e.note = "what lies between both lines is taken; drag them";
    return e;
}

double rounded(double x)
{
    const double digits = std::pow(10, std::floor(std::log10(std::max(1e-9, std::abs(x)))) - 1);
    return std::round(x / digits) * digits;
}

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    const auto region = framedBy(g, in);
    if (!region) return {};
    const auto out = standsOut(in, *region);
    if (!out) return {};
    P p;
    p.low = rounded(out->low), p.high = rounded(std::max(out->high, out->low + 1e-3));
    if (p.high <= p.low) return {};
    RunInput here = in.looking({{"region", *region}});
    if (const std::string plane = planeThere(in); !plane.empty()) here.inputs["base"] = planeOf(in);
    p.leastArea = std::max(12.0, region->width * region->height / 20000);
    const auto list = see(p, here, false);
    if (!list || list->blobs.empty()) return {};
    std::vector<double> areas;
    for (const auto& b : list->blobs) areas.push_back(b.area);
    std::sort(areas.begin(), areas.end());
    p.leastArea = std::max(1.0, std::round(0.2 * areas[areas.size() / 2]));
    Offer o;
    o.step.params = p;
    o.step.name = "Count";
    o.step.regions["region"] = *region;
    if (const std::string plane = planeThere(in); !plane.empty()) o.step.inputs["base"] = plane;
    o.words = "count of what stands out";
    o.rank = 0;
    o.chosen = {"low", "high", "least_area"};
    Offer heights = o;
    heights.step.name = "Heights";
    heights.words = "height of each that stands out";
    heights.judged = {"height_median"}, ++heights.rank;
    return {o, heights};
}
} // namespace

StepKind height_blobs()
{
    Declare<P> d(
        {"height_blobs", "Blobs in a height band",
         "Finds connected areas whose height lies in a band; filters, orders, counts, names and describes them."},
        Question::HowMany, 1, "runs and union-find, vision/blobs.h; heights, vision/height.h");
    d.called("Count")
        .purpose("count objects height band stands out volume kind fallen on its side missing stacked")
        .drawn("Ctrl and drag a frame round the objects")
        .gives(FeatureType::Group)
        .region(heightRegion("Objects are searched inside it; without it in the whole picture."))
        .filters()
        .places()
        .kinds();
    declareHeights(d)
        .param(&P::low, {"low", "Lowest", "Points below do not belong to an object."}, Unit::Millimetre, kHeightRange,
               true)
        .param(&P::high, {"high", "Highest", "Points above do not belong to an object."}, Unit::Millimetre,
               kHeightRange, true);
    declareObjects(d);
    return declareCover(d,
                        "With fewer points than this share of the region nothing is counted: it may lie where none is.",
                        false)
        .param(&P::of, {"of", "Named by", "Which height of an object decides what it is called."}, heightOfChoices())
        .param(&P::leftOut,
               {"left_out", "Left out at both ends",
                "Share of an object's points that are no highest and no lowest ones: spikes."},
               Unit::Percent, Real{0, 49, 0.5, 0, 10})
        .output({"height_median", "Median height", "Median height of each object.", Unit::Millimetre, true})
        .output({"height_mean", "Mean height", "Mean height of each object.", Unit::Millimetre, true})
        .output({"height_highest", "Highest of each", "Highest point of each object, those left out excepted.",
                 Unit::Millimetre, true})
        .output({"height_lowest", "Lowest of each", "Lowest point of each object, those left out excepted.",
                 Unit::Millimetre, true})
        .output({"object_covered", "Covered of each",
                 "Share of each object, holes filled, in which points were measured.", Unit::Percent, true})
        .output({"volume", "Volume of each",
                 "Height over the base by area, over the points of each object that were measured.",
                 Unit::CubicMillimetre, true})
        .output({"total_volume", "Volume of all", "Volume of all objects together.", Unit::CubicMillimetre})
        .output({"kind", "Kind of each", "Number of the kind that takes each object; 0: none does.", Unit::None, true})
        .output({"of_kind", "How many of each kind", "Number of objects of each kind, in the kinds' order.", Unit::None,
                 true})
        .output(
            {"no_kind", "Of no kind", "Number of objects no kind takes: fallen, on their side, foreign.", Unit::None})
        .output({"covered", "Covered", "Share of the region in which points were measured.", Unit::Percent})
        .filtersNot("of_kind")
        .better({"no_kind"}, OutputSpec::Better::Less, 0.0)
        .better({"covered", "object_covered"}, OutputSpec::Better::More, 0.0, 100.0)
        .madeByArea()
        .shows(evidence)
        .tells(tell)
        .offers(offer)
        .runs(run);
}

} // namespace steps

#include "steps/section/section.h"

#include <cmath>
#include <limits>

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Point;
using geometry::Region;
using geometry::Shape;
using P = SectionParams;

namespace
{
struct Part {
    PartAs as;
    double from, to; // percent of the way
    // Whichever of both lies first.
    double start(const vision::Section& s) const { return std::min(from, to) / 100 * s.path.length; }
    double end(const vision::Section& s) const { return std::max(from, to) / 100 * s.path.length; }
};
Part partOf(const P& p, int k)
{
    return k == 0 ? Part{p.first, p.firstFrom, p.firstTo} : Part{p.second, p.secondFrom, p.secondTo};
}
constexpr const char* kAngle[] = {"angle", "second_angle"};
constexpr const char* kHeight[] = {"height", "second_height"};
constexpr const char* kRadius[] = {"radius", "second_radius"};
constexpr const char* kCentre[] = {"centre_height", "second_centre_height"};

base::Result<vision::Section> see(const RunInput& in)
{
    auto s = vision::sectionOf(in.heights(), vision::pathOf(in.region("window")), baseOf(in));
    if (!s) return s;
    // What is left out is as if it were missing.
    for (std::size_t i = 0; i < s->heights.size(); ++i)
        if (!std::isnan(s->heights[i]) && geometry::containsAny(in.leaveOut, s->path.at(s->at(i)))) {
            s->heights[i] = std::numeric_limits<double>::quiet_NaN();
            --s->points;
        }
    if (s->points == 0) return base::fail(base::ErrorCode::NoResult, "no point was measured along the way");
    return s;
}

// Highest and lowest with where they are, spikes left out: the samples nearest to those quantiles.
void extent(const P& p, const RunInput& in, const vision::Section& s, RunOutput& out)
{
    std::vector<float> all;
    for (const double z : s.heights)
        if (!std::isnan(z)) all.push_back(float(z));
    const double low = vision::quantile(all, p.leftOut / 100), high = vision::quantile(all, 1 - p.leftOut / 100);
    std::size_t atLow = 0, atHigh = 0;
    double offLow = 1e300, offHigh = 1e300;
    for (std::size_t i = 0; i < s.heights.size(); ++i) {
        if (std::isnan(s.heights[i])) continue;
        if (const double d = std::abs(s.heights[i] - low); d < offLow) offLow = d, atLow = i;
        if (const double d = std::abs(s.heights[i] - high); d < offHigh) offHigh = d, atHigh = i;
    }
    out.values["highest"] = {high}, out.values["lowest"] = {low}, out.values["range"] = {high - low};
    out.values["at_highest"] = {s.at(atHigh)}, out.values["at_lowest"] = {s.at(atLow)};
    const Point top = in.level(s.path.at(s.at(atHigh)));
    out.features["point"] = top;
    out.marks.push_back(pointsMark({top}, MarkRole::Found));
}

base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    const auto s = see(in);
    if (!s) return base::passOn(s.error());
    RunOutput out;
    std::vector<Point> way;
    for (double t = 0;; t = std::min(t + 20, s->path.length)) {
        way.push_back(in.level(s->path.at(t)));
        if (t >= s->path.length) break;
    }
    out.marks.push_back({MarkShape::Polyline, MarkRole::Used, way, 0, {}});
    out.values["covered"] = {100.0 * double(s->points) / double(s->heights.size())};
    out.values["length"] = {s->path.length};
    extent(p, in, *s, out);
    const double mm = in.pixelMm();
    std::string why;
    std::optional<double> slope[2];
    std::optional<vision::SectionLine> line[2];
    for (const int k : {0, 1}) {
        const Part part = partOf(p, k);
        if (part.as == PartAs::Line) {
            const auto l = vision::fitLine(*s, part.start(*s), part.end(*s));
            if (!l) {
                why += (why.empty() ? "" : "; ") + l.error().message;
                continue;
            }
            line[k] = *l;
            out.values[kHeight[k]] = {l->height};
            if (k == 0) out.values["straightness"] = {l->straightness};
            if (mm > 0) slope[k] = geometry::degrees(std::atan(l->slope / mm)), out.values[kAngle[k]] = {*slope[k]};
        } else if (part.as == PartAs::Arc) {
            const auto arc = vision::fitArc(*s, part.start(*s), part.end(*s), mm);
            if (!arc) {
                why += (why.empty() ? "" : "; ") + arc.error().message;
                continue;
            }
            out.values[kRadius[k]] = {arc->radius}, out.values[kCentre[k]] = {arc->height};
        }
    }
    if (slope[0] && slope[1]) out.values["between"] = {180 - std::abs(*slope[1] - *slope[0])};
    if (line[0] && line[1]) out.values["step"] = {line[1]->height - line[0]->height};
    if (p.groove != GrooveAs::None) {
        const auto g = vision::grooveIn(*s, p.shoulder / 100, p.smooth, p.groove == GrooveAs::Ridge);
        if (g) {
            out.values["depth"] = {g->depth};
            if (!std::isnan(g->width())) out.values["groove_width"] = {g->width()};
            else why += std::string(why.empty() ? "" : "; ") + "no width: points are missing on a side of it";
            out.marks.push_back(pointsMark({in.level(s->path.at(g->deepest))}, MarkRole::Used));
        } else {
            why += (why.empty() ? "" : "; ") + g.error().message;
        }
    }
    if (mm <= 0 && (p.first != PartAs::None || p.second != PartAs::None))
        why += std::string(why.empty() ? "" : "; ") + "no angle or radius: it is not known how many mm a pixel is";
    out.note = why;
    return out;
}

void addArc(Evidence& e, const vision::SectionArc& arc, double from, double to)
{
    Evidence::Curve c;
    c.second = true, c.look = Evidence::Curve::Look::Bold;
    for (int i = 0; i <= 60; ++i) {
        const double x = from + (to - from) * i / 60, d = x - arc.along, h = arc.radius * arc.radius - d * d;
        if (h < 0) continue;
        c.x.push_back(x), c.y.push_back(arc.height + (arc.hollow ? -1 : 1) * std::sqrt(h));
    }
    e.curves.push_back(std::move(c));
}

base::Result<Evidence> evidence(const P& p, const RunInput& in)
{
    const auto s = see(in);
    if (!s) return base::passOn(s.error());
    Evidence e = sectionEvidence(in, *s);
    const double unit = alongUnit(in), length = s->path.length;
    for (const int k : {0, 1}) {
        const Part part = partOf(p, k);
        if (part.as == PartAs::Line)
            if (const auto l = vision::fitLine(*s, part.start(*s), part.end(*s))) addLine(e, in, *l, 0, length);
        if (part.as == PartAs::Arc)
            if (const auto a = vision::fitArc(*s, part.start(*s), part.end(*s), in.pixelMm()))
                addArc(e, *a, part.start(*s) * unit, part.end(*s) * unit);
    }
    if (p.groove != GrooveAs::None)
        if (const auto g = vision::grooveIn(*s, p.shoulder / 100, p.smooth, p.groove == GrooveAs::Ridge)) {
            addLine(e, in, g->shoulders, 0, length);
            const double line = g->shoulders.at(g->deepest), sign = p.groove == GrooveAs::Ridge ? 1 : -1;
            e.rules.push_back(
                {g->deepest * unit, line, line + sign * g->depth, base::toText(g->depth, Unit::Millimetre)});
            if (!std::isnan(g->width()))
                e.curves.push_back(
                    {"",
                     {g->left * unit, g->right * unit},
                     {g->shoulders.at(g->left) + sign * g->depth / 2, g->shoulders.at(g->right) + sign * g->depth / 2},
                     false,
                     true,
                     Evidence::Curve::Look::Bold});
        }
    return e;
}

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    if (g.type != Gesture::Type::Stroke || in.seen().content != image::Content::Height) return {};
    if (geometry::distance(g.from, g.to) < 5) return {};
    const double width = averagingWidth(g);
    const auto s = vision::sectionOf(in.seen().heights(), vision::straight(g.from, g.to, width), planeOf(in));
    if (!s) return {};
    Offer o;
    P p;
    // A groove or a ridge when the middle stands clear of the line through both ends.
    const double least = std::max(8 * heightNoise(*s), 1e-3);
    for (const bool ridge : {false, true})
        if (const auto groove = vision::grooveIn(*s, p.shoulder / 100, p.smooth, ridge);
            groove && groove->depth > least && !std::isnan(groove->width()) && p.groove == GrooveAs::None) {
            p.groove = ridge ? GrooveAs::Ridge : GrooveAs::Groove;
            o.words = ridge ? "height of the ridge" : "depth of the groove";
            o.judged = {"depth"};
        }
    if (p.groove == GrooveAs::None) o.words = "section";
    o.step.params = p;
    o.step.name = "Section";
    o.step.regions["window"] = Region::window(g.from, g.to, width);
    if (const std::string plane = planeThere(in); !plane.empty()) o.step.inputs["base"] = plane;
    o.rank = 2;
    if (p.groove != GrooveAs::None) o.chosen = {"groove"};
    return {o};
}
} // namespace

StepKind section()
{
    const Real share{0, 100, 1};
    Declare<P> d({"section", "Section",
                  "Heights along a way: how high and low it goes, lines and arcs in it, a groove or a ridge."},
                 Question::HowBig, 1, "lines by Tukey's biweight, arcs as in geometry/fit.h; vision/section.h");
    d.purpose("section profile cut groove ridge depth width angle radius chamfer slope height")
        .drawn("stroke through what is to be cut")
        .gives(FeatureType::Point)
        .region({"window",
                 "Way",
                 "Directed window or bent line; heights are averaged across its width.",
                 {Shape::Window, Shape::Polyline, Shape::Ring, Shape::Arc}});
    return declareHeights(d)
        .param(&P::first, {"first", "First part", "What is fitted to the first part of the section."},
               {{"none", "Nothing"}, {"line", "Line"}, {"arc", "Arc"}}, true)
        .param(&P::firstFrom, {"first_from", "First part from", "Share of the way at which the first part begins."},
               Unit::Percent, share)
        .param(&P::firstTo, {"first_to", "First part to", "Share of the way at which the first part ends."},
               Unit::Percent, share)
        .param(&P::second, {"second", "Second part", "What is fitted to the second part of the section."},
               {{"none", "Nothing"}, {"line", "Line"}, {"arc", "Arc"}}, true)
        .param(&P::secondFrom, {"second_from", "Second part from", "Share of the way at which the second part begins."},
               Unit::Percent, share)
        .param(&P::secondTo, {"second_to", "Second part to", "Share of the way at which the second part ends."},
               Unit::Percent, share)
        .param(&P::groove, {"groove", "Groove", "What is looked for between the shoulders."},
               {{"none", "Nothing"}, {"groove", "Groove"}, {"ridge", "Ridge"}}, true)
        .param(&P::shoulder,
               {"shoulder", "Shoulders", "Share of the way at each end that is the ground the groove lies in."},
               Unit::Percent, Real{2, 45, 1})
        .param(&P::smooth, {"smooth", "Depth averaged over", "Length the deepest place is averaged over."}, Unit::Pixel,
               Real{1, 1000, 1, 1, 20})
        .param(&P::leftOut,
               {"left_out", "Left out at both ends",
                "Share of the points that are no highest and no lowest ones: spikes."},
               Unit::Percent, Real{0, 49, 0.5, 0, 10})
        .readWhen({"first_from", "first_to"}, "first", {"line", "arc"})
        .readWhen({"second_from", "second_to"}, "second", {"line", "arc"})
        .readWhen({"shoulder", "smooth"}, "groove", {"groove", "ridge"})
        .output({"range", "Range", "Highest less lowest.", Unit::Millimetre, false, true, true})
        .output({"highest", "Highest", "Highest point, those left out excepted.", Unit::Millimetre})
        .output({"lowest", "Lowest", "Lowest point, those left out excepted.", Unit::Millimetre})
        .output({"at_highest", "Place of the highest", "Distance of the highest point from the start.", Unit::Pixel})
        .output({"at_lowest", "Place of the lowest", "Distance of the lowest point from the start.", Unit::Pixel})
        .output({"length", "Length", "Length of the section.", Unit::Pixel})
        .output({"covered", "Covered", "Share of the section in which points were measured.", Unit::Percent})
        .output({"height", "Height of the line", "Of the first part's line, in its middle.", Unit::Millimetre})
        .output({"angle", "Angle of the line", "Slope of the first part's line along the way, up is positive.",
                 Unit::Degree})
        .output({"straightness", "Straightness", "From the lowest to the highest point about the first part's line.",
                 Unit::Millimetre})
        .output({"second_height", "Height of the second line", "Of the second part's line, in its middle.",
                 Unit::Millimetre})
        .output({"second_angle", "Angle of the second line", "Slope of the second part's line along the way.",
                 Unit::Degree})
        .output({"between", "Angle between", "Angle both lines make with each other; 180: one goes on as the other.",
                 Unit::Degree})
        .output({"step", "Second over first", "Height of the second line's middle over the first's.", Unit::Millimetre})
        .output({"radius", "Radius", "Of the first part's arc.", Unit::Millimetre})
        .output({"centre_height", "Height of the centre", "Of the first part's arc.", Unit::Millimetre})
        .output({"second_radius", "Second radius", "Of the second part's arc.", Unit::Millimetre})
        .output({"second_centre_height", "Height of the second centre", "Of the second part's arc.", Unit::Millimetre})
        .output({"depth", "Depth", "Of the groove under its shoulders, or of the ridge over them.", Unit::Millimetre})
        .output({"groove_width", "Width of the groove", "Where it is half as deep.", Unit::Pixel})
        .better({"covered"}, OutputSpec::Better::More, 0.0, 100.0)
        .better({"straightness"}, OutputSpec::Better::Less, 0.0)
        .madeByStroke()
        .shows(evidence)
        .offers(offer)
        .runs(run);
}

} // namespace steps

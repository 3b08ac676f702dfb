#include "steps/area_share/area_share.h"

#include "steps/glue.h"
#include "vision/colour.h"

#include <cmath>

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Point;
using geometry::Shape;
using P = AreaShareParams;

namespace
{
// At full depth; of 8 bit by the histogram.
std::pair<double, double> greysOf(const image::GreyView& view, const std::vector<geometry::Span>& where, double total)
{
    if (view.wide) {
        const vision::Greys g = vision::greys(view, where);
        return {g.mean, g.spread};
    }
    const vision::Histogram h = vision::histogram(view, where);
    const double mean = h.mean();
    double square = 0;
    for (std::size_t i = 0; i < 256; ++i) square += double(h.count[i]) * (double(i) - mean) * (double(i) - mean);
    return {mean, std::sqrt(square / total)};
}
std::array<double, 3> meanColour(const image::Image& picture, const std::vector<geometry::Span>& where)
{
    const bool wide = image::bytesPerSample(picture.format()) == 2;
    std::int64_t n = 0, sum[3] = {};
    for (const geometry::Span& s : where) {
        const std::uint8_t* p = picture.row(s.y);
        for (int x = s.from; x < s.to; ++x)
            for (int k = 0; k < 3; ++k)
                sum[k] += wide ? reinterpret_cast<const std::uint16_t*>(p)[3 * x + k] : p[3 * x + k];
        n += s.to - s.from;
    }
    std::array<double, 3> out{};
    for (std::size_t k = 0; k < 3; ++k) out[k] = n ? double(sum[k]) / double(n) / (wide ? 257.0 : 1.0) : 0;
    return out;
}

base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    const auto where = selectionSpans(in);
    const double total = double(geometry::pixelCount(where));
    if (total <= 0) return base::fail(base::ErrorCode::NoResult, "the region lies outside the picture");
    const auto taken = select(p, in, where);
    if (!taken) return base::passOn(taken.error());
    RunOutput out;
    double count = 0, area = 0;
    const double wide = 32; // px: within so much the scale is taken as even
    if (!taken->nothing)
        taken->view.visit([&](auto v) {
            for (const geometry::Span& s : where) {
                const auto* row = v.row(s.y);
                for (int from = s.from; from < s.to;) {
                    const int to = in.bends() ? std::min(s.to, from + int(wide)) : s.to;
                    double here = 0;
                    for (int x = from; x < to; ++x) {
                        const double level = double(row[x]) * v.levelsPerStep;
                        here += level >= taken->low && level <= taken->high;
                    }
                    count += here;
                    area +=
                        in.bends() ? here * in.calibration->local({(from + to - 1) / 2.0, double(s.y)}).area() : here;
                    from = to;
                }
            }
        });
    out.values["share"] = {100 * count / total};
    out.values["area"] = {area};
    const auto [mean, spread] = greysOf(in.grey(), where, total);
    out.values["grey_mean"] = {mean}, out.values["grey_spread"] = {spread};
    if (const image::Image& shown = in.seen().pixels; image::channels(shown.format()) == 3) {
        const auto [hue, chroma] = vision::hueOf(meanColour(shown, where));
        out.values["hue"] = {hue}, out.values["chroma"] = {chroma};
    }
    for (auto& outline : in.region("region").outlines())
        out.marks.push_back(levelled(in, {MarkShape::Polygon, MarkRole::Found, std::move(outline), 0, {}}));
    return out;
}

base::Result<Evidence> evidence(const P& p, const RunInput& in) { return selectionEvidence(p, in, selectionSpans(in)); }

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    if (g.type != Gesture::Type::Area) return {};
    const Point d = g.to - g.from;
    if (std::abs(d.x) < 4 || std::abs(d.y) < 4) return {};
    geometry::Region region = geometry::Region::rectangle((g.from + g.to) * 0.5, std::abs(d.x), std::abs(d.y), 0);
    if (in.hasDatum) {
        const Point u = geometry::direction(in.datumAngle), v = geometry::leftOf(u);
        region = geometry::Region::rectangle(region.centre, std::max(2.0, std::abs(geometry::dot(u, d))),
                                             std::max(2.0, std::abs(geometry::dot(v, d))), in.datumAngle);
    }
    P p;
    const RunInput here = in.looking({{"region", region}});
    const auto where = selectionSpans(here);
    const auto t = vision::automaticThreshold(vision::histogram(in.grey(), where));
    if (!t) return {};
    // Fixed limits on the side that fills most: a share must not follow each picture's own threshold.
    p.mode = TakeBy::Fixed;
    p.low = std::ceil(*t), p.high = 255;
    if (const auto r = run(p, here); r && r->values.at("share").front() < 50)
        p.low = 0, p.high = std::ceil(*t) - 1, p.objects = Objects::Dark;
    Offer o;
    o.step.params = p;
    o.step.name = "Share";
    o.step.regions["region"] = region;
    o.words = "area share";
    o.rank = 4;
    o.chosen = {"low", "high"};
    return {o};
}
} // namespace

StepKind area_share()
{
    Declare<P> d({"area_share", "Area share",
                  "Share and number of the pixels in a region that are taken by a grey range or a colour."},
                 Question::HowMany, 1, "counting; thresholds as in vision/threshold.h");
    d.purpose("presence absence covered area pixels fill level grey colour")
        .drawn("Ctrl and drag a frame")
        .region({"region",
                 "Region",
                 "Pixels are counted inside it.",
                 {Shape::Rectangle, Shape::Circle, Shape::Ring, Shape::Arc, Shape::Polygon, Shape::Window},
                 false});
    return declareSelection(d)
        .output({"share", "Share", "Taken pixels in percent of the region.", Unit::Percent, false, true, true})
        .output({"area", "Area", "Number of pixels taken.", Unit::SquarePixel})
        .output({"grey_mean", "Mean grey", "Mean grey level of the region.", Unit::GreyLevel})
        .output({"grey_spread", "Spread of grey", "Standard deviation of the region's grey levels.", Unit::GreyLevel})
        .output({"hue", "Hue",
                 "Hue angle of the region's mean colour in CIELAB, 0 to 360 (red about 40, green 136, blue 306); "
                 "colour pictures only.",
                 Unit::Degree})
        .output({"chroma", "Chroma",
                 "How far the region's mean colour is from grey in CIELAB; a hue below about 5 says little.",
                 Unit::None})
        .better({"share"}, OutputSpec::Better::Within, 0.0, 100.0)
        .madeByArea()
        .shows(evidence)
        .offers(offer)
        .runs(run);
}

} // namespace steps

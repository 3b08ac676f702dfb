#include "steps/height_glue.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace steps
{
using namespace recipe;
using geometry::HeightPlane;
using geometry::Point;
using geometry::Region;
using geometry::Shape;

double heightOf(const vision::HeightStats& s, HeightOf which)
{
    switch (which) {
    case HeightOf::Mean: return s.mean;
    case HeightOf::Highest: return s.high;
    case HeightOf::Lowest: return s.low;
    default: return s.median;
    }
}

HeightPlane baseOf(const RunInput& in)
{
    const auto it = in.inputs.find("base");
    return it == in.inputs.end() ? HeightPlane{} : std::get<HeightPlane>(it->second);
}

HeightArea heightArea(const RunInput& in, const Region& region)
{
    const int w = in.seen().pixels.width(), h = in.seen().pixels.height();
    HeightArea out;
    const auto inside = geometry::spans(region, w, h);
    out.where = geometry::without(inside, in.leaveOut, w, h);
    out.pixels = double(geometry::pixelCount(out.where));
    if (region.shape == Shape::Whole) return out;
    // Outlines of rings and arcs with a hole: the hole is the second one.
    double area = 0;
    const auto loops = region.outlines(256);
    bool beyond = false;
    for (std::size_t i = 0; i < loops.size(); ++i) {
        area += (i == 0 ? 1 : -1) * geometry::areaOf(loops[i]);
        for (const Point p : loops[i]) beyond = beyond || p.x < -0.5 || p.y < -0.5 || p.x > w - 0.5 || p.y > h - 0.5;
    }
    if (beyond) out.pixels += std::max(0.0, area - double(geometry::pixelCount(inside)));
    return out;
}

base::Result<HeightArea> heightArea(const RunInput& in, const std::string& key)
{
    HeightArea a = heightArea(in, in.region(key));
    if (a.where.empty()) return base::fail(base::ErrorCode::NoResult, "the region lies outside the picture");
    return a;
}

double coveredOf(const RunInput& in, const HeightArea& area)
{
    double gone = 0;
    for (const vision::Run& r : vision::runsMissing(in.heights(), area.where)) gone += r.to - r.from;
    return area.covered(std::size_t(double(geometry::pixelCount(area.where)) - gone));
}

std::string tooFewPoints(double covered, double least)
{
    return base::toText(covered, 0) + " % of the area has points, at least " + base::toText(least, 0) + " % are needed";
}

double alongUnit(const RunInput& in)
{
    const double mm = in.pixelMm();
    return mm > 0 ? mm : 1;
}

Evidence sectionEvidence(const RunInput& in, const vision::Section& s)
{
    Evidence e;
    e.title = "section";
    e.ownRange = true;
    e.xLabel = in.pixelMm() > 0 ? "mm" : "px";
    e.yLabel = "mm";
    const double unit = alongUnit(in);
    Evidence::Curve c;
    c.name = "height";
    std::size_t gap = s.heights.size();
    for (std::size_t i = 0; i < s.heights.size(); ++i) {
        c.x.push_back(s.at(i) * unit), c.y.push_back(s.heights[i]);
        const bool none = std::isnan(s.heights[i]);
        if (none && gap == s.heights.size()) gap = i;
        if (gap < s.heights.size() && (!none || i + 1 == s.heights.size())) {
            e.gaps.push_back({s.at(gap) * unit, s.at(none ? i : i - 1) * unit});
            gap = s.heights.size();
        }
    }
    e.curves.push_back(std::move(c));
    return e;
}

void addLine(Evidence& e, const RunInput& in, const vision::SectionLine& line, double from, double to)
{
    const double unit = alongUnit(in);
    e.curves.push_back({"",
                        {line.from * unit, line.to * unit},
                        {line.at(line.from), line.at(line.to)},
                        false,
                        true,
                        Evidence::Curve::Look::Bold});
    e.curves.push_back(
        {"", {from * unit, to * unit}, {line.at(from), line.at(to)}, false, true, Evidence::Curve::Look::Extended});
}

Point lengthwise(const RunInput& in, const Region& region)
{
    if (region.shape == Shape::Rectangle)
        return region.width >= region.height ? geometry::direction(region.angle)
                                             : geometry::direction(region.angle + geometry::kPi / 2);
    if (region.shape == Shape::Window) return geometry::unit(region.to - region.from);
    return geometry::direction(in.frame.angle);
}

Evidence sideView(const RunInput& in, const HeightArea& area, const HeightPlane& over, Point direction)
{
    Evidence e;
    e.title = "side view";
    e.ownRange = true;
    e.xLabel = in.pixelMm() > 0 ? "mm" : "px";
    e.yLabel = "mm";
    double from = 1e300, to = -1e300;
    for (const geometry::Span& s : area.where)
        for (const int x : {s.from, s.to - 1}) {
            const double t = geometry::dot(direction, {double(x), double(s.y)});
            from = std::min(from, t), to = std::max(to, t);
        }
    if (from > to) return e;
    constexpr int kMost = 600;
    const int n = std::clamp(int(to - from) + 1, 1, kMost);
    const double perPixel = n > 1 ? (n - 1) / (to - from) : 0;
    std::vector<float> low(std::size_t(n), std::numeric_limits<float>::infinity()), high(std::size_t(n), -low[0]);
    const vision::HeightRows rows(in.heights(), over);
    std::vector<float> line;
    for (const geometry::Span& s : area.where) {
        line.resize(std::size_t(s.to - s.from));
        rows.read(s.y, s.from, s.to, line.data());
        for (int x = s.from; x < s.to; ++x) {
            const float z = line[std::size_t(x - s.from)];
            if (std::isnan(z)) continue;
            const double t = geometry::dot(direction, {double(x), double(s.y)});
            const auto k = std::size_t(std::clamp(int((t - from) * perPixel + 0.5), 0, n - 1));
            low[k] = std::min(low[k], z), high[k] = std::max(high[k], z);
        }
    }
    const double unit = alongUnit(in) / (perPixel > 0 ? perPixel : 1);
    Evidence::Curve top{"highest", {}, {}, false, false}, bottom{"lowest", {}, {}, false, true};
    for (int k = 0; k < n; ++k) {
        const bool there = high[std::size_t(k)] >= low[std::size_t(k)];
        const double none = std::numeric_limits<double>::quiet_NaN();
        top.x.push_back(k * unit), top.y.push_back(there ? double(high[std::size_t(k)]) : none);
        bottom.x.push_back(k * unit), bottom.y.push_back(there ? double(low[std::size_t(k)]) : none);
    }
    e.curves = {std::move(top), std::move(bottom)};
    return e;
}

Evidence heightHistogram(const std::vector<float>& heights)
{
    Evidence e;
    e.title = "heights of the area";
    e.xLabel = "mm", e.yLabel = "points";
    if (heights.empty()) {
        e.note = "no point was measured in the area";
        return e;
    }
    const auto [low, high] = std::minmax_element(heights.begin(), heights.end());
    constexpr int kBins = 160;
    const double from = *low, step = std::max(1e-6, (double(*high) - from) / (kBins - 1));
    Evidence::Curve c{"points", {}, {}, true, false};
    std::vector<double> count(kBins, 0.0);
    for (const float z : heights) ++count[std::size_t(std::clamp(int((double(z) - from) / step + 0.5), 0, kBins - 1))];
    for (int k = 0; k < kBins; ++k) c.x.push_back(from + k * step), c.y.push_back(count[std::size_t(k)]);
    e.curves = {std::move(c)};
    return e;
}

double heightNoise(const vision::Section& s)
{
    std::vector<double> second;
    for (std::size_t i = 2; i < s.heights.size(); ++i) {
        const double d = s.heights[i] - 2 * s.heights[i - 1] + s.heights[i - 2];
        if (!std::isnan(d)) second.push_back(std::abs(d));
    }
    if (second.size() < 5) return 0;
    const auto middle = second.begin() + std::ptrdiff_t(second.size() / 2);
    std::nth_element(second.begin(), middle, second.end());
    return 1.4826 * *middle / std::sqrt(6.0);
}

std::vector<Mark> areaMarks(const RunInput& in, std::vector<vision::Run> runs, const std::vector<geometry::Span>& where,
                            double least, MarkRole role)
{
    vision::BlobOptions o;
    o.leastArea = least;
    const auto list = vision::findBlobs(std::move(runs), where, in.seen().pixels.width(), in.seen().pixels.height(), o);
    std::vector<int> order(list.blobs.size());
    for (std::size_t i = 0; i < order.size(); ++i) order[i] = int(i);
    std::stable_sort(order.begin(), order.end(),
                     [&](int a, int b) { return list.blobs[std::size_t(a)].area > list.blobs[std::size_t(b)].area; });
    constexpr std::size_t kMost = 100;
    if (order.size() > kMost) order.resize(kMost);
    const vision::BlobRuns of(list);
    std::vector<Mark> out;
    for (const int i : order)
        for (auto& loop : of.outlines(i))
            out.push_back(levelled(in, {MarkShape::Polygon, role, std::move(loop), 0, {}}));
    return out;
}

void markRegion(const RunInput& in, const Region& region, RunOutput& out, MarkRole role, const std::string& text,
                int element)
{
    bool first = true;
    for (auto& outline : region.outlines()) {
        out.marks.push_back(
            levelled(in, {MarkShape::Polygon, role, std::move(outline), 0, first ? text : std::string(), element}));
        first = false;
    }
}

std::string planeThere(const OfferInput& in)
{
    for (const auto& [id, f] : in.features)
        if (typeOf(f) == FeatureType::Plane) return id;
    return {};
}
HeightPlane planeOf(const OfferInput& in)
{
    const auto it = in.features.find(planeThere(in));
    return it == in.features.end() ? HeightPlane{} : std::get<HeightPlane>(it->second);
}

std::optional<StandsOut> standsOut(const OfferInput& in, const Region& region)
{
    if (in.seen().content != image::Content::Height) return {};
    const RunInput here = in.looking({{"region", region}});
    const HeightArea area = heightArea(here, region);
    const auto fit = vision::fitPlane(in.seen().heights(), area.where);
    const HeightPlane base = planeOf(in);
    if (!fit || fit->points < 50) return {};
    // Much of it far above its own ground.
    auto over = vision::heightsIn(in.seen().heights(), area.where, fit->plane);
    const double high = vision::quantile(over, 0.995), median = vision::quantile(over, 0.5);
    StandsOut s;
    s.noise = fit->scale;
    const double least = std::max(8 * fit->scale, 1e-4);
    const auto above = double(std::count_if(over.begin(), over.end(), [&](float z) { return double(z) > least; }));
    if (high < least || above < 0.02 * double(over.size()) || median > least) return {};
    // Heights are stated over the base of the recipe.
    const Point middle = region.shape == Shape::Whole
                             ? Point{in.seen().pixels.width() / 2.0, in.seen().pixels.height() / 2.0}
                             : region.middle();
    s.ground = fit->plane.at(middle) - base.at(middle);
    s.low = s.ground + std::max(4 * fit->scale, 0.4 * high), s.high = s.ground + 1.6 * high;
    return s;
}

} // namespace steps

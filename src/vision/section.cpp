#include "vision/section.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace vision
{
using geometry::Point;
using image::HeightView;

namespace
{
constexpr double kNone = std::numeric_limits<double>::quiet_NaN();
auto noResult(const std::string& why) { return base::fail(base::ErrorCode::NoResult, why); }

// Height at a place, bilinear; NaN unless all pixels that count for it have one.
template <class V> double heightAt(const V& v, const image::HeightScale& s, double x, double y)
{
    if (x < 0 || y < 0 || x > v.width - 1 || y > v.height - 1) return kNone;
    const int ix = int(x), iy = int(y);
    const double fx = x - ix, fy = y - iy;
    double sum = 0;
    for (int j = 0; j < 2; ++j)
        for (int i = 0; i < 2; ++i) {
            const double w = (i ? fx : 1 - fx) * (j ? fy : 1 - fy);
            if (w <= 0) continue;
            const auto raw = double(v.at(std::min(ix + i, v.width - 1), std::min(iy + j, v.height - 1)));
            if (std::isnan(raw) || (s.missing && raw == *s.missing)) return kNone;
            sum += w * raw;
        }
    return s.offsetMm + s.mmPerStep * sum;
}
} // namespace

std::size_t Section::indexOf(double position) const
{
    if (heights.empty()) return 0;
    return std::size_t(std::clamp(std::lround(position / step), 0L, long(heights.size()) - 1));
}

base::Result<Section> sectionOf(const HeightView& view, const Path& path, const geometry::HeightPlane& over)
{
    constexpr double kLongest = 400'000;
    if (!(path.length >= 1) || path.length > kLongest)
        return noResult("the way is shorter than a pixel or far too long");
    Section out;
    out.path = path;
    const auto n = std::size_t(std::ceil(path.length)) + 1;
    out.step = path.length / double(n - 1);
    out.heights.assign(n, kNone);
    const int across = std::clamp(int(std::lround(path.width)), 1, 2001);
    view.visit([&](auto v) {
        for (std::size_t i = 0; i < n; ++i) {
            const double position = out.at(i);
            const Point p = path.at(position), side = geometry::leftOf(path.along(position));
            double sum = 0;
            int count = 0;
            for (int k = 0; k < across; ++k) {
                const Point q = p + side * (k - (across - 1) / 2.0);
                const double z = heightAt(v, view.scale, q.x, q.y);
                if (std::isnan(z)) continue;
                sum += z - over.at(q);
                ++count;
            }
            if (2 * count < across || count == 0) continue;
            out.heights[i] = sum / count;
            ++out.points;
        }
    });
    if (out.points == 0) return noResult("no point was measured along the way");
    return out;
}

namespace
{
// The height a stretch has `beyond` samples past one of its ends, by the line through up to eight samples there.
struct End {
    double height = 0, slope = 0; // of the last ones' middle; a sample
    double middle = 0;            // index
};
End endOf(const Section& s, std::size_t from, std::size_t to, bool atEnd)
{
    End e;
    const std::size_t n = std::min<std::size_t>(8, to - from), first = atEnd ? to - n : from;
    e.middle = double(first) + double(n - 1) / 2;
    double xx = 0, xz = 0;
    for (std::size_t i = first; i < first + n; ++i) e.height += s.heights[i] / double(n);
    for (std::size_t i = first; i < first + n; ++i) {
        const double x = double(i) - e.middle;
        xx += x * x;
        xz += x * (s.heights[i] - e.height);
    }
    e.slope = n >= 4 ? xz / xx : 0;
    return e;
}
// How much higher the ground lies behind a gap than before it: both are carried to its middle along their mean slope.
double riseAcross(const Section& s, std::size_t beforeFrom, std::size_t before, std::size_t from, std::size_t end)
{
    const End a = endOf(s, beforeFrom, before, true), b = endOf(s, from, end, false);
    return b.height - a.height - (a.slope + b.slope) / 2 * (b.middle - a.middle);
}
// The median slope of a stretch, a sample.
double slopeWithin(const Section& s, std::size_t from, std::size_t end)
{
    const std::size_t half = (end - from) / 4;
    std::vector<double> slopes;
    for (std::size_t i = from; half > 0 && i + half < end; ++i)
        slopes.push_back((s.heights[i + half] - s.heights[i]) / double(half));
    if (slopes.empty()) return 0;
    const auto middle = slopes.begin() + std::ptrdiff_t(slopes.size() / 2);
    std::nth_element(slopes.begin(), middle, slopes.end());
    return *middle;
}
} // namespace

std::vector<HeightEdge> heightEdges(const Section& s, const HeightEdgeOptions& o)
{
    std::vector<HeightEdge> out;
    const std::size_t n = s.heights.size();
    const auto missing = [&](std::size_t i) { return std::isnan(s.heights[i]); };
    const double unit = 100 / std::max(o.least, 1e-9); // so that the least step is 100 of what edges() compares
    std::size_t before = n;                            // the end of the stretch before
    std::size_t beforeFrom = 0;
    for (std::size_t i = 0; i < n;) {
        if (missing(i)) {
            ++i;
            continue;
        }
        std::size_t end = i;
        while (end < n && !missing(end)) ++end;
        if (before < n) {
            const double rise = riseAcross(s, beforeFrom, before, i, end);
            const double gap = double(i - before) * s.step;
            if (std::abs(rise) >= o.least && gap <= o.mostGap && (o.sense == 0 || (rise > 0) == (o.sense > 0))) {
                HeightEdge e;
                e.position = rise > 0 ? s.at(i) - s.step / 2 : s.at(before - 1) + s.step / 2;
                e.rise = rise, e.gap = gap;
                e.point = s.path.at(e.position);
                out.push_back(e);
            }
        }
        if (end - i >= 5) {
            Profile p;
            p.path = s.path;
            p.step = s.step;
            p.first = 0, p.end = int(end - i);
            p.origin = s.at(i);
            // What slopes evenly is no step.
            const double zero = s.heights[i], slope = slopeWithin(s, i, end);
            for (std::size_t k = i; k < end; ++k)
                p.level.push_back((s.heights[k] - zero - slope * double(k - i)) * unit);
            EdgeOptions eo{o.sense > 0   ? Polarity::DarkToBright
                           : o.sense < 0 ? Polarity::BrightToDark
                                         : Polarity::Any,
                           100, o.smoothing};
            const std::size_t apart = std::size_t(std::ceil(2 * o.smoothing)) + 1;
            for (const Edge& e : edges(p, eo)) {
                HeightEdge found{e.position, e.point, e.polarity * e.strength / unit, 0};
                // By the ground on both sides of it, as far as there is some: a ramp is no step either.
                const std::size_t at = s.indexOf(e.position);
                if (at >= i + apart + 4 && at + apart + 4 < end)
                    found.rise = riseAcross(s, i, at - apart, at + apart + 1, end);
                if (std::abs(found.rise) >= o.least && (found.rise > 0) == (e.polarity > 0)) out.push_back(found);
            }
        }
        before = end, beforeFrom = i;
        i = end;
    }
    std::stable_sort(out.begin(), out.end(), [](const auto& a, const auto& b) { return a.position < b.position; });
    return out;
}

namespace
{
struct Sample {
    double t, z;
    bool after;
};
// z = a + b t (+ h behind the edge), strays dropped: a start that half of the samples may not spoil, then Tukey.
struct Straight {
    double a = 0, b = 0, h = 0;
    std::vector<char> used;
};
double median(std::vector<double> v)
{
    const auto middle = v.begin() + std::ptrdiff_t(v.size() / 2);
    std::nth_element(v.begin(), middle, v.end());
    return *middle;
}
// Slopes between samples of one side far enough apart.
double slopeOf(const std::vector<Sample>& all)
{
    std::vector<double> slopes;
    for (const bool after : {false, true}) {
        std::vector<Sample> side;
        for (const Sample& s : all)
            if (s.after == after) side.push_back(s);
        const std::size_t half = side.size() / 2;
        for (std::size_t i = 0; half > 0 && i + half < side.size(); ++i)
            if (const double d = side[i + half].t - side[i].t; d > 0)
                slopes.push_back((side[i + half].z - side[i].z) / d);
    }
    return slopes.empty() ? 0 : median(slopes);
}
std::optional<Straight> straightThrough(const std::vector<Sample>& all, bool stepped)
{
    Straight f;
    f.b = slopeOf(all);
    std::vector<double> below, above;
    for (const Sample& s : all) (stepped && s.after ? above : below).push_back(s.z - f.b * s.t);
    if (below.empty() || (stepped && above.empty())) return std::nullopt;
    f.a = median(below);
    if (stepped) f.h = median(above) - f.a;
    f.used.assign(all.size(), 1);
    for (int round = 0; round < 10; ++round) {
        std::vector<double> off;
        const auto rest = [&](const Sample& s) { return s.z - f.a - f.b * s.t - (s.after ? f.h : 0); };
        for (const Sample& s : all) off.push_back(std::abs(rest(s)));
        const double cut = std::max(4.685 * 1.4826 * median(off), 1e-9);
        double w = 0, wt = 0, wtt = 0, wz = 0, wtz = 0, v = 0, vt = 0, vz = 0; // v: those behind the edge
        for (std::size_t i = 0; i < all.size(); ++i) {
            const double u = rest(all[i]) / cut;
            f.used[i] = u * u < 1;
            if (!f.used[i]) continue;
            const double k = (1 - u * u) * (1 - u * u), t = all[i].t, z = all[i].z;
            w += k, wt += k * t, wtt += k * t * t, wz += k * z, wtz += k * t * z;
            if (all[i].after) v += k, vt += k * t, vz += k * z;
        }
        const bool both = stepped && v > 0 && w - v > 0;
        // The slope is that within both sides together.
        double tt = wtt, tz = wtz;
        const double u = w - v, ut = wt - vt, uz = wz - vz;
        if (both) tt -= ut * ut / u + vt * vt / v, tz -= ut * uz / u + vt * vz / v;
        else tt -= wt * wt / w, tz -= wt * wz / w;
        if (!(w > 0)) return std::nullopt;
        const double before = f.b;
        f.b = tt > 1e-12 * wtt ? tz / tt : 0;
        if (both) f.a = (uz - f.b * ut) / u, f.h = (vz - f.b * vt) / v - f.a;
        else f.a = (wz - f.b * wt) / w;
        if (round > 2 && std::abs(f.b - before) < 1e-12) break;
    }
    return f;
}
std::vector<Sample> samplesOf(const Section& s, double from, double to, bool after, double middle)
{
    std::vector<Sample> out;
    for (std::size_t i = 0; i < s.heights.size(); ++i)
        if (const double t = s.at(i); t >= from && t <= to && !std::isnan(s.heights[i]))
            out.push_back({t - middle, s.heights[i], after});
    return out;
}
SectionLine lineOf(const std::vector<Sample>& all, const Straight& f, bool after, double middle)
{
    SectionLine l;
    double low = 1e300, high = -1e300, from = 1e300, to = -1e300;
    for (std::size_t i = 0; i < all.size(); ++i) {
        if (all[i].after != after) continue;
        ++l.points;
        from = std::min(from, all[i].t), to = std::max(to, all[i].t);
        if (!f.used[i]) continue;
        ++l.used;
        const double r = all[i].z - f.a - f.b * all[i].t - (after ? f.h : 0);
        low = std::min(low, r), high = std::max(high, r);
    }
    l.from = from + middle, l.to = to + middle, l.middle = (l.from + l.to) / 2;
    l.slope = f.b;
    l.height = f.a + (after ? f.h : 0) + f.b * (l.middle - middle);
    l.straightness = l.used ? high - low : 0;
    return l;
}
} // namespace

base::Result<SectionLine> fitLine(const Section& s, double from, double to)
{
    const double middle = (from + to) / 2;
    const auto all = samplesOf(s, from, to, false, middle);
    if (all.size() < 3) return noResult("fewer than 3 points for a line");
    const auto f = straightThrough(all, false);
    if (!f) return noResult("no line fits the points");
    return lineOf(all, *f, false, middle);
}

base::Result<SectionStep> fitStep(const Section& s, double from, double edge, double to, double margin, bool ownSlopes)
{
    auto all = samplesOf(s, from, edge - margin, false, edge);
    const std::size_t before = all.size();
    const auto behind = samplesOf(s, edge + margin, to, true, edge);
    if (before < 3 || behind.size() < 3)
        return noResult(std::string("fewer than 3 points ") + (before < 3 ? "before" : "behind") + " the step");
    if (ownSlopes) {
        auto after = behind;
        for (Sample& one : after) one.after = false;
        const auto a = straightThrough(all, false), b = straightThrough(after, false);
        if (!a || !b) return noResult("no line fits the points");
        SectionStep out{lineOf(all, *a, false, edge), lineOf(after, *b, false, edge), 0};
        out.rise = out.after.at(edge) - out.before.at(edge);
        return out;
    }
    all.insert(all.end(), behind.begin(), behind.end());
    const auto f = straightThrough(all, true);
    if (!f) return noResult("no line fits the points");
    return SectionStep{lineOf(all, *f, false, edge), lineOf(all, *f, true, edge), f->h};
}

base::Result<SectionArc> fitArc(const Section& s, double from, double to, double pixelMm)
{
    if (!(pixelMm > 0)) return noResult("a radius needs to know how many mm a pixel is");
    std::vector<Point> points;
    for (const Sample& p : samplesOf(s, from, to, false, 0)) points.push_back({p.t * pixelMm, -p.z});
    if (points.size() < 5) return noResult("fewer than 5 points for an arc");
    const auto fit = geometry::fitCircle(points, 1e-4);
    if (!fit) return base::passOn(fit.error());
    SectionArc out;
    out.along = fit->shape.centre.x, out.height = -fit->shape.centre.y, out.radius = fit->shape.radius;
    double mean = 0;
    for (const Point& p : points) mean -= p.y / double(points.size());
    out.hollow = out.height > mean;
    out.points = points.size(), out.used = std::size_t(fit->usedCount);
    return out;
}

base::Result<Groove> grooveIn(const Section& s, double shoulder, double smooth, bool ridge)
{
    const double all = s.at(s.heights.size() - 1), part = std::clamp(shoulder, 0.02, 0.45) * all;
    std::vector<Sample> sides = samplesOf(s, 0, part, false, all / 2);
    const auto right = samplesOf(s, all - part, all, false, all / 2);
    if (sides.size() < 2 || right.size() < 2) return noResult("a shoulder has fewer than 2 points");
    sides.insert(sides.end(), right.begin(), right.end());
    const auto f = straightThrough(sides, false);
    if (!f) return noResult("no line fits the shoulders");
    Groove g;
    g.shoulders = lineOf(sides, *f, false, all / 2);
    const double sign = ridge ? -1 : 1;
    const auto deep = [&](std::size_t i) { return sign * (g.shoulders.at(s.at(i)) - s.heights[i]); };
    const int half = std::max(0, int(std::lround(smooth / s.step)) / 2);
    const auto first = s.indexOf(part), last = s.indexOf(all - part);
    std::size_t deepest = 0;
    bool found = false;
    for (std::size_t i = first; i <= last; ++i) {
        double sum = 0;
        int n = 0;
        for (int k = -half; k <= half; ++k) {
            const auto at = std::ptrdiff_t(i) + k;
            if (at < 0 || at >= std::ptrdiff_t(s.heights.size()) || std::isnan(s.heights[std::size_t(at)])) continue;
            sum += deep(std::size_t(at));
            ++n;
        }
        if (n <= half || std::isnan(s.heights[i])) continue;
        if (!found || sum / n > g.depth) g.depth = sum / n, deepest = i, found = true;
    }
    if (!found || g.depth <= 0)
        return noResult(ridge ? "nothing stands above the shoulders" : "nothing lies below the shoulders");
    g.deepest = s.at(deepest);
    // Outward from the deepest place to where it is half as deep. A place between two samples that are there is found
    // on the line between them; across missing points it is not known.
    const auto border = [&](int way) -> std::optional<double> {
        std::size_t i = deepest;
        while (true) {
            const auto next = std::ptrdiff_t(i) + way;
            if (next < 0 || next >= std::ptrdiff_t(s.heights.size()) || std::isnan(s.heights[std::size_t(next)]))
                return std::nullopt;
            const double a = deep(i), b = deep(std::size_t(next));
            if (b <= g.depth / 2) return s.at(i) + way * s.step * (a > b ? (a - g.depth / 2) / (a - b) : 0.5);
            i = std::size_t(next);
        }
    };
    const auto l = border(-1), r = border(1);
    g.left = l.value_or(kNone), g.right = r.value_or(kNone);
    return g;
}

} // namespace vision

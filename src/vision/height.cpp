#include "vision/height.h"

#include "vision/simd/kernels.h"

#include <Eigen/Dense>
#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

namespace vision
{
using geometry::HeightPlane;
using geometry::Point;
using geometry::Span;
using image::HeightView;

namespace
{
constexpr float kNone = std::numeric_limits<float>::quiet_NaN();

float missingOf(const HeightView& v) { return v.scale.missing ? float(*v.scale.missing) : kNone; }
// The raw value of a point near the middle of the picture.
float rawZero(const HeightView& v)
{
    if (v.width <= 0 || v.height <= 0) return 0;
    constexpr int kTries = 4096;
    const std::size_t all = std::size_t(v.width) * std::size_t(v.height), step = std::max<std::size_t>(1, all / kTries);
    for (std::size_t k = 0; k < all; k += step) {
        const std::size_t at = (k + all / 2) % all;
        const int x = int(at % std::size_t(v.width)), y = int(at / std::size_t(v.width));
        if (!v.missing(x, y)) return float(v.raw(x, y));
    }
    return 0;
}
int longest(const std::vector<Span>& where)
{
    int n = 0;
    for (const Span& s : where) n = std::max(n, s.to - s.from);
    return n;
}
} // namespace

double zeroOf(const HeightView& view) { return view.scale.offsetMm + view.scale.mmPerStep * double(rawZero(view)); }

HeightRows::HeightRows(const HeightView& view, const HeightPlane& over, const HeightBand& band)
    : m_view(view), m_over(over), m_zero(rawZero(view)), m_missing(missingOf(view)), m_low(float(band.low)),
      m_high(float(band.high)), m_banded(std::isfinite(band.low) || std::isfinite(band.high))
{
}

void HeightRows::read(int y, int from, int to, float* out) const
{
    const double step = m_view.scale.mmPerStep;
    const double start = m_view.scale.offsetMm + step * double(m_zero) - m_over.at(from, y);
    const simd::HeightRow row{m_zero, float(step), float(start), float(-m_over.right), m_missing};
    m_view.visit([&](auto v) { simd::heightRow(v.row(y) + from, to - from, row, out); });
    if (!m_banded) return;
    for (int i = 0; i < to - from; ++i)
        if (out[i] < m_low || out[i] > m_high) out[i] = kNone;
}

std::vector<float> heightsIn(const HeightView& view, const std::vector<Span>& where, const HeightPlane& over,
                             const HeightBand& band)
{
    return heightsIn(HeightRows(view, over, band), where);
}

std::vector<float> heightsIn(const HeightRows& rows, const std::vector<Span>& where)
{
    std::vector<float> line(std::size_t(longest(where))), out;
    out.resize(std::size_t(geometry::pixelCount(where)) + 1);
    std::size_t n = 0;
    for (const Span& s : where) {
        rows.read(s.y, s.from, s.to, line.data());
        for (int i = 0; i < s.to - s.from; ++i) {
            out[n] = line[std::size_t(i)];
            n += !std::isnan(line[std::size_t(i)]);
        }
    }
    out.resize(n);
    return out;
}

double quantile(std::vector<float>& v, double q) { return quantiles(v, {q}).front(); }

std::vector<double> quantiles(std::vector<float>& v, const std::vector<double>& parts)
{
    if (v.empty()) return std::vector<double>(parts.size(), std::numeric_limits<double>::quiet_NaN());
    struct Wanted {
        std::size_t k;
        double part; // of the way to the next one
    };
    std::vector<Wanted> wanted;
    for (const double q : parts) {
        const double at = std::clamp(q, 0.0, 1.0) * double(v.size() - 1);
        wanted.push_back({std::size_t(at), at - double(std::size_t(at))});
    }
    // Of values in which the k-th is sought: it, or what lies between it and the next, which may be in no bin of its own.
    const auto within = [](std::vector<float>& in, std::size_t k, double part, float next) {
        const auto place = in.begin() + std::ptrdiff_t(k);
        std::nth_element(in.begin(), place, in.end());
        const double a = *place;
        if (part == 0) return a;
        const double b = place + 1 == in.end() ? double(next) : double(*std::min_element(place + 1, in.end()));
        return std::isfinite(b) ? a + (b - a) * part : a;
    };
    constexpr float kFar = std::numeric_limits<float>::infinity();
    std::vector<double> out;
    float lows[4] = {kFar, kFar, kFar, kFar}, highs[4] = {-kFar, -kFar, -kFar, -kFar};
    for (std::size_t i = 0; i < v.size(); ++i) {
        lows[i % 4] = std::min(lows[i % 4], v[i]);
        highs[i % 4] = std::max(highs[i % 4], v[i]);
    }
    const float low = *std::min_element(lows, lows + 4), high = *std::max_element(highs, highs + 4), wide = high - low;
    constexpr std::size_t kFew = 4096;
    if (v.size() <= kFew || !(wide > 0) || !std::isfinite(wide)) {
        for (const Wanted& w : wanted) out.push_back(within(v, w.k, w.part, kFar));
        return out;
    }
    // Only the values of the bins they lie in are put in order.
    constexpr int kBins = 1024;
    const float scale = float(kBins - 1) / wide;
    // Two tables in turn: neighbours are alike, and one counter would wait for itself.
    std::array<std::uint32_t, kBins> count{}, other{};
    for (std::size_t i = 0; i + 1 < v.size(); i += 2) {
        ++count[std::size_t(int((v[i] - low) * scale))];
        ++other[std::size_t(int((v[i + 1] - low) * scale))];
    }
    if (v.size() % 2) ++count[std::size_t(int((v.back() - low) * scale))];
    for (std::size_t i = 0; i < count.size(); ++i) count[i] += other[i];
    std::array<std::int8_t, kBins> of{};
    std::vector<std::vector<float>> in(wanted.size());
    std::vector<std::size_t> below(wanted.size(), 0), bin(wanted.size(), 0);
    of.fill(-1);
    for (std::size_t i = 0; i < wanted.size(); ++i) {
        while (below[i] + count[bin[i]] <= wanted[i].k) below[i] += count[bin[i]++];
        if (of[bin[i]] < 0) of[bin[i]] = std::int8_t(i);
    }
    for (const float x : v)
        if (const std::int8_t i = of[std::size_t(int((x - low) * scale))]; i >= 0) in[std::size_t(i)].push_back(x);
    for (std::size_t i = 0; i < wanted.size(); ++i) {
        std::vector<float>& mine = in[std::size_t(of[bin[i]])];
        const std::size_t k = wanted[i].k - below[i];
        float next = kFar;
        if (wanted[i].part > 0 && k + 1 == mine.size()) // the next one is the least beyond the bin
            for (const float x : v)
                if (std::size_t(int((x - low) * scale)) > bin[i]) next = std::min(next, x);
        out.push_back(within(mine, k, wanted[i].part, next));
    }
    return out;
}

HeightStats heightStats(std::vector<float> all, std::size_t pixels, double leftOut)
{
    HeightStats s;
    s.pixels = pixels, s.points = all.size();
    if (all.empty()) {
        s.mean = s.spread = s.median = s.low = s.high = std::numeric_limits<double>::quiet_NaN();
        return s;
    }
    // Four sums side by side, in their order: the same bits everywhere.
    const double zero = all.front();
    double sum[4] = {}, square[4] = {};
    for (std::size_t i = 0; i < all.size(); ++i) {
        const double d = double(all[i]) - zero;
        sum[i % 4] += d;
        square[i % 4] += d * d;
    }
    const auto n = double(all.size());
    const double mean = (sum[0] + sum[1] + sum[2] + sum[3]) / n,
                 squares = (square[0] + square[1] + square[2] + square[3]) / n;
    s.mean = zero + mean;
    s.spread = std::sqrt(std::max(0.0, squares - mean * mean));
    const auto q = quantiles(all, {0.5, leftOut, 1 - leftOut});
    s.median = q[0], s.low = q[1], s.high = q[2];
    return s;
}

HeightStats heightStats(const HeightView& view, const std::vector<Span>& where, const HeightPlane& over, double leftOut,
                        const HeightBand& band)
{
    // Near zero a height keeps all its figures.
    HeightPlane near = over;
    const double lift = zeroOf(view) - over.at(over.middle);
    const bool far = std::abs(lift) > 1000;
    if (far) near.base += lift;
    const HeightBand moved = far ? HeightBand{band.low - lift, band.high - lift} : band;
    HeightStats s = heightStats(heightsIn(view, where, near, moved), std::size_t(geometry::pixelCount(where)), leftOut);
    if (far)
        for (double* v : {&s.mean, &s.median, &s.low, &s.high}) *v += lift;
    return s;
}

namespace
{
struct Spot {
    double x, y, z;
};
constexpr std::size_t kSample = 10000;

// Points spread evenly over the region, not in step with any grid.
std::vector<Spot> sampleOf(const HeightView& view, const std::vector<Span>& where, double zero)
{
    const auto all = std::size_t(geometry::pixelCount(where));
    std::vector<Spot> out;
    HeightPlane level;
    level.base = zero;
    const HeightRows rows(view, level);
    float z = 0;
    if (all <= kSample) {
        for (const Span& s : where)
            for (int x = s.from; x < s.to; ++x) {
                rows.read(s.y, x, x + 1, &z);
                if (!std::isnan(z)) out.push_back({double(x), double(s.y), double(z)});
            }
        return out;
    }
    // Steps of changing length: one of 0.5 to 1.5 times the mean one.
    const double mean = double(all) / double(kSample);
    std::uint64_t state = 0x9e3779b97f4a7c15U;
    std::size_t passed = 0, span = 0;
    for (double next = 0; next < double(all);) {
        const auto n = std::size_t(next);
        while (span < where.size() && passed + std::size_t(where[span].to - where[span].from) <= n)
            passed += std::size_t(where[span].to - where[span].from), ++span;
        if (span == where.size()) break;
        const int x = where[span].from + int(n - passed), y = where[span].y;
        rows.read(y, x, x + 1, &z);
        if (!std::isnan(z)) out.push_back({double(x), double(y), double(z)});
        state ^= state << 13, state ^= state >> 7, state ^= state << 17;
        next += mean * (0.5 + double(state >> 11) * 0x1p-53);
    }
    return out;
}

std::optional<HeightPlane> through(const Spot& a, const Spot& b, const Spot& c)
{
    const double ux = b.x - a.x, uy = b.y - a.y, vx = c.x - a.x, vy = c.y - a.y, det = ux * vy - uy * vx;
    const double size = std::hypot(ux, uy) * std::hypot(vx, vy);
    if (size <= 0 || std::abs(det) < 1e-3 * size) return std::nullopt;
    HeightPlane p;
    p.right = ((b.z - a.z) * vy - (c.z - a.z) * uy) / det;
    p.down = (ux * (c.z - a.z) - vx * (b.z - a.z)) / det;
    p.base = a.z - p.right * a.x - p.down * a.y;
    return p;
}

double medianDistance(const std::vector<Spot>& spots, std::size_t step, const HeightPlane& p, std::vector<float>& room)
{
    room.clear();
    for (std::size_t i = 0; i < spots.size(); i += step)
        room.push_back(float(std::abs(spots[i].z - p.at(spots[i].x, spots[i].y))));
    const auto middle = room.begin() + std::ptrdiff_t(room.size() / 2);
    std::nth_element(room.begin(), middle, room.end());
    return double(*middle);
}

// Weighted sums about (cx, cy), solved for the correction of a plane.
struct Sums {
    double w = 0, wx = 0, wy = 0, wxx = 0, wxy = 0, wyy = 0, wr = 0, wxr = 0, wyr = 0;
    bool correct(HeightPlane& p, double cx, double cy) const
    {
        if (!(w > 0)) return false;
        // about their own middle
        const double mx = wx / w, my = wy / w, xx = wxx - wx * mx, xy = wxy - wx * my, yy = wyy - wy * my,
                     xr = wxr - mx * wr, yr = wyr - my * wr, det = xx * yy - xy * xy;
        if (!(det > 1e-9 * std::max(1e-12, xx * yy)) || !(xx > 0) || !(yy > 0)) return false;
        const double a = (xr * yy - yr * xy) / det, b = (xx * yr - xy * xr) / det;
        p.right += a, p.down += b;
        p.base += wr / w - a * (mx + cx) - b * (my + cy);
        return true;
    }
};
constexpr double kTukey = 4.685;

base::Result<PlaneFit> none(const std::string& why) { return base::fail(base::ErrorCode::NoResult, why); }
} // namespace

base::Result<PlaneFit> fitPlane(const HeightView& view, const std::vector<Span>& where, double reach)
{
    PlaneFit fit;
    fit.pixels = std::size_t(geometry::pixelCount(where));
    const double zero = zeroOf(view);
    const std::vector<Spot> spots = sampleOf(view, where, zero);
    if (spots.size() < 3)
        return none(spots.empty() ? "no point was measured in the area" : "fewer than 3 points for a plane");
    // Least median of squares over samples of three.
    std::uint64_t state = 0x2545f4914f6cdd1dU;
    const auto random = [&] {
        state ^= state << 13, state ^= state >> 7, state ^= state << 17;
        return std::size_t((state >> 11) % spots.size());
    };
    std::vector<float> room;
    HeightPlane best;
    double bestMedian = std::numeric_limits<double>::infinity();
    const std::size_t step = std::max<std::size_t>(1, spots.size() / 250);
    const int tries = spots.size() < 12 ? 200 : 500;
    for (int k = 0; k < tries; ++k) {
        const auto p = through(spots[random()], spots[random()], spots[random()]);
        if (!p) continue;
        const double m = medianDistance(spots, step, *p, room);
        if (m < bestMedian) bestMedian = m, best = *p;
    }
    if (!std::isfinite(bestMedian)) {
        // Few random ones are in a row by chance; all of them are when no three are not.
        for (std::size_t i = 0; i + 2 < spots.size() && !std::isfinite(bestMedian); ++i)
            if (const auto p = through(spots[0], spots[i + 1], spots.back())) best = *p, bestMedian = 0;
        if (!std::isfinite(bestMedian)) return none("the points lie in a row: they make no plane");
    }
    const double cx = spots[spots.size() / 2].x, cy = spots[spots.size() / 2].y;
    // Steps of the samples are no spread.
    const double finest =
        std::max({2e-6, 3e-7 * std::abs(zero), view.real ? 0.0 : 1.5 * std::abs(view.scale.mmPerStep)});
    double scale = 0;
    const auto cutOf = [&] { return reach > 0 ? reach : std::max(kTukey * scale, finest); };
    // Of the points that belong to the plane: what stands out does not make it wider.
    const auto scaleOf = [&](const HeightPlane& p) {
        double s = 1.4826 * medianDistance(spots, 1, p, room);
        for (int k = 0; k < 3; ++k) {
            room.clear();
            for (const Spot& q : spots)
                if (const double r = std::abs(q.z - p.at(q.x, q.y)); r <= 3 * s) room.push_back(float(r));
            if (room.empty()) break;
            const auto middle = room.begin() + std::ptrdiff_t(room.size() / 2);
            std::nth_element(room.begin(), middle, room.end());
            s = 1.4826 * double(*middle);
        }
        return s;
    };
    for (int round = 0; round < 12; ++round) {
        scale = scaleOf(best);
        const double cut = cutOf();
        Sums s;
        for (const Spot& q : spots) {
            const double r = q.z - best.at(q.x, q.y), u = r / cut, x = q.x - cx, y = q.y - cy;
            if (u * u >= 1) continue;
            const double w = (1 - u * u) * (1 - u * u);
            s.w += w, s.wx += w * x, s.wy += w * y;
            s.wxx += w * x * x, s.wxy += w * x * y, s.wyy += w * y * y;
            s.wr += w * r, s.wxr += w * x * r, s.wyr += w * y * r;
        }
        const HeightPlane before = best;
        if (!s.correct(best, cx, cy)) break;
        const double moved = std::abs(best.at(cx, cy) - before.at(cx, cy)) +
                             (std::abs(best.right - before.right) + std::abs(best.down - before.down)) *
                                 std::max(view.width, view.height);
        if (moved < 1e-3 * std::max(scale, 1e-9)) break;
    }
    best.base += zero;
    // The last step over every point.
    HeightPlane near = best;
    near.base -= zero;
    scale = scaleOf(near);
    fit.reach = cutOf(), fit.scale = scale;
    const HeightRows rows(view, best);
    std::vector<float> line(std::size_t(longest(where)));
    Sums s;
    for (const Span& span : where) {
        rows.read(span.y, span.from, span.to, line.data());
        simd::PlaneSums row;
        simd::planeSums(line.data(), span.to - span.from, float(fit.reach), row);
        fit.points += std::size_t(row.points), fit.used += std::size_t(row.used);
        const double dx = span.from - cx, y = span.y - cy, wx = row.wx + dx * row.w, wxr = row.wxr + dx * row.wr;
        s.w += row.w, s.wx += wx, s.wy += y * row.w;
        s.wxx += row.wxx + 2 * dx * row.wx + dx * dx * row.w, s.wxy += y * wx, s.wyy += y * y * row.w;
        s.wr += row.wr, s.wxr += wxr, s.wyr += y * row.wr;
    }
    s.correct(best, cx, cy); // where it cannot, the sample's plane stays
    best.middle = {cx, cy};
    if (s.w > 0) best.middle = {cx + s.wx / s.w, cy + s.wy / s.w};
    fit.plane = best;
    return fit;
}

base::Result<PlaneFit> planeThrough(const HeightView& view, const Point (&places)[3], double radius)
{
    PlaneFit fit;
    Spot spots[3];
    for (int i = 0; i < 3; ++i) {
        const auto where =
            geometry::spans(geometry::Region::circle(places[i], std::max(radius, 0.75)), view.width, view.height);
        const HeightStats s = heightStats(view, where, {}, 0);
        fit.pixels += s.pixels, fit.points += s.points;
        if (s.points == 0) return none("no point was measured at place " + std::to_string(i + 1));
        spots[i] = {places[i].x, places[i].y, s.median};
    }
    const auto p = through(spots[0], spots[1], spots[2]);
    if (!p) return none("the three places lie in a row: they make no plane");
    fit.plane = *p;
    fit.plane.middle = (places[0] + places[1] + places[2]) * (1.0 / 3);
    fit.used = fit.points;
    return fit;
}

namespace
{
// Steps of 16 bit are compared as they are: the bounds move along the row with the plane. Of 1024 pixels those that keep
// to the widest bounds and not to the narrowest are few; only words that hold one are worked out height by height.
class StepBand
{
public:
    StepBand(const HeightView& view, const HeightPlane& over, double low, double high)
        : m_view(view), m_over(over), m_low(low), m_high(high), m_rows(view, over)
    {
    }
    // Of a picture whose steps go up, whose missing value lies out of the way.
    static bool fits(const HeightView& v) { return !v.real && v.scale.mmPerStep > 0; }
    void bits(const Span& s, std::uint64_t* to)
    {
        const std::uint16_t* row = static_cast<const std::uint16_t*>(m_view.data) + s.y * m_view.stride;
        for (int from = s.from; from < s.to; from += kPiece) {
            const int n = std::min(kPiece, s.to - from);
            piece(row + from, from, s.y, n, to + (from - s.from) / 64);
        }
    }

private:
    static constexpr int kPiece = 1024;
    static std::uint16_t clamped(double x) { return std::uint16_t(std::clamp(x, 0.0, 65535.0)); }
    void piece(const std::uint16_t* p, int x, int y, int n, std::uint64_t* to)
    {
        const double step = m_view.scale.mmPerStep, offset = m_view.scale.offsetMm;
        const double a = m_over.at(x, y) - offset, b = m_over.at(x + n - 1, y) - offset;
        // A step to either side for what single precision rounds.
        const double lowest = std::floor((m_low + std::min(a, b)) / step) - 1,
                     highest = std::ceil((m_high + std::max(a, b)) / step) + 1,
                     narrowLow = std::ceil((m_low + std::max(a, b)) / step) + 1,
                     narrowHigh = std::floor((m_high + std::min(a, b)) / step) - 1;
        const int words = (n + 63) / 64;
        if (!(highest >= 0) || !(lowest <= 65535)) {
            std::fill_n(to, words, std::uint64_t(0));
            return;
        }
        const std::uint16_t wide[2] = {clamped(lowest), clamped(highest)},
                            narrow[2] = {clamped(narrowLow), clamped(narrowHigh)};
        const bool some = narrowHigh >= narrowLow && narrowHigh >= 0 && narrowLow <= 65535;
        const double none = m_view.scale.missing.value_or(-1);
        const bool mayMiss = none >= lowest && none <= highest;
        simd::inRange(p, n, wide[0], wide[1], to);
        int first = 0, end = words;
        while (first < end && to[first] == 0) ++first;
        while (end > first && to[end - 1] == 0) --end;
        if (first == end) return;
        std::uint64_t sure[kPiece / 64] = {};
        if (some && !mayMiss)
            simd::inRange(p + 64 * first, std::min(n, 64 * end) - 64 * first, narrow[0], narrow[1], sure + first);
        for (int w = first; w < end; ++w) {
            if (to[w] == sure[w]) continue;
            const int at = 64 * w, count = std::min(64, n - at);
            m_rows.read(y, x + at, x + at + count, m_line);
            simd::inRange(m_line, count, float(m_low), float(m_high), to + w);
        }
    }
    HeightView m_view;
    HeightPlane m_over;
    double m_low, m_high;
    HeightRows m_rows;
    float m_line[64];
};
} // namespace

std::vector<Run> runsInBand(const HeightView& view, const std::vector<Span>& where, const HeightPlane& over, double low,
                            double high)
{
    std::vector<Run> runs;
    runs.reserve(1 << 14);
    std::vector<std::uint64_t> bits(std::size_t(longest(where)) / 64 + 2);
    if (StepBand::fits(view)) {
        StepBand band(view, over, low, high);
        for (const Span& s : where) {
            band.bits(s, bits.data());
            runsOfBits(bits.data(), s.to - s.from, s, runs);
        }
        return runs;
    }
    const HeightRows rows(view, over);
    std::vector<float> line(std::size_t(longest(where)));
    for (const Span& s : where) {
        rows.read(s.y, s.from, s.to, line.data());
        simd::inRange(line.data(), s.to - s.from, float(low), float(high), bits.data());
        runsOfBits(bits.data(), s.to - s.from, s, runs);
    }
    return runs;
}

std::vector<Run> runsMissing(const HeightView& view, const std::vector<Span>& where)
{
    std::vector<Run> runs;
    const HeightRows rows(view, {});
    std::vector<float> line(std::size_t(longest(where)));
    constexpr float kAll = std::numeric_limits<float>::infinity();
    std::vector<std::uint64_t> bits(line.size() / 64 + 2);
    for (const Span& s : where) {
        const int n = s.to - s.from;
        rows.read(s.y, s.from, s.to, line.data());
        simd::inRange(line.data(), n, -kAll, kAll, bits.data());
        for (int w = 0; w < (n + 63) / 64; ++w) {
            const int left = n - 64 * w;
            bits[std::size_t(w)] =
                ~bits[std::size_t(w)] & (left >= 64 ? ~std::uint64_t(0) : (std::uint64_t(1) << left) - 1);
        }
        runsOfBits(bits.data(), n, s, runs);
    }
    return runs;
}

VolumeSums volumeOver(const HeightView& view, const std::vector<Span>& where, const HeightPlane& over,
                      const HeightBand& band)
{
    VolumeSums out;
    const HeightRows rows(view, over, band);
    std::vector<float> line(std::size_t(longest(where)));
    for (const Span& s : where) {
        rows.read(s.y, s.from, s.to, line.data());
        out.pixels += std::size_t(s.to - s.from);
        for (int i = 0; i < s.to - s.from; ++i) {
            const float z = line[std::size_t(i)];
            if (std::isnan(z)) continue;
            ++out.points;
            (z > 0 ? out.above : out.below) += std::abs(double(z));
        }
    }
    return out;
}

namespace
{
// to[i] = the least of p[i] .. p[i + side - 1]; van Herk 1992.
void leastAlong(const std::vector<float>& p, int side, std::vector<float>& to)
{
    const int n = int(p.size());
    static thread_local std::vector<float> from, back;
    from.assign(p.begin(), p.end()), back.assign(p.begin(), p.end());
    for (int i = 0; i < n; ++i)
        if (i % side != 0) from[std::size_t(i)] = std::min(from[std::size_t(i - 1)], from[std::size_t(i)]);
    for (int i = n - 2; i >= 0; --i)
        if (i % side != side - 1) back[std::size_t(i)] = std::min(back[std::size_t(i + 1)], back[std::size_t(i)]);
    for (int i = 0; i + side <= n; ++i)
        to[std::size_t(i)] = std::min(back[std::size_t(i)], from[std::size_t(i + side - 1)]);
}
} // namespace

base::Result<Extreme> extremeOf(const HeightView& view, const std::vector<Span>& where, const HeightPlane& over,
                                int side, bool highest, const HeightBand& band)
{
    const auto nothing = [] {
        return base::fail(base::ErrorCode::NoResult, "nowhere in the area are enough points together");
    };
    if (where.empty()) return nothing();
    int left = view.width, right = 0, top = view.height, bottom = 0;
    for (const Span& s : where)
        left = std::min(left, s.from), right = std::max(right, s.to), top = std::min(top, s.y),
        bottom = std::max(bottom, s.y + 1);
    const int w = right - left, h = bottom - top;
    side = std::min({side, w, h});
    // Turned over, the lowest is the highest. The square whose least point lies highest: one high point alone lifts none.
    constexpr float kFar = std::numeric_limits<float>::infinity();
    const HeightRows rows(view, over, band);
    std::vector<float> line(std::size_t(w), 0.0f), least(std::size_t(w) * std::size_t(side), kFar),
        now(std::size_t(w), kFar);
    std::vector<std::uint8_t> there(std::size_t(w) * std::size_t(side), 0);
    std::vector<int> count(std::size_t(w), 0);
    int bestX = -1, bestY = 0;
    float most = 0;
    std::size_t k = 0;
    std::vector<float> out(std::size_t(w), kFar);
    for (int y = top; y < bottom; ++y) {
        const std::size_t slot = std::size_t((y - top) % side) * std::size_t(w);
        std::fill(line.begin(), line.end(), kNone);
        for (; k < where.size() && where[k].y == y; ++k)
            rows.read(y, where[k].from, where[k].to, line.data() + (where[k].from - left));
        for (int i = 0; i < w; ++i) {
            float& z = line[std::size_t(i)];
            const bool has = !std::isnan(z);
            std::uint8_t& had = there[slot + std::size_t(i)];
            count[std::size_t(i)] += int(has) - int(had);
            had = has;
            z = has ? (highest ? z : -z) : kFar;
        }
        leastAlong(line, side, out);
        std::copy(out.begin(), out.end(), least.begin() + std::ptrdiff_t(slot));
        if (y - top < side - 1) continue;
        std::copy_n(least.begin(), w, now.begin());
        for (int r = 1; r < side; ++r) {
            const float* row = least.data() + std::size_t(r) * std::size_t(w);
            for (int i = 0; i < w; ++i) now[std::size_t(i)] = std::min(now[std::size_t(i)], row[i]);
        }
        int n = 0;
        for (int i = 0; i < w; ++i) {
            n += count[std::size_t(i)] - (i >= side ? count[std::size_t(i - side)] : 0);
            const int x = i - side + 1;
            if (x < 0 || 2 * n <= side * side) continue;
            if (const float z = now[std::size_t(x)]; bestX < 0 || z > most) most = z, bestX = x, bestY = y - side + 1;
        }
    }
    if (bestX < 0) return nothing();
    std::vector<Span> square;
    for (const Span& s : where)
        if (s.y >= bestY && s.y < bestY + side) {
            const Span cut{s.y, std::max(s.from, left + bestX), std::min(s.to, left + bestX + side)};
            if (cut.from < cut.to) square.push_back(cut);
        }
    const HeightStats s = heightStats(view, square, over, 0, band);
    return Extreme{{left + bestX + (side - 1) / 2.0, bestY + (side - 1) / 2.0}, s.median};
}

} // namespace vision

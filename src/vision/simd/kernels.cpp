#include "vision/simd/kernels.h"

#include <cmath>
#include <cstring>
#include <limits>
#include <type_traits>

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "vision/simd/kernels.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace vision::simd::HWY_NAMESPACE
{
namespace hn = hwy::HWY_NAMESPACE;

// Blocks of 64 samples give one word; the tail is done plainly.
template <class T> void InRange(const T* p, int n, T low, T high, std::uint64_t* bits)
{
    const hn::CappedTag<T, 64> d;
    const auto lo = hn::Set(d, low), hi = hn::Set(d, high);
    const int lanes = int(hn::Lanes(d));
    int i = 0;
    for (; i + 64 <= n; i += 64) {
        std::uint64_t word = 0;
        for (int k = 0; k < 64; k += lanes) {
            const auto v = hn::LoadU(d, p + i + k);
            // No unsigned ≤ everywhere: a value is in range when clamping leaves it as it is.
            const auto in = hn::Eq(hn::Min(hn::Max(v, lo), hi), v);
            alignas(8) std::uint8_t part[8] = {};
            hn::StoreMaskBits(d, in, part);
            std::uint64_t w = 0;
            std::memcpy(&w, part, 8);
            word |= w << k;
        }
        bits[i / 64] = word;
    }
    if (i < n) scalar::inRange(p + i, n - i, low, high, bits + i / 64);
}
void InRange8(const std::uint8_t* p, int n, std::uint8_t low, std::uint8_t high, std::uint64_t* bits)
{
    InRange(p, n, low, high, bits);
}
void InRange16(const std::uint16_t* p, int n, std::uint16_t low, std::uint16_t high, std::uint64_t* bits)
{
    InRange(p, n, low, high, bits);
}

void InRangeFloat(const float* p, int n, float low, float high, std::uint64_t* bits)
{
    const hn::CappedTag<float, 16> d;
    const auto lo = hn::Set(d, low), hi = hn::Set(d, high);
    const int lanes = int(hn::Lanes(d));
    int i = 0;
    for (; i + 64 <= n; i += 64) {
        std::uint64_t word = 0;
        for (int k = 0; k < 64; k += lanes) {
            const auto v = hn::LoadU(d, p + i + k);
            alignas(8) std::uint8_t part[8] = {};
            hn::StoreMaskBits(d, hn::And(hn::Ge(v, lo), hn::Le(v, hi)), part);
            std::uint64_t w = 0;
            std::memcpy(&w, part, 8);
            word |= w << k;
        }
        bits[i / 64] = word;
    }
    if (i < n) scalar::inRange(p + i, n - i, low, high, bits + i / 64);
}
template <class T> void RowOf(const T* p, int n, const HeightRow& row, float* to)
{
    const hn::ScalableTag<float> d;
    const int lanes = int(hn::Lanes(d));
    const auto zero = hn::Set(d, row.zero), step = hn::Set(d, row.step), start = hn::Set(d, row.start),
               slope = hn::Set(d, row.slope), missing = hn::Set(d, row.missing),
               none = hn::Set(d, std::numeric_limits<float>::quiet_NaN());
    const auto count = hn::Iota(d, 0.0f);
    int i = 0;
    for (; i + lanes <= n; i += lanes) {
        hn::Vec<decltype(d)> v;
        if constexpr (sizeof(T) == 4) {
            v = hn::LoadU(d, p + i);
        } else {
            const hn::Rebind<std::uint16_t, decltype(d)> d16;
            const hn::RebindToSigned<decltype(d)> di;
            v = hn::ConvertTo(d, hn::PromoteTo(di, hn::LoadU(d16, p + i)));
        }
        const auto x = hn::Add(count, hn::Set(d, float(i)));
        const auto z = hn::Add(hn::Mul(hn::Sub(v, zero), step), hn::Add(start, hn::Mul(slope, x)));
        hn::StoreU(hn::IfThenElse(hn::Eq(v, missing), none, z), d, to + i);
    }
    if (i == n) return;
    // The tail counts on from i in the same way.
    for (; i < n; ++i) {
        const auto v = float(p[i]);
        const float z = (v - row.zero) * row.step + (row.start + row.slope * float(i));
        to[i] = v == row.missing ? std::numeric_limits<float>::quiet_NaN() : z;
    }
}
void HeightRow16(const std::uint16_t* p, int n, const HeightRow& row, float* to) { RowOf(p, n, row, to); }
void HeightRowFloat(const float* p, int n, const HeightRow& row, float* to) { RowOf(p, n, row, to); }

// Whole blocks of eight; what is left is done plainly on top of the same eight sums.
void PlaneSumsOf(const float* r, int n, float cut, PlaneSums& to)
{
    const hn::CappedTag<float, 8> d;
    const int lanes = int(hn::Lanes(d));
    constexpr int kBlock = 1024;
    const auto vcut = hn::Set(d, cut), one = hn::Set(d, 1.0f), nothing = hn::Zero(d);
    const auto count = hn::Iota(d, 0.0f);
    for (int from = 0; from < n; from += kBlock) {
        const int end = n - from < kBlock ? n : from + kBlock, whole = from + (end - from) / 8 * 8;
        alignas(32) float sums[5][8] = {};
        for (int part = 0; part < 8; part += lanes) {
            auto w = nothing, wx = nothing, wxx = nothing, wr = nothing, wxr = nothing;
            std::size_t points = 0, used = 0;
            for (int i = from + part; i < whole; i += 8) {
                const auto v = hn::LoadU(d, r + i), u = hn::Div(v, vcut), uu = hn::Mul(u, u);
                const auto there = hn::Eq(v, v), near = hn::Lt(uu, one);
                points += hn::CountTrue(d, there);
                used += hn::CountTrue(d, near);
                const auto x = hn::Add(count, hn::Set(d, float(i - from)));
                const auto t = hn::Sub(one, uu);
                const auto weight = hn::IfThenElseZero(near, hn::Mul(t, t)), value = hn::IfThenElseZero(near, v);
                const auto weighed = hn::Mul(weight, x);
                w = hn::Add(w, weight);
                wx = hn::Add(wx, weighed);
                wxx = hn::Add(wxx, hn::Mul(weighed, x));
                wr = hn::Add(wr, hn::Mul(weight, value));
                wxr = hn::Add(wxr, hn::Mul(weighed, value));
            }
            hn::StoreU(w, d, sums[0] + part);
            hn::StoreU(wx, d, sums[1] + part);
            hn::StoreU(wxx, d, sums[2] + part);
            hn::StoreU(wr, d, sums[3] + part);
            hn::StoreU(wxr, d, sums[4] + part);
            to.points += std::int64_t(points);
            to.used += std::int64_t(used);
        }
        for (int i = whole; i < end; ++i) {
            const int k = (i - from) % 8;
            const float v = r[i], u = v / cut, x = float(i - from);
            if (std::isnan(v)) continue;
            ++to.points;
            if (!(u * u < 1)) continue;
            ++to.used;
            const float t = 1 - u * u, weight = t * t;
            sums[0][k] += weight;
            sums[1][k] += weight * x;
            sums[2][k] += weight * x * x;
            sums[3][k] += weight * v;
            sums[4][k] += weight * x * v;
        }
        double all[5] = {};
        for (int j = 0; j < 5; ++j)
            for (int k = 0; k < 8; ++k) all[j] += double(sums[j][k]);
        const double f = from;
        to.w += all[0];
        to.wx += all[1] + f * all[0];
        to.wxx += all[2] + 2 * f * all[1] + f * f * all[0];
        to.wr += all[3];
        to.wxr += all[4] + f * all[3];
    }
}

void Spline(const std::uint8_t* base, std::ptrdiff_t stride, float x, float y, float dx, float dy, int n, float* sums)
{
    const hn::ScalableTag<float> d;
    const hn::RebindToSigned<decltype(d)> di;
    using V = hn::Vec<decltype(d)>;
    const int lanes = int(hn::Lanes(d));
    const auto one = hn::Set(d, 1.0f), sixth = hn::Set(d, 1.0f / 6.0f), twoThirds = hn::Set(d, 2.0f / 3.0f),
               halfOf = hn::Set(d, 0.5f);
    const auto count = hn::Iota(d, 0.0f), vx = hn::Set(d, x), vy = hn::Set(d, y), vdx = hn::Set(d, dx),
               vdy = hn::Set(d, dy);
    const auto byte = hn::Set(di, 255), pitch = hn::Set(di, std::int32_t(stride));
    const auto last = hn::Set(d, float(n - 1));
    // Short rows are the rule: what is beyond the end of one counts as its last place, and is not stored.
    for (int i = 0; i < n; i += lanes) {
        const V k = hn::Min(hn::Add(count, hn::Set(d, float(i))), last);
        const V px = hn::Add(vx, hn::Mul(k, vdx)), py = hn::Add(vy, hn::Mul(k, vdy));
        const V ix = hn::Floor(px), iy = hn::Floor(py);
        const V fx = hn::Sub(px, ix), fy = hn::Sub(py, iy), gx = hn::Sub(one, fx), gy = hn::Sub(one, fy);
        const V x0 = hn::Mul(hn::Mul(hn::Mul(gx, gx), gx), sixth), x3 = hn::Mul(hn::Mul(hn::Mul(fx, fx), fx), sixth);
        const V x1 = hn::Add(hn::Mul(hn::Sub(hn::Mul(fx, halfOf), one), hn::Mul(fx, fx)), twoThirds);
        const V x2 = hn::Add(hn::Mul(hn::Sub(hn::Mul(gx, halfOf), one), hn::Mul(gx, gx)), twoThirds);
        const V y0 = hn::Mul(hn::Mul(hn::Mul(gy, gy), gy), sixth), y3 = hn::Mul(hn::Mul(hn::Mul(fy, fy), fy), sixth);
        const V y1 = hn::Add(hn::Mul(hn::Sub(hn::Mul(fy, halfOf), one), hn::Mul(fy, fy)), twoThirds);
        const V y2 = hn::Add(hn::Mul(hn::Sub(hn::Mul(gy, halfOf), one), hn::Mul(gy, gy)), twoThirds);
        auto offset = hn::Add(hn::Mul(hn::Sub(hn::ConvertTo(di, iy), hn::Set(di, 1)), pitch),
                              hn::Sub(hn::ConvertTo(di, ix), hn::Set(di, 1)));
        const auto row = [&](V wy, V all) HWY_ATTR {
            // Four neighbouring bytes in one word.
            const auto word = hn::GatherOffset(di, reinterpret_cast<const std::int32_t*>(base), offset);
            const V p0 = hn::ConvertTo(d, hn::And(word, byte)),
                    p1 = hn::ConvertTo(d, hn::And(hn::ShiftRight<8>(word), byte));
            const V p2 = hn::ConvertTo(d, hn::And(hn::ShiftRight<16>(word), byte)),
                    p3 = hn::ConvertTo(d, hn::And(hn::ShiftRight<24>(word), byte));
            const V sum = hn::Add(hn::Add(hn::Add(hn::Mul(x0, p0), hn::Mul(x1, p1)), hn::Mul(x2, p2)), hn::Mul(x3, p3));
            offset = hn::Add(offset, pitch);
            return hn::Add(all, hn::Mul(wy, sum));
        };
        const V all = row(y3, row(y2, row(y1, row(y0, hn::Zero(d)))));
        if (i + lanes <= n) {
            hn::StoreU(hn::Add(hn::LoadU(d, sums + i), all), d, sums + i);
        } else {
            const auto there = hn::FirstN(d, std::size_t(n - i));
            hn::BlendedStore(hn::Add(hn::MaskedLoad(there, d, sums + i), all), there, d, sums + i);
        }
    }
}
void Differs(const std::uint8_t* a, const std::uint8_t* b, int n, std::uint8_t least, std::uint8_t* to)
{
    const hn::ScalableTag<std::uint8_t> d;
    const auto t = hn::Set(d, least);
    const int lanes = int(hn::Lanes(d));
    int i = 0;
    for (; i + lanes <= n; i += lanes) {
        const auto x = hn::LoadU(d, a + i), y = hn::LoadU(d, b + i);
        const auto gap = hn::Or(hn::SaturatedSub(x, y), hn::SaturatedSub(y, x));
        // gap > t: what is left of it after taking t away is not 0.
        hn::StoreU(hn::VecFromMask(d, hn::Ne(hn::SaturatedSub(gap, t), hn::Zero(d))), d, to + i);
    }
    scalar::differs(a + i, b + i, n - i, least, to + i);
}
std::uint16_t Ratios(const std::uint8_t* p, const std::uint8_t* usual, const std::uint16_t* weight, int n,
                     const RatioRow& row, std::uint8_t* to)
{
    const hn::ScalableTag<std::uint16_t> d;
    const hn::Rebind<std::uint8_t, decltype(d)> d8;
    const int lanes = int(hn::Lanes(d));
    const auto scale = hn::Set(d, row.scale), over = hn::Set(d, row.over), most = hn::Set(d, std::uint16_t(32767));
    const auto less = hn::Set(d, std::uint16_t(row.offset > 0 ? row.offset : 0));
    const auto more = hn::Set(d, std::uint16_t(row.offset < 0 ? -row.offset : 0));
    const auto full = hn::Set(d, std::uint16_t(255)), zero = hn::Zero(d);
    auto highest = hn::Zero(d);
    int i = 0;
    for (; i + lanes <= n; i += lanes) {
        const auto v = hn::MulHigh(hn::ShiftLeft<8>(hn::PromoteTo(d, hn::LoadU(d8, p + i))), scale);
        const auto level = hn::SaturatedAdd(hn::SaturatedSub(v, less), more);
        const auto u = hn::ShiftLeft<7>(hn::PromoteTo(d, hn::LoadU(d8, usual + i)));
        const auto gap = hn::Or(hn::SaturatedSub(level, u), hn::SaturatedSub(u, level));
        const auto r = hn::MulHigh(hn::ShiftLeft<1>(hn::Min(gap, most)), hn::LoadU(d, weight + i));
        highest = hn::Max(highest, r);
        const auto is = hn::IfThenElse(hn::Eq(hn::SaturatedSub(r, over), zero), zero, full);
        hn::StoreU(hn::DemoteTo(d8, hn::BitCast(hn::RebindToSigned<decltype(d)>(), is)), d8, to + i);
    }
    const std::uint16_t rest = scalar::ratios(p + i, usual + i, weight + i, n - i, row, to + i);
    const std::uint16_t all = hn::GetLane(hn::MaxOfLanes(d, highest));
    return all > rest ? all : rest;
}
void Lower(const std::uint8_t* a, const std::uint8_t* b, int n, std::uint8_t* to)
{
    const hn::ScalableTag<std::uint8_t> d;
    const int lanes = int(hn::Lanes(d));
    int i = 0;
    for (; i + lanes <= n; i += lanes) hn::StoreU(hn::Min(hn::LoadU(d, a + i), hn::LoadU(d, b + i)), d, to + i);
    scalar::lower(a + i, b + i, n - i, to + i);
}
void Higher(const std::uint8_t* a, const std::uint8_t* b, int n, std::uint8_t* to)
{
    const hn::ScalableTag<std::uint8_t> d;
    const int lanes = int(hn::Lanes(d));
    int i = 0;
    for (; i + lanes <= n; i += lanes) hn::StoreU(hn::Max(hn::LoadU(d, a + i), hn::LoadU(d, b + i)), d, to + i);
    scalar::higher(a + i, b + i, n - i, to + i);
}
// `fixed` > 0: the window, known while compiling.
template <bool low, int fixed> void ExtremeRow(const std::uint8_t* p, int n, int asked, std::uint8_t* to)
{
    const int window = fixed > 0 ? fixed : asked;
    const hn::ScalableTag<std::uint8_t> d;
    const int lanes = int(hn::Lanes(d));
    int i = 0;
    const auto pick = [](auto a, auto b) HWY_ATTR {
        if constexpr (low) return hn::Min(a, b);
        else return hn::Max(a, b);
    };
    for (; i + lanes <= n; i += lanes) {
        auto a = hn::LoadU(d, p + i), b = a;
        int k = 1;
        for (; k + 1 < window; k += 2) a = pick(a, hn::LoadU(d, p + i + k)), b = pick(b, hn::LoadU(d, p + i + k + 1));
        if (k < window) a = pick(a, hn::LoadU(d, p + i + k));
        hn::StoreU(pick(a, b), d, to + i);
        if (i + lanes < n && i + 2 * lanes > n) i = n - 2 * lanes; // the rest overlaps what is done
    }
    if constexpr (low) scalar::lowest(p + i, n - i, window, to + i);
    else scalar::highest(p + i, n - i, window, to + i);
}
template <bool low> void Extreme(const std::uint8_t* p, int n, int window, std::uint8_t* to)
{
    switch (window) {
    case 3: return ExtremeRow<low, 3>(p, n, window, to);
    case 5: return ExtremeRow<low, 5>(p, n, window, to);
    case 7: return ExtremeRow<low, 7>(p, n, window, to);
    case 9: return ExtremeRow<low, 9>(p, n, window, to);
    default: return ExtremeRow<low, 0>(p, n, window, to);
    }
}
void Lowest(const std::uint8_t* p, int n, int window, std::uint8_t* to) { Extreme<true>(p, n, window, to); }
void Highest(const std::uint8_t* p, int n, int window, std::uint8_t* to) { Extreme<false>(p, n, window, to); }
template <bool low, int fixed> void ExtremeOfRows(const std::uint8_t* const* rows, int asked, int n, std::uint8_t* to)
{
    const int count = fixed > 0 ? fixed : asked;
    const hn::ScalableTag<std::uint8_t> d;
    const int lanes = int(hn::Lanes(d));
    const std::uint8_t* row[fixed > 0 ? fixed : 1];
    for (int k = 0; k < fixed; ++k) row[k] = rows[k];
    int i = 0;
    for (; i + lanes <= n; i += lanes) {
        auto a = hn::LoadU(d, rows[0] + i);
        for (int k = 1; k < count; ++k) {
            const auto b = hn::LoadU(d, (fixed > 0 ? row[k] : rows[k]) + i);
            if constexpr (low) a = hn::Min(a, b);
            else a = hn::Max(a, b);
        }
        hn::StoreU(a, d, to + i);
        if (i + lanes < n && i + 2 * lanes > n) i = n - 2 * lanes; // the rest overlaps what is done
    }
    for (; i < n; ++i) {
        std::uint8_t a = rows[0][i];
        for (int k = 1; k < count; ++k) a = low == (rows[k][i] < a) ? rows[k][i] : a;
        to[i] = a;
    }
}
template <bool low> void ExtremeOf(const std::uint8_t* const* rows, int count, int n, std::uint8_t* to)
{
    switch (count) {
    case 3: return ExtremeOfRows<low, 3>(rows, count, n, to);
    case 5: return ExtremeOfRows<low, 5>(rows, count, n, to);
    case 7: return ExtremeOfRows<low, 7>(rows, count, n, to);
    default: return ExtremeOfRows<low, 0>(rows, count, n, to);
    }
}
template <bool low, int fixed>
void ExtremeOfTwoRows(const std::uint8_t* const* rows, int asked, int n, std::uint8_t* first, std::uint8_t* second)
{
    const int count = fixed > 0 ? fixed : asked;
    const hn::ScalableTag<std::uint8_t> d;
    const int lanes = int(hn::Lanes(d));
    const auto pick = [](auto a, auto b) HWY_ATTR {
        if constexpr (low) return hn::Min(a, b);
        else return hn::Max(a, b);
    };
    const std::uint8_t* row[16];
    for (int k = 0; k < count && k < 16; ++k) row[k] = rows[k];
    int i = 0;
    for (; i + lanes <= n; i += lanes) {
        auto both = hn::LoadU(d, row[1] + i);
        for (int k = 2; k + 1 < count; ++k) both = pick(both, hn::LoadU(d, row[k] + i));
        hn::StoreU(pick(both, hn::LoadU(d, row[0] + i)), d, first + i);
        hn::StoreU(pick(both, hn::LoadU(d, row[count - 1] + i)), d, second + i);
        if (i + lanes < n && i + 2 * lanes > n) i = n - 2 * lanes; // the rest overlaps what is done
    }
    if (i >= n) return;
    const std::uint8_t* rest[16];
    for (int k = 0; k < count; ++k) rest[k] = row[k] + i;
    if constexpr (low)
        scalar::lowestOf(rest, count - 1, n - i, first + i), scalar::lowestOf(rest + 1, count - 1, n - i, second + i);
    else
        scalar::highestOf(rest, count - 1, n - i, first + i), scalar::highestOf(rest + 1, count - 1, n - i, second + i);
}
template <bool low>
void ExtremeOfTwo(const std::uint8_t* const* rows, int count, int n, std::uint8_t* first, std::uint8_t* second)
{
    switch (count) {
    case 4: return ExtremeOfTwoRows<low, 4>(rows, count, n, first, second);
    case 6: return ExtremeOfTwoRows<low, 6>(rows, count, n, first, second);
    case 8: return ExtremeOfTwoRows<low, 8>(rows, count, n, first, second);
    case 10: return ExtremeOfTwoRows<low, 10>(rows, count, n, first, second);
    default: return ExtremeOfTwoRows<low, 0>(rows, count, n, first, second);
    }
}
void LowestOfTwo(const std::uint8_t* const* rows, int count, int n, std::uint8_t* first, std::uint8_t* second)
{
    ExtremeOfTwo<true>(rows, count, n, first, second);
}
void HighestOfTwo(const std::uint8_t* const* rows, int count, int n, std::uint8_t* first, std::uint8_t* second)
{
    ExtremeOfTwo<false>(rows, count, n, first, second);
}
void LowestOf(const std::uint8_t* const* rows, int count, int n, std::uint8_t* to)
{
    ExtremeOf<true>(rows, count, n, to);
}
void HighestOf(const std::uint8_t* const* rows, int count, int n, std::uint8_t* to)
{
    ExtremeOf<false>(rows, count, n, to);
}
void Slide(std::uint32_t* sums, const std::uint8_t* in, const std::uint8_t* out, int n)
{
    const hn::ScalableTag<std::uint32_t> d;
    const hn::Rebind<std::uint8_t, decltype(d)> d8;
    const int lanes = int(hn::Lanes(d));
    int i = 0;
    for (; i + lanes <= n; i += lanes) {
        const auto plus = hn::PromoteTo(d, hn::LoadU(d8, in + i)), minus = hn::PromoteTo(d, hn::LoadU(d8, out + i));
        hn::StoreU(hn::Sub(hn::Add(hn::LoadU(d, sums + i), plus), minus), d, sums + i);
    }
    scalar::slide(sums + i, in + i, out + i, n - i);
}
void Below(const std::uint8_t* p, const std::uint32_t* prefix, int window, int n, std::uint32_t area, std::int32_t k,
           bool bright, std::uint8_t* to)
{
    const hn::ScalableTag<std::int32_t> d;
    const hn::Rebind<std::uint8_t, decltype(d)> d8;
    const hn::RebindToUnsigned<decltype(d)> du;
    const auto a = hn::Set(d, std::int32_t(area)), limit = hn::Set(d, k);
    const int lanes = int(hn::Lanes(d));
    int i = 0;
    for (; i + lanes <= n; i += lanes) {
        const auto v = hn::Mul(hn::BitCast(d, hn::PromoteTo(du, hn::LoadU(d8, p + i))), a);
        const auto diff =
            hn::Sub(v, hn::BitCast(d, hn::Sub(hn::LoadU(du, prefix + i + window), hn::LoadU(du, prefix + i))));
        const auto taken = bright ? hn::Gt(diff, limit) : hn::Lt(diff, limit);
        const auto value = hn::IfThenElseZero(taken, hn::Set(d, 255));
        hn::StoreU(hn::DemoteTo(d8, value), d8, to + i);
    }
    scalar::below(p + i, prefix + i, window, n - i, area, k, bright, to + i);
}
bool SumRows(const std::uint8_t* const* rows, int count, int n, int least, std::uint8_t* to)
{
    const hn::ScalableTag<std::uint8_t> d;
    const int lanes = int(hn::Lanes(d));
    bool any = false;
    int i = 0;
    // The last block overlaps the one before it rather than leaving a tail.
    for (; n >= lanes && i < n; i += lanes) {
        i = i + lanes <= n ? i : n - lanes;
        auto sum = hn::Zero(d);
        int j = 0;
        bool lost = false;
        while (j < count) {
            const int stop = j + 12 < count ? j + 12 : count;
            for (; j < stop; ++j) sum = hn::Add(sum, hn::LoadU(d, rows[j] + i));
            const int needed = least - 4 * (count - j);
            if (needed > 0 &&
                (needed > 255 || hn::AllFalse(d, hn::Eq(hn::Max(sum, hn::Set(d, std::uint8_t(needed))), sum)))) {
                lost = true;
                break;
            }
        }
        if (lost) sum = hn::Zero(d);
        else any = true;
        hn::StoreU(sum, d, to + i);
    }
    if (i < n) {
        const std::uint8_t* tail[64];
        for (int j = 0; j < count; ++j) tail[j] = rows[j] + i;
        scalar::sumRows(tail, count, n - i, to + i);
        for (; i < n; ++i) any = any || to[i] >= least;
    }
    return any;
}
void Rate(const std::uint32_t* bits, int n, std::uint32_t best, std::uint32_t good, std::uint32_t fair,
          std::uint8_t* to)
{
    const hn::ScalableTag<std::uint32_t> d;
    const hn::Rebind<std::uint8_t, decltype(d)> d8;
    const hn::RebindToSigned<decltype(d)> di;
    const int lanes = int(hn::Lanes(d));
    const auto b = hn::Set(d, best), g = hn::Set(d, good), f = hn::Set(d, fair), zero = hn::Zero(d);
    int i = 0;
    for (; i + lanes <= n; i += lanes) {
        const auto v = hn::LoadU(d, bits + i);
        const auto low = hn::IfThenElse(hn::Ne(hn::And(v, f), zero), hn::Set(d, 1), zero);
        const auto middle = hn::IfThenElse(hn::Ne(hn::And(v, g), zero), hn::Set(d, 2), low);
        const auto r = hn::IfThenElse(hn::Ne(hn::And(v, b), zero), hn::Set(d, 4), middle);
        hn::StoreU(hn::DemoteTo(d8, hn::BitCast(di, r)), d8, to + i);
    }
    scalar::rate(bits + i, n - i, best, good, fair, to + i);
}
void Half8(const std::uint8_t* a, const std::uint8_t* b, int n, float scale, float* to)
{
    const hn::ScalableTag<float> d;
    const hn::Rebind<std::uint16_t, decltype(d)> d16; // as many pairs of bytes as there are floats
    const hn::Rebind<std::uint32_t, decltype(d)> d32;
    const hn::RebindToSigned<decltype(d32)> di32;
    const auto k = hn::Set(d, scale);
    const auto lowByte = hn::Set(d16, std::uint16_t(255));
    const int lanes = int(hn::Lanes(d));
    int i = 0;
    for (; i + lanes <= n; i += lanes) {
        const auto x = hn::LoadU(d16, reinterpret_cast<const std::uint16_t*>(a + 2 * i)),
                   y = hn::LoadU(d16, reinterpret_cast<const std::uint16_t*>(b + 2 * i));
        const auto sum = hn::Add(hn::Add(hn::And(x, lowByte), hn::ShiftRight<8>(x)),
                                 hn::Add(hn::And(y, lowByte), hn::ShiftRight<8>(y)));
        hn::StoreU(hn::Mul(hn::ConvertTo(d, hn::BitCast(di32, hn::PromoteTo(d32, sum))), k), d, to + i);
    }
    scalar::half(a + 2 * i, b + 2 * i, n - i, scale, to + i);
}
void HalfFloat(const float* a, const float* b, int n, float scale, float* to)
{
    const hn::ScalableTag<float> d;
    const auto k = hn::Set(d, scale);
    const int lanes = int(hn::Lanes(d));
    int i = 0;
    for (; i + lanes <= n; i += lanes) {
        hn::Vec<decltype(d)> a0, a1, b0, b1;
        hn::LoadInterleaved2(d, a + 2 * i, a0, a1);
        hn::LoadInterleaved2(d, b + 2 * i, b0, b1);
        hn::StoreU(hn::Mul(hn::Add(hn::Add(a0, a1), hn::Add(b0, b1)), k), d, to + i);
    }
    scalar::half(a + 2 * i, b + 2 * i, n - i, scale, to + i);
}
void Spread(const std::uint32_t* above, const std::uint32_t* here, const std::uint32_t* below, int n, std::uint32_t* to)
{
    const hn::ScalableTag<std::uint32_t> d;
    const int lanes = int(hn::Lanes(d));
    const auto row = [&](const std::uint32_t* p)
                         HWY_ATTR { return hn::Or(hn::Or(hn::LoadU(d, p), hn::LoadU(d, p + 1)), hn::LoadU(d, p + 2)); };
    int i = 0;
    for (; i + lanes <= n; i += lanes)
        hn::StoreU(hn::Or(hn::Or(row(above + i), row(here + i)), row(below + i)), d, to + i);
    scalar::spread(above + i, here + i, below + i, n - i, to + i);
}
void Directions(const float* above, const float* here, const float* below, int n, float least, std::uint32_t* to)
{
    const hn::ScalableTag<float> d;
    const hn::RebindToUnsigned<decltype(d)> du;
    const hn::RebindToSigned<decltype(d)> di;
    const int lanes = int(hn::Lanes(d));
    const auto half = hn::Set(d, 0.5f), square = hn::Set(d, least * least), zero = hn::Zero(d);
    const float tangent[8] = {0.098491403f, 0.303346683f, 0.534511136f, 0.820678790f,
                              1.218503526f, 1.870868412f, 3.296558209f, 10.153170388f};
    int i = 0;
    for (; i + lanes <= n; i += lanes) {
        const auto gx = hn::Mul(hn::Sub(hn::LoadU(d, here + i + 1), hn::LoadU(d, here + i - 1)), half);
        const auto gy = hn::Mul(hn::Sub(hn::LoadU(d, below + i), hn::LoadU(d, above + i)), half);
        // Written as in the plain twin, without fused operations, so that both decide alike.
        const auto strong = hn::Ge(hn::Add(hn::Mul(gx, gx), hn::Mul(gy, gy)), square);
        if (hn::AllFalse(d, strong)) {
            hn::StoreU(hn::Zero(du), du, to + i);
            continue;
        }
        const auto ax = hn::Abs(gx), ay = hn::Abs(gy);
        auto k = hn::Zero(di);
        for (const float t : tangent)
            k = hn::Sub(k, hn::BitCast(di, hn::VecFromMask(d, hn::Gt(ay, hn::Mul(hn::Set(d, t), ax)))));
        auto dir = hn::IfThenElse(hn::RebindMask(di, hn::Ge(gx, zero)), k, hn::Sub(hn::Set(di, 16), k));
        dir = hn::IfThenElse(hn::RebindMask(di, hn::Gt(gy, zero)), hn::Neg(dir), dir);
        const auto shift = hn::And(hn::BitCast(du, dir), hn::Set(du, 31u));
        const auto bit = hn::Shl(hn::Set(du, 1u), shift);
        hn::StoreU(hn::IfThenElseZero(hn::RebindMask(du, strong), bit), du, to + i);
    }
    scalar::directions(above + i, here + i, below + i, n - i, least, to + i);
}

// The samples beside each other on rows y and y + 1, at byte offsets `at`: bytes and words of one 32-bit load, floats
// one by one.
template <class D, class DI> struct Pairs {
    using V = hn::Vec<D>;
    D d;
    DI di;
    template <class Offsets> void of(const std::uint8_t* data, Offsets at, V& left, V& right) const
    {
        const auto word = hn::GatherOffset(di, reinterpret_cast<const std::int32_t*>(data), at);
        const auto byte = hn::Set(di, 255);
        left = hn::PromoteTo(d, hn::And(word, byte));
        right = hn::PromoteTo(d, hn::And(hn::ShiftRight<8>(word), byte));
    }
    template <class Offsets> void of(const std::uint16_t* data, Offsets at, V& left, V& right) const
    {
        const auto word = hn::GatherOffset(di, reinterpret_cast<const std::int32_t*>(data), at);
        const auto low = hn::Set(di, 65535);
        left = hn::PromoteTo(d, hn::And(word, low));
        right = hn::PromoteTo(d, hn::And(hn::ShiftRight<16>(word), low));
    }
    template <class Offsets> void of(const float* data, Offsets at, V& left, V& right) const
    {
        const hn::Rebind<float, D> df;
        left = hn::PromoteTo(d, hn::GatherOffset(df, data, at));
        right = hn::PromoteTo(d, hn::GatherOffset(df, data, hn::Add(at, hn::Set(di, 4))));
    }
};
// One profile a lane: every lane goes the plain function's way in its order.
template <class T>
void EdgePeaks(const T* data, std::ptrdiff_t pitch, const ProfileLines& lines, int reach, double each, EdgePeak* to)
{
    const hn::CappedTag<double, 8> d;
    const hn::Rebind<std::int32_t, decltype(d)> di;
    using V = hn::Vec<decltype(d)>;
    const Pairs<std::decay_t<decltype(d)>, std::decay_t<decltype(di)>> pairs{d, di};
    const int lanes = int(hn::Lanes(d)), n = 2 * reach + 7, m = 2 * reach + 1;
    const auto rowBytes = hn::Set(di, std::int32_t(pitch * std::ptrdiff_t(sizeof(T)))),
               size = hn::Set(di, std::int32_t(sizeof(T)));
    HWY_ALIGN double level[(2 * kLongestReach + 7) * 8];
    HWY_ALIGN double slope[(2 * kLongestReach + 1) * 8];
    int i = 0;
    for (; i + lanes <= lines.count; i += lanes) {
        V x = hn::LoadU(d, lines.x + i), y = hn::LoadU(d, lines.y + i);
        const V dx = hn::LoadU(d, lines.dx + i), dy = hn::LoadU(d, lines.dy + i);
        for (int k = 0; k < n; ++k) {
            const auto ix = hn::DemoteTo(di, x), iy = hn::DemoteTo(di, y);
            const V fx = hn::Sub(x, hn::PromoteTo(d, ix)), fy = hn::Sub(y, hn::PromoteTo(d, iy));
            const auto at = hn::Add(hn::Mul(iy, rowBytes), hn::Mul(ix, size));
            V p0, p1, q0, q1;
            pairs.of(data, at, p0, p1);
            pairs.of(data, hn::Add(at, rowBytes), q0, q1);
            const V top = hn::Add(p0, hn::Mul(hn::Sub(p1, p0), fx)), bottom = hn::Add(q0, hn::Mul(hn::Sub(q1, q0), fx));
            hn::Store(hn::Add(top, hn::Mul(hn::Sub(bottom, top), fy)), d, level + k * lanes);
            x = hn::Add(x, dx);
            y = hn::Add(y, dy);
        }
        for (int k = 0; k < m; ++k) {
            V sum = hn::Zero(d);
            for (int j = 0; j < 7; ++j)
                sum = hn::Add(sum, hn::Mul(hn::Set(d, kDerivative[j]), hn::Load(d, level + (k + j) * lanes)));
            hn::Store(hn::Mul(sum, hn::Set(d, each)), d, slope + k * lanes);
        }
        V best = hn::Set(d, -1.0), value = hn::Zero(d), before = hn::Zero(d), here = hn::Zero(d), after = hn::Zero(d);
        for (int k = 1; k + 1 < m; ++k) {
            const V a = hn::Load(d, slope + (k - 1) * lanes), b = hn::Load(d, slope + k * lanes),
                    c = hn::Load(d, slope + (k + 1) * lanes);
            const V rated = hn::Mul(b, hn::Set(d, 1 - 0.3 * std::abs(k - reach) / (reach + 1.0)));
            const auto better = hn::And(hn::And(hn::Ge(b, a), hn::Ge(b, c)), hn::Gt(rated, value));
            value = hn::IfThenElse(better, rated, value);
            best = hn::IfThenElse(better, hn::Set(d, double(k)), best);
            before = hn::IfThenElse(better, a, before);
            here = hn::IfThenElse(better, b, here);
            after = hn::IfThenElse(better, c, after);
        }
        HWY_ALIGN double columns[4][8];
        hn::Store(best, d, columns[0]);
        hn::Store(before, d, columns[1]);
        hn::Store(here, d, columns[2]);
        hn::Store(after, d, columns[3]);
        for (int k = 0; k < lanes; ++k) to[i + k] = {columns[0][k], columns[1][k], columns[2][k], columns[3][k]};
    }
    scalar::edgePeaks(data, pitch, {lines.x + i, lines.y + i, lines.dx + i, lines.dy + i, lines.count - i}, reach, each,
                      to + i);
}
void EdgePeaks8(const std::uint8_t* data, std::ptrdiff_t pitch, const ProfileLines& lines, int reach, double each,
                EdgePeak* to)
{
    EdgePeaks(data, pitch, lines, reach, each, to);
}
void EdgePeaks16(const std::uint16_t* data, std::ptrdiff_t pitch, const ProfileLines& lines, int reach, double each,
                 EdgePeak* to)
{
    EdgePeaks(data, pitch, lines, reach, each, to);
}
void EdgePeaksFloat(const float* data, std::ptrdiff_t pitch, const ProfileLines& lines, int reach, double each,
                    EdgePeak* to)
{
    EdgePeaks(data, pitch, lines, reach, each, to);
}
} // namespace vision::simd::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace vision::simd
{
HWY_EXPORT(InRange8);
HWY_EXPORT(InRange16);
HWY_EXPORT(InRangeFloat);
HWY_EXPORT(HeightRow16);
HWY_EXPORT(HeightRowFloat);
HWY_EXPORT(PlaneSumsOf);
HWY_EXPORT(Spline);
HWY_EXPORT(Differs);
HWY_EXPORT(Ratios);
HWY_EXPORT(Lower);
HWY_EXPORT(Higher);
HWY_EXPORT(Lowest);
HWY_EXPORT(Highest);
HWY_EXPORT(LowestOf);
HWY_EXPORT(HighestOf);
HWY_EXPORT(LowestOfTwo);
HWY_EXPORT(HighestOfTwo);
HWY_EXPORT(Slide);
HWY_EXPORT(Below);
HWY_EXPORT(SumRows);
HWY_EXPORT(Rate);
HWY_EXPORT(Half8);
HWY_EXPORT(HalfFloat);
HWY_EXPORT(Spread);
HWY_EXPORT(Directions);
HWY_EXPORT(EdgePeaks8);
HWY_EXPORT(EdgePeaks16);
HWY_EXPORT(EdgePeaksFloat);

void inRange(const std::uint8_t* p, int n, std::uint8_t low, std::uint8_t high, std::uint64_t* bits)
{
    HWY_DYNAMIC_DISPATCH(InRange8)(p, n, low, high, bits);
}
void inRange(const std::uint16_t* p, int n, std::uint16_t low, std::uint16_t high, std::uint64_t* bits)
{
    HWY_DYNAMIC_DISPATCH(InRange16)(p, n, low, high, bits);
}
void inRange(const float* p, int n, float low, float high, std::uint64_t* bits)
{
    HWY_DYNAMIC_DISPATCH(InRangeFloat)(p, n, low, high, bits);
}
void heightRow(const std::uint16_t* p, int n, const HeightRow& row, float* to)
{
    HWY_DYNAMIC_DISPATCH(HeightRow16)(p, n, row, to);
}
void heightRow(const float* p, int n, const HeightRow& row, float* to)
{
    HWY_DYNAMIC_DISPATCH(HeightRowFloat)(p, n, row, to);
}
void planeSums(const float* r, int n, float cut, PlaneSums& to) { HWY_DYNAMIC_DISPATCH(PlaneSumsOf)(r, n, cut, to); }
void spline(const std::uint8_t* base, std::ptrdiff_t stride, float x, float y, float dx, float dy, int n, float* sums)
{
    HWY_DYNAMIC_DISPATCH(Spline)(base, stride, x, y, dx, dy, n, sums);
}
std::uint16_t ratios(const std::uint8_t* p, const std::uint8_t* usual, const std::uint16_t* weight, int n,
                     const RatioRow& row, std::uint8_t* to)
{
    return HWY_DYNAMIC_DISPATCH(Ratios)(p, usual, weight, n, row, to);
}
void differs(const std::uint8_t* a, const std::uint8_t* b, int n, std::uint8_t least, std::uint8_t* to)
{
    HWY_DYNAMIC_DISPATCH(Differs)(a, b, n, least, to);
}
void lower(const std::uint8_t* a, const std::uint8_t* b, int n, std::uint8_t* to)
{
    HWY_DYNAMIC_DISPATCH(Lower)(a, b, n, to);
}
void higher(const std::uint8_t* a, const std::uint8_t* b, int n, std::uint8_t* to)
{
    HWY_DYNAMIC_DISPATCH(Higher)(a, b, n, to);
}
void lowestOf(const std::uint8_t* const* rows, int count, int n, std::uint8_t* to)
{
    HWY_DYNAMIC_DISPATCH(LowestOf)(rows, count, n, to);
}
void highestOf(const std::uint8_t* const* rows, int count, int n, std::uint8_t* to)
{
    HWY_DYNAMIC_DISPATCH(HighestOf)(rows, count, n, to);
}
void lowestOfTwo(const std::uint8_t* const* rows, int count, int n, std::uint8_t* first, std::uint8_t* second)
{
    HWY_DYNAMIC_DISPATCH(LowestOfTwo)(rows, count, n, first, second);
}
void highestOfTwo(const std::uint8_t* const* rows, int count, int n, std::uint8_t* first, std::uint8_t* second)
{
    HWY_DYNAMIC_DISPATCH(HighestOfTwo)(rows, count, n, first, second);
}
void lowest(const std::uint8_t* p, int n, int window, std::uint8_t* to)
{
    HWY_DYNAMIC_DISPATCH(Lowest)(p, n, window, to);
}
void highest(const std::uint8_t* p, int n, int window, std::uint8_t* to)
{
    HWY_DYNAMIC_DISPATCH(Highest)(p, n, window, to);
}
void slide(std::uint32_t* sums, const std::uint8_t* in, const std::uint8_t* out, int n)
{
    HWY_DYNAMIC_DISPATCH(Slide)(sums, in, out, n);
}
void below(const std::uint8_t* p, const std::uint32_t* prefix, int window, int n, std::uint32_t area, std::int32_t k,
           bool bright, std::uint8_t* to)
{
    HWY_DYNAMIC_DISPATCH(Below)(p, prefix, window, n, area, k, bright, to);
}
bool sumRows(const std::uint8_t* const* rows, int count, int n, int least, std::uint8_t* to)
{
    return HWY_DYNAMIC_DISPATCH(SumRows)(rows, count, n, least, to);
}
void rate(const std::uint32_t* bits, int n, std::uint32_t best, std::uint32_t good, std::uint32_t fair,
          std::uint8_t* to)
{
    HWY_DYNAMIC_DISPATCH(Rate)(bits, n, best, good, fair, to);
}
void half(const std::uint8_t* a, const std::uint8_t* b, int n, float scale, float* to)
{
    HWY_DYNAMIC_DISPATCH(Half8)(a, b, n, scale, to);
}
void half(const float* a, const float* b, int n, float scale, float* to)
{
    HWY_DYNAMIC_DISPATCH(HalfFloat)(a, b, n, scale, to);
}
void spread(const std::uint32_t* above, const std::uint32_t* here, const std::uint32_t* below, int n, std::uint32_t* to)
{
    HWY_DYNAMIC_DISPATCH(Spread)(above, here, below, n, to);
}
void directions(const float* above, const float* here, const float* below, int n, float least, std::uint32_t* to)
{
    HWY_DYNAMIC_DISPATCH(Directions)(above, here, below, n, least, to);
}
void edgePeaks(const std::uint8_t* data, std::ptrdiff_t pitch, const ProfileLines& lines, int reach, double each,
               EdgePeak* to)
{
    HWY_DYNAMIC_DISPATCH(EdgePeaks8)(data, pitch, lines, reach, each, to);
}
void edgePeaks(const std::uint16_t* data, std::ptrdiff_t pitch, const ProfileLines& lines, int reach, double each,
               EdgePeak* to)
{
    HWY_DYNAMIC_DISPATCH(EdgePeaks16)(data, pitch, lines, reach, each, to);
}
void edgePeaks(const float* data, std::ptrdiff_t pitch, const ProfileLines& lines, int reach, double each, EdgePeak* to)
{
    HWY_DYNAMIC_DISPATCH(EdgePeaksFloat)(data, pitch, lines, reach, each, to);
}
} // namespace vision::simd
#endif

#include "vision/simd/kernels.h"

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <cstring>
#include <limits>

namespace vision::simd::scalar
{

namespace
{
template <class T> void range(const T* p, int n, T low, T high, std::uint64_t* bits)
{
    std::memset(bits, 0, std::size_t((n + 63) / 64) * 8);
    for (int i = 0; i < n; ++i) bits[i / 64] |= std::uint64_t(p[i] >= low && p[i] <= high) << (i % 64);
}
// The direction of (gx, gy), y down, counted counter-clockwise in 32 parts: by comparing with the tangents of the
// part's borders, so that every processor decides alike.
std::uint32_t directionBit(float gx, float gy)
{
    constexpr float tangent[8] = {0.098491403f, 0.303346683f, 0.534511136f, 0.820678790f,
                                  1.218503526f, 1.870868412f, 3.296558209f, 10.153170388f};
    const float ax = std::abs(gx), ay = std::abs(gy);
    int k = 0;
    for (const float t : tangent) k += ay > t * ax;
    // k counts from the x axis towards the y axis, 0 .. 8.
    int d = gx >= 0 ? k : 16 - k;
    if (gy > 0) d = -d;
    return 1u << (d & 31);
}
template <class T>
void peaks(const T* data, std::ptrdiff_t pitch, const ProfileLines& lines, int reach, double each, EdgePeak* to)
{
    const int n = 2 * reach + 7;
    double level[2 * kLongestReach + 7];
    for (int k = 0; k < lines.count; ++k) {
        double x = lines.x[k], y = lines.y[k];
        for (int i = 0; i < n; ++i) {
            const int ix = int(x), iy = int(y);
            const double fx = x - ix, fy = y - iy;
            const T* p = data + iy * pitch + ix;
            const T* q = p + pitch;
            const double top = double(p[0]) + (double(p[1]) - double(p[0])) * fx;
            const double bottom = double(q[0]) + (double(q[1]) - double(q[0])) * fx;
            level[i] = top + (bottom - top) * fy;
            x += lines.dx[k];
            y += lines.dy[k];
        }
        to[k] = edgePeak(level, reach, each);
    }
}
} // namespace

namespace
{
template <class T> void rowOf(const T* p, int n, const HeightRow& row, float* to)
{
    for (int i = 0; i < n; ++i) {
        const auto v = float(p[i]);
        const float z = (v - row.zero) * row.step + (row.start + row.slope * float(i));
        to[i] = v == row.missing ? std::numeric_limits<float>::quiet_NaN() : z;
    }
}
} // namespace
void heightRow(const std::uint16_t* p, int n, const HeightRow& row, float* to) { rowOf(p, n, row, to); }
void heightRow(const float* p, int n, const HeightRow& row, float* to) { rowOf(p, n, row, to); }
void inRange(const float* p, int n, float low, float high, std::uint64_t* bits) { range(p, n, low, high, bits); }

void planeSums(const float* r, int n, float cut, PlaneSums& to)
{
    constexpr int kBlock = 1024; // single precision is enough for so many
    for (int from = 0; from < n; from += kBlock) {
        const int end = std::min(n, from + kBlock);
        float w[8] = {}, wx[8] = {}, wxx[8] = {}, wr[8] = {}, wxr[8] = {};
        for (int i = from; i < end; ++i) {
            const int k = (i - from) % 8;
            const float v = r[i], u = v / cut, x = float(i - from);
            if (std::isnan(v)) continue;
            ++to.points;
            if (!(u * u < 1)) continue;
            ++to.used;
            const float t = 1 - u * u, weight = t * t;
            w[k] += weight;
            wx[k] += weight * x;
            wxx[k] += weight * x * x;
            wr[k] += weight * v;
            wxr[k] += weight * x * v;
        }
        const auto sum = [](const float* s) {
            double all = 0;
            for (int k = 0; k < 8; ++k) all += double(s[k]);
            return all;
        };
        const double f = from, sw = sum(w), sx = sum(wx), sr = sum(wr);
        to.w += sw;
        to.wx += sx + f * sw;
        to.wxx += sum(wxx) + 2 * f * sx + f * f * sw;
        to.wr += sr;
        to.wxr += sum(wxr) + f * sr;
    }
}

void inRange(const std::uint8_t* p, int n, std::uint8_t low, std::uint8_t high, std::uint64_t* bits)
{
    range(p, n, low, high, bits);
}
void inRange(const std::uint16_t* p, int n, std::uint16_t low, std::uint16_t high, std::uint64_t* bits)
{
    range(p, n, low, high, bits);
}
void spline(const std::uint8_t* base, std::ptrdiff_t stride, float x, float y, float dx, float dy, int n, float* sums)
{
    const auto weights = [](float f, float* w) {
        const float g = 1.0f - f, sixth = 1.0f / 6.0f;
        w[0] = (g * g) * g * sixth;
        w[3] = (f * f) * f * sixth;
        w[1] = ((f * 0.5f - 1.0f) * (f * f)) + (2.0f / 3.0f);
        w[2] = ((g * 0.5f - 1.0f) * (g * g)) + (2.0f / 3.0f);
    };
    for (int i = 0; i < n; ++i) {
        const float px = x + float(i) * dx, py = y + float(i) * dy;
        const float ix = std::floor(px), iy = std::floor(py);
        float wx[4], wy[4];
        weights(px - ix, wx);
        weights(py - iy, wy);
        const std::uint8_t* p = base + (std::ptrdiff_t(iy) - 1) * stride + (std::ptrdiff_t(ix) - 1);
        float all = 0;
        for (int r = 0; r < 4; ++r, p += stride) {
            const float row = ((wx[0] * float(p[0]) + wx[1] * float(p[1])) + wx[2] * float(p[2])) + wx[3] * float(p[3]);
            all = all + wy[r] * row;
        }
        sums[i] = sums[i] + all;
    }
}
std::uint16_t ratios(const std::uint8_t* p, const std::uint8_t* usual, const std::uint16_t* weight, int n,
                     const RatioRow& row, std::uint8_t* to)
{
    std::uint16_t most = 0;
    for (int i = 0; i < n; ++i) {
        const int level = std::clamp(int((std::uint32_t(p[i]) << 8) * row.scale >> 16) - row.offset, 0, 65535);
        const int gap = std::min(std::abs(level - (int(usual[i]) << 7)), 32767);
        const auto r = std::uint16_t((std::uint32_t(gap) << 1) * weight[i] >> 16);
        most = std::max(most, r);
        to[i] = r > row.over ? 255 : 0;
    }
    return most;
}
void differs(const std::uint8_t* a, const std::uint8_t* b, int n, std::uint8_t least, std::uint8_t* to)
{
    for (int i = 0; i < n; ++i) to[i] = std::abs(int(a[i]) - int(b[i])) > least ? 255 : 0;
}
void lower(const std::uint8_t* a, const std::uint8_t* b, int n, std::uint8_t* to)
{
    for (int i = 0; i < n; ++i) to[i] = std::min(a[i], b[i]);
}
void higher(const std::uint8_t* a, const std::uint8_t* b, int n, std::uint8_t* to)
{
    for (int i = 0; i < n; ++i) to[i] = std::max(a[i], b[i]);
}
void lowestOf(const std::uint8_t* const* rows, int count, int n, std::uint8_t* to)
{
    for (int i = 0; i < n; ++i) {
        to[i] = rows[0][i];
        for (int k = 1; k < count; ++k) to[i] = std::min(to[i], rows[k][i]);
    }
}
void highestOf(const std::uint8_t* const* rows, int count, int n, std::uint8_t* to)
{
    for (int i = 0; i < n; ++i) {
        to[i] = rows[0][i];
        for (int k = 1; k < count; ++k) to[i] = std::max(to[i], rows[k][i]);
    }
}
void lowest(const std::uint8_t* p, int n, int window, std::uint8_t* to)
{
    for (int i = 0; i < n; ++i) to[i] = *std::min_element(p + i, p + i + window);
}
void highest(const std::uint8_t* p, int n, int window, std::uint8_t* to)
{
    for (int i = 0; i < n; ++i) to[i] = *std::max_element(p + i, p + i + window);
}
void slide(std::uint32_t* sums, const std::uint8_t* in, const std::uint8_t* out, int n)
{
    for (int i = 0; i < n; ++i) sums[i] += std::uint32_t(in[i]) - std::uint32_t(out[i]);
}
void below(const std::uint8_t* p, const std::uint32_t* prefix, int window, int n, std::uint32_t area, std::int32_t k,
           bool bright, std::uint8_t* to)
{
    for (int i = 0; i < n; ++i) {
        const std::int32_t d = std::int32_t(p[i] * area) - std::int32_t(prefix[i + window] - prefix[i]);
        to[i] = (bright ? d > k : d < k) ? 255 : 0;
    }
}
void sumRows(const std::uint8_t* const* rows, int count, int n, std::uint8_t* to)
{
    std::fill_n(to, n, std::uint8_t(0));
    for (int j = 0; j < count; ++j)
        for (int i = 0; i < n; ++i) to[i] = std::uint8_t(to[i] + rows[j][i]);
}
void rate(const std::uint32_t* bits, int n, std::uint32_t best, std::uint32_t good, std::uint32_t fair,
          std::uint8_t* to)
{
    for (int i = 0; i < n; ++i) to[i] = bits[i] & best ? 4 : bits[i] & good ? 2 : bits[i] & fair ? 1 : 0;
}
void half(const std::uint8_t* a, const std::uint8_t* b, int n, float scale, float* to)
{
    for (int i = 0; i < n; ++i) to[i] = float(a[2 * i] + a[2 * i + 1] + b[2 * i] + b[2 * i + 1]) * scale;
}
void half(const float* a, const float* b, int n, float scale, float* to)
{
    for (int i = 0; i < n; ++i) to[i] = ((a[2 * i] + a[2 * i + 1]) + (b[2 * i] + b[2 * i + 1])) * scale;
}
void spread(const std::uint32_t* above, const std::uint32_t* here, const std::uint32_t* below, int n, std::uint32_t* to)
{
    for (int i = 0; i < n; ++i)
        to[i] = above[i] | above[i + 1] | above[i + 2] | here[i] | here[i + 1] | here[i + 2] | below[i] | below[i + 1] |
                below[i + 2];
}
void directions(const float* above, const float* here, const float* below, int n, float least, std::uint32_t* to)
{
    for (int i = 0; i < n; ++i) {
        const float gx = (here[i + 1] - here[i - 1]) * 0.5f, gy = (below[i] - above[i]) * 0.5f;
        to[i] = gx * gx + gy * gy >= least * least ? directionBit(gx, gy) : 0;
    }
}

EdgePeak edgePeak(const double* level, int reach, double each)
{
    double d[2 * kLongestReach + 1];
    const int m = 2 * reach + 1;
    std::fill_n(d, m, 0.0);
    for (int j = 0; j < 7; ++j)
        for (int i = 0; i < m; ++i) d[i] += kDerivative[j] * level[i + j];
    for (int i = 0; i < m; ++i) d[i] *= each;
    int best = -1;
    double bestValue = 0;
    for (int i = 1; i + 1 < m; ++i) {
        if (d[i] < d[i - 1] || d[i] < d[i + 1]) continue;
        const double value = d[i] * (1 - 0.3 * std::abs(i - reach) / (reach + 1.0));
        if (value > bestValue) bestValue = value, best = i;
    }
    if (best < 0) return {-1, 0, 0, 0};
    return {double(best), d[best - 1], d[best], d[best + 1]};
}
void edgePeaks(const std::uint8_t* data, std::ptrdiff_t pitch, const ProfileLines& lines, int reach, double each,
               EdgePeak* to)
{
    peaks(data, pitch, lines, reach, each, to);
}
void edgePeaks(const std::uint16_t* data, std::ptrdiff_t pitch, const ProfileLines& lines, int reach, double each,
               EdgePeak* to)
{
    peaks(data, pitch, lines, reach, each, to);
}
void edgePeaks(const float* data, std::ptrdiff_t pitch, const ProfileLines& lines, int reach, double each, EdgePeak* to)
{
    peaks(data, pitch, lines, reach, each, to);
}

} // namespace vision::simd::scalar

// kernels.h - the inner loops that pay for vector instructions, chosen at run time for the processor at hand.
//
// Input   rows of samples; counts may be any number from 0, rows need no alignment.
// Output  exactly what the plain functions of the same name in namespace `scalar` give, bit by bit
//         (tests/simd_test.cpp).
// Source  Google Highway for the dispatch; van Herk 1992 is not needed for rows because neighbours come from shifted
//         loads.
// Cost    memory speed for the byte kernels.
// Threads free of state.
#pragma once
#include <cstddef>
#include <cstdint>

namespace vision::simd
{

// bits[i / 64] bit i % 64: low ≤ p[i] ≤ high. Writes (n + 63) / 64 words; bits past n are 0.
void inRange(const std::uint8_t* p, int n, std::uint8_t low, std::uint8_t high, std::uint64_t* bits);
void inRange(const std::uint16_t* p, int n, std::uint16_t low, std::uint16_t high, std::uint64_t* bits);
// to[i] = |a[i] - b[i]| > least ? 255 : 0
void differs(const std::uint8_t* a, const std::uint8_t* b, int n, std::uint8_t least, std::uint8_t* to);
// How much a row of bytes differs from what is usual, in 200ths of what is allowed. level = (p[i] × scale / 32768) less
// offset / 128; to[i] = ratio > over ? 255 : 0. weight[i] is 51200 ÷ the allowed difference, 0: not compared; returned is
// the largest ratio.
struct RatioRow {
    std::uint16_t scale = 32768;
    std::int16_t offset = 0;
    std::uint16_t over = 200;
};
std::uint16_t ratios(const std::uint8_t* p, const std::uint8_t* usual, const std::uint16_t* weight, int n,
                     const RatioRow& row, std::uint8_t* to);
// sums[i] += the cubic B-spline at (x + i·dx, y + i·dy) about `base` for i < n; every place at least 1 px (2 px from
// the far borders) inside. Coordinates are relative to base and should stay small (some hundred px), so that single
// precision is enough.
void spline(const std::uint8_t* base, std::ptrdiff_t stride, float x, float y, float dx, float dy, int n, float* sums);
// to[i] = min / max(a[i], b[i]); `to` may be `a`.
void lower(const std::uint8_t* a, const std::uint8_t* b, int n, std::uint8_t* to);
void higher(const std::uint8_t* a, const std::uint8_t* b, int n, std::uint8_t* to);
// to[i] = min / max over p[i] .. p[i + window - 1]; `to` is not `p`.
void lowest(const std::uint8_t* p, int n, int window, std::uint8_t* to);
void highest(const std::uint8_t* p, int n, int window, std::uint8_t* to);
// to[i] = min / max over rows[0][i] .. rows[count - 1][i]; count at least 1.
void lowestOf(const std::uint8_t* const* rows, int count, int n, std::uint8_t* to);
void highestOf(const std::uint8_t* const* rows, int count, int n, std::uint8_t* to);
// Two at once: first over rows[0] .. rows[count - 2], second over rows[1] .. rows[count - 1]; count at least 3.
void lowestOfTwo(const std::uint8_t* const* rows, int count, int n, std::uint8_t* first, std::uint8_t* second);
void highestOfTwo(const std::uint8_t* const* rows, int count, int n, std::uint8_t* first, std::uint8_t* second);
// sums[i] += in[i] - out[i] over a row; the running sums of columns.
void slide(std::uint32_t* sums, const std::uint8_t* in, const std::uint8_t* out, int n);
// to[i] = p[i] × area - (prefix[i + window] - prefix[i]) < k ? 255 : 0, in whole numbers; with bright: >. prefix holds
// n + window sums.
void below(const std::uint8_t* p, const std::uint32_t* prefix, int window, int n, std::uint32_t area, std::int32_t k,
           bool bright, std::uint8_t* to);
// to[x] = Σ rows[j][x], bytes; where the sum cannot reach `least` any more 0 may stand (each row adds at most 4). True
// when any reached it.
bool sumRows(const std::uint8_t* const* rows, int count, int n, int least, std::uint8_t* to);
// to[i] = (bits & best) ? 4 : (bits & good) ? 2 : (bits & fair) ? 1 : 0
void rate(const std::uint32_t* bits, int n, std::uint32_t best, std::uint32_t good, std::uint32_t fair,
          std::uint8_t* to);
// to[i] = (a[2i] + a[2i+1] + b[2i] + b[2i+1]) × scale for i < n
void half(const std::uint8_t* a, const std::uint8_t* b, int n, float scale, float* to);
void half(const float* a, const float* b, int n, float scale, float* to);
// to[i] = or of the 3 × 3 neighbours; rows hold n + 2 words, the first one left of i = 0.
void spread(const std::uint32_t* above, const std::uint32_t* here, const std::uint32_t* below, int n,
            std::uint32_t* to);
// 1 << directionOf the gradient by central differences (32 directions), or 0 below `least` (grey levels a pixel).
void directions(const float* above, const float* here, const float* below, int n, float least, std::uint32_t* to);

// bits as inRange of bytes; a NaN is in no range.
void inRange(const float* p, int n, float low, float high, std::uint64_t* bits);
// How raw steps become heights over a plane: (p[i] - zero) × step + (start + slope × i); NaN where p[i] is `missing`
// (NaN: no value is).
struct HeightRow {
    float zero, step, start, slope, missing;
};
void heightRow(const std::uint16_t* p, int n, const HeightRow& row, float* to);
void heightRow(const float* p, int n, const HeightRow& row, float* to);
// What a row adds to a plane that is fitted: with Tukey's weight w of r[i] / cut, i the place in the row, the sums of w,
// w·i, w·i², w·r, w·i·r; the number of points and of those nearer than cut. Eight sums side by side, added up in their
// order: the same bits on every processor.
struct PlaneSums {
    double w = 0, wx = 0, wxx = 0, wr = 0, wxr = 0;
    std::int64_t points = 0, used = 0;
};
void planeSums(const float* r, int n, float cut, PlaneSums& to);

// Places and directions of short profiles, one array each.
struct ProfileLines {
    const double *x, *y;   // first sample of each, px from the picture's first sample
    const double *dx, *dy; // from one sample to the next
    int count;
};
// What edgePeaks finds on one profile: the number of the highest sample of the derivative (-1: there is none) with its
// neighbours' heights.
struct EdgePeak {
    double index, before, at, after;
};
constexpr int kLongestReach = 12;
// Derivative of a Gaussian, sigma 1, unit response to a ramp of slope 1.
constexpr double kDerivative[7] = {-0.013354, -0.108455, -0.243030, 0, 0.243030, 0.108455, 0.013354};
// On each profile: 2·reach + 7 bilinear samples, the derivative of a Gaussian of sigma 1 px times `each`, and its
// highest peak; near the middle by up to 30 % less will do. All places at least half a px inside and 1.5 px from the
// far borders; reach 1 to kLongestReach; rows × pitch bytes at most 2³¹.
void edgePeaks(const std::uint8_t* data, std::ptrdiff_t pitch, const ProfileLines& lines, int reach, double each,
               EdgePeak* to);
void edgePeaks(const std::uint16_t* data, std::ptrdiff_t pitch, const ProfileLines& lines, int reach, double each,
               EdgePeak* to);
void edgePeaks(const float* data, std::ptrdiff_t pitch, const ProfileLines& lines, int reach, double each,
               EdgePeak* to);

namespace scalar
{
// The peak of one profile already sampled.
EdgePeak edgePeak(const double* level, int reach, double each);
void edgePeaks(const std::uint8_t* data, std::ptrdiff_t pitch, const ProfileLines& lines, int reach, double each,
               EdgePeak* to);
void edgePeaks(const std::uint16_t* data, std::ptrdiff_t pitch, const ProfileLines& lines, int reach, double each,
               EdgePeak* to);
void edgePeaks(const float* data, std::ptrdiff_t pitch, const ProfileLines& lines, int reach, double each,
               EdgePeak* to);
void spline(const std::uint8_t* base, std::ptrdiff_t stride, float x, float y, float dx, float dy, int n, float* sums);
void inRange(const std::uint8_t* p, int n, std::uint8_t low, std::uint8_t high, std::uint64_t* bits);
void inRange(const std::uint16_t* p, int n, std::uint16_t low, std::uint16_t high, std::uint64_t* bits);
void inRange(const float* p, int n, float low, float high, std::uint64_t* bits);
void heightRow(const std::uint16_t* p, int n, const HeightRow& row, float* to);
void heightRow(const float* p, int n, const HeightRow& row, float* to);
void planeSums(const float* r, int n, float cut, PlaneSums& to);
void differs(const std::uint8_t* a, const std::uint8_t* b, int n, std::uint8_t least, std::uint8_t* to);
std::uint16_t ratios(const std::uint8_t* p, const std::uint8_t* usual, const std::uint16_t* weight, int n,
                     const RatioRow& row, std::uint8_t* to);
void lower(const std::uint8_t* a, const std::uint8_t* b, int n, std::uint8_t* to);
void higher(const std::uint8_t* a, const std::uint8_t* b, int n, std::uint8_t* to);
void lowest(const std::uint8_t* p, int n, int window, std::uint8_t* to);
void highest(const std::uint8_t* p, int n, int window, std::uint8_t* to);
void lowestOf(const std::uint8_t* const* rows, int count, int n, std::uint8_t* to);
void highestOf(const std::uint8_t* const* rows, int count, int n, std::uint8_t* to);
void slide(std::uint32_t* sums, const std::uint8_t* in, const std::uint8_t* out, int n);
void below(const std::uint8_t* p, const std::uint32_t* prefix, int window, int n, std::uint32_t area, std::int32_t k,
           bool bright, std::uint8_t* to);
void sumRows(const std::uint8_t* const* rows, int count, int n, std::uint8_t* to);
void rate(const std::uint32_t* bits, int n, std::uint32_t best, std::uint32_t good, std::uint32_t fair,
          std::uint8_t* to);
void half(const std::uint8_t* a, const std::uint8_t* b, int n, float scale, float* to);
void half(const float* a, const float* b, int n, float scale, float* to);
void spread(const std::uint32_t* above, const std::uint32_t* here, const std::uint32_t* below, int n,
            std::uint32_t* to);
void directions(const float* above, const float* here, const float* below, int n, float least, std::uint32_t* to);
} // namespace scalar

} // namespace vision::simd

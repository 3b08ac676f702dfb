// sampling.h - grey levels between pixel centres (bilinear) and a stack of half-size pictures.
#pragma once
#include "image/image.h"

#include <cmath>
#include <vector>

namespace vision
{

// A picture of real grey levels (0 to 255); used for the smaller levels of a stack.
struct LevelImage {
    int width = 0, height = 0;
    std::vector<float> data;
    static constexpr double levelsPerStep = 1.0;
    float at(int x, int y) const { return data[std::size_t(y) * std::size_t(width) + std::size_t(x)]; }
    const float* row(int y) const { return data.data() + std::size_t(y) * std::size_t(width); }
};

// True when bilinear() may be asked at p.
template <class V> bool inside(const V& v, double x, double y)
{
    return x >= 0 && y >= 0 && x <= v.width - 1 && y <= v.height - 1;
}

// Grey level at a place inside the picture, bilinear between the four neighbours.
template <class V> [[gnu::always_inline]] inline double bilinear(const V& v, double x, double y)
{
    int ix = int(x), iy = int(y);
    if (ix > v.width - 2) ix = v.width > 1 ? v.width - 2 : 0;
    if (iy > v.height - 2) iy = v.height > 1 ? v.height - 2 : 0;
    const double fx = x - ix, fy = y - iy;
    const int dx = v.width > 1 ? 1 : 0;
    const auto* a = v.row(iy) + ix;
    const auto* b = v.height > 1 ? v.row(iy + 1) + ix : a;
    const double top = double(a[0]) + (double(a[dx]) - double(a[0])) * fx;
    const double bottom = double(b[0]) + (double(b[dx]) - double(b[0])) * fx;
    return (top + (bottom - top) * fy) * v.levelsPerStep;
}

// Grey level smoothed by the cubic B-spline about a place at least 1 px inside the picture (2 px from the far borders).
//
// Unlike bilinear interpolation its mean, variance (1/3 px²) and skew do not depend on the phase, so an edge measured
// on it has no phase bias. Source: Strang-Fix conditions of B-splines; Unser 1999.
template <class V> double smoothAt(const V& v, double x, double y)
{
    const int ix = int(x), iy = int(y);
    double wx[4], wy[4];
    const auto weights = [](double f, double* w) {
        const double g = 1 - f;
        w[0] = g * g * g / 6;
        w[1] = (4 - 6 * f * f + 3 * f * f * f) / 6;
        w[2] = (4 - 6 * g * g + 3 * g * g * g) / 6;
        w[3] = f * f * f / 6;
    };
    weights(x - ix, wx);
    weights(y - iy, wy);
    double sum = 0;
    for (int j = 0; j < 4; ++j) {
        const auto* row = v.row(iy + j - 1) + (ix - 1);
        sum +=
            wy[j] * (wx[0] * double(row[0]) + wx[1] * double(row[1]) + wx[2] * double(row[2]) + wx[3] * double(row[3]));
    }
    return sum * v.levelsPerStep;
}
constexpr double kSmoothAtVariance = 1.0 / 3; // px²
template <class V> bool insideSmooth(const V& v, double x, double y)
{
    return x >= 1 && y >= 1 && x < v.width - 2 && y < v.height - 2;
}

// Mean of 2×2 pixels; an odd last row or column is left out. The centre of pixel (x, y) lies at (2x + 0.5, 2y + 0.5) of
// the larger picture.
LevelImage half(const image::GreyView& picture);
LevelImage half(const LevelImage& picture);

} // namespace vision

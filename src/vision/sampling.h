// sampling.h - grey levels between pixel centres (bilinear) and a stack of half-size pictures.
#pragma once
#include "image/image.h"

#include <cmath>
#include <vector>

namespace vision {

// A picture of real grey levels (0 to 255); used for the smaller levels of a stack.
struct LevelImage {
    int width = 0, height = 0;
    std::vector<float> data;
    static constexpr double levelsPerStep = 1.0;
    float at(int x, int y) const { return data[std::size_t(y) * std::size_t(width) + std::size_t(x)]; }
    const float* row(int y) const { return data.data() + std::size_t(y) * std::size_t(width); }
};

// True when bilinear() may be asked at p.
template <class V> bool inside(const V& v, double x, double y) { return x >= 0 && y >= 0 && x <= v.width - 1 && y <= v.height - 1; }

// Grey level at a place inside the picture, bilinear between the four neighbours.
template <class V> double bilinear(const V& v, double x, double y)
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

// Mean of 2×2 pixels; an odd last row or column is left out. The centre of pixel (x, y) lies at (2x + 0.5, 2y + 0.5) of the larger picture.
LevelImage half(const image::GreyView& picture);
LevelImage half(const LevelImage& picture);

} // namespace vision

#include "vision/sampling.h"

#include "vision/simd/kernels.h"

namespace vision
{
namespace
{
template <class V> LevelImage halfOf(const V& in)
{
    LevelImage out;
    out.width = std::max(1, in.width / 2), out.height = std::max(1, in.height / 2);
    out.data.resize(std::size_t(out.width) * std::size_t(out.height));
    const float k = float(in.levelsPerStep) * 0.25f;
    for (int y = 0; y < out.height; ++y) {
        const auto* a = in.row(std::min(2 * y, in.height - 1));
        const auto* b = in.row(std::min(2 * y + 1, in.height - 1));
        float* to = out.data.data() + std::size_t(y) * std::size_t(out.width);
        if (in.width < 2) {
            to[0] = float(a[0] + b[0]) * 2 * k;
            continue;
        }
        if constexpr (sizeof(*a) == 2) {
            for (int x = 0; x < out.width; ++x) to[x] = float(a[2 * x] + a[2 * x + 1] + b[2 * x] + b[2 * x + 1]) * k;
        } else {
            simd::half(a, b, out.width, k, to);
        }
    }
    return out;
}
} // namespace

LevelImage half(const image::GreyView& picture)
{
    return picture.visit([](auto v) { return halfOf(v); });
}
LevelImage half(const LevelImage& picture) { return halfOf(picture); }

} // namespace vision

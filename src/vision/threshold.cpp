#include "vision/threshold.h"

namespace vision
{

Histogram histogram(const image::GreyView& picture, const std::vector<geometry::Span>& region)
{
    Histogram h;
    picture.visit([&](auto v) {
        // Four tables, so that equal neighbours do not wait for each other.
        std::array<std::array<std::uint32_t, 256>, 4> part{};
        const auto flush = [&] {
            for (auto& p : part)
                for (std::size_t i = 0; i < 256; ++i) h.count[i] += p[i], p[i] = 0;
        };
        const auto bin = [](auto raw) { return sizeof(raw) == 1 ? std::size_t(raw) : std::size_t(raw / 257u); };
        for (const geometry::Span& s : region) {
            const auto* p = v.row(s.y);
            int x = s.from;
            for (; x + 4 <= s.to; x += 4) ++part[0][bin(p[x])], ++part[1][bin(p[x + 1])], ++part[2][bin(p[x + 2])], ++part[3][bin(p[x + 3])];
            for (; x < s.to; ++x) ++part[0][bin(p[x])];
            h.total += s.to - s.from;
        }
        flush();
    });
    return h;
}

base::Result<double> automaticThreshold(const Histogram& h)
{
    if (h.total == 0) return base::fail(base::ErrorCode::NoResult, "the region holds no pixel of the picture");
    double all = 0;
    for (std::size_t i = 0; i < 256; ++i) all += double(i) * double(h.count[i]);
    double below = 0, sumBelow = 0, best = 0;
    int first = -1, last = -1;
    for (int t = 1; t < 256; ++t) {
        below += double(h.count[std::size_t(t - 1)]);
        sumBelow += double(t - 1) * double(h.count[std::size_t(t - 1)]);
        const double above = double(h.total) - below;
        if (below <= 0 || above <= 0) continue;
        const double gap = sumBelow / below - (all - sumBelow) / above;
        const double between = below * above * gap * gap;
        if (between > best * (1 + 1e-12)) best = between, first = last = t;
        else if (between >= best * (1 - 1e-12) && last == t - 1) last = t;
    }
    if (first < 0) return base::fail(base::ErrorCode::NoResult, "all pixels of the region have one grey level");
    return 0.5 * (first + last);
}

} // namespace vision

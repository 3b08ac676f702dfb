#include "inspect/lying_together.h"

#include "base/unit.h"
#include "image/tiles.h"
#include "vision/sampling.h"

#include <algorithm>

namespace inspect
{
using geometry::Point;

namespace
{
constexpr double kFarthest = 0.03; // of the longer side
constexpr double kTold = 1.5;      // px; less is no fault of the station
constexpr double kLeastLikeness = 0.3, kLeastGain = 0.04;
constexpr double kSeamTold = 0.5; // px

vision::LevelImage slopesOf(const vision::LevelImage& p)
{
    vision::LevelImage out{p.width, p.height, std::vector<float>(p.data.size())};
    for (int y = 1; y + 1 < p.height; ++y)
        for (int x = 1; x + 1 < p.width; ++x) {
            const float gx = p.at(x + 1, y) - p.at(x - 1, y), gy = p.at(x, y + 1) - p.at(x, y - 1);
            out.data[std::size_t(y) * std::size_t(p.width) + std::size_t(x)] = std::sqrt(gx * gx + gy * gy);
        }
    return out;
}
double likeness(const vision::LevelImage& a, const vision::LevelImage& b, int dx, int dy)
{
    double n = 0, sa = 0, sb = 0, saa = 0, sbb = 0, sab = 0;
    for (int y = std::max(1, 1 - dy); y < std::min(a.height, b.height - dy) - 1; ++y) {
        const float *ra = a.row(y), *rb = b.row(y + dy) + dx;
        float ta = 0, tb = 0, taa = 0, tbb = 0, tab = 0;
        const int from = std::max(1, 1 - dx), to = std::min(a.width, b.width - dx) - 1;
        for (int x = from; x < to; ++x) {
            ta += ra[x], tb += rb[x], taa += ra[x] * ra[x], tbb += rb[x] * rb[x], tab += ra[x] * rb[x];
        }
        sa += double(ta), sb += double(tb), saa += double(taa), sbb += double(tbb), sab += double(tab);
        n += std::max(0, to - from);
    }
    const double va = saa - sa * sa / n, vb = sbb - sb * sb / n;
    return va > 0.1 * n && vb > 0.1 * n ? (sab - sa * sb / n) / std::sqrt(va * vb) : 0;
}
} // namespace

std::optional<Point> shiftBetween(const image::Picture& first, const image::Picture& other)
{
    std::vector<vision::LevelImage> a{vision::half(first.grey())}, b{vision::half(other.grey())};
    while (std::max(a.back().width, a.back().height) > 256 && std::min(a.back().width, a.back().height) > 32)
        a.push_back(vision::half(a.back())), b.push_back(vision::half(b.back()));
    int bx = 0, by = 0, around = std::max(2, int(kFarthest * std::max(a.back().width, a.back().height)));
    double best = -2, still = 0;
    Point fine;
    // Finest where a px is still a fraction of what is told.
    std::size_t last = 0;
    while (last + 1 < a.size() && a[last].width > 1000) ++last;
    for (std::size_t l = a.size(); l-- > last;) {
        const auto ga = slopesOf(a[l]), gb = slopesOf(b[l]);
        const int cx = bx, cy = by;
        best = -2;
        for (int dy = -around; dy <= around; ++dy)
            for (int dx = -around; dx <= around; ++dx)
                if (const double s = likeness(ga, gb, cx + dx, cy + dy); s > best) best = s, bx = cx + dx, by = cy + dy;
        if (l == a.size() - 1 && best < kLeastLikeness) return std::nullopt;
        if (l > last) {
            bx *= 2, by *= 2, around = 1;
            continue;
        }
        still = likeness(ga, gb, 0, 0);
        const auto peak = [&](double low, double high) {
            const double curve = low - 2 * best + high;
            return curve < -1e-12 ? std::clamp(0.5 * (low - high) / curve, -0.5, 0.5) : 0.0;
        };
        fine = {bx + peak(likeness(ga, gb, bx - 1, by), likeness(ga, gb, bx + 1, by)),
                by + peak(likeness(ga, gb, bx, by - 1), likeness(ga, gb, bx, by + 1))};
    }
    const double px = double(2 << last);
    if (best < kLeastLikeness) return std::nullopt;
    if (best < still + kLeastGain) return Point{};
    return fine * px;
}

std::vector<std::string> captureWarnings(const image::Capture& capture)
{
    std::vector<std::string> out;
    const image::Picture* first = nullptr;
    for (const image::Picture& p : capture.pictures()) {
        if (p.joined) {
            for (const std::string& tile : p.joined->missing())
                out.push_back("tile " + tile + " of \"" + p.key + "\" is missing: nothing is measured there");
            for (const auto& s : p.joined->seams)
                if (s.seen && s.residual() > kSeamTold)
                    out.push_back("tiles " + p.joined->tiles[std::size_t(s.first)].name + " and " +
                                  p.joined->tiles[std::size_t(s.second)].name + " of \"" + p.key + "\" lie " +
                                  base::toText(s.residual(), 1) + " px beside each other at their seam");
        }
        if (p.content == image::Content::Height) continue;
        if (!first) {
            first = &p;
            continue;
        }
        const auto d = shiftBetween(*first, p);
        if (d && geometry::length(*d) > kTold)
            out.push_back("picture \"" + p.key + "\" lies " + base::toText(geometry::length(*d), 1) + " px beside \"" +
                          first->key + "\" (" + base::toText(d->x, 1) + " to the right, " + base::toText(d->y, 1) +
                          " down): what is drawn on one does not lie on the other");
    }
    return out;
}

} // namespace inspect

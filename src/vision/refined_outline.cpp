#include "vision/refined_outline.h"

#include "vision/blobs.h"

#include <algorithm>

namespace vision
{
using geometry::Point;

double OutlinePoints::sureShare() const
{
    return sure.empty() ? 0 : double(std::count(sure.begin(), sure.end(), true)) / double(sure.size());
}

OutlinePoints refinedOutline(const image::GreyView& picture, const std::vector<Point>& corners, const RefineOptions& o)
{
    const std::vector<Point> smooth = smoothedOutline(corners); // its normals turn gently
    const std::size_t n = smooth.size();
    OutlinePoints out;
    std::vector<Edge> taken;
    const double reach = 5 + o.smoothing;
    for (std::size_t i = 0; i < n; ++i) {
        const Point along = smooth[(i + 3) % n] - smooth[(i + n - 3 % n) % n];
        if (geometry::length(along) < 1e-6) continue;
        const Point normal = geometry::leftOf(geometry::unit(along));
        const auto p = profile(picture, smooth[i] - normal * reach, smooth[i] + normal * reach, o.averaging);
        std::optional<Edge> best;
        if (p)
            for (const Edge& e : edges(*p, {Polarity::Any, o.leastStrength, o.smoothing}))
                if (std::abs(e.position - reach) < o.most && (!best || e.strength > best->strength)) best = e;
        out.points.push_back(best ? best->point : smooth[i]);
        out.sure.push_back(best.has_value());
        if (best) taken.push_back(*best);
    }
    // curvatureShift() is half of the variance over the radius.
    constexpr double far = 1e6;
    out.blur = std::sqrt(std::max(0.0, curvatureShift(taken, far) * 2 * far));
    const double wide = std::max(1.0, std::round(o.averaging));
    out.spread = (wide * wide - 1) / 12;
    return out;
}

} // namespace vision

#include "drawing/deviation.h"

#include <algorithm>
#include <numeric>

namespace drawing
{
using geometry::Point;

namespace
{
constexpr double kAgree = 0.5; // cosine between what was found and what was drawn

double areaOf(const std::vector<Point>& p, Point& centre)
{
    double area = 0;
    Point first{};
    for (std::size_t i = 0; i < p.size(); ++i) {
        const Point a = p[i] - p[0], b = p[(i + 1) % p.size()] - p[0];
        const double c = geometry::cross(a, b);
        area += c / 2;
        first = first + (a + b) * (c / 6);
    }
    centre = p[0] + (area != 0 ? first * (1 / area) : Point{});
    return std::abs(area);
}
// How far a blur of this variance (mm²) moves the edge at a place of the drawing towards the inside of its bend, mm. The
// bend may change within the blur.
double bentAway(const Outline& outline, const Outline::Foot& f, double variance)
{
    const double reach = 2.5 * std::sqrt(variance);
    const auto bendAt = [&](double t) { return outline.at(f.loop, f.along + t).curvature; };
    const double k = f.curvature;
    if (f.cornerGap <= reach || (bendAt(-reach) == k && bendAt(reach) == k)) return variance * k / 2;
    constexpr int steps = 10;
    const double h = reach / steps;
    double sum = 0, weights = 1; // the place itself: no distance
    for (const double way : {-1.0, 1.0}) {
        double slope = 0, height = 0;
        for (int i = 1; i <= steps; ++i) {
            const double bend = bendAt(way * (i - 0.5) * h);
            height += slope * h + bend * h * h / 2;
            slope += bend * h;
            const double t = i * h, w = std::exp(-t * t / (2 * variance));
            sum += w * height;
            weights += w;
        }
    }
    return sum / weights;
}
// Points of a found loop against the drawing; `near`: share of them that lie by it and run as it does.
std::vector<DeviationPoint> against(const Outline& outline, const Laid& laid, const FoundLoop& loop,
                                    const DeviationOptions& o, double& near)
{
    const std::size_t n = loop.points.size();
    std::vector<DeviationPoint> out;
    out.reserve(n);
    std::vector<Point> mm(n);
    for (std::size_t i = 0; i < n; ++i) mm[i] = laid.toDrawing(loop.points[i]);
    std::size_t agree = 0;
    const double px = 1 / laid.pxPerMm, variance = (loop.blur * loop.blur + loop.spread) * px * px;
    for (std::size_t i = 0; i < n; ++i) {
        const auto f = outline.nearest(mm[i], 1e300);
        if (!f) continue;
        DeviationPoint d;
        d.found = loop.points[i];
        d.foot = f->at;
        d.outward = f->outward;
        d.element = f->element;
        d.loop = f->loop;
        d.along = f->along;
        d.offset = f->offset + (f->atCorner ? 0 : bentAway(outline, *f, variance));
        d.counts = f->cornerGap > o.cornerGap || std::abs(d.offset) > o.cornerAllowance;
        const Point way = mm[(i + 2) % n] - mm[(i + n - 2) % n];
        const Point outward = geometry::leftOf(geometry::unit(way)) * (laid.mirrored ? -1.0 : 1.0);
        agree += std::abs(f->offset) <= o.reach && geometry::dot(outward, f->outward) > kAgree;
        out.push_back(d);
    }
    near = out.empty() ? 0 : double(agree) / double(out.size());
    return out;
}
} // namespace

Deviations deviations(const Outline& outline, const Laid& laid, const std::vector<FoundLoop>& found,
                      const DeviationOptions& o)
{
    Deviations out;
    const std::size_t loops = outline.loops().size();
    std::vector<std::vector<char>> seen(loops); // bins as long as the reach, at least 40 a loop; 1: far off, 2: near
    for (std::size_t l = 0; l < loops; ++l) {
        const double bins = std::clamp(outline.loops()[l].length / std::max(o.reach, 1e-6), 40.0, 1e5);
        seen[l].assign(std::size_t(bins), 0);
    }
    for (std::size_t i = 0; i < found.size(); ++i) {
        if (found[i].points.size() < 8) continue;
        double near = 0;
        auto line = against(outline, laid, found[i], o, near);
        if (near < 0.4) {
            Point centre;
            const double area = areaOf(found[i].points, centre);
            const Point mm = laid.toDrawing(centre);
            // Beside the part lies what is none of its business.
            if (mm.x < outline.box().left || mm.x > outline.box().right || -mm.y < outline.box().bottom ||
                -mm.y > outline.box().top)
                continue;
            const auto f = outline.nearest(mm, 1e300);
            if (!f || (f->offset > 0 && !outline.loops()[std::size_t(f->loop)].hole)) continue;
            double radius = std::sqrt(area / geometry::kPi); // px; blur makes it smaller
            if (radius > 1) radius += (found[i].blur * found[i].blur + found[i].spread) / (2 * radius);
            out.surplus.push_back({mm, 2 * radius / laid.pxPerMm, int(i)});
            continue;
        }
        for (const DeviationPoint& d : line) {
            if (d.counts) out.most = std::max(out.most, d.offset), out.least = std::min(out.least, d.offset);
            auto& bins = seen[std::size_t(d.loop)];
            const double at = d.along / outline.loops()[std::size_t(d.loop)].length * double(bins.size());
            char& bin = bins[std::min(bins.size() - 1, std::size_t(std::max(0.0, at)))];
            bin = std::max(bin, char(std::abs(d.offset) > o.reach ? 1 : 2));
        }
        out.lines.push_back(std::move(line));
    }
    for (std::size_t l = 0; l < loops; ++l) {
        const double all = double(seen[l].size());
        out.covered.push_back(double(std::count(seen[l].begin(), seen[l].end(), 2)) / all);
        out.seen.push_back(1 - double(std::count(seen[l].begin(), seen[l].end(), 0)) / all);
        if (out.covered.back() < 0.4) out.missing.push_back(int(l));
    }
    return out;
}

std::vector<Stretch> stretchesBeyond(const Deviations& d, double tolerance)
{
    constexpr std::size_t kGap = 3; // points within that do not part a stretch
    std::vector<Stretch> out;
    for (std::size_t line = 0; line < d.lines.size(); ++line) {
        const auto& p = d.lines[line];
        const std::size_t n = p.size();
        const auto beyond = [&](std::size_t i) { return p[i % n].counts && std::abs(p[i % n].offset) > tolerance; };
        // Begins behind a point that is within, so that none runs over the end unseen.
        std::size_t start = 0, calm = 0;
        for (std::size_t i = 0; i < n && calm <= kGap; ++i) {
            calm = beyond(i) ? 0 : calm + 1;
            start = i + 1;
        }
        for (std::size_t i = start; i < start + n;) {
            if (!beyond(i)) {
                ++i;
                continue;
            }
            Stretch s;
            s.line = int(line);
            s.first = i;
            std::size_t last = i;
            for (std::size_t k = i; k < start + n && k - last <= kGap + 1; ++k)
                if (beyond(k) && (p[k % n].offset > 0) == (p[i % n].offset > 0)) last = k;
            s.last = last;
            for (std::size_t k = i; k <= last; ++k) {
                const DeviationPoint& q = p[k % n];
                if (k > i) s.length += geometry::distance(q.foot, p[(k - 1) % n].foot);
                if (!q.counts || std::abs(q.offset) <= std::abs(s.worst)) continue;
                s.worst = q.offset;
                s.at = q.found;
                s.foot = q.foot;
                s.loop = q.loop;
                s.element = q.element;
            }
            s.from = p[i % n].along;
            s.to = p[last % n].along;
            out.push_back(s);
            i = last + 1;
        }
    }
    std::stable_sort(out.begin(), out.end(),
                     [](const Stretch& a, const Stretch& b) { return std::abs(a.worst) > std::abs(b.worst); });
    return out;
}

} // namespace drawing

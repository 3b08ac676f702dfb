#include "vision/edges.h"

#include "vision/sampling.h"

#include <algorithm>

namespace vision
{
using geometry::Point;

namespace
{
template <class V> Profile sample(const V& v, Point from, Point to, double width)
{
    Profile p;
    p.from = from;
    p.along = geometry::unit(to - from);
    const int n = int(std::floor(geometry::distance(from, to) + 1e-9)) + 1;
    const int lines = std::max(1, int(std::lround(width)));
    const double gap = width / lines;
    const Point across = geometry::leftOf(p.along);
    p.level.assign(std::size_t(n), 0.0);
    p.first = n;
    const Point low = across * (-(lines - 1) / 2.0 * gap), high = across * ((lines - 1) / 2.0 * gap);
    for (int i = 0; i < n; ++i) {
        const Point at = from + p.along * i;
        // A row of samples is inside when both of its ends are.
        if (!inside(v, at.x + low.x, at.y + low.y) || !inside(v, at.x + high.x, at.y + high.y)) {
            if (p.first < i && p.end == i) break; // left the picture again
            continue;
        }
        double sum = 0;
        double x = at.x + low.x, y = at.y + low.y;
        for (int k = 0; k < lines; ++k, x += across.x * gap, y += across.y * gap)
            sum += insideSmooth(v, x, y) ? smoothAt(v, x, y) : bilinear(v, std::clamp(x, 0.0, v.width - 1.0), std::clamp(y, 0.0, v.height - 1.0));
        p.level[std::size_t(i)] = sum / lines;
        p.first = std::min(p.first, i);
        p.end = i + 1;
    }
    for (int i = 0; i < n && p.first < p.end; ++i)
        if (i < p.first || i >= p.end) p.level[std::size_t(i)] = p.level[std::size_t(std::clamp(i, p.first, p.end - 1))];
    return p;
}

// Kernel of the derivative of a Gaussian, unit response to a ramp of slope 1.
std::vector<double> kernelOf(double sigma)
{
    const int r = std::max(1, int(std::ceil(4 * sigma)));
    std::vector<double> k(std::size_t(2 * r + 1));
    double sum = 0;
    for (int i = -r; i <= r; ++i) {
        k[std::size_t(i + r)] = i * std::exp(-0.5 * i * i / (sigma * sigma));
        sum += i * k[std::size_t(i + r)];
    }
    for (double& x : k) x /= sum;
    return k;
}
} // namespace

base::Result<Profile> profile(const image::GreyView& picture, Point from, Point to, double width)
{
    Profile p = picture.visit([&](auto v) { return sample(v, from, to, width); });
    if (p.end - p.first < 5) return base::fail(base::ErrorCode::NoResult, "the region lies outside the picture or is shorter than 5 px");
    return p;
}

std::vector<double> derivative(const Profile& p, double smoothing)
{
    // The sampling has smoothed by its own part already.
    const std::vector<double> k = kernelOf(std::sqrt(std::max(0.09, smoothing * smoothing - kSmoothAtVariance)));
    const int r = int(k.size() / 2), n = int(p.level.size());
    std::vector<double> d(p.level.size());
    for (int i = p.first; i < p.end; ++i) {
        double sum = 0;
        for (int j = -r; j <= r; ++j) sum += k[std::size_t(j + r)] * p.level[std::size_t(std::clamp(i + j, 0, n - 1))];
        d[std::size_t(i)] = sum;
    }
    return d;
}

std::vector<Edge> edges(const Profile& p, const EdgeOptions& o)
{
    const std::vector<double> d = derivative(p, o.smoothing);
    struct Candidate {
        int at, from, to;
        double strength;
    };
    std::vector<Candidate> found;
    for (int i = p.first + 1; i + 1 < p.end; ++i) {
        const double c = d[std::size_t(i)], sign = c > 0 ? 1.0 : -1.0;
        const double here = c * sign, before = d[std::size_t(i - 1)] * sign, after = d[std::size_t(i + 1)] * sign;
        if (here <= 0 || before > here || after >= here) continue;
        // The lobe: until the derivative has died away, changed sign, or clearly rises again.
        const auto walk = [&](int step) {
            double low = here;
            int j = i;
            while (j + step >= p.first && j + step < p.end) {
                const double v = d[std::size_t(j + step)] * sign;
                if (v < 0.05 * here || v > 2 * low) break;
                low = std::min(low, v);
                j += step;
            }
            return j;
        };
        Candidate q{i, walk(-1), walk(+1), 0};
        for (int j = q.from; j <= q.to; ++j) q.strength += d[std::size_t(j)] * sign;
        if (q.strength >= o.leastStrength) found.push_back(q);
    }
    // A peak inside the lobe of a stronger one of the same polarity is the same edge.
    std::vector<Edge> out;
    for (const Candidate& q : found) {
        const bool rising = d[std::size_t(q.at)] > 0;
        const bool shadowed = std::any_of(found.begin(), found.end(), [&](const Candidate& other) {
            return other.at != q.at && (d[std::size_t(other.at)] > 0) == rising && q.at >= other.from && q.at <= other.to &&
                   std::abs(d[std::size_t(other.at)]) > std::abs(d[std::size_t(q.at)]);
        });
        if (shadowed) continue;
        if ((o.polarity == Polarity::DarkToBright && !rising) || (o.polarity == Polarity::BrightToDark && rising)) continue;
        const double sign = rising ? 1 : -1;
        const double a = std::max(1e-12, d[std::size_t(q.at - 1)] * sign), b = d[std::size_t(q.at)] * sign,
                     c = std::max(1e-12, d[std::size_t(q.at + 1)] * sign);
        const double curve = std::log(a) - 2 * std::log(b) + std::log(c);
        Edge e;
        const double shift = curve < -1e-12 ? std::clamp(0.5 * (std::log(a) - std::log(c)) / curve, -0.5, 0.5) : 0.0;
        e.position = q.at + shift;
        e.point = p.from + p.along * e.position;
        e.strength = q.strength;
        e.polarity = rising ? 1 : -1;
        const double seen = curve < -1e-12 ? -1.0 / curve : 0.0;
        e.blur = std::sqrt(std::max(0.0, seen - o.smoothing * o.smoothing));
        out.push_back(e);
    }
    return out;
}

std::optional<Edge> pick(const std::vector<Edge>& edges, Pick which)
{
    if (edges.empty()) return std::nullopt;
    if (which == Pick::First) return edges.front();
    if (which == Pick::Last) return edges.back();
    return *std::max_element(edges.begin(), edges.end(), [](const Edge& a, const Edge& b) { return a.strength < b.strength; });
}

Probe probeLine(const image::GreyView& picture, const geometry::Segment& along, double across, int windows, double width, bool towardsRight,
                const EdgeOptions& options, Pick which)
{
    Probe out;
    out.windows = windows;
    const Point normal = geometry::leftOf(along.along()) * (towardsRight ? -1.0 : 1.0);
    for (int i = 0; i < windows; ++i) {
        const Point c = along.from + (along.to - along.from) * ((i + 0.5) / windows);
        const auto p = profile(picture, c - normal * (across / 2), c + normal * (across / 2), width);
        if (!p || p->end - p->first < int(p->level.size())) ++out.outside;
        if (!p) continue;
        if (const auto e = pick(edges(*p, options), which)) out.edges.push_back(*e);
    }
    return out;
}

namespace
{
template <class V> Profile samplePolar(const V& v, Point centre, double angle, double from, double to, double width, bool inward)
{
    Profile p;
    const Point ray = geometry::direction(angle);
    p.from = centre + ray * (inward ? to : from);
    p.along = ray * (inward ? -1.0 : 1.0);
    const int n = int(std::floor(to - from + 1e-9)) + 1, lines = std::max(1, int(std::lround(width)));
    p.level.assign(std::size_t(n), 0.0);
    p.first = n;
    const double middle = 0.5 * (from + to);
    for (int i = 0; i < n; ++i) {
        const double r = inward ? to - i : from + i;
        double sum = 0;
        bool all = true;
        for (int k = 0; k < lines && all; ++k) {
            const Point q = centre + geometry::direction(angle + (k - (lines - 1) / 2.0) * (width / lines) / middle) * r;
            all = inside(v, q.x, q.y);
            if (all) sum += insideSmooth(v, q.x, q.y) ? smoothAt(v, q.x, q.y) : bilinear(v, q.x, q.y);
        }
        if (!all) {
            if (p.end == i && p.first < i) break;
            continue;
        }
        p.level[std::size_t(i)] = sum / lines;
        p.first = std::min(p.first, i);
        p.end = i + 1;
    }
    for (int i = 0; i < n && p.first < p.end; ++i)
        if (i < p.first || i >= p.end) p.level[std::size_t(i)] = p.level[std::size_t(std::clamp(i, p.first, p.end - 1))];
    return p;
}
} // namespace

Probe probeCircle(const image::GreyView& picture, Point centre, double inner, double outer, int windows, double width, bool inward,
                  const EdgeOptions& options, Pick which)
{
    Probe out;
    out.windows = windows;
    for (int i = 0; i < windows; ++i) {
        const double angle = 2 * geometry::kPi * i / windows;
        const Profile p = picture.visit([&](auto v) { return samplePolar(v, centre, angle, inner, outer, width, inward); });
        if (p.end - p.first < int(p.level.size())) ++out.outside;
        if (p.end - p.first < 5) continue;
        if (const auto e = pick(edges(p, options), which)) out.edges.push_back(*e);
    }
    return out;
}

double curvatureShift(const std::vector<Edge>& edges, double radius)
{
    if (edges.empty() || radius <= 0) return 0;
    std::vector<double> blur;
    for (const Edge& e : edges) blur.push_back(e.blur);
    std::nth_element(blur.begin(), blur.begin() + std::ptrdiff_t(blur.size() / 2), blur.end());
    const double sigma = std::min(blur[blur.size() / 2], radius / 2);
    // The sampling blurs in both directions too; its part is not in the edges' own blur.
    return (sigma * sigma + kSmoothAtVariance) / (2 * radius);
}

double noise(const image::GreyView& picture)
{
    return picture.visit([](auto v) {
        std::vector<double> seen;
        const int step = std::max(1, int(std::sqrt(double(v.width) * v.height / 20000.0)));
        for (int y = 1; y + 1 < v.height; y += step)
            for (int x = 1; x + 1 < v.width; x += step) {
                const auto at = [&](int dx, int dy) { return double(v.at(x + dx, y + dy)); };
                const double l =
                    at(-1, -1) - 2 * at(0, -1) + at(1, -1) - 2 * at(-1, 0) + 4 * at(0, 0) - 2 * at(1, 0) + at(-1, 1) - 2 * at(0, 1) + at(1, 1);
                seen.push_back(std::abs(l));
            }
        if (seen.empty()) return 0.0;
        const auto middle = seen.begin() + std::ptrdiff_t(seen.size() / 2);
        std::nth_element(seen.begin(), middle, seen.end());
        return *middle / 0.6745 / 6.0 * v.levelsPerStep; // the kernel's own norm is 6
    });
}

} // namespace vision

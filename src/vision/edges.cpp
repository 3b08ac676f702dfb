#include "vision/edges.h"

#include "geometry/zones.h"
#include "vision/sampling.h"
#include "vision/simd/kernels.h"

#include <algorithm>

namespace vision
{
using geometry::Point;

Point Path::at(double t) const
{
    if (kind == Kind::Round) return centre + geometry::direction(start + turn * t / std::max(radius, 1e-9)) * radius;
    for (std::size_t i = 0; i + 1 < corners.size(); ++i) {
        const double leg = geometry::distance(corners[i], corners[i + 1]);
        if (t <= leg || i + 2 == corners.size()) return corners[i] + geometry::unit(corners[i + 1] - corners[i]) * t;
        t -= leg;
    }
    return corners.empty() ? Point{} : corners.front();
}

Point Path::along(double t) const
{
    if (kind == Kind::Round)
        return geometry::leftOf(geometry::direction(start + turn * t / std::max(radius, 1e-9))) * turn;
    for (std::size_t i = 0; i + 1 < corners.size(); ++i) {
        const double leg = geometry::distance(corners[i], corners[i + 1]);
        if (t <= leg || i + 2 == corners.size()) return geometry::unit(corners[i + 1] - corners[i]);
        t -= leg;
    }
    return {1, 0};
}

Path straight(Point from, Point to, double width)
{
    Path p;
    p.corners = {from, to};
    p.length = geometry::distance(from, to);
    p.width = width;
    return p;
}

Path pathOf(const geometry::Region& r, bool reversed)
{
    using geometry::Shape;
    Path p;
    switch (r.shape) {
    case Shape::Ring:
    case Shape::Arc: {
        p.kind = Path::Kind::Round;
        p.centre = r.centre;
        p.radius = (r.inner + r.outer) / 2, p.width = r.outer - r.inner;
        const double sweep = r.shape == Shape::Arc ? r.sweep : 2 * geometry::kPi;
        p.closed = sweep >= 2 * geometry::kPi - 1e-9;
        p.turn = reversed ? -1 : 1;
        p.start = r.shape == Shape::Arc ? (reversed ? r.start + sweep : r.start) : 0;
        p.length = p.radius * sweep;
        return p;
    }
    case Shape::Polyline:
        p.kind = Path::Kind::Bent;
        p.corners = r.points, p.width = r.width;
        for (std::size_t i = 0; i + 1 < p.corners.size(); ++i)
            p.length += geometry::distance(p.corners[i], p.corners[i + 1]);
        break;
    case Shape::Window: p = straight(r.from, r.to, r.width); break;
    default: {
        const auto outlines = r.outlines();
        const geometry::TurnedBox box =
            outlines.empty() ? geometry::TurnedBox{} : geometry::smallestBox(outlines.front());
        const Point half = geometry::direction(box.angle) * (box.length / 2);
        p = straight(box.centre - half, box.centre + half, std::max(1.0, box.width));
        break;
    }
    }
    if (reversed) std::reverse(p.corners.begin(), p.corners.end());
    return p;
}

namespace
{
// Adds the cubic B-spline along a straight row of samples to sums[0 .. n-1]; places near the picture's border are taken
// bilinearly.
template <class V>
void addRow(const V& v, Point from, Point step, int n, std::vector<double>& sums, int first, std::vector<float>& buffer)
{
    const auto plain = [&](int i) {
        const double x = from.x + step.x * i, y = from.y + step.y * i;
        sums[std::size_t(first + i)] +=
            insideSmooth(v, x, y) ? smoothAt(v, x, y)
                                  : bilinear(v, std::clamp(x, 0.0, v.width - 1.0), std::clamp(y, 0.0, v.height - 1.0));
    };
    if constexpr (sizeof(typename V::Sample) == 1) {
        // The stretch that lies well inside: 0.01 px of slack for single precision.
        double low = 0, high = n - 1;
        const auto cut = [&](double at, double by, double least, double most) {
            if (std::abs(by) < 1e-12) {
                if (at < least || at > most) high = -1;
                return;
            }
            const double a = (least - at) / by, b = (most - at) / by;
            low = std::max(low, std::min(a, b)), high = std::min(high, std::max(a, b));
        };
        cut(from.x, step.x, 1.01, v.width - 2.01);
        cut(from.y, step.y, 1.01, v.height - 2.01);
        const int i0 = int(std::ceil(std::min(low, 1e9))), i1 = int(std::floor(std::max(high, -1.0)));
        if (i1 - i0 >= 7) {
            for (int i = 0; i < i0; ++i) plain(i);
            constexpr int kChunk = 256;
            for (int i = i0; i <= i1; i += kChunk) {
                const int count = std::min(kChunk, i1 + 1 - i);
                const Point a = from + step * i, b = from + step * (i + count - 1);
                const int bx = int(std::floor(std::min(a.x, b.x))), by = int(std::floor(std::min(a.y, b.y)));
                buffer.assign(std::size_t(count), 0.f);
                simd::spline(v.row(by) + bx, v.stride, float(a.x - bx), float(a.y - by), float(step.x), float(step.y),
                             count, buffer.data());
                for (int k = 0; k < count; ++k) sums[std::size_t(first + i + k)] += double(buffer[std::size_t(k)]);
            }
            for (int i = i1 + 1; i < n; ++i) plain(i);
            return;
        }
    }
    for (int i = 0; i < n; ++i) plain(i);
}

// Mean over pairs of lines of how much noise two of them share that lie `apart` px beside each other: the cubic
// B-spline with itself, to within 2 % a Gaussian of variance 2/3.
double shared(int lines, double gap, double apart)
{
    const auto both = [](double d) { return std::exp(-0.75 * d * d) / std::sqrt(4 * geometry::kPi / 3); };
    const int reach = int(std::ceil((4 + std::abs(apart)) / std::max(gap, 1e-3)));
    double sum = 0;
    for (int lag = -std::min(reach, lines - 1); lag <= std::min(reach, lines - 1); ++lag)
        sum += (lines - std::abs(lag)) * both(lag * gap + apart);
    return sum / (double(lines) * lines);
}
int linesOf(double width)
{
    // Wide windows are read every 1.5 px: the spline leaves no gap (its share at that period is 3 %).
    const double wide = std::min(width, 1e5);
    return std::max(1, int(std::lround(wide < 8 ? wide : wide / 1.5)));
}

// Beyond the part inside the picture the nearest value stands.
void extend(Profile& p)
{
    const int n = int(p.level.size());
    for (int i = 0; i < n && p.first < p.end; ++i)
        if (i < p.first || i >= p.end)
            p.level[std::size_t(i)] = p.level[std::size_t(std::clamp(i, p.first, p.end - 1))];
}

template <class V> Profile sampleStraight(const V& v, const Path& path)
{
    Profile p;
    p.path = path;
    const Point from = path.corners.front(), along = path.along(0);
    const int n = int(std::min(1e6, std::floor(path.length + 1e-9))) + 1;
    const int lines = linesOf(path.width);
    const double gap = path.width / lines;
    p.lines = 1 / shared(lines, gap, 0);
    const Point across = geometry::leftOf(along);
    p.level.assign(std::size_t(n), 0.0);
    p.first = n;
    const Point low = across * (-(lines - 1) / 2.0 * gap), high = across * ((lines - 1) / 2.0 * gap);
    for (int i = 0; i < n; ++i) {
        const Point at = from + along * i;
        // A row of samples is inside when both of its ends are.
        if (!inside(v, at.x + low.x, at.y + low.y) || !inside(v, at.x + high.x, at.y + high.y)) {
            if (p.first < i && p.end == i) break; // left the picture again
            continue;
        }
        p.first = std::min(p.first, i);
        p.end = i + 1;
    }
    if (p.first >= p.end) return p;
    std::vector<float> buffer;
    for (int k = 0; k < lines; ++k)
        addRow(v, from + along * p.first + low + across * (gap * k), along, p.end - p.first, p.level, p.first, buffer);
    for (int i = p.first; i < p.end; ++i) p.level[std::size_t(i)] /= lines;
    extend(p);
    return p;
}

// Sample by sample, each averaged square to the way; a closed way is sampled beyond its ends so that the seam is like
// any other place.
template <class V> Profile sampleCurved(const V& v, const Path& path)
{
    Profile p;
    p.path = path;
    const int pad = path.closed ? int(std::min(60.0, path.length / 2)) : 0;
    // On a closed way the samples close too.
    const int inner = std::max(1, int(std::min(1e6, std::floor(path.length + 1e-9))) + (path.closed ? 0 : 1));
    const int n = inner + 2 * pad, lines = std::max(1, int(std::lround(std::min(path.width, 1e5))));
    const double step = p.step = path.closed ? path.length / inner : 1.0;
    p.origin = -pad * step;
    p.lines = 1 / shared(lines, path.width / lines, 0);
    p.level.assign(std::size_t(n), 0.0);
    p.first = n;
    for (int i = 0; i < n; ++i) {
        const double t = (i - pad) * step;
        const Point at = path.at(t), across = geometry::leftOf(path.along(t));
        double sum = 0;
        bool all = true;
        for (int k = 0; k < lines && all; ++k) {
            const Point q = at + across * ((k - (lines - 1) / 2.0) * (path.width / lines));
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
    extend(p);
    return p;
}

// Kernel of the derivative of a Gaussian, unit response to a ramp of slope 1.
const std::vector<double>& kernelOf(double sigma)
{
    // The same few widths are asked for again and again.
    thread_local std::vector<std::pair<double, std::vector<double>>> known;
    for (const auto& [s, made] : known)
        if (s == sigma) return made;
    const int r = std::max(1, int(std::ceil(4 * sigma)));
    std::vector<double> k(std::size_t(2 * r + 1));
    double sum = 0;
    for (int i = -r; i <= r; ++i) {
        k[std::size_t(i + r)] = i * std::exp(-0.5 * i * i / (sigma * sigma));
        sum += i * k[std::size_t(i + r)];
    }
    for (double& x : k) x /= sum;
    if (known.size() > 16) known.erase(known.begin());
    known.emplace_back(sigma, std::move(k));
    return known.back().second;
}
} // namespace

base::Result<Profile> profile(const image::GreyView& picture, const Path& path)
{
    if (!(path.length < 1e6) || !(path.width < 1e6))
        return base::fail(base::ErrorCode::OutOfRange, "the region is longer or wider than 1000000 px");
    Profile p = picture.visit(
        [&](auto v) { return path.kind == Path::Kind::Straight ? sampleStraight(v, path) : sampleCurved(v, path); });
    if (p.end - p.first < 5)
        return base::fail(base::ErrorCode::NoResult, "the region lies outside the picture or is shorter than 5 px");
    return p;
}
base::Result<Profile> profile(const image::GreyView& picture, Point from, Point to, double width)
{
    return profile(picture, straight(from, to, width));
}

std::vector<double> derivative(const Profile& p, double smoothing)
{
    // The sampling has smoothed by its own part already.
    const std::vector<double>& k = kernelOf(std::sqrt(std::max(0.09, smoothing * smoothing - kSmoothAtVariance)));
    const int r = int(k.size() / 2), n = int(p.level.size());
    std::vector<double> d(p.level.size());
    for (int i = p.first; i < p.end; ++i) {
        double sum = 0;
        if (i >= r && i + r < n) {
            const double* at = p.level.data() + (i - r);
            for (int j = 0; j <= 2 * r; ++j) sum += k[std::size_t(j)] * at[j];
            d[std::size_t(i)] = sum;
            continue;
        }
        for (int j = -r; j <= r; ++j) sum += k[std::size_t(j + r)] * p.level[std::size_t(std::clamp(i + j, 0, n - 1))];
        d[std::size_t(i)] = sum;
    }
    return d;
}

double sharedNoise(double width, double apart)
{
    const int lines = linesOf(width);
    const double gap = width / lines;
    return shared(lines, gap, apart) / shared(lines, gap, 0);
}

namespace
{
// One standard deviation of the peak of the log-parabola through a, b, c for noise of one grey level in each pixel.
double peakSpread(double a, double b, double c, double smoothing, double lines)
{
    const double n = std::log(a) - std::log(c), curve = std::log(a) - 2 * std::log(b) + std::log(c);
    if (!(curve < -1e-12)) return 0;
    const double by[3] = {0.5 * (curve - n) / (curve * curve * a), n / (curve * curve * b),
                          0.5 * (-curve - n) / (curve * curve * c)};
    // White noise through the sampling's spline and the derivative of a Gaussian: together one of this width.
    const double v = std::max(0.09 + kSmoothAtVariance, smoothing * smoothing);
    const auto both = [&](int lag) {
        return (1 - lag * lag / (2 * v)) * std::exp(-lag * lag / (4 * v)) /
               (4 * std::sqrt(geometry::kPi) * v * std::sqrt(v));
    };
    double sum = 0;
    for (int i = 0; i < 3; ++i)
        for (int j = 0; j < 3; ++j) sum += by[i] * by[j] * both(i - j);
    return std::sqrt(std::max(0.0, sum) / std::max(lines, 1e-9));
}
// The same where the peak's width is known better than three neighbours say: of a faint edge they are hardly apart, and
// now and then noise makes them as good as level. `strength` below it and its height give the width; its curvature is
// read as far apart as it is wide, within the lobe.
double steadySpread(const std::vector<double>& d, int at, int from, int to, double sign, double strength, double shift,
                    double smoothing, double lines)
{
    const auto v = [&](int i) { return std::max(1e-12, d[std::size_t(i)] * sign); };
    const double wide = strength / (std::sqrt(2 * geometry::kPi) * v(at));
    const int apart = std::clamp(int(std::lround(wide)), 1, std::max(1, std::min(at - from, to - at)));
    if (apart == 1) return peakSpread(v(at - 1), v(at), v(at + 1), smoothing, lines);
    const double curve =
        (std::log(v(at - apart)) - 2 * std::log(v(at)) + std::log(v(at + apart))) / (double(apart) * apart);
    const auto model = [&](double k) {
        return v(at) * std::exp(curve / 2 * ((k - shift) * (k - shift) - shift * shift));
    };
    return peakSpread(model(-1), v(at), model(1), smoothing, lines);
}
} // namespace

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
            return other.at != q.at && (d[std::size_t(other.at)] > 0) == rising && q.at >= other.from &&
                   q.at <= other.to && std::abs(d[std::size_t(other.at)]) > std::abs(d[std::size_t(q.at)]);
        });
        if (shadowed) continue;
        if ((o.polarity == Polarity::DarkToBright && !rising) || (o.polarity == Polarity::BrightToDark && rising))
            continue;
        const double sign = rising ? 1 : -1;
        const double a = std::max(1e-12, d[std::size_t(q.at - 1)] * sign), b = d[std::size_t(q.at)] * sign,
                     c = std::max(1e-12, d[std::size_t(q.at + 1)] * sign);
        const double curve = std::log(a) - 2 * std::log(b) + std::log(c);
        Edge e;
        const double shift = curve < -1e-12 ? std::clamp(0.5 * (std::log(a) - std::log(c)) / curve, -0.5, 0.5) : 0.0;
        e.position = p.origin + (q.at + shift) * p.step;
        if (p.path.closed && (e.position < 0 || e.position >= p.path.length)) continue; // met again beyond the seam
        e.point = p.path.at(e.position);
        e.strength = q.strength;
        e.polarity = rising ? 1 : -1;
        const double seen = curve < -1e-12 ? -1.0 / curve : 0.0;
        e.blur = std::sqrt(std::max(0.0, seen - o.smoothing * o.smoothing));
        e.perNoise = steadySpread(d, q.at, q.from, q.to, sign, q.strength, shift, o.smoothing, p.lines) * p.step;
        out.push_back(e);
    }
    return out;
}

std::optional<Edge> pick(const std::vector<Edge>& edges, Pick which, int number)
{
    if (edges.empty()) return std::nullopt;
    if (which == Pick::Numbered) {
        const std::size_t n = std::size_t(std::abs(number));
        if (n < 1 || n > edges.size()) return std::nullopt;
        return number > 0 ? edges[n - 1] : edges[edges.size() - n];
    }
    if (which == Pick::First) return edges.front();
    if (which == Pick::Last) return edges.back();
    return *std::max_element(edges.begin(), edges.end(),
                             [](const Edge& a, const Edge& b) { return a.strength < b.strength; });
}

Probe probeLine(const image::GreyView& picture, const geometry::Segment& along, double across, int windows,
                double width, bool towardsRight, const EdgeOptions& options, Pick which)
{
    Probe out;
    out.windows = windows;
    const Point normal = geometry::leftOf(along.along()) * (towardsRight ? -1.0 : 1.0);
    for (int i = 0; i < windows; ++i) {
        const Point c = along.from + (along.to - along.from) * ((i + 0.5) / windows);
        const auto p = profile(picture, c - normal * (across / 2), c + normal * (across / 2), width);
        if (!p || p->end - p->first < int(p->level.size())) ++out.outside;
        if (!p) continue;
        if (const auto e = pick(edges(*p, options), which)) out.edges.push_back(*e), out.window.push_back(i);
    }
    return out;
}

namespace
{
template <class V>
Profile samplePolar(const V& v, Point centre, double angle, double from, double to, double width, bool inward)
{
    Profile p;
    const Point ray = geometry::direction(angle);
    p.path = straight(centre + ray * (inward ? to : from), centre + ray * (inward ? from : to), width);
    const int n = int(std::min(1e6, std::floor(to - from + 1e-9))) + 1,
              lines = std::max(1, int(std::lround(std::min(width, 1e4))));
    p.level.assign(std::size_t(n), 0.0);
    p.first = 0, p.end = n;
    p.lines = 1 / shared(lines, width / lines, 0);
    const double middle = std::max(1e-9, 0.5 * (from + to));
    std::vector<Point> starts, steps;
    for (int k = 0; k < lines; ++k) {
        const Point d = geometry::direction(angle + (k - (lines - 1) / 2.0) * (width / lines) / middle);
        starts.push_back(centre + d * (inward ? to : from)), steps.push_back(d * (inward ? -1.0 : 1.0));
        // The part of this ray inside the picture.
        int first = n, end = 0;
        for (int i = 0; i < n; ++i) {
            const Point q = starts.back() + steps.back() * i;
            if (inside(v, q.x, q.y)) first = std::min(first, i), end = i + 1;
            else if (first < i) break;
        }
        p.first = std::max(p.first, first), p.end = std::min(p.end, end);
    }
    if (p.first >= p.end) {
        p.first = p.end = 0;
        return p;
    }
    std::vector<float> buffer;
    for (int k = 0; k < lines; ++k)
        addRow(v, starts[std::size_t(k)] + steps[std::size_t(k)] * p.first, steps[std::size_t(k)], p.end - p.first,
               p.level, p.first, buffer);
    for (int i = p.first; i < p.end; ++i) p.level[std::size_t(i)] /= lines;
    extend(p);
    return p;
}
} // namespace

Probe probeCircle(const image::GreyView& picture, Point centre, double inner, double outer, int windows, double width,
                  bool inward, const EdgeOptions& options, Pick which, double start, double sweep)
{
    Probe out;
    out.windows = windows;
    const bool whole = sweep >= 2 * geometry::kPi - 1e-9;
    for (int i = 0; i < windows; ++i) {
        const double angle = start + sweep * (whole ? double(i) : i + 0.5) / windows;
        const Profile p =
            picture.visit([&](auto v) { return samplePolar(v, centre, angle, inner, outer, width, inward); });
        if (p.end - p.first < int(p.level.size())) ++out.outside;
        if (p.end - p.first < 5) continue;
        if (const auto e = pick(edges(p, options), which)) out.edges.push_back(*e), out.window.push_back(i);
    }
    return out;
}

std::vector<Edge> denseEdges(const image::GreyView& picture, const geometry::Segment& along, double reach,
                             double spacing, double width, const EdgeOptions& options)
{
    std::vector<Edge> out;
    const double length = along.length();
    const int n = std::max(1, int(std::floor(std::min(length / spacing, 2e5))));
    const Point u = along.along(), normal = geometry::leftOf(u);
    for (int i = 0; i <= n; ++i) {
        const double t = length * i / n;
        const Point c = along.from + u * t;
        const auto p = profile(picture, c - normal * reach, c + normal * reach, width);
        if (!p) continue;
        for (Edge& e : edges(*p, options)) e.station = t, out.push_back(e);
    }
    return out;
}

std::vector<Edge> denseEdges(const image::GreyView& picture, const geometry::Circle& along, double reach,
                             double spacing, double width, const EdgeOptions& options)
{
    std::vector<Edge> out;
    const double start = along.start, sweep = along.sweep;
    const int n = std::max(3, int(std::floor(std::min(along.radius * sweep / spacing, 2e5))));
    const double inner = std::max(0.0, along.radius - reach), outer = along.radius + reach;
    for (int i = 0; i < n; ++i) {
        const double angle = start + sweep * (i + 0.5) / n;
        const Profile p =
            picture.visit([&](auto v) { return samplePolar(v, along.centre, angle, inner, outer, width, false); });
        if (p.end - p.first < 5) continue;
        for (Edge& e : edges(p, options)) e.station = angle, out.push_back(e);
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
                const double l = at(-1, -1) - 2 * at(0, -1) + at(1, -1) - 2 * at(-1, 0) + 4 * at(0, 0) - 2 * at(1, 0) +
                                 at(-1, 1) - 2 * at(0, 1) + at(1, 1);
                seen.push_back(std::abs(l));
            }
        if (seen.empty()) return 0.0;
        const auto middle = seen.begin() + std::ptrdiff_t(seen.size() / 2);
        std::nth_element(seen.begin(), middle, seen.end());
        return *middle / 0.6745 / 6.0 * v.levelsPerStep; // the kernel's own norm is 6
    });
}

} // namespace vision

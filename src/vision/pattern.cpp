#include "vision/pattern.h"

#include "vision/edges.h"
#include "vision/sampling.h"
#include "vision/simd/kernels.h"

#include <Eigen/Dense>
#include <algorithm>
#include <array>
#include <map>
#include <memory>
#include <tuple>

namespace vision
{
using geometry::Point;
using geometry::Pose;

namespace
{
constexpr int kDirections = 32;
constexpr int kCoarsePoints = 62; // 62 × 4 fits a byte
constexpr int kFinePoints = 480;
constexpr double kTurnedApart = geometry::kPi / 9;

// ---- a picture and its smaller levels
struct Stack {
    image::GreyView full;
    std::vector<LevelImage> small; // small[k]: divided by 2^(k+1)
};
Stack stackOf(const image::GreyView& picture, int halvings)
{
    Stack s{picture, {}};
    for (int i = 0; i < halvings; ++i) s.small.push_back(i == 0 ? half(picture) : half(s.small.back()));
    return s;
}
double scaleOf(int halvings) { return double(1 << halvings); }
Point toLevel(Point p, int halvings)
{
    const double s = scaleOf(halvings);
    return {(p.x - (s - 1) / 2) / s, (p.y - (s - 1) / 2) / s};
}
Point fromLevel(Point p, int halvings)
{
    const double s = scaleOf(halvings);
    return {p.x * s + (s - 1) / 2, p.y * s + (s - 1) / 2};
}
template <class F> decltype(auto) onLevel(const Stack& s, int halvings, F&& f)
{
    if (halvings == 0) return s.full.visit(f);
    return f(s.small[std::size_t(halvings - 1)]);
}

// ---- edge points of a region at one level: non-maximum suppression along the gradient, place by parabola through
// logarithms
struct RawPoint {
    PatternPoint point; // place in level coordinates
    double gradient;
};

template <class V> LevelImage smoothed(const V& v, int x0, int y0, int w, int h)
{
    // Binomial 1 4 6 4 1: sigma 1 px.
    constexpr std::array<float, 5> k{1 / 16.f, 4 / 16.f, 6 / 16.f, 4 / 16.f, 1 / 16.f};
    LevelImage rows, out;
    rows.width = out.width = w, rows.height = out.height = h;
    rows.data.resize(std::size_t(w) * std::size_t(h));
    out.data.resize(rows.data.size());
    const float scale = float(v.levelsPerStep);
    for (int y = 0; y < h; ++y) {
        const auto* in = v.row(y0 + y);
        for (int x = 0; x < w; ++x) {
            float sum = 0;
            for (int j = -2; j <= 2; ++j)
                sum += k[std::size_t(j + 2)] * float(in[std::clamp(x0 + x + j, 0, v.width - 1)]);
            rows.data[std::size_t(y) * std::size_t(w) + std::size_t(x)] = sum * scale;
        }
    }
    for (int y = 0; y < h; ++y)
        for (int x = 0; x < w; ++x) {
            float sum = 0;
            for (int j = -2; j <= 2; ++j) sum += k[std::size_t(j + 2)] * rows.at(x, std::clamp(y + j, 0, h - 1));
            out.data[std::size_t(y) * std::size_t(w) + std::size_t(x)] = sum;
        }
    return out;
}

template <class V>
std::vector<RawPoint> edgePoints(const V& v, const geometry::Region& region,
                                 const std::vector<geometry::Region>& leftOut, int halvings, double leastGradient)
{
    std::vector<RawPoint> out;
    double left = 1e300, top = 1e300, right = -1e300, bottom = -1e300;
    const auto outlines = region.outlines();
    if (outlines.empty()) {
        left = top = 0, right = v.width - 1, bottom = v.height - 1;
    } else {
        for (const Point p : outlines.front()) {
            const Point q = toLevel(p, halvings);
            left = std::min(left, q.x), right = std::max(right, q.x), top = std::min(top, q.y),
            bottom = std::max(bottom, q.y);
        }
    }
    const int x0 = std::max(0, int(std::floor(left))), y0 = std::max(0, int(std::floor(top)));
    const int x1 = std::min(v.width - 1, int(std::ceil(right))), y1 = std::min(v.height - 1, int(std::ceil(bottom)));
    const int w = x1 - x0 + 1, h = y1 - y0 + 1;
    if (w < 5 || h < 5) return out;
    const LevelImage g = smoothed(v, x0, y0, w, h);
    LevelImage mag = g;
    std::fill(mag.data.begin(), mag.data.end(), 0.f);
    const auto gradient = [&](int x, int y) {
        return Point{(g.at(x + 1, y) - g.at(x - 1, y)) / 2.0, (g.at(x, y + 1) - g.at(x, y - 1)) / 2.0};
    };
    for (int y = 1; y + 1 < h; ++y)
        for (int x = 1; x + 1 < w; ++x)
            mag.data[std::size_t(y) * std::size_t(w) + std::size_t(x)] = float(geometry::length(gradient(x, y)));
    for (int y = 2; y + 2 < h; ++y)
        for (int x = 2; x + 2 < w; ++x) {
            const double m = mag.at(x, y);
            if (m < leastGradient) continue;
            const Point d = geometry::unit(gradient(x, y));
            const double a = bilinear(mag, x - d.x, y - d.y), b = bilinear(mag, x + d.x, y + d.y);
            if (m < a || m <= b) continue;
            const double la = std::log(std::max(a, 1e-6)), lm = std::log(m), lb = std::log(std::max(b, 1e-6));
            const double curve = la - 2 * lm + lb;
            const double shift = curve < -1e-9 ? std::clamp(0.5 * (la - lb) / curve, -0.7, 0.7) : 0.0;
            const Point at{x0 + x + d.x * shift, y0 + y + d.y * shift};
            if (!region.contains(fromLevel(at, halvings)) || geometry::containsAny(leftOut, fromLevel(at, halvings)))
                continue;
            out.push_back({{at, d}, m});
        }
    return out;
}

// In a mixed but fixed order: whoever takes every second point, or gives up after the first ones, still sees all sides
// of the part.
template <class T> void mix(std::vector<T>& points)
{
    std::uint64_t state = 0x9E3779B97F4A7C15ULL;
    for (std::size_t i = points.size(); i > 1; --i) {
        state = state * 6364136223846793005ULL + 1442695040888963407ULL;
        std::swap(points[i - 1], points[std::size_t(state >> 33) % i]);
    }
}

// Evenly spread: one point, the strongest, of each cell of a grid whose size is chosen to give about `wanted`.
std::vector<RawPoint> thinned(const std::vector<RawPoint>& all, std::size_t wanted)
{
    if (all.size() <= wanted) return all;
    double low = 0.5, high = 4096;
    std::vector<RawPoint> best;
    for (int round = 0; round < 24; ++round) {
        const double cell = std::sqrt(low * high);
        std::map<std::pair<int, int>, std::size_t> cells;
        for (std::size_t i = 0; i < all.size(); ++i) {
            const std::pair<int, int> key{int(std::floor(all[i].point.at.y / cell)),
                                          int(std::floor(all[i].point.at.x / cell))};
            const auto [it, fresh] = cells.insert({key, i});
            if (!fresh && all[i].gradient > all[it->second].gradient) it->second = i;
        }
        if (cells.size() > wanted) {
            low = cell;
        } else {
            high = cell;
            best.clear();
            for (const auto& [key, i] : cells) best.push_back(all[i]);
            if (cells.size() * 20 >= wanted * 19) break;
        }
    }
    return best;
}

Point turned(Point p, double c, double s) { return {p.x * c + p.y * s, -p.x * s + p.y * c}; }

// Where the model's centre lies, how it is turned and how large it is; level coordinates.
struct Place {
    Pose pose;
    double scale = 1;
    double sign = 1; // -1: dark and bright exchanged
};

// ---- matching the model's points along their normals at one level
struct Match {
    double offset = 0;   // along the normal, px of the level
    double strength = 0; // peak of the derivative, grey levels a pixel
    bool seen = false;
};

Match matchOf(const simd::EdgePeak& peak, int reach, double leastContrast)
{
    // A step of height h blurred to sigma 1.3 in all has a peak derivative of about 0.3 h.
    if (peak.index < 0 || peak.at < 0.25 * leastContrast) return {};
    const double a = std::log(std::max(1e-6, peak.before) / peak.at),
                 c = std::log(std::max(1e-6, peak.after) / peak.at), curve = a + c;
    return {peak.index - reach + (curve < -1e-9 ? std::clamp(0.5 * (a - c) / curve, -0.5, 0.5) : 0.0), peak.at, true};
}

// The strongest peak of the smoothed derivative within ± reach of the expected place that has the right sign. `lines`
// profiles side by side are averaged against noise.
template <class V> Match matchPoint(const V& v, Point at, Point normal, int reach, double leastContrast, int lines)
{
    if (v.width < 3 || v.height < 3) return {};
    constexpr int kHalf = 3;
    const int n = 2 * (reach + kHalf) + 1;
    const Point across = geometry::leftOf(normal), side = across * ((lines - 1) / 2.0);
    const Point start = at - normal * (reach + kHalf), stop = at + normal * (reach + kHalf);
    for (const Point p : {start - side, start + side, stop - side, stop + side})
        if (!inside(v, p.x, p.y)) return {};
    std::array<double, 2 * simd::kLongestReach + 7> level;
    std::fill_n(level.begin(), n, 0.0);
    const double farX = v.width - 2, farY = v.height - 2;
    for (int k = 0; k < lines; ++k) {
        const Point from = start - side + across * k;
        double x = from.x, y = from.y;
        for (int i = 0; i < n; ++i, x += normal.x, y += normal.y) {
            // Bilinear; the ends were looked at above, the clamps only keep the last row and column.
            const double bx = std::clamp(x, 0.0, farX + 1), by = std::clamp(y, 0.0, farY + 1);
            const int ix = int(std::min(bx, farX)), iy = int(std::min(by, farY));
            const double fx = bx - ix, fy = by - iy;
            const auto* p = v.row(iy) + ix;
            const auto* q = v.row(iy + 1) + ix;
            const double top = double(p[0]) + (double(p[1]) - double(p[0])) * fx,
                         bottom = double(q[0]) + (double(q[1]) - double(q[0])) * fx;
            level[std::size_t(i)] += top + (bottom - top) * fy;
        }
    }
    return matchOf(simd::scalar::edgePeak(level.data(), reach, v.levelsPerStep / lines), reach, leastContrast);
}

// Many of them. Single profiles away from the last row and column are sampled several at once, to the same bits.
class Matcher
{
public:
    // points[i] for i = 0, stride, 2·stride … where the model's centre lies at `q`, turned by (c, s); the others of
    // `to` stay as they are.
    template <class V>
    void match(const V& v, const std::vector<PatternPoint>& points, int stride, const Place& q, double c, double s,
               int reach, double leastContrast, int lines, std::vector<Match>& to)
    {
        const auto* data = v.row(0);
        const std::ptrdiff_t pitch = v.height > 1 ? v.row(1) - data : v.width;
        const bool many = lines == 1 && double(pitch) * v.height * sizeof(*data) < 2e9;
        m_at.clear();
        m_x.clear(), m_y.clear(), m_dx.clear(), m_dy.clear();
        for (std::size_t i = 0; i < points.size(); i += std::size_t(stride)) {
            const Point at = q.pose.origin + turned(points[i].at, c, s) * q.scale,
                        normal = turned(points[i].normal, c, s) * q.sign;
            const Point start = at - normal * (reach + 3), stop = at + normal * (reach + 3);
            if (many && std::min(start.x, stop.x) > 0.5 && std::min(start.y, stop.y) > 0.5 &&
                std::max(start.x, stop.x) < v.width - 2 && std::max(start.y, stop.y) < v.height - 2) {
                m_at.push_back(i);
                m_x.push_back(start.x), m_y.push_back(start.y), m_dx.push_back(normal.x), m_dy.push_back(normal.y);
            } else {
                to[i] = matchPoint(v, at, normal, reach, leastContrast, lines);
            }
        }
        const std::size_t asked = m_at.size();
        for (auto* column : {&m_x, &m_y, &m_dx, &m_dy}) // whole vectors
            if (asked % 8 > 0) column->resize(asked + 8 - asked % 8, column->back());
        m_peaks.resize(m_x.size());
        simd::edgePeaks(data, pitch, {m_x.data(), m_y.data(), m_dx.data(), m_dy.data(), int(m_x.size())}, reach,
                        v.levelsPerStep, m_peaks.data());
        for (std::size_t k = 0; k < m_at.size(); ++k) to[m_at[k]] = matchOf(m_peaks[k], reach, leastContrast);
    }

private:
    std::vector<std::size_t> m_at;
    std::vector<double> m_x, m_y, m_dx, m_dy;
    std::vector<simd::EdgePeak> m_peaks;
};

struct Refined {
    Place place;
    double rms = 0, contrast = 0; // grey levels of the edges seen
    double inliers = 0;           // share of the points whose edge lies within 0.75 px of the model's
};

// Gauss-Newton on the offsets along the normals. Huber weights first: their sum of pulls has one minimum, so edges that
// moved apart (a part too narrow) cancel instead of deciding the place. The last two rounds drop what is far off
// (Tukey).
template <class V>
Refined refine(const V& v, const std::vector<PatternPoint>& points, Place place, int reach, int rounds,
               double leastContrast, double radius, int stride, int lines, bool scaling, double onlyWithin = 0)
{
    Refined out{place, 0, 0};
    std::vector<Match> matches(points.size());
    Matcher matcher;
    std::vector<double> size;
    const int unknowns = scaling ? 4 : 3;
    int r = reach;
    for (int round = 0; round <= rounds; ++round) {
        const bool last = round == rounds;
        if (last) r = 2;
        Place& q = out.place;
        const double c = std::cos(q.pose.angle), s = std::sin(q.pose.angle);
        size.clear();
        matcher.match(v, points, stride, q, c, s, r, leastContrast, lines, matches);
        for (std::size_t i = 0; i < points.size(); i += std::size_t(stride))
            if (matches[i].seen) size.push_back(std::abs(matches[i].offset));
        if (size.size() < 6) return {place, 0, 0};
        if (last) {
            int seen = 0, close = 0, asked = 0;
            double sum = 0;
            for (std::size_t i = 0; i < points.size(); i += std::size_t(stride))
                ++asked, close += matches[i].seen && std::abs(matches[i].offset) <= 0.75;
            out.inliers = asked ? double(close) / asked : 0;
            std::vector<double> strong;
            for (const Match& m : matches)
                if (m.seen && std::abs(m.offset) <= 1.5)
                    ++seen, sum += m.offset * m.offset, strong.push_back(m.strength);
            out.rms = seen ? std::sqrt(sum / seen) : 0;
            if (seen) {
                std::nth_element(strong.begin(), strong.begin() + std::ptrdiff_t(strong.size() / 2), strong.end());
                out.contrast = strong[strong.size() / 2] / 0.3;
            }
            return out;
        }
        const auto middle = size.begin() + std::ptrdiff_t(size.size() / 2);
        std::nth_element(size.begin(), middle, size.end());
        // As the fit settles, the search narrows.
        r = std::clamp(int(std::ceil(3 * *middle)) + 2, 2, reach);
        const bool dropping = round + 2 >= rounds || onlyWithin > 0;
        const double cut = onlyWithin > 0 ? onlyWithin
                           : dropping     ? std::max(1.0, 4.7 * 1.4826 * *middle)
                                          : std::max(0.15, 1.5 * 1.4826 * *middle);
        Eigen::Matrix4d h = Eigen::Matrix4d::Zero();
        Eigen::Vector4d g = Eigen::Vector4d::Zero();
        for (std::size_t i = 0; i < points.size(); i += std::size_t(stride)) {
            const Match& m = matches[i];
            if (!m.seen || (dropping && std::abs(m.offset) >= cut)) continue;
            const double u = std::abs(m.offset) / cut, w = dropping ? (1 - u * u) * (1 - u * u) : u <= 1 ? 1.0 : 1 / u;
            const Point at = turned(points[i].at, c, s) * q.scale, normal = turned(points[i].normal, c, s);
            // Turning by da (counter-clockwise as seen) moves a point by leftOf(at) × da. Offsets count along the
            // sought normal.
            const Eigen::Vector4d j(normal.x, normal.y, geometry::dot(normal, geometry::leftOf(at)) / radius,
                                    scaling ? geometry::dot(normal, at) / (q.scale * radius) : 0.0);
            h.noalias() += w * j * j.transpose();
            g += w * m.offset * q.sign * j;
        }
        h.diagonal().array() += 1e-6 * h.trace() + 1e-9;
        const Eigen::Vector4d step = h.ldlt().solve(g);
        if (!step.allFinite()) return {place, 0, 0};
        q.pose.origin = q.pose.origin + Point{step[0], step[1]};
        q.pose.angle += step[2] / radius;
        if (unknowns == 4) q.scale = std::clamp(q.scale + step[3] / radius, 0.5, 2.0);
        if (!dropping && step.norm() < 0.002) round = rounds - 3; // settled: on to the last two rounds
        if (!std::isfinite(q.pose.origin.x) || std::abs(q.pose.origin.x) > 1e7 || std::abs(q.pose.origin.y) > 1e7)
            return {place, 0, 0};
    }
    return out;
}

// Where an end of the part is hidden, the border of what hides it is an edge too, and the fit settles between both.
// When not all edges lie where they should, the shift that puts most of them in place is voted for and fitted from
// there, believing only what is near; the fit with more edges in place is taken.
template <class V>
Refined settle(const V& v, const std::vector<PatternPoint>& points, const Place& place, int reach, int rounds,
               double leastContrast, double radius, int stride, int lines, bool scaling)
{
    const Refined all = refine(v, points, place, reach, rounds, leastContrast, radius, stride, lines, scaling);
    if (all.inliers >= 0.93 || all.contrast <= 0) return all;
    struct Vote {
        Point normal;
        double offset;
    };
    std::vector<Vote> votes;
    const Place& q = all.place;
    const double c = std::cos(q.pose.angle), s = std::sin(q.pose.angle);
    std::vector<Match> matches(points.size());
    Matcher().match(v, points, stride, q, c, s, 7, leastContrast, lines, matches);
    for (std::size_t i = 0; i < points.size(); i += std::size_t(stride))
        if (matches[i].seen) votes.push_back({turned(points[i].normal, c, s) * q.sign, matches[i].offset});
    int most = -1;
    Point best;
    for (int ty = -6; ty <= 6; ++ty)
        for (int tx = -6; tx <= 6; ++tx) {
            const Point t{double(tx), double(ty)};
            int count = 0;
            for (const Vote& x : votes) count += std::abs(x.offset - geometry::dot(x.normal, t)) <= 0.8;
            // Of equal ones the nearest.
            if (count * 100 - (tx * tx + ty * ty) > most) most = count * 100 - (tx * tx + ty * ty), best = t;
        }
    Place moved = q;
    moved.pose.origin = moved.pose.origin + best;
    const Refined near = refine(v, points, moved, 3, rounds, leastContrast, radius, stride, lines, scaling, 2);
    return near.inliers > all.inliers + 0.02 ? near : all;
}

// How well the directions of the edges agree, -1 to 1: 1 for every point whose edge runs within 42° of the model's,
// nothing for a place without edge; random directions cancel, so that noise and clutter add up to 0. An edge counts
// from a quarter of the part's own contrast on.
template <class V>
double agreement(const V& v, const std::vector<PatternPoint>& points, const Place& q, double leastGradient,
                 int stride = 1)
{
    const double c = std::cos(q.pose.angle), s = std::sin(q.pose.angle);
    std::vector<std::pair<double, double>> seen; // along the normal, along the edge
    seen.reserve(points.size());
    std::vector<double> size;
    std::size_t asked = 0;
    for (std::size_t i = 0; i < points.size(); i += std::size_t(stride)) {
        ++asked;
        const Point p = q.pose.origin + turned(points[i].at, c, s) * q.scale,
                    n = turned(points[i].normal, c, s) * q.sign, t = geometry::leftOf(n);
        if (!inside(v, p.x - 1.5, p.y - 1.5) || !inside(v, p.x + 1.5, p.y + 1.5)) continue;
        double l[3][3]; // [along the normal][along the edge]
        for (int a = -1; a <= 1; ++a)
            for (int b = -1; b <= 1; ++b)
                l[a + 1][b + 1] = bilinear(v, p.x + n.x * a + t.x * b, p.y + n.y * a + t.y * b);
        const double gn = (l[2][0] + l[2][1] + l[2][2] - l[0][0] - l[0][1] - l[0][2]) / 6,
                     gt = (l[0][2] + l[1][2] + l[2][2] - l[0][0] - l[1][0] - l[2][0]) / 6;
        seen.push_back({gn, gt});
        if (gn > 0) size.push_back(gn);
    }
    if (size.size() * 5 < asked || asked == 0) return 0;
    const auto strong = size.begin() + std::ptrdiff_t(size.size() * 2 / 3);
    std::nth_element(size.begin(), strong, size.end());
    const double least = std::max(leastGradient, 0.25 * *strong);
    double sum = 0;
    for (const auto& [gn, gt] : seen) {
        const double g = std::hypot(gn, gt);
        if (g >= least) sum += std::clamp(1.35 * gn / g, -1.0, 1.0);
    }
    return sum / double(asked);
}

// ---- coarse search
struct Candidate {
    Place place; // level coordinates
    int sum = 0;
    double score = 0;
    bool sure = false; // nearly every edge lies in place: nothing pulls the fit off
};

struct Responses {
    int width = 0, height = 0, margin = 0; // with the margin on all sides
    std::unique_ptr<std::uint8_t[]> maps;  // one behind the other; only the margins are cleared
    std::uint8_t* map(int direction) const
    {
        return maps.get() + std::size_t(direction) * std::size_t(width) * std::size_t(height);
    }
};

int directionOf(Point d)
{
    return int(std::lround(geometry::angleOf(d) / (2 * geometry::kPi) * kDirections)) & (kDirections - 1);
}

// For each model direction: 0 to 4, how well the best edge within one pixel agrees with it.
Responses responses(const LevelImage& v, int margin, double leastGradient, bool reversal)
{
    Responses out;
    out.margin = margin;
    out.width = v.width + 2 * margin, out.height = v.height + 2 * margin;
    const int pitch = v.width + 2;
    // One bit a direction, a border of one word around; spread over the 3×3 neighbours by OR.
    std::vector<std::uint32_t> bits(std::size_t(pitch) * std::size_t(v.height + 2), 0),
        spread(std::size_t(v.width) * std::size_t(v.height), 0);
    for (int y = 1; y + 1 < v.height && v.width > 2; ++y)
        simd::directions(v.row(y - 1) + 1, v.row(y) + 1, v.row(y + 1) + 1, v.width - 2, float(leastGradient),
                         bits.data() + std::size_t(y + 1) * std::size_t(pitch) + 2);
    for (int y = 0; y < v.height; ++y) {
        const std::uint32_t* row = bits.data() + std::size_t(y) * std::size_t(pitch);
        simd::spread(row, row + pitch, row + 2 * pitch, v.width, spread.data() + std::size_t(y) * std::size_t(v.width));
    }
    const auto rotate = [](std::uint32_t b, int n) { return n == 0 ? b : (b << n) | (b >> (32 - n)); };
    out.maps.reset(new std::uint8_t[std::size_t(kDirections) * std::size_t(out.width) * std::size_t(out.height)]);
    const std::size_t margins = std::size_t(margin) * std::size_t(out.width);
    for (int d = 0; d < kDirections; ++d) {
        std::uint8_t* map = out.map(d);
        std::fill_n(map, margins, std::uint8_t(0));
        std::fill_n(map + margins + std::size_t(v.height) * std::size_t(out.width), margins, std::uint8_t(0));
        std::uint32_t own = 1u << d;
        if (reversal) own |= rotate(own, 16);
        const std::uint32_t best = own | rotate(own, 1) | rotate(own, 31), good = rotate(own, 2) | rotate(own, 30),
                            fair = rotate(own, 3) | rotate(own, 29);
        for (int y = 0; y < v.height; ++y) {
            std::uint8_t* row = map + std::size_t(y + margin) * std::size_t(out.width);
            std::fill_n(row, margin, std::uint8_t(0));
            simd::rate(spread.data() + std::size_t(y) * std::size_t(v.width), v.width, best, good, fair, row + margin);
            std::fill_n(row + margin + v.width, margin, std::uint8_t(0));
        }
    }
    return out;
}

std::vector<Candidate> coarseSearch(const LevelImage& v, const PatternModel& model, const geometry::Region& search,
                                    const PatternOptions& o, double leastGradient)
{
    const PatternLevel& level = model.levels.front();
    const double shrink = scaleOf(level.halvings), radius = std::max(4.0, model.radius / shrink);
    const int margin = int(std::ceil(radius * std::max(1.0, o.scaleTo))) + 2;
    const Responses r = responses(v, margin, leastGradient, o.reversal);
    const double range = o.angleTo - o.angleFrom;
    const bool full = range >= 2 * geometry::kPi - 1e-6;
    const int steps = std::max(1, int(std::ceil(range / (1.2 / radius))));
    const int scales =
        o.scaleTo > o.scaleFrom ? std::max(2, int(std::ceil((o.scaleTo - o.scaleFrom) / (1.6 / radius))) + 1) : 1;
    // Where the centre may lie on this level: every pixel the area touches, and its neighbours, because the peak may
    // stand beside its place.
    std::vector<char> allowed;
    if (search.shape != geometry::Shape::Whole) {
        allowed.assign(std::size_t(v.width) * std::size_t(v.height), 0);
        const auto allow = [&](int x, int y) {
            for (int j = std::max(0, y - 1); j <= std::min(v.height - 1, y + 1); ++j)
                for (int i = std::max(0, x - 1); i <= std::min(v.width - 1, x + 1); ++i)
                    allowed[std::size_t(j) * std::size_t(v.width) + std::size_t(i)] = 1;
        };
        const int h = level.halvings, one = 1 << h;
        for (const geometry::Span& s : geometry::spans(search, v.width * one, v.height * one))
            for (int x = s.from >> h; x <= (s.to - 1) >> h; ++x) allow(x, s.y >> h);
        const Point middle = toLevel(search.middle(), h); // smaller than a pixel
        allow(int(std::lround(middle.x)), int(std::lround(middle.y)));
    }
    const int n = int(std::min<std::size_t>(level.points.size(), std::size_t(kCoarsePoints)));
    const int least = int(std::floor(4.0 * n * std::max(0.3, o.leastScore * 0.8)));
    struct Turn {
        double scale, angle;
        std::array<const std::uint8_t*, kCoarsePoints> from; // where row 0 of the picture finds each point's agreement
    };
    std::vector<Turn> turns;
    for (int z = 0; z < scales; ++z)
        for (int k = 0; k < steps; ++k) {
            Turn t;
            t.scale = scales == 1 ? (o.scaleFrom + o.scaleTo) / 2
                                  : o.scaleFrom + (o.scaleTo - o.scaleFrom) * z / (scales - 1);
            t.angle = full         ? o.angleFrom + range * k / steps
                      : steps == 1 ? (o.angleFrom + o.angleTo) / 2
                                   : o.angleFrom + range * k / (steps - 1);
            const double c = std::cos(t.angle), s = std::sin(t.angle);
            for (int j = 0; j < n; ++j) {
                const PatternPoint& use = level.points[std::size_t(j)];
                const Point at = turned(use.at, c, s) * t.scale;
                // Rounded: what is added keeps the number positive.
                t.from[std::size_t(j)] = r.map(directionOf(turned(use.normal, c, s))) +
                                         std::ptrdiff_t(int(at.y + margin + 0.5)) * r.width + int(at.x + margin + 0.5);
            }
            turns.push_back(t);
        }
    struct Found {
        std::size_t turn;
        int x, y, sum;
    };
    std::vector<Found> found;
    // Some rows for all turns, so that the rows of the 32 maps stay near; a row more on both sides and a border, so
    // that peaks need no bounds.
    constexpr int kRows = 24;
    const int pitch = v.width + 2;
    std::vector<std::uint8_t> sums(std::size_t(pitch) * std::size_t(kRows + 2), 0);
    std::array<bool, kRows + 2> reached{};
    for (int top = 0; top < v.height; top += kRows)
        for (std::size_t k = 0; k < turns.size(); ++k) {
            const std::uint8_t* rows[kCoarsePoints];
            const int bottom = std::min(top + kRows, v.height);
            for (int y = top - 1; y <= bottom; ++y) {
                std::uint8_t* to = sums.data() + std::size_t(y - top + 1) * std::size_t(pitch) + 1;
                bool& any = reached[std::size_t(y - top + 1)];
                any = false;
                if (y < 0 || y >= v.height) {
                    std::fill_n(to, v.width, std::uint8_t(0));
                    continue;
                }
                for (int j = 0; j < n; ++j) rows[j] = turns[k].from[std::size_t(j)] + std::ptrdiff_t(y) * r.width;
                any = simd::sumRows(rows, n, v.width, least, to);
            }
            for (int y = top; y < bottom; ++y) {
                if (!reached[std::size_t(y - top + 1)]) continue;
                const std::uint8_t* row = sums.data() + std::size_t(y - top + 1) * std::size_t(pitch) + 1;
                for (int x = 0; x < v.width; ++x) {
                    const int here = row[x];
                    if (here < least) continue;
                    const bool peak = here >= row[x - pitch - 1] && here >= row[x - pitch] &&
                                      here >= row[x - pitch + 1] && here >= row[x - 1] && here > row[x + 1] &&
                                      here > row[x + pitch - 1] && here > row[x + pitch] && here > row[x + pitch + 1];
                    if (peak && (allowed.empty() || allowed[std::size_t(y) * std::size_t(v.width) + std::size_t(x)]))
                        found.push_back({k, x, y, here});
                }
            }
        }
    std::sort(found.begin(), found.end(), [](const Found& a, const Found& b) {
        return std::tuple(-a.sum, a.turn, a.y, a.x) < std::tuple(-b.sum, b.turn, b.y, b.x);
    });
    // Only what is the same pose is left out: a count of candidates would lose a part among places that look better on
    // this level.
    std::vector<Candidate> kept;
    std::map<std::pair<int, int>, std::vector<std::size_t>> cells; // of 3 px
    for (const Found& f : found) {
        const Candidate q{{{{double(f.x), double(f.y)}, turns[f.turn].angle}, turns[f.turn].scale, 1}, f.sum, 0};
        const Point at = q.place.pose.origin;
        const int cx = int(std::floor(at.x / 3)), cy = int(std::floor(at.y / 3));
        bool near = false;
        for (int j = -1; j <= 1 && !near; ++j)
            for (int i = -1; i <= 1 && !near; ++i) {
                const auto cell = cells.find({cx + i, cy + j});
                if (cell == cells.end()) continue;
                near = std::any_of(cell->second.begin(), cell->second.end(), [&](std::size_t k) {
                    const Place& other = kept[k].place;
                    return geometry::distance(other.pose.origin, at) <= 2.5 &&
                           std::abs(geometry::wrapped(other.pose.angle - q.place.pose.angle)) < 4.0 / radius &&
                           std::abs(other.scale - q.place.scale) < 4.0 / radius;
                });
            }
        if (near) continue;
        cells[{cx, cy}].push_back(kept.size());
        kept.push_back(q);
    }
    return kept;
}

// In the area, or beside it by less than the place is uncertain.
bool nearlyIn(const geometry::Region& area, Point p)
{
    for (int i = 0; i < 9; ++i)
        if (area.contains(p + Point{i % 3 - 1.0, i / 3 - 1.0} * 0.25)) return true;
    return false;
}

Place moved(Place p, int from, int to)
{
    p.pose.origin = toLevel(fromLevel(p.pose.origin, from), to);
    return p;
}

Pose centrePose(const PatternModel& m, const Pose& origin)
{
    // Where the model's centre lies when the part's origin has this pose.
    const geometry::Motion motion{m.origin, origin};
    return {motion.carry(m.centre), motion.turn()};
}
Pose originPose(const PatternModel& m, const Place& centre)
{
    const Point arm =
        turned(m.origin.origin - m.centre, std::cos(centre.pose.angle), std::sin(centre.pose.angle)) * centre.scale;
    return {centre.pose.origin + arm, geometry::wrapped(m.origin.angle + centre.pose.angle)};
}

struct Finish {
    PatternFind find;
    Point centre;
};
// Nothing to come can be better than the best `wanted` finds, and this place lies on one of them; not where it lies,
// that would be the same find.
bool onWanted(const PatternModel& model, std::vector<Finish> finds, int wanted, double apart, double bestToCome,
              const Place& place)
{
    std::stable_sort(finds.begin(), finds.end(),
                     [](const Finish& a, const Finish& b) { return a.find.score > b.find.score; });
    std::vector<Finish> best;
    for (const Finish& f : finds) {
        if (int(best.size()) == wanted) break;
        if (std::none_of(best.begin(), best.end(),
                         [&](const Finish& b) { return geometry::distance(b.centre, f.centre) < apart; }))
            best.push_back(f);
    }
    if (int(best.size()) < wanted || best.back().find.score < bestToCome) return false;
    if (std::any_of(best.begin(), best.end(),
                    [&](const Finish& b) { return geometry::distance(b.centre, place.pose.origin) < apart; }))
        return false;
    const Pose origin = originPose(model, place);
    return std::any_of(best.begin(), best.end(), [&](const Finish& b) {
        return overlap(model, origin, place.scale, b.find.pose, b.find.scale) > 0.5;
    });
}

// What an edge of a step this high must show, a pixel, at a level: noise shrinks with the picture.
double leastGradientAt(double leastContrast, double noise, int halvings)
{
    return std::max(0.1 * std::max(4.0, leastContrast), 3.0 * noise / scaleOf(halvings) * 0.5);
}
} // namespace

base::Result<PatternModel> teachPattern(const image::GreyView& reference, const geometry::Region& region,
                                        const Pose& origin, double leastContrast,
                                        const std::vector<geometry::Region>& leftOut)
{
    PatternModel model;
    model.origin = origin;
    const auto fine = reference.visit([&](auto v) { return edgePoints(v, region, leftOut, 0, 0.25 * leastContrast); });
    if (fine.size() < 24)
        return base::fail(base::ErrorCode::NoResult, "the teaching region shows " + std::to_string(fine.size()) +
                                                         " edge points above " + std::to_string(int(leastContrast)) +
                                                         " grey levels; a pattern needs 24");
    // Weak texture beside strong edges says nothing about the part.
    std::vector<double> strengths;
    for (const RawPoint& p : fine) strengths.push_back(p.gradient);
    std::sort(strengths.begin(), strengths.end());
    const double strong = strengths[strengths.size() * 9 / 10];
    model.contrast = strengths[strengths.size() / 2] / 0.3;
    double left = 1e300, top = 1e300, right = -1e300, bottom = -1e300;
    for (const RawPoint& p : fine) {
        if (p.gradient < 0.2 * strong) continue;
        left = std::min(left, p.point.at.x), right = std::max(right, p.point.at.x), top = std::min(top, p.point.at.y),
        bottom = std::max(bottom, p.point.at.y);
    }
    model.centre = {(left + right) / 2, (top + bottom) / 2};
    model.width = right - left, model.height = bottom - top;
    for (const RawPoint& p : fine)
        if (p.gradient >= 0.2 * strong)
            model.radius = std::max(model.radius, geometry::distance(p.point.at, model.centre));
    int coarsest = 0;
    // A long narrow part must keep its width too, or its ends cannot be told apart.
    const double narrow = std::min(right - left, bottom - top) / 2;
    while (coarsest < 6 && model.radius / scaleOf(coarsest + 1) >= 10 && narrow / scaleOf(coarsest + 1) >= 6)
        ++coarsest;
    const Stack stack = stackOf(reference, coarsest);
    for (;; --coarsest) { // finer when the coarse picture shows too little
        model.levels.clear();
        for (int h = coarsest;; h = std::max(0, h - 2)) {
            auto raw = h == 0 ? fine : onLevel(stack, h, [&](const auto& v) {
                return edgePoints(v, region, leftOut, h, 0.25 * leastContrast);
            });
            double peak = 0;
            std::vector<double> g;
            for (const RawPoint& p : raw) g.push_back(p.gradient);
            std::sort(g.begin(), g.end());
            if (!g.empty()) peak = g[g.size() * 9 / 10];
            raw.erase(
                std::remove_if(raw.begin(), raw.end(), [&](const RawPoint& p) { return p.gradient < 0.2 * peak; }),
                raw.end());
            PatternLevel level;
            level.halvings = h;
            const Point centre = toLevel(model.centre, h);
            for (const RawPoint& p : thinned(raw, std::size_t(h == coarsest && h > 0 ? kCoarsePoints : kFinePoints)))
                level.points.push_back({p.point.at - centre, p.point.normal});
            mix(level.points);
            model.levels.push_back(std::move(level));
            if (h == 0) break;
        }
        if (coarsest == 0 || model.levels.front().points.size() >= 24) break;
    }
    if (model.levels.size() == 1) { // a tiny part: the coarse level is the full picture, with fewer points
        PatternLevel coarse;
        for (std::size_t i = 0; i < model.levels[0].points.size();
             i += 1 + model.levels[0].points.size() / std::size_t(kCoarsePoints))
            coarse.points.push_back(model.levels[0].points[i]);
        model.levels.insert(model.levels.begin(), coarse);
    }
    for (double turn = kTurnedApart; turn <= 2 * geometry::kPi - kTurnedApart; turn += geometry::kPi / 90) {
        const double score = scoreAt(reference, model,
                                     {origin.origin + (model.centre - origin.origin) -
                                          turned(model.centre - origin.origin, std::cos(turn), std::sin(turn)),
                                      origin.angle + turn},
                                     leastContrast);
        if (score > model.turnedScore) model.turnedScore = score, model.turnedAngle = geometry::wrapped(turn);
    }
    return model;
}

namespace
{
LevelImage inLevels(const image::GreyView& picture)
{
    LevelImage copy;
    copy.width = picture.width;
    copy.height = picture.height;
    copy.data.resize(std::size_t(picture.width) * std::size_t(picture.height));
    picture.visit([&](auto v) {
        for (int y = 0; y < v.height; ++y)
            for (int x = 0; x < v.width; ++x)
                copy.data[std::size_t(y) * std::size_t(v.width) + std::size_t(x)] =
                    float(double(v.at(x, y)) * v.levelsPerStep);
    });
    return copy;
}

// One search: candidates on the coarsest level, fitted there, the best of them followed to the full picture.
class Search
{
public:
    Search(const image::GreyView& picture, const PatternModel& model, const geometry::Region& area,
           const PatternOptions& options)
        : m_picture(picture), m_model(model), m_area(area), o(options), m_coarsest(model.levels.front().halvings),
          m_stack(stackOf(picture, std::max(1, m_coarsest))), m_noise(vision::noise(picture)),
          m_scaling(o.scaleTo > o.scaleFrom), m_apart(o.leastDistance > 0 ? o.leastDistance : 0.35 * model.radius),
          m_full(4.0 * double(std::min<std::size_t>(model.levels.front().points.size(), std::size_t(kCoarsePoints))))
    {
    }
    std::vector<PatternFind> finds()
    {
        followAll(merged(fitted(candidates())));
        return chosen();
    }

private:
    double radiusAt(int halvings) const { return std::max(4.0, m_model.radius / scaleOf(halvings)); }
    // Closer than so many steps of place, angle and scale, counted in px of the coarsest level.
    bool alike(const Place& a, const Place& b, double px, double atRim) const
    {
        const double radius = radiusAt(m_coarsest);
        return geometry::distance(a.pose.origin, b.pose.origin) < px &&
               std::abs(geometry::wrapped(a.pose.angle - b.pose.angle)) < atRim / radius &&
               std::abs(a.scale - b.scale) < atRim / radius;
    }
    // What a candidate may still score: neighbours and directions are read more generously later.
    double atMost(const Candidate& q) const { return std::max(q.sum / m_full, q.score) + 0.08; }

    std::vector<Candidate> candidates() const
    {
        const double least = std::max(0.1 * std::max(4.0, o.leastContrast), 2.2 * m_noise / scaleOf(m_coarsest));
        if (m_coarsest == 0) return coarseSearch(inLevels(m_picture), m_model, m_area, o, least);
        return coarseSearch(m_stack.small[std::size_t(m_coarsest - 1)], m_model, m_area, o, least);
    }

    // Fits on the coarsest level. What hides a part can pull the fit off here: the place as it was met stays when it
    // agrees better.
    void fit(Candidate& q) const
    {
        const PatternLevel& coarse = m_model.levels.front();
        const double leastGradient = leastGradientAt(o.leastContrast, m_noise, m_coarsest);
        onLevel(m_stack, m_coarsest, [&](const auto& v) {
            // Not worth fitting when hardly an edge runs the right way.
            const double before = agreement(v, coarse.points, q.place, leastGradient, 2);
            if ((o.reversal ? std::abs(before) : before) < 0.35 * o.leastScore) return;
            double best = 0;
            Place place = q.place;
            for (const double sign : {1.0, -1.0}) {
                if (sign < 0 && !o.reversal) break;
                Place start = q.place;
                start.sign = sign;
                const Refined r =
                    settle(v, coarse.points, start, 3, 4, o.leastContrast, radiusAt(m_coarsest), 1, 1, m_scaling);
                const double agreed = agreement(v, coarse.points, r.place, leastGradient);
                if (agreed > best) {
                    best = agreed;
                    place = r.place;
                    q.sure = r.inliers >= 0.93 && agreed >= 0.85;
                }
                if (agreed > 0.8) continue;
                const double met = agreement(v, coarse.points, start, leastGradient);
                if (met > best + 0.05) {
                    best = met;
                    place = start;
                    q.sure = false;
                }
            }
            q.place = place;
            q.score = best;
        });
    }
    std::vector<Candidate> fitted(const std::vector<Candidate>& candidates) const
    {
        std::vector<Candidate> good;
        for (Candidate q : candidates) {
            // On the slope of a place where everything fits already and agrees as well as here it can: the fit would
            // end there.
            const bool slope = std::any_of(good.begin(), good.end(), [&](const Candidate& g) {
                return g.sure && q.sum / m_full <= g.score + 0.05 && alike(g.place, q.place, 3, 6.0);
            });
            if (slope) continue;
            fit(q);
            if (q.score >= 0.7 * o.leastScore) good.push_back(q);
        }
        return good;
    }
    std::vector<Candidate> merged(std::vector<Candidate> good) const
    {
        std::stable_sort(good.begin(), good.end(),
                         [](const Candidate& a, const Candidate& b) { return a.score > b.score; });
        std::vector<Candidate> kept;
        for (const Candidate& q : good) {
            const auto same = std::find_if(kept.begin(), kept.end(),
                                           [&](const Candidate& k) { return alike(k.place, q.place, 1, 2.0); });
            if (same == kept.end()) kept.push_back(q);
            else same->sum = std::max(same->sum, q.sum); // met on its slope, fitted to the same place
        }
        return kept;
    }

    bool beaten(Point centre, double most) const
    {
        return std::any_of(m_finds.begin(), m_finds.end(),
                           [&](const Finish& f) {
                               return geometry::distance(f.centre, centre) < m_apart && most <= f.find.score;
                           }) ||
               std::any_of(m_covered.begin(), m_covered.end(), [&](const Covered& c) {
                   return geometry::distance(c.centre, centre) < m_apart && most <= c.atMost;
               });
    }
    // Each to the full picture, the best first. Beside a find only what may still score more than it is followed.
    void followAll(const std::vector<Candidate>& kept)
    {
        std::vector<double> bestFrom(kept.size() + 1, 0); // of a candidate and all after it
        for (std::size_t i = kept.size(); i-- > 0;)
            bestFrom[i] = std::max(bestFrom[i + 1], std::min(1.0, atMost(kept[i])));
        for (std::size_t i = 0; i < kept.size(); ++i) {
            const Candidate& q = kept[i];
            const Point centre = fromLevel(q.place.pose.origin, m_coarsest);
            if (o.wanted > 0 &&
                onWanted(m_model, m_finds, o.wanted, m_apart, bestFrom[i], moved(q.place, m_coarsest, 0)))
                m_covered.push_back({centre, atMost(q)});
            else if (!beaten(centre, atMost(q))) follow(q);
        }
    }
    void follow(Candidate q)
    {
        const double most = atMost(q);
        int level = m_coarsest;
        std::size_t last = m_model.levels.size() - 1;
        while (last > 0 && m_model.levels[last].halvings < o.finest) --last;
        for (std::size_t i = 1; i < last; ++i) {
            const PatternLevel& l = m_model.levels[i];
            q.place = moved(q.place, level, l.halvings);
            level = l.halvings;
            onLevel(m_stack, level, [&](const auto& v) {
                const int lines = m_noise / scaleOf(level) > 2.5 ? 3 : 1;
                q.place =
                    settle(v, l.points, q.place, 6, 4, o.leastContrast, radiusAt(level), 2, lines, m_scaling).place;
                q.score = agreement(v, l.points, q.place, leastGradientAt(o.leastContrast, m_noise, level), 2);
            });
        }
        if (q.score < 0.8 * o.leastScore || beaten(fromLevel(q.place.pose.origin, level), most)) return;
        const int h = m_model.levels[last].halvings;
        q.place = moved(q.place, level, h);
        if (h > 0) onLevel(m_stack, h, [&](const auto& v) { coarseFinish(v, q.place, m_model.levels[last]); });
        else m_picture.visit([&](auto v) { finish(v, q.place); });
    }
    // In a smaller picture: pixels are less noisy there.
    template <class V> void coarseFinish(const V& v, const Place& place, const PatternLevel& l)
    {
        const int lines = m_noise / scaleOf(l.halvings) > 2.5 ? 3 : 1;
        Refined r = settle(v, l.points, place, 5, 4, o.leastContrast, radiusAt(l.halvings), 1, lines, m_scaling);
        const double score = agreement(v, l.points, r.place, leastGradientAt(o.leastContrast, 0, l.halvings));
        r.place = moved(r.place, l.halvings, 0);
        found(r, score, r.rms * scaleOf(l.halvings));
    }
    template <class V> void finish(const V& v, const Place& place)
    {
        const std::size_t levels = m_model.levels.size();
        const PatternLevel& fine = m_model.levels.back();
        Refined r = settle(v, fine.points, place, levels > 2 ? 5 : 9, 2, o.leastContrast, radiusAt(0), 2,
                           m_noise > 4 ? 3 : 1, m_scaling);
        // Faint parts in noise: neighbouring profiles are averaged.
        const int lines = 0.4 * m_noise > 0.25 * 0.3 * std::max(r.contrast, 4.0) ? 5 : 1;
        r = settle(v, fine.points, r.place, 5, 5, o.leastContrast, radiusAt(0), 1, lines, m_scaling);
        double score = agreement(v, fine.points, r.place, leastGradientAt(o.leastContrast, 0, 0));
        // Where single pixels are lost in noise, the directions are read from the half-size picture.
        if (levels > 2 && m_noise > 0.15 * r.contrast) {
            const PatternLevel& l = m_model.levels[levels - 2];
            const Place half = moved(r.place, 0, l.halvings);
            score =
                std::max(score, onLevel(m_stack, l.halvings, [&](const auto& w) {
                             return agreement(w, l.points, half, leastGradientAt(o.leastContrast, m_noise, l.halvings));
                         }));
        }
        found(r, score, r.rms);
    }
    void found(const Refined& r, double score, double rms)
    {
        if (score < o.leastScore || !nearlyIn(m_area, r.place.pose.origin)) return;
        if (m_scaling && (r.place.scale < o.scaleFrom - 0.01 || r.place.scale > o.scaleTo + 0.01)) return;
        const Pose origin = originPose(m_model, r.place);
        const double turn = geometry::wrapped(origin.angle - m_model.origin.angle), mid = (o.angleFrom + o.angleTo) / 2;
        if (std::abs(geometry::wrapped(turn - mid)) > (o.angleTo - o.angleFrom) / 2 + 0.01) return;
        m_finds.push_back({{origin, score, rms, r.place.scale, r.place.sign < 0}, r.place.pose.origin});
    }

    std::vector<PatternFind> chosen()
    {
        std::stable_sort(m_finds.begin(), m_finds.end(), [](const Finish& a, const Finish& b) {
            if (a.find.score != b.find.score) return a.find.score > b.find.score;
            return a.centre.y != b.centre.y ? a.centre.y < b.centre.y : a.centre.x < b.centre.x;
        });
        std::vector<PatternFind> out;
        std::vector<Point> centres;
        for (const Finish& f : m_finds) {
            const bool same = std::any_of(centres.begin(), centres.end(),
                                          [&](Point k) { return geometry::distance(k, f.centre) < m_apart; });
            const bool beside =
                int(out.size()) >= o.wanted && std::any_of(m_covered.begin(), m_covered.end(), [&](const Covered& c) {
                    return geometry::distance(c.centre, f.centre) < m_apart && f.find.score <= c.atMost;
                });
            if (same || beside) continue;
            out.push_back(f.find);
            centres.push_back(f.centre);
            if (int(out.size()) >= o.most) break;
        }
        return out;
    }

    struct Covered {
        Point centre;
        double atMost;
    };
    const image::GreyView& m_picture;
    const PatternModel& m_model;
    const geometry::Region& m_area;
    const PatternOptions& o;
    const int m_coarsest;
    const Stack m_stack;
    const double m_noise;
    const bool m_scaling;
    const double m_apart, m_full; // px between two finds; sum of a candidate on which every point agrees
    std::vector<Finish> m_finds;
    std::vector<Covered> m_covered; // lie on a wanted find: not followed, and nothing beside them is either
};
} // namespace

std::vector<PatternFind> findPattern(const image::GreyView& picture, const PatternModel& model,
                                     const geometry::Region& search, const PatternOptions& o)
{
    return Search(picture, model, search, o).finds();
}

double scoreAt(const image::GreyView& picture, const PatternModel& model, const Pose& pose, double leastContrast)
{
    const Pose centre = centrePose(model, pose);
    return picture.visit([&](auto v) {
        return std::max(
            0.0, agreement(v, model.levels.back().points, Place{centre, 1, 1}, leastGradientAt(leastContrast, 0, 0)));
    });
}

double overlap(const PatternModel& m, const Pose& a, double scaleA, const Pose& b, double scaleB)
{
    const auto box = [&](const Pose& pose, double scale) {
        const double turn = pose.angle - m.origin.angle;
        const Point arm = turned(m.origin.origin - m.centre, std::cos(turn), std::sin(turn)) * scale;
        return geometry::Region::rectangle(pose.origin - arm, std::max(1.0, m.width * scale),
                                           std::max(1.0, m.height * scale), turn);
    };
    geometry::Region x = box(a, scaleA), y = box(b, scaleB);
    if (x.width * x.height > y.width * y.height) std::swap(x, y);
    // A grid of points of the smaller one.
    constexpr int n = 20;
    int in = 0;
    for (int j = 0; j < n; ++j)
        for (int i = 0; i < n; ++i) {
            const Pose frame{x.centre, x.angle};
            in += y.contains(frame.toPicture({x.width * ((i + 0.5) / n - 0.5), x.height * ((j + 0.5) / n - 0.5)}));
        }
    return double(in) / (n * n);
}

std::vector<Point> outlinePoints(const PatternModel& model, const Pose& pose, double scale)
{
    const double turn = pose.angle - model.origin.angle;
    const Point arm = turned(model.origin.origin - model.centre, std::cos(turn), std::sin(turn)) * scale;
    const Pose middle{pose.origin - arm, turn};
    std::vector<Point> out;
    for (const PatternPoint& p : model.levels.back().points) out.push_back(middle.toPicture(p.at * scale));
    return out;
}

} // namespace vision

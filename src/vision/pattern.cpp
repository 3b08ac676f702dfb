#include "vision/pattern.h"

#include "vision/sampling.h"

#include <Eigen/Dense>
#include <algorithm>
#include <array>
#include <map>

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

// ---- edge points of a region at one level: non-maximum suppression along the gradient, place by parabola through logarithms
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
            for (int j = -2; j <= 2; ++j) sum += k[std::size_t(j + 2)] * float(in[std::clamp(x0 + x + j, 0, v.width - 1)]);
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

template <class V> std::vector<RawPoint> edgePoints(const V& v, const geometry::Region& region, int halvings, double leastGradient)
{
    std::vector<RawPoint> out;
    double left = 1e300, top = 1e300, right = -1e300, bottom = -1e300;
    const auto outlines = region.outlines();
    if (outlines.empty()) {
        left = top = 0, right = v.width - 1, bottom = v.height - 1;
    } else {
        for (const Point p : outlines.front()) {
            const Point q = toLevel(p, halvings);
            left = std::min(left, q.x), right = std::max(right, q.x), top = std::min(top, q.y), bottom = std::max(bottom, q.y);
        }
    }
    const int x0 = std::max(0, int(std::floor(left))), y0 = std::max(0, int(std::floor(top)));
    const int x1 = std::min(v.width - 1, int(std::ceil(right))), y1 = std::min(v.height - 1, int(std::ceil(bottom)));
    const int w = x1 - x0 + 1, h = y1 - y0 + 1;
    if (w < 5 || h < 5) return out;
    const LevelImage g = smoothed(v, x0, y0, w, h);
    LevelImage mag = g;
    std::fill(mag.data.begin(), mag.data.end(), 0.f);
    const auto gradient = [&](int x, int y) { return Point{(g.at(x + 1, y) - g.at(x - 1, y)) / 2.0, (g.at(x, y + 1) - g.at(x, y - 1)) / 2.0}; };
    for (int y = 1; y + 1 < h; ++y)
        for (int x = 1; x + 1 < w; ++x) mag.data[std::size_t(y) * std::size_t(w) + std::size_t(x)] = float(geometry::length(gradient(x, y)));
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
            if (!region.contains(fromLevel(at, halvings))) continue;
            out.push_back({{at, d}, m});
        }
    return out;
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
            const std::pair<int, int> key{int(std::floor(all[i].point.at.y / cell)), int(std::floor(all[i].point.at.x / cell))};
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

// ---- matching the model's points along their normals at one level
struct Match {
    double offset = 0; // along the normal, px of the level
    bool seen = false;
};

// The strongest peak of the smoothed derivative within ± reach of the expected place that has the right sign.
template <class V> Match matchPoint(const V& v, Point at, Point normal, int reach, double leastContrast)
{
    constexpr int kHalf = 3;
    // Derivative of a Gaussian, sigma 1, unit response to a ramp of slope 1.
    constexpr std::array<double, 7> kernel{-0.013354, -0.108455, -0.243030, 0, 0.243030, 0.108455, 0.013354};
    std::array<double, 32> level{};
    const int n = 2 * (reach + kHalf) + 1;
    const Point start = at - normal * (reach + kHalf), stop = at + normal * (reach + kHalf);
    if (!inside(v, start.x, start.y) || !inside(v, stop.x, stop.y)) return {};
    for (int i = 0; i < n; ++i) level[std::size_t(i)] = bilinear(v, start.x + normal.x * i, start.y + normal.y * i);
    std::array<double, 32> d{};
    int best = -1;
    double bestValue = 0;
    const int m = 2 * reach + 1;
    for (int i = 0; i < m; ++i) {
        double sum = 0;
        for (int j = 0; j < 7; ++j) sum += kernel[std::size_t(j)] * level[std::size_t(i + j)];
        d[std::size_t(i)] = sum;
    }
    for (int i = 1; i + 1 < m; ++i) {
        if (d[std::size_t(i)] < d[std::size_t(i - 1)] || d[std::size_t(i)] < d[std::size_t(i + 1)]) continue;
        // Near peaks are preferred to far ones of like size.
        const double value = d[std::size_t(i)] * (1 - 0.3 * std::abs(i - reach) / (reach + 1.0));
        if (value > bestValue) bestValue = value, best = i;
    }
    // A step of height h blurred to sigma 1.3 in all has a peak derivative of about 0.3 h.
    if (best < 0 || d[std::size_t(best)] < 0.25 * leastContrast) return {};
    const double a = std::log(std::max(1e-6, d[std::size_t(best - 1)])), b = std::log(d[std::size_t(best)]),
                 c = std::log(std::max(1e-6, d[std::size_t(best + 1)]));
    const double curve = a - 2 * b + c;
    return {best - reach + (curve < -1e-9 ? std::clamp(0.5 * (a - c) / curve, -0.5, 0.5) : 0.0), true};
}

Point turned(Point p, double c, double s) { return {p.x * c + p.y * s, -p.x * s + p.y * c}; }

struct Refined {
    Pose pose; // of the model's centre, level coordinates
    double score = 0, rms = 0;
};

// Gauss-Newton on the offsets along the normals. Huber weights first: their sum of pulls has one minimum, so edges that moved apart (a part
// too narrow) cancel instead of deciding the place. The last two rounds drop what is far off (Tukey).
template <class V>
Refined refine(const V& v, const std::vector<PatternPoint>& points, Pose pose, int reach, int rounds, double leastContrast, double radius, int stride)
{
    Refined out{pose, 0, 0};
    std::vector<double> offsets(points.size());
    for (int round = 0; round <= rounds; ++round) {
        const bool last = round == rounds;
        const int r = last ? 2 : round < 3 ? reach : std::min(reach, 5);
        const double c = std::cos(out.pose.angle), s = std::sin(out.pose.angle);
        std::vector<double> size;
        std::vector<Match> matches(points.size());
        for (std::size_t i = 0; i < points.size(); i += std::size_t(last ? 1 : stride)) {
            matches[i] = matchPoint(v, out.pose.origin + turned(points[i].at, c, s), turned(points[i].normal, c, s), r, leastContrast);
            if (matches[i].seen) size.push_back(std::abs(matches[i].offset));
        }
        if (size.size() < 6) {
            out.score = 0;
            return out;
        }
        const auto middle = size.begin() + std::ptrdiff_t(size.size() / 2);
        std::nth_element(size.begin(), middle, size.end());
        if (last) {
            int seen = 0;
            double sum = 0;
            const double limit = 1.5;
            for (const Match& m : matches)
                if (m.seen && std::abs(m.offset) <= limit) ++seen, sum += m.offset * m.offset;
            out.score = double(seen) / double(points.size());
            out.rms = seen ? std::sqrt(sum / seen) : 0;
            return out;
        }
        const bool dropping = round + 2 >= rounds;
        const double cut = dropping ? std::max(1.0, 4.7 * 1.4826 * *middle) : std::max(0.15, 1.5 * 1.4826 * *middle);
        Eigen::Matrix3d h = Eigen::Matrix3d::Zero();
        Eigen::Vector3d g = Eigen::Vector3d::Zero();
        for (std::size_t i = 0; i < points.size(); ++i) {
            const Match& m = matches[i];
            if (!m.seen || (dropping && std::abs(m.offset) >= cut)) continue;
            const double u = std::abs(m.offset) / cut, w = dropping ? (1 - u * u) * (1 - u * u) : u <= 1 ? 1.0 : 1 / u;
            const Point at = turned(points[i].at, c, s), normal = turned(points[i].normal, c, s);
            // Turning by da (counter-clockwise as seen) moves a point by leftOf(at) × da.
            const Eigen::Vector3d j(normal.x, normal.y, geometry::dot(normal, geometry::leftOf(at)) / radius);
            h += w * j * j.transpose();
            g += w * m.offset * j;
        }
        h.diagonal().array() += 1e-6 * h.trace() + 1e-9;
        const Eigen::Vector3d step = h.ldlt().solve(g);
        out.pose.origin = out.pose.origin + Point{step[0], step[1]};
        out.pose.angle += step[2] / radius;
    }
    return out;
}

// ---- coarse search
struct Candidate {
    Pose pose; // of the centre, level coordinates
    int sum = 0;
};

struct Responses {
    int width = 0, height = 0, margin = 0; // with the margin on all sides
    std::array<std::vector<std::uint8_t>, kDirections> map;
};

int directionOf(Point d) { return int(std::lround(geometry::angleOf(d) / (2 * geometry::kPi) * kDirections)) & (kDirections - 1); }

// For each model direction: 0 to 4, how well the best edge within one pixel agrees with it.
Responses responses(const LevelImage& v, int margin, double leastGradient)
{
    Responses out;
    out.margin = margin;
    out.width = v.width + 2 * margin, out.height = v.height + 2 * margin;
    // One bit a direction; spread over the 3×3 neighbours by OR.
    std::vector<std::uint32_t> bits(v.data.size(), 0), spread(v.data.size(), 0);
    for (int y = 1; y + 1 < v.height; ++y)
        for (int x = 1; x + 1 < v.width; ++x) {
            const Point d{(v.at(x + 1, y) - v.at(x - 1, y)) / 2.0, (v.at(x, y + 1) - v.at(x, y - 1)) / 2.0};
            if (d.x * d.x + d.y * d.y >= leastGradient * leastGradient)
                bits[std::size_t(y) * std::size_t(v.width) + std::size_t(x)] = 1u << directionOf(d);
        }
    for (int y = 0; y < v.height; ++y)
        for (int x = 0; x < v.width; ++x) {
            std::uint32_t all = 0;
            for (int dy = -1; dy <= 1; ++dy)
                for (int dx = -1; dx <= 1; ++dx)
                    if (y + dy >= 0 && y + dy < v.height && x + dx >= 0 && x + dx < v.width)
                        all |= bits[std::size_t(y + dy) * std::size_t(v.width) + std::size_t(x + dx)];
            spread[std::size_t(y) * std::size_t(v.width) + std::size_t(x)] = all;
        }
    const auto rotate = [](std::uint32_t b, int n) { return n == 0 ? b : (b << n) | (b >> (32 - n)); };
    for (int d = 0; d < kDirections; ++d) {
        auto& map = out.map[std::size_t(d)];
        map.assign(std::size_t(out.width) * std::size_t(out.height), 0);
        const std::uint32_t own = 1u << d;
        const std::uint32_t near1 = rotate(own, 1) | rotate(own, 31), near2 = rotate(own, 2) | rotate(own, 30),
                            near3 = rotate(own, 3) | rotate(own, 29);
        for (int y = 0; y < v.height; ++y) {
            std::uint8_t* to = map.data() + std::size_t(y + margin) * std::size_t(out.width) + std::size_t(margin);
            const std::uint32_t* from = spread.data() + std::size_t(y) * std::size_t(v.width);
            for (int x = 0; x < v.width; ++x) to[x] = from[x] & own ? 4 : from[x] & near1 ? 4 : from[x] & near2 ? 2 : from[x] & near3 ? 1 : 0;
        }
    }
    return out;
}

std::vector<Candidate> coarseSearch(const LevelImage& v, const PatternModel& model, const geometry::Region& search, const PatternOptions& o)
{
    const PatternLevel& level = model.levels.front();
    const double scale = scaleOf(level.halvings), radius = std::max(4.0, model.radius / scale);
    const int margin = int(std::ceil(radius)) + 2;
    const Responses r = responses(v, margin, 0.1 * std::max(4.0, o.leastContrast));
    const double range = o.angleTo - o.angleFrom;
    const bool full = range >= 2 * geometry::kPi - 1e-6;
    const int steps = std::max(1, int(std::ceil(range / (1.2 / radius))));
    const int n = int(level.points.size());
    const int least = int(std::floor(4.0 * n * std::max(0.3, o.leastScore * 0.8)));
    std::vector<Candidate> found;
    std::vector<std::uint8_t> sums(std::size_t(v.width) * std::size_t(v.height));
    for (int k = 0; k < steps; ++k) {
        const double angle = full         ? o.angleFrom + range * k / steps
                             : steps == 1 ? (o.angleFrom + o.angleTo) / 2
                                          : o.angleFrom + range * k / (steps - 1);
        const double c = std::cos(angle), s = std::sin(angle);
        std::fill(sums.begin(), sums.end(), std::uint8_t(0));
        for (const PatternPoint& p : level.points) {
            const Point at = turned(p.at, c, s);
            const auto& map = r.map[std::size_t(directionOf(turned(p.normal, c, s)))];
            const int dx = int(std::lround(at.x)) + margin, dy = int(std::lround(at.y)) + margin;
            for (int y = 0; y < v.height; ++y) {
                const std::uint8_t* from = map.data() + std::size_t(y + dy) * std::size_t(r.width) + std::size_t(dx);
                std::uint8_t* to = sums.data() + std::size_t(y) * std::size_t(v.width);
                for (int x = 0; x < v.width; ++x) to[x] = std::uint8_t(to[x] + from[x]);
            }
        }
        for (int y = 0; y < v.height; ++y)
            for (int x = 0; x < v.width; ++x) {
                const int here = sums[std::size_t(y) * std::size_t(v.width) + std::size_t(x)];
                if (here < least) continue;
                bool peak = true;
                for (int dy = -1; dy <= 1 && peak; ++dy)
                    for (int dx = -1; dx <= 1 && peak; ++dx) {
                        const int ny = y + dy, nx = x + dx;
                        if ((!dx && !dy) || ny < 0 || nx < 0 || ny >= v.height || nx >= v.width) continue;
                        const int other = sums[std::size_t(ny) * std::size_t(v.width) + std::size_t(nx)];
                        peak = dy < 0 || (dy == 0 && dx < 0) ? here >= other : here > other;
                    }
                if (peak && search.contains(fromLevel({double(x), double(y)}, level.halvings)))
                    found.push_back({{{double(x), double(y)}, angle}, here});
            }
    }
    std::stable_sort(found.begin(), found.end(), [](const Candidate& a, const Candidate& b) { return a.sum > b.sum; });
    std::vector<Candidate> kept;
    const std::size_t most = std::size_t(24 + 12 * o.most);
    for (const Candidate& q : found) {
        const bool near = std::any_of(kept.begin(), kept.end(), [&](const Candidate& other) {
            return geometry::distance(other.pose.origin, q.pose.origin) <= 2.5 &&
                   std::abs(geometry::wrapped(other.pose.angle - q.pose.angle)) < 4.0 / radius;
        });
        if (!near) kept.push_back(q);
        if (kept.size() >= most) break;
    }
    return kept;
}

Pose moved(Pose p, int from, int to) { return {toLevel(fromLevel(p.origin, from), to), p.angle}; }

Pose centrePose(const PatternModel& m, const Pose& origin)
{
    // Where the model's centre lies when the part's origin has this pose.
    const geometry::Motion motion{m.origin, origin};
    return {motion.carry(m.centre), motion.turn()};
}
Pose originPose(const PatternModel& m, const Pose& centre)
{
    const geometry::Motion motion{{m.centre, 0}, centre};
    return {motion.carry(m.origin.origin), geometry::wrapped(m.origin.angle + centre.angle)};
}

template <class V> double scoreOf(const V& v, const PatternLevel& level, const Pose& centre, double leastContrast)
{
    const double c = std::cos(centre.angle), s = std::sin(centre.angle);
    int seen = 0;
    for (const PatternPoint& p : level.points) {
        const Match m = matchPoint(v, centre.origin + turned(p.at, c, s), turned(p.normal, c, s), 2, leastContrast);
        seen += m.seen && std::abs(m.offset) <= 1.5;
    }
    return level.points.empty() ? 0 : double(seen) / double(level.points.size());
}
} // namespace

base::Result<PatternModel> teachPattern(const image::GreyView& reference, const geometry::Region& region, const Pose& origin, double leastContrast)
{
    PatternModel model;
    model.origin = origin;
    const auto fine = reference.visit([&](auto v) { return edgePoints(v, region, 0, 0.25 * leastContrast); });
    if (fine.size() < 24)
        return base::fail(base::ErrorCode::NoResult, "the teaching region shows " + std::to_string(fine.size()) + " edge points above " +
                                                         std::to_string(int(leastContrast)) + " grey levels; a pattern needs 24");
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
    for (const RawPoint& p : fine)
        if (p.gradient >= 0.2 * strong) model.radius = std::max(model.radius, geometry::distance(p.point.at, model.centre));
    int coarsest = 0;
    while (coarsest < 6 && model.radius / scaleOf(coarsest + 1) >= 16) ++coarsest;
    const Stack stack = stackOf(reference, coarsest);
    for (;; --coarsest) { // finer when the coarse picture shows too little
        model.levels.clear();
        for (int h = coarsest;; h = std::max(0, h - 2)) {
            auto raw = h == 0 ? fine : onLevel(stack, h, [&](const auto& v) { return edgePoints(v, region, h, 0.25 * leastContrast); });
            double peak = 0;
            std::vector<double> g;
            for (const RawPoint& p : raw) g.push_back(p.gradient);
            std::sort(g.begin(), g.end());
            if (!g.empty()) peak = g[g.size() * 9 / 10];
            raw.erase(std::remove_if(raw.begin(), raw.end(), [&](const RawPoint& p) { return p.gradient < 0.2 * peak; }), raw.end());
            PatternLevel level;
            level.halvings = h;
            const Point centre = toLevel(model.centre, h);
            for (const RawPoint& p : thinned(raw, std::size_t(h == coarsest && h > 0 ? kCoarsePoints : kFinePoints)))
                level.points.push_back({p.point.at - centre, p.point.normal});
            model.levels.push_back(std::move(level));
            if (h == 0) break;
        }
        if (coarsest == 0 || model.levels.front().points.size() >= 24) break;
    }
    if (model.levels.size() == 1) { // a tiny part: the coarse level is the full picture, with fewer points
        PatternLevel coarse;
        for (std::size_t i = 0; i < model.levels[0].points.size(); i += 1 + model.levels[0].points.size() / std::size_t(kCoarsePoints))
            coarse.points.push_back(model.levels[0].points[i]);
        model.levels.insert(model.levels.begin(), coarse);
    }
    for (double turn = kTurnedApart; turn <= 2 * geometry::kPi - kTurnedApart; turn += geometry::kPi / 90) {
        const double score =
            scoreAt(reference, model,
                    {origin.origin + (model.centre - origin.origin) - turned(model.centre - origin.origin, std::cos(turn), std::sin(turn)),
                     origin.angle + turn},
                    leastContrast);
        if (score > model.turnedScore) model.turnedScore = score, model.turnedAngle = geometry::wrapped(turn);
    }
    return model;
}

std::vector<PatternFind> findPattern(const image::GreyView& picture, const PatternModel& model, const geometry::Region& search,
                                     const PatternOptions& o)
{
    std::vector<PatternFind> out;
    const int coarsest = model.levels.front().halvings;
    const Stack stack = stackOf(picture, std::max(1, coarsest));
    std::vector<Candidate> candidates;
    if (coarsest == 0) {
        LevelImage copy;
        copy.width = picture.width, copy.height = picture.height;
        copy.data.resize(std::size_t(picture.width) * std::size_t(picture.height));
        picture.visit([&](auto v) {
            for (int y = 0; y < v.height; ++y)
                for (int x = 0; x < v.width; ++x)
                    copy.data[std::size_t(y) * std::size_t(v.width) + std::size_t(x)] = float(double(v.at(x, y)) * v.levelsPerStep);
        });
        candidates = coarseSearch(copy, model, search, o);
    } else {
        candidates = coarseSearch(stack.small[std::size_t(coarsest - 1)], model, search, o);
    }
    std::vector<PatternFind> finds;
    for (const Candidate& q : candidates) {
        Pose pose = q.pose;
        int level = coarsest;
        Refined r;
        bool lost = false;
        for (std::size_t i = 0; i < model.levels.size() && !lost; ++i) {
            const PatternLevel& l = model.levels[i];
            pose = moved(pose, level, l.halvings);
            level = l.halvings;
            const double radius = std::max(4.0, model.radius / scaleOf(level));
            const bool last = i + 1 == model.levels.size();
            r = onLevel(stack, level, [&](const auto& v) {
                return refine(v, l.points, pose, i == 0 ? 3 : last ? 9 : 6, last ? 7 : 4, o.leastContrast, radius, last ? 1 : 2);
            });
            pose = r.pose;
            lost = r.score < o.leastScore * (last ? 1.0 : 0.6);
        }
        if (lost) continue;
        const Pose origin = originPose(model, pose);
        const double turn = geometry::wrapped(origin.angle - model.origin.angle);
        const double middle = (o.angleFrom + o.angleTo) / 2;
        if (std::abs(geometry::wrapped(turn - middle)) > (o.angleTo - o.angleFrom) / 2 + 0.01) continue;
        finds.push_back({origin, r.score, r.rms});
    }
    std::stable_sort(finds.begin(), finds.end(), [](const PatternFind& a, const PatternFind& b) {
        if (a.score != b.score) return a.score > b.score;
        return a.pose.origin.y != b.pose.origin.y ? a.pose.origin.y < b.pose.origin.y : a.pose.origin.x < b.pose.origin.x;
    });
    for (const PatternFind& f : finds) {
        const Point c = centrePose(model, f.pose).origin;
        const bool same = std::any_of(out.begin(), out.end(), [&](const PatternFind& k) {
            return geometry::distance(centrePose(model, k.pose).origin, c) < 0.35 * model.radius;
        });
        if (!same) out.push_back(f);
        if (int(out.size()) >= o.most) break;
    }
    return out;
}

double scoreAt(const image::GreyView& picture, const PatternModel& model, const Pose& pose, double leastContrast)
{
    const Pose centre = centrePose(model, pose);
    return picture.visit([&](auto v) { return scoreOf(v, model.levels.back(), centre, leastContrast); });
}

std::vector<Point> outlinePoints(const PatternModel& model, const Pose& pose)
{
    const Pose centre = centrePose(model, pose);
    std::vector<Point> out;
    for (const PatternPoint& p : model.levels.back().points) out.push_back(centre.toPicture(p.at));
    return out;
}

} // namespace vision

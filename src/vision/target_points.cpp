#include "vision/target_points.h"

#include "vision/blobs.h"
#include "vision/threshold.h"

#include <Eigen/Dense>
#include <array>
#include <cmath>

namespace vision
{
using geometry::Point;

Plane planeOf(const image::GreyView& picture, int scale)
{
    Plane p;
    p.scale = scale, p.width = picture.width / scale, p.height = picture.height / scale;
    p.level.resize(std::size_t(p.width) * std::size_t(p.height));
    picture.visit([&](auto v) {
        const float k = float(v.levelsPerStep / (scale * scale));
        for (int y = 0; y < p.height; ++y)
            for (int x = 0; x < p.width; ++x) {
                float sum = 0;
                for (int j = 0; j < scale; ++j) {
                    const auto* row = v.row(y * scale + j) + x * scale;
                    for (int i = 0; i < scale; ++i) sum += float(row[i]);
                }
                p.at(x, y) = sum * k;
            }
    });
    return p;
}
void smooth(Plane& p, double sigma)
{
    const int reach = std::max(1, int(std::ceil(3 * sigma)));
    std::vector<float> kernel(std::size_t(2 * reach + 1));
    float sum = 0;
    for (int i = -reach; i <= reach; ++i)
        sum += kernel[std::size_t(i + reach)] = float(std::exp(-0.5 * i * i / (sigma * sigma)));
    for (float& k : kernel) k /= sum;
    std::vector<float> row(std::size_t(p.width + 2 * reach));
    for (int y = 0; y < p.height; ++y) {
        for (int x = -reach; x < p.width + reach; ++x) row[std::size_t(x + reach)] = p.clamped(x, y);
        for (int x = 0; x < p.width; ++x) {
            float v = 0;
            for (int i = 0; i <= 2 * reach; ++i) v += kernel[std::size_t(i)] * row[std::size_t(x + i)];
            p.at(x, y) = v;
        }
    }
    // Down the columns, whole rows at once.
    const std::vector<float> across = p.level;
    for (int y = 0; y < p.height; ++y) {
        float* out = &p.at(0, y);
        std::fill(out, out + p.width, 0.f);
        for (int i = -reach; i <= reach; ++i) {
            const float k = kernel[std::size_t(i + reach)];
            const float* in = across.data() + std::size_t(std::clamp(y + i, 0, p.height - 1)) * std::size_t(p.width);
            for (int x = 0; x < p.width; ++x) out[x] += k * in[x];
        }
    }
}

// ---------------------------------------------------------------- corners
namespace
{
// The ring about a corner changes between dark and bright four times.
bool ringOf(const Plane& p, Node& n, double radius)
{
    constexpr int steps = 48;
    double v[steps], low = 1e300, high = -1e300;
    for (int i = 0; i < steps; ++i) {
        const double a = 2 * geometry::kPi * i / steps;
        v[i] = p.sample(n.at + Point{std::cos(a), std::sin(a)} * radius);
        low = std::min(low, v[i]), high = std::max(high, v[i]);
    }
    if (high - low < 8) return false;
    const double middle = (low + high) / 2;
    std::vector<double> changes;
    std::vector<bool> rising;
    for (int i = 0; i < steps; ++i) {
        const double a = v[i] - middle, b = v[(i + 1) % steps] - middle;
        if ((a < 0) == (b < 0)) continue;
        changes.push_back(2 * geometry::kPi * (i + a / (a - b)) / steps);
        rising.push_back(b > a);
        if (changes.size() > 4) return false;
    }
    if (changes.size() != 4) return false;
    for (std::size_t i = 0; i < 4; ++i) {
        const double sector = (i < 3 ? changes[i + 1] : changes[0] + 2 * geometry::kPi) - changes[i];
        if (sector < geometry::radians(20) || sector > geometry::radians(160)) return false;
    }
    const double offA = changes[2] - changes[0] - geometry::kPi, offB = changes[3] - changes[1] - geometry::kPi;
    if (std::abs(offA) > geometry::radians(28) || std::abs(offB) > geometry::radians(28)) return false;
    n.first = changes[0] + offA / 2, n.second = changes[1] + offB / 2;
    n.brightAfterFirst = rising[0];
    if (n.first >= geometry::kPi) n.first -= geometry::kPi, n.brightAfterFirst = rising[2];
    if (n.second >= geometry::kPi) n.second -= geometry::kPi;
    if (n.first > n.second) std::swap(n.first, n.second), n.brightAfterFirst = !n.brightAfterFirst;
    return true;
}
} // namespace

std::vector<Node> cornersOf(const Plane& raw, std::size_t expected)
{
    Plane p = raw;
    smooth(p, 1.2);
    Plane s = p;
    std::fill(s.level.begin(), s.level.end(), 0.f);
    for (int y = 2; y < p.height - 2; ++y)
        for (int x = 2; x < p.width - 2; ++x) {
            const float c = 2 * p.at(x, y);
            const float xx = p.at(x - 2, y) + p.at(x + 2, y) - c, yy = p.at(x, y - 2) + p.at(x, y + 2) - c;
            const float xy = p.at(x + 1, y + 1) + p.at(x - 1, y - 1) - p.at(x + 1, y - 1) - p.at(x - 1, y + 1);
            s.at(x, y) = xy * xy - xx * yy; // 16 × the negative determinant per px²
        }
    struct Peak {
        float s;
        int x, y;
    };
    std::vector<Peak> peaks;
    for (int y = 4; y < p.height - 4; ++y)
        for (int x = 4; x < p.width - 4; ++x) {
            const float v = s.at(x, y);
            if (v < 30.f) continue;
            bool highest = true;
            for (int j = -3; j <= 3 && highest; ++j)
                for (int i = -3; i <= 3; ++i)
                    if ((i || j) &&
                        (s.at(x + i, y + j) > v || (s.at(x + i, y + j) == v && (j < 0 || (j == 0 && i < 0))))) {
                        highest = false;
                        break;
                    }
            if (highest) peaks.push_back({v, x, y});
        }
    std::sort(peaks.begin(), peaks.end(), [](const Peak& a, const Peak& b) { return a.s > b.s; });
    if (peaks.empty()) return {};
    // Light may fall off to a fifth across the board.
    const float least = peaks[std::min(peaks.size() - 1, expected / 2)].s / 60;
    std::vector<Node> out;
    for (const Peak& k : peaks) {
        if (k.s < least || out.size() > 12 * expected + 2000) break;
        Node n;
        n.at = {double(k.x), double(k.y)};
        // The saddle of the quadratic there.
        const double gx = (p.at(k.x + 1, k.y) - p.at(k.x - 1, k.y)) / 2,
                     gy = (p.at(k.x, k.y + 1) - p.at(k.x, k.y - 1)) / 2;
        const double xx = p.at(k.x + 1, k.y) + p.at(k.x - 1, k.y) - 2 * p.at(k.x, k.y),
                     yy = p.at(k.x, k.y + 1) + p.at(k.x, k.y - 1) - 2 * p.at(k.x, k.y);
        const double xy =
            (p.at(k.x + 1, k.y + 1) + p.at(k.x - 1, k.y - 1) - p.at(k.x + 1, k.y - 1) - p.at(k.x - 1, k.y + 1)) / 4;
        const double det = xx * yy - xy * xy;
        if (det < 0) {
            const Point d{-(yy * gx - xy * gy) / det, -(xx * gy - xy * gx) / det};
            if (geometry::length(d) < 2) n.at = n.at + d;
        }
        if (ringOf(p, n, 4.5) || ringOf(p, n, 3.2)) out.push_back(n);
    }
    return out;
}

// ---------------------------------------------------------------- dots
std::vector<Node> dotsOf(const image::GreyView& view, bool bright)
{
    const int reach = std::max(12, std::min(view.width, view.height) / 12);
    const image::Image mask = localThreshold(view, reach, 10, bright);
    BlobOptions o;
    o.low = o.high = 255, o.fillHoles = true, o.leastArea = 12, o.border = BorderRule::DropAtPicture;
    const BlobList list = findBlobs(mask.grey(), geometry::Region::whole(), o);
    std::vector<Node> out;
    for (const Blob& b : list.blobs) {
        if (b.minor < 3 || b.major > 4 * b.minor || b.major > 0.3 * std::min(view.width, view.height)) continue;
        const double round = b.area / (geometry::kPi / 4 * b.major * b.minor);
        if (round < 0.93 || round > 1.06) continue;
        Node n;
        n.at = b.centroid, n.size = b.major;
        n.hollow = b.holes > 0;
        out.push_back(n);
    }
    // Dots of one target are alike; the most usual size counts.
    if (out.size() < 9) return out;
    std::vector<double> sizes;
    for (const Node& n : out) sizes.push_back(n.size);
    std::sort(sizes.begin(), sizes.end());
    double best = sizes[sizes.size() / 2];
    std::size_t most = 0;
    for (std::size_t i = 0, k = 0; i < sizes.size(); ++i) {
        while (k < sizes.size() && sizes[k] <= 1.8 * sizes[i]) ++k;
        if (k - i > most) most = k - i, best = sizes[i + (k - i) / 2];
    }
    out.erase(
        std::remove_if(out.begin(), out.end(), [&](const Node& n) { return n.size < 0.5 * best || n.size > 2 * best; }),
        out.end());
    return out;
}

// ---------------------------------------------------------------- refinement
Point towardsBorders(const Plane& p, Point start, double radius)
{
    Point c = start;
    for (int round = 0; round < 12; ++round) {
        Eigen::Matrix2d a = Eigen::Matrix2d::Zero();
        Eigen::Vector2d b = Eigen::Vector2d::Zero();
        const int reach = int(std::ceil(radius));
        const int cx = int(std::lround(c.x)), cy = int(std::lround(c.y));
        for (int y = cy - reach; y <= cy + reach; ++y)
            for (int x = cx - reach; x <= cx + reach; ++x) {
                if (x < 1 || y < 1 || x >= p.width - 1 || y >= p.height - 1) continue;
                const double dx = x - c.x, dy = y - c.y, r2 = (dx * dx + dy * dy) / (radius * radius);
                if (r2 > 1) continue;
                const double w = (1 - r2) * (1 - r2);
                const double gx = (p.at(x + 1, y) - p.at(x - 1, y)) / 2, gy = (p.at(x, y + 1) - p.at(x, y - 1)) / 2;
                Eigen::Matrix2d g;
                g << gx * gx, gx * gy, gx * gy, gy * gy;
                a += w * g;
                b += w * g * Eigen::Vector2d(x, y);
            }
        if (a.determinant() < 1e-9) return start;
        const Eigen::Vector2d q = a.ldlt().solve(b);
        const Point next{q[0], q[1]};
        if (!(geometry::distance(next, start) < radius)) return start;
        const double moved = geometry::distance(next, c);
        c = next;
        if (moved < 1e-3) break;
    }
    return c;
}

namespace
{
// The error function and its slope from a table, cubic between the nodes: 1e-9 off at most, several times as fast as
// the library's.
class StepTable
{
public:
    StepTable()
    {
        for (int i = 0; i < kNodes; ++i) {
            const double x = -kReach + double(i) / kPer;
            m_value[std::size_t(i)] = std::erf(x),
            m_slope[std::size_t(i)] = 2 / std::sqrt(geometry::kPi) * std::exp(-x * x);
        }
    }
    struct Sample {
        double value, slope;
    };
    Sample at(double x) const
    {
        if (!(std::abs(x) < kReach)) return {x < 0 ? -1.0 : 1.0, 0.0};
        const double p = (x + kReach) * kPer;
        const auto i = std::size_t(p);
        const double t = p - double(i), r = 1 - t;
        const double value = m_value[i] * (1 + 2 * t) * r * r + m_value[i + 1] * t * t * (3 - 2 * t) +
                             (m_slope[i] * r - m_slope[i + 1] * t) * t * r / kPer;
        return {value, m_slope[i] * r + m_slope[i + 1] * t};
    }

private:
    static constexpr int kReach = 5, kPer = 128, kNodes = 2 * kReach * kPer + 2;
    std::array<double, kNodes> m_value, m_slope;
};
const StepTable& stepTable()
{
    static const StepTable table;
    return table;
}
} // namespace

bool fitCorner(const Plane& p, Point& at, double firstAngle, double secondAngle, double radius)
{
    struct Pixel {
        double x, y, level;
    };
    std::vector<Pixel> pixels;
    const int reach = int(std::ceil(radius)), cx = int(std::lround(at.x)), cy = int(std::lround(at.y));
    double mean = 0;
    for (int y = cy - reach; y <= cy + reach; ++y)
        for (int x = cx - reach; x <= cx + reach; ++x) {
            if (x < 0 || y < 0 || x >= p.width || y >= p.height || std::hypot(x - at.x, y - at.y) > radius) continue;
            pixels.push_back({x - at.x, y - at.y, p.at(x, y)});
            mean += p.at(x, y);
        }
    if (pixels.size() < 24) return false;
    mean /= double(pixels.size());
    // x, y, angle, angle, ln sigma, contrast, level, slopes of the level, slopes of the contrast
    using V = Eigen::Matrix<double, 11, 1>;
    using M = Eigen::Matrix<double, 11, 11>;
    V v;
    v << 0, 0, firstAngle, secondAngle, std::log(1.0), 0, mean, 0, 0, 0, 0;
    const StepTable& table = stepTable();
    // Both borders at a pixel; sines, cosines and width are those of all pixels.
    struct Borders {
        double x, y, s1, c1, s2, c2, s;
        explicit Borders(const V& q)
            : x(q[0]), y(q[1]), s1(std::sin(q[2])), c1(std::cos(q[2])), s2(std::sin(q[3])), c2(std::cos(q[3])),
              s(std::exp(q[4]) * std::sqrt(2.0))
        {
        }
        double first(const Pixel& k) const { return (-(k.x - x) * s1 + (k.y - y) * c1) / s; }
        double second(const Pixel& k) const { return (-(k.x - x) * s2 + (k.y - y) * c2) / s; }
    };
    double sum = 0, square = 0;
    const Borders start(v);
    for (const Pixel& k : pixels) {
        const double e1 = table.at(start.first(k)).value, e2 = table.at(start.second(k)).value;
        sum += e1 * e2 * (k.level - mean), square += e1 * e1 * e2 * e2;
    }
    v[5] = sum / std::max(1e-9, square);
    const auto cost = [&](const V& q) {
        double c = 0;
        const Borders b(q);
        for (const Pixel& k : pixels) {
            const double e1 = table.at(b.first(k)).value, e2 = table.at(b.second(k)).value;
            const double r = k.level - (q[6] + q[7] * k.x + q[8] * k.y + (q[5] + q[9] * k.x + q[10] * k.y) * e1 * e2);
            c += r * r;
        }
        return c;
    };
    double now = cost(v), damp = 1e-3;
    for (int round = 0; round < 40; ++round) {
        M h = M::Zero();
        V g = V::Zero();
        const Borders b(v);
        const double s1 = b.s1, c1 = b.c1, s2 = b.s2, c2 = b.c2, s = b.s;
        for (const Pixel& k : pixels) {
            const double x = k.x - v[0], y = k.y - v[1];
            const double d1 = -x * s1 + y * c1, d2 = -x * s2 + y * c2;
            const auto first = table.at(d1 / s), second = table.at(d2 / s);
            const double e1 = first.value, e2 = second.value, f1 = first.slope / s, f2 = second.slope / s;
            const double a = v[5] + v[9] * k.x + v[10] * k.y;
            V j;
            j[0] = a * (f1 * s1 * e2 + e1 * f2 * s2);
            j[1] = a * (-f1 * c1 * e2 - e1 * f2 * c2);
            j[2] = a * f1 * (-x * c1 - y * s1) * e2;
            j[3] = a * e1 * f2 * (-x * c2 - y * s2);
            j[4] = a * (-f1 * d1 * e2 - e1 * f2 * d2);
            j[5] = e1 * e2;
            j[6] = 1, j[7] = k.x, j[8] = k.y, j[9] = k.x * e1 * e2, j[10] = k.y * e1 * e2;
            const double r = k.level - (v[6] + v[7] * k.x + v[8] * k.y + a * e1 * e2);
            h.noalias() += j * j.transpose();
            g.noalias() += j * r;
        }
        bool better = false;
        for (int k = 0; k < 8; ++k) {
            M damped = h;
            damped.diagonal() *= 1 + damp;
            damped.diagonal().array() += 1e-9;
            const V step = damped.ldlt().solve(g);
            V next = v + step;
            next[4] = std::clamp(next[4], std::log(0.25), std::log(std::max(1.0, radius)));
            const double then = cost(next);
            if (then < now) {
                const double moved = std::hypot(step[0], step[1]);
                v = next, damp = std::max(1e-9, damp / 4);
                better = true;
                const bool still = moved < 1e-4 && now - then < 1e-6 * now;
                now = then;
                if (still) round = 1000;
                break;
            }
            damp *= 6;
        }
        if (!better) break;
    }
    // A fit that explains little of the contrast is not a corner.
    if (!(std::hypot(v[0], v[1]) < 0.6 * radius) || !(std::sqrt(now / double(pixels.size())) < 0.5 * std::abs(v[5])))
        return false;
    at = {at.x + v[0], at.y + v[1]};
    return true;
}

bool centreDot(const Plane& p, Point& at, double diameter, double gap, bool hollow)
{
    const double rim = std::min(0.5 * diameter + 2.5, 0.5 * (diameter / 2 + gap / 2) + 0.25 * diameter);
    for (int round = 0; round < 4; ++round) {
        const double outer = std::max(rim + 1, std::min(rim + 3, gap - diameter / 2 - 1.5));
        const int reach = int(std::ceil(outer)), cx = int(std::lround(at.x)), cy = int(std::lround(at.y));
        if (cx - reach < 0 || cy - reach < 0 || cx + reach >= p.width || cy + reach >= p.height) return false;
        Eigen::Matrix3d a = Eigen::Matrix3d::Zero(), c = a;
        Eigen::Vector3d b = Eigen::Vector3d::Zero(), d = b;
        const double inner = 0.3 * diameter;
        for (int y = cy - reach; y <= cy + reach; ++y)
            for (int x = cx - reach; x <= cx + reach; ++x) {
                const double r = std::hypot(x - at.x, y - at.y);
                const Eigen::Vector3d q(1, x - cx, y - cy);
                if (r >= rim && r <= outer) a += q * q.transpose(), b += q * double(p.at(x, y));
                else if (r <= inner) c += q * q.transpose(), d += q * double(p.at(x, y));
            }
        if (a(0, 0) < 6) return false;
        const Eigen::Vector3d ground = a.ldlt().solve(b);
        // Planes of light on the ground and on the ink; a hollow dot has no ink in its middle, there both fall off
        // alike.
        const bool even = !hollow && c(0, 0) >= 12;
        const Eigen::Vector3d ink =
            even ? Eigen::Vector3d(c.ldlt().solve(d)) : Eigen::Vector3d(Eigen::Vector3d::Zero());
        if (even && std::abs(ground[0] - ink[0]) < 8) return false;
        double weight = 0, sx = 0, sy = 0;
        for (int y = cy - reach; y <= cy + reach; ++y)
            for (int x = cx - reach; x <= cx + reach; ++x) {
                const double r = std::hypot(x - at.x, y - at.y);
                // The last pixel of the disc counts by its share, so that the answer does not jump.
                const double share = std::clamp(rim + 0.5 - r, 0.0, 1.0);
                if (share <= 0) continue;
                const double light = ground[0] + ground[1] * (x - cx) + ground[2] * (y - cy),
                             dark = ink[0] + ink[1] * (x - cx) + ink[2] * (y - cy);
                if (std::abs(light - dark) < 1) continue;
                const double w = share * (light - double(p.at(x, y))) / (light - dark);
                weight += w, sx += w * x, sy += w * y;
            }
        if (weight < 1) return false;
        const Point next{sx / weight, sy / weight};
        if (!(geometry::distance(next, at) < diameter)) return false;
        at = next;
    }
    return true;
}

bool discInSquare(const Plane& p, Point a, Point b, Point c, Point d)
{
    const Point middle = (a + b + c + d) * 0.25;
    double ground = 0;
    for (const Point q : {a, b, c, d}) ground += p.sample(middle + (q - middle) * 0.62) / 4;
    const double sides =
        (p.sample(middle + (a + b - middle * 2) * 0.36) + p.sample(middle + (c + d - middle * 2) * 0.36)) / 2;
    const double centre = p.sample(middle);
    // Against the neighbouring squares, across each side.
    double beside = 0;
    for (const Point q : {(a + b) * 0.5, (b + c) * 0.5, (c + d) * 0.5, (d + a) * 0.5})
        beside += p.sample(middle + (q - middle) * 1.6) / 4;
    const double contrast = beside - (ground + sides) / 2;
    return std::abs(contrast) > 12 && (centre - (ground + sides) / 2) / contrast > 0.5;
}

} // namespace vision

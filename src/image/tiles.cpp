#include "image/tiles.h"

#include "base/parallel.h"
#include "base/unit.h"

#include <Eigen/Dense>
#include <algorithm>
#include <numeric>
#include <set>

namespace image
{
using base::ErrorCode;
using base::fail;

namespace
{
constexpr double kLargest = 60'000; // px, a side of the joined picture
constexpr int kFeather = 48;        // px over which one tile gives way to the next

struct Place {
    double x = 0, y = 0;
};
// Grey levels as real numbers, and halves of them.
struct Level {
    int width = 0, height = 0;
    std::vector<float> data;
    const float* row(int y) const { return data.data() + std::size_t(y) * std::size_t(width); }
    float at(int x, int y) const { return row(y)[x]; }
};
Level levelOf(const Image& picture)
{
    Level out{picture.width(), picture.height(), {}};
    out.data.resize(std::size_t(out.width) * std::size_t(out.height));
    const Image greyed = channels(picture.format()) == 3 ? toGrey(picture) : Image();
    (greyed.empty() ? picture : greyed).grey().visit([&](auto v) {
        for (int y = 0; y < out.height; ++y) {
            const auto* in = v.row(y);
            float* to = out.data.data() + std::size_t(y) * std::size_t(out.width);
            for (int x = 0; x < out.width; ++x) to[x] = float(double(in[x]) * v.levelsPerStep);
        }
    });
    return out;
}
Level halfOf(const Level& p)
{
    Level out{p.width / 2, p.height / 2, {}};
    out.data.resize(std::size_t(out.width) * std::size_t(out.height));
    for (int y = 0; y < out.height; ++y) {
        const float *a = p.row(2 * y), *b = p.row(2 * y + 1);
        float* to = out.data.data() + std::size_t(y) * std::size_t(out.width);
        for (int x = 0; x < out.width; ++x) to[x] = 0.25f * (a[2 * x] + a[2 * x + 1] + b[2 * x] + b[2 * x + 1]);
    }
    return out;
}
using Stack = std::vector<Level>;
Stack stackOf(const Image& picture)
{
    Stack out;
    out.push_back(levelOf(picture));
    while (std::min(out.back().width, out.back().height) >= 24) out.push_back(halfOf(out.back()));
    return out;
}

// Where a and b overlap when b's corner lies at d from a's, in a's px, `rim` px left off.
struct Overlap {
    int left, top, right, low;
    bool any() const { return right - left >= 4 && low - top >= 4; }
    long area() const { return any() ? long(right - left) * (low - top) : 0; }
};
Overlap overlapOf(const Level& a, const Level& b, double dx, double dy, int rim)
{
    return {std::max(0, int(std::ceil(dx))) + rim, std::max(0, int(std::ceil(dy))) + rim,
            std::min(a.width, int(std::floor(dx)) + b.width) - rim,
            std::min(a.height, int(std::floor(dy)) + b.height) - rim};
}
// Normalised correlation of what both show, b shifted by whole px; -1 when there is nothing to see.
double likeness(const Level& a, const Level& b, int dx, int dy, int step)
{
    const Overlap o = overlapOf(a, b, dx, dy, 0);
    if (!o.any()) return -1;
    double n = 0, sa = 0, sb = 0, saa = 0, sbb = 0, sab = 0;
    for (int y = o.top; y < o.low; y += step) {
        const float *ra = a.row(y), *rb = b.row(y - dy) - dx;
        float ta = 0, tb = 0, taa = 0, tbb = 0, tab = 0;
        for (int x = o.left; x < o.right; ++x) {
            const float va = ra[x] - 128, vb = rb[x] - 128;
            ta += va, tb += vb, taa += va * va, tbb += vb * vb, tab += va * vb;
        }
        sa += double(ta), sb += double(tb), saa += double(taa), sbb += double(tbb), sab += double(tab);
        n += o.right - o.left;
    }
    const double va = saa - sa * sa / n, vb = sbb - sb * sb / n;
    if (va < 0.5 * n || vb < 0.5 * n) return -1;
    return (sab - sa * sb / n) / std::sqrt(va * vb);
}

// What one overlap says: b's corner from a's, and how surely (information of both directions).
struct Seen {
    bool any = false;
    Place d;
    Eigen::Matrix2d sure = Eigen::Matrix2d::Zero();
    double grey = 0;
};
// Least squares of b(p + s) = gain · a(p) + offset, from d on; gain and offset may change along the overlap, as light
// does. On the 3 × 3 binomial mean of both, which keeps the bias of the bilinear interpolation small.
class Refining
{
public:
    Refining(const Level& a, const Level& b) : m_a(a), m_b(b) {}
    Seen from(Place d)
    {
        constexpr int kRim = 3, kMost = 8;
        for (int turn = 0; turn < kMost; ++turn) {
            const Overlap o = overlapOf(m_a, m_b, d.x, d.y, kRim);
            if (!o.any()) return {};
            m_ix = int(std::floor(-d.x)), m_iy = int(std::floor(-d.y));
            m_fx = float(-d.x - m_ix), m_fy = float(-d.y - m_iy);
            solve(o);
            if (m_count < 48) return {};
            const double length = std::hypot(m_found[0], m_found[1]), by = length > kLongest ? kLongest / length : 1;
            d.x += m_found[0] * by, d.y += m_found[1] * by;
            if (length < 0.002) break;
        }
        return seen(d);
    }

private:
    static constexpr double kLongest = 1.5; // px, of one step
    using Vector = Eigen::Matrix<double, 8, 1>;
    using Matrix = Eigen::Matrix<double, 8, 8>;
    static float smooth(const Level& v, int x, int y)
    {
        const float *r0 = v.row(y - 1) + x, *r1 = v.row(y) + x, *r2 = v.row(y + 1) + x;
        return (r0[-1] + 2 * r0[0] + r0[1] + 2 * (r1[-1] + 2 * r1[0] + r1[1]) + r2[-1] + 2 * r2[0] + r2[1]) / 16;
    }
    float between(int x, int y) const
    {
        const float top = smooth(m_b, x, y) * (1 - m_fx) + smooth(m_b, x + 1, y) * m_fx;
        const float low = smooth(m_b, x, y + 1) * (1 - m_fx) + smooth(m_b, x + 1, y + 1) * m_fx;
        return top * (1 - m_fy) + low * m_fy;
    }
    void solve(const Overlap& o)
    {
        const int step = std::max(1, int(std::sqrt(double(o.area()) / 60'000.0)));
        m_normal.setZero();
        Vector right = Vector::Zero();
        double squares = 0;
        m_count = 0;
        const double cx = (o.left + o.right) / 2.0, cy = (o.top + o.low) / 2.0, wx = 2.0 / (o.right - o.left),
                     wy = 2.0 / (o.low - o.top);
        Vector row;
        for (int y = o.top; y < o.low; y += step)
            for (int x = o.left + (y / step) % step; x < o.right; x += step) {
                const int bx = x + m_ix, by = y + m_iy;
                if (bx < 2 || by < 2 || bx + 3 >= m_b.width || by + 3 >= m_b.height) continue;
                const double there = double(between(bx, by)) - 128, here = double(smooth(m_a, x, y)) - 128;
                // Slopes of both pictures, halved: noise in one alone would make the step too short.
                const double gx = 0.25 * double(between(bx + 1, by) - between(bx - 1, by) + smooth(m_a, x + 1, y) -
                                                smooth(m_a, x - 1, y)),
                             gy = 0.25 * double(between(bx, by + 1) - between(bx, by - 1) + smooth(m_a, x, y + 1) -
                                                smooth(m_a, x, y - 1));
                const double u = (x - cx) * wx, v = (y - cy) * wy;
                row << gx, gy, here, here * u, here * v, 1, u, v;
                m_normal.selfadjointView<Eigen::Lower>().rankUpdate(row);
                right += row * there;
                squares += there * there;
                ++m_count;
            }
        m_normal = Matrix(m_normal.selfadjointView<Eigen::Lower>());
        const Matrix damped = m_normal + Matrix::Identity() * 1e-3;
        m_found = damped.ldlt().solve(right);
        m_rest = std::max(0.0, squares - m_found.dot(right));
    }
    Seen seen(Place d) const
    {
        Seen out;
        out.any = true, out.d = d;
        out.grey = std::sqrt(m_rest / std::max(1.0, m_count));
        // Of the shift alone, gain and offset worked out of it; what noise adds to the slopes shows nothing.
        const Eigen::Matrix<double, 6, 6> light =
            m_normal.bottomRightCorner<6, 6>() + Eigen::Matrix<double, 6, 6>::Identity() * 1e-6;
        Eigen::Matrix2d pure = m_normal.topLeftCorner<2, 2>() -
                               m_normal.topRightCorner<2, 6>() * light.ldlt().solve(m_normal.bottomLeftCorner<6, 2>());
        const double variance = std::max(0.05, out.grey * out.grey);
        constexpr double kOfNoise = 0.15; // of the difference's variance, in a slope
        const Eigen::SelfAdjointEigenSolver<Eigen::Matrix2d> parts((pure + pure.transpose()) / 2);
        out.sure.setZero();
        for (int i = 0; i < 2; ++i) {
            const double real = parts.eigenvalues()[i] - kOfNoise * variance * m_count;
            if (real > variance)
                out.sure += real / variance * parts.eigenvectors().col(i) * parts.eigenvectors().col(i).transpose();
        }
        return out;
    }
    const Level &m_a, &m_b;
    int m_ix = 0, m_iy = 0;
    float m_fx = 0, m_fy = 0;
    Matrix m_normal;
    Vector m_found;
    double m_rest = 0, m_count = 0;
};

Seen seamOf(const Stack& a, const Stack& b, Place planned, double reach)
{
    int level = 0;
    const int most = int(std::min(a.size(), b.size())) - 1;
    const auto scale = [](int l) { return double(1 << l); };
    while (level < most && reach / scale(level) > 3) {
        const Overlap o = overlapOf(a[std::size_t(level) + 1], b[std::size_t(level) + 1], planned.x / scale(level + 1),
                                    planned.y / scale(level + 1), 0);
        if (std::min(o.right - o.left, o.low - o.top) < 8) break;
        ++level;
    }
    // Widest at the top, then a px about what is known; far from the plan counts a little less.
    int bx = int(std::lround(planned.x / scale(level))), by = int(std::lround(planned.y / scale(level)));
    int around = int(std::ceil(reach / scale(level))) + 1;
    double best = -2;
    for (int l = level; l >= 0; --l) {
        best = -2;
        const Level &la = a[std::size_t(l)], &lb = b[std::size_t(l)];
        const int cx = bx, cy = by;
        const long asPlanned = overlapOf(la, lb, planned.x / scale(l), planned.y / scale(l), 0).area();
        const int step = std::max(1, int(double(overlapOf(la, lb, cx, cy, 0).area()) / 60'000));
        for (int dy = -around; dy <= around; ++dy)
            for (int dx = -around; dx <= around; ++dx) {
                // Of little in common much is like by chance.
                const long area = overlapOf(la, lb, cx + dx, cy + dy, 0).area();
                if (area < 48 || area < asPlanned / 4) continue;
                const double off = std::hypot((cx + dx) * scale(l) - planned.x, (cy + dy) * scale(l) - planned.y);
                const double s = likeness(la, lb, cx + dx, cy + dy, step) -
                                 0.02 * std::min(4.0, off * off / (reach * reach + 1)) - 2 / std::sqrt(double(area));
                if (s > best) best = s, bx = cx + dx, by = cy + dy;
            }
        if (best <= -1) return {};
        if (l > 0) bx *= 2, by *= 2, around = 1;
    }
    Seen s = Refining(a[0], b[0]).from({double(bx), double(by)});
    if (s.any && (std::abs(s.d.x - planned.x) > reach + 2 || std::abs(s.d.y - planned.y) > reach + 2)) return {};
    return s;
}

struct Sized {
    int width = 0, height = 0;
    PixelFormat format = PixelFormat::Grey8;
};
base::Result<Sized> sizeOf(const TilePlan& plan, const std::vector<Image>& tiles)
{
    if (tiles.size() != plan.tiles.size())
        return fail(ErrorCode::InvalidArgument,
                    std::to_string(tiles.size()) + " tiles for a plan of " + std::to_string(plan.tiles.size()));
    Sized out;
    std::string first;
    for (std::size_t i = 0; i < tiles.size(); ++i) {
        if (tiles[i].empty()) continue;
        if (tiles[i].format() == PixelFormat::Real32)
            return fail(ErrorCode::InvalidArgument, "heights cannot be joined from tiles", plan.tiles[i].name);
        if (first.empty()) {
            first = plan.tiles[i].name;
            out = {tiles[i].width(), tiles[i].height(), tiles[i].format()};
        } else if (tiles[i].width() != out.width || tiles[i].height() != out.height ||
                   tiles[i].format() != out.format) {
            return fail(ErrorCode::InvalidArgument,
                        "tile " + plan.tiles[i].name + " is of " + std::to_string(tiles[i].width()) + " × " +
                            std::to_string(tiles[i].height()) + " px, tile " + first + " of " +
                            std::to_string(out.width) + " × " + std::to_string(out.height) +
                            " px, or of another kind: tiles of one picture are alike");
        }
    }
    if (first.empty()) return fail(ErrorCode::NotFound, "no tile is there");
    return out;
}

// Places of all at once. The plan holds what nobody saw, and the whole where it is.
void layAll(const TilePlan& plan, const std::vector<Seen>& seen, Joined& how, Place origin)
{
    const int n = int(how.tiles.size());
    Eigen::VectorXd at(2 * n);
    std::vector<double> weight(seen.size(), 1);
    const double loose = std::max(1.0, plan.reach / 2);
    for (int turn = 0; turn < 6; ++turn) {
        Eigen::MatrixXd normal = Eigen::MatrixXd::Zero(2 * n, 2 * n);
        Eigen::VectorXd right = Eigen::VectorXd::Zero(2 * n);
        for (int i = 0; i < n; ++i) {
            const TilePlan::Tile& t = plan.tiles[std::size_t(i)];
            const double w = t.held ? 1e8 : 1 / (loose * loose);
            normal(2 * i, 2 * i) += w, normal(2 * i + 1, 2 * i + 1) += w;
            right[2 * i] += w * (t.x - origin.x), right[2 * i + 1] += w * (t.y - origin.y);
        }
        for (std::size_t k = 0; k < seen.size(); ++k) {
            if (!seen[k].any) continue;
            const int i = 2 * how.seams[k].first, j = 2 * how.seams[k].second;
            // An overlap of many pixels is no surer than a few thousandths of a pixel: what is left is no noise.
            const Eigen::SelfAdjointEigenSolver<Eigen::Matrix2d> parts(seen[k].sure);
            Eigen::Matrix2d w = Eigen::Matrix2d::Zero();
            for (int e = 0; e < 2; ++e)
                if (const double sure = parts.eigenvalues()[e]; sure > 0)
                    w += weight[k] / (1 / sure + 1e-4) * parts.eigenvectors().col(e) *
                         parts.eigenvectors().col(e).transpose();
            const Eigen::Vector2d d(seen[k].d.x, seen[k].d.y);
            normal.block<2, 2>(i, i) += w, normal.block<2, 2>(j, j) += w;
            normal.block<2, 2>(i, j) -= w, normal.block<2, 2>(j, i) -= w;
            right.segment<2>(j) += w * d, right.segment<2>(i) -= w * d;
        }
        at = normal.ldlt().solve(right);
        for (std::size_t k = 0; k < seen.size(); ++k) {
            if (!seen[k].any) continue;
            const Eigen::Vector2d apart =
                at.segment<2>(2 * how.seams[k].second) - at.segment<2>(2 * how.seams[k].first);
            const double off = (Eigen::Vector2d(seen[k].d.x, seen[k].d.y) - apart).norm(), far = 0.75;
            weight[k] = off < far ? 1 : far / off * far / off; // a wrong match says less than its size
        }
    }
    for (int i = 0; i < n; ++i)
        if (how.tiles[std::size_t(i)].there)
            how.tiles[std::size_t(i)].x = at[2 * i], how.tiles[std::size_t(i)].y = at[2 * i + 1];
}
// What every seam leaves over, in the directions in which it shows something at all.
void tellSeams(const std::vector<Seen>& seen, Joined& how)
{
    for (std::size_t k = 0; k < how.seams.size(); ++k) {
        Joined::Seam& s = how.seams[k];
        const Joined::Tile &a = how.tiles[std::size_t(s.first)], &b = how.tiles[std::size_t(s.second)];
        s.left = int(std::ceil(std::max(a.x, b.x))), s.top = int(std::ceil(std::max(a.y, b.y)));
        s.right = int(std::floor(std::min(a.x + a.width, b.x + b.width)));
        s.low = int(std::floor(std::min(a.y + a.height, b.y + b.height)));
        if (!seen[k].any) continue;
        const Eigen::SelfAdjointEigenSolver<Eigen::Matrix2d> of(seen[k].sure);
        const Eigen::Vector2d rest(seen[k].d.x - (b.x - a.x), seen[k].d.y - (b.y - a.y));
        Eigen::Vector2d told = Eigen::Vector2d::Zero();
        for (int i = 0; i < 2; ++i)
            if (of.eigenvalues()[i] > 1 / (0.2 * 0.2)) {
                told += of.eigenvectors().col(i) * of.eigenvectors().col(i).dot(rest);
                s.seen = true;
            }
        s.dx = told.x(), s.dy = told.y(), s.grey = seen[k].grey;
    }
}

// What every tile is multiplied by: its own factor and a shape all of them share, as logarithm over the tile from −1
// to 1.
struct Evened {
    std::vector<double> own;
    std::array<double, 5> shape{}; // u, v, u², uv, v²
    double at(std::size_t tile, double u, double v) const
    {
        return own[tile] + shape[0] * u + shape[1] * v + shape[2] * u * u + shape[3] * u * v + shape[4] * v * v;
    }
};
Evened evened(const std::vector<Stack>& stacks, const Joined& how)
{
    const int n = int(how.tiles.size());
    Evened out{std::vector<double>(std::size_t(n), 0.0), {}};
    constexpr int kBlock = 4; // px of the level below
    constexpr int kLevel = 2;
    struct Pair {
        int a, b;
        std::array<double, 5> by; // shape of a less shape of b
        double difference;        // log b − log a
    };
    std::vector<Pair> pairs;
    const auto powers = [](double u, double v) { return std::array<double, 5>{u, v, u * u, u * v, v * v}; };
    for (const Joined::Seam& s : how.seams) {
        const Joined::Tile &a = how.tiles[std::size_t(s.first)], &b = how.tiles[std::size_t(s.second)];
        if (stacks[std::size_t(s.first)].size() <= kLevel || stacks[std::size_t(s.second)].size() <= kLevel) continue;
        const Level &la = stacks[std::size_t(s.first)][kLevel], &lb = stacks[std::size_t(s.second)][kLevel];
        const double f = 1 << kLevel;
        const int step = std::max(kBlock, int(std::sqrt(double(s.right - s.left) * (s.low - s.top) / (f * f) / 1500)));
        for (int y = int(s.top / f) + 1; (y + kBlock) * f < s.low; y += step)
            for (int x = int(s.left / f) + 1; (x + kBlock) * f < s.right; x += step) {
                const auto mean = [&](const Level& l, const Joined::Tile& t, double& spread) {
                    const int x0 = int(std::lround(x - t.x / f)), y0 = int(std::lround(y - t.y / f));
                    if (x0 < 0 || y0 < 0 || x0 + kBlock > l.width || y0 + kBlock > l.height) return -1.0;
                    double sum = 0, low = 1e9, high = -1e9;
                    for (int j = 0; j < kBlock; ++j)
                        for (int i = 0; i < kBlock; ++i) {
                            const double v = double(l.at(x0 + i, y0 + j));
                            sum += v, low = std::min(low, v), high = std::max(high, v);
                        }
                    spread = high - low;
                    return high > 250 ? -1.0 : sum / (kBlock * kBlock);
                };
                double sa = 0, sb = 0;
                const double ma = mean(la, a, sa), mb = mean(lb, b, sb);
                // Where the picture is even: an edge half a px off would say too much.
                if (ma < 6 || mb < 6 || sa > 12 + 0.1 * ma || sb > 12 + 0.1 * mb) continue;
                const auto pa = powers(((x + kBlock / 2.0) * f - a.x) / a.width * 2 - 1,
                                       ((y + kBlock / 2.0) * f - a.y) / a.height * 2 - 1);
                const auto pb = powers(((x + kBlock / 2.0) * f - b.x) / b.width * 2 - 1,
                                       ((y + kBlock / 2.0) * f - b.y) / b.height * 2 - 1);
                Pair p{s.first, s.second, {}, std::log(mb / ma)};
                for (std::size_t i = 0; i < 5; ++i) p.by[i] = pa[i] - pb[i];
                pairs.push_back(p);
            }
    }
    if (pairs.size() < 8) return out;
    std::vector<double> weight(pairs.size(), 1);
    const int m = n + 5;
    for (int turn = 0; turn < 5; ++turn) {
        Eigen::MatrixXd normal = Eigen::MatrixXd::Zero(m, m);
        Eigen::VectorXd right = Eigen::VectorXd::Zero(m);
        // Nothing is changed without a reason.
        for (int i = 0; i < n; ++i) normal(i, i) += 0.5;
        for (int i = n; i < m; ++i) normal(i, i) += 2;
        Eigen::VectorXd row = Eigen::VectorXd::Zero(m);
        for (std::size_t k = 0; k < pairs.size(); ++k) {
            const Pair& p = pairs[k];
            std::array<std::pair<int, double>, 7> entries;
            entries[0] = {p.a, 1.0}, entries[1] = {p.b, -1.0};
            for (std::size_t i = 0; i < 5; ++i) entries[2 + i] = {n + int(i), p.by[i]};
            for (const auto& [i, vi] : entries) {
                right[i] += weight[k] * vi * p.difference;
                for (const auto& [j, vj] : entries) normal(i, j) += weight[k] * vi * vj;
            }
        }
        const Eigen::VectorXd found = normal.ldlt().solve(right);
        for (int i = 0; i < n; ++i) out.own[std::size_t(i)] = found[i];
        for (int i = 0; i < 5; ++i) out.shape[std::size_t(i)] = found[n + i];
        for (std::size_t k = 0; k < pairs.size(); ++k) {
            const Pair& p = pairs[k];
            double e = found[p.a] - found[p.b] - p.difference;
            for (int i = 0; i < 5; ++i) e += found[n + i] * p.by[std::size_t(i)];
            weight[k] = std::abs(e) < 0.03 ? 1 : 0.03 / std::abs(e);
        }
    }
    return out;
}

// Catmull and Rom 1974: four weights between the middle two samples.
std::array<float, 4> cubic(double f)
{
    const double a = -0.5;
    const auto near = [&](double t) { return ((a + 2) * t - (a + 3)) * t * t + 1; };
    const auto far = [&](double t) { return ((a * t - 5 * a) * t + 8 * a) * t - 4 * a; };
    return {float(far(1 + f)), float(near(f)), float(near(1 - f)), float(far(2 - f))};
}

// One tile's part of one row of the joined picture, added up with its weights.
template <class Sample> class RowOf
{
public:
    RowOf(const Image& tile, const Joined::Tile& how, std::size_t index, const Evened* even)
        : m_tile(tile), m_index(index), m_even(even), m_channels(channels(tile.format()))
    {
        m_left = int(std::ceil(how.x)), m_top = int(std::ceil(how.y));
        m_fx = m_left - how.x, m_fy = m_top - how.y;
        m_across = cubic(m_fx), m_down = cubic(m_fy);
        m_width = tile.width() - (m_fx > 0 ? 1 : 0), m_height = tile.height() - (m_fy > 0 ? 1 : 0);
        m_fade.resize(std::size_t(std::max(0, m_width)));
        for (int x = 0; x < m_width; ++x) m_fade[std::size_t(x)] = fade(x, m_width);
    }
    void add(int y, std::vector<float>& sum, std::vector<float>& weight, std::vector<float>& buffer,
             std::vector<float>& gain, int canvas) const
    {
        const int ty = y - m_top;
        if (ty < 0 || ty >= m_height) return;
        const int from = std::max(0, -m_left), to = std::min(m_width, canvas - m_left);
        if (from >= to) return;
        const int n = m_tile.width() * m_channels;
        const auto row = [&](int r) {
            return reinterpret_cast<const Sample*>(m_tile.row(std::clamp(r, 0, m_tile.height() - 1)));
        };
        // Down, then across; a px more on either side stands for what lies beyond the border.
        const int pad = 2 * m_channels;
        buffer.resize(std::size_t(n + 2 * pad));
        float* line = buffer.data() + pad;
        const Sample *r0 = row(ty - 1), *r1 = row(ty), *r2 = row(ty + 1), *r3 = row(ty + 2);
        const auto [d0, d1, d2, d3] = m_down;
        for (int i = 0; i < n; ++i)
            line[i] = d0 * float(r0[i]) + d1 * float(r1[i]) + d2 * float(r2[i]) + d3 * float(r3[i]);
        for (int c = 0; c < m_channels; ++c)
            for (int k = 1; k <= 2; ++k)
                line[-k * m_channels + c] = line[c], line[n + (k - 1) * m_channels + c] = line[n - m_channels + c];
        gainsOf(ty, gain);
        const float rowFade = fade(ty, m_height);
        const auto [a0, a1, a2, a3] = m_across;
        const int ch = m_channels;
        for (int x = from; x < to; ++x) {
            const float w = m_fade[std::size_t(x)] * rowFade, g = w * gain[std::size_t(x)];
            const std::size_t at = std::size_t(x + m_left);
            weight[at] += w;
            for (int c = 0; c < ch; ++c) {
                const float* p = line + x * ch + c;
                sum[at * std::size_t(ch) + std::size_t(c)] +=
                    g * (a0 * p[-ch] + a1 * p[0] + a2 * p[ch] + a3 * p[2 * ch]);
            }
        }
    }

private:
    static float fade(int at, int size) { return float(std::min({at + 1, size - at, kFeather})) / float(kFeather); }
    void gainsOf(int ty, std::vector<float>& gain) const
    {
        gain.resize(std::size_t(m_tile.width()) + 64);
        if (!m_even) {
            std::fill(gain.begin(), gain.end(), 1.f);
            return;
        }
        const double v = 2.0 * (ty + m_fy) / m_tile.height() - 1;
        const auto at = [&](int x) { return float(std::exp(m_even->at(m_index, 2.0 * x / m_tile.width() - 1, v))); };
        constexpr int kStep = 32;
        float here = at(0);
        for (int x = 0; x < m_tile.width(); x += kStep) {
            const float next = at(x + kStep), slope = (next - here) / kStep;
            for (int k = 0; k < kStep; ++k) gain[std::size_t(x + k)] = here + slope * float(k);
            here = next;
        }
    }
    const Image& m_tile;
    std::size_t m_index;
    const Evened* m_even;
    int m_channels;
    int m_left = 0, m_top = 0, m_width = 0, m_height = 0;
    double m_fx = 0, m_fy = 0;
    std::array<float, 4> m_across{}, m_down{};
    std::vector<float> m_fade;
};

template <class Sample> void paint(const std::vector<Image>& tiles, const Joined& how, const Evened* even, Image& out)
{
    const int samples = channels(out.format());
    std::vector<RowOf<Sample>> rows;
    for (std::size_t i = 0; i < tiles.size(); ++i)
        if (!tiles[i].empty()) rows.emplace_back(tiles[i], how.tiles[i], i, even);
    constexpr int kBand = 64;
    const int bands = (out.height() + kBand - 1) / kBand;
    const float most = sizeof(Sample) == 1 ? 255.f : 65535.f;
    base::parallelFor(bands, 0, [&](int band) {
        std::vector<float> sum(std::size_t(out.width()) * std::size_t(samples)), weight(std::size_t(out.width())),
            buffer, gain;
        for (int y = band * kBand; y < std::min(out.height(), (band + 1) * kBand); ++y) {
            std::fill(sum.begin(), sum.end(), 0.f), std::fill(weight.begin(), weight.end(), 0.f);
            for (const auto& r : rows) r.add(y, sum, weight, buffer, gain, out.width());
            auto* to = reinterpret_cast<Sample*>(out.row(y));
            for (int x = 0; x < out.width(); ++x) {
                const float w = weight[std::size_t(x)], by = w > 0 ? 1 / w : 0;
                for (int c = 0; c < samples; ++c) {
                    const std::size_t i = std::size_t(x) * std::size_t(samples) + std::size_t(c);
                    to[i] = Sample(std::clamp(sum[i] * by + 0.5f, 0.f, most));
                }
            }
        }
    });
}
} // namespace

base::Status check(const TilePlan& plan)
{
    if (plan.tiles.empty() || plan.tiles.size() > kMostTiles)
        return fail(ErrorCode::OutOfRange, std::to_string(plan.tiles.size()) + " tiles in the plan; 1 to " +
                                               std::to_string(kMostTiles) + " are possible");
    std::set<std::string> names;
    for (const TilePlan::Tile& t : plan.tiles) {
        if (t.name.empty()) return fail(ErrorCode::InvalidArgument, "a tile without a name");
        if (!names.insert(t.name).second)
            return fail(ErrorCode::InvalidArgument, "the tile \"" + t.name + "\" stands twice");
        if (!(std::abs(t.x) <= kLargest && std::abs(t.y) <= kLargest))
            return fail(ErrorCode::OutOfRange,
                        "the tile \"" + t.name + "\" lies beyond " + base::shortest(kLargest) + " px");
    }
    if (!(plan.reach >= 0 && plan.reach <= 1000))
        return fail(ErrorCode::OutOfRange, "reach_px = " + base::shortest(plan.reach) + "; 0 to 1000 are possible");
    return {};
}

TilePlan gridPlan(int rows, int columns, std::array<double, 2> column, std::array<double, 2> row)
{
    TilePlan out;
    for (int r = 0; r < rows; ++r)
        for (int c = 0; c < columns; ++c)
            out.tiles.push_back({std::to_string(r + 1) + "." + std::to_string(c + 1), column[0] * c + row[0] * r,
                                 column[1] * c + row[1] * r});
    return out;
}

double Joined::worstResidual() const
{
    double out = 0;
    for (const Seam& s : seams)
        if (s.seen) out = std::max(out, s.residual());
    return out;
}
std::vector<std::string> Joined::missing() const
{
    std::vector<std::string> out;
    for (const Tile& t : tiles)
        if (!t.there) out.push_back(t.name);
    return out;
}
bool Joined::hole(double x, double y) const
{
    const auto in = [&](const Tile& t) {
        return x >= t.x && y >= t.y && x <= t.x + t.width - 1 && y <= t.y + t.height - 1;
    };
    bool lost = false;
    for (const Tile& t : tiles) {
        if (!in(t)) continue;
        if (t.there) return false;
        lost = true;
    }
    return lost;
}
std::string Joined::holeIn(double left, double top, double right, double low) const
{
    for (const Tile& t : tiles) {
        if (t.there) continue;
        const double l = std::max(left, t.x), r = std::min(right, t.x + t.width - 1), a = std::max(top, t.y),
                     b = std::min(low, t.y + t.height - 1);
        if (l > r || a > b) continue;
        const int nx = std::clamp(int((r - l) / 4) + 1, 1, 200), ny = std::clamp(int((b - a) / 4) + 1, 1, 200);
        for (int j = 0; j <= ny; ++j)
            for (int i = 0; i <= nx; ++i)
                if (hole(l + (r - l) * i / nx, a + (b - a) * j / ny)) return t.name;
    }
    return {};
}

base::Result<JoinedPicture> join(const TilePlan& plan, const std::vector<Image>& tiles)
{
    if (auto ok = check(plan); !ok) return base::passOn(ok.error());
    const auto size = sizeOf(plan, tiles);
    if (!size) return base::passOn(size.error());
    Place origin{1e18, 1e18};
    double right = -1e18, low = -1e18;
    for (const TilePlan::Tile& t : plan.tiles) {
        origin.x = std::min(origin.x, t.x), origin.y = std::min(origin.y, t.y);
        right = std::max(right, t.x + size->width), low = std::max(low, t.y + size->height);
    }
    const double w = std::ceil(right - origin.x), h = std::ceil(low - origin.y);
    if (w > kLargest || h > kLargest || w * h > 1e9)
        return fail(ErrorCode::OutOfRange, "the joined picture would be " + base::shortest(w) + " × " +
                                               base::shortest(h) + " px; " + base::shortest(kLargest) +
                                               " px a side and 1000 million in all are possible");
    JoinedPicture out;
    for (std::size_t i = 0; i < tiles.size(); ++i) {
        const TilePlan::Tile& t = plan.tiles[i];
        out.how.tiles.push_back(
            {t.name, t.x - origin.x, t.y - origin.y, size->width, size->height, 1, !tiles[i].empty()});
    }
    for (int i = 0; i < int(tiles.size()); ++i)
        for (int j = i + 1; j < int(tiles.size()); ++j) {
            const Joined::Tile &a = out.how.tiles[std::size_t(i)], &b = out.how.tiles[std::size_t(j)];
            const double ox = a.width - std::abs(b.x - a.x), oy = a.height - std::abs(b.y - a.y);
            // Tiles that only meet at a corner say nothing their neighbours do not.
            if (a.there && b.there && ox >= 8 && oy >= 8 && (ox > 0.5 * a.width || oy > 0.5 * a.height))
                out.how.seams.push_back({i, j});
        }
    std::vector<Stack> stacks(tiles.size());
    if (plan.byPicture || plan.evenLight || !out.how.seams.empty())
        base::parallelFor(int(tiles.size()), 0, [&](int i) {
            if (!tiles[std::size_t(i)].empty()) stacks[std::size_t(i)] = stackOf(tiles[std::size_t(i)]);
        });
    std::vector<Seen> seen(out.how.seams.size());
    base::parallelFor(int(seen.size()), 0, [&](int k) {
        const Joined::Seam& s = out.how.seams[std::size_t(k)];
        const Joined::Tile &a = out.how.tiles[std::size_t(s.first)], &b = out.how.tiles[std::size_t(s.second)];
        // Each of the two may lie off.
        seen[std::size_t(k)] =
            seamOf(stacks[std::size_t(s.first)], stacks[std::size_t(s.second)], {b.x - a.x, b.y - a.y}, 2 * plan.reach);
    });
    if (plan.byPicture) layAll(plan, seen, out.how, origin);
    tellSeams(seen, out.how);
    Evened even;
    if (plan.evenLight) {
        even = evened(stacks, out.how);
        for (std::size_t i = 0; i < tiles.size(); ++i) out.how.tiles[i].gain = std::exp(even.at(i, 0, 0));
    }
    stacks.clear();
    out.pixels = Image(int(w), int(h), size->format);
    const Evened* gains = plan.evenLight ? &even : nullptr;
    if (bytesPerSample(size->format) == 2) paint<std::uint16_t>(tiles, out.how, gains, out.pixels);
    else paint<std::uint8_t>(tiles, out.how, gains, out.pixels);
    return out;
}

namespace
{
// How far b lies from a along a row (or a column) of tiles: the best of all overlaps from 3 to 60 %.
Place stepOf(const Stack& a, const Stack& b, bool across, double& best)
{
    std::size_t l = 0;
    while (l + 1 < std::min(a.size(), b.size()) && std::max(a[l].width, a[l].height) > 160) ++l;
    const Level &la = a[l], &lb = b[l];
    const int length = across ? la.width : la.height, side = across ? la.height : la.width;
    const int off = std::max(2, side / 20);
    Place out;
    best = -2;
    for (int along = int(0.4 * length); along <= int(0.97 * length) - 3; ++along)
        for (int aside = -off; aside <= off; ++aside) {
            const int dx = across ? along : aside, dy = across ? aside : along;
            const double overlap = 1 - double(along) / length;
            // Of little in common much is like by chance.
            const double s = likeness(la, lb, dx, dy, 1) - 0.02 / (overlap + 0.02) * 0.2;
            if (s > best) best = s, out = {double(dx), double(dy)};
        }
    const double f = double(1 << l);
    return {out.x * f, out.y * f};
}
double middleOf(std::vector<double> v)
{
    std::nth_element(v.begin(), v.begin() + std::ptrdiff_t(v.size() / 2), v.end());
    return v[v.size() / 2];
}
} // namespace

base::Result<TilePlan> planFrom(int rows, int columns, const std::vector<Image>& tiles)
{
    if (rows < 1 || columns < 1 || std::size_t(rows) * std::size_t(columns) != tiles.size() ||
        tiles.size() > kMostTiles)
        return fail(ErrorCode::InvalidArgument, std::to_string(tiles.size()) + " tiles for " + std::to_string(rows) +
                                                    " rows and " + std::to_string(columns) + " columns");
    TilePlan plan = gridPlan(rows, columns, {0, 0}, {0, 0});
    const auto size = sizeOf(plan, tiles);
    if (!size) return base::passOn(size.error());
    std::vector<Stack> stacks(tiles.size());
    base::parallelFor(int(tiles.size()), 0, [&](int i) {
        if (!tiles[std::size_t(i)].empty()) stacks[std::size_t(i)] = stackOf(tiles[std::size_t(i)]);
    });
    std::array<double, 2> steps[2] = {{0, 0}, {0, 0}};
    for (const bool across : {true, false}) {
        std::vector<double> xs, ys;
        std::string weak;
        for (int r = 0; r < rows - (across ? 0 : 1); ++r)
            for (int c = 0; c < columns - (across ? 1 : 0); ++c) {
                const std::size_t i = std::size_t(r * columns + c), j = i + (across ? 1 : std::size_t(columns));
                if (tiles[i].empty() || tiles[j].empty()) continue;
                double best = 0;
                const Place d = stepOf(stacks[i], stacks[j], across, best);
                if (best < 0.5) {
                    weak = plan.tiles[i].name + " and " + plan.tiles[j].name;
                    continue;
                }
                xs.push_back(d.x), ys.push_back(d.y);
            }
        if ((across ? columns : rows) > 1 && xs.empty())
            return fail(ErrorCode::NoResult,
                        weak.empty() ? "no two neighbouring tiles are there"
                                     : "tiles " + weak + " show nothing in common: state how far apart they lie");
        if (!xs.empty()) steps[across ? 0 : 1] = {middleOf(xs), middleOf(ys)};
    }
    plan = gridPlan(rows, columns, steps[0], steps[1]);
    plan.reach = std::max(24.0, 0.02 * std::max(size->width, size->height));
    // As they were laid: the next ones lie nearly so.
    const auto joined = join(plan, tiles);
    if (!joined) return base::passOn(joined.error());
    for (std::size_t i = 0; i < tiles.size(); ++i)
        plan.tiles[i].x = std::round(joined->how.tiles[i].x * 100) / 100,
        plan.tiles[i].y = std::round(joined->how.tiles[i].y * 100) / 100;
    return plan;
}

} // namespace image

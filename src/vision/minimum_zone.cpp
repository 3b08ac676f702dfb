#include "vision/minimum_zone.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <limits>

namespace vision
{
using geometry::HeightPlane;
using geometry::Point;
using geometry::Span;
using image::HeightView;

namespace
{
struct Spot {
    double x, y, z; // px; mm over the plane it is measured from
};

// Calls each(x, y, height over the plane) for every point, in double precision.
template <class Each>
void eachPoint(const HeightView& view, const std::vector<Span>& where, const HeightPlane& over, const Each& each)
{
    const auto& s = view.scale;
    const double none = s.missing.value_or(std::numeric_limits<double>::quiet_NaN());
    view.visit([&](auto v) {
        for (const Span& span : where) {
            const auto* row = v.row(span.y);
            const double start = s.offsetMm - over.base - over.down * span.y;
            for (int x = span.from; x < span.to; ++x) {
                const auto raw = double(row[x]);
                const double z = start + s.mmPerStep * raw - over.right * x;
                if (raw != none && !std::isnan(z)) each(x, span.y, z);
            }
        }
    });
}

// Highest and lowest point of every tile.
class Tiles
{
public:
    Tiles(int width, int height) : m_across((width + kSide - 1) / kSide)
    {
        const auto n = std::size_t(m_across) * std::size_t((height + kSide - 1) / kSide);
        m_high.assign(n, {0, 0, -std::numeric_limits<double>::infinity()});
        m_low.assign(n, {0, 0, std::numeric_limits<double>::infinity()});
    }
    void put(int x, int y, double z)
    {
        const auto at = std::size_t(y / kSide) * std::size_t(m_across) + std::size_t(x / kSide);
        if (z > m_high[at].z) m_high[at] = {double(x), double(y), z};
        if (z < m_low[at].z) m_low[at] = {double(x), double(y), z};
    }
    // Those beyond ±half; of a flat tile one point, not two.
    void take(double half, std::vector<Spot>& to) const
    {
        for (const auto* list : {&m_high, &m_low})
            for (const Spot& s : *list)
                if (std::isfinite(s.z) && std::abs(s.z) > half) to.push_back(s);
    }

private:
    static constexpr int kSide = 24;
    int m_across;
    std::vector<Spot> m_high, m_low;
};

// The plane with the least greatest distance from all spots, by exchange. Places are made to differ from a grid by a
// billionth, so that no three of them are in a row.
class Exchange
{
public:
    explicit Exchange(const std::vector<Spot>& spots)
    {
        double left = 1e300, right = -1e300, top = 1e300, bottom = -1e300;
        for (const Spot& s : spots) {
            left = std::min(left, s.x), right = std::max(right, s.x);
            top = std::min(top, s.y), bottom = std::max(bottom, s.y);
        }
        m_middle = {(left + right) / 2, (top + bottom) / 2};
        m_size = std::max({1.0, right - left, bottom - top}) / 2;
        std::uint64_t state = 0x9e3779b97f4a7c15U;
        const auto jitter = [&] {
            state ^= state << 13, state ^= state >> 7, state ^= state << 17;
            return (double(state >> 11) * 0x1p-53 - 0.5) * 2e-9;
        };
        m_u.reserve(spots.size()), m_z.reserve(spots.size());
        for (const Spot& s : spots) {
            m_u.emplace_back(1.0, (s.x - m_middle.x) / m_size + jitter(), (s.y - m_middle.y) / m_size + jitter());
            m_z.push_back(s.z);
        }
    }
    bool solve()
    {
        if (m_u.size() < 4 || !begin()) return false;
        constexpr int kMostSteps = 5000;
        for (int step = 0; step < kMostSteps; ++step) {
            if (!valuesOfBasis()) return false;
            std::size_t worst = 0;
            double most = -1;
            for (std::size_t i = 0; i < m_u.size(); ++i)
                if (const double r = std::abs(m_z[i] - m_plane.dot(m_u[i])); r > most) most = r, worst = i;
            if (most <= m_half + 1e-13 + 1e-12 * m_half) return true;
            if (!exchange(worst, m_z[worst] > m_plane.dot(m_u[worst]) ? 1.0 : -1.0)) return true;
        }
        return true;
    }
    double half() const { return m_half; }
    // In px, added to the plane the heights are over.
    HeightPlane plane() const
    {
        HeightPlane p;
        p.right = m_plane[1] / m_size, p.down = m_plane[2] / m_size;
        p.base = m_plane[0] - p.right * m_middle.x - p.down * m_middle.y;
        p.middle = m_middle;
        return p;
    }
    void contacts(const std::vector<Spot>& spots, std::vector<Point>& high, std::vector<Point>& low) const
    {
        for (int k = 0; k < 4; ++k) {
            const Spot& s = spots[m_basis[k]];
            (m_sign[k] > 0 ? high : low).push_back({s.x, s.y});
        }
    }

private:
    // Four points that are not in a row: the highest, the lowest and two far from their line.
    bool begin()
    {
        const auto farthest = [&](auto measure) {
            std::size_t best = 0;
            double most = -1;
            for (std::size_t i = 0; i < m_u.size(); ++i)
                if (const double d = measure(m_u[i]); d > most) most = d, best = i;
            return best;
        };
        const std::size_t a = farthest([](const Eigen::Vector3d& u) { return 2 + u[1]; });
        const std::size_t b = farthest([&](const Eigen::Vector3d& u) { return (u - m_u[a]).squaredNorm(); });
        const auto side = [&](const Eigen::Vector3d& u) {
            const Eigen::Vector3d d = m_u[b] - m_u[a], e = u - m_u[a];
            return d[1] * e[2] - d[2] * e[1];
        };
        const std::size_t c = farthest([&](const Eigen::Vector3d& u) { return std::abs(side(u)); });
        if (std::abs(side(m_u[c])) < 1e-6) return false;
        // The fourth one away from the other three.
        const std::size_t d = farthest([&](const Eigen::Vector3d& u) {
            return std::min({(u - m_u[a]).squaredNorm(), (u - m_u[b]).squaredNorm(), (u - m_u[c]).squaredNorm()});
        });
        m_basis[0] = a, m_basis[1] = b, m_basis[2] = c, m_basis[3] = d;
        // The one way in which they balance each other says which are above and which below.
        Eigen::Matrix3d left;
        for (int k = 0; k < 3; ++k) left.col(k) = m_u[m_basis[k]];
        const Eigen::Vector3d w = left.colPivHouseholderQr().solve(-m_u[d]);
        double height = 0, all = 1;
        for (int k = 0; k < 3; ++k) all += std::abs(w[k]);
        for (int k = 0; k < 4; ++k) {
            const double weight = k < 3 ? w[k] : 1.0;
            m_sign[k] = weight >= 0 ? 1 : -1;
            height += weight * m_z[m_basis[k]] / all;
        }
        if (height < 0)
            for (double& s : m_sign) s = -s;
        return true;
    }
    Eigen::Matrix4d columns() const
    {
        Eigen::Matrix4d b;
        for (int k = 0; k < 4; ++k) {
            b.block<3, 1>(0, k) = m_sign[k] * m_u[m_basis[k]];
            b(3, k) = 1;
        }
        return b;
    }
    bool valuesOfBasis()
    {
        const Eigen::Matrix4d b = columns();
        Eigen::Vector4d z;
        for (int k = 0; k < 4; ++k) z[k] = m_sign[k] * m_z[m_basis[k]];
        const Eigen::Vector4d p = b.transpose().partialPivLu().solve(z);
        if (!p.allFinite()) return false;
        m_plane = p.head<3>(), m_half = p[3];
        return true;
    }
    bool exchange(std::size_t enters, double sign)
    {
        const Eigen::PartialPivLU<Eigen::Matrix4d> lu(columns());
        Eigen::Vector4d column;
        column << sign * m_u[enters], 1;
        const Eigen::Vector4d weight = lu.solve(Eigen::Vector4d(0, 0, 0, 1)), d = lu.solve(column);
        int leaves = -1;
        double least = std::numeric_limits<double>::infinity();
        for (int k = 0; k < 4; ++k)
            if (d[k] > 1e-14 && std::max(0.0, weight[k]) / d[k] < least)
                least = std::max(0.0, weight[k]) / d[k], leaves = k;
        if (leaves < 0) return false;
        m_basis[leaves] = enters, m_sign[leaves] = sign;
        return true;
    }
    std::vector<Eigen::Vector3d> m_u;
    std::vector<double> m_z;
    Point m_middle;
    double m_size = 1, m_half = 0;
    Eigen::Vector3d m_plane = Eigen::Vector3d::Zero();
    std::size_t m_basis[4] = {};
    double m_sign[4] = {};
};

double upright(const HeightPlane& p, double pixelMm)
{
    return pixelMm > 0 ? 1 / std::sqrt(1 + (p.right * p.right + p.down * p.down) / (pixelMm * pixelMm)) : 1;
}
base::Result<FlatZone> none(const std::string& why) { return base::fail(base::ErrorCode::NoResult, why); }

// Heights over the plane beyond which a point counts as a spike.
std::pair<double, double> boundsOf(const HeightView& view, const std::vector<Span>& where, const HeightPlane& over,
                                   double leftOut)
{
    constexpr double kAll = std::numeric_limits<double>::infinity();
    if (leftOut <= 0) return {-kAll, kAll};
    std::vector<float> all;
    eachPoint(view, where, over, [&](int, int, double z) { all.push_back(float(z)); });
    const double low = quantile(all, leftOut), high = quantile(all, 1 - leftOut);
    return {low, high};
}
} // namespace

base::Result<FlatZone> minimumZone(const HeightView& view, const std::vector<Span>& where, double pixelMm,
                                   double leftOut)
{
    const auto start = fitPlane(view, where);
    if (!start) return base::passOn(start.error());
    FlatZone out;
    out.pixels = start->pixels, out.points = start->points;
    const HeightPlane first = start->plane;
    const auto [low, high] = boundsOf(view, where, first, leftOut);
    Tiles tiles(view.width, view.height);
    eachPoint(view, where, first, [&, lo = low, hi = high](int x, int y, double z) {
        if (z < lo || z > hi) ++out.dropped;
        else tiles.put(x, y, z);
    });
    std::vector<Spot> spots;
    tiles.take(-1, spots);
    // A point that is the highest and the lowest of its tile is there twice; that does no harm.
    constexpr int kMostRounds = 60;
    for (int round = 0; round < kMostRounds; ++round) {
        Exchange exchange(spots);
        if (!exchange.solve()) return none("the points lie in a row, or are too few for a zone");
        const HeightPlane more = exchange.plane();
        out.plane = first;
        out.plane.base += more.base, out.plane.right += more.right, out.plane.down += more.down;
        out.plane.middle = more.middle;
        out.half = exchange.half();
        Tiles beyond(view.width, view.height);
        eachPoint(view, where, first, [&, lo = low, hi = high](int x, int y, double z) {
            if (z >= lo && z <= hi) beyond.put(x, y, z - more.at(x, y));
        });
        std::vector<Spot> found;
        beyond.take(out.half + 1e-9 + 1e-9 * out.half, found);
        out.high.clear(), out.low.clear();
        exchange.contacts(spots, out.high, out.low);
        if (found.empty()) break;
        for (Spot& s : found) s.z += more.at(s.x, s.y);
        spots.insert(spots.end(), found.begin(), found.end());
    }
    out.width = 2 * out.half * upright(out.plane, pixelMm);
    return out;
}

base::Result<FlatZone> zoneAlong(const HeightView& view, const std::vector<Span>& where, const HeightPlane& base,
                                 double pixelMm, double leftOut)
{
    FlatZone out;
    out.pixels = std::size_t(geometry::pixelCount(where));
    const auto [low, high] = boundsOf(view, where, base, leftOut);
    Spot top{0, 0, -std::numeric_limits<double>::infinity()}, bottom{0, 0, std::numeric_limits<double>::infinity()};
    eachPoint(view, where, base, [&, lo = low, hi = high](int x, int y, double z) {
        ++out.points;
        if (z < lo || z > hi) {
            ++out.dropped;
            return;
        }
        if (z > top.z) top = {double(x), double(y), z};
        if (z < bottom.z) bottom = {double(x), double(y), z};
    });
    if (!std::isfinite(top.z)) return none("no point was measured in the area");
    out.plane = base;
    out.plane.base += (top.z + bottom.z) / 2;
    out.half = (top.z - bottom.z) / 2;
    out.high = {{top.x, top.y}}, out.low = {{bottom.x, bottom.y}};
    out.width = 2 * out.half * upright(base, pixelMm);
    return out;
}

} // namespace vision

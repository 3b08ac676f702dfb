#include "vision/target.h"

#include "base/unit.h"
#include "vision/blobs.h"
#include "vision/threshold.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <deque>
#include <map>
#include <numeric>
#include <optional>

namespace vision
{
using geometry::Point;

base::Status Target::check() const
{
    using base::ErrorCode;
    const auto bad = [](const std::string& text) { return base::fail(ErrorCode::OutOfRange, text); };
    if (columns < 3 || columns > 200) return bad("columns = " + std::to_string(columns) + " is outside 3 .. 200");
    if (rows < 3 || rows > 200) return bad("rows = " + std::to_string(rows) + " is outside 3 .. 200");
    if (!(pitch >= 1e-4 && pitch <= 1e5)) return bad("pitch = " + base::shortest(pitch) + " is outside 0.0001 .. 100000 mm");
    if (!(dot >= 0 && dot < pitch)) return bad("dot = " + base::shortest(dot) + " is outside 0 .. pitch");
    return {};
}

namespace
{
// A grey picture as floats, `1 / scale` of the size.
struct Plane {
    int width = 0, height = 0, scale = 1;
    std::vector<float> level;
    float at(int x, int y) const { return level[std::size_t(y) * std::size_t(width) + std::size_t(x)]; }
    float& at(int x, int y) { return level[std::size_t(y) * std::size_t(width) + std::size_t(x)]; }
    float clamped(int x, int y) const { return at(std::clamp(x, 0, width - 1), std::clamp(y, 0, height - 1)); }
    double sample(Point p) const
    {
        const double x = std::clamp(p.x, 0.0, width - 1.001), y = std::clamp(p.y, 0.0, height - 1.001);
        const int ix = int(x), iy = int(y);
        const double u = x - ix, v = y - iy;
        return (1 - v) * ((1 - u) * at(ix, iy) + u * at(ix + 1, iy)) + v * ((1 - u) * at(ix, iy + 1) + u * at(ix + 1, iy + 1));
    }
    Point toFull(Point p) const { return {p.x * scale + (scale - 1) / 2.0, p.y * scale + (scale - 1) / 2.0}; }
};
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
    for (int i = -reach; i <= reach; ++i) sum += kernel[std::size_t(i + reach)] = float(std::exp(-0.5 * i * i / (sigma * sigma)));
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

// A point that may belong to the grid. Of a corner: directions of its two borders and which side of the first is bright.
struct Node {
    Point at;
    double first = 0, second = 0; // directions in [0, pi), first < second; y down
    bool brightAfterFirst = false;
    double size = 0;
    bool hollow = false;
};

// ---------------------------------------------------------------- corners
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
                    if ((i || j) && (s.at(x + i, y + j) > v || (s.at(x + i, y + j) == v && (j < 0 || (j == 0 && i < 0))))) {
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
        const double gx = (p.at(k.x + 1, k.y) - p.at(k.x - 1, k.y)) / 2, gy = (p.at(k.x, k.y + 1) - p.at(k.x, k.y - 1)) / 2;
        const double xx = p.at(k.x + 1, k.y) + p.at(k.x - 1, k.y) - 2 * p.at(k.x, k.y),
                     yy = p.at(k.x, k.y + 1) + p.at(k.x, k.y - 1) - 2 * p.at(k.x, k.y);
        const double xy = (p.at(k.x + 1, k.y + 1) + p.at(k.x - 1, k.y - 1) - p.at(k.x + 1, k.y - 1) - p.at(k.x - 1, k.y + 1)) / 4;
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
std::vector<Node> dotsOf(const image::GreyView& view, bool bright, const Target& target)
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
    out.erase(std::remove_if(out.begin(), out.end(), [&](const Node& n) { return n.size < 0.5 * best || n.size > 2 * best; }), out.end());
    (void)target;
    return out;
}

// ---------------------------------------------------------------- the grid
using Index = std::pair<int, int>; // column, row
class Buckets
{
public:
    Buckets(const std::vector<Node>& nodes, double cell) : m_nodes(nodes), m_cell(std::max(1.0, cell))
    {
        for (std::size_t i = 0; i < nodes.size(); ++i) m_at[key(nodes[i].at)].push_back(int(i));
    }
    template <class F> void within(Point p, double reach, F f) const
    {
        const int x0 = int(std::floor((p.x - reach) / m_cell)), x1 = int(std::floor((p.x + reach) / m_cell));
        const int y0 = int(std::floor((p.y - reach) / m_cell)), y1 = int(std::floor((p.y + reach) / m_cell));
        if (double(x1 - x0 + 1) * (y1 - y0 + 1) > 4.0 * double(m_at.size()) + 64) {
            for (std::size_t i = 0; i < m_nodes.size(); ++i)
                if (const double d = geometry::distance(p, m_nodes[i].at); d <= reach) f(int(i), d);
            return;
        }
        for (int y = y0; y <= y1; ++y)
            for (int x = x0; x <= x1; ++x)
                if (const auto it = m_at.find({x, y}); it != m_at.end())
                    for (const int i : it->second)
                        if (const double d = geometry::distance(p, m_nodes[std::size_t(i)].at); d <= reach) f(i, d);
    }

private:
    Index key(Point p) const { return {int(std::floor(p.x / m_cell)), int(std::floor(p.y / m_cell))}; }
    const std::vector<Node>& m_nodes;
    double m_cell;
    std::map<Index, std::vector<int>> m_at;
};

using Grid = std::map<Index, int>; // place in the grid → node
bool nearDirection(const Node& n, Point d, double within)
{
    const double a = std::atan2(d.y, d.x);
    const auto off = [&](double line) { return std::abs(std::remainder(a - line, geometry::kPi)); };
    return std::min(off(n.first), off(n.second)) < within;
}
// Bright or dark in the sector of a corner that lies towards d (between its two borders).
bool brightTowards(const Node& n, Point d)
{
    double a = std::atan2(d.y, d.x);
    if (a < 0) a += 2 * geometry::kPi;
    if (a >= geometry::kPi) a -= geometry::kPi;
    const bool inside = a > n.first && a < n.second; // sectors opposite each other are alike
    return inside == n.brightAfterFirst;
}

class Grower
{
public:
    Grower(const std::vector<Node>& nodes, bool corners, double cell) : m_nodes(nodes), m_corners(corners), m_buckets(nodes, cell) {}

    Grid from(int seed) const
    {
        Grid grid;
        const Node& s = at(seed);
        Point right, down;
        if (!firstSteps(seed, right, down)) return grid;
        std::map<int, Index> used;
        struct Steps {
            Point right, down;
        };
        std::map<Index, Steps> steps;
        grid[{0, 0}] = seed, used[seed] = {0, 0}, steps[{0, 0}] = {right, down};
        std::deque<Index> open{{0, 0}};
        (void)s;
        while (!open.empty()) {
            const Index here = open.front();
            open.pop_front();
            const Steps mine = steps[here];
            const Point p = at(grid[here]).at;
            for (const auto& [dx, dy] : {Index{1, 0}, Index{-1, 0}, Index{0, 1}, Index{0, -1}}) {
                const Index there{here.first + dx, here.second + dy};
                if (grid.count(there)) continue;
                Point step = mine.right * dx + mine.down * dy;
                // The opposite neighbour says how far the next one is; so does the row beside.
                if (const auto back = grid.find({here.first - dx, here.second - dy}); back != grid.end()) step = p - at(back->second).at;
                for (const int side : {-1, 1}) {
                    const auto a = grid.find({here.first + side * dy, here.second + side * dx});
                    const auto b = grid.find({there.first + side * dy, there.second + side * dx});
                    if (a == grid.end() || b == grid.end()) continue;
                    step = (step + (at(b->second).at - at(a->second).at)) * 0.5;
                    break;
                }
                const int found = nearest(p + step, 0.33 * geometry::length(step), grid[here], p, used);
                if (found < 0) continue;
                grid[there] = found, used[found] = there;
                Steps next = mine;
                const Point d = at(found).at - p;
                if (dx) next.right = d * dx;
                else next.down = d * dy;
                steps[there] = next;
                open.push_back(there);
            }
        }
        return grid;
    }

private:
    const Node& at(int i) const { return m_nodes[std::size_t(i)]; }
    bool fits(int from, int to, Point d) const
    {
        if (!m_corners) return true;
        const Node &a = at(from), &b = at(to);
        if (!nearDirection(a, d, geometry::radians(24)) || !nearDirection(b, d, geometry::radians(24))) return false;
        // Beside the border between them bright and dark are the same at both: seen from one along it and from the other back.
        const double turn = geometry::radians(25);
        const auto turned = [](Point v, double t) { return Point{v.x * std::cos(t) - v.y * std::sin(t), v.x * std::sin(t) + v.y * std::cos(t)}; };
        return brightTowards(a, turned(d, turn)) == brightTowards(b, turned(d * -1.0, -turn));
    }
    int nearest(Point p, double reach, int from, Point origin, const std::map<int, Index>& used) const
    {
        int best = -1;
        double least = reach;
        m_buckets.within(p, reach, [&](int i, double d) {
            if (d <= least && !used.count(i) && fits(from, i, at(i).at - origin)) least = d, best = i;
        });
        return best;
    }
    bool firstSteps(int seed, Point& right, Point& down) const
    {
        const Node& s = at(seed);
        std::vector<std::pair<double, int>> near;
        for (double reach = 8; near.size() < 12 && reach < 4000; reach *= 2) {
            near.clear();
            m_buckets.within(s.at, reach, [&](int i, double d) {
                if (i != seed && fits(seed, i, at(i).at - s.at)) near.push_back({d, i});
            });
        }
        std::sort(near.begin(), near.end());
        for (std::size_t i = 0; i < std::min<std::size_t>(near.size(), 6); ++i)
            for (std::size_t k = i + 1; k < std::min<std::size_t>(near.size(), 10); ++k) {
                const Point a = at(near[i].second).at - s.at, b = at(near[k].second).at - s.at;
                if (near[k].first > 3.5 * near[i].first) break;
                const double turn = std::abs(std::remainder(std::atan2(a.y, a.x) - std::atan2(b.y, b.x), geometry::kPi));
                if (turn < geometry::radians(30)) continue;
                // Dots: the diagonal is longer than both sides; sides come first.
                right = a, down = b;
                if (geometry::cross(right, down) < 0) down = down * -1.0;
                return true;
            }
        return false;
    }
    const std::vector<Node>& m_nodes;
    bool m_corners;
    Buckets m_buckets;
};

// The best grid any seed grows.
Grid growGrid(const std::vector<Node>& nodes, bool corners, std::size_t wanted)
{
    if (nodes.size() < 9) return {};
    // Typical distance of neighbours.
    double cell = 16;
    {
        double left = 1e300, right = -1e300, top = 1e300, bottom = -1e300;
        for (const Node& n : nodes)
            left = std::min(left, n.at.x), right = std::max(right, n.at.x), top = std::min(top, n.at.y), bottom = std::max(bottom, n.at.y);
        cell = std::max(4.0, std::sqrt((right - left + 1) * (bottom - top + 1) / double(nodes.size())));
    }
    const Grower grower(nodes, corners, cell);
    // Seeds from the middle of all candidates outwards; a grid's own nodes need not be tried again.
    Point middle;
    for (const Node& n : nodes) middle = middle + n.at * (1.0 / double(nodes.size()));
    std::vector<int> order(nodes.size());
    std::iota(order.begin(), order.end(), 0);
    std::sort(order.begin(), order.end(), [&](int a, int b) {
        return geometry::distance(nodes[std::size_t(a)].at, middle) < geometry::distance(nodes[std::size_t(b)].at, middle);
    });
    Grid best;
    std::vector<char> tried(nodes.size(), 0);
    int seeds = 0;
    for (const int seed : order) {
        if (tried[std::size_t(seed)] || ++seeds > 60) continue;
        Grid g = grower.from(seed);
        tried[std::size_t(seed)] = 1;
        if (g.size() >= 12)
            for (const auto& [k, i] : g) tried[std::size_t(i)] = 1;
        if (g.size() > best.size()) best = std::move(g);
        if (best.size() >= wanted) break;
    }
    return best;
}

struct Extent {
    int left = 1 << 30, right = -(1 << 30), top = 1 << 30, bottom = -(1 << 30);
    int columns() const { return right - left + 1; }
    int rows() const { return bottom - top + 1; }
};
Extent extentOf(const Grid& g)
{
    Extent e;
    for (const auto& [k, i] : g)
        e.left = std::min(e.left, k.first), e.right = std::max(e.right, k.first), e.top = std::min(e.top, k.second),
        e.bottom = std::max(e.bottom, k.second);
    return e;
}
// Stray rows and columns at the rim (a table edge, print beside the board): less than a third of what a full one would hold.
void trim(Grid& g, int most, int least)
{
    for (;;) {
        const Extent e = extentOf(g);
        if (std::max(e.columns(), e.rows()) <= most && std::min(e.columns(), e.rows()) <= least) return;
        std::map<int, int> perColumn, perRow;
        for (const auto& [k, i] : g) ++perColumn[k.first], ++perRow[k.second];
        struct Rim {
            double share;
            bool column;
            int at;
        };
        const Rim rims[] = {{double(perColumn[e.left]) / e.rows(), true, e.left},
                            {double(perColumn[e.right]) / e.rows(), true, e.right},
                            {double(perRow[e.top]) / e.columns(), false, e.top},
                            {double(perRow[e.bottom]) / e.columns(), false, e.bottom}};
        const Rim& weakest = *std::min_element(std::begin(rims), std::end(rims), [](const Rim& a, const Rim& b) { return a.share < b.share; });
        if (weakest.share > 0.34) return;
        for (auto it = g.begin(); it != g.end();)
            it = (weakest.column ? it->first.first : it->first.second) == weakest.at ? g.erase(it) : std::next(it);
        if (g.empty()) return;
    }
}

// ---------------------------------------------------------------- refinement
// The place all grey gradients about it point along or past. Förstner and Gülch 1987.
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

// A corner as a lens shows it: level + contrast × E(first border) × E(second border), E a blurred step from -1 to 1; level and contrast are
// planes, because light falls off on both.
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
    const auto product = [&](const V& q, const Pixel& k, double& e1, double& e2) {
        const double s = std::exp(q[4]) * std::sqrt(2.0);
        const double d1 = -(k.x - q[0]) * std::sin(q[2]) + (k.y - q[1]) * std::cos(q[2]);
        const double d2 = -(k.x - q[0]) * std::sin(q[3]) + (k.y - q[1]) * std::cos(q[3]);
        e1 = std::erf(d1 / s), e2 = std::erf(d2 / s);
    };
    double sum = 0, square = 0;
    for (const Pixel& k : pixels) {
        double e1, e2;
        product(v, k, e1, e2);
        sum += e1 * e2 * (k.level - mean), square += e1 * e1 * e2 * e2;
    }
    v[5] = sum / std::max(1e-9, square);
    const auto cost = [&](const V& q) {
        double c = 0;
        for (const Pixel& k : pixels) {
            double e1, e2;
            product(q, k, e1, e2);
            const double r = k.level - (q[6] + q[7] * k.x + q[8] * k.y + (q[5] + q[9] * k.x + q[10] * k.y) * e1 * e2);
            c += r * r;
        }
        return c;
    };
    double now = cost(v), damp = 1e-3;
    for (int round = 0; round < 40; ++round) {
        M h = M::Zero();
        V g = V::Zero();
        const double sigma = std::exp(v[4]), s = sigma * std::sqrt(2.0);
        for (const Pixel& k : pixels) {
            const double x = k.x - v[0], y = k.y - v[1];
            const double s1 = std::sin(v[2]), c1 = std::cos(v[2]), s2 = std::sin(v[3]), c2 = std::cos(v[3]);
            const double d1 = -x * s1 + y * c1, d2 = -x * s2 + y * c2;
            const double e1 = std::erf(d1 / s), e2 = std::erf(d2 / s);
            const double scale = 2 / std::sqrt(geometry::kPi) / s;
            const double f1 = scale * std::exp(-d1 * d1 / (s * s)), f2 = scale * std::exp(-d2 * d2 / (s * s));
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
    if (!(std::hypot(v[0], v[1]) < 0.6 * radius) || !(std::sqrt(now / double(pixels.size())) < 0.5 * std::abs(v[5]))) return false;
    at = {at.x + v[0], at.y + v[1]};
    return true;
}

// Grey-weighted centroid of a dot. The weight is the share of ink: light that falls off across the dot would pull a plain one to the bright side.
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
        // Planes of light on the ground and on the ink; a hollow dot has no ink in its middle, there both fall off alike.
        const bool even = !hollow && c(0, 0) >= 12;
        const Eigen::Vector3d ink = even ? Eigen::Vector3d(c.ldlt().solve(d)) : Eigen::Vector3d(Eigen::Vector3d::Zero());
        if (even && std::abs(ground[0] - ink[0]) < 8) return false;
        double weight = 0, sx = 0, sy = 0;
        for (int y = cy - reach; y <= cy + reach; ++y)
            for (int x = cx - reach; x <= cx + reach; ++x) {
                const double r = std::hypot(x - at.x, y - at.y);
                // The last pixel of the disc counts by its share, so that the answer does not jump.
                const double share = std::clamp(rim + 0.5 - r, 0.0, 1.0);
                if (share <= 0) continue;
                const double light = ground[0] + ground[1] * (x - cx) + ground[2] * (y - cy), dark = ink[0] + ink[1] * (x - cx) + ink[2] * (y - cy);
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

// ---------------------------------------------------------------- numbering
// Turns the grid by quarter turns, so that it fits columns × rows and x, y are not mirrored.
Grid turned(const Grid& g, int quarters)
{
    Grid out;
    for (const auto& [k, i] : g) {
        Index q = k;
        for (int t = 0; t < quarters; ++t) q = {-q.second, q.first};
        out[q] = i;
    }
    const Extent e = extentOf(out);
    Grid zero;
    for (const auto& [k, i] : out) zero[{k.first - e.left, k.second - e.top}] = i;
    return zero;
}
} // namespace

namespace
{
struct Candidate {
    std::vector<Node> nodes; // full-size px
    Grid grid;
};
// Is there a disc of the opposite kind in the middle of the square that begins at this corner?
bool discInSquare(const Plane& p, Point a, Point b, Point c, Point d)
{
    const Point middle = (a + b + c + d) * 0.25;
    double ground = 0;
    for (const Point q : {a, b, c, d}) ground += p.sample(middle + (q - middle) * 0.62) / 4;
    const double sides = (p.sample(middle + (a + b - middle * 2) * 0.36) + p.sample(middle + (c + d - middle * 2) * 0.36)) / 2;
    const double centre = p.sample(middle);
    // Against the neighbouring squares, across each side.
    double beside = 0;
    for (const Point q : {(a + b) * 0.5, (b + c) * 0.5, (c + d) * 0.5, (d + a) * 0.5}) beside += p.sample(middle + (q - middle) * 1.6) / 4;
    const double contrast = beside - (ground + sides) / 2;
    return std::abs(contrast) > 12 && (centre - (ground + sides) / 2) / contrast > 0.5;
}
} // namespace

base::Result<TargetFind> findTarget(const image::GreyView& picture, const Target& target)
{
    if (auto ok = target.check(); !ok) return base::passOn(ok.error());
    if (picture.width < 32 || picture.height < 32) return base::fail(base::ErrorCode::NoResult, "the picture is too small for a target");
    const std::size_t wanted = std::size_t(target.columns) * std::size_t(target.rows);
    const bool corners = target.kind == TargetKind::Checkerboard;
    const Plane full = planeOf(picture, 1);
    const int most = std::max(target.columns, target.rows), least = std::min(target.columns, target.rows);
    Candidate best;
    std::size_t seen = 0;
    const auto consider = [&](std::vector<Node> nodes) {
        seen = std::max(seen, nodes.size());
        Grid g = growGrid(nodes, corners, wanted);
        trim(g, most, least);
        if (g.size() > best.grid.size()) best = {std::move(nodes), std::move(g)};
        return best.grid.size() >= wanted;
    };
    if (corners) {
        // A level on which the board is some 600 to 1300 px wide first: quick, and noise is gone.
        int start = 1;
        while (std::max(picture.width, picture.height) / start > 1300) start *= 2;
        std::vector<int> scales{start};
        for (int up = start * 2, down = start / 2; down >= 1 || std::min(picture.width, picture.height) / up >= 100; up *= 2, down /= 2) {
            if (down >= 1) scales.push_back(down);
            if (std::min(picture.width, picture.height) / up >= 100) scales.push_back(up);
        }
        for (const int scale : scales) {
            const Plane p = scale == 1 ? full : planeOf(picture, scale);
            auto nodes = cornersOf(p, wanted);
            for (Node& n : nodes) n.at = p.toFull(n.at);
            if (consider(std::move(nodes))) break;
        }
    } else {
        for (const bool bright : {false, true})
            if (consider(dotsOf(picture, bright, target))) break;
    }
    const char* what = corners ? "corners" : "dots";
    const Extent e = best.grid.empty() ? Extent{0, -1, 0, -1} : extentOf(best.grid);
    // Said the way round it was asked for.
    const bool tall = (e.columns() < e.rows()) != (target.columns < target.rows);
    const auto size = std::to_string(std::max(0, tall ? e.rows() : e.columns())) + " × " + std::to_string(std::max(0, tall ? e.columns() : e.rows()));
    const auto asked = std::to_string(target.columns) + " × " + std::to_string(target.rows);
    if (best.grid.size() < 12 || e.columns() < 3 || e.rows() < 3)
        return base::fail(base::ErrorCode::NoResult, "no target: " + std::to_string(seen) + " " + what + " were seen, at most " +
                                                         std::to_string(best.grid.size()) + " hang together in a grid; at least 4 × 3 are needed");
    if (std::max(e.columns(), e.rows()) > most || std::min(e.columns(), e.rows()) > least)
        return base::fail(base::ErrorCode::NoResult,
                          "a grid of " + size + " " + what + " was found, " + asked + " are asked for: check columns and rows");

    // Refine each point on the full picture; the window stops well before the nearest neighbour.
    Plane light = full;
    if (corners) smooth(light, 0.7);
    std::map<Index, Point> at;
    for (const auto& [k, i] : best.grid) {
        const Node& n = best.nodes[std::size_t(i)];
        double gap = 1e300;
        for (const auto& [dx, dy] : {Index{1, 0}, Index{-1, 0}, Index{0, 1}, Index{0, -1}})
            if (const auto o = best.grid.find({k.first + dx, k.second + dy}); o != best.grid.end())
                gap = std::min(gap, geometry::distance(n.at, best.nodes[std::size_t(o->second)].at));
        if (gap > 1e299) continue;
        Point p = n.at;
        if (corners) {
            // A square seen at a slant is narrower than its sides are long.
            const double slant = std::max(0.35, std::abs(std::sin(n.second - n.first)));
            const double radius = std::clamp(0.42 * gap * slant, 3.0, 16.0);
            p = towardsBorders(light, p, radius);
            Point fitted = p;
            if (fitCorner(full, fitted, n.first, n.second, radius) && geometry::distance(fitted, p) < std::max(1.0, 0.15 * radius)) p = fitted;
            else if (p.x < radius || p.y < radius || p.x > picture.width - 1 - radius || p.y > picture.height - 1 - radius) continue;
        } else if (!centreDot(full, p, n.size, gap, n.hollow)) {
            continue;
        }
        at[k] = p;
    }
    if (at.size() < 12) return base::fail(base::ErrorCode::NoResult, "only " + std::to_string(at.size()) + " " + what + " could be placed");
    // Hollow marks, in grid places.
    std::vector<Index> marks;
    for (const auto& [k, i] : best.grid) {
        if (!at.count(k)) continue;
        if (!corners) {
            if (best.nodes[std::size_t(i)].hollow) marks.push_back(k);
            continue;
        }
        const auto b = at.find({k.first + 1, k.second}), c = at.find({k.first + 1, k.second + 1}), d = at.find({k.first, k.second + 1});
        if (b == at.end() || c == at.end() || d == at.end()) continue;
        if (discInSquare(full, at[k], b->second, c->second, d->second)) marks.push_back(k);
    }
    // All turns that fit, then the one the mark or the upper left corner asks for.
    TargetFind out;
    struct Way {
        Grid grid;
        int shiftX = 0, shiftY = 0;
        double rank = 0;
        bool marked = false;
    };
    std::optional<Way> chosen;
    Grid placed;
    std::vector<Point> places;
    for (const auto& [k, p] : at) placed[k] = int(places.size()), places.push_back(p);
    for (int q = 0; q < 4; ++q) {
        const Grid g = turned(placed, q);
        const Extent x = extentOf(g);
        if (x.columns() > target.columns || x.rows() > target.rows) continue;
        Way w{g, 0, 0, 0, false};
        // Three marks in an L: the middle, one to the right, one below.
        if (marks.size() == 3) {
            std::vector<Index> m;
            for (const Index& k : marks) {
                const int id = placed.at(k);
                for (const auto& [there, i] : g)
                    if (i == id) m.push_back(there);
            }
            // A square is named by its corner with the smallest numbers, which changes with the turn.
            if (corners)
                for (Index& k : m) {
                    if (q == 1 || q == 2) --k.first;
                    if (q == 2 || q == 3) --k.second;
                }
            std::sort(m.begin(), m.end());
            const auto has = [&](Index k) { return std::find(m.begin(), m.end(), k) != m.end(); };
            for (const Index& k : m)
                if (has({k.first + 1, k.second}) && has({k.first, k.second + 1})) {
                    const int mx = corners ? (target.columns - 1) / 2 : target.columns / 2, my = corners ? (target.rows - 1) / 2 : target.rows / 2;
                    w.shiftX = mx - k.first, w.shiftY = my - k.second;
                    w.marked = w.shiftX >= 0 && w.shiftY >= 0 && w.shiftX + x.columns() <= target.columns && w.shiftY + x.rows() <= target.rows;
                }
        }
        // Where (0, 0) lies, or would lie, against the upper left; x should rather run to the right.
        Point corner{1e300, 1e300};
        double nearest = 1e300;
        for (const auto& [k, i] : g)
            if (const double d = double(k.first) * k.first + double(k.second) * k.second; d < nearest) nearest = d, corner = places[std::size_t(i)];
        Point along{0, 0};
        for (const auto& [k, i] : g)
            if (const auto next = g.find({k.first + 1, k.second}); next != g.end())
                along = along + (places[std::size_t(next->second)] - places[std::size_t(i)]);
        w.rank = geometry::length(corner);
        if (target.columns == target.rows || (x.rows() <= target.columns && x.columns() <= target.rows && target.columns != target.rows &&
                                              (x.columns() < target.columns || x.rows() < target.rows)))
            w.rank += std::abs(along.x) > std::abs(along.y) ? 0 : 1e5; // both ways round would do
        if (w.marked) w.rank -= 1e9;
        if (!chosen || w.rank < chosen->rank) chosen = w;
    }
    if (!chosen) return base::fail(base::ErrorCode::NoResult, "a grid of " + size + " " + what + " was found; it fits " + asked + " in no direction");
    for (const auto& [k, i] : chosen->grid)
        out.points.push_back(
            {k.first + (chosen->marked ? chosen->shiftX : 0), k.second + (chosen->marked ? chosen->shiftY : 0), places[std::size_t(i)]});
    std::sort(out.points.begin(), out.points.end(),
              [](const TargetPoint& a, const TargetPoint& b) { return a.row != b.row ? a.row < b.row : a.column < b.column; });
    out.marked = chosen->marked;
    out.whole = out.points.size() == wanted;
    return out;
}

bool looksLikeTarget(const image::GreyView& picture)
{
    int scale = 1;
    while (std::max(picture.width, picture.height) / scale > 800) scale *= 2;
    if (picture.width / scale < 40 || picture.height / scale < 40) return false;
    const Plane p = planeOf(picture, scale);
    const Grid g = growGrid(cornersOf(p, 60), true, 100000);
    if (g.size() < 24) return false;
    const Extent e = extentOf(g);
    return e.columns() >= 4 && e.rows() >= 4 && double(g.size()) > 0.6 * e.columns() * e.rows();
}

} // namespace vision

#include "vision/target_grid.h"

#include <algorithm>
#include <cmath>
#include <deque>
#include <numeric>

namespace vision
{
using geometry::Point;

namespace
{
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
    Grower(const std::vector<Node>& nodes, bool corners, double cell)
        : m_nodes(nodes), m_corners(corners), m_buckets(nodes, cell)
    {
    }

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
                if (const auto back = grid.find({here.first - dx, here.second - dy}); back != grid.end())
                    step = p - at(back->second).at;
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
        // Beside the border between them bright and dark are the same at both: seen from one along it and from the
        // other back.
        const double turn = geometry::radians(25);
        const auto turned = [](Point v, double t) {
            return Point{v.x * std::cos(t) - v.y * std::sin(t), v.x * std::sin(t) + v.y * std::cos(t)};
        };
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
                const double turn =
                    std::abs(std::remainder(std::atan2(a.y, a.x) - std::atan2(b.y, b.x), geometry::kPi));
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
} // namespace

Grid growGrid(const std::vector<Node>& nodes, bool corners, std::size_t wanted)
{
    if (nodes.size() < 9) return {};
    // Typical distance of neighbours.
    double cell = 16;
    {
        double left = 1e300, right = -1e300, top = 1e300, bottom = -1e300;
        for (const Node& n : nodes)
            left = std::min(left, n.at.x), right = std::max(right, n.at.x), top = std::min(top, n.at.y),
            bottom = std::max(bottom, n.at.y);
        cell = std::max(4.0, std::sqrt((right - left + 1) * (bottom - top + 1) / double(nodes.size())));
    }
    const Grower grower(nodes, corners, cell);
    // Seeds from the middle of all candidates outwards; a grid's own nodes need not be tried again.
    Point middle;
    for (const Node& n : nodes) middle = middle + n.at * (1.0 / double(nodes.size()));
    std::vector<int> order(nodes.size());
    std::iota(order.begin(), order.end(), 0);
    std::sort(order.begin(), order.end(), [&](int a, int b) {
        return geometry::distance(nodes[std::size_t(a)].at, middle) <
               geometry::distance(nodes[std::size_t(b)].at, middle);
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

Extent extentOf(const Grid& g)
{
    Extent e;
    for (const auto& [k, i] : g)
        e.left = std::min(e.left, k.first), e.right = std::max(e.right, k.first), e.top = std::min(e.top, k.second),
        e.bottom = std::max(e.bottom, k.second);
    return e;
}

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
        const Rim& weakest = *std::min_element(std::begin(rims), std::end(rims),
                                               [](const Rim& a, const Rim& b) { return a.share < b.share; });
        if (weakest.share > 0.34) return;
        for (auto it = g.begin(); it != g.end();)
            it = (weakest.column ? it->first.first : it->first.second) == weakest.at ? g.erase(it) : std::next(it);
        if (g.empty()) return;
    }
}

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

} // namespace vision

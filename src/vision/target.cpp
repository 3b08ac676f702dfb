#include "vision/target.h"

#include "base/unit.h"
#include "vision/target_points.h"

#include <algorithm>
#include <cmath>
#include <map>
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
    if (!(pitch >= 1e-4 && pitch <= 1e5))
        return bad("pitch = " + base::shortest(pitch) + " is outside 0.0001 .. 100000 mm");
    if (!(dot >= 0 && dot < pitch)) return bad("dot = " + base::shortest(dot) + " is outside 0 .. pitch");
    return {};
}

namespace
{
struct Candidate {
    std::vector<Node> nodes; // full-size px
    Grid grid;
    std::size_t seen = 0; // the most points on one level, in a grid or not
};
Candidate seek(const image::GreyView& picture, const Plane& full, const Target& target)
{
    const std::size_t wanted = std::size_t(target.columns) * std::size_t(target.rows);
    const bool corners = target.kind == TargetKind::Checkerboard;
    const int most = std::max(target.columns, target.rows), least = std::min(target.columns, target.rows);
    Candidate best;
    const auto consider = [&](std::vector<Node> nodes) {
        best.seen = std::max(best.seen, nodes.size());
        Grid g = growGrid(nodes, corners, wanted);
        trim(g, most, least);
        if (g.size() > best.grid.size()) best.nodes = std::move(nodes), best.grid = std::move(g);
        return best.grid.size() >= wanted;
    };
    if (!corners) {
        for (const bool bright : {false, true})
            if (consider(dotsOf(picture, bright))) break;
        return best;
    }
    // A level on which the board is some 600 to 1300 px wide first: quick, and noise is gone.
    int start = 1;
    while (std::max(picture.width, picture.height) / start > 1300) start *= 2;
    std::vector<int> scales{start};
    for (int up = start * 2, down = start / 2; down >= 1 || std::min(picture.width, picture.height) / up >= 100;
         up *= 2, down /= 2) {
        if (down >= 1) scales.push_back(down);
        if (std::min(picture.width, picture.height) / up >= 100) scales.push_back(up);
    }
    for (const int scale : scales) {
        const Plane p = scale == 1 ? full : planeOf(picture, scale);
        auto nodes = cornersOf(p, wanted);
        for (Node& n : nodes) n.at = p.toFull(n.at);
        if (consider(std::move(nodes))) break;
    }
    return best;
}

// Each point on the full picture; the window stops well before the nearest neighbour.
std::map<Index, Point> refined(const Candidate& best, const Plane& full, bool corners)
{
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
            if (fitCorner(full, fitted, n.first, n.second, radius) &&
                geometry::distance(fitted, p) < std::max(1.0, 0.15 * radius))
                p = fitted;
            else if (p.x < radius || p.y < radius || p.x > full.width - 1 - radius || p.y > full.height - 1 - radius)
                continue;
        } else if (!centreDot(full, p, n.size, gap, n.hollow)) {
            continue;
        }
        at[k] = p;
    }
    return at;
}

// Places in the grid that carry the orientation mark; of squares the corner with the smallest numbers.
std::vector<Index> marksOf(const Candidate& best, const std::map<Index, Point>& at, const Plane& full, bool corners)
{
    std::vector<Index> marks;
    for (const auto& [k, p] : at) {
        if (!corners) {
            if (best.nodes[std::size_t(best.grid.at(k))].hollow) marks.push_back(k);
            continue;
        }
        const auto b = at.find({k.first + 1, k.second}), c = at.find({k.first + 1, k.second + 1}),
                   d = at.find({k.first, k.second + 1});
        if (b == at.end() || c == at.end() || d == at.end()) continue;
        if (discInSquare(full, p, b->second, c->second, d->second)) marks.push_back(k);
    }
    return marks;
}

// One of the four ways to number a grid.
struct Way {
    Grid grid; // place → index of the point
    int shiftX = 0, shiftY = 0;
    double rank = 0; // the least is the best
    bool marked = false;
};
// Of all turns that fit the one the mark asks for, else the one whose (0, 0) lies nearest the upper left.
std::optional<Way> numbered(const Grid& placed, const std::vector<Point>& places, const std::vector<Index>& marks,
                            const Target& target)
{
    const bool corners = target.kind == TargetKind::Checkerboard;
    std::optional<Way> chosen;
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
                    const int mx = corners ? (target.columns - 1) / 2 : target.columns / 2,
                              my = corners ? (target.rows - 1) / 2 : target.rows / 2;
                    w.shiftX = mx - k.first, w.shiftY = my - k.second;
                    w.marked = w.shiftX >= 0 && w.shiftY >= 0 && w.shiftX + x.columns() <= target.columns &&
                               w.shiftY + x.rows() <= target.rows;
                }
        }
        // Where (0, 0) lies, or would lie, against the upper left; x should rather run to the right.
        Point corner{1e300, 1e300};
        double nearest = 1e300;
        for (const auto& [k, i] : g)
            if (const double d = double(k.first) * k.first + double(k.second) * k.second; d < nearest)
                nearest = d, corner = places[std::size_t(i)];
        Point along{0, 0};
        for (const auto& [k, i] : g)
            if (const auto next = g.find({k.first + 1, k.second}); next != g.end())
                along = along + (places[std::size_t(next->second)] - places[std::size_t(i)]);
        w.rank = geometry::length(corner);
        if (target.columns == target.rows ||
            (x.rows() <= target.columns && x.columns() <= target.rows && target.columns != target.rows &&
             (x.columns() < target.columns || x.rows() < target.rows)))
            w.rank += std::abs(along.x) > std::abs(along.y) ? 0 : 1e5; // both ways round would do
        if (w.marked) w.rank -= 1e9;
        if (!chosen || w.rank < chosen->rank) chosen = w;
    }
    return chosen;
}
} // namespace

namespace
{
// Beyond one border of a part of the grid: how far the alternation of dark and bright squares goes on as it began, 1
// for whole squares, 0 for halves.
double wholeBeyond(const Grid& grid, const std::vector<Node>& nodes, const Plane& plane, Index from, Index along,
                   Index inward, int count)
{
    const auto at = [&](int i, int in) -> std::optional<Point> {
        const auto it = grid.find(
            {from.first + along.first * i + inward.first * in, from.second + along.second * i + inward.second * in});
        return it == grid.end() ? std::nullopt : std::optional(nodes[std::size_t(it->second)].at);
    };
    const auto level = [&](Point p) -> std::optional<double> {
        const int x = int(std::lround(p.x)), y = int(std::lround(p.y));
        if (x < 0 || y < 0 || x >= plane.width || y >= plane.height) return std::nullopt;
        return double(plane.at(x, y));
    };
    double near = 0, far = 0;
    int seen = 0;
    for (int i = 0; i + 1 < count; ++i) {
        const auto a = at(i, 0), b = at(i + 1, 0), c = at(i, 1), d = at(i + 1, 1);
        if (!a || !b || !c || !d) continue;
        const Point middle = (*a + *b) * 0.5, out = middle - (*c + *d) * 0.5;
        const auto l = level(middle + out * 0.3), m = level(middle + out * 0.75);
        if (!l || !m) return 0; // the picture ends there
        near += (i % 2 ? -1 : 1) * *l, far += (i % 2 ? -1 : 1) * *m, ++seen;
    }
    return seen >= 2 && std::abs(near) > 1e-6 ? far / near : 0;
}
// A sheet may show half squares beyond the board: of a grid that is larger than asked for, the part with whole squares
// all round is the board. False when no part, or more than one, is.
bool cropToWhole(Grid& grid, const std::vector<Node>& nodes, const Plane& plane, const Target& target)
{
    const Extent e = extentOf(grid);
    struct Part {
        int x, y, columns, rows;
        double whole;
    };
    std::vector<Part> parts;
    for (const bool tall : {false, true}) {
        const int c = tall ? target.rows : target.columns, r = tall ? target.columns : target.rows;
        if (tall && target.columns == target.rows) break;
        if (c > e.columns() || r > e.rows() || e.columns() - c > 2 || e.rows() - r > 2) continue;
        for (int y = e.top; y + r - 1 <= e.bottom; ++y)
            for (int x = e.left; x + c - 1 <= e.right; ++x) {
                const double sides[] = {wholeBeyond(grid, nodes, plane, {x, y}, {1, 0}, {0, 1}, c),
                                        wholeBeyond(grid, nodes, plane, {x, y + r - 1}, {1, 0}, {0, -1}, c),
                                        wholeBeyond(grid, nodes, plane, {x, y}, {0, 1}, {1, 0}, r),
                                        wholeBeyond(grid, nodes, plane, {x + c - 1, y}, {0, 1}, {-1, 0}, r)};
                parts.push_back({x, y, c, r, *std::min_element(std::begin(sides), std::end(sides))});
            }
    }
    std::sort(parts.begin(), parts.end(), [](const Part& a, const Part& b) { return a.whole > b.whole; });
    if (parts.empty() || parts[0].whole < 0.6 || (parts.size() > 1 && parts[1].whole >= 0.6)) return false;
    Grid kept;
    for (const auto& [k, i] : grid)
        if (k.first >= parts[0].x && k.first < parts[0].x + parts[0].columns && k.second >= parts[0].y &&
            k.second < parts[0].y + parts[0].rows)
            kept[k] = i;
    grid = std::move(kept);
    return true;
}
} // namespace

base::Result<TargetFind> findTarget(const image::GreyView& picture, const Target& target)
{
    using base::ErrorCode;
    if (auto ok = target.check(); !ok) return base::passOn(ok.error());
    if (picture.width < 32 || picture.height < 32)
        return base::fail(ErrorCode::NoResult, "the picture is too small for a target");
    const bool corners = target.kind == TargetKind::Checkerboard;
    const Plane full = planeOf(picture, 1);
    Candidate best = seek(picture, full, target);
    const char* what = corners ? "corners" : "dots";
    std::string note;
    const Extent e = best.grid.empty() ? Extent{0, -1, 0, -1} : extentOf(best.grid);
    // Said the way round it was asked for.
    const bool tall = (e.columns() < e.rows()) != (target.columns < target.rows);
    const auto size = std::to_string(std::max(0, tall ? e.rows() : e.columns())) + " × " +
                      std::to_string(std::max(0, tall ? e.columns() : e.rows()));
    const auto asked = std::to_string(target.columns) + " × " + std::to_string(target.rows);
    if (best.grid.size() < 12 || e.columns() < 3 || e.rows() < 3)
        return base::fail(ErrorCode::NoResult, "no target: " + std::to_string(best.seen) + " " + what +
                                                   " were seen, at most " + std::to_string(best.grid.size()) +
                                                   " hang together in a grid; at least 4 × 3 are needed");
    if (std::max(e.columns(), e.rows()) > std::max(target.columns, target.rows) ||
        std::min(e.columns(), e.rows()) > std::min(target.columns, target.rows)) {
        if (!corners || !cropToWhole(best.grid, best.nodes, full, target))
            return base::fail(ErrorCode::NoResult, "a grid of " + size + " " + what + " was found, " + asked +
                                                       " are asked for: check columns and rows");
        note = "a grid of " + size + " corners was found; the " + asked + " with whole squares all round are taken";
    }

    const std::map<Index, Point> at = refined(best, full, corners);
    if (at.size() < 12)
        return base::fail(ErrorCode::NoResult, "only " + std::to_string(at.size()) + " " + what + " could be placed");
    Grid placed;
    std::vector<Point> places;
    for (const auto& [k, p] : at) placed[k] = int(places.size()), places.push_back(p);
    const auto way = numbered(placed, places, marksOf(best, at, full, corners), target);
    if (!way)
        return base::fail(ErrorCode::NoResult,
                          "a grid of " + size + " " + what + " was found; it fits " + asked + " in no direction");
    TargetFind out;
    for (const auto& [k, i] : way->grid)
        out.points.push_back({k.first + (way->marked ? way->shiftX : 0), k.second + (way->marked ? way->shiftY : 0),
                              places[std::size_t(i)]});
    std::sort(out.points.begin(), out.points.end(), [](const TargetPoint& a, const TargetPoint& b) {
        return a.row != b.row ? a.row < b.row : a.column < b.column;
    });
    out.marked = way->marked;
    out.note = std::move(note);
    out.whole = out.points.size() == std::size_t(target.columns) * std::size_t(target.rows);
    return out;
}

namespace
{
// Three hollow dots in an L, whichever way it is turned.
bool hasMark(const std::vector<Node>& nodes, const Grid& g)
{
    std::vector<Index> hollow;
    for (const auto& [k, i] : g)
        if (nodes[std::size_t(i)].hollow) hollow.push_back(k);
    if (hollow.size() != 3) return false;
    const auto [left, right] = std::minmax({hollow[0].first, hollow[1].first, hollow[2].first});
    const auto [top, bottom] = std::minmax({hollow[0].second, hollow[1].second, hollow[2].second});
    return right - left == 1 && bottom - top == 1;
}
} // namespace

bool looksLikeTarget(const image::GreyView& picture)
{
    int scale = 1;
    while (std::max(picture.width, picture.height) / scale > 800) scale *= 2;
    if (picture.width / scale < 40 || picture.height / scale < 40) return false;
    const Plane p = planeOf(picture, scale);
    const auto wide = [](const Grid& g, const Extent& e) {
        return g.size() >= 24 && e.columns() >= 4 && e.rows() >= 4 && double(g.size()) > 0.6 * e.columns() * e.rows();
    };
    const Grid corners = growGrid(cornersOf(p, 60), true, 100000);
    if (!corners.empty() && wide(corners, extentOf(corners))) return true;
    // Dots: parts have rows of holes too, so either the mark is seen or a great many fill the picture.
    image::Image small(p.width, p.height, image::PixelFormat::Grey8);
    for (int y = 0; y < p.height; ++y)
        for (int x = 0; x < p.width; ++x) small.row(y)[x] = std::uint8_t(std::clamp(p.at(x, y) + 0.5f, 0.f, 255.f));
    for (const bool bright : {false, true}) {
        const std::vector<Node> nodes = dotsOf(small.grey(), bright);
        const Grid g = growGrid(nodes, false, 100000);
        if (g.empty() || !wide(g, extentOf(g))) continue;
        double left = 1e300, right = -1e300, top = 1e300, bottom = -1e300;
        for (const auto& [k, i] : g) {
            const Point at = nodes[std::size_t(i)].at;
            left = std::min(left, at.x), right = std::max(right, at.x), top = std::min(top, at.y),
            bottom = std::max(bottom, at.y);
        }
        if (hasMark(nodes, g) || (g.size() >= 100 && (right - left) * (bottom - top) > 0.5 * p.width * p.height))
            return true;
    }
    return false;
}

} // namespace vision

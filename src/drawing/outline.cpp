#include "drawing/outline.h"

#include <algorithm>
#include <unordered_map>

namespace drawing
{
using base::ErrorCode;
using base::fail;
using geometry::kPi;
using geometry::Point;

namespace
{
constexpr double kSharp = geometry::radians(8.0); // a joint that turns more is a corner
constexpr double kPieceSharp = geometry::radians(20.0);

// Points of a plane in square cells, to find those near a place.
class Near
{
public:
    explicit Near(double cell) : m_cell(cell) {}
    void add(Point p, int item) { m_cells[key(std::floor(p.x / m_cell), std::floor(p.y / m_cell))].push_back(item); }
    template <class F> void around(Point p, F&& f) const
    {
        const double x = std::floor(p.x / m_cell), y = std::floor(p.y / m_cell);
        for (int dy = -1; dy <= 1; ++dy)
            for (int dx = -1; dx <= 1; ++dx)
                if (const auto it = m_cells.find(key(x + dx, y + dy)); it != m_cells.end())
                    for (const int item : it->second) f(item);
    }

private:
    static std::uint64_t key(double x, double y)
    {
        return (std::uint64_t(std::int64_t(x)) << 32) ^ (std::uint64_t(std::int64_t(y)) & 0xffffffffu);
    }
    double m_cell;
    std::unordered_map<std::uint64_t, std::vector<int>> m_cells;
};

bool sameElement(const Element& a, const Element& b, double reach)
{
    if (a.arc != b.arc) return false;
    const auto near = [&](Point p, Point q) { return geometry::distance(p, q) <= reach; };
    if (!a.arc) return (near(a.from, b.from) && near(a.to, b.to)) || (near(a.from, b.to) && near(a.to, b.from));
    if (!near(a.centre, b.centre) || std::abs(a.radius - b.radius) > reach) return false;
    if (a.whole() || b.whole()) return a.whole() == b.whole();
    return near(a.from, b.from) && near(a.to, b.to) && std::abs(a.sweep - b.sweep) * a.radius <= 2 * reach;
}
Point middleOf(const Element& e) { return e.whole() ? e.centre : e.at(e.length() / 2); }
Point startOf(const Element& e, bool reversed) { return reversed ? e.to : e.from; }
Point endOf(const Element& e, bool reversed) { return reversed ? e.from : e.to; }
Point wayAt(const Element& e, bool reversed, double mm) // mm from where the side begins
{
    const Point d = e.along(reversed ? e.length() - mm : mm);
    return reversed ? d * -1 : d;
}
// Twice the signed area under a side about the origin, and its share of the moment; y down.
struct Moments {
    double area = 0;
    Point first;
};
void addTo(Moments& m, Point a, Point b)
{
    const double c = geometry::cross(a, b);
    m.area += c / 2;
    m.first = m.first + (a + b) * (c / 6);
}
void addTo(Moments& m, const Element& e, bool reversed, Point about)
{
    if (!e.arc) return addTo(m, startOf(e, reversed) - about, endOf(e, reversed) - about);
    const int n = std::max(2, int(e.sweep / 0.02));
    for (int i = 0; i < n; ++i) {
        const double s = e.length() * i / n, t = e.length() * (i + 1) / n;
        const Point a = e.at(reversed ? e.length() - s : s), b = e.at(reversed ? e.length() - t : t);
        addTo(m, a - about, b - about);
    }
}
} // namespace

base::Result<Outline> Outline::make(const Drawing& drawing, const OutlineSettings& settings)
{
    Outline out;
    out.m_elements = drawing.elements;
    const std::size_t n = out.m_elements.size();
    std::vector<int> in;
    bool any = false;
    for (std::size_t i = 0; i < n; ++i) {
        const std::string& layer = drawing.layers[std::size_t(out.m_elements[i].layer)].name;
        if (std::find(settings.layersOff.begin(), settings.layersOff.end(), layer) != settings.layersOff.end())
            continue;
        any = true;
        in.push_back(int(i));
    }
    if (!any) return fail(ErrorCode::NotFound, "every layer of the drawing is left out");
    // What is drawn twice counts once.
    const double reach = std::max(settings.join, 1e-9);
    Near middles(reach * 4);
    std::vector<int> once;
    for (const int i : in) {
        const Element& e = out.m_elements[std::size_t(i)];
        bool twice = false;
        middles.around(middleOf(e),
                       [&](int k) { twice = twice || sameElement(e, out.m_elements[std::size_t(k)], reach); });
        if (twice) {
            ++out.m_doubles;
            continue;
        }
        middles.add(middleOf(e), i);
        once.push_back(i);
    }
    out.m_loopOf.assign(n, -1);
    out.m_sideOf.assign(n, -1);
    out.join(std::move(once), reach);
    if (out.m_loops.empty())
        return fail(ErrorCode::NotFound, "nothing of the drawing closes to an outline: " +
                                             std::to_string(out.m_open.size()) + " lines and arcs have open ends");
    out.nest();
    out.finish();
    return out;
}

void Outline::join(std::vector<int> in, double reach)
{
    Near ends(reach * 2);
    for (const int i : in) {
        const Element& e = m_elements[std::size_t(i)];
        if (e.whole()) continue;
        ends.add(e.from, i);
        ends.add(e.to, i);
    }
    // A walk from element to element; where it meets itself a loop is taken out of it, where it leads nowhere its last
    // element is given up.
    std::vector<bool> used(m_elements.size(), false);
    std::vector<int> walked(m_elements.size(), -1); // place in the walk
    std::vector<Side> walk;
    const auto drop = [&](std::size_t from) {
        for (std::size_t i = from; i < walk.size(); ++i) walked[std::size_t(walk[i].element)] = -1;
        walk.resize(from);
    };
    const auto onwards = [&](Point end, Point way) {
        Side best{-1, false, 0};
        double straight = -2;
        ends.around(end, [&](int k) {
            if (used[std::size_t(k)]) return;
            const Element& c = m_elements[std::size_t(k)];
            for (const bool reversed : {false, true}) {
                if (geometry::distance(startOf(c, reversed), end) > reach) continue;
                const double s = geometry::dot(way, wayAt(c, reversed, 0));
                if (s > straight) {
                    straight = s;
                    best = {k, reversed, 0};
                }
            }
        });
        return best;
    };
    const auto met = [&](Point end) {
        int at = -1;
        ends.around(end, [&](int k) {
            const int place = walked[std::size_t(k)];
            if (place < 0 || place <= at) return;
            const Side& s = walk[std::size_t(place)];
            // A line must not close on its own start.
            if (std::size_t(place) + 1 == walk.size() && !m_elements[std::size_t(k)].arc) return;
            if (geometry::distance(startOf(m_elements[std::size_t(k)], s.reversed), end) <= reach) at = place;
        });
        return at;
    };
    for (const int first : in) {
        if (used[std::size_t(first)]) continue;
        used[std::size_t(first)] = true;
        if (m_elements[std::size_t(first)].whole()) {
            m_loops.emplace_back().sides.push_back({first, false, 0});
            continue;
        }
        walk.push_back({first, false, 0});
        walked[std::size_t(first)] = 0;
        while (!walk.empty()) {
            const Side last = walk.back();
            const Element& e = m_elements[std::size_t(last.element)];
            const Point end = endOf(e, last.reversed);
            if (const int at = met(end); at >= 0) {
                m_loops.emplace_back().sides.assign(walk.begin() + at, walk.end());
                drop(std::size_t(at));
                continue;
            }
            Side next = onwards(end, wayAt(e, last.reversed, e.length()));
            if (next.element < 0) {
                m_open.push_back(last.element);
                drop(walk.size() - 1);
                continue;
            }
            used[std::size_t(next.element)] = true;
            walked[std::size_t(next.element)] = int(walk.size());
            walk.push_back(next);
        }
    }
}

// Which loops lie in which, and which way round they run.
void Outline::nest()
{
    const std::size_t n = m_loops.size();
    std::vector<std::vector<Point>> polygons(n);
    for (std::size_t i = 0; i < n; ++i) {
        Loop& loop = m_loops[i];
        Moments m;
        const Point about = m_elements[std::size_t(loop.sides.front().element)].from;
        std::vector<Element> own;
        for (const Side& s : loop.sides) {
            const Element& e = m_elements[std::size_t(s.element)];
            addTo(m, e, s.reversed, about);
            own.push_back(e);
            const int pieces = e.arc ? std::max(2, int(e.sweep / 0.1)) : 1;
            for (int k = 0; k < pieces; ++k) {
                const double mm = e.length() * k / pieces;
                polygons[i].push_back(e.at(s.reversed ? e.length() - mm : mm));
            }
        }
        loop.box = boxOf(own);
        loop.area = m.area; // signed for now
        loop.centre = m.area != 0 ? about + m.first * (1 / m.area) : about;
    }
    const auto inside = [](const std::vector<Point>& polygon, Point p) {
        bool in = false;
        for (std::size_t i = 0, j = polygon.size() - 1; i < polygon.size(); j = i++) {
            const Point a = polygon[i], b = polygon[j];
            if ((a.y > p.y) != (b.y > p.y) && p.x < (b.x - a.x) * (p.y - a.y) / (b.y - a.y) + a.x) in = !in;
        }
        return in;
    };
    // By cells, so that only loops whose boxes reach a place are asked.
    Box all;
    for (const Loop& l : m_loops) {
        all.add({l.box.left, l.box.bottom});
        all.add({l.box.right, l.box.top});
    }
    const int side = std::clamp(int(std::sqrt(double(n))), 1, 256);
    const auto cellOf = [&](double v, double low, double wide) {
        return std::clamp(int((v - low) / std::max(wide, 1e-12) * side), 0, side - 1);
    };
    std::vector<std::vector<std::size_t>> cells(std::size_t(side) * std::size_t(side));
    for (std::size_t i = 0; i < n; ++i) {
        const Box& box = m_loops[i].box;
        for (int y = cellOf(box.bottom, all.bottom, all.height()); y <= cellOf(box.top, all.bottom, all.height()); ++y)
            for (int x = cellOf(box.left, all.left, all.width()); x <= cellOf(box.right, all.left, all.width()); ++x)
                cells[std::size_t(y) * std::size_t(side) + std::size_t(x)].push_back(i);
    }
    for (std::size_t i = 0; i < n; ++i) {
        Loop& loop = m_loops[i];
        const Element& e = m_elements[std::size_t(loop.sides.front().element)];
        const Point p = e.at(e.length() * 0.5);
        const DrawnPoint d = drawn(p);
        const int x = cellOf(d.x, all.left, all.width()), y = cellOf(d.y, all.bottom, all.height());
        for (const std::size_t k : cells[std::size_t(y) * std::size_t(side) + std::size_t(x)]) {
            const Loop& round = m_loops[k];
            if (k == i || round.box.left > d.x || round.box.right < d.x || round.box.bottom > d.y ||
                round.box.top < d.y)
                continue;
            if (std::abs(round.area) <= std::abs(loop.area)) continue;
            if (inside(polygons[k], p)) ++loop.depth;
        }
    }
    for (Loop& loop : m_loops) {
        loop.hole = loop.depth % 2 == 1;
        // y down: a positive area runs clockwise as seen.
        const bool clockwise = loop.area > 0;
        loop.area = std::abs(loop.area);
        if (clockwise == loop.hole) continue;
        std::reverse(loop.sides.begin(), loop.sides.end());
        for (Side& s : loop.sides) s.reversed = !s.reversed;
    }
    // The largest first; holes by their place.
    std::stable_sort(m_loops.begin(), m_loops.end(), [](const Loop& a, const Loop& b) {
        if (a.depth != b.depth) return a.depth < b.depth;
        return a.depth == 0 && a.area > b.area;
    });
}

void Outline::finish()
{
    m_corners.assign(m_loops.size(), {});
    m_box = {};
    Moments all;
    for (std::size_t l = 0; l < m_loops.size(); ++l) {
        Loop& loop = m_loops[l];
        double at = 0;
        bool round = true;
        const Element& first = m_elements[std::size_t(loop.sides.front().element)];
        for (std::size_t k = 0; k < loop.sides.size(); ++k) {
            Side& s = loop.sides[k];
            const Element& e = m_elements[std::size_t(s.element)];
            m_loopOf[std::size_t(s.element)] = int(l);
            m_sideOf[std::size_t(s.element)] = int(k);
            s.start = at;
            at += e.length();
            round = round && e.arc && geometry::distance(e.centre, first.centre) < 1e-3 &&
                    std::abs(e.radius - first.radius) < 1e-3;
        }
        loop.length = at;
        loop.round.reset();
        if (round) loop.round = geometry::Circle{first.centre, first.radius};
        const std::size_t n = loop.sides.size();
        for (std::size_t k = 0; k < n && !(n == 1 && first.whole()); ++k) {
            const Side &s = loop.sides[k], &before = loop.sides[(k + n - 1) % n];
            const Element &e = m_elements[std::size_t(s.element)], &b = m_elements[std::size_t(before.element)];
            const Point in = wayAt(b, before.reversed, b.length()), out = wayAt(e, s.reversed, 0);
            const double turn = std::abs(std::atan2(geometry::cross(in, out), geometry::dot(in, out)));
            const bool pieces = b.piece && e.piece && b.entity == e.entity;
            if (turn > (pieces ? kPieceSharp : kSharp)) m_corners[l].push_back(s.start);
        }
        m_box.add({loop.box.left, loop.box.bottom});
        m_box.add({loop.box.right, loop.box.top});
        const double sign = loop.hole ? -1 : 1;
        all.area += sign * loop.area;
        all.first = all.first + loop.centre * (sign * loop.area);
    }
    m_centre = all.area > 0 ? all.first * (1 / all.area) : m_loops.front().centre;
    buildGrid();
}

void Outline::buildGrid()
{
    const double span = std::max({m_box.width(), m_box.height(), 1e-6});
    const double side = std::clamp(std::sqrt(double(m_elements.size())) * 4, 64.0, 1024.0);
    m_cell = span / side;
    m_corner = sheet({m_box.left, m_box.top});
    m_columns = int(m_box.width() / m_cell) + 2;
    m_rows = int(m_box.height() / m_cell) + 2;
    std::vector<std::pair<int, int>> items; // cell, element
    for (const Loop& loop : m_loops)
        for (const Side& s : loop.sides) {
            const Element& e = m_elements[std::size_t(s.element)];
            const int n = std::max(1, int(std::ceil(e.length() / (m_cell / 2))));
            int last = -1;
            for (int i = 0; i <= n; ++i) {
                const Point p = e.at(e.length() * i / n);
                const int x = std::clamp(int((p.x - m_corner.x) / m_cell), 0, m_columns - 1);
                const int y = std::clamp(int((p.y - m_corner.y) / m_cell), 0, m_rows - 1);
                const int cell = y * m_columns + x;
                if (cell == last) continue;
                last = cell;
                items.emplace_back(cell, s.element);
            }
        }
    std::sort(items.begin(), items.end());
    items.erase(std::unique(items.begin(), items.end()), items.end());
    m_cellStart.assign(std::size_t(m_columns) * std::size_t(m_rows) + 1, 0);
    m_cellItems.clear();
    m_cellItems.reserve(items.size());
    for (const auto& [cell, element] : items) {
        ++m_cellStart[std::size_t(cell) + 1];
        m_cellItems.push_back(element);
    }
    for (std::size_t i = 1; i < m_cellStart.size(); ++i) m_cellStart[i] += m_cellStart[i - 1];
}

double Outline::length() const
{
    double sum = 0;
    for (const Loop& l : m_loops) sum += l.length;
    return sum;
}

Point Outline::normalOf(const Side& side, double mm) const
{
    const Point way = wayAt(m_elements[std::size_t(side.element)], side.reversed, mm);
    return geometry::leftOf(way) * -1;
}
double Outline::gapOf(int loop, double along) const
{
    const auto& corners = m_corners[std::size_t(loop)];
    const double whole = m_loops[std::size_t(loop)].length;
    if (corners.empty()) return whole;
    const auto after = std::lower_bound(corners.begin(), corners.end(), along);
    const double up = after == corners.end() ? corners.front() + whole - along : *after - along;
    const double down = after == corners.begin() ? along - (corners.back() - whole) : along - *std::prev(after);
    return std::min(up, down);
}
Outline::Foot Outline::footAt(int loop, std::size_t side, double mm) const
{
    const Side& s = m_loops[std::size_t(loop)].sides[side];
    const Element& e = m_elements[std::size_t(s.element)];
    Foot f;
    f.element = s.element;
    f.loop = loop;
    f.at = e.at(s.reversed ? e.length() - mm : mm);
    f.outward = normalOf(s, mm);
    f.along = s.start + mm;
    f.curvature = s.reversed ? -e.curvature : e.curvature;
    f.cornerGap = gapOf(loop, f.along);
    return f;
}
Outline::Foot Outline::at(int loop, double along) const
{
    const Loop& l = m_loops[std::size_t(loop)];
    along = std::fmod(along, l.length);
    if (along < 0) along += l.length;
    auto it =
        std::upper_bound(l.sides.begin(), l.sides.end(), along, [](double v, const Side& s) { return v < s.start; });
    const auto side = std::size_t(std::max<std::ptrdiff_t>(0, it - l.sides.begin() - 1));
    const Side& s = l.sides[side];
    return footAt(loop, side, std::min(along - s.start, m_elements[std::size_t(s.element)].length()));
}

std::optional<Outline::Foot> Outline::nearest(Point p, double reach) const
{
    const int cx = int(std::floor((p.x - m_corner.x) / m_cell)), cy = int(std::floor((p.y - m_corner.y) / m_cell));
    // Rings of cells outwards; an element is at most a cell away from those it is listed in.
    const int far = std::max({std::abs(cx), std::abs(cy), std::abs(m_columns - 1 - cx), std::abs(m_rows - 1 - cy)});
    const int most = int(std::min(double(far), reach / m_cell + 2));
    int best = -1;
    double bestDistance = reach;
    const auto look = [&](int x, int y) {
        if (x < 0 || y < 0 || x >= m_columns || y >= m_rows) return;
        const auto cell = std::size_t(y) * std::size_t(m_columns) + std::size_t(x);
        for (int i = m_cellStart[cell]; i < m_cellStart[cell + 1]; ++i) {
            const int k = m_cellItems[std::size_t(i)];
            const double d = m_elements[std::size_t(k)].distanceTo(p);
            if (d < bestDistance || (best < 0 && d <= bestDistance)) bestDistance = d, best = k;
        }
    };
    for (int r = 0; r <= most; ++r) {
        if (best >= 0 && (r - 2) * m_cell > bestDistance) break;
        if (r == 0) {
            look(cx, cy);
            continue;
        }
        for (int x = cx - r; x <= cx + r; ++x) {
            look(x, cy - r);
            look(x, cy + r);
        }
        for (int y = cy - r + 1; y < cy + r; ++y) {
            look(cx - r, y);
            look(cx + r, y);
        }
    }
    if (best < 0) return {};
    const int loop = m_loopOf[std::size_t(best)];
    const auto side = std::size_t(m_sideOf[std::size_t(best)]);
    const Loop& l = m_loops[std::size_t(loop)];
    const Side& s = l.sides[side];
    const Element& e = m_elements[std::size_t(best)];
    const Point at = e.nearest(p);
    double mm = 0;
    if (!e.arc) mm = geometry::distance(at, e.from);
    else {
        double turn = std::fmod(geometry::angleOf(at - e.centre) - e.start, 2 * kPi);
        if (turn < 0) turn += 2 * kPi;
        mm = std::min(turn * e.radius, e.length());
        if (!e.whole() && geometry::distance(at, e.from) < geometry::distance(at, e.to) && mm > e.length() * 0.75)
            mm = 0;
    }
    if (s.reversed) mm = e.length() - mm;
    Foot f = footAt(loop, side, mm);
    const double end = e.length(), tiny = 1e-9 + end * 1e-9;
    Point outward = f.outward;
    const std::size_t n = l.sides.size();
    if (!e.whole() && (mm <= tiny || mm >= end - tiny)) {
        const Side& beside = l.sides[(side + (mm <= tiny ? n - 1 : 1)) % n];
        const double there = mm <= tiny ? m_elements[std::size_t(beside.element)].length() : 0;
        const Point other = normalOf(beside, there);
        f.atCorner = f.cornerGap < 1e-6;
        outward = outward + other;
        if (geometry::length(outward) > 1e-9) f.outward = geometry::unit(outward);
    }
    f.offset = geometry::dot(p - f.at, outward) >= 0 ? bestDistance : -bestDistance;
    return f;
}

std::vector<Outline::Foot> Outline::stations(double spacing, int least) const
{
    std::vector<Foot> out;
    for (std::size_t l = 0; l < m_loops.size(); ++l) {
        const Loop& loop = m_loops[l];
        const int n = std::max(least, int(std::ceil(loop.length / spacing)));
        std::size_t side = 0;
        for (int i = 0; i < n; ++i) {
            const double along = loop.length * (i + 0.5) / n;
            while (side + 1 < loop.sides.size() && loop.sides[side + 1].start <= along) ++side;
            out.push_back(footAt(int(l), side, along - loop.sides[side].start));
        }
    }
    return out;
}

std::vector<Point> Outline::polygon(int loop, double error) const
{
    std::vector<Point> out;
    for (const Side& s : m_loops[std::size_t(loop)].sides) {
        const Element& e = m_elements[std::size_t(s.element)];
        int n = 1;
        if (e.arc) {
            const double step = 2 * std::acos(std::clamp(1 - error / e.radius, -1.0, 1.0));
            n = std::clamp(int(std::ceil(e.sweep / std::max(step, 1e-4))), 2, 100000);
        }
        for (int i = 0; i < n; ++i) {
            const double mm = e.length() * i / n;
            out.push_back(e.at(s.reversed ? e.length() - mm : mm));
        }
    }
    return out;
}

Outline Outline::mirrored() const
{
    Outline out = *this;
    for (Element& e : out.m_elements) {
        const Point from{-e.from.x, e.from.y}, to{-e.to.x, e.to.y};
        Element m = lineElement(from, to);
        if (e.arc) m = arcElement({-e.centre.x, e.centre.y}, e.radius, kPi - (e.start + e.sweep), e.sweep);
        m.layer = e.layer;
        m.entity = e.entity;
        m.piece = e.piece;
        m.curvature = e.arc ? e.curvature : -e.curvature;
        e = m;
    }
    for (Loop& l : out.m_loops) {
        l.centre.x = -l.centre.x;
        const double left = l.box.left;
        l.box.left = -l.box.right;
        l.box.right = -left;
        // A mirrored arc runs from its other end already.
        std::reverse(l.sides.begin(), l.sides.end());
        for (Side& s : l.sides)
            if (!m_elements[std::size_t(s.element)].arc) s.reversed = !s.reversed;
    }
    out.finish();
    return out;
}

} // namespace drawing

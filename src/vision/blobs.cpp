#include "vision/blobs.h"

#include <algorithm>
#include <cstring>
#include <map>

namespace vision
{
using geometry::Point;
using geometry::Span;

namespace
{

// Runs of one span: the row is compared to bytes 0/1 (vectorised), then walked eight at a time.
template <class T> void runsOf(const T* row, const Span& s, unsigned low, unsigned range, std::vector<std::uint8_t>& mask, std::vector<Run>& out)
{
    const int n = s.to - s.from;
    mask.resize(std::size_t(n) + 8);
    const T* p = row + s.from;
    for (int i = 0; i < n; ++i) mask[std::size_t(i)] = std::uint8_t(T(p[i] - T(low)) <= T(range));
    int i = 0, start = -1;
    while (i < n) {
        if (i + 8 <= n) {
            std::uint64_t word = 0;
            std::memcpy(&word, mask.data() + i, 8);
            if ((start < 0 && word == 0) || (start >= 0 && word == 0x0101010101010101ULL)) {
                i += 8;
                continue;
            }
        }
        const int stop = std::min(n, i + 8);
        for (; i < stop; ++i) {
            if (mask[std::size_t(i)] && start < 0) start = i;
            if (!mask[std::size_t(i)] && start >= 0) out.push_back({s.y, s.from + start, s.from + i}), start = -1;
        }
    }
    if (start >= 0) out.push_back({s.y, s.from + start, s.from + n});
}

// Runs of neighbouring spans of one row that touch are one run (a ring's two halves never do).
std::vector<Run> thresholdRuns(const image::GreyView& picture, const std::vector<Span>& region, double low, double high)
{
    std::vector<Run> runs;
    picture.visit([&](auto v) {
        using T = typename decltype(v)::Sample;
        const double lowest = std::ceil(std::max(0.0, low) / v.levelsPerStep - 1e-9),
                     highest = std::floor(std::min(255.0, high) / v.levelsPerStep + 1e-9);
        if (highest < lowest) return;
        std::vector<std::uint8_t> mask;
        for (const Span& s : region) runsOf<T>(v.row(s.y), s, unsigned(lowest), unsigned(highest - lowest), mask, runs);
    });
    return runs;
}

// Labels runs by union-find; reach 1 joins diagonal neighbours, 0 only edges. Labels are numbered by first run.
int label(std::vector<Run>& runs, int reach)
{
    std::vector<int> parent(runs.size());
    for (std::size_t i = 0; i < runs.size(); ++i) parent[i] = int(i);
    const auto find = [&](int a) {
        while (parent[std::size_t(a)] != a) a = parent[std::size_t(a)] = parent[std::size_t(parent[std::size_t(a)])];
        return a;
    };
    std::size_t above = 0;
    for (std::size_t i = 0; i < runs.size(); ++i) {
        const Run& r = runs[i];
        while (above < i && (runs[above].y < r.y - 1 || (runs[above].y == r.y - 1 && runs[above].to + reach <= r.from))) ++above;
        for (std::size_t k = above; k < i && runs[k].y == r.y - 1 && runs[k].from < r.to + reach; ++k) {
            const int a = find(int(k)), b = find(int(i));
            if (a != b) parent[std::size_t(std::max(a, b))] = std::min(a, b);
        }
    }
    int n = 0;
    for (std::size_t i = 0; i < runs.size(); ++i) {
        const int root = find(int(i));
        runs[i].blob = root == int(i) ? n++ : runs[std::size_t(root)].blob;
    }
    return n;
}

// Answers whether a pixel run leaves the region on any side.
class Border
{
public:
    explicit Border(const std::vector<Span>& region) : m_region(region)
    {
        for (std::size_t i = 0; i < region.size(); ++i)
            if (i == 0 || region[i].y != region[i - 1].y) m_rows[region[i].y] = i;
    }
    bool touches(const Run& r) const
    {
        return !covered(r.y, r.from - 1, r.to + 1) || !covered(r.y - 1, r.from, r.to) || !covered(r.y + 1, r.from, r.to);
    }

private:
    bool covered(int y, int from, int to) const
    {
        const auto it = m_rows.find(y);
        if (it == m_rows.end()) return false;
        for (std::size_t i = it->second; i < m_region.size() && m_region[i].y == y; ++i)
            if (m_region[i].from <= from && m_region[i].to >= to) return true;
        return false;
    }
    const std::vector<Span>& m_region;
    std::map<int, std::size_t> m_rows;
};

// What the runs leave over of the region.
std::vector<Run> complement(const std::vector<Run>& runs, const std::vector<Span>& region)
{
    std::vector<Run> out;
    std::size_t k = 0;
    for (const Span& s : region) {
        int at = s.from;
        for (; k < runs.size() && runs[k].y == s.y && runs[k].to <= s.to && runs[k].from >= s.from; ++k) {
            if (runs[k].from > at) out.push_back({s.y, at, runs[k].from});
            at = runs[k].to;
        }
        if (at < s.to) out.push_back({s.y, at, s.to});
    }
    return out;
}

void fillHoles(std::vector<Run>& runs, const std::vector<Span>& region, const Border& border)
{
    std::vector<Run> rest = complement(runs, region);
    const int n = label(rest, 0);
    std::vector<bool> open(std::size_t(n), false);
    for (const Run& r : rest)
        if (!open[std::size_t(r.blob)] && border.touches(r)) open[std::size_t(r.blob)] = true;
    for (const Run& r : rest)
        if (!open[std::size_t(r.blob)]) runs.push_back({r.y, r.from, r.to});
    std::sort(runs.begin(), runs.end(), [](const Run& a, const Run& b) { return a.y != b.y ? a.y < b.y : a.from < b.from; });
    std::vector<Run> joined;
    for (const Run& r : runs) {
        if (!joined.empty() && joined.back().y == r.y && joined.back().to == r.from) joined.back().to = r.to;
        else joined.push_back(r);
    }
    runs = std::move(joined);
}

struct Moments {
    double n = 0, x = 0, y = 0, xx = 0, xy = 0, yy = 0;
};
// Sums over x = from .. to-1 in closed form, taken about a near origin so that nothing is lost to cancellation.
void add(Moments& m, const Run& r, double ox, double oy)
{
    const double n = r.to - r.from, a = r.from - ox, b = r.to - 1 - ox, y = r.y - oy;
    const double sx = n * (a + b) / 2;
    const double sxx = n * a * a + a * n * (n - 1) + n * (n - 1) * (2 * n - 1) / 6;
    m.n += n, m.x += sx, m.y += n * y, m.xx += sxx, m.xy += y * sx, m.yy += n * y * y;
}
} // namespace

BlobList findBlobs(const image::GreyView& picture, const geometry::Region& region, const BlobOptions& o)
{
    BlobList out;
    const std::vector<Span> where = geometry::spans(region, picture.width, picture.height);
    out.runs = thresholdRuns(picture, where, o.low, o.high);
    const Border border(where);
    if (o.fillHoles) fillHoles(out.runs, where, border);
    const int n = label(out.runs, 1);
    std::vector<Blob> all{std::size_t(n)};
    std::vector<Moments> moments{std::size_t(n)};
    for (std::size_t i = 0; i < out.runs.size(); ++i) {
        const Run& r = out.runs[i];
        Blob& b = all[std::size_t(r.blob)];
        if (b.firstRun < 0) {
            b.firstRun = int(i);
            b.left = r.from, b.right = r.to - 1, b.top = b.bottom = r.y;
        }
        b.left = std::min(b.left, r.from), b.right = std::max(b.right, r.to - 1), b.bottom = r.y;
        const Run& first = out.runs[std::size_t(b.firstRun)];
        add(moments[std::size_t(r.blob)], r, first.from, first.y);
        if (!b.touchesBorder && border.touches(r)) b.touchesBorder = true;
    }
    std::vector<int> renumbered(std::size_t(n), -1);
    for (int i = 0; i < n; ++i) {
        Blob& b = all[std::size_t(i)];
        const Moments& m = moments[std::size_t(i)];
        const Run& first = out.runs[std::size_t(b.firstRun)];
        if (m.n < o.leastArea || (o.dropBorder && b.touchesBorder)) continue;
        b.area = m.n;
        const double mx = m.x / m.n, my = m.y / m.n;
        b.centroid = {first.from + mx, first.y + my};
        const double xx = m.xx / m.n - mx * mx + 1.0 / 12, yy = m.yy / m.n - my * my + 1.0 / 12, xy = m.xy / m.n - mx * my;
        const double mid = (xx + yy) / 2, spread = std::hypot((xx - yy) / 2, xy);
        b.major = 4 * std::sqrt(mid + spread), b.minor = 4 * std::sqrt(std::max(0.0, mid - spread));
        b.angle = geometry::wrapped(-0.5 * std::atan2(2 * xy, xx - yy));
        renumbered[std::size_t(i)] = int(out.blobs.size());
        out.blobs.push_back(b);
    }
    for (Run& r : out.runs) r.blob = renumbered[std::size_t(r.blob)];
    return out;
}

std::vector<std::vector<Point>> outlines(const BlobList& list, int blob)
{
    // Border edges between a pixel of the blob and one that is not, joined end to end; inside lies to the right of the way.
    std::map<int, std::vector<std::pair<int, int>>> rows;
    for (const Run& r : list.runs)
        if (r.blob == blob) rows[r.y].push_back({r.from, r.to});
    std::multimap<std::pair<int, int>, std::pair<int, int>> next; // corner (y, x) → corner
    const auto within = [&](int y, int x) {
        const auto it = rows.find(y);
        if (it == rows.end()) return false;
        for (const auto& [a, b] : it->second)
            if (x >= a && x < b) return true;
        return false;
    };
    for (const auto& [y, spans] : rows)
        for (const auto& [a, b] : spans) {
            next.insert({{y + 1, a}, {y, a}});
            next.insert({{y, b}, {y + 1, b}});
            for (int x = a; x < b; ++x) {
                if (!within(y - 1, x)) next.insert({{y, x}, {y, x + 1}});
                if (!within(y + 1, x)) next.insert({{y + 1, x + 1}, {y + 1, x}});
            }
        }
    std::vector<std::vector<Point>> out;
    while (!next.empty()) {
        std::vector<Point> loop;
        auto at = next.begin()->first;
        const auto start = at;
        std::pair<int, int> before{0, 0};
        do {
            const auto [lo, hi] = next.equal_range(at);
            if (lo == hi) break;
            auto take = lo;
            // At a corner where two pixels meet diagonally, turn so that they stay one object.
            for (auto it = lo; it != hi; ++it) {
                const std::pair<int, int> step{it->second.first - at.first, it->second.second - at.second};
                if (before.first * step.second - before.second * step.first > 0) take = it;
            }
            const std::pair<int, int> step{take->second.first - at.first, take->second.second - at.second};
            if (step != before) loop.push_back({at.second - 0.5, at.first - 0.5});
            before = step;
            at = take->second;
            next.erase(take);
        } while (at != start);
        out.push_back(std::move(loop));
    }
    return out;
}

} // namespace vision

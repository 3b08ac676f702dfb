#include "vision/blobs.h"

#include "vision/simd/kernels.h"

#include <algorithm>
#include <bit>
#include <cstring>
#include <queue>

namespace vision
{
using geometry::Point;
using geometry::Span;

void runsOfBits(const std::uint64_t* bits, int n, const Span& s, std::vector<Run>& out)
{
    int start = -1;
    std::uint64_t carry = 0;
    const int words = (n + 63) / 64;
    for (int w = 0; w < words; ++w) {
        const std::uint64_t b = bits[w];
        std::uint64_t turns = b ^ ((b << 1) | carry); // a bit wherever a run begins or ends
        carry = b >> 63;
        while (turns) {
            const int at = w * 64 + std::countr_zero(turns);
            turns &= turns - 1;
            if (start < 0) start = at;
            else out.push_back({s.y, s.from + start, s.from + at}), start = -1;
        }
    }
    if (start >= 0) out.push_back({s.y, s.from + start, s.from + n});
}

namespace
{
std::vector<Run> thresholdRuns(const image::GreyView& picture, const std::vector<Span>& region, double low, double high)
{
    std::vector<Run> runs;
    runs.reserve(1 << 17);
    picture.visit([&](auto v) {
        using T = typename decltype(v)::Sample;
        const double lowest = std::ceil(std::max(0.0, low) / v.levelsPerStep - 1e-9),
                     highest = std::floor(std::min(255.0, high) / v.levelsPerStep + 1e-9);
        if (!(highest >= lowest)) return;
        std::vector<std::uint64_t> bits(std::size_t(v.width) / 64 + 2);
        for (const Span& s : region) {
            const int n = s.to - s.from;
            simd::inRange(v.row(s.y) + s.from, n, T(lowest), T(highest), bits.data());
            runsOfBits(bits.data(), n, s, runs);
        }
    });
    return runs;
}

// Answers whether a run leaves the region on any side.
class Border
{
public:
    Border(const std::vector<Span>& region, int height) : m_region(region), m_first(std::size_t(height) + 2, 0)
    {
        std::size_t i = 0;
        for (int y = 0; y <= height; ++y) {
            m_first[std::size_t(y)] = i;
            while (i < region.size() && region[i].y == y) ++i;
        }
        m_first[std::size_t(height) + 1] = i;
        m_height = height;
        // An upright box needs no search.
        m_box = !region.empty();
        for (std::size_t k = 0; k < region.size() && m_box; ++k)
            m_box =
                region[k].from == region[0].from && region[k].to == region[0].to && region[k].y == region[0].y + int(k);
    }
    bool touches(const Run& r) const
    {
        if (m_box)
            return r.from <= m_region[0].from || r.to >= m_region[0].to || r.y <= m_region[0].y ||
                   r.y >= m_region.back().y;
        return !covered(r.y, r.from - 1, r.to + 1) || !covered(r.y - 1, r.from, r.to) ||
               !covered(r.y + 1, r.from, r.to);
    }

private:
    bool covered(int y, int from, int to) const
    {
        if (y < 0 || y >= m_height) return false;
        for (std::size_t i = m_first[std::size_t(y)]; i < m_first[std::size_t(y) + 1]; ++i)
            if (m_region[i].from <= from && m_region[i].to >= to) return true;
        return false;
    }
    const std::vector<Span>& m_region;
    std::vector<std::size_t> m_first;
    int m_height = 0;
    bool m_box = false;
};

struct Sums {
    std::int64_t n = 0, x = 0, y = 0, xx = 0, xy = 0, yy = 0;
    int left = 1 << 30, right = -1, top = 0, bottom = 0, firstRun = 0;
    bool border = false, picture = false;
};

// Labels runs by union-find over components; Run::blob becomes a component number that parent[] resolves.
void label(std::vector<Run>& runs, int reach, std::vector<int>& parent)
{
    parent.clear();
    const auto find = [&](int a) {
        while (parent[std::size_t(a)] != a) a = parent[std::size_t(a)] = parent[std::size_t(parent[std::size_t(a)])];
        return a;
    };
    const std::size_t n = runs.size();
    std::size_t above = 0, rowStart = 0;
    int lastRow = -2;
    std::size_t aboveEnd = 0;
    for (std::size_t i = 0; i < n; ++i) {
        Run& r = runs[i];
        if (r.y != lastRow) {
            above = r.y == lastRow + 1 ? rowStart : i;
            aboveEnd = i;
            rowStart = i;
            lastRow = r.y;
        }
        while (above < aboveEnd && runs[above].to + reach <= r.from) ++above;
        int own = -1;
        for (std::size_t k = above; k < aboveEnd && runs[k].from < r.to + reach; ++k) {
            const int a = find(runs[k].blob);
            if (own < 0) own = a;
            else if (a != own) {
                const int low = std::min(a, own);
                parent[std::size_t(std::max(a, own))] = low;
                own = low;
            }
        }
        if (own < 0) own = int(parent.size()), parent.push_back(own);
        r.blob = own;
    }
    // parents are smaller: one sweep resolves all
    for (std::size_t i = 0; i < parent.size(); ++i) parent[i] = parent[std::size_t(parent[i])];
}

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

// Background areas that do not reach the region's border, one list entry a run, Run::blob the hole's number.
std::vector<Run> holesOf(const std::vector<Run>& runs, const std::vector<Span>& region, const Border& border, int reach)
{
    std::vector<Run> rest = complement(runs, region);
    std::vector<int> parent;
    label(rest, reach, parent);
    std::vector<char> open(parent.size(), 0);
    for (const Run& r : rest)
        if (char& o = open[std::size_t(parent[std::size_t(r.blob)])]; !o && border.touches(r)) o = 1;
    std::vector<Run> holes;
    for (const Run& r : rest)
        if (const int root = parent[std::size_t(r.blob)]; !open[std::size_t(root)])
            holes.push_back({r.y, r.from, r.to, root});
    return holes;
}

std::vector<Run> filled(const std::vector<Run>& runs, const std::vector<Run>& holes)
{
    std::vector<Run> all;
    all.reserve(runs.size() + holes.size());
    std::merge(runs.begin(), runs.end(), holes.begin(), holes.end(), std::back_inserter(all),
               [](const Run& a, const Run& b) { return a.y != b.y ? a.y < b.y : a.from < b.from; });
    std::vector<Run> joined;
    joined.reserve(runs.size());
    for (const Run& r : all) {
        if (!joined.empty() && joined.back().y == r.y && joined.back().to == r.from) joined.back().to = r.to;
        else joined.push_back({r.y, r.from, r.to});
    }
    return joined;
}

int runAt(const std::vector<Run>& runs, int y, int x)
{
    const auto it = std::upper_bound(runs.begin(), runs.end(), std::pair{y, x}, [](const auto& p, const Run& r) {
        return p.first != r.y ? p.first < r.y : p.second < r.from;
    });
    if (it == runs.begin()) return -1;
    const Run& r = *(it - 1);
    return r.y == y && x < r.to ? int(it - 1 - runs.begin()) : -1;
}

// ---- splitting: basins of the distance to the outline
class Splitter
{
public:
    Splitter(double neck) : m_neck(neck) {}
    // Parts of one blob as runs with numbers 0 .. count-1; count 1: not parted.
    int part(const std::vector<Run>& runs, std::vector<Run>& out)
    {
        int left = 1 << 30, right = -1, top = runs.front().y, bottom = runs.back().y;
        for (const Run& r : runs) left = std::min(left, r.from), right = std::max(right, r.to - 1);
        const int w = right - left + 3, h = bottom - top + 3; // one px of background around
        if (std::int64_t(w) * h > 200'000'000) return 1;
        m_square.assign(std::size_t(w) * std::size_t(h), 0.f);
        for (const Run& r : runs)
            for (int x = r.from; x < r.to; ++x)
                m_square[std::size_t(r.y - top + 1) * std::size_t(w) + std::size_t(x - left + 1)] = 1e20f;
        distances(w, h);
        return flood(runs, left - 1, top - 1, w, out);
    }

private:
    // Squared distances, one dimension after the other.
    void distances(int w, int h)
    {
        const int n = std::max(w, h);
        std::vector<float> f(static_cast<std::size_t>(n)), z(std::size_t(n) + 1);
        std::vector<int> v(static_cast<std::size_t>(n));
        const auto line = [&](float* base, int count, int stride) {
            for (int i = 0; i < count; ++i) f[std::size_t(i)] = base[std::ptrdiff_t(i) * stride];
            int k = 0;
            v[0] = 0, z[0] = -1e20f, z[1] = 1e20f;
            for (int q = 1; q < count; ++q) {
                const auto cut = [&](int p) {
                    return ((f[std::size_t(q)] + float(q) * float(q)) - (f[std::size_t(p)] + float(p) * float(p))) /
                           float(2 * q - 2 * p);
                };
                float s = cut(v[std::size_t(k)]);
                while (k > 0 && s <= z[std::size_t(k)]) s = cut(v[std::size_t(--k)]);
                if (s <= z[std::size_t(k)]) s = z[std::size_t(k)];
                v[std::size_t(++k)] = q, z[std::size_t(k)] = s, z[std::size_t(k) + 1] = 1e20f;
            }
            k = 0;
            for (int q = 0; q < count; ++q) {
                while (z[std::size_t(k) + 1] < float(q)) ++k;
                const int d = q - v[std::size_t(k)];
                base[std::ptrdiff_t(q) * stride] = float(d) * float(d) + f[std::size_t(v[std::size_t(k)])];
            }
        };
        for (int x = 0; x < w; ++x) line(m_square.data() + x, h, w);
        for (int y = 0; y < h; ++y) line(m_square.data() + std::size_t(y) * std::size_t(w), w, 1);
    }
    int flood(const std::vector<Run>& runs, int ox, int oy, int w, std::vector<Run>& out)
    {
        // Pixels from the deepest to the shallowest; a pixel joins the basin it touches, and basins merge unless the
        // neck between them is narrow.
        std::vector<std::pair<float, int>> order;
        for (const Run& r : runs)
            for (int x = r.from; x < r.to; ++x) {
                const int i = (r.y - oy) * w + (x - ox);
                order.push_back({std::sqrt(m_square[std::size_t(i)]), i});
            }
        std::stable_sort(order.begin(), order.end(), [](const auto& a, const auto& b) { return a.first > b.first; });
        m_basin.assign(m_square.size(), -1);
        std::vector<int> parent;
        std::vector<float> peak;
        const auto find = [&](int a) {
            while (parent[std::size_t(a)] != a)
                a = parent[std::size_t(a)] = parent[std::size_t(parent[std::size_t(a)])];
            return a;
        };
        const int around[8] = {-1, 1, -w, w, -w - 1, -w + 1, w - 1, w + 1};
        for (const auto& [d, i] : order) {
            int own = -1;
            for (const int step : around) {
                const int b = m_basin[std::size_t(i + step)];
                if (b < 0) continue;
                const int root = find(b);
                if (own < 0) {
                    own = root;
                } else if (root != own) {
                    const int low = peak[std::size_t(root)] < peak[std::size_t(own)] ? root : own,
                              high = low == root ? own : root;
                    const float depth = peak[std::size_t(low)] - d;
                    if (depth < std::max(1.0, m_neck * double(peak[std::size_t(low)]))) parent[std::size_t(low)] = high;
                    own = high;
                }
            }
            if (own < 0) own = int(parent.size()), parent.push_back(own), peak.push_back(d);
            m_basin[std::size_t(i)] = own;
        }
        std::vector<int> number(parent.size(), -1);
        int count = 0;
        out.clear();
        for (const Run& r : runs) {
            int start = r.from, current = -1;
            for (int x = r.from; x < r.to; ++x) {
                int& n = number[std::size_t(find(m_basin[std::size_t((r.y - oy) * w + (x - ox))]))];
                if (n < 0) n = count++;
                if (n != current) {
                    if (current >= 0) out.push_back({r.y, start, x, current});
                    current = n, start = x;
                }
            }
            out.push_back({r.y, start, r.to, current});
        }
        return count;
    }
    double m_neck;
    std::vector<float> m_square;
    std::vector<int> m_basin;
};

void splitAll(std::vector<Run>& runs, std::vector<int>& parent, double neck, double leastArea)
{
    std::vector<std::vector<Run>> group(parent.size());
    for (const Run& r : runs) group[std::size_t(parent[std::size_t(r.blob)])].push_back(r);
    Splitter splitter(neck);
    std::vector<Run> all, parts;
    int next = 0;
    for (auto& g : group) {
        if (g.empty()) continue;
        double area = 0;
        for (const Run& r : g) area += r.to - r.from;
        int count = 1;
        if (area >= 2 * std::max(16.0, leastArea)) count = splitter.part(g, parts);
        if (count > 1) g = parts;
        for (Run& r : g) r.blob = count > 1 ? next + r.blob : next;
        next += count;
        all.insert(all.end(), g.begin(), g.end());
    }
    std::sort(all.begin(), all.end(),
              [](const Run& a, const Run& b) { return a.y != b.y ? a.y < b.y : a.from < b.from; });
    // Numbered by their first run.
    std::vector<int> number(std::size_t(next), -1);
    int n = 0;
    for (Run& r : all) {
        if (number[std::size_t(r.blob)] < 0) number[std::size_t(r.blob)] = n++;
        r.blob = number[std::size_t(r.blob)];
    }
    runs = std::move(all);
    parent.resize(std::size_t(n));
    for (int i = 0; i < n; ++i) parent[std::size_t(i)] = i;
}
} // namespace

BlobList findBlobs(const image::GreyView& picture, const geometry::Region& region, const BlobOptions& o)
{
    return findBlobs(picture, geometry::spans(region, picture.width, picture.height), o);
}

BlobList findBlobs(const image::GreyView& picture, const std::vector<Span>& where, const BlobOptions& o)
{
    return findBlobs(thresholdRuns(picture, where, o.low, o.high), where, picture.width, picture.height, o);
}

BlobList findBlobs(std::vector<Run> runs, const std::vector<Span>& where, int width, int height, const BlobOptions& o)
{
    BlobList out;
    out.width = width, out.height = height, out.fourConnected = o.fourConnected;
    out.runs = std::move(runs);
    const Border border(where, height);
    std::vector<Run> holes;
    if (o.fillHoles) {
        holes = holesOf(out.runs, where, border, o.fourConnected ? 1 : 0);
        out.runs = filled(out.runs, holes);
    } else if (o.countHoles) {
        holes = holesOf(out.runs, where, border, o.fourConnected ? 1 : 0);
    }
    std::vector<int> parent;
    label(out.runs, o.fourConnected ? 0 : 1, parent);
    if (o.split > 0) splitAll(out.runs, parent, o.split, o.partedFrom > 0 ? o.partedFrom : o.leastArea);
    std::vector<Sums> sums(parent.size());
    // Sum of squares 0 .. k, from a table: the division would cost more than all the rest.
    std::vector<std::int64_t> squares(std::size_t(width) + 1, 0);
    for (std::size_t k = 1; k < squares.size(); ++k) squares[k] = squares[k - 1] + std::int64_t(k * k);
    for (std::size_t i = 0; i < out.runs.size(); ++i) {
        const Run& r = out.runs[i];
        Sums& s = sums[std::size_t(parent[std::size_t(r.blob)])];
        const std::int64_t n = r.to - r.from, sx = (n * (std::int64_t(r.from) + r.to - 1)) >> 1, y = r.y;
        if (s.n == 0) s.firstRun = int(i), s.top = r.y;
        s.n += n, s.x += sx, s.y += n * y, s.xy += sx * y, s.yy += n * y * y;
        s.xx += squares[std::size_t(r.to - 1)] - (r.from > 0 ? squares[std::size_t(r.from - 1)] : 0);
        s.left = std::min(s.left, r.from), s.right = std::max(s.right, r.to - 1), s.bottom = r.y;
        if (!s.border && border.touches(r)) s.border = true;
    }
    std::vector<int> renumbered(parent.size(), -1);
    out.blobs.reserve(std::min<std::size_t>(parent.size(), 4096));
    for (std::size_t i = 0; i < parent.size(); ++i) {
        const Sums& s = sums[i];
        if (s.n == 0) continue; // merged into another
        Blob b;
        b.touchesBorder = s.border;
        b.touchesPicture = s.left == 0 || s.top == 0 || s.right == width - 1 || s.bottom == height - 1;
        if (double(s.n) < o.leastArea) {
            ++out.tooSmall;
            continue;
        }
        if ((o.border == BorderRule::DropAtRegion && b.touchesBorder) ||
            (o.border == BorderRule::DropAtPicture && b.touchesPicture)) {
            ++out.atBorder;
            continue;
        }
        b.area = double(s.n);
        b.left = s.left, b.right = s.right, b.top = s.top, b.bottom = s.bottom, b.firstRun = s.firstRun;
        const long double n = static_cast<long double>(s.n), mx = s.x / n, my = s.y / n;
        b.centroid = {double(mx), double(my)};
        const double xx = double(s.xx / n - mx * mx) + 1.0 / 12, yy = double(s.yy / n - my * my) + 1.0 / 12,
                     xy = double(s.xy / n - mx * my);
        const double mid = (xx + yy) / 2, apart = (xx - yy) / 2, spread = std::sqrt(apart * apart + xy * xy);
        b.major = 4 * std::sqrt(mid + spread), b.minor = 4 * std::sqrt(std::max(0.0, mid - spread));
        b.angle = spread > 1e-12 ? -0.5 * std::atan2(2 * xy, xx - yy) : 0.0;
        renumbered[i] = int(out.blobs.size());
        out.blobs.push_back(b);
    }
    for (Run& r : out.runs) r.blob = renumbered[std::size_t(parent[std::size_t(r.blob)])];
    // A hole's runs have one number; its first one is met first, and left of that lies what encloses it.
    std::vector<int> owner;
    for (const Run& h : holes) {
        if (std::size_t(h.blob) >= owner.size()) owner.resize(std::size_t(h.blob) + 1, -2);
        int& own = owner[std::size_t(h.blob)];
        if (own == -2) {
            const int at = runAt(out.runs, h.y, o.fillHoles ? h.from : h.from - 1);
            own = at >= 0 ? out.runs[std::size_t(at)].blob : -1;
            if (own >= 0) ++out.blobs[std::size_t(own)].holes;
        }
        if (own >= 0) out.blobs[std::size_t(own)].holeArea += h.to - h.from;
    }
    return out;
}

BlobRuns::BlobRuns(const BlobList& list) : m_list(list), m_start(list.blobs.size() + 1, 0)
{
    for (const Run& r : list.runs)
        if (r.blob >= 0) ++m_start[std::size_t(r.blob) + 1];
    for (std::size_t i = 1; i < m_start.size(); ++i) m_start[i] += m_start[i - 1];
    m_runs.resize(std::size_t(m_start.back()));
    std::vector<int> at(m_start.begin(), m_start.end());
    for (std::size_t i = 0; i < list.runs.size(); ++i)
        if (list.runs[i].blob >= 0) m_runs[std::size_t(at[std::size_t(list.runs[i].blob)]++)] = int(i);
}

std::vector<std::vector<Point>> BlobRuns::outlines(int blob) const
{
    const Blob& b = m_list.blobs[std::size_t(blob)];
    const int w = b.right - b.left + 3, h = b.bottom - b.top + 3; // one px of background around
    enum : std::uint8_t { kSet = 1, kSeen = 2 };
    std::vector<std::uint8_t> map(std::size_t(w) * std::size_t(h), 0);
    const auto at = [&](int x, int y) -> std::uint8_t& {
        return map[std::size_t(y) * std::size_t(w) + std::size_t(x)];
    };
    for (int i = m_start[std::size_t(blob)]; i < m_start[std::size_t(blob) + 1]; ++i) {
        const Run& r = m_list.runs[std::size_t(m_runs[std::size_t(i)])];
        std::fill_n(&at(r.from - b.left + 1, r.y - b.top + 1), r.to - r.from, std::uint8_t(kSet));
    }
    // Walks along pixel corners, object to the right. Every loop goes right along the top of some pixel; those are
    // marked as seen.
    constexpr int dx[4] = {1, 0, -1, 0}, dy[4] = {0, 1, 0, -1}; // right, down, left, up
    std::vector<std::vector<Point>> out;
    for (int y = 1; y + 1 < h; ++y)
        for (int x = 1; x + 1 < w; ++x) {
            if (!(at(x, y) & kSet) || (at(x, y) & kSeen) || (at(x, y - 1) & kSet)) continue;
            std::vector<Point> loop;
            int cx = x, cy = y, d = 0, before = -1;
            do {
                if (d == 0) at(cx, cy) |= kSeen;
                if (d != before) loop.push_back({b.left + cx - 1 - 0.5, b.top + cy - 1 - 0.5});
                before = d;
                cx += dx[d], cy += dy[d];
                // The two pixels ahead of the corner, to the right and to the left of the way.
                const int ax = d == 0   ? cx
                               : d == 1 ? cx - 1
                               : d == 2 ? cx - 1
                                        : cx,
                          ay = d == 0   ? cy
                               : d == 1 ? cy
                               : d == 2 ? cy - 1
                                        : cy - 1;
                const int bx = d == 0   ? cx
                               : d == 1 ? cx
                               : d == 2 ? cx - 1
                                        : cx - 1,
                          by = d == 0   ? cy - 1
                               : d == 1 ? cy
                               : d == 2 ? cy
                                        : cy - 1;
                const bool right = at(ax, ay) & kSet, left = at(bx, by) & kSet;
                if (m_list.fourConnected) d = !right ? (d + 1) & 3 : left ? (d + 3) & 3 : d;
                else d = left ? (d + 3) & 3 : right ? d : (d + 1) & 3;
            } while (cx != x || cy != y || d != 0);
            if (loop.size() > 1 && before == 0) loop.erase(loop.begin()); // the start lay within a straight piece
            out.push_back(std::move(loop));
        }
    return out;
}

std::vector<Point> smoothedOutline(const std::vector<Point>& corners)
{
    // A calibration that carries a border far beyond its picture leaves nothing to smooth.
    if (!(geometry::perimeterOf(corners) <= kLongestOutline)) return corners;
    std::vector<Point> middles;
    for (std::size_t i = 0; i < corners.size(); ++i) {
        const Point p = corners[i], q = corners[(i + 1) % corners.size()], u = geometry::unit(q - p);
        for (int k = 0, n = int(std::lround(geometry::distance(p, q))); k < n; ++k)
            middles.push_back(p + u * (k + 0.5));
    }
    const std::size_t n = middles.size();
    std::vector<Point> out(n);
    for (std::size_t i = 0; i < n; ++i) {
        const auto beside = [&](std::size_t k) { return middles[(i + k) % n] + middles[(i + 2 * n - k) % n]; };
        out[i] = middles[i] * (6 / 16.0) + beside(1) * (4 / 16.0) + beside(2) * (1 / 16.0);
    }
    return out;
}

BlobShape BlobRuns::describe(int blob) const { return shapeOf(outlines(blob), m_list.blobs[std::size_t(blob)]); }

BlobShape BlobRuns::describe(int blob, const std::function<Point(Point)>& carry, Blob& m) const
{
    std::vector<std::vector<Point>> loops = outlines(blob);
    double area = 0, xx = 0, xy = 0, yy = 0;
    Point first;
    const Point zero = carry(m_list.blobs[std::size_t(blob)].centroid);
    for (auto& loop : loops) {
        std::vector<Point> carried;
        for (std::size_t i = 0; i < loop.size(); ++i) {
            const Point a = loop[i], b = loop[(i + 1) % loop.size()];
            // a straight border may be bent when carried
            const int pieces = std::max(1, int(std::ceil(geometry::distance(a, b) / 16)));
            for (int k = 0; k < pieces; ++k) carried.push_back(carry(a + (b - a) * (double(k) / pieces)));
        }
        // Moments of the area inside, by its border; inner loops run the other way round and take away.
        for (std::size_t i = 0; i < carried.size(); ++i) {
            const Point a = carried[i] - zero, b = carried[(i + 1) % carried.size()] - zero;
            const double w = geometry::cross(a, b);
            area += w / 2, first = first + (a + b) * (w / 6);
            xx += w * (a.x * a.x + a.x * b.x + b.x * b.x) / 12, yy += w * (a.y * a.y + a.y * b.y + b.y * b.y) / 12;
            xy += w * (a.x * b.y + 2 * a.x * a.y + 2 * b.x * b.y + b.x * a.y) / 24;
        }
        loop = std::move(carried);
    }
    if (std::abs(area) > 1e-9) {
        const Point c = first * (1 / area);
        m.area = std::abs(area), m.centroid = zero + c;
        const double a = xx / area - c.x * c.x, b = xy / area - c.x * c.y, d = yy / area - c.y * c.y;
        const double mean = (a + d) / 2, half = std::hypot((a - d) / 2, b);
        m.major = 4 * std::sqrt(std::max(0.0, mean + half)), m.minor = 4 * std::sqrt(std::max(0.0, mean - half));
        m.angle = half > 1e-12 ? -0.5 * std::atan2(2 * b, a - d) : 0;
    }
    return shapeOf(std::move(loops), m);
}

BlobShape BlobRuns::shapeOf(std::vector<std::vector<Point>> loops, const Blob& b) const
{
    BlobShape s;
    s.outlines = std::move(loops);
    s.elongation = b.minor > 0 ? b.major / b.minor : 1;
    const auto& outer = s.outlines.front();
    s.perimeter = geometry::perimeterOf(smoothedOutline(outer));
    const double full = geometry::areaOf(outer);
    s.circularity = s.perimeter > 0 ? 4 * geometry::kPi * full / (s.perimeter * s.perimeter) : 0;
    const std::vector<Point> hull = geometry::convexHull(outer);
    const double hullArea = geometry::areaOf(hull);
    s.convexity = hullArea > 0 ? std::min(1.0, full / hullArea) : 1;
    s.box = geometry::smallestBox(hull);
    double least = hull.size() < 3 ? 0 : 1e300;
    for (std::size_t i = 0; i < hull.size(); ++i) {
        const Point a = hull[i], side = geometry::leftOf(geometry::unit(hull[(i + 1) % hull.size()] - a));
        double wide = 0;
        for (const Point p : hull) {
            wide = std::max(wide, std::abs(geometry::dot(side, p - a)));
            s.feretMost = std::max(s.feretMost, geometry::distance(a, p));
        }
        least = std::min(least, wide);
    }
    s.feretLeast = least;
    return s;
}

std::vector<Span> BlobRuns::spans(int blob) const
{
    std::vector<Span> out;
    for (int i = m_start[std::size_t(blob)]; i < m_start[std::size_t(blob) + 1]; ++i) {
        const Run& r = m_list.runs[std::size_t(m_runs[std::size_t(i)])];
        out.push_back({r.y, r.from, r.to});
    }
    return out;
}

std::pair<double, double> BlobRuns::grey(const image::GreyView& picture, int blob) const
{
    double n = 0, sum = 0, square = 0;
    picture.visit([&](auto v) {
        for (int i = m_start[std::size_t(blob)]; i < m_start[std::size_t(blob) + 1]; ++i) {
            const Run& r = m_list.runs[std::size_t(m_runs[std::size_t(i)])];
            const auto* p = v.row(r.y);
            std::int64_t a = 0, q = 0;
            for (int x = r.from; x < r.to; ++x) a += p[x], q += std::int64_t(p[x]) * p[x];
            n += r.to - r.from, sum += double(a) * v.levelsPerStep,
                square += double(q) * v.levelsPerStep * v.levelsPerStep;
        }
    });
    const double mean = n > 0 ? sum / n : 0;
    return {mean, n > 0 ? std::sqrt(std::max(0.0, square / n - mean * mean)) : 0};
}

std::array<double, 3> BlobRuns::colour(const image::Image& picture, int blob) const
{
    const bool wide = image::bytesPerSample(picture.format()) == 2;
    std::int64_t n = 0, sum[3] = {};
    for (int i = m_start[std::size_t(blob)]; i < m_start[std::size_t(blob) + 1]; ++i) {
        const Run& r = m_list.runs[std::size_t(m_runs[std::size_t(i)])];
        const std::uint8_t* p = picture.row(r.y);
        for (int x = r.from; x < r.to; ++x)
            for (int k = 0; k < 3; ++k)
                sum[k] += wide ? reinterpret_cast<const std::uint16_t*>(p)[3 * x + k] : p[3 * x + k];
        n += r.to - r.from;
    }
    std::array<double, 3> out{};
    for (std::size_t k = 0; k < 3; ++k) out[k] = n ? double(sum[k]) / double(n) / (wide ? 257.0 : 1.0) : 0;
    return out;
}

std::vector<std::vector<Point>> outlines(const BlobList& list, int blob) { return BlobRuns(list).outlines(blob); }
BlobShape describe(const BlobList& list, int blob) { return BlobRuns(list).describe(blob); }

} // namespace vision

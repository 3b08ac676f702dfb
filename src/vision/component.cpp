#include "vision/component.h"

#include "vision/sampling.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>

namespace vision
{
using geometry::Point;

namespace
{
constexpr std::size_t kSteep = 500, kCells = 260;

double fullTurn(const Beside& b) { return b.turn + (b.reversed ? geometry::kPi : 0); }
// How it lies, its turn's sine and cosine worked out once.
struct Lie {
    double co, si;
    Point shift;
    Lie(const Beside& b) : co(std::cos(fullTurn(b))), si(std::sin(fullTurn(b))), shift(b.shift) {}
    Point turned(Point p) const { return {p.x * co + p.y * si, p.y * co - p.x * si}; }
};
} // namespace

Point Component::carried(Point reference, const Beside& b) const
{
    const Lie lie(b);
    return m_middle + lie.turned(reference - m_middle) + lie.shift;
}

base::Result<Component> Component::make(const std::vector<Patch>& good, const std::vector<Light>& lights,
                                        const std::vector<Patch>& bare, const std::vector<Light>& bareLights,
                                        std::vector<std::uint8_t> counts, const ComponentOptions& options,
                                        const Patch* around)
{
    Component c;
    c.m_options = options;
    if (around) {
        c.m_aroundBox = around->box;
        c.m_around.resize(around->box.count());
        for (std::size_t i = 0; i < c.m_around.size(); ++i)
            c.m_around[i] = around->sees(i) ? around->level(i) : std::numeric_limits<float>::quiet_NaN();
    }
    auto learned = Learned::make(good, counts, options.learn, lights);
    if (!learned) return base::passOn(learned.error());
    c.m_learned = std::move(*learned);
    if (!bare.empty() && bare.front().box == c.m_learned.box()) {
        LearnOptions o = options.learn;
        o.least *= 1.5; // one bare place tells little of how the ground varies
        auto ground = Learned::make(bare, counts, o, bareLights);
        if (ground) c.m_ground = std::move(*ground), c.m_hasGround = true;
    }
    if (!c.takeMiddle()) return base::fail(base::ErrorCode::NoResult, "the outline holds hardly a pixel");
    c.takeSteep();
    c.takeLevels();
    c.m_endsDiffer = c.otherwiseWhenTurned(good.front());
    return c;
}

// Of the i-th pixel of the box, from the middle.
Point Component::fromMiddle(std::size_t i) const
{
    const PatchBox& box = m_learned.box();
    const auto w = std::size_t(box.width);
    return Point{double(box.left) + double(i % w), double(box.top) + double(i / w)} - m_middle;
}
// The middle of what counts.
bool Component::takeMiddle()
{
    const PatchBox& box = m_learned.box();
    const auto w = std::size_t(box.width);
    double n = 0, sx = 0, sy = 0;
    for (std::size_t i = 0; i < box.count(); ++i)
        if (m_learned.counts()[i]) ++n, sx += double(i % w), sy += double(i / w);
    if (n < 9) return false;
    m_middle = Point{double(box.left), double(box.top)} + Point{sx / n, sy / n};
    m_counted = n;
    return true;
}
// The steepest third, thinned.
void Component::takeSteep()
{
    const PatchBox& box = m_learned.box();
    const std::vector<float>& u = m_learned.levels();
    const auto w = std::size_t(box.width);
    struct Grad {
        double size;
        Steep steep;
    };
    std::vector<Grad> all;
    for (int y = 1; y + 1 < box.height; ++y)
        for (int x = 1; x + 1 < box.width; ++x) {
            const std::size_t i = std::size_t(y) * w + std::size_t(x);
            if (!m_learned.counts()[i]) continue;
            m_half = std::max(m_half, geometry::length(fromMiddle(i)));
            const float gx = (u[i + 1] - u[i - 1]) / 2, gy = (u[i + w] - u[i - w]) / 2;
            if (!std::isfinite(gx + gy + u[i])) continue;
            all.push_back({std::hypot(double(gx), double(gy)), {fromMiddle(i), u[i], gx, gy}});
        }
    std::sort(all.begin(), all.end(), [](const Grad& a, const Grad& b) { return a.size > b.size; });
    const std::size_t steep = std::min(all.size(), std::max(kSteep, all.size() / 3));
    const std::size_t step = std::max<std::size_t>(1, steep / kSteep);
    for (std::size_t i = 0; i < steep; i += step)
        if (all[i].size > 1) m_steep.push_back(all[i].steep);
}
// Cells of a coarse stack down to single pixels; where the neighbourhood shows an edge it helps: the box's rim too.
void Component::takeLevels()
{
    double each = std::max(1.0, std::sqrt(m_counted / double(kCells)));
    for (;; each /= 2) {
        if (each < 1.3) each = 1;
        m_levels.push_back(levelOf(each));
        if (each <= 1) break;
    }
}
Component::Level Component::levelOf(double each) const
{
    const PatchBox& box = m_learned.box();
    const std::vector<float>& u = m_learned.levels();
    Level level;
    level.each = each;
    const int cells = int(each);
    for (double y = each / 2; y < box.height; y += each)
        for (double x = each / 2; x < box.width; x += each) {
            double sum = 0;
            int got = 0, wanted = 0;
            for (int dy = -cells / 2; dy <= (cells - 1) / 2; ++dy)
                for (int dx = -cells / 2; dx <= (cells - 1) / 2; ++dx) {
                    const int px = int(x) + dx, py = int(y) + dy;
                    if (px < 0 || py < 0 || px >= box.width || py >= box.height) continue;
                    ++wanted;
                    const auto i = std::size_t(py) * std::size_t(box.width) + std::size_t(px);
                    if (m_learned.counts()[i] && std::isfinite(u[i])) sum += double(u[i]), ++got;
                }
            if (2 * got < wanted || got == 0) continue;
            level.at.push_back(Point{box.left + std::floor(x), box.top + std::floor(y)} - m_middle);
            level.value.push_back(float(sum / got));
        }
    while (level.at.size() > 4 * kCells) { // thinned evenly
        Level thin;
        thin.each = level.each;
        for (std::size_t i = 0; i < level.at.size(); i += 2)
            thin.at.push_back(level.at[i]), thin.value.push_back(level.value[i]);
        level = std::move(thin);
    }
    const double mean = level.value.empty()
                            ? 0
                            : std::accumulate(level.value.begin(), level.value.end(), 0.0) / double(level.value.size());
    double length = 0;
    for (float& v : level.value) v -= float(mean), length += double(v) * double(v);
    length = std::sqrt(length);
    if (length < 1) level.at.clear(), level.value.clear(); // flat: nothing to find it by
    for (float& v : level.value) v /= float(length);
    return level;
}
// Its own picture turned by half.
bool Component::otherwiseWhenTurned(const Patch& own) const
{
    const PatchBox& box = m_learned.box();
    const auto& in = m_learned.counts();
    const Point m = m_middle - Point{double(box.left), double(box.top)};
    std::size_t same = 0, looked = 0;
    for (std::size_t i = 0; i < box.count(); ++i) {
        if (!in[i]) continue;
        const Point q = m - fromMiddle(i);
        const int x = int(std::lround(q.x)), y = int(std::lround(q.y));
        if (x < 0 || y < 0 || x >= box.width || y >= box.height) continue;
        const auto k = std::size_t(y) * std::size_t(box.width) + std::size_t(x);
        if (!in[k] || !own.sees(i) || !own.sees(k)) continue;
        ++looked;
        same +=
            std::abs(double(own.level(k)) - double(own.level(i))) <= double(std::min(m_learned.allowed(i), 1e6f)) * 1.5;
    }
    return looked > 20 && double(same) < 0.93 * double(looked);
}

// One look at one place.
struct Looking {
    const Component& c;
    const image::Picture& picture;
    const Carry& carry;
    const Light& light;
    image::GreyView grey = picture.levels().grey();

    double level(Point fromMiddle, const Lie& lie, bool& inside) const
    {
        const Point p = carry(c.m_middle + lie.turned(fromMiddle) + lie.shift);
        inside = p.x >= 0 && p.y >= 0 && p.x <= grey.width - 1 && p.y <= grey.height - 1;
        if (!inside) return 0;
        const double v = grey.visit([&](auto view) { return bilinear(view, p.x, p.y); });
        return (v - light.offset) / std::max(0.02, light.gain[0]);
    }
    // Mean of four places in a cell.
    double cell(Point fromMiddle, const Lie& lie, double each, bool& inside) const
    {
        if (each < 1.5) return level(fromMiddle, lie, inside);
        double sum = 0;
        for (const auto& [x, y] : {std::pair{-0.25, -0.25}, {0.25, -0.25}, {-0.25, 0.25}, {0.25, 0.25}}) {
            sum += level(fromMiddle + Point{x * each, y * each}, lie, inside);
            if (!inside) return 0;
        }
        return sum / 4;
    }
    double correlation(const Component::Level& l, const Beside& b) const
    {
        double s = 0, ss = 0, st = 0, n = 0;
        const Lie lie(b);
        for (std::size_t i = 0; i < l.at.size(); ++i) {
            bool inside = false;
            const double v = cell(l.at[i], lie, l.each, inside);
            if (!inside) continue;
            s += v, ss += v * v, st += v * double(l.value[i]), ++n;
        }
        if (n < 0.6 * double(l.at.size()) || n < 6) return -1;
        const double spread = ss - s * s / n;
        return spread < n ? 0 : st / std::sqrt(spread);
    }
    // A raster of the neighbourhood in cells, so that many poses are compared quickly.
    struct Raster {
        int width = 0, height = 0;
        double each = 1;
        Point corner; // of cell 0, 0, from the middle
        std::vector<float> value;
        std::vector<std::uint8_t> seen;
    };
    Raster raster(double each, double reach) const
    {
        Raster r;
        r.each = each;
        const int half = int(std::ceil((c.m_half + reach) / each)) + 1;
        r.width = r.height = 2 * half + 1;
        r.corner = {-half * each, -half * each};
        r.value.resize(std::size_t(r.width) * std::size_t(r.height)), r.seen.resize(r.value.size());
        const Lie lie(Beside{});
        for (int y = 0; y < r.height; ++y)
            for (int x = 0; x < r.width; ++x) {
                bool inside = false;
                const auto i = std::size_t(y) * std::size_t(r.width) + std::size_t(x);
                r.value[i] = float(cell(r.corner + Point{x * each, y * each}, lie, each, inside));
                r.seen[i] = inside;
            }
        return r;
    }
    double correlation(const Raster& r, const Component::Level& l, const std::vector<int>& offsets, int dx,
                       int dy) const
    {
        double s = 0, ss = 0, st = 0, n = 0;
        const int move = dy * r.width + dx;
        for (std::size_t i = 0; i < offsets.size(); ++i) {
            const int k = offsets[i] + move;
            if (k < 0 || k >= int(r.value.size()) || !r.seen[std::size_t(k)]) continue;
            const double v = double(r.value[std::size_t(k)]);
            s += v, ss += v * v, st += v * double(l.value[i]), ++n;
        }
        if (n < 0.6 * double(l.at.size()) || n < 6) return -1;
        const double spread = ss - s * s / n;
        return spread < n ? 0 : st / std::sqrt(spread);
    }

    struct Candidate {
        Beside at;
        double score = -2;
    };
    // Where it may lie, the likeliest first.
    std::vector<Candidate> search(bool reversed) const
    {
        if (c.m_levels.empty() || c.m_levels.front().at.empty()) return {};
        const ComponentOptions& o = c.m_options;
        std::vector<Candidate> top;
        const Component::Level& coarse = c.m_levels.front();
        const Raster r = raster(coarse.each, o.search);
        const double most = geometry::radians(o.searchTurn), step = std::clamp(coarse.each / c.m_half, 0.02, 0.2);
        const int turns = int(std::ceil(most / step)), reach = std::max(1, int(std::ceil(o.search / coarse.each)));
        std::vector<int> offsets(coarse.at.size());
        for (int t = -turns; t <= turns; ++t) {
            const double turn = turns ? most * t / turns : 0;
            const Lie lie(Beside{{}, turn, reversed});
            for (std::size_t i = 0; i < offsets.size(); ++i) {
                const Point p = lie.turned(coarse.at[i]) - r.corner;
                offsets[i] = int(std::lround(p.y / r.each)) * r.width + int(std::lround(p.x / r.each));
            }
            for (int dy = -reach; dy <= reach; ++dy)
                for (int dx = -reach; dx <= reach; ++dx) {
                    const Point shift{dx * r.each, dy * r.each};
                    if (geometry::distance(shift, {}) > o.search + r.each) continue;
                    const double s = correlation(r, coarse, offsets, dx, dy);
                    top.push_back({{shift, turn, reversed}, s});
                }
        }
        std::stable_sort(top.begin(), top.end(),
                         [](const Candidate& a, const Candidate& b) { return a.score > b.score; });
        std::vector<Candidate> few;
        for (const Candidate& one : top) {
            const bool near = std::any_of(few.begin(), few.end(), [&](const Candidate& f) {
                return geometry::distance(f.at.shift, one.at.shift) < 1.6 * coarse.each &&
                       std::abs(f.at.turn - one.at.turn) < 1.6 * step;
            });
            if (!near) few.push_back(one);
            if (few.size() == 4) break;
        }
        for (Candidate& one : few) {
            double turnStep = step / 2;
            for (std::size_t k = 1; k < c.m_levels.size(); ++k, turnStep /= 2)
                one = climbed(c.m_levels[k], one, turnStep);
            if (c.m_levels.size() == 1) one = climbed(c.m_levels.front(), one, turnStep);
        }
        return few;
    }
    // The best of the neighbours, again until none is better.
    Candidate climbed(const Component::Level& l, Candidate from, double turnStep) const
    {
        from.score = correlation(l, from.at);
        for (int round = 0; round < 6; ++round) {
            Candidate best = from;
            const double e = l.each;
            const Beside around[] = {{from.at.shift + Point{e, 0}, from.at.turn, from.at.reversed},
                                     {from.at.shift - Point{e, 0}, from.at.turn, from.at.reversed},
                                     {from.at.shift + Point{0, e}, from.at.turn, from.at.reversed},
                                     {from.at.shift - Point{0, e}, from.at.turn, from.at.reversed},
                                     {from.at.shift, from.at.turn + turnStep, from.at.reversed},
                                     {from.at.shift, from.at.turn - turnStep, from.at.reversed}};
            for (const Beside& b : around)
                if (const double s = correlation(l, b); s > best.score) best = {b, s};
            if (best.score <= from.score) break;
            from = best;
        }
        return from;
    }
    // Least squares over the steep places. `steady`: what hardly shows, as a move along a straight edge, is no move.
    Beside refined(Beside b, bool steady = false) const
    {
        if (c.m_steep.size() < 12) return b;
        const double limit = geometry::radians(1.5 * c.m_options.searchTurn + 2);
        std::vector<double> sizes(c.m_steep.size());
        std::vector<std::array<double, 4>> rows(c.m_steep.size());
        const Beside start = b;
        for (int round = 0; round < 10; ++round) {
            std::size_t n = 0;
            const Lie lie(b);
            for (const auto& s : c.m_steep) {
                bool inside = false;
                const double v = level(s.at, lie, inside);
                if (!inside) continue;
                const Point g = lie.turned({double(s.gx), double(s.gy)}), arm = lie.turned(s.at);
                // A turn moves the place by its arm turned on by a right angle.
                rows[n] = {g.x, g.y, g.x * arm.y - g.y * arm.x, v - double(s.level)};
                sizes[n] = std::abs(rows[n][3]), ++n;
            }
            if (n < 12) return start;
            std::vector<double> sorted(sizes.begin(), sizes.begin() + std::ptrdiff_t(n));
            std::nth_element(sorted.begin(), sorted.begin() + std::ptrdiff_t(n / 2), sorted.end());
            const double cut = std::max(10.0, 4.685 * 1.4826 * sorted[n / 2]);
            Eigen::Matrix3d a = Eigen::Matrix3d::Zero();
            Eigen::Vector3d r = Eigen::Vector3d::Zero();
            for (std::size_t i = 0; i < n; ++i) {
                const double u = rows[i][3] / cut;
                if (std::abs(u) >= 1) continue;
                const double w = (1 - u * u) * (1 - u * u);
                const Eigen::Vector3d row(rows[i][0], rows[i][1], rows[i][2]);
                a += w * row * row.transpose();
                r -= w * rows[i][3] * row;
            }
            const double ridge = 1e-3 * (a(0, 0) + a(1, 1)) + 1e-9;
            a(0, 0) += ridge, a(1, 1) += ridge, a(2, 2) += ridge * c.m_half * c.m_half * 0.3;
            const Eigen::Vector3d move = steady ? shown(a, r) : a.ldlt().solve(r);
            if (!move.allFinite()) return start;
            const double length = std::hypot(move(0), move(1)), scale = length > 1.5 ? 1.5 / length : 1;
            b.shift = b.shift + Point{move(0), move(1)} * scale;
            b.turn += std::clamp(move(2), -0.05, 0.05) * scale;
            if (length < 0.003 && std::abs(move(2)) * c.m_half < 0.003) break;
        }
        if (geometry::distance(b.shift, start.shift) > 6 || std::abs(b.turn) > limit) return start;
        return b;
    }
    // The part of the least squares move that the places determine: of the turn its arc at the rim.
    Eigen::Vector3d shown(Eigen::Matrix3d a, Eigen::Vector3d r) const
    {
        constexpr double kShown = 0.02; // of the best determined direction
        const Eigen::Vector3d unit(1, 1, 1 / (0.5 * c.m_half));
        a = (unit.asDiagonal() * a * unit.asDiagonal()).eval();
        const Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d> e(a);
        Eigen::Vector3d move = Eigen::Vector3d::Zero();
        for (int k = 0; k < 3; ++k)
            if (e.eigenvalues()(k) > kShown * e.eigenvalues()(2)) {
                const Eigen::Vector3d v = e.eigenvectors().col(k);
                move += v * (v.dot(unit.cwiseProduct(r)) / e.eigenvalues()(k));
            }
        return unit.cwiseProduct(move);
    }
    // What would cover the places round its own there is not there: they look as usual. Or it would cover like things
    // only.
    bool takenForAnother(const Beside& b) const
    {
        if (c.m_around.empty()) return false;
        constexpr float kTold = 24; // grey levels: less tells nothing
        const PatchBox &own = c.m_learned.box(), &wide = c.m_aroundBox;
        const auto& in = c.m_learned.counts();
        const Lie lie(b);
        std::size_t all = 0, beyond = 0, told = 0, usual = 0;
        for (std::size_t i = 0; i < own.count(); ++i) {
            if (!in[i]) continue;
            ++all;
            const Point from = c.fromMiddle(i), there = c.m_middle + lie.turned(from) + lie.shift;
            const int x = int(std::lround(there.x)), y = int(std::lround(there.y));
            const int ox = x - own.left, oy = y - own.top;
            if (ox >= 0 && oy >= 0 && ox < own.width && oy < own.height &&
                in[std::size_t(oy) * std::size_t(own.width) + std::size_t(ox)])
                continue; // its own place
            const int wx = x - wide.left, wy = y - wide.top;
            if (wx < 0 || wy < 0 || wx >= wide.width || wy >= wide.height) continue;
            const float round = c.m_around[std::size_t(wy) * std::size_t(wide.width) + std::size_t(wx)];
            if (std::isnan(round)) continue;
            ++beyond;
            const float mine = c.m_learned.levels()[i];
            if (!(std::abs(mine - round) > kTold)) continue;
            bool inside = false;
            const double now = level(from, lie, inside);
            if (!inside) continue;
            ++told, usual += std::abs(now - double(round)) < std::abs(now - double(mine));
        }
        if (5 * beyond < all) return false; // too little of it to tell
        if (told >= 15 && told * 10 >= beyond) return usual * 10 > told * 6;
        return 2 * beyond >= all; // half of it lies where just such things lie anyway
    }
    Patch patchAt(const Beside& b) const
    {
        return laid(picture, c.m_learned.colour(), c.m_learned.box(), [&](Point p) { return carry(c.carried(p, b)); });
    }
    // Largest ratio of a connected place; without one at most 1.
    double ratioOf(const Patch& patch) const
    {
        const Difference d = differ(c.m_learned, patch, light);
        if (d.worst <= 1) return d.worst;
        const auto all = places(c.m_learned, patch, light, d, c.m_options.leastArea, 0);
        return all.empty() ? 1 : all.front().worst;
    }
};

Component::Seen Component::look(const image::Picture& picture, const Carry& carry, const Light& light) const
{
    const Looking l{*this, picture, carry, light};
    Seen s;
    s.light = light;
    s.here = l.patchAt({});
    std::size_t unseen = 0, all = 0;
    for (std::size_t i = 0; i < s.here.box.count(); ++i)
        if (m_learned.counts()[i]) ++all, unseen += !s.here.sees(i);
    if (unseen * 50 > all) {
        s.named = Named::Unseen;
        return s;
    }
    const ComponentOptions& o = m_options;
    const double mayTurn = geometry::radians(o.mayTurn);
    const auto beyond = [&](const Beside& b) {
        return std::max(o.mayShift > 0 ? geometry::distance(b.shift, {}) / o.mayShift : 0.0,
                        mayTurn > 0 ? std::abs(b.turn) / mayTurn : 0.0);
    };
    // Where it should lie, or hardly beside: by all that is seen, and where that leads away, by what surely shows.
    struct Near {
        Beside at;
        Learned::Likeness like;
        double ratio = 0;
    };
    const auto nearBy = [&](bool steady) {
        Near n{l.refined({}, steady), {}, 0};
        if (beyond(n.at) > 1.5) n.at = {};
        const Patch there = l.patchAt(n.at);
        n.ratio = l.ratioOf(there), n.like = m_learned.likeness(there, light);
        return n;
    };
    const auto asUsual = [&](const Near& n) { return n.ratio <= 1 && beyond(n.at) <= 1; };
    Near first = nearBy(false);
    if (!asUsual(first))
        if (Near steady = nearBy(true); asUsual(steady)) first = steady;
    const Beside near = first.at;
    const Learned::Likeness usual = first.like;
    const double ratio = first.ratio;
    s.beside = near, s.alike = usual.alike;
    if (asUsual(first)) {
        s.ratio = std::max(ratio, beyond(near)), s.atPlace = usual.alike;
        return s;
    }
    s.atPlace = m_learned.likeness(s.here, light).alike;
    s.ratio = ratio;
    // Something is the matter: which of the ways it may lie explains what is seen best?
    struct Way {
        Beside at;
        Learned::Likeness like;
    };
    Way best{near, usual};
    const auto consider = [&](const std::vector<Looking::Candidate>& found) {
        for (const Looking::Candidate& one : found) {
            if (one.score < 0.3) continue;
            Way w{l.refined(one.at), {}};
            if (l.correlation(m_levels.back(), w.at) + 0.02 < one.score) w.at = one.at;
            if (l.takenForAnother(w.at)) continue;
            w.like = m_learned.likeness(l.patchAt(w.at), light);
            // The same shape in its place, whatever its colour.
            if (beyond(w.at) <= 1.5 && !w.at.reversed)
                s.correlation = std::max(s.correlation, l.correlation(m_levels.back(), w.at));
            // The usual way round needs less to be believed.
            const double ahead = w.at.reversed != best.at.reversed ? 0.9 : 0.97;
            if (w.like.misfit < ahead * best.like.misfit) best = w;
        }
    };
    consider(l.search(false));
    if (o.marked) consider(l.search(true));
    if (m_hasGround) s.bare = m_ground.likeness(s.here, light).alike;
    const double placeRatio = std::max(l.ratioOf(s.here), ratio);
    s.beside = best.at, s.alike = best.like.alike;
    if (m_hasGround && s.bare >= o.leastAlike && s.bare > best.like.alike) {
        s.named = Named::Missing, s.ratio = std::max(1.01, placeRatio);
        s.beside = {}, s.alike = s.atPlace;
    } else if (best.like.alike < o.leastAlike) {
        // The same shape in another colour or brightness, or no such thing at all.
        s.named = s.correlation > 0.7 ? Named::OtherColour : Named::Another;
        s.ratio = std::max(1.01, placeRatio);
    } else if (best.at.reversed) {
        s.named = Named::Reversed, s.ratio = std::max(1.01, placeRatio);
    } else {
        const double shift = o.mayShift > 0 ? geometry::distance(best.at.shift, {}) / o.mayShift : 0;
        const double turn = mayTurn > 0 ? std::abs(best.at.turn) / mayTurn : 0;
        if (turn > 1 && turn >= shift) s.named = Named::Turned;
        else if (shift > 1) s.named = Named::Shifted;
        else {
            s.named = Named::Different;
            s.ratio = std::max({1.01, l.ratioOf(l.patchAt(best.at)), shift, turn});
            return s;
        }
        s.ratio = std::max({1.01, shift, turn});
    }
    return s;
}

} // namespace vision

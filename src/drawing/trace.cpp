#include "drawing/trace.h"

#include "geometry/fit.h"

#include <algorithm>
#include <array>
#include <ceres/ceres.h>
#include <numeric>

namespace drawing
{
using base::ErrorCode;
using base::fail;
using geometry::kPi;
using geometry::Point;

namespace
{
constexpr int kMostPlaces = 500;
constexpr double kTangent = geometry::radians(7.0);

// Sums of the powers of points from the first on, so that any stretch is fitted at once.
struct Sums {
    std::array<double, 9> s{}; // n x y xx xy yy, z=x²+y²: zx zy zz (z = xx + yy)
};
void add(Sums& to, Point p)
{
    const double z = p.x * p.x + p.y * p.y;
    const double v[9] = {1, p.x, p.y, p.x * p.x, p.x * p.y, p.y * p.y, z * p.x, z * p.y, z * z};
    for (std::size_t i = 0; i < 9; ++i) to.s[i] += v[i];
}
Sums between(const Sums& a, const Sums& b)
{
    Sums out;
    for (std::size_t i = 0; i < 9; ++i) out.s[i] = b.s[i] - a.s[i];
    return out;
}
// Sum of squared distances from the best line.
double lineCost(const Sums& q)
{
    const double n = q.s[0];
    const double xx = q.s[3] - q.s[1] * q.s[1] / n, xy = q.s[4] - q.s[1] * q.s[2] / n,
                 yy = q.s[5] - q.s[2] * q.s[2] / n;
    const double half = (xx + yy) / 2, root = std::hypot((xx - yy) / 2, xy);
    return std::max(0.0, half - root);
}
// Of the algebraic circle (Kåsa), centred for its numbers' sake; squared algebraic distance over (2r)².
double arcCost(const Sums& q, double& radius)
{
    const double n = q.s[0], mx = q.s[1] / n, my = q.s[2] / n;
    const double xx = q.s[3] / n - mx * mx, xy = q.s[4] / n - mx * my, yy = q.s[5] / n - my * my;
    // Moments of z = u² + v² about the mean, u = x - mx, v = y - my.
    const double m0 = mx * mx + my * my;
    const double z = xx + yy;
    // E[z' x], z' = |p|²: E[(|p|² ) x] with p = m + (u, v)
    const double zx = q.s[6] / n, zy = q.s[7] / n, zz = q.s[8] / n;
    const double zu = zx - mx * (q.s[3] + q.s[5]) / n - 2 * (mx * xx + my * xy);
    const double zv = zy - my * (q.s[3] + q.s[5]) / n - 2 * (mx * xy + my * yy);
    // E[(u²+v²)²] = E[(|p|² - 2 m·w - m0)²], w = (u, v)
    const double ez = (q.s[3] + q.s[5]) / n;
    const double mw2 = mx * mx * xx + 2 * mx * my * xy + my * my * yy;
    const double zmw = mx * (zx - mx * ez) + my * (zy - my * ez); // E[|p|² m·w]
    const double z2 = zz - 4 * zmw - 2 * m0 * ez + 4 * mw2 + m0 * m0;
    const double det = xx * yy - xy * xy;
    if (!(det > 1e-9 * z * z)) return 1e300;
    const double a = (zu * yy - zv * xy) / (2 * det), b = (zv * xx - zu * xy) / (2 * det);
    const double r2 = a * a + b * b + z;
    radius = std::sqrt(r2);
    // Residual of u² + v² - 2au - 2bv - z
    const double rest = z2 - z * z - 2 * (a * zu + b * zv);
    return std::max(0.0, rest) * n / (4 * r2);
}

// A primitive of the outline while it is fitted: a line (angle of its normal, distance) or a circle.
struct Shape {
    bool arc = false;
    std::size_t first = 0, last = 0; // points, may run over the end
    std::array<double, 3> v{};       // line: angle of the normal, distance from the origin; arc: centre, radius
    bool bulges = false;             // arc: the points run counter-clockwise as seen round it
    double offset(Point p) const
    {
        if (arc) return geometry::distance(p, {v[0], v[1]}) - v[2];
        return p.x * std::cos(v[0]) + p.y * std::sin(v[0]) - v[1];
    }
    Point wayAt(Point p, Point onwards) const // unit, the way the points run
    {
        if (!arc) {
            const Point d{-std::sin(v[0]), std::cos(v[0])};
            return geometry::dot(d, onwards) < 0 ? d * -1 : d;
        }
        const Point d = geometry::leftOf(geometry::unit(p - Point{v[0], v[1]}));
        return bulges ? d : d * -1;
    }
};

class Tracer
{
public:
    Tracer(const FoundLoop& loop, const TraceOptions& options) : m_loop(loop), m_points(loop.points), o(options) {}
    base::Result<TracedLoop> trace()
    {
        const std::size_t n = m_points.size();
        if (n < 12) return fail(ErrorCode::NoResult, "an outline of " + std::to_string(n) + " points is too short");
        centre();
        if (auto whole = asCircle()) return *whole;
        m_noise = noiseOf();
        split();
        merge();
        trim();
        simplify();
        fitAlone();
        return together();
    }

private:
    Point p(std::size_t i) const { return m_points[i % m_points.size()]; }
    void centre()
    {
        Point sum{};
        for (const Point q : m_points) sum = sum + q;
        m_about = sum * (1.0 / double(m_points.size()));
        for (Point& q : m_points) q = q - m_about;
    }
    double unbent(double radius) const { return (m_loop.blur * m_loop.blur + m_loop.spread) / (2 * radius); }
    std::optional<TracedLoop> asCircle() const
    {
        const auto fit = geometry::fitCircle(m_points, std::max(o.tolerance, 0.25));
        if (!fit || fit->shape.radius < 1) return {};
        double worst = 0, sum = 0;
        for (const Point q : m_points) {
            const double d = std::abs(geometry::distance(q, fit->shape.centre) - fit->shape.radius);
            worst = std::max(worst, d);
            sum += d * d;
        }
        // Round as a whole; a straight side would stand off evenly, not as noise does.
        const double rms = std::sqrt(sum / double(m_points.size()));
        if (worst > o.tolerance || rms > o.tolerance / 2) return {};
        double run = 0, most = 0; // offsets summed over a twelfth of the way
        const std::size_t n = m_points.size(), span = std::max<std::size_t>(4, n / 12);
        for (std::size_t i = 0; i < n + span; ++i) {
            run += geometry::distance(p(i), fit->shape.centre) - fit->shape.radius;
            if (i >= span) run -= geometry::distance(p(i - span), fit->shape.centre) - fit->shape.radius;
            most = std::max(most, std::abs(run) / double(span));
        }
        if (most > std::max(0.12, 0.4 * o.tolerance)) return {};
        TracedLoop out;
        out.elements.push_back(
            arcElement(fit->shape.centre + m_about, fit->shape.radius + unbent(fit->shape.radius), 0, 2 * kPi));
        out.tangent = {true};
        out.rms = rms;
        out.worst = worst;
        return out;
    }
    // Of one point against its neighbours' parabola: one sigma, px.
    double noiseOf() const
    {
        std::vector<double> seen;
        for (std::size_t i = 0; i < m_points.size(); ++i) {
            const std::size_t n = m_points.size();
            const Point way = geometry::unit(p(i + 4) - p(i + n - 4));
            const Point d = p(i) - (p(i + 4) + p(i + n - 4)) * 0.5;
            seen.push_back(std::abs(geometry::cross(way, d)));
        }
        std::nth_element(seen.begin(), seen.begin() + std::ptrdiff_t(seen.size() / 2), seen.end());
        return std::clamp(seen[seen.size() / 2] * 1.4826 / std::sqrt(1.5), 0.01, 0.3);
    }
    // The sharpest place: there an outline surely parts. Without a sharp one the straightest: there it surely does not,
    // and both ends are one.
    std::size_t beginning() const
    {
        const std::size_t n = m_points.size();
        std::size_t best = 0, flat = 0;
        double most = -1, least = 1e300;
        const std::size_t arm = std::clamp<std::size_t>(n / 40, 3, 12);
        for (std::size_t i = 0; i < n; ++i) {
            const Point a = p(i) - p(i + n - arm), b = p(i + arm) - p(i);
            const double turn = std::abs(std::atan2(geometry::cross(a, b), geometry::dot(a, b)));
            if (turn > most) most = turn, best = i;
            double around = 0;
            for (std::size_t k = 0; k < 8; ++k) {
                const Point c = p(i + k * arm + arm) - p(i + k * arm),
                            e = p(i + n - k * arm) - p(i + 2 * n - k * arm - arm);
                around += std::abs(std::atan2(geometry::cross(b, c), geometry::dot(b, c))) +
                          std::abs(std::atan2(geometry::cross(a, e), geometry::dot(a, e)));
            }
            if (around < least) least = around, flat = i;
        }
        return most > geometry::radians(50) ? best : flat;
    }
    void split()
    {
        const std::size_t n = m_points.size(), start = beginning();
        const std::size_t step =
            std::max<std::size_t>(1, n / std::size_t(kMostPlaces) + (n % std::size_t(kMostPlaces) != 0));
        std::vector<std::size_t> places;
        for (std::size_t i = 0; i < n; i += step) places.push_back(i);
        places.push_back(n);
        const std::size_t m = places.size();
        std::vector<Sums> sums(n + 1);
        for (std::size_t i = 0; i < n; ++i) {
            sums[i + 1] = sums[i];
            add(sums[i + 1], p(start + i));
        }
        // Neighbouring points share pixels: they count as fewer.
        const double together = 4, variance = m_noise * m_noise * together;
        const double penalty = 2 * std::log(double(n)), worst = o.tolerance * o.tolerance * 0.4;
        std::vector<double> cost(m, 1e300);
        std::vector<std::size_t> from(m, 0);
        std::vector<char> arcs(m, 0);
        cost[0] = 0;
        for (std::size_t j = 1; j < m; ++j) {
            int failed = 0;
            for (std::size_t i = j; i-- > 0;) {
                const std::size_t count = places[j] - places[i];
                if (count < 3 && j != m - 1 && i != 0) continue;
                const Sums q = between(sums[places[i]], sums[places[j]]);
                double radius = 0;
                const double line = lineCost(q), arc = count >= 8 ? arcCost(q, radius) : 1e300;
                const bool round = radius >= o.leastRadius && radius <= o.mostRadius;
                const double meanLine = line / double(count), meanArc = arc / double(count);
                double best = 1e300;
                bool isArc = false;
                if (meanLine < worst) best = line / variance + 2 * penalty;
                if (round && meanArc < worst && arc / variance + 3 * penalty < best)
                    best = arc / variance + 3 * penalty, isArc = true;
                if (best < 1e300 && cost[i] + best < cost[j]) {
                    cost[j] = cost[i] + best;
                    from[j] = i;
                    arcs[j] = isArc;
                }
                // Longer stretches only get worse.
                failed = best == 1e300 && count > 8 ? failed + 1 : 0;
                if (failed > 12) break;
            }
            if (cost[j] >= 1e300) { // never stuck
                cost[j] = cost[j - 1] + 10 * penalty;
                from[j] = j - 1;
            }
        }
        for (std::size_t j = m - 1; j > 0; j = from[j]) {
            Shape s;
            s.arc = arcs[j] != 0;
            s.first = start + places[from[j]];
            s.last = start + places[j] - 1;
            m_shapes.push_back(s);
        }
        std::reverse(m_shapes.begin(), m_shapes.end());
    }
    std::size_t countOf(const Shape& s) const { return s.last - s.first + 1; }
    Sums sumsOf(std::size_t first, std::size_t last) const
    {
        Sums q;
        for (std::size_t i = first; i <= last; ++i) add(q, p(i));
        return q;
    }
    // Bends too tight to be drawn are corners: their points go to nobody. The first and the last may be one.
    void merge()
    {
        std::vector<Shape> kept;
        for (const Shape& s : m_shapes) {
            const std::size_t count = countOf(s);
            double radius = 1e300;
            if (count >= 5) arcCost(sumsOf(s.first, s.last), radius);
            const bool tight = s.arc ? radius < o.leastRadius + m_loop.blur : false;
            if (count < 6 || tight) continue;
            kept.push_back(s);
        }
        if (kept.size() >= 2) {
            const Shape &a = kept.back(), &b = kept.front();
            const std::size_t n = m_points.size();
            const std::size_t gap = b.first + n - a.last;
            if (a.arc == b.arc && gap < 6) {
                double radius = 0;
                const Sums q = sumsOf(a.first, b.last + n);
                const double c = (a.arc ? arcCost(q, radius) : lineCost(q)) / q.s[0];
                if (c < std::max(m_noise * m_noise * 4, 0.02)) {
                    kept.front().first = a.first;
                    kept.front().last = b.last + n;
                    kept.pop_back();
                }
            }
        }
        if (kept.empty()) kept = m_shapes;
        m_shapes = std::move(kept);
    }
    bool smooth(std::size_t k) const // at the beginning of shape k
    {
        const Shape &a = m_shapes[(k + m_shapes.size() - 1) % m_shapes.size()], &b = m_shapes[k];
        const Point between = (p(a.last) + p(b.first)) * 0.5;
        // Two that touch or nearly do meet at a small angle whose size the noise decides: the distance tells better.
        if (a.arc || b.arc) {
            const Shape &arc = a.arc ? a : b, &other = a.arc ? b : a;
            const Point c{arc.v[0], arc.v[1]};
            double touch = 0, small = arc.v[2];
            if (!other.arc) touch = std::abs(other.offset(c)) - arc.v[2];
            else {
                const double d = geometry::distance(c, {other.v[0], other.v[1]});
                small = std::min(small, other.v[2]);
                touch = a.bulges == b.bulges ? std::abs(arc.v[2] - other.v[2]) - d : d - arc.v[2] - other.v[2];
            }
            if (std::abs(touch) > std::max(0.25, small * (1 - std::cos(kTangent)))) return false;
        }
        const Point at = meeting(a, b, true, between);
        const Point in = a.wayAt(at, p(a.last) - p(a.first)), out = b.wayAt(at, p(b.last) - p(b.first));
        return std::abs(std::atan2(geometry::cross(in, out), geometry::dot(in, out))) < kTangent;
    }
    // The points beside a break say little of either side: a sharp one is rounded by the blur.
    void trim()
    {
        fitAlone();
        const std::size_t shapes = m_shapes.size();
        std::vector<char> soft(shapes);
        std::vector<std::size_t> before(shapes); // points between it and the one before, half of them
        for (std::size_t k = 0; k < shapes; ++k) {
            soft[k] = m_shapes.size() > 1 && smooth(k);
            const std::size_t n = m_points.size(), last = m_shapes[(k + shapes - 1) % shapes].last;
            before[k] = ((m_shapes[k].first + 2 * n - last - 1) % n) / 2;
        }
        for (std::size_t k = 0; k < shapes; ++k) {
            Shape& s = m_shapes[k];
            const std::size_t count = countOf(s);
            const std::size_t sharp = std::size_t(std::ceil(2 + 2.5 * m_loop.blur + std::sqrt(m_loop.spread)));
            // Where a bend begins, the blur still sees the straight side.
            const std::size_t gentle =
                count > 60 ? std::size_t(std::ceil(2 * std::hypot(m_loop.blur, std::sqrt(m_loop.spread)))) : 1;
            std::size_t head = soft[k] ? gentle : sharp, tail = soft[(k + 1) % shapes] ? gentle : sharp;
            // What lies between them went to nobody already.
            head -= std::min(head, before[k]);
            tail -= std::min(tail, before[(k + 1) % shapes]);
            if (shapes == 1) head = tail = 0;
            while (head + tail + 5 > count && (head > 0 || tail > 0)) {
                if (head > 0) --head;
                if (tail > 0 && head + tail + 5 > count) --tail;
            }
            s.first += head;
            s.last -= tail;
        }
    }
    // What two neighbours say is said by one; a bend no one could see is a line; a short bend beside a sharp corner is that
    // corner.
    void simplify()
    {
        const double seen = std::max(m_noise * m_noise * 4, 0.01); // px², mean
        const std::size_t n = m_points.size();
        const double corner = 4 + 3 * m_loop.blur + std::sqrt(m_loop.spread);
        for (Shape& s : m_shapes)
            if (s.arc) {
                const Sums q = sumsOf(s.first, s.last);
                if (lineCost(q) / q.s[0] < seen) s.arc = false;
            }
        const auto joined = [&] {
            for (std::size_t k = 0; k < m_shapes.size(); ++k) {
                const std::size_t next = (k + 1) % m_shapes.size();
                const Shape &s = m_shapes[k], &b = m_shapes[next];
                if (s.arc != b.arc) continue;
                std::size_t last = b.last;
                while (last < s.first) last += n;
                while (last >= s.first + n) last -= n;
                if (last <= s.first || last - s.first + 1 < countOf(s) + countOf(b)) continue;
                double radius = 0;
                const Sums q = sumsOf(s.first, last);
                if ((s.arc ? arcCost(q, radius) : lineCost(q)) / q.s[0] >= seen) continue;
                m_shapes[k].last = last;
                m_shapes.erase(m_shapes.begin() + std::ptrdiff_t(next));
                return true;
            }
            return false;
        };
        const auto dropped = [&] {
            for (std::size_t k = 0; k < m_shapes.size(); ++k) {
                const double length = double(countOf(m_shapes[k]));
                const bool sharp = !smooth(k) || !smooth((k + 1) % m_shapes.size());
                // From its neighbours' ends on: what was cut off beside it included.
                const std::size_t shapes = m_shapes.size();
                const std::size_t span =
                    (m_shapes[(k + 1) % shapes].first + 2 * n - m_shapes[(k + shapes - 1) % shapes].last) % n;
                // How far a bend stays away from the corner its neighbours would make: less than blur does is that corner.
                bool bluntOnly = false;
                if (const Shape& s = m_shapes[k]; s.arc && s.v[2] > 0) {
                    const double turn = std::min(double(countOf(s)) / s.v[2], 2.5);
                    bluntOnly =
                        length < 2.5 * corner && s.v[2] * (1 / std::cos(turn / 2) - 1) < 1.2 + 0.8 * m_loop.blur;
                }
                if (bluntOnly) {
                    m_shapes.erase(m_shapes.begin() + std::ptrdiff_t(k));
                    return true;
                }
                if (!sharp || (length >= (m_shapes[k].arc ? corner : 0.75 * corner) && double(span) >= 2.2 * corner))
                    continue;
                m_shapes.erase(m_shapes.begin() + std::ptrdiff_t(k));
                return true;
            }
            return false;
        };
        while (m_shapes.size() > 2) {
            fitAlone();
            if (!joined() && !dropped()) break;
        }
    }
    void fitAlone()
    {
        for (Shape& s : m_shapes) {
            std::vector<Point> own;
            for (std::size_t i = s.first; i <= s.last; ++i) own.push_back(p(i));
            if (s.arc) {
                if (const auto fit = geometry::fitCircle(own, std::max(o.tolerance, 0.25))) {
                    s.v = {fit->shape.centre.x, fit->shape.centre.y, fit->shape.radius};
                    const Point a = own.front() - fit->shape.centre, m = own[own.size() / 2] - fit->shape.centre;
                    s.bulges = geometry::cross(a, m) < 0; // y down: counter-clockwise as seen
                    continue;
                }
                s.arc = false;
            }
            if (const auto fit = geometry::fitLine(own, std::max(o.tolerance, 0.25))) {
                const Point d = fit->shape.along(), normal{-d.y, d.x};
                s.v = {std::atan2(normal.y, normal.x), geometry::dot(normal, fit->shape.from), 0};
            }
        }
    }
    // ---- all at once
    struct OnLine {
        Point q;
        double weight;
        template <class T> bool operator()(const T* const v, T* r) const
        {
            r[0] = (T(q.x) * cos(v[0]) + T(q.y) * sin(v[0]) - v[1]) * T(weight);
            return true;
        }
    };
    struct OnArc {
        Point q;
        double weight, variance; // of blur and averaging: the bend is undone here
        template <class T> bool operator()(const T* const v, T* r) const
        {
            const T x = T(q.x) - v[0], y = T(q.y) - v[1];
            r[0] = (sqrt(x * x + y * y) + T(variance) / (T(2) * v[2]) - v[2]) * T(weight);
            return true;
        }
    };
    struct LineMeetsArc {
        double side; // of the line the centre is on
        template <class T> bool operator()(const T* const line, const T* const arc, T* r) const
        {
            r[0] = ((arc[0] * cos(line[0]) + arc[1] * sin(line[0]) - line[1]) * T(side) - arc[2]) * T(kStiff);
            return true;
        }
    };
    struct ArcMeetsArc {
        bool inside; // one in the other
        double sign;
        template <class T> bool operator()(const T* const a, const T* const b, T* r) const
        {
            const T x = a[0] - b[0], y = a[1] - b[1];
            const T d = sqrt(x * x + y * y + T(1e-18));
            r[0] = (inside ? d - (a[2] - b[2]) * T(sign) : d - a[2] - b[2]) * T(kStiff);
            return true;
        }
    };
    static constexpr double kStiff = 1e5;

    base::Result<TracedLoop> together()
    {
        const std::size_t n = m_shapes.size();
        if (n == 1 && !m_shapes[0].arc) return fail(ErrorCode::NoResult, "the outline is no closed line");
        std::vector<char> tangent(n, 0);
        if (n > 1)
            for (std::size_t k = 0; k < n; ++k) {
                const Shape &a = m_shapes[(k + n - 1) % n], &b = m_shapes[k];
                tangent[k] = (a.arc || b.arc) && smooth(k);
            }
        ceres::Problem problem;
        const double variance = m_loop.blur * m_loop.blur + m_loop.spread;
        for (Shape& s : m_shapes) {
            for (std::size_t i = s.first; i <= s.last; ++i) {
                const double w = 1 / m_noise;
                auto* loss = new ceres::HuberLoss(3);
                if (s.arc)
                    problem.AddResidualBlock(new ceres::AutoDiffCostFunction<OnArc, 1, 3>(new OnArc{p(i), w, variance}),
                                             loss, s.v.data());
                else
                    problem.AddResidualBlock(new ceres::AutoDiffCostFunction<OnLine, 1, 3>(new OnLine{p(i), w}), loss,
                                             s.v.data());
            }
            if (!s.arc) problem.SetManifold(s.v.data(), new ceres::SubsetManifold(3, {2}));
        }
        for (std::size_t k = 0; k < n; ++k) {
            if (!tangent[k]) continue;
            Shape &a = m_shapes[(k + n - 1) % n], &b = m_shapes[k];
            if (a.v.data() == b.v.data()) continue;
            if (a.arc && b.arc) {
                const bool inside = a.bulges == b.bulges;
                problem.AddResidualBlock(new ceres::AutoDiffCostFunction<ArcMeetsArc, 1, 3, 3>(
                                             new ArcMeetsArc{inside, a.v[2] >= b.v[2] ? 1.0 : -1.0}),
                                         nullptr, a.v.data(), b.v.data());
            } else {
                Shape &line = a.arc ? b : a, &arc = a.arc ? a : b;
                const double side = line.offset({arc.v[0], arc.v[1]}) >= 0 ? 1 : -1;
                problem.AddResidualBlock(new ceres::AutoDiffCostFunction<LineMeetsArc, 1, 3, 3>(new LineMeetsArc{side}),
                                         nullptr, line.v.data(), arc.v.data());
            }
        }
        ceres::Solver::Options solver;
        solver.max_num_iterations = 100;
        solver.function_tolerance = 1e-12;
        solver.parameter_tolerance = 1e-12;
        solver.linear_solver_type = n > 60 ? ceres::SPARSE_NORMAL_CHOLESKY : ceres::DENSE_QR;
        solver.logging_type = ceres::SILENT;
        ceres::Solver::Summary summary;
        ceres::Solve(solver, &problem, &summary);
        return assembled(tangent);
    }
    // Where a and b meet, nearest to where the points say.
    Point meeting(const Shape& a, const Shape& b, bool tangent, Point near) const
    {
        const Point ca{a.v[0], a.v[1]}, cb{b.v[0], b.v[1]};
        const auto onLine = [](const Shape& l, Point q) {
            return q - Point{std::cos(l.v[0]), std::sin(l.v[0])} * l.offset(q);
        };
        if (!a.arc && !b.arc) {
            const Point na{std::cos(a.v[0]), std::sin(a.v[0])}, nb{std::cos(b.v[0]), std::sin(b.v[0])};
            const double det = geometry::cross(na, nb);
            if (std::abs(det) < 1e-9) return near;
            return {(a.v[1] * nb.y - b.v[1] * na.y) / det, (na.x * b.v[1] - nb.x * a.v[1]) / det};
        }
        if (a.arc != b.arc) {
            const Shape &line = a.arc ? b : a, &arc = a.arc ? a : b;
            const Point c{arc.v[0], arc.v[1]}, foot = onLine(line, c);
            const double h = geometry::distance(c, foot);
            if (tangent || h >= arc.v[2]) return foot;
            const Point way{-std::sin(line.v[0]), std::cos(line.v[0])};
            const double half = std::sqrt(arc.v[2] * arc.v[2] - h * h);
            const Point x = foot + way * half, y = foot - way * half;
            return geometry::distance(x, near) < geometry::distance(y, near) ? x : y;
        }
        const double d = geometry::distance(ca, cb);
        if (d < 1e-9) return near;
        const Point u = (cb - ca) * (1 / d);
        const double along = (d * d + a.v[2] * a.v[2] - b.v[2] * b.v[2]) / (2 * d);
        const double h2 = a.v[2] * a.v[2] - along * along;
        if (tangent || h2 <= 0) {
            const Point x = ca + u * a.v[2], y = ca - u * a.v[2];
            return geometry::distance(x, near) < geometry::distance(y, near) ? x : y;
        }
        const Point x = ca + u * along + geometry::leftOf(u) * std::sqrt(h2),
                    y = ca + u * along - geometry::leftOf(u) * std::sqrt(h2);
        return geometry::distance(x, near) < geometry::distance(y, near) ? x : y;
    }
    base::Result<TracedLoop> assembled(const std::vector<char>& tangent) const
    {
        const std::size_t n = m_shapes.size();
        TracedLoop out;
        std::vector<Point> joints(n); // at the beginning of each
        for (std::size_t k = 0; k < n; ++k) {
            const Shape &a = m_shapes[(k + n - 1) % n], &b = m_shapes[k];
            joints[k] = meeting(a, b, tangent[k] != 0, (p(a.last) + p(b.first)) * 0.5);
        }
        double sum = 0;
        std::size_t count = 0;
        for (std::size_t k = 0; k < n; ++k) {
            const Shape& s = m_shapes[k];
            const Point from = joints[k], to = joints[(k + 1) % n];
            if (!s.arc) {
                out.elements.push_back(lineElement(from + m_about, to + m_about));
            } else {
                const Point c{s.v[0], s.v[1]};
                const double a = geometry::angleOf(from - c), b = geometry::angleOf(to - c);
                double sweep = s.bulges ? b - a : a - b;
                while (sweep <= 1e-9) sweep += 2 * kPi;
                if (n == 1) sweep = 2 * kPi;
                Element e = arcElement(c + m_about, s.v[2], s.bulges ? a : b, sweep);
                // Ends meet to the last digit.
                if (n > 1) {
                    e.from = (s.bulges ? from : to) + m_about;
                    e.to = (s.bulges ? to : from) + m_about;
                }
                out.elements.push_back(e);
            }
            out.tangent.push_back(tangent[k] != 0);
            for (std::size_t i = s.first; i <= s.last; ++i) {
                const double d = std::abs(s.offset(p(i)) + (s.arc ? unbent(s.v[2]) : 0));
                sum += d * d;
                out.worst = std::max(out.worst, d);
                ++count;
            }
        }
        out.rms = count ? std::sqrt(sum / double(count)) : 0;
        return out;
    }

    const FoundLoop& m_loop;
    std::vector<Point> m_points; // about their centre
    Point m_about;
    TraceOptions o;
    double m_noise = 0.05;
    std::vector<Shape> m_shapes;
};
} // namespace

base::Result<TracedLoop> traceLoop(const FoundLoop& loop, const TraceOptions& options)
{
    return Tracer(loop, options).trace();
}

} // namespace drawing

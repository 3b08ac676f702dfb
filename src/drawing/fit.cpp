#include "drawing/fit.h"

#include <Eigen/Dense>
#include <algorithm>

namespace drawing
{
using base::ErrorCode;
using base::fail;
using geometry::kPi;
using geometry::Point;

namespace
{
Point turned(Point p, double angle) // counter-clockwise as seen
{
    const double c = std::cos(angle), s = std::sin(angle);
    return {p.x * c + p.y * s, -p.x * s + p.y * c};
}
// q → about + turned(q - about) × grow + shift: applied to found places in mm, it is taken into the pose.
struct Change {
    Point about, shift;
    double turn = 0, grow = 1;
    Point map(Point q) const { return about + turned(q - about, turn) * grow + shift; }
    Point back(Point q) const { return about + turned(q - about - shift, -turn) * (1 / grow); }
};
Laid changed(const Laid& laid, const Change& c)
{
    Laid out = laid;
    const Point origin = laid.toPicture(c.back({0, 0})),
                ahead = laid.toPicture(c.back({laid.mirrored ? -1.0 : 1.0, 0}));
    out.pose = {origin, geometry::angleOf(ahead - origin)};
    out.pxPerMm = laid.pxPerMm / c.grow;
    return out;
}
double medianOf(std::vector<double> v)
{
    if (v.empty()) return 0;
    const auto middle = v.begin() + std::ptrdiff_t(v.size() / 2);
    std::nth_element(v.begin(), middle, v.end());
    return *middle;
}
} // namespace

base::Result<Laying> lay(const std::vector<Pairing>& pairs, const Laid& start, const LayingOptions& o)
{
    const std::size_t n = pairs.size();
    if (n < 3) return fail(ErrorCode::NoResult, "fewer than 3 edge points of the drawing are seen");
    Laying out;
    out.laid = start;
    Point about{};
    for (const Pairing& p : pairs) about = about + p.at * (1.0 / double(n));
    const int free = o.scale ? 4 : 3;
    double size = 0;
    for (const Pairing& p : pairs) size = std::max(size, geometry::distance(p.at, about));
    if (!(size > 0)) return fail(ErrorCode::NoResult, "all edge points of the drawing lie in one place");
    for (int round = 0; round < o.rounds; ++round) {
        out.residuals.resize(n);
        std::vector<double> sizes(n);
        std::vector<Point> found(n);
        for (std::size_t i = 0; i < n; ++i) {
            found[i] = out.laid.toDrawing(pairs[i].found);
            out.residuals[i] = geometry::dot(found[i] - pairs[i].at, pairs[i].outward);
            sizes[i] = std::abs(out.residuals[i]);
        }
        const double cut = 4.685 * std::max(1.4826 * medianOf(sizes), o.floor);
        Eigen::Matrix4d a = Eigen::Matrix4d::Zero();
        Eigen::Vector4d b = Eigen::Vector4d::Zero();
        out.used.assign(n, false);
        out.usedCount = 0;
        double sum = 0;
        for (std::size_t i = 0; i < n; ++i) {
            const double r = out.residuals[i] / cut;
            if (std::abs(r) >= 1) continue;
            out.used[i] = true;
            ++out.usedCount;
            sum += out.residuals[i] * out.residuals[i];
            const double w = (1 - r * r) * (1 - r * r);
            const Point normal = pairs[i].outward, arm = (pairs[i].at - about) * (1 / size);
            const Point spin{arm.y, -arm.x}; // where a small turn counter-clockwise carries it
            const Eigen::Vector4d row(normal.x, normal.y, geometry::dot(normal, spin), geometry::dot(normal, arm));
            a += w * row * row.transpose();
            b -= w * out.residuals[i] * row;
        }
        if (out.usedCount < 3) return fail(ErrorCode::NoResult, "fewer than 3 edge points lie near the drawing");
        out.rms = std::sqrt(sum / out.usedCount);
        const auto top = a.topLeftCorner(free, free);
        const Eigen::SelfAdjointEigenSolver<Eigen::MatrixXd> own(top);
        // A circle alone has no turn: what is free stays as it was.
        Eigen::VectorXd step = Eigen::VectorXd::Zero(free);
        const double most = own.eigenvalues().maxCoeff();
        for (int k = 0; k < free; ++k)
            if (own.eigenvalues()[k] > 1e-6 * most)
                step +=
                    own.eigenvectors().col(k) * (own.eigenvectors().col(k).dot(b.head(free)) / own.eigenvalues()[k]);
        Change c;
        c.about = about;
        c.shift = {step[0], step[1]};
        c.turn = std::clamp(step[2] / size, -0.2, 0.2);
        if (o.scale) c.grow = std::clamp(1 + step[3] / size, 0.8, 1.25);
        out.laid = changed(out.laid, c);
        if (round > 1 &&
            geometry::length(c.shift) + std::abs(c.turn) * size + std::abs(c.grow - 1) * size < 1e-7 * size)
            break;
    }
    for (std::size_t i = 0; i < n; ++i)
        out.residuals[i] = geometry::dot(out.laid.toDrawing(pairs[i].found) - pairs[i].at, pairs[i].outward);
    return out;
}

Point Likeness::map(Point mm) const { return turned({mirrored ? -mm.x : mm.x, mm.y}, turn) + shift; }

std::vector<Likeness> likenesses(const Outline& outline, double reach, double leastShare)
{
    // The centre of the material must come to lie on itself.
    const Point centre = outline.centre();
    const auto coarse = outline.stations(outline.length() / 160, 4);
    const auto fine = outline.stations(outline.length() / 800, 8);
    const auto shareOf = [&](const std::vector<Outline::Foot>& stations, const Likeness& l, double within) {
        int in = 0;
        for (const auto& s : stations) {
            const auto f = outline.nearest(l.map(s.at), within);
            if (!f) continue;
            const Point n = turned({l.mirrored ? -s.outward.x : s.outward.x, s.outward.y}, l.turn);
            in += f->atCorner || geometry::dot(n, f->outward) > 0.9;
        }
        return double(in) / double(stations.size());
    };
    std::vector<Likeness> out;
    double farthest = 0;
    for (const auto& s : coarse) farthest = std::max(farthest, geometry::distance(s.at, centre));
    const double step = geometry::radians(1.0), rough = std::max(reach, farthest * step);
    for (const bool mirrored : {false, true}) {
        const auto motion = [&](double turn) {
            Likeness l;
            l.mirrored = mirrored;
            l.turn = turn;
            l.shift = centre - turned({mirrored ? -centre.x : centre.x, centre.y}, turn);
            return l;
        };
        std::vector<double> shares(360);
        for (int i = 0; i < 360; ++i) shares[std::size_t(i)] = shareOf(coarse, motion(i * step), rough);
        for (int i = 0; i < 360; ++i) {
            const double s = shares[std::size_t(i)];
            if (s < leastShare * 0.9 || (!mirrored && i == 0)) continue;
            if (shares[std::size_t((i + 359) % 360)] > s || shares[std::size_t((i + 1) % 360)] >= s) continue;
            // Where it fits best nearby.
            Likeness best = motion(i * step);
            best.share = shareOf(fine, best, reach);
            for (double h = step / 2; h > 1e-5; h /= 2)
                for (const double sign : {-1.0, 1.0}) {
                    Likeness l = motion(best.turn + sign * h);
                    l.share = shareOf(fine, l, reach);
                    if (l.share > best.share) best = l;
                }
            if (best.share < leastShare) continue;
            if (!mirrored && std::abs(geometry::wrapped(best.turn)) < step) continue;
            out.push_back(best);
        }
    }
    std::stable_sort(out.begin(), out.end(), [](const auto& a, const auto& b) { return a.share > b.share; });
    if (out.size() > 24) out.resize(24);
    return out;
}

Laid alike(const Laid& laid, const Likeness& l)
{
    // What was drawn at p now lies where l.map(p) was drawn.
    Laid out = laid;
    out.mirrored = laid.mirrored != l.mirrored;
    const Point origin = laid.toPicture(l.map({0, 0}));
    const Point ahead = laid.toPicture(l.map({out.mirrored ? -1.0 : 1.0, 0}));
    out.pose = {origin, geometry::angleOf(ahead - origin)};
    return out;
}

} // namespace drawing

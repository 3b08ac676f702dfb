#include "vision/calibrate.h"

#include "base/unit.h"
#include "geometry/zones.h"

#include <Eigen/Dense>
#include <algorithm>
#include <ceres/ceres.h>
#include <ceres/rotation.h>
#include <cmath>

namespace vision
{
using geometry::Camera;
using geometry::Point;

namespace
{
Eigen::Matrix3d normaliser(const std::vector<Point>& p)
{
    Point m;
    for (const Point q : p) m = m + q * (1.0 / double(p.size()));
    double d = 0;
    for (const Point q : p) d += geometry::distance(q, m) / double(p.size());
    const double s = d > 0 ? std::sqrt(2.0) / d : 1;
    Eigen::Matrix3d n;
    n << s, 0, -s * m.x, 0, s, -s * m.y, 0, 0, 1;
    return n;
}
// Plane (mm) → picture (px), direct linear transform.
Eigen::Matrix3d homography(const std::vector<Point>& from, const std::vector<Point>& to)
{
    const Eigen::Matrix3d a = normaliser(from), b = normaliser(to);
    Eigen::Matrix<double, 9, 9> sum = Eigen::Matrix<double, 9, 9>::Zero();
    for (std::size_t i = 0; i < from.size(); ++i) {
        const Eigen::Vector3d p = a * Eigen::Vector3d(from[i].x, from[i].y, 1),
                              q = b * Eigen::Vector3d(to[i].x, to[i].y, 1);
        Eigen::Matrix<double, 9, 1> r1, r2;
        r1 << p[0], p[1], 1, 0, 0, 0, -q[0] * p[0], -q[0] * p[1], -q[0];
        r2 << 0, 0, 0, p[0], p[1], 1, -q[1] * p[0], -q[1] * p[1], -q[1];
        sum += r1 * r1.transpose() + r2 * r2.transpose();
    }
    const Eigen::SelfAdjointEigenSolver<Eigen::Matrix<double, 9, 9>> solver(sum);
    const Eigen::Matrix<double, 9, 1> h = solver.eigenvectors().col(0);
    Eigen::Matrix3d m;
    m << h[0], h[1], h[2], h[3], h[4], h[5], h[6], h[7], h[8];
    m = b.inverse() * m * a;
    return m / m(2, 2);
}

// f, f/aspect, cx, cy, k1, k2, p1, p2, k3
constexpr int kInner = 9;
template <class T> void projected(const T* inner, const T* turn, const T* shift, const T* p, T* out)
{
    T q[3];
    ceres::AngleAxisRotatePoint(turn, p, q);
    const T x = (q[0] + shift[0]) / (q[2] + shift[2]), y = (q[1] + shift[1]) / (q[2] + shift[2]);
    const T r2 = x * x + y * y;
    const T radial = T(1) + r2 * (inner[4] + r2 * (inner[5] + r2 * inner[8]));
    out[0] = inner[0] * (x * radial + T(2) * inner[6] * x * y + inner[7] * (r2 + T(2) * x * x)) + inner[2];
    out[1] = inner[1] * (y * radial + inner[6] * (r2 + T(2) * y * y) + T(2) * inner[7] * x * y) + inner[3];
}
struct PointError {
    double x, y, px, py;
    template <class T> bool operator()(const T* inner, const T* pose, T* r) const
    {
        const T p[3] = {T(x), T(y), T(0)};
        T out[2];
        projected(inner, pose, pose + 3, p, out);
        r[0] = out[0] - T(px), r[1] = out[1] - T(py);
        return true;
    }
};
// Holds what the pictures leave open; in px, thousands of times weaker than the points.
struct Pull {
    double f, cx, cy, width, weight;
    template <class T> bool operator()(const T* inner, T* r) const
    {
        r[0] = T(weight) * log(inner[0] / T(f));
        r[1] = T(weight * 30) * log(inner[0] / inner[1]);
        r[2] = T(weight) * (inner[2] - T(cx)) / T(0.1 * width);
        r[3] = T(weight) * (inner[3] - T(cy)) / T(0.1 * width);
        // Distortion at the corner of the picture, not the coefficient itself.
        const T edge = T(0.25 * width * width) / (inner[0] * inner[0]);
        r[4] = T(weight) * inner[4] * edge;
        r[5] = T(weight) * inner[5] * edge * edge;
        r[6] = T(weight * 10) * inner[6] * sqrt(edge);
        r[7] = T(weight * 10) * inner[7] * sqrt(edge);
        r[8] = T(weight) * inner[8] * edge * edge * edge;
        return true;
    }
};

struct State {
    double inner[kInner]{};
    std::vector<std::array<double, 6>> poses;
};

// Focal length from homographies with the centre in the middle: the columns of K^-1 H are square to each other and of
// equal length.
std::optional<double> focalOf(const std::vector<Eigen::Matrix3d>& all, double cx, double cy)
{
    double top = 0, bottom = 0;
    for (const Eigen::Matrix3d& raw : all) {
        Eigen::Matrix3d h = raw;
        h.row(0) -= cx * raw.row(2);
        h.row(1) -= cy * raw.row(2);
        h /= h.norm();
        // u / f² + v = 0 for both conditions; least squares over all.
        const double u1 = h(0, 0) * h(0, 1) + h(1, 0) * h(1, 1), v1 = h(2, 0) * h(2, 1);
        const double u2 = h(0, 0) * h(0, 0) + h(1, 0) * h(1, 0) - h(0, 1) * h(0, 1) - h(1, 1) * h(1, 1),
                     v2 = h(2, 0) * h(2, 0) - h(2, 1) * h(2, 1);
        top += u1 * u1 + u2 * u2, bottom += -(u1 * v1 + u2 * v2);
    }
    if (!(bottom > 0) || !(top > 0)) return std::nullopt;
    return std::sqrt(top / bottom);
}

void startPose(const Eigen::Matrix3d& h, double f, double cx, double cy, std::array<double, 6>& pose)
{
    Eigen::Matrix3d k;
    k << f, 0, cx, 0, f, cy, 0, 0, 1;
    Eigen::Matrix3d m = k.inverse() * h;
    double s = 2 / (m.col(0).norm() + m.col(1).norm());
    if (m(2, 2) * s < 0) s = -s;
    m *= s;
    Eigen::Matrix3d r;
    r.col(0) = m.col(0), r.col(1) = m.col(1), r.col(2) = m.col(0).cross(m.col(1));
    const Eigen::JacobiSVD<Eigen::Matrix3d> svd(r, Eigen::ComputeFullU | Eigen::ComputeFullV);
    r = svd.matrixU() * svd.matrixV().transpose();
    const Eigen::AngleAxisd turn(r);
    const Eigen::Vector3d v = turn.axis() * turn.angle();
    pose = {v[0], v[1], v[2], m(0, 2), m(1, 2), m(2, 2)};
}

Camera cameraOf(const State& s)
{
    Camera c;
    c.fx = s.inner[0], c.fy = s.inner[1], c.cx = s.inner[2], c.cy = s.inner[3];
    c.k1 = s.inner[4], c.k2 = s.inner[5], c.p1 = s.inner[6], c.p2 = s.inner[7], c.k3 = s.inner[8];
    return c;
}
Point seenAt(const State& s, std::size_t view, double x, double y)
{
    const double p[3] = {x, y, 0};
    double out[2];
    projected(s.inner, s.poses[view].data(), s.poses[view].data() + 3, p, out);
    return {out[0], out[1]};
}
// Where the centroid of a dot lies against the picture of its centre.
Point dotShift(const State& s, std::size_t view, double x, double y, double radius)
{
    constexpr int n = 48;
    Point q[n];
    for (int i = 0; i < n; ++i)
        q[i] = seenAt(s, view, x + radius * std::cos(2 * geometry::kPi * i / n),
                      y + radius * std::sin(2 * geometry::kPi * i / n));
    const Point c = seenAt(s, view, x, y);
    double area = 0;
    Point sum;
    for (int i = 0; i < n; ++i) {
        const Point a = q[i] - c, b = q[(i + 1) % n] - c;
        const double w = geometry::cross(a, b);
        area += w, sum = sum + (a + b) * (w / 3);
    }
    return std::abs(area) > 1e-12 ? sum * (1 / area) : Point{};
}
} // namespace

base::Result<LensFit> calibrate(const Target& target, const std::vector<TargetView>& views, int planeView)
{
    if (auto ok = target.check(); !ok) return base::passOn(ok.error());
    if (views.empty()) return base::fail(base::ErrorCode::InvalidArgument, "no picture shows the target");
    if (planeView < 0 || planeView >= int(views.size()))
        return base::fail(base::ErrorCode::OutOfRange,
                          "the picture of the measuring plane is not among those that were found");
    for (const TargetView& v : views) {
        if (v.width != views.front().width || v.height != views.front().height)
            return base::fail(base::ErrorCode::InvalidArgument,
                              "pictures of one calibration must be of one size: " + views.front().name + " is " +
                                  std::to_string(views.front().width) + "×" + std::to_string(views.front().height) +
                                  ", " + v.name + " is " + std::to_string(v.width) + "×" + std::to_string(v.height));
        if (v.points.size() < 8)
            return base::fail(base::ErrorCode::NoResult,
                              v.name + " has only " + std::to_string(v.points.size()) + " points");
    }
    const double width = std::max(views.front().width, views.front().height);
    const double cx = (views.front().width - 1) / 2.0, cy = (views.front().height - 1) / 2.0;
    std::vector<Eigen::Matrix3d> all;
    std::vector<std::vector<Point>> flat, seen;
    for (const TargetView& v : views) {
        std::vector<Point> a, b;
        for (const TargetPoint& p : v.points)
            a.push_back({p.column * target.pitch, p.row * target.pitch}), b.push_back(p.at);
        all.push_back(homography(a, b));
        flat.push_back(std::move(a)), seen.push_back(std::move(b));
    }
    State s;
    const double usual = 8 * width; // of a lens far away, when nothing says otherwise
    const auto focal = focalOf(all, cx, cy);
    const double f = std::clamp(focal.value_or(usual), 0.3 * width, 60 * width);
    s.inner[0] = s.inner[1] = f, s.inner[2] = cx, s.inner[3] = cy;
    s.poses.resize(views.size());
    for (std::size_t i = 0; i < views.size(); ++i) startPose(all[i], f, cx, cy, s.poses[i]);

    std::vector<std::vector<char>> used(views.size());
    for (std::size_t i = 0; i < views.size(); ++i) used[i].assign(flat[i].size(), 1);
    std::vector<std::vector<Point>> shift(views.size());
    for (std::size_t i = 0; i < views.size(); ++i) shift[i].assign(flat[i].size(), Point{});
    double doubt = 1e9; // of the focal length, relative
    const auto solve = [&](const std::vector<int>& held, bool robust, bool last) {
        ceres::Problem problem;
        ceres::LossFunction* loss = robust ? new ceres::HuberLoss(1.0) : nullptr;
        for (std::size_t i = 0; i < views.size(); ++i)
            for (std::size_t k = 0; k < flat[i].size(); ++k)
                if (used[i][k])
                    problem.AddResidualBlock(
                        new ceres::AutoDiffCostFunction<PointError, 2, kInner, 6>(new PointError{
                            flat[i][k].x, flat[i][k].y, seen[i][k].x - shift[i][k].x, seen[i][k].y - shift[i][k].y}),
                        loss, s.inner, s.poses[i].data());
        problem.AddResidualBlock(
            new ceres::AutoDiffCostFunction<Pull, 9, kInner>(new Pull{focal ? f : usual, cx, cy, width, 0.02}), nullptr,
            s.inner);
        if (!held.empty()) problem.SetManifold(s.inner, new ceres::SubsetManifold(kInner, held));
        problem.SetParameterLowerBound(s.inner, 0, 0.1 * width);
        problem.SetParameterUpperBound(s.inner, 0, 1000 * width);
        problem.SetParameterLowerBound(s.inner, 1, 0.1 * width);
        problem.SetParameterUpperBound(s.inner, 1, 1000 * width);
        ceres::Solver::Options o;
        o.linear_solver_type = ceres::DENSE_SCHUR;
        o.max_num_iterations = last ? 200 : 60;
        o.function_tolerance = last ? 1e-14 : 1e-9;
        o.parameter_tolerance = 1e-13, o.gradient_tolerance = 1e-13;
        o.logging_type = ceres::SILENT;
        auto* order = new ceres::ParameterBlockOrdering;
        for (auto& pose : s.poses) order->AddElementToGroup(pose.data(), 0);
        order->AddElementToGroup(s.inner, 1);
        o.linear_solver_ordering.reset(order);
        ceres::Solver::Summary summary;
        ceres::Solve(o, &problem, &summary);
        if (last && held.empty()) {
            ceres::Covariance::Options co;
            co.algorithm_type = ceres::DENSE_SVD;
            co.null_space_rank = -1;
            ceres::Covariance covariance(co);
            double v[kInner * kInner];
            if (views.size() <= 40 &&
                covariance.Compute(std::vector<std::pair<const double*, const double*>>{{s.inner, s.inner}},
                                   &problem) &&
                covariance.GetCovarianceBlock(s.inner, s.inner, v)) {
                const double sigma2 =
                    2 * summary.final_cost / std::max(1, summary.num_residuals - 9 - 6 * int(views.size()));
                doubt = std::sqrt(std::max(0.0, v[0]) * sigma2) / s.inner[0];
            } else if (views.size() > 40) {
                doubt = 0;
            }
        }
    };
    // From the coarse to the whole: poses and focal length, then the bending of the lens, then all.
    solve({2, 3, 4, 5, 6, 7, 8}, true, false);
    solve({2, 3, 5, 6, 7, 8}, true, false);
    solve({2, 3, 6, 7, 8}, true, false);
    solve({}, true, false);
    const bool dots = target.kind == TargetKind::Dots;
    LensFit out;
    for (int round = 0; round < 3; ++round) {
        if (dots)
            for (std::size_t i = 0; i < views.size(); ++i)
                for (std::size_t k = 0; k < flat[i].size(); ++k)
                    shift[i][k] = dotShift(s, i, flat[i][k].x, flat[i][k].y, target.dotDiameter() / 2);
        // Points far off what the rest says were misread.
        std::vector<double> sizes;
        for (std::size_t i = 0; i < views.size(); ++i)
            for (std::size_t k = 0; k < flat[i].size(); ++k)
                sizes.push_back(geometry::distance(seen[i][k] - shift[i][k], seenAt(s, i, flat[i][k].x, flat[i][k].y)));
        std::vector<double> sorted = sizes;
        std::nth_element(sorted.begin(), sorted.begin() + std::ptrdiff_t(sorted.size() / 2), sorted.end());
        const double most = std::max(0.5, 7 * sorted[sorted.size() / 2]);
        std::size_t n = 0;
        for (std::size_t i = 0; i < views.size(); ++i)
            for (std::size_t k = 0; k < flat[i].size(); ++k) used[i][k] = sizes[n++] <= most;
        solve({}, false, round == 2);
    }
    double square = 0;
    std::vector<Point> hull;
    for (std::size_t i = 0; i < views.size(); ++i) {
        ViewFit v;
        std::copy_n(s.poses[i].begin(), 3, v.plane.turn.begin());
        std::copy_n(s.poses[i].begin() + 3, 3, v.plane.shift.begin());
        v.used = used[i];
        double own = 0;
        int count = 0;
        for (std::size_t k = 0; k < flat[i].size(); ++k) {
            const Point r = seen[i][k] - shift[i][k] - seenAt(s, i, flat[i][k].x, flat[i][k].y);
            v.residuals.push_back(r);
            if (!used[i][k]) {
                ++out.dropped;
                continue;
            }
            own += geometry::dot(r, r), ++count;
            v.max = std::max(v.max, geometry::length(r));
            hull.push_back(seen[i][k]);
        }
        v.rms = std::sqrt(own / std::max(1, count));
        square += own, out.points += count;
        out.max = std::max(out.max, v.max);
        out.views.push_back(std::move(v));
    }
    out.rms = std::sqrt(square / std::max(1, out.points));
    if (out.points < 12 || !(out.rms < 20))
        return base::fail(base::ErrorCode::NoResult,
                          "no lens fits these points (" + base::toText(out.rms, 1) + " px off on average)");
    geometry::Calibration::Lens lens;
    lens.width = views.front().width, lens.height = views.front().height;
    lens.camera = cameraOf(s);
    lens.plane = out.views[std::size_t(planeView)].plane;
    lens.covered = geometry::convexHull(hull);
    lens.rmsPx = out.rms, lens.maxPx = out.max;
    // In mm: each point of the measuring plane's picture carried back.
    geometry::Calibration c = geometry::Calibration::lens(lens, "");
    double mmSquare = 0, mmMax = 0;
    int mmCount = 0;
    const std::size_t p = std::size_t(planeView);
    for (std::size_t k = 0; k < flat[p].size(); ++k) {
        if (!used[p][k]) continue;
        const double d = geometry::distance(c.mm(seen[p][k] - shift[p][k]), flat[p][k]);
        mmSquare += d * d, mmMax = std::max(mmMax, d), ++mmCount;
    }
    lens.rmsMm = std::sqrt(mmSquare / std::max(1, mmCount)), lens.maxMm = mmMax;
    out.focalKnown = doubt < 0.02;
    out.calibration = geometry::Calibration::lens(std::move(lens), "");
    return out;
}

} // namespace vision

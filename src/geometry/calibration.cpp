#include "geometry/calibration.h"

#include <Eigen/Dense>
#include <algorithm>

namespace geometry
{
namespace
{
struct Bent {
    Point at;
    double xx, xy, yx, yy; // derivatives of at by the normalised place
};
Bent bend(const Camera& c, Point n)
{
    const double r2 = n.x * n.x + n.y * n.y;
    const double radial = 1 + r2 * (c.k1 + r2 * (c.k2 + r2 * c.k3));
    const double slope = 2 * (c.k1 + r2 * (2 * c.k2 + r2 * 3 * c.k3)); // d radial / d r2, doubled
    Bent b;
    b.at = {n.x * radial + 2 * c.p1 * n.x * n.y + c.p2 * (r2 + 2 * n.x * n.x),
            n.y * radial + c.p1 * (r2 + 2 * n.y * n.y) + 2 * c.p2 * n.x * n.y};
    b.xx = radial + n.x * n.x * slope + 2 * c.p1 * n.y + 6 * c.p2 * n.x;
    b.xy = n.x * n.y * slope + 2 * c.p1 * n.x + 2 * c.p2 * n.y;
    b.yx = n.x * n.y * slope + 2 * c.p1 * n.x + 2 * c.p2 * n.y;
    b.yy = radial + n.y * n.y * slope + 6 * c.p1 * n.y + 2 * c.p2 * n.x;
    return b;
}
} // namespace

Point Camera::project(Point n) const
{
    const Point d = bend(*this, n).at;
    return {fx * d.x + cx, fy * d.y + cy};
}

Point Camera::normal(Point pixel) const
{
    const Point want{(pixel.x - cx) / fx, (pixel.y - cy) / fy};
    Point n = want;
    // Newton from the place itself, outwards or inwards; a step that would cross the fold of the lens is halved.
    for (int i = 0; i < 60; ++i) {
        const Bent b = bend(*this, n);
        const Point off = want - b.at;
        if (std::abs(off.x) + std::abs(off.y) < 1e-14) break;
        const double det = b.xx * b.yy - b.xy * b.yx;
        if (!(det > 1e-9)) {
            n = n * 0.9; // beyond the fold: back to where the lens is one to one
            continue;
        }
        Point step{(b.yy * off.x - b.xy * off.y) / det, (b.xx * off.y - b.yx * off.x) / det};
        const double far = length(step), most = 0.3 * (1 + length(n));
        if (far > most) step = step * (most / far);
        Point next = n + step;
        for (int k = 0; k < 6; ++k) {
            const Bent there = bend(*this, next);
            if (there.xx * there.yy - there.xy * there.yx > 1e-9) break;
            step = step * 0.5, next = n + step;
        }
        n = next;
    }
    return n;
}

std::array<double, 9> rotationOf(const std::array<double, 3>& turn)
{
    const Eigen::Vector3d v(turn[0], turn[1], turn[2]);
    const double angle = v.norm();
    const Eigen::Matrix3d r = angle < 1e-14 ? Eigen::Matrix3d(Eigen::Matrix3d::Identity())
                                            : Eigen::AngleAxisd(angle, v / angle).toRotationMatrix();
    return {r(0, 0), r(0, 1), r(0, 2), r(1, 0), r(1, 1), r(1, 2), r(2, 0), r(2, 1), r(2, 2)};
}

Calibration Calibration::factor(double mmPerPixel, std::string by)
{
    Calibration c;
    c.m_kind = mmPerPixel > 0 ? Kind::Factor : Kind::None;
    c.m_mmPerPixel = mmPerPixel > 0 ? mmPerPixel : 0;
    if (c.m_kind == Kind::Factor) c.m_by = std::move(by);
    return c;
}

Calibration Calibration::lens(Lens lens, std::string by)
{
    Calibration c;
    c.m_kind = Kind::Lens;
    c.m_lens = std::move(lens);
    c.m_by = std::move(by);
    c.prepare();
    return c;
}

void Calibration::prepare()
{
    m_rotation = rotationOf(m_lens.plane.turn);
    const auto& r = m_rotation;
    const auto& t = m_lens.plane.shift;
    Eigen::Matrix3d h;
    h << r[0], r[1], t[0], r[3], r[4], t[1], r[6], r[7], t[2];
    const Eigen::Matrix3d back = std::abs(h.determinant()) > 1e-300 ? Eigen::Matrix3d(h.inverse())
                                                                    : Eigen::Matrix3d(Eigen::Matrix3d::Identity());
    for (int i = 0; i < 9; ++i) m_inverse[std::size_t(i)] = back(i / 3, i % 3);
    Point middle{(m_lens.width - 1) / 2.0, (m_lens.height - 1) / 2.0};
    if (!m_lens.covered.empty()) {
        double left = 1e300, right = -1e300, top = 1e300, bottom = -1e300;
        for (const Point p : m_lens.covered)
            left = std::min(left, p.x), right = std::max(right, p.x), top = std::min(top, p.y),
            bottom = std::max(bottom, p.y);
        middle = {(left + right) / 2, (top + bottom) / 2};
    }
    m_anchorPicture = middle;
    m_anchorPlane = plane(middle);
    const Point right = (plane(middle + Point{0.5, 0}) - plane(middle - Point{0.5, 0}));
    const Point down = (plane(middle + Point{0, 0.5}) - plane(middle - Point{0, 0.5}));
    // Scale and turn that come nearest to the change there (polar decomposition in the plane).
    m_mmPerPixel = std::sqrt(std::abs(cross(right, down)));
    const double angle = std::atan2(right.y - down.x, right.x + down.y);
    m_cos = std::cos(angle), m_sin = std::sin(angle);
}

double Calibration::knownDistance() const
{
    if (m_kind != Kind::Lens) return m_distance;
    // From the lens to the plane, square to it.
    const auto& r = m_rotation;
    const auto& t = m_lens.plane.shift;
    return std::abs(r[2] * t[0] + r[5] * t[1] + r[8] * t[2]);
}

base::Status Calibration::setHeight(double thickness, double distance)
{
    using base::ErrorCode;
    if (!(std::abs(thickness) <= 1e5))
        return base::fail(ErrorCode::OutOfRange, "thickness is outside -100000 .. 100000 mm");
    if (!(distance >= 0 && distance <= 1e7))
        return base::fail(ErrorCode::OutOfRange, "lens_distance is outside 0 .. 10000000 mm");
    if (thickness != 0) {
        if (m_kind == Kind::None)
            return base::fail(ErrorCode::InvalidArgument, "a thickness needs a calibration first");
        const double known = m_kind == Kind::Lens ? knownDistance() : distance;
        if (!(known > 0))
            return base::fail(
                ErrorCode::InvalidArgument,
                "a thickness needs lens_distance: how far the lens stands from the plane of the target, in mm");
        if (!(thickness < 0.9 * known))
            return base::fail(ErrorCode::OutOfRange, "thickness must be less than nine tenths of the lens distance");
    }
    m_thickness = thickness, m_distance = distance;
    return {};
}

Point Calibration::plane(Point picture) const
{
    const Point n = m_lens.camera.normal(picture);
    const auto& q = m_inverse;
    double w = q[6] * n.x + q[7] * n.y + q[8];
    // A ray along the plane or away from it: held just before the horizon.
    const double front = q[8] > 0 ? 1 : -1;
    if (w * front < 1e-9) w = front * 1e-9;
    return {(q[0] * n.x + q[1] * n.y + q[2]) / w, (q[3] * n.x + q[4] * n.y + q[5]) / w};
}
Point Calibration::fromPlane(Point mm) const
{
    const auto& r = m_rotation;
    const auto& t = m_lens.plane.shift;
    const double z = std::max(1e-9, r[6] * mm.x + r[7] * mm.y + t[2]);
    return m_lens.camera.project({(r[0] * mm.x + r[1] * mm.y + t[0]) / z, (r[3] * mm.x + r[4] * mm.y + t[1]) / z});
}

Point Calibration::level(Point p) const
{
    if (m_kind != Kind::Lens) return p;
    const Point d = plane(p) - m_anchorPlane;
    return m_anchorPicture + Point{d.x * m_cos + d.y * m_sin, -d.x * m_sin + d.y * m_cos} * (1 / m_mmPerPixel);
}
Point Calibration::picture(Point p) const
{
    if (m_kind != Kind::Lens) return p;
    const Point d = (p - m_anchorPicture) * m_mmPerPixel;
    return fromPlane(m_anchorPlane + Point{d.x * m_cos - d.y * m_sin, d.x * m_sin + d.y * m_cos});
}
// A part at a height is seen enlarged about the foot of the lens on the plane.
Point Calibration::mm(Point p) const
{
    if (m_kind != Kind::Lens) return p * mmPerPixel();
    const Point on = plane(p);
    if (m_thickness == 0) return on;
    const auto& r = m_rotation;
    const auto& t = m_lens.plane.shift;
    const Point lens{-(r[0] * t[0] + r[3] * t[1] + r[6] * t[2]), -(r[1] * t[0] + r[4] * t[1] + r[7] * t[2])};
    return lens + (on - lens) * heightFactor();
}
Point Calibration::fromMm(Point p) const
{
    if (m_kind != Kind::Lens) return m_mmPerPixel > 0 ? p * (1 / mmPerPixel()) : p;
    if (m_thickness == 0) return fromPlane(p);
    const auto& r = m_rotation;
    const auto& t = m_lens.plane.shift;
    const Point lens{-(r[0] * t[0] + r[3] * t[1] + r[6] * t[2]), -(r[1] * t[0] + r[4] * t[1] + r[7] * t[2])};
    return fromPlane(lens + (p - lens) * (1 / heightFactor()));
}

Calibration::Local Calibration::local(Point p) const
{
    if (m_kind != Kind::Lens) return {{1, 0}, {0, 1}};
    return {level(p + Point{0.5, 0}) - level(p - Point{0.5, 0}), level(p + Point{0, 0.5}) - level(p - Point{0, 0.5})};
}

double Calibration::tilt() const
{
    if (m_kind != Kind::Lens) return 0;
    return degrees(std::acos(std::clamp(std::abs(m_rotation[8]), 0.0, 1.0)));
}
bool Calibration::covers(Point p) const
{
    if (m_kind != Kind::Lens) return true;
    const auto& c = m_lens.covered;
    if (c.size() < 3) return false;
    int left = 0, right = 0;
    for (std::size_t i = 0; i < c.size(); ++i) {
        const double s = cross(c[(i + 1) % c.size()] - c[i], p - c[i]);
        left += s > 1e-9, right += s < -1e-9;
    }
    return left == 0 || right == 0;
}
double Calibration::coveredShare() const
{
    if (m_kind != Kind::Lens || m_lens.width <= 0 || m_lens.height <= 0) return m_kind == Kind::Factor ? 1 : 0;
    double twice = 0;
    const auto& c = m_lens.covered;
    for (std::size_t i = 0; i < c.size(); ++i) twice += cross(c[i], c[(i + 1) % c.size()]);
    return std::abs(twice) / 2 / (double(m_lens.width) * m_lens.height);
}

base::Status Calibration::check() const
{
    using base::ErrorCode;
    const auto bad = [](const std::string& field, const std::string& bound) {
        return base::fail(ErrorCode::OutOfRange, field + " is outside " + bound);
    };
    if (m_kind == Kind::None) return {};
    if (m_kind == Kind::Lens) {
        const Camera& c = m_lens.camera;
        if (m_lens.width < 1 || m_lens.width > 100000 || m_lens.height < 1 || m_lens.height > 100000)
            return bad("width or height", "1 .. 100000 px");
        if (!(c.fx > 1 && c.fx < 1e8 && c.fy > 1 && c.fy < 1e8)) return bad("fx or fy", "1 .. 100000000 px");
        if (!(std::abs(c.cx) < 1e6 && std::abs(c.cy) < 1e6)) return bad("cx or cy", "-1000000 .. 1000000 px");
        for (const double k : {c.k1, c.k2, c.k3, c.p1, c.p2})
            if (!(std::abs(k) < 1e8)) return bad("a distortion coefficient", "-1e8 .. 1e8");
        for (const double v : {m_lens.plane.turn[0], m_lens.plane.turn[1], m_lens.plane.turn[2]})
            if (!(std::abs(v) < 10)) return bad("the plane's rotation", "-10 .. 10 rad");
        for (const double v : {m_lens.plane.shift[0], m_lens.plane.shift[1], m_lens.plane.shift[2]})
            if (!(std::abs(v) < 1e8)) return bad("the plane's translation", "-1e8 .. 1e8 mm");
        if (!(m_lens.plane.shift[2] > 0))
            return bad("the plane's distance", "the room before the lens: translation[2] must be above 0");
        for (const Point p : m_lens.covered)
            if (!(std::abs(p.x) < 1e6 && std::abs(p.y) < 1e6)) return bad("covered", "-1000000 .. 1000000 px");
    }
    if (!(m_mmPerPixel >= 1e-9 && m_mmPerPixel <= 1e6)) return bad("mm_per_px", "1e-9 .. 1000000");
    return {};
}

bool operator==(const Calibration& a, const Calibration& b)
{
    return a.m_kind == b.m_kind && a.m_mmPerPixel == b.m_mmPerPixel && a.m_by == b.m_by &&
           a.m_thickness == b.m_thickness && a.m_distance == b.m_distance && a.m_scaleSpread == b.m_scaleSpread &&
           (a.m_kind != Calibration::Kind::Lens || a.m_lens == b.m_lens);
}

} // namespace geometry

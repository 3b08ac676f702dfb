// geometry.h - points, lines, circles and frames in picture coordinates.
//
// Said once for the whole product: pixel centres are whole numbers, x to the right, y down, in px. Angles are
// counter-clockwise as seen on the screen, so the direction of angle a is (cos a, -sin a). Angles are radians here and
// degrees wherever a person sees them.
#pragma once
#include <cmath>
#include <numbers>
#include <vector>

namespace geometry
{

constexpr double kPi = std::numbers::pi;
constexpr double degrees(double radians) { return radians * 180.0 / kPi; }
constexpr double radians(double degree) { return degree * kPi / 180.0; }
// Wrapped to (-pi, pi].
double wrapped(double angle);

struct Point {
    double x = 0, y = 0;
    friend Point operator+(Point a, Point b) { return {a.x + b.x, a.y + b.y}; }
    friend Point operator-(Point a, Point b) { return {a.x - b.x, a.y - b.y}; }
    friend Point operator*(Point a, double k) { return {a.x * k, a.y * k}; }
    friend bool operator==(Point a, Point b) { return a.x == b.x && a.y == b.y; }
};
inline double dot(Point a, Point b) { return a.x * b.x + a.y * b.y; }
inline double cross(Point a, Point b) { return a.x * b.y - a.y * b.x; }
inline double length(Point a) { return std::hypot(a.x, a.y); }
inline double distance(Point a, Point b) { return length(a - b); }
inline Point direction(double angle) { return {std::cos(angle), -std::sin(angle)}; }
inline double angleOf(Point d) { return std::atan2(-d.y, d.x); }
inline Point unit(Point d)
{
    const double n = length(d);
    return n > 0 ? d * (1 / n) : Point{1, 0};
}
// A quarter turn to the left hand of the direction as seen (counter-clockwise).
inline Point leftOf(Point d) { return {d.y, -d.x}; }

// A part coordinate frame: origin in picture px and the angle of its x direction. Its y direction points down when the
// angle is 0.
struct Pose {
    Point origin;
    double angle = 0;
    Point toPicture(Point local) const
    {
        const double c = std::cos(angle), s = std::sin(angle);
        return {origin.x + local.x * c + local.y * s, origin.y - local.x * s + local.y * c};
    }
    Point toLocal(Point picture) const
    {
        const double c = std::cos(angle), s = std::sin(angle);
        const Point d = picture - origin;
        return {d.x * c - d.y * s, d.x * s + d.y * c};
    }
    friend bool operator==(const Pose& a, const Pose& b) { return a.origin == b.origin && a.angle == b.angle; }
};
// Carries what stands at `reference` over to `now`: turned, shifted and grown about the origin.
struct Motion {
    Pose reference, now;
    double scale = 1; // of the part now against the reference
    Point carry(Point p) const { return now.toPicture(reference.toLocal(p) * scale); }
    double turn() const { return now.angle - reference.angle; }
    Motion inverse() const { return {now, reference, 1 / scale}; }
};

// The line through two ends; the ends say how far it was seen.
struct Segment {
    Point from, to;
    Point along() const { return unit(to - from); }
    double length() const { return geometry::distance(from, to); }
};
// A circle, or the arc of it that was seen.
struct Circle {
    Point centre;
    double radius = 0;
    double start = 0, sweep = 2 * kPi; // radians, counter-clockwise
    bool isArc() const { return sweep < 2 * kPi - 1e-9; }
};
struct Ellipse {
    Point centre;
    double major = 0, minor = 0; // full axes
    double angle = 0;            // of the longer one, radians
};
// Distance of p from the ellipse to first order, always positive; for picking.
double offsetFromOutline(const Ellipse& e, Point p);

// Signed distance of p from the endless line, positive on the left hand side as seen.
double signedDistance(const Segment& line, Point p);
Point foot(const Segment& line, Point p);
// False when the lines are parallel to within 1e-12.
bool crossing(const Segment& a, const Segment& b, Point& out);
// Angle between two lines, 0 .. pi/2.
double angleBetween(const Segment& a, const Segment& b);

} // namespace geometry

// calibration.h - how places in the picture and places on a flat scene belong together: nothing, a plain factor, or a
// lens with tilt.
//
// Input   places in picture px (pixel centres whole numbers) or in mm on the plane of the calibration target (x along
//         its columns, y along its rows).
// Output  the other one. *Level px* are a third kind: the plane seen straight from above, in units of mmPerPixel, laid
//         so that they agree with the picture's px in place, scale and turn at the middle of the covered area. All
//         measuring is done in level px; the picture itself is never resampled for it. Without tilt and lens level px
//         are picture px.
// Fails   check(): OutOfRange naming the field. A place from which no ray reaches the plane comes back as the nearest
//         that does.
// Accuracy  there and back within 1e-9 px inside the picture (tests/calibration_test.cpp).
// Source  pinhole with radial k1, k2, k3 and tangential p1, p2: Brown 1971; plane in space as in Zhang 2000. Inverse by
//         Newton's method.
#pragma once
#include "base/result.h"
#include "geometry/geometry.h"

#include <array>
#include <string>
#include <vector>

namespace geometry
{

struct Camera {
    double fx = 0, fy = 0, cx = 0, cy = 0; // px
    double k1 = 0, k2 = 0, k3 = 0, p1 = 0, p2 = 0;
    friend bool operator==(const Camera&, const Camera&) = default;
    // From the normalised picture plane (x/z, y/z) to px and back.
    Point project(Point normal) const;
    Point normal(Point pixel) const;
};

// The plane z = 0 of the target in the camera's frame: p = R (X, Y, 0) + t. Turn as a vector along its axis, radians;
// shift in mm.
struct PlanePose {
    std::array<double, 3> turn{}, shift{};
    friend bool operator==(const PlanePose&, const PlanePose&) = default;
};

class Calibration
{
public:
    enum class Kind { None, Factor, Lens };
    Calibration() = default;
    static Calibration factor(double mmPerPixel, std::string by);
    struct Lens {
        int width = 0, height = 0; // px, of the pictures it holds for
        Camera camera;
        PlanePose plane;
        std::vector<Point> covered; // px, corners of the area it was proved in; convex
        double rmsPx = 0, maxPx = 0, rmsMm = 0, maxMm = 0;
        friend bool operator==(const Lens&, const Lens&) = default;
    };
    static Calibration lens(Lens lens, std::string by);

    Kind kind() const { return m_kind; }
    const Lens& lens() const { return m_lens; }
    const std::string& by() const { return m_by; }
    // mm a level px is worth, at the height of the part; 0: not calibrated.
    double mmPerPixel() const { return m_mmPerPixel * heightFactor(); }
    // The same in the plane of the target.
    double mmPerPixelOfTarget() const { return m_mmPerPixel; }
    bool bends() const { return m_kind == Kind::Lens; } // level px are not the picture's px

    // Parts that stand above the plane of the target by `thickness` mm look larger. The lens lies `distance` mm above
    // that plane; a calibration by lens knows it and takes 0 here. Fails with InvalidArgument when the distance is
    // needed and missing, or too small.
    base::Status setHeight(double thickness, double distance);
    double thickness() const { return m_thickness; }
    double lensDistance() const { return m_distance; } // as given; 0: not given
    double knownDistance() const;                      // from the lens model, else as given

    // One standard deviation of mmPerPixel() against its true value, as a share of it; 0: not known.
    double scaleSpread() const { return m_scaleSpread; }
    void setScaleSpread(double share) { m_scaleSpread = share; }

    Point level(Point picture) const;
    Point picture(Point level) const;
    Point mm(Point picture) const; // at the height of the part
    Point fromMm(Point mm) const;
    // Of picture → level at a place: columns are where a px to the right and a px down go.
    struct Local {
        Point right, down;
        double area() const { return cross(right, down); }
        Point carry(Point d) const { return right * d.x + down * d.y; }
    };
    Local local(Point picture) const;
    double tilt() const; // degrees between the line of sight and the plane's normal
    bool covers(Point picture) const;
    double coveredShare() const; // of the picture, 0 to 1
    base::Status check() const;
    friend bool operator==(const Calibration& a, const Calibration& b);

private:
    double heightFactor() const { return m_thickness == 0 ? 1 : 1 - m_thickness / knownDistance(); }
    void prepare();
    Point plane(Point picture) const;
    Point fromPlane(Point mm) const;

    Kind m_kind = Kind::None;
    double m_mmPerPixel = 0, m_thickness = 0, m_distance = 0, m_scaleSpread = 0;
    std::string m_by;
    Lens m_lens;
    // worked out by prepare()
    std::array<double, 9> m_rotation{};
    std::array<double, 9> m_inverse{}; // normalised picture → plane, homogeneous
    Point m_anchorPicture, m_anchorPlane;
    double m_cos = 1, m_sin = 0; // plane directions → level directions
};

// Rotation matrix, row by row, of a turn vector (Rodrigues).
std::array<double, 9> rotationOf(const std::array<double, 3>& turn);

} // namespace geometry

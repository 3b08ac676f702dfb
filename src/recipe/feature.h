// feature.h - geometry a step finds, and the marks it leaves on the picture. All places in picture px; a plane's heights
// in mm.
#pragma once
#include "geometry/geometry.h"
#include "geometry/plane.h"

#include <map>
#include <string>
#include <variant>
#include <vector>

namespace recipe
{

// An outline, in order; closed when its last point is followed by its first.
struct Contour {
    std::vector<geometry::Point> points;
    bool closed = true;
};
// Many objects in their stated order.
struct Group {
    struct Member {
        geometry::Point centre;
        double angle = 0;             // radians, of the longer side
        double length = 0, width = 0; // px, of the smallest turned box
    };
    std::vector<Member> members;
    std::vector<geometry::Point> extent; // corners of all members' boxes
    std::size_t unlisted = 0;            // objects that were found and are no members: the list is cut off
};

enum class FeatureType { Point, Line, Circle, Ellipse, Contour, Group, Plane };
using Feature = std::variant<geometry::Point, geometry::Segment, geometry::Circle, geometry::Ellipse, Contour, Group,
                             geometry::HeightPlane>;
inline FeatureType typeOf(const Feature& f) { return FeatureType(f.index()); }
inline const char* name(FeatureType t)
{
    constexpr const char* names[] = {"point", "line", "circle", "ellipse", "contour", "group", "plane"};
    return names[std::size_t(t)];
}
// The place a feature stands for: its centre, its middle.
geometry::Point placeOf(const Feature& f);
// The numbers a feature is made of, where they are few: point x, y; line from and to; circle centre and radius; ellipse
// centre, both axes, angle. Empty: none such.
std::vector<double> numbersOf(const Feature& f);
// The same feature with other numbers; as many as numbersOf() gives.
Feature withNumbers(const Feature& f, const std::vector<double>& numbers);

enum class MarkShape { Polyline, Polygon, Circle, Points, Dimension, Frame, Angle, Deviation };
enum class MarkRole { Found, Stray, Used, Datum };
// What the sheet, the annotated picture and the report all draw.
struct Mark {
    MarkShape shape = MarkShape::Polyline;
    MarkRole role = MarkRole::Found;
    // Dimension: its two ends; Frame: origin and the end of the x arrow; Circle: centre; Angle: apex, then places on
    // the first leg, half way and on the second leg (an arc of `radius`; 0: as large as is seen well)
    std::vector<geometry::Point> points;
    double radius = 0;
    std::string text; // object number or so
    int element = 0;  // of a list, from 1: the mark takes that element's verdict
    // Deviation: pairs of places, where the outline is drawn and where it was found, with the signed distance of each in
    // mm, positive where there is too much material; beyond ± tolerance it is out.
    std::vector<double> offsets{};
    double tolerance = 0;
};

// A datum's answer: where the part is.
struct Find {
    geometry::Pose pose;
    double score = 0;
    double scale = 1; // of the part against the reference
    // What else is known of this one, by output, as the kind declares it; said beside it.
    std::map<std::string, double> values{};
    std::string note{};
    bool rejected = false; // of a part beyond the wanted ones: it is none of them for this reason, the note
};

} // namespace recipe

// feature.h - geometry a step finds, and the marks it leaves on the picture. All places in picture px.
#pragma once
#include "geometry/geometry.h"

#include <string>
#include <variant>
#include <vector>

namespace recipe
{

enum class FeatureType { Point, Line, Circle };
using Feature = std::variant<geometry::Point, geometry::Segment, geometry::Circle>;
inline FeatureType typeOf(const Feature& f) { return FeatureType(f.index()); }
inline const char* name(FeatureType t) { return t == FeatureType::Point ? "point" : t == FeatureType::Line ? "line" : "circle"; }

enum class MarkShape { Polyline, Polygon, Circle, Points, Dimension, Frame };
enum class MarkRole { Found, Stray, Used, Datum };
// What the sheet, the annotated picture and the report all draw.
struct Mark {
    MarkShape shape = MarkShape::Polyline;
    MarkRole role = MarkRole::Found;
    std::vector<geometry::Point> points; // Dimension: its two ends; Frame: origin and the end of the x arrow; Circle: centre
    double radius = 0;
    std::string text; // object number or so
    int element = 0;  // of a list, from 1: the mark takes that element's verdict
};

// A datum's answer: where the part is.
struct Find {
    geometry::Pose pose;
    double score = 0;
};

} // namespace recipe

// kind_gestures.h - every kind of step made by a hand on the demo's part, and what its value must then be.
#pragma once
#include "demo/reed_plate.h"
#include "geometry/geometry.h"

#include <vector>

namespace gestures
{
using geometry::Point;

// What a person's hand does on the part, in mm of the plate (x along it, y down).
struct Hand {
    enum class Way { Stroke, Area, Click } way = Way::Stroke;
    std::vector<Point> path;
};
inline Hand stroke(Point a, Point b) { return {Hand::Way::Stroke, {a, b}}; }
inline Hand area(Point a, Point b) { return {Hand::Way::Area, {a, b}}; }
inline Hand tap(Point a) { return {Hand::Way::Click, {a}}; }

struct Making {
    const char* kind;
    Hand hand;
    const char* output;     // "": nothing is known of its values
    double low, high;       // what it must be, mm, mm², degrees or a number
    const char* words = ""; // of the reading that is meant
};
inline std::vector<Making> makings()
{
    const double slot = demo::kFirstSlot + 3 * demo::kSlotPitch, hole = demo::kHolePitch / 2, y = demo::kHoleY;
    const double side = demo::kPlateWidth / 2, end = demo::kPlateLength / 2, area_ = geometry::kPi * 1.6 * 1.6;
    return {
        {"pattern", area({-end - 2, -side - 2}, {end + 2, side + 2}), "score", 0.9, 1},
        {"two_holes", stroke({-hole, y}, {hole, y}), "angle", -0.2, 0.2},
        {"corner",
         {Hand::Way::Stroke, {{-8, -side}, {-30, -side}, {-end, -side}, {-end, -4}, {-end, 6}}},
         "between",
         89.7,
         90.3},
        {"blob_datum", tap({slot, 0}), "finds", 1, 1},
        {"line", stroke({-20, side}, {24, side}), "datum_angle", -0.1, 0.1},
        {"circle", tap({hole, y}), "diameter", 3.17, 3.23},
        {"ellipse", tap({hole, y}), "major", 3.15, 3.26},
        {"edge_point", stroke({6, -side - 4}, {6, -side + 2}), "position", 3.9, 4.1},
        {"contour", area({hole - 3, y - 3}, {hole + 3, y + 3}), "area", area_ - 0.25, area_ + 0.15},
        {"crossing", stroke({-20, -side}, {-end, 0}), "along_x", -end - 0.06, -end + 0.06},
        {"midpoint", stroke({-hole, y}, {hole, y}), "along_x", -0.03, 0.03},
        {"bisector", stroke({10, -side}, {10, side}), "datum_angle", -0.1, 0.1},
        {"foot", stroke({10, -side}, {hole, y}), "along_x", hole - 0.05, hole + 0.05},
        {"line_through", stroke({-hole, y}, {hole, y}), "length", 91.97, 92.03},
        {"element", tap({slot, 0}), "along_x", slot - 0.08, slot + 0.08},
        {"blobs", area({-43, -11}, {41, 11}), "count", 10, 10},
        {"blobs", tap({slot, 0}), "count", 10, 10, "this and its like"},
        {"learned_area", area({-43, -11}, {41, 11}), "ratio", 0, 0.2},
        {"component_places", area({slot - 2, -9.5}, {slot + 2, 9.5}), "count", 0, 0},
        {"joint_areas", area({hole - 1.5, y - 1.5}, {hole + 1.5, y + 1.5}), "count", 0, 0},
        {"area_share", area({hole - 3, y - 3}, {hole + 3, y + 3}), "share", 0, 100},
        {"edge_pair", stroke({-34, -side - 3}, {-34, side + 3}), "distance", 25.97, 26.03},
        {"distance", stroke({-hole, y}, {hole, y}), "distance", 91.97, 92.03},
        {"distances", stroke({slot, 0}, {slot + 2, -side}), "least", 2, 26},
        {"each_object", tap({slot, 0}), "least", 0.5, 20},
        {"angle", stroke({-20, -side}, {-end, 0}), "angle", 89.8, 90.2},
        {"farthest", stroke({-40, -side}, {40, -side}), "size", 0, 0.08},
        {"straightness", stroke({20, -side}, {24, -side - 6}), "zone", 0.001, 0.15},
        {"roundness", stroke({hole, y}, {hole - 5, y - 5}), "zone", 0.001, 0.15},
        {"parallelism", stroke({10, -side}, {10, side}), "zone", 0.001, 0.15},
        {"perpendicularity", stroke({-end, 0}, {-20, -side}), "zone", 0.001, 0.25},
        {"position", stroke({hole, y}, {hole - 5, y - 5}), "position", 0, 0.12},
        {"circle_through", tap({slot, 0}), "", 0, 0},
    };
}

// Kinds that read heights: on the reed gaps' plate, in mm from its middle.
inline std::vector<Making> heightMakings()
{
    const double side = demo::kPlateWidth / 2;
    return {
        {"height_base", area({-30, 10.2}, {30, 12.2}), "tilt", 0, 0.06},
        {"height_area", area({-48, -6}, {-44, 6}), "height", -0.03, 0.05},
        {"height_between", stroke({-46, 6.3}, {-39.6, 6.3}), "step", 0.14, 0.28},
        {"height_step", stroke({8.8, -side - 4}, {8.8, -side + 3}), "step", 3.9, 4.1},
        {"height_edge", stroke({8.8, -side - 4}, {8.8, -side + 3}), "position", 3.85, 4.15},
        {"height_line", stroke({-20, -side}, {24, -side}), "datum_angle", -0.2, 0.2},
        {"height_blobs", area({-44, 0.5}, {44, 9.8}), "count", 10, 10},
        {"section", stroke({8.8, -5}, {8.8, 8}), "range", 0.001, 0.1},
        {"flatness", area({-30, 10.2}, {30, 12.2}), "flatness", 0.005, 0.09},
        {"height_parallelism", area({-30, 10.2}, {30, 12.2}), "parallelism", 0.005, 0.1},
        {"volume", area({-42, 5.4}, {-37, 9.4}), "volume", 0.5, 8},
        {"highest_point", area({-42, 5.4}, {-37, 9.4}), "height", 0.55, 0.7},
        {"height_places", area({-44, -8.3}, {44, -6}), "missing", 0, 60},
    };
}

// Kinds that read a drawing: on the plate that has one, in mm from its middle, y down.
inline std::vector<Making> drawnMakings()
{
    return {
        {"drawing_datum", area({-53, -16}, {53, 16}), "share", 97, 100},
        {"outline_profile", area({-52, -15}, {52, 15}), "profile", 0.001, 0.06},
        {"drawn_line", tap({12, -13}), "straightness", 0.0005, 0.03},
        {"drawn_circle", tap({-46 + 1.35, 9}), "diameter", 2.68, 2.72},
    };
}

} // namespace gestures

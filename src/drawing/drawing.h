// drawing.h - a technical drawing as lines and arcs, in mm.
//
// Said once: a drawing's own places have x to the right and y *up*, from the drawing's origin: DrawnPoint. To be laid on
// pictures with the rest of geometry/ its elements are kept with y down, as geometry::Point in mm. Angles are
// counter-clockwise as seen in both.
#pragma once
#include "geometry/geometry.h"

#include <map>
#include <string>
#include <vector>

namespace drawing
{

// mm, as the drawing says it.
struct DrawnPoint {
    double x = 0, y = 0;
    friend bool operator==(DrawnPoint, DrawnPoint) = default;
};
inline DrawnPoint drawn(geometry::Point p) { return {p.x, p.y == 0 ? 0 : -p.y}; }
inline geometry::Point sheet(DrawnPoint p) { return {p.x, -p.y}; }

// A line, or an arc counter-clockwise from its start; a whole circle begins and ends in one point.
struct Element {
    bool arc = false;
    geometry::Point from, to; // mm, y down
    geometry::Point centre;   // of an arc
    double radius = 0, start = 0, sweep = 0;
    int layer = 0;        // index into the drawing's layers
    int entity = 0;       // from 1, in the file's order; pieces of one entity have the same number
    bool piece = false;   // of a curve that is neither line nor arc
    double curvature = 0; // 1/mm, of the curve a piece stands for; positive when it turns counter-clockwise

    bool whole() const { return arc && sweep > 2 * geometry::kPi - 1e-9; }
    double length() const { return arc ? radius * sweep : geometry::distance(from, to); }
    geometry::Point at(double along) const; // mm along, from its start
    geometry::Point along(double mm) const; // unit, the way it runs there
    double distanceTo(geometry::Point p) const;
    geometry::Point nearest(geometry::Point p) const;
};
Element lineElement(geometry::Point from, geometry::Point to);
Element arcElement(geometry::Point centre, double radius, double start, double sweep);

enum class LengthUnit { Unstated, Millimetre, Centimetre, Metre, Micrometre, Inch, Foot, ThousandthInch };
const char* name(LengthUnit unit); // "not stated", "mm", …
double mmOf(LengthUnit unit);      // not stated: 1

struct Box {
    double left = 0, bottom = 0, right = 0, top = 0; // mm, y up
    bool empty = true;
    void add(DrawnPoint p);
    double width() const { return right - left; }
    double height() const { return top - bottom; }
};
struct Layer {
    std::string name;
    int elements = 0;
    bool off = false; // as the file says
};
// What was read over: never dropped without a word.
struct NotRead {
    std::string type, layer, why;
    int count = 0;
};
struct Drawing {
    LengthUnit unit = LengthUnit::Unstated; // as the file says
    double scale = 1;                       // mm a unit of the file was taken for
    std::vector<Layer> layers;
    std::vector<Element> elements;
    std::map<std::string, int> entities; // of the model, by type, blocks not taken apart
    std::vector<NotRead> notRead;
    Box box() const;
};
// Around lines and arcs exactly.
Box boxOf(const std::vector<Element>& elements);

} // namespace drawing

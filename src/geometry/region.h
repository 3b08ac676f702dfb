// region.h - where a step looks.
//
// window     a directed stroke: from → to, `width` across. Edges are searched from `from` to `to`; for a line the
//            stroke lies along the edge and the search goes across it, towards its left hand side (reversed: towards
//            its right).
// rectangle  centre, size, angle.   circle  centre, outer.   ring  centre, inner to outer.   whole  the whole picture.
// arc        the part of a ring from the angle `start` on, `sweep` counter-clockwise (up to a whole turn); crossing
//            0/360 is harmless.
// polygon    its corners, closed by itself; where it crosses itself, even-odd.
// polyline   a directed bent stroke through its points, `width` across.
#pragma once
#include "base/result.h"
#include "geometry/geometry.h"

#include <functional>
#include <optional>
#include <string>
#include <utility>
#include <vector>

namespace geometry
{

enum class Shape { Whole, Window, Rectangle, Circle, Ring, Arc, Polygon, Polyline };
inline constexpr Shape kAllShapes[] = {Shape::Whole, Shape::Window, Shape::Rectangle, Shape::Circle,
                                       Shape::Ring,  Shape::Arc,    Shape::Polygon,   Shape::Polyline};
inline constexpr std::size_t kMostCorners = 2000;
const char* name(Shape shape); // "whole", "window", …

struct Region {
    Shape shape = Shape::Whole;
    Point from, to;               // window
    double width = 0, height = 0; // window, polyline: width across; rectangle: size
    Point centre;                 // rectangle, circle, ring, arc
    double angle = 0;             // rectangle, radians
    double inner = 0, outer = 0;  // ring, arc; a circle uses outer
    double start = 0, sweep = 0;  // arc, radians; 0 < sweep ≤ a whole turn
    std::vector<Point> points;    // polygon, polyline

    static Region whole() { return {}; }
    static Region window(Point from, Point to, double width);
    static Region rectangle(Point centre, double width, double height, double angle = 0);
    static Region circle(Point centre, double radius);
    static Region ring(Point centre, double inner, double outer);
    static Region arc(Point centre, double inner, double outer, double start, double sweep);
    static Region polygon(std::vector<Point> corners);
    static Region polyline(std::vector<Point> points, double width);

    // Carried by any change of places: corners and ends exactly, round and turned shapes by where their middle goes,
    // how it turns and grows.
    Region mapped(const std::function<Point(Point)>& carry) const;
    Region carried(const Motion& motion) const;
    // Outline for drawing; circles as polygons of `segments`. A ring gives two outlines, the whole picture none.
    std::vector<std::vector<Point>> outlines(int segments = 96) const;
    bool contains(Point p) const;
    Point middle() const;
    // Fails with OutOfRange naming the field when a size is not positive or a number is not finite.
    base::Status check() const;
    friend bool operator==(const Region&, const Region&) = default;
};
// The first two sides of a polygon that cross or touch where they are not neighbours, numbered from 0; nothing when it
// is simple.
std::optional<std::pair<int, int>> crossingSides(const std::vector<Point>& corners);
// True when direction angle `a` lies in the arc from start, sweep counter-clockwise.
bool withinSweep(double a, double start, double sweep);

// The pixels whose centres lie in the region, cut to the picture: [from, to) of one row. Sorted by y, then x; spans of
// one row do not touch.
struct Span {
    int y, from, to;
};
std::vector<Span> spans(const Region& region, int pictureWidth, int pictureHeight);
// What is left of `spans` outside the regions.
std::vector<Span> without(const std::vector<Span>& spans, const std::vector<Region>& leftOut, int pictureWidth,
                          int pictureHeight);
bool containsAny(const std::vector<Region>& regions, Point p);
long long pixelCount(const std::vector<Span>& spans);

} // namespace geometry

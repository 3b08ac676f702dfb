// region.h - where a step looks.
//
// window     a directed stroke: from → to, `width` across. Edges are searched from `from` to `to`; for a line the stroke lies along the
//            edge and the search goes across it, towards its left hand side (reversed: towards its right).
// rectangle  centre, size, angle.   circle  centre, outer.   ring  centre, inner to outer.   whole  the whole picture.
#pragma once
#include "base/result.h"
#include "geometry/geometry.h"

#include <string>
#include <vector>

namespace geometry
{

enum class Shape { Whole, Window, Rectangle, Circle, Ring };
const char* name(Shape shape); // "whole", "window", …

struct Region {
    Shape shape = Shape::Whole;
    Point from, to;               // window
    double width = 0, height = 0; // window: width across; rectangle: size
    Point centre;                 // rectangle, circle, ring
    double angle = 0;             // rectangle, radians
    double inner = 0, outer = 0;  // ring; a circle uses outer

    static Region whole() { return {}; }
    static Region window(Point from, Point to, double width);
    static Region rectangle(Point centre, double width, double height, double angle = 0);
    static Region circle(Point centre, double radius);
    static Region ring(Point centre, double inner, double outer);

    Region carried(const Motion& motion) const;
    // Outline for drawing; circles as polygons of `segments`. A ring gives two outlines, the whole picture none.
    std::vector<std::vector<Point>> outlines(int segments = 96) const;
    bool contains(Point p) const;
    Point middle() const;
    // Fails with OutOfRange naming the field when a size is not positive or a number is not finite.
    base::Status check() const;
    friend bool operator==(const Region&, const Region&) = default;
};

// The pixels whose centres lie in the region, cut to the picture: [from, to) of one row. Sorted by y, then x.
struct Span {
    int y, from, to;
};
std::vector<Span> spans(const Region& region, int pictureWidth, int pictureHeight);
long long pixelCount(const std::vector<Span>& spans);

} // namespace geometry

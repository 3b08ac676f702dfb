// outline.h - what a drawing draws round: closed outlines with the material on one side, found from loose lines and
// arcs.
//
// Input   a drawing; which layers are left out; how far ends may lie apart and still be joined, mm.
// Output  closed loops, outer ones counter-clockwise as seen and holes clockwise, so that material always lies at the
//         left hand; what closes with nothing; how many lines and arcs were drawn twice. Distances signed: positive
//         outside of the material.
// Fails   NotFound: no layer is left, or nothing closes.
// Accuracy  signed distances are exact for lines and arcs (tests/drawing_test.cpp).
// Source  joining over a grid of ends; sign at a corner by the sum of both normals (Baerentzen and Aanaes 2005).
// Cost    O(n log n) to make; a distance looks at the cells around it only.
#pragma once
#include "base/result.h"
#include "drawing/drawing.h"

#include <optional>

namespace drawing
{

struct Side {
    int element = 0; // index into the drawing's elements
    bool reversed = false;
    double start = 0; // mm along its loop
};
struct Loop {
    std::vector<Side> sides;
    double length = 0, area = 0; // mm, mm²
    bool hole = false;
    int depth = 0;          // loops round it
    geometry::Point centre; // of its area, mm
    Box box;
    std::optional<geometry::Circle> round; // when it is one circle, whole or in pieces
};
struct OutlineSettings {
    std::vector<std::string> layersOff;
    double join = 0.01; // mm
};

class Outline
{
public:
    static base::Result<Outline> make(const Drawing& drawing, const OutlineSettings& settings = {});
    const std::vector<Element>& elements() const { return m_elements; } // all of the drawing's, by its indexes
    const std::vector<Loop>& loops() const { return m_loops; }
    const std::vector<int>& open() const { return m_open; } // drawn, but no part of a closed outline
    int doubles() const { return m_doubles; }
    const Box& box() const { return m_box; } // of the loops
    double size() const { return std::hypot(m_box.width(), m_box.height()); }
    double length() const;                                                   // of all loops, mm
    geometry::Point centre() const { return m_centre; }                      // of the material, mm
    int loopOf(int element) const { return m_loopOf[std::size_t(element)]; } // -1: of none

    struct Foot {
        int element = -1, loop = -1;
        geometry::Point at, outward; // mm
        double offset = 0;           // mm, positive outside of the material
        double along = 0;            // mm, along the loop
        double curvature = 0;        // 1/mm, positive where the material bulges
        double cornerGap = 0;        // mm along the loop to the nearest sharp corner
        bool atCorner = false;       // the foot is a sharp corner itself
    };
    // The nearest place of any loop, none beyond `reach` mm.
    std::optional<Foot> nearest(geometry::Point p, double reach) const;
    // The place `along` mm along a loop.
    Foot at(int loop, double along) const;
    // Every `spacing` mm along every loop, at least `least` on each.
    std::vector<Foot> stations(double spacing, int least = 8) const;
    // A loop as a polygon that stays within `error` mm.
    std::vector<geometry::Point> polygon(int loop, double error) const;
    std::vector<double> corners(int loop) const { return m_corners[std::size_t(loop)]; } // mm along it, in order
    // Mirrored about the y axis of the drawing: as seen from the other side.
    Outline mirrored() const;

private:
    void join(std::vector<int> in, double reach);
    void nest();
    void finish();
    void buildGrid();
    Foot footAt(int loop, std::size_t side, double along) const;
    double gapOf(int loop, double along) const;
    geometry::Point normalOf(const Side& side, double mm) const;

    std::vector<Element> m_elements;
    std::vector<Loop> m_loops;
    std::vector<int> m_open, m_loopOf, m_sideOf;
    std::vector<std::vector<double>> m_corners;
    int m_doubles = 0;
    Box m_box;
    geometry::Point m_centre;
    // cells of elements
    double m_cell = 1;
    int m_columns = 0, m_rows = 0;
    geometry::Point m_corner;
    std::vector<int> m_cellStart, m_cellItems;
};

} // namespace drawing

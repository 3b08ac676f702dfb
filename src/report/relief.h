// relief.h - a height picture as a body that can be turned: drawn in software, nearest wins.
//
// Input   a height picture, the heights at both ends of the colours, a pixel's side (0: not known). What lies far beyond the colours' ends is
//         drawn as if it lay a little beyond them. Of many points every
//         n-th in each direction stands for the square about it (the mean of its points); missing ones stay holes. Values
//         are never taken from here.
// Output  a picture of the asked size; where a place of the height picture comes to lie in it, so that marks can be drawn
//         over it.
// Source  parallel projection, triangles with a depth buffer (Catmull 1974), shaded by slope.
// Cost    at most kCells squares, whatever the picture's size; bench/speed.cpp.
#pragma once
#include "geometry/geometry.h"
#include "report/height_picture.h"

#include <QPointF>
#include <algorithm>
#include <vector>

namespace report
{

struct TurningView {
    double turn = -24, rise = 38; // degrees: about the upright axis; of the eye over the ground, 5 to 90
    double zoom = 1;
    QPointF shift; // screen px
    friend bool operator==(const TurningView&, const TurningView&) = default;
};

class Relief
{
public:
    static constexpr int kCells = 150'000;
    Relief(const image::Picture& heights, double pixelMm);
    bool empty() const { return m_z.empty(); }
    QImage draw(QSize size, const TurningView& view, const HeightRange& colours, QRgb ground) const;
    // Where a place, picture px and mm, comes to lie.
    QPointF at(geometry::Point place, double z, QSize size, const TurningView& view, const HeightRange& colours) const;
    int step() const { return m_step; } // px a square stands for, each way

private:
    struct Projection {
        double xx, xy, yx, yy, yz, dx, dy, dz; // px and mm to screen and depth
        double x0, y0;
        double stretch;
        double low, high; // heights beyond are drawn as if they were these
        QPointF screen(double x, double y, double z) const
        {
            return {xx * x + xy * y + x0, yx * x + yy * y + yz * std::clamp(z, low, high) + y0};
        }
        double depth(double x, double y, double z) const
        {
            return dx * x + dy * y + dz * std::clamp(z, low, high);
        } // larger is nearer
    };
    Projection projection(QSize size, const TurningView& view, const HeightRange& colours) const;
    int m_width = 0, m_height = 0, m_step = 1, m_columns = 0, m_rows = 0;
    double m_pixelMm = 0, m_low = 0, m_high = 0;
    std::vector<float> m_z; // of the squares' middles; NaN: missing
};

} // namespace report

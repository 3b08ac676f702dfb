// section.h - heights along a way: what stands up, steps, lines and arcs in it.
//
// Input   a height picture and a way (edges.h); heights are averaged across its width over the points that are there,
//         where at least half of them are.
// Output  one sample a pixel; NaN where points are missing. A place between pixels has a height when all pixels it lies
//         between have one: nothing is filled from beside.
// Fails   NoResult: no point along the way; a fit with too few points.
// Accuracy  step of two plateaus of noise s and n points: 0.3 s / sqrt(n) + 1 µm in the mean; place of an edge without
//           shadow as edges.h (tests/height_test.cpp).
// Source  step: two lines of one slope, ISO 5436-1 type A1; edges: vision/edges.h; where points are missing beside a
//         step its rim is the last point of the higher side, which is what casts the shadow.
#pragma once
#include "vision/edges.h"
#include "vision/height.h"

namespace vision
{

struct Section {
    Path path;
    double step = 1;                                            // px between samples
    std::vector<double> heights;                                // mm; NaN: missing
    std::size_t points = 0;                                     // samples with a height
    double at(std::size_t i) const { return step * double(i); } // px along the way
    std::size_t indexOf(double position) const;
};
base::Result<Section> sectionOf(const image::HeightView& view, const Path& path, const geometry::HeightPlane& over);

struct HeightEdge {
    double position = 0; // px along the way
    geometry::Point point;
    double rise = 0; // mm: behind it less before it
    double gap = 0;  // px without points beside it
};
struct HeightEdgeOptions {
    double least = 0.05;    // mm
    double smoothing = 1.5; // px
    double mostGap = 30;    // px; across a longer one no step is seen
    int sense = 0;          // +1 up along the way, -1 down, 0 either
};
std::vector<HeightEdge> heightEdges(const Section& section, const HeightEdgeOptions& options);

// A straight line z = height + slope × (position - middle), strays dropped (Tukey).
struct SectionLine {
    double from = 0, to = 0, middle = 0; // px along the way
    double height = 0, slope = 0;        // mm, mm a px
    double straightness = 0;             // mm: from the highest to the lowest point about it that was used
    std::size_t points = 0, used = 0;
    double at(double position) const { return height + slope * (position - middle); }
};
base::Result<SectionLine> fitLine(const Section& section, double from, double to);
// Two lines on both sides of `edge`, which is left out by `margin` px to both sides: of one slope, or each of its own;
// the rise is that at the edge.
struct SectionStep {
    SectionLine before, after;
    double rise = 0; // mm
};
base::Result<SectionStep> fitStep(const Section& section, double from, double edge, double to, double margin,
                                  bool ownSlopes = false);
// A circle through a part of the section, in mm.
struct SectionArc {
    double along = 0, height = 0, radius = 0; // of its centre, mm; radius mm
    bool hollow = false;                      // its centre lies above the points
    std::size_t points = 0, used = 0;
};
base::Result<SectionArc> fitArc(const Section& section, double from, double to, double pixelMm);
// A groove (or a ridge) under the line through its shoulders, which are the first and the last part of the section.
struct Groove {
    SectionLine shoulders;
    double depth = 0;           // mm, of the deepest place, averaged over `smooth` px
    double deepest = 0;         // px along the way
    double left = 0, right = 0; // px: where it is half as deep
    double width() const { return right - left; }
};
base::Result<Groove> grooveIn(const Section& section, double shoulder, double smooth, bool ridge);

} // namespace vision

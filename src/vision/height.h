// height.h - what can be said of heights in an area: a plane through them, their statistics, what lies in a band.
//
// Input   a height picture (16 bit steps or float samples), the spans of a region, the plane heights are measured over.
// Output  heights in mm over that plane, exact to single precision of their distance from it. A missing point is
//         counted as missing and nowhere else: never as 0, never filled from beside.
// Fails   NoResult: fewer than 3 points, or all of them in a row, for a plane.
// Accuracy  plane of 10 000 points of noise s: height within 0.3 s / 100, tilt within 0.002° (tests/height_test.cpp).
// Source  plane: least median of squares over 500 samples of three (Rousseeuw 1984), then reweighted least squares with
//         Tukey's biweight at 4.685 × the robust scale (Huber 1981; Beaton, Tukey 1974), the last step over every
//         point.
// Cost    a plane over everything: one pass and a sample of 10 000 points.
#pragma once
#include "base/result.h"
#include "geometry/plane.h"
#include "geometry/region.h"
#include "image/capture.h"
#include "vision/blobs.h"

#include <functional>
#include <limits>
#include <vector>

namespace vision
{

// A number near the heights of the picture, mm: what is small against it keeps its figures.
double zeroOf(const image::HeightView& view);

// What lies outside counts as missing, mm over the plane.
struct HeightBand {
    double low = -std::numeric_limits<double>::infinity(), high = std::numeric_limits<double>::infinity();
};
// The rows of a region as heights over a plane; NaN: missing.
class HeightRows
{
public:
    HeightRows(const image::HeightView& view, const geometry::HeightPlane& over, const HeightBand& band = {});
    // Heights at x from `from` to `to` of row y.
    void read(int y, int from, int to, float* out) const;

private:
    image::HeightView m_view;
    geometry::HeightPlane m_over;
    float m_zero, m_missing, m_low, m_high;
    bool m_banded;
};

struct HeightStats {
    std::size_t pixels = 0, points = 0;                         // of the region; that were measured
    double mean = 0, spread = 0, median = 0, low = 0, high = 0; // mm; the latter two with the share left out
    double covered() const { return pixels ? 100.0 * double(points) / double(pixels) : 0; } // percent
};
// `leftOut` (0 to 0.49) of the points, at each end, are no lowest and no highest ones. Without a point only counts.
HeightStats heightStats(const image::HeightView& view, const std::vector<geometry::Span>& where,
                        const geometry::HeightPlane& over, double leftOut, const HeightBand& band = {});
HeightStats heightStats(std::vector<float> heights, std::size_t pixels, double leftOut);
// The q-th part (0 to 1) of the values from below; they are put in another order.
double quantile(std::vector<float>& values, double q);
std::vector<double> quantiles(std::vector<float>& values, const std::vector<double>& parts);
// Every point of the region, row by row.
std::vector<float> heightsIn(const image::HeightView& view, const std::vector<geometry::Span>& where,
                             const geometry::HeightPlane& over, const HeightBand& band = {});

std::vector<float> heightsIn(const HeightRows& rows, const std::vector<geometry::Span>& where); // many small areas

struct PlaneFit {
    geometry::HeightPlane plane;
    std::size_t pixels = 0, points = 0, used = 0;
    double scale = 0; // mm, robust standard deviation of the points about it
    double reach = 0; // mm: points farther from it were dropped
};
// `reach`: points farther from the plane are not of it, mm; 0: by their own spread.
base::Result<PlaneFit> fitPlane(const image::HeightView& view, const std::vector<geometry::Span>& where,
                                double reach = 0);
// Through three places; each the median of the points within `radius` px of it.
base::Result<PlaneFit> planeThrough(const image::HeightView& view, const geometry::Point (&places)[3], double radius);

// Pixels whose height over the plane lies from low to high, mm.
std::vector<Run> runsInBand(const image::HeightView& view, const std::vector<geometry::Span>& where,
                            const geometry::HeightPlane& over, double low, double high);
std::vector<Run> runsMissing(const image::HeightView& view, const std::vector<geometry::Span>& where);

// Sums of heights over a plane, px²·mm: above and below it, and how many points they are of.
struct VolumeSums {
    double above = 0, below = 0;
    std::size_t pixels = 0, points = 0;
};
VolumeSums volumeOver(const image::HeightView& view, const std::vector<geometry::Span>& where,
                      const geometry::HeightPlane& over, const HeightBand& band = {});

// The highest (or lowest) place: the square of `side` px, more than half of its points there, whose lowest point lies
// highest; its height is the median of its points. Fails with NoResult: nowhere are there so many points.
struct Extreme {
    geometry::Point at;
    double height = 0; // mm over the plane
};
base::Result<Extreme> extremeOf(const image::HeightView& view, const std::vector<geometry::Span>& where,
                                const geometry::HeightPlane& over, int side, bool highest, const HeightBand& band = {});

} // namespace vision

// blobs.h - connected areas of pixels whose grey level lies between two limits, and what can be said of their shape.
//
// Input   a grey picture, the spans of a region, limits low ≤ level ≤ high in grey levels, options.
// Output  blobs in the order their first pixel is met (rows from the top): area (px²), centroid (px, exact first
//         moments), box (px), axes of the equivalent ellipse (full lengths, px) and the angle of the longer one.
//         Objects 8-connected and background 4-connected, or the reverse. describe(): outline values of one blob, made
//         on demand.
// Fails   nothing: no object is an empty list.
// Accuracy  exact; equal to a count by hand pixel by pixel (tests/vision_test.cpp). Perimeter of discs and turned boxes
//           of 40 px and more within 2 %.
// Source  runs and union-find, Rosenfeld and Pfaltz 1966; moments of a run in closed form, pixels as points, + 1/12 for
//         their extent; perimeter: length of the outline through the middles of the pixel borders, smoothed by the
//         binomial 1 4 6 4 1; splitting: watershed of the distance transform (Felzenszwalb and Huttenlocher 2012;
//         Vincent and Soille 1991) with necks merged by their width.
// Cost    one pass over the region; describe() a walk round the blob.
#pragma once
#include "geometry/region.h"
#include "geometry/zones.h"
#include "image/image.h"

#include <array>
#include <functional>
#include <vector>

namespace vision
{

struct Run {
    int y, from, to; // [from, to)
    int blob = -1;
};
struct Blob {
    double area = 0;
    geometry::Point centroid;
    int left = 0, top = 0, right = 0, bottom = 0; // inclusive pixel box
    double major = 0, minor = 0, angle = 0;
    bool touchesBorder = false;  // of the region
    bool touchesPicture = false; // of the picture
    // background areas enclosed by the object, before they were filled; 0 when they are not counted
    int holes = 0;
    double holeArea = 0; // px², of all its holes
    int firstRun = -1;
};
enum class BorderRule { Keep, DropAtRegion, DropAtPicture };
struct BlobOptions {
    double low = 0, high = 255;
    bool fillHoles = false;
    bool countHoles = false; // without filling them; filled ones are counted always
    BorderRule border = BorderRule::Keep;
    bool fourConnected = false; // objects; the background is then 8-connected
    double leastArea = 1;       // px²; smaller ones are not objects at all
    // Touching objects are parted where the neck is narrower than the smaller of both by this share of its half width;
    // 0: never.
    double split = 0;
    double partedFrom = 0; // px²: only areas of twice this and more are parted; 0: leastArea
};
struct BlobList {
    std::vector<Blob> blobs;
    std::vector<Run> runs; // sorted by y, x; Run::blob indexes blobs, -1 for dropped ones
    int width = 0, height = 0;
    bool fourConnected = false;
    int tooSmall = 0, atBorder = 0; // areas that are no objects, and why
};

BlobList findBlobs(const image::GreyView& picture, const std::vector<geometry::Span>& region,
                   const BlobOptions& options);
BlobList findBlobs(const image::GreyView& picture, const geometry::Region& region, const BlobOptions& options);
// Of pixels that were chosen elsewhere: runs in the region, sorted by y and x; the options' limits are not looked at.
BlobList findBlobs(std::vector<Run> runs, const std::vector<geometry::Span>& region, int width, int height,
                   const BlobOptions& options);
// Runs of the bits that are set; bit 0 is the span's first pixel.
void runsOfBits(const std::uint64_t* bits, int count, const geometry::Span& span, std::vector<Run>& to);

// Outer and inner outlines of one blob along the pixel borders, closed; the outer one first. Inside lies to the right
// of the way.
std::vector<std::vector<geometry::Point>> outlines(const BlobList& list, int blob);

// Through the middles of the unit borders of an outline along pixel corners, smoothed by 1 4 6 4 1; the outline as it is
// where it is longer than `kLongestOutline` px.
constexpr double kLongestOutline = 1e8;
std::vector<geometry::Point> smoothedOutline(const std::vector<geometry::Point>& corners);

struct BlobShape {
    double perimeter = 0;   // px, of the outer outline
    double circularity = 0; // 4π area / perimeter², 1 for a disc; the area with its holes filled
    double elongation = 1;  // longer by shorter axis of the equivalent ellipse
    double convexity = 0;   // area by area of the convex hull, holes filled for both
    geometry::TurnedBox box;
    // px, largest and smallest distance of two parallel lines that touch it on both sides
    double feretMost = 0, feretLeast = 0;
    std::vector<std::vector<geometry::Point>> outlines;
};
BlobShape describe(const BlobList& list, int blob);
// The runs of all blobs grouped by blob; describe() and outlines() of many blobs are quick with it.
class BlobRuns
{
public:
    explicit BlobRuns(const BlobList& list);
    std::vector<std::vector<geometry::Point>> outlines(int blob) const;
    BlobShape describe(int blob) const;
    // The same with every place carried over (to level px): shape, and area, centroid and axes in `moments`. Outlines
    // come back carried over.
    BlobShape describe(int blob, const std::function<geometry::Point(geometry::Point)>& carry, Blob& moments) const;
    std::vector<geometry::Span> spans(int blob) const;
    // Mean and standard deviation of the grey levels under the blob.
    std::pair<double, double> grey(const image::GreyView& picture, int blob) const;
    // Mean red, green and blue (0 to 255) under the blob; a colour picture.
    std::array<double, 3> colour(const image::Image& picture, int blob) const;

private:
    BlobShape shapeOf(std::vector<std::vector<geometry::Point>> outlines, const Blob& moments) const;
    const BlobList& m_list;
    std::vector<int> m_start, m_runs;
};

} // namespace vision

// blobs.h - connected areas of pixels whose grey level lies between two limits.
//
// Input   a grey picture, a region, limits low ≤ level ≤ high in grey levels, options.
// Output  blobs in the order their first pixel is met (rows from the top): area (px²), centroid (px, exact first moments), box (px), axes of the
//         equivalent ellipse (full lengths, px) and the angle of the longer one. 8-connected objects, 4-connected background.
// Fails   nothing: no object is an empty list.
// Accuracy  exact; equal to a count by hand pixel by pixel (tests/blobs_test.cpp).
// Source  runs and union-find, Rosenfeld and Pfaltz 1966; moments of a run in closed form, pixels as points, + 1/12 for their extent.
// Cost    one pass over the region.
#pragma once
#include "geometry/region.h"
#include "image/image.h"

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
    bool touchesBorder = false; // of the region or the picture
    int firstRun = -1;
};
struct BlobOptions {
    double low = 0, high = 255;
    bool fillHoles = false;
    bool dropBorder = false;
    double leastArea = 1; // px²; smaller ones are not objects at all
};
struct BlobList {
    std::vector<Blob> blobs;
    std::vector<Run> runs; // sorted by y, x; Run::blob indexes blobs, -1 for dropped ones
};

BlobList findBlobs(const image::GreyView& picture, const geometry::Region& region, const BlobOptions& options);
// Outer and inner outlines of one blob along the pixel borders, closed.
std::vector<std::vector<geometry::Point>> outlines(const BlobList& list, int blob);

} // namespace vision

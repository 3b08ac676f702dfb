// point_cloud.h - points in space laid on a raster, as heights seen from above.
//
// Input   PLY (version 1.0; text, binary of either byte order; the element "vertex" with x, y and z of any number type,
//         other elements and properties are passed over) or plain text with x, y and z at the start of a line, parted
//         by blanks, tabs, commas or semicolons; # and // begin a remark, one line of column names may come first. All
//         in mm, x to the right, y up the picture, z towards the viewer. The raster: its pitch, mm, and what it covers;
//         without that as much as the points need.
// Output  heights in mm; a cell holds the mean of its points, a cell without one is NaN, never filled from beside.
//         Points beside a stated raster and points with a NaN are passed over.
// Fails   InvalidArgument: no pitch, with the one that fits the points; Corrupt: damaged or cut off, naming the line or
//         the point; Unsupported: a PLY file without x, y, z; OutOfRange: more than kMostPoints points, a raster of
//         more than kLargestRaster cells, each named with the bound; NoResult: not one point.
// Source  PLY: Turk 1994, "The PLY polygon file format".
#pragma once
#include "base/result.h"
#include "image/capture.h"

namespace image
{

constexpr std::size_t kMostPoints = 100'000'000;
constexpr double kLargestRaster = 64e6; // cells

bool looksLikeCloud(const std::string& bytes, const std::string& name);
base::Result<Image> decodeCloud(const std::string& bytes, const HeightScale& scale, const std::string& name);

} // namespace image

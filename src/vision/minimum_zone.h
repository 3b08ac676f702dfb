// minimum_zone.h - flatness: the two parallel planes closest together that hold all points of an area between them.
//
// Input   a height picture, the spans of a region, a pixel's side in mm (0: not known), the share of points at each end
//         that count as spikes.
// Output  the zone's width in mm, square to the planes (along z when a pixel's side is not known), its middle plane and
//         the four points that hold it apart. Missing points have no part in it.
// Fails   NoResult: fewer than 4 points, or all in a row.
// Accuracy  1e-9 mm against a linear programme solved by another program (tests/height_test.cpp).
// Source  ISO 12781-1 (minimum zone reference planes); best uniform approximation by exchange of one point (Stiefel
//         1959), each step over the extreme points of every tile, at the end over all points.
// Cost    some passes over the area.
#pragma once
#include "vision/height.h"

namespace vision
{

struct FlatZone {
    double width = 0;                       // mm
    geometry::HeightPlane plane;            // half way between both
    double half = 0;                        // mm along z from it to either
    std::vector<geometry::Point> high, low; // px: where the points touch the upper and the lower plane
    std::size_t pixels = 0, points = 0, dropped = 0;
};
base::Result<FlatZone> minimumZone(const image::HeightView& view, const std::vector<geometry::Span>& where,
                                   double pixelMm, double leftOut = 0);
// Of planes parallel to `base`: how far apart the two are that hold all points (ISO 1101 parallelism).
base::Result<FlatZone> zoneAlong(const image::HeightView& view, const std::vector<geometry::Span>& where,
                                 const geometry::HeightPlane& base, double pixelMm, double leftOut = 0);

} // namespace vision

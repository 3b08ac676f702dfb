// matching.h - which of the found points belongs to which place.
//
// Output  for every place the index of its point, -1 where none lies within `reach`. The nearest pairs first; each
//         point and each place once.
#pragma once
#include "geometry/geometry.h"

namespace geometry
{

std::vector<int> nearestPairs(const std::vector<Point>& places, const std::vector<Point>& found, double reach);

} // namespace geometry

// threshold.h - histogram of a region and the automatic threshold between two kinds of pixels.
//
// Input   a grey picture, the spans of a region.
// Output  256 bins of one grey level each (16-bit pictures are counted at level raw / 257, rounded down); the automatic threshold is the
//         grey level t for which pixels with level < t and level ≥ t are two classes with the largest variance between them.
// Fails   NoResult: no pixel in the region, or all pixels of one grey level.
// Source  Otsu 1979; on a flat top of the criterion the middle is taken.
#pragma once
#include "base/result.h"
#include "geometry/region.h"
#include "image/image.h"

#include <array>
#include <cstdint>

namespace vision
{

struct Histogram {
    std::array<std::int64_t, 256> count{};
    std::int64_t total = 0;
};
Histogram histogram(const image::GreyView& picture, const std::vector<geometry::Span>& region);
base::Result<double> automaticThreshold(const Histogram& histogram);

} // namespace vision

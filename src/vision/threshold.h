// threshold.h - which pixels belong to an object: grey limits worked out from a histogram, or a limit that follows uneven light.
//
// Input   a grey picture, the spans of a region.
// Output  256 bins of one grey level each (16-bit pictures are counted at level raw / 257, rounded down); automatic thresholds are the
//         grey level t for which pixels with level < t and level ≥ t are two classes. Masks are 8-bit pictures of 0 and 255.
// Fails   NoResult: no pixel in the region, all pixels of one grey level, or (two peaks) no second peak.
// Source  largest variance between the classes: Otsu 1979, on a flat top of the criterion the middle; two peaks: Prewitt and Mendelsohn 1966,
//         the histogram smoothed until two maxima are left; local mean by running sums; shading after the flat-field ratio.
// Cost    one pass; local threshold and opening are independent of the window's size.
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
    double mean() const;
};
Histogram histogram(const image::GreyView& picture, const std::vector<geometry::Span>& region);
base::Result<double> automaticThreshold(const Histogram& histogram);
// Midway between the two highest peaks.
base::Result<double> twoPeaksThreshold(const Histogram& histogram);

// 255 where the level is below (bright: above) the mean of the window about the pixel by more than `offset` grey levels. The window is
// 2·reach + 1 square; beyond the picture its border pixels repeat. The whole picture is returned.
image::Image localThreshold(const image::GreyView& picture, int reach, double offset, bool bright);
// Level × mean / empty, the light's unevenness taken out; both pictures of one size, `mean` that of the empty one. 16-bit pictures stay 16 bit.
image::Image shadingCorrected(const image::GreyView& picture, const image::GreyView& empty, double mean);
// 255 where the two pictures differ by more than `least` grey levels; 8 bit, one size.
image::Image difference(const image::GreyView& a, const image::GreyView& b, int least);
// 255 where low ≤ level ≤ high.
image::Image rangeMask(const image::GreyView& picture, double low, double high);

// Rectangle of width × height (odd, centred; even ones reach one farther to the upper left); outside the picture counts as nothing. 8 bit.
image::Image eroded(const image::GreyView& picture, int width, int height);
image::Image dilated(const image::GreyView& picture, int width, int height);
image::Image opened(const image::GreyView& picture, int width, int height);
image::Image closed(const image::GreyView& picture, int width, int height);

} // namespace vision

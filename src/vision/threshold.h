// threshold.h - which pixels belong to an object: grey limits worked out from a histogram, or a limit that follows
// uneven light.
//
// Input   a grey picture, the spans of a region.
// Output  256 bins of one grey level each (16-bit pictures are counted at level raw / 257, rounded down); automatic
//         thresholds are the grey level t for which pixels with level < t and level ≥ t are two classes. Masks are
//         8-bit pictures of 0 and 255.
// Fails   NoResult: no pixel in the region, all pixels of one grey level, or (two peaks) no second peak.
// Source  median by running histograms: Huang, Yang and Tang 1979; plane: Holland and Welsch 1977; largest variance
//         between the classes: Otsu 1979, on a flat top of the criterion the middle; two peaks: Prewitt and Mendelsohn
//         1966, the histogram smoothed until two maxima are left; local mean by running sums; shading after the
//         flat-field ratio.
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

// Mean and standard deviation of the grey levels, at full depth.
struct Greys {
    double mean = 0, spread = 0;
};
Greys greys(const image::GreyView& picture, const std::vector<geometry::Span>& region);
// 255 where the level is below (bright: above) the mean of the window about the pixel by more than `offset` grey
// levels, and by more than `spreads` standard deviations of the window. The window is 2·reach + 1 square; beyond the
// picture it is mirrored about the border pixels, which do not repeat. The whole picture is returned.
image::Image localThreshold(const image::GreyView& picture, int reach, double offset, bool bright, double spreads = 0);
// Middle value of a square of `side` px (odd; even ones take one more) about each pixel, mirrored at the border; depth
// is kept.
image::Image medianOf(const image::GreyView& picture, int side);
// Gaussian of `sigma` px, mirrored at the border; depth is kept.
image::Image gaussianOf(const image::GreyView& picture, double sigma);
// Level less the ground plus the ground's mean, cut off at 0 and white; depth is kept. The ground is what is left when
// objects narrower than `side` are taken away (bright ones by opening, dark ones by closing) and smoothed,
image::Image groundTaken(const image::GreyView& picture, int side, bool bright);
// … or a plane through the levels of the region, objects left out (Tukey weights, five rounds).
image::Image planeTaken(const image::GreyView& picture, const std::vector<geometry::Span>& region);
// Level × mean / empty, the light's unevenness taken out; both pictures of one size, `mean` that of the empty one.
// 16-bit pictures stay 16 bit.
image::Image shadingCorrected(const image::GreyView& picture, const image::GreyView& empty, double mean);
// 255 where the two pictures differ by more than `least` grey levels; 8 bit, one size.
image::Image difference(const image::GreyView& a, const image::GreyView& b, int least);
// 255 where low ≤ level ≤ high.
// `outside`: where it does not.
image::Image rangeMask(const image::GreyView& picture, double low, double high, bool outside = false);

// Rectangle of width × height (odd, centred; even ones reach one farther to the upper left); outside the picture counts
// as nothing. 8 bit.
image::Image eroded(const image::GreyView& picture, int width, int height);
image::Image dilated(const image::GreyView& picture, int width, int height);
image::Image opened(const image::GreyView& picture, int width, int height);
image::Image closed(const image::GreyView& picture, int width, int height);

} // namespace vision

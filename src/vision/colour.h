// colour.h - which pixels have a taught colour: like one of the samples, and not more like one that was refused.
//
// Input   samples as sRGB (0 to 255) taken from clicks or from an area; `tolerance` in units of colour difference (a
//         just visible difference is about 2); `lightness` weighs differences in lightness against those in hue and
//         saturation (0: ignored).
// Output  a table over the colour cube, 64 steps a channel, interpolated by nothing: a colour is taken when its cell's
//         centre is.
// Fails   nothing: no samples take nothing.
// Source  CIE 1976 L*a*b* for sRGB (IEC 61966-2-1, D65); distance after CIE 1976 with weighted L*.
// Cost    making the table about 262 144 × samples distances; taking one lookup a pixel.
#pragma once
#include "image/image.h"

#include <array>
#include <memory>
#include <utility>
#include <vector>

namespace vision
{

using Lab = std::array<double, 3>;
Lab labOf(double red, double green, double blue);
// Hue angle (degrees, 0 to 360) and chroma of a colour in CIELAB.
std::pair<double, double> hueOf(const std::array<double, 3>& rgb);
double colourDistance(const Lab& a, const Lab& b, double lightness);

struct ColourSample {
    Lab colour{};
    bool refused = false;
};
class ColourModel
{
public:
    ColourModel(const std::vector<ColourSample>& samples, double tolerance, double lightness);
    bool takes(int red, int green, int blue) const
    {
        return (*m_taken)[std::size_t(((red >> 2) << 12) | ((green >> 2) << 6) | (blue >> 2))];
    }

private:
    std::shared_ptr<const std::vector<bool>> m_taken;
};

// 255 where the colour is taken, over a box of the picture; a grey picture counts as colour with equal channels.
image::Image colourMask(const image::Image& picture, const ColourModel& model, int left, int top, int width,
                        int height);
// The colours of the pixels within `reach` of a place, as one sample: their mean.
ColourSample sampleAt(const image::Image& picture, double x, double y, int reach);
// The colours an area holds: cells of the cube that hold at least `share` of its pixels, each as one sample.
std::vector<ColourSample> samplesOf(const image::Image& picture, const std::vector<std::array<int, 2>>& pixels,
                                    double share);

} // namespace vision

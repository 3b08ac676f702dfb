// learned.h - what good parts look like, pixel by pixel: the usual value, how far it may differ, and what differs more.
//
// Input   patches of one box (patch.h) of good parts, each laid as the part lies on the reference; one patch of a part
//         that is compared.
// Output  for every pixel the median, and the allowed difference: a number of robust spreads (the largest of the
//         neighbourhood), never less than a stated one, and at edges what a misplaced edge makes. Differences are of
//         grey levels, of colours (CIELAB distance) or of heights (mm). The ratio of a pixel is its difference ÷ the
//         allowed one; a fault is a connected place of ratios above 1.
// Fails   InvalidArgument: no patch, or patches that do not go together.
// Accuracy  ratios of 8 bit grey within 1 % (fixed-point), others exact.
// Source  median and median absolute deviation as usual value and spread: Hampel 1974; Rousseeuw and Croux 1993 for
//         few samples; colour distance after CIE 1976; faults by runs, Rosenfeld and Pfaltz 1966.
// Cost    comparing 8 bit grey at memory speed, others about 10 (colour 40) ns a pixel; learning n patches about
//         (60 + 30 n) ns a pixel.
#pragma once
#include "base/result.h"
#include "vision/blobs.h"
#include "vision/patch.h"

namespace vision
{

struct LearnOptions {
    double spreads = 6; // allowed, in spreads of the good ones
    double least = 8;   // allowed at least: grey levels, colour distance or mm
    double edge = 0.35; // px an edge may be misplaced or blurred by
    LightFollowed light = LightFollowed::Even;
};

class Learned
{
public:
    // `counts`: pixels that are compared; empty: all. `lights`: of each patch, where they are known; empty: worked out.
    static base::Result<Learned> make(const std::vector<Patch>& good, std::vector<std::uint8_t> counts,
                                      const LearnOptions& options, std::vector<Light> lights = {});

    const PatchBox& box() const { return m_box; }
    const LearnOptions& options() const { return m_options; }
    bool colour() const { return m_planes == 3; }
    bool heights() const { return m_heights; }
    int samples() const { return m_samples; }
    const std::vector<float>& levels() const { return m_levels; } // the usual grey level or mm; NaN: not known
    const std::vector<std::uint8_t>& counts() const { return m_counts; }
    // Allowed difference; infinite where nothing is compared.
    float allowed(std::size_t i) const { return m_allowed[i]; }
    std::size_t compared() const { return m_compared; } // pixels
    // The noise the good ones have where nothing else varies, in the differences' unit; 0: not known, of one sample.
    double noise() const { return m_noise; }
    // The largest ratio of each good one.
    const std::vector<double>& own() const { return m_own; }
    // What a good part looks like, to be shown: grey or colour, 8 bit.
    image::Image picture() const;
    // The allowed difference, to be shown: dark is much. `low`, `high`: what the ends of the scale stand for.
    image::Image map(double& low, double& high) const;

    // Of the pixels that are compared: the share whose ratio is at most 1, and the mean ratio, each at most 5.
    struct Likeness {
        double alike = 0, misfit = 5;
    };
    Likeness likeness(const Patch& here, const Light& light) const;
    // Difference of one pixel as a ratio; `side`: above 0 where it is brighter or higher than usual.
    double ratio(const Patch& here, const Light& light, std::size_t i, float* side = nullptr) const;
    Light light(const Patch& here) const { return lightOf(here, m_levels, m_counts, m_options.light); }
    // The same light, what is cut off at white, and how much softer or sharper the whole patch is seen than usual,
    // within limits: a camera a little out of focus is no fault, one far out is. No focus where no light is followed.
    // It costs more than a comparison: where the light alone explains everything it need not be asked.
    Light focused(const Patch& here, Light light) const;

    friend struct Learning;
    bool quick() const { return m_bytes; } // 8 bit grey
    friend struct ComparingRows;

private:
    // What a blur of 3 × 3 px adds to the usual value; 0 beside what is not known.
    float softer(int plane, int x, int y) const;
    // The usual value in this light and focus. What would be brighter than white is white.
    float usualIn(int plane, int x, int y, const Light& light) const;
    // A row of them, in `buffer` where they are worked out.
    const float* usualRow(int plane, int y, const Light& light, std::vector<float>& buffer) const;

    PatchBox m_box;
    LearnOptions m_options;
    int m_planes = 1, m_samples = 0;
    bool m_heights = false, m_bytes = false;
    std::vector<float> m_usual;   // planes one after the other: level, L* a* b*, or mm
    std::vector<float> m_levels;  // level or mm
    std::vector<float> m_allowed; // by pixel
    std::vector<std::uint8_t> m_counts;
    std::vector<std::uint8_t> m_usualByte; // of 8 bit grey, for the quick way
    std::vector<std::uint16_t> m_weight;   // 200 × 256 / allowed; 0: not compared
    double m_noise = 0;
    std::size_t m_compared = 0;
    std::vector<double> m_own;
};

struct Difference {
    image::Image over;                    // 255 where the ratio is above `limit`
    double worst = 0;                     // largest ratio, 0 to kMostRatio
    std::size_t at = 0;                   // its pixel
    std::size_t unseen = 0, compared = 0; // of the pixels that count
};
constexpr double kMostRatio = 250;
// Also a height that is missing where good ones have one is a difference, of kMostRatio.
Difference differ(const Learned& learned, const Patch& here, const Light& light, double limit = 1);

struct DifferentPlace {
    double area = 0;        // px²
    geometry::Point centre; // px of the patch
    int left = 0, top = 0, right = 0, bottom = 0;
    double worst = 0;                     // ratio
    geometry::Point worstAt;              // px of the patch
    double brighter = 0;                  // share of its area that is brighter or higher
    std::vector<geometry::Point> outline; // px of the patch
};
// Places of a difference, worst first; smaller ones than `leastArea` are none. `most`: how many get an outline.
std::vector<DifferentPlace> places(const Learned& learned, const Patch& here, const Light& light,
                                   const Difference& difference, double leastArea, std::size_t most = 500);

} // namespace vision

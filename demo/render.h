// render.h - pictures with known dimensions: exact area coverage, lens blur, uneven light, sensor noise.
//
// Output  the same numbers give the same bytes on every run.
// Source  coverage by signed trapezoids accumulated along each row; noise from a table of normal quantiles and
//         xoshiro256** (Blackman, Vigna 2018).
#pragma once
#include "geometry/geometry.h"
#include "image/image.h"

#include <cstdint>
#include <vector>

namespace demo
{

class Random
{
public:
    explicit Random(std::uint64_t seed);
    std::uint64_t bits();
    double uniform(double low, double high);
    double normal(double sigma, double cut); // cut off at ± cut
    int below(int n) { return int(bits() % std::uint64_t(n)); }

private:
    std::uint64_t m_state[4];
};

// Share of each pixel that is covered, 0 to 1. Outlines are added; holes are subtracted.
class Coverage
{
public:
    Coverage(int width, int height);
    void add(const std::vector<geometry::Point>& outline, double sign = 1);
    std::vector<float> resolve() const;

private:
    void edge(geometry::Point a, geometry::Point b, double sign);
    int m_width, m_height;
    std::vector<float> m_area; // change of coverage along the row
};

std::vector<geometry::Point> circleOutline(geometry::Point centre, double radius);
std::vector<geometry::Point> roundedBox(double left, double top, double right, double bottom, double radius);
// Gaussian blur of a picture, sigma in its own pixels.
void blur(std::vector<float>& picture, int width, int height, double sigma);
// Coverage as a lens blurs it and pixels then integrate it: drawn and blurred on a grid `finer` times as fine, then
// averaged. Blurring after the pixels have integrated would shift edges by up to 0.02 px, depending on their phase.
std::vector<float> blurredCoverage(const std::vector<std::vector<geometry::Point>>& outlines,
                                   const std::vector<std::vector<geometry::Point>>& holes, int width, int height,
                                   double sigma, int finer);

struct Light {
    double bright = 222, dark = 26; // grey levels of background and part
    double fall = 0.10;             // loss towards the corners
    double tiltX = 0.02, tiltY = -0.015;
    double noise = 2;
};
// Dark part before a bright field.
image::Image backlit(const std::vector<float>& coverage, int width, int height, const Light& light, Random& random);

} // namespace demo

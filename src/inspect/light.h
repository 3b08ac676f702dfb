// light.h - how a picture is lit and focused, while somebody stands at the camera: grey levels and clipping, the widest
// exposure, sharpness, evenness.
#pragma once
#include "image/capture.h"

#include <array>
#include <cstdint>
#include <vector>

namespace inspect
{

struct Window { // of a picture, px; right and bottom are outside
    int left = 0, top = 0, right = 0, bottom = 0;
};
Window wholeOf(const image::Picture& picture);

// Of colour every channel counts. Levels 0 to 255, of 16 bit the upper byte.
struct Levels {
    std::array<std::uint64_t, 256> counts{};
    double black = 0, white = 0; // share of pixels at either end of what the samples can hold
    double low = 0, high = 0;    // 0.1 % and 99.9 % of the pixels lie below
    double mean = 0;
};
Levels levelsOf(const image::Picture& picture, Window window);

// Sharpness: mean square of the gradient (3 × 3 Sobel) over the square of the mean level, so that light does not count;
// it falls as the picture blurs. No unit: it compares pictures of one scene.
double sharpnessOf(const image::Picture& picture, Window window);

// The light over the picture: in each cell the level that 90 % of its pixels do not exceed, so that dark parts before a
// bright ground count little; as share of the brightest cell.
struct Evenness {
    int columns = 0, rows = 0;
    std::vector<double> shares; // row by row, 0 to 1
    double least = 1;
};
Evenness evennessOf(const image::Picture& picture, int columns = 8, int rows = 6);

// Looks for the exposure with the widest range of greys that does not clip, in at most 8 pictures: ask for next(),
// tell what the picture under it was like, until done().
class AutoExposure
{
public:
    static constexpr int kMostPictures = 8;
    static constexpr double kClipped = 0.001; // share of pixels that may be white: glints always are
    static constexpr double kLow = 232, kHigh = 251;
    AutoExposure(double least, double most, double start);
    double next() const { return m_next; }
    void saw(const Levels& levels);
    bool done() const { return m_outcome != Outcome::Looking; }
    enum class Outcome { Looking, Found, TooDark, TooBright, Unsteady };
    Outcome outcome() const { return m_outcome; }
    double best() const { return m_best; } // the brightest that did not clip; the least when all clipped
    int pictures() const { return m_pictures; }

private:
    double m_least, m_most, m_next, m_best;
    double m_dark, m_bright; // longest that did not clip, shortest that did
    int m_pictures = 0;
    Outcome m_outcome = Outcome::Looking;
};

} // namespace inspect

// edges.h - edges along a directed window, to a fraction of a pixel.
//
// Input   a grey picture and a directed window (from → to, averaged over `width` across), 1 px sampling. Only the part of the window that
//         lies inside the picture is read.
// Output  edges in the order they are met. Position from the log-parabola through the three largest values of the Gaussian derivative.
//         Strength: the grey difference across the edge, in grey levels. Polarity: +1 dark to bright, -1 bright to dark along the search.
// Fails   NoResult: fewer than 5 samples of the window lie inside the picture.
// Accuracy  spread at most 1.45 × the Cramér-Rao bound at blur 0.8 px, noise 2, contrast 150, 60 lines; bias at most 0.003 px at every
//         phase (tests/edges_test.cpp).
// Source  Canny 1986 (derivative of a Gaussian); peak of a sampled Gaussian by parabola through logarithms, own derivation in docs/methods.md.
// Cost    O(length × width).
#pragma once
#include "base/result.h"
#include "geometry/fit.h"
#include "image/image.h"

#include <optional>
#include <vector>

namespace vision
{

enum class Polarity { Any, DarkToBright, BrightToDark };
struct EdgeOptions {
    Polarity polarity = Polarity::Any;
    double leastStrength = 12; // grey levels
    double smoothing = 1.5;    // px, sigma of the Gaussian
};

struct Profile {
    geometry::Point from, along; // sample i lies at from + along × i
    int first = 0;               // the first and one past the last sample that lie inside the picture
    int end = 0;
    std::vector<double> level; // grey levels; outside [first, end) the nearest valid value
};

struct Edge {
    double position = 0; // px from the window's start
    geometry::Point point;
    double strength = 0; // grey levels, always positive
    int polarity = 0;
    double blur = 0; // px, sigma of the edge as seen, without the smoothing
};

base::Result<Profile> profile(const image::GreyView& picture, geometry::Point from, geometry::Point to, double width);
// The smoothed derivative, for showing; same length as the profile.
std::vector<double> derivative(const Profile& profile, double smoothing);
std::vector<Edge> edges(const Profile& profile, const EdgeOptions& options);

// Which edge of a window counts.
enum class Pick { First, Last, Strongest };
std::optional<Edge> pick(const std::vector<Edge>& edges, Pick which);

// ---- many small windows
struct Probe {
    std::vector<Edge> edges; // at most one a window
    int windows = 0;         // windows asked
    int outside = 0;         // windows not wholly inside the picture
};
// Windows square to the segment, each `across` long, centred on it and `width` wide, searched towards the left hand side (or the right).
Probe probeLine(const image::GreyView& picture, const geometry::Segment& along, double across, int windows, double width, bool towardsRight,
                const EdgeOptions& options, Pick which);
// Radial windows from inner to outer (or back), averaged along the arc. The blur's inward shift is *not* yet undone.
Probe probeCircle(const image::GreyView& picture, geometry::Point centre, double inner, double outer, int windows, double width, bool inward,
                  const EdgeOptions& options, Pick which);
// Blur moves the edge of a disc towards its centre by sigma²/(2R); this is what to add to the radius.
double curvatureShift(const std::vector<Edge>& edges, double radius);

// Grey noise (one sigma, grey levels) of a picture. Source: Immerkær 1996, with the median of the second difference instead of its mean.
double noise(const image::GreyView& picture);

} // namespace vision

// edges.h - edges along a directed window, to a fraction of a pixel.
//
// Input   a grey picture and a directed window (from → to, averaged over `width` across), 1 px sampling. Only the part
//         of the window that lies inside the picture is read.
// Output  edges in the order they are met. Position from the log-parabola through the three largest values of the
//         Gaussian derivative. Strength: the grey difference across the edge, in grey levels. Polarity: +1 dark to
//         bright, -1 bright to dark along the search.
// Fails   NoResult: fewer than 5 samples of the window lie inside the picture.
// Accuracy  spread at most 1.45 × the Cramér-Rao bound at blur 0.8 px, noise 2, contrast 150, 60 lines; bias at most
//           0.003 px at every
//         phase (tests/edges_test.cpp).
// Source  Canny 1986 (derivative of a Gaussian); peak of a sampled Gaussian by parabola through logarithms, own
//         derivation in docs/methods.md.
// Cost    O(length × width).
#pragma once
#include "base/result.h"
#include "geometry/fit.h"
#include "geometry/region.h"
#include "image/image.h"

#include <cmath>
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

// Where a search runs: straight, along a bent line, or round a centre (then `width` is radial). Positions are px along
// it.
struct Path {
    enum class Kind { Straight, Bent, Round } kind = Kind::Straight;
    std::vector<geometry::Point> corners; // straight: its two ends
    geometry::Point centre;
    double radius = 0, start = 0; // round: of the middle circle; the angle it starts at
    double turn = 1;              // round: +1 counter-clockwise as seen, -1 clockwise
    double length = 0, width = 1;
    bool closed = false; // a whole turn

    geometry::Point at(double position) const;
    geometry::Point along(double position) const; // unit vector
};
// Window, polyline, ring and arc; reversed runs it backwards. Other shapes: along the longer middle line of the box.
Path pathOf(const geometry::Region& region, bool reversed = false);
Path straight(geometry::Point from, geometry::Point to, double width);

struct Profile {
    Path path;
    double step = 1;   // px between samples; a closed way's close too, so a little more or less than 1
    double origin = 0; // position of sample 0; a closed path is sampled some px beyond both of its ends
    int first = 0;     // the first and one past the last sample that lie inside the picture
    int end = 0;
    double lines = 1;          // how many independent samples each level is the mean of
    std::vector<double> level; // grey levels; outside [first, end) the nearest valid value
    geometry::Point along() const { return path.along(path.length / 2); }
};

struct Edge {
    double position = 0; // px from the window's start
    geometry::Point point;
    double strength = 0; // grey levels, always positive
    int polarity = 0;
    double blur = 0;    // px, sigma of the edge as seen, without the smoothing
    double station = 0; // denseEdges: px along the line, or the direction in radians
    // One standard deviation of the position for a noise of one grey level in each pixel; docs/methods.md, uncertainty.
    double perNoise = 0;
};

base::Result<Profile> profile(const image::GreyView& picture, geometry::Point from, geometry::Point to, double width);
base::Result<Profile> profile(const image::GreyView& picture, const Path& path);
// The smoothed derivative, for showing; same length as the profile.
std::vector<double> derivative(const Profile& profile, double smoothing);
std::vector<Edge> edges(const Profile& profile, const EdgeOptions& options);

// Which edge of a window counts.
enum class Pick { First, Last, Strongest, Numbered };
// `number` counts from 1 at the start, from -1 at the end; nothing when there are fewer.
std::optional<Edge> pick(const std::vector<Edge>& edges, Pick which, int number = 1);

// ---- many small windows
struct Probe {
    std::vector<Edge> edges; // at most one a window
    int windows = 0;         // windows asked
    std::vector<int> window; // of each edge, from 0
    int outside = 0;         // windows not wholly inside the picture
};
// Windows square to the segment, each `across` long, centred on it and `width` wide, searched towards the left hand
// side (or the right).
Probe probeLine(const image::GreyView& picture, const geometry::Segment& along, double across, int windows,
                double width, bool towardsRight, const EdgeOptions& options, Pick which);
// Radial windows from inner to outer (or back), averaged along the arc. The blur's inward shift is *not* yet undone.
// Only directions from `start` on, `sweep` counter-clockwise, are asked.
Probe probeCircle(const image::GreyView& picture, geometry::Point centre, double inner, double outer, int windows,
                  double width, bool inward, const EdgeOptions& options, Pick which, double start = 0,
                  double sweep = 2 * geometry::kPi);
// Every edge of dense profiles square to a line or circle, `spacing` px apart, `reach` px to both sides; for farthest
// points and form.
std::vector<Edge> denseEdges(const image::GreyView& picture, const geometry::Segment& along, double reach,
                             double spacing, double width, const EdgeOptions& options);
// Of an arc only the part that was seen.
std::vector<Edge> denseEdges(const image::GreyView& picture, const geometry::Circle& along, double reach,
                             double spacing, double width, const EdgeOptions& options);
// Blur moves the edge of a disc towards its centre by sigma²/(2R); this is what to add to the radius.
double curvatureShift(const std::vector<Edge>& edges, double radius);

// How much of its noise a window `width` wide shares with one that lies `apart` px beside it; 1: all.
double sharedNoise(double width, double apart);

// Grey noise (one sigma, grey levels) of a picture. Source: Immerkær 1996, with the median of the second difference
// instead of its mean.
double noise(const image::GreyView& picture);

} // namespace vision

// detection.h - from which size on planted faults are found, and which nothing finds.
//
// Input   a prepared recipe, good captures, how many are planted of each size.
// Output  for each kind of fault the share found against its size, the size that is found nine times out of ten with
//         its one-sided 95 % bound, which checks found it; a gap where even the largest is hardly found.
// Fails   Cancelled. A kind for which this part has no place is left out.
// Source  probit on the logarithm of the size; the bound is that of the likelihood ratio (one degree of freedom,
//         2.706).
// Cost    kinds × sizes × count inspections, on all cores; the same seed gives the same result on any number.
#pragma once
#include "proof/plant.h"
#include "proof/strain.h"

namespace proof
{

struct Trialled {    // one size
    double size = 0; // mm, or px without a calibration; 0: of a kind without sizes
    int planted = 0, found = 0;
    double share() const { return planted ? double(found) / planted : 0; }
};
struct Detection {
    std::string kind;
    base::Unit unit = base::Unit::Pixel;
    std::vector<Trialled> sizes;
    double middle = 0, width = 0;        // of the probit, logarithms of size
    std::optional<double> size90, bound; // none: not within what was tried
    std::optional<double> asked;
    std::map<std::string, int> by; // checks ("step/output") that found it, how often
    bool gap = false;              // not even the largest is found half the time
    // The largest that was not found: to look at, and to plant again.
    struct Missed {
        int sample = -1;
        double size = 0; // px
        std::uint64_t seed = 0;
        geometry::Point at;
        double radius = 0;
    };
    std::optional<Missed> missed;
    bool met() const; // what was asked, by the bound; without anything asked: no gap
    double shareAt(double size) const;
};
struct DetectionSettings {
    int count = 3;      // of each size, in the first round
    int more = 8;       // where the share turns, in the second
    bool down = false;  // from the largest size on down, to the first that is not always found, and no second round
    double least = 2;   // px, the smallest
    double grow = 2;    // from one size to the next
    double most = 0.08; // of the picture's shorter side, the largest
    std::uint64_t seed = 1;
    int threads = 0;
    double from = 0, until = 1; // what of the watch's share this is
};
base::Result<std::vector<Detection>> detections(const inspect::Prepared& prepared, const std::vector<Sample>& samples,
                                                const DetectionSettings& settings, base::Watch* watch = nullptr);

// What a sample's picture consists of, with the outlines of the recipe's places as they were found in it.
base::Result<Anatomy> anatomyFor(const recipe::Recipe& recipe, const Sample& sample);

// The fit alone, sizes with their shares: middle and width of the probit, the 90 % size and its bound.
void fitDetection(Detection& d);

} // namespace proof

// plant.h - faults made by program on a good picture: of a kind that fits the part, of a known size, at a place drawn
// by lot.
//
// Input   a capture, its anatomy, a kind, a size in px, a seed.
// Output  the capture with the fault in it, drawn before the lens: its borders are as soft as the picture's own, and
//         what is laid over keeps the picture's noise.
// Fails   NoResult: this part has no place for it (no opening, no room).
#pragma once
#include "proof/anatomy.h"

#include <span>
#include <string>

namespace proof
{

struct FaultKind {
    const char *key, *label, *help;
    bool sized; // else there is one size: the thing's own
};
std::span<const FaultKind> faultKinds();
const FaultKind* findFault(const std::string& key);

struct Planted {
    image::Capture capture;
    geometry::Point at; // px
    double radius = 0;  // px, about what was changed
};
base::Result<Planted> planted(const image::Capture& capture, const Anatomy& anatomy, const std::string& kind,
                              double size, std::uint64_t seed);

} // namespace proof

// anatomy.h - what a picture of a part consists of, found without any recipe: ground, part, outline, openings; so that
// faults can be planted where they would be.
//
// Input   a picture of light (colour by its grey).
// Output  the part: what differs from the ground that fills most of the border. Openings: ground inside the part, or
//         what else of the part's own lies in it.
// Fails   NoResult: one grey level everywhere, or nothing stands out.
#pragma once
#include "base/result.h"
#include "geometry/geometry.h"
#include "image/capture.h"

#include <algorithm>
#include <vector>

namespace proof
{

struct OutlinePoint {
    geometry::Point at, outward; // px; unit vector
};
struct Opening {
    geometry::Point centre;
    int left = 0, top = 0, right = 0, low = 0; // px, ends included
    geometry::Point along;                     // unit vector of its longer side
    double length = 0, width = 0, area = 0;    // px, px²
};
struct Anatomy {
    double ground = 0, part = 0; // grey levels
    std::vector<OutlinePoint> outline;
    std::vector<Opening> openings;
    std::vector<geometry::Point> inside; // places on the part, well away from its outline and openings
    struct Box {
        int left, top, right, low;
    };
    std::vector<Box> parts; // largest first
    std::vector<std::vector<geometry::Point>>
        places; // outlines of the recipe's places in this picture; not seen, but told
    // How much of the ground is seen here: 0 on the part, 1 beside it.
    double share(double level) const { return std::clamp((level - part) / (ground - part), 0.0, 1.0); }
};
base::Result<Anatomy> anatomyOf(const image::Picture& picture);

} // namespace proof

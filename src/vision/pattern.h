// pattern.h - finds a taught part at any place and angle by the directions of its edges.
//
// Input   teach(): a reference picture, the teaching region, the part's origin and direction. find(): a picture, where
//         to search, options.
// Output  finds with pose (px, radians) of the taught origin and a score: how far the edges' directions agree at the
//         model's points,
//         1 where all do, 0 for chance; about the share of the outline that is seen. Ordered by score, best first; ties
//         by y, then x. Teaching says how much the part looks like itself turned.
// Fails   teach NoResult: fewer than 24 edge points in the teaching region. find NoResult is not used: an empty list is
//         an answer.
// Accuracy  0.01 px and 0.005° rms for a 200 px part on clean pictures at any angle (tests/pattern_test.cpp).
// Source  edge directions on a coarse picture after Steger 2002, responses spread over neighbours and stored per
//         direction; refinement by least squares of edge points along their normals with Tukey weights; own derivation
//         in docs/methods.md.
// Cost    coarse search about angles × pixels of the coarse picture × 64 additions of bytes; refinement about 0.5 ms a
//         candidate.
#pragma once
#include "base/result.h"
#include "geometry/region.h"
#include "image/image.h"

#include <memory>
#include <vector>

namespace vision
{

struct PatternPoint {
    geometry::Point at;     // px from the model's centre, at angle 0
    geometry::Point normal; // unit, from dark to bright
};
struct PatternLevel {
    int halvings = 0; // the picture's size is divided by 2^halvings
    std::vector<PatternPoint> points;
};
struct PatternModel {
    geometry::Pose origin;            // of the part, in the reference picture
    geometry::Point centre;           // of the edge points, in the reference picture
    double radius = 0;                // px, farthest edge point from the centre
    double width = 0, height = 0;     // px, of the upright box about the edge points on the reference
    double contrast = 0;              // grey levels, median strength of the edge points
    std::vector<PatternLevel> levels; // coarse first; the last one is the full picture
    double turnedScore = 0;           // best score of the model laid on itself turned by more than 20°
    double turnedAngle = 0;           // radians, where that was
};
struct PatternOptions {
    double leastScore = 0.65;
    // radians, of the part's direction against the reference
    double angleFrom = -geometry::kPi, angleTo = geometry::kPi;
    double leastContrast = 10; // grey levels across an edge
    // the best so many are given; it changes nothing in what is found
    int most = 1;
    // of them: what lies on one of the best `wanted` ones (more than half) need not be found; 0: everything is wanted
    int wanted = 0;
    double scaleFrom = 1, scaleTo = 1; // of the part against the reference
    // a part whose dark and bright are exchanged is found too
    bool reversal = false;
    // px between the middles of two finds; 0: 0.35 × the model's radius
    double leastDistance = 0;
    // Pictures larger than after so many halvings are not looked at: for whoever lays the part by its edges afterwards.
    // Poses are as exact as that picture's px, as far as the model has levels so small.
    int finest = 0;
};
struct PatternFind {
    geometry::Pose pose;
    double score = 0;
    double rms = 0; // px, residual of the edge points used
    double scale = 1;
    bool reversed = false;
};

base::Result<PatternModel> teachPattern(const image::GreyView& reference, const geometry::Region& region,
                                        const geometry::Pose& origin, double leastContrast,
                                        const std::vector<geometry::Region>& leftOut = {});
// `search` limits where the part's centre may lie.
std::vector<PatternFind> findPattern(const image::GreyView& picture, const PatternModel& model,
                                     const geometry::Region& search, const PatternOptions& options);
// The share of the model's points seen at this pose without any fitting; for showing and for teaching.
double scoreAt(const image::GreyView& picture, const PatternModel& model, const geometry::Pose& pose,
               double leastContrast);
// Share of the smaller one's box (turned with the part) that lies in the other's.
double overlap(const PatternModel& model, const geometry::Pose& a, double scaleA, const geometry::Pose& b,
               double scaleB);
// The model's fine edge points laid into a picture.
std::vector<geometry::Point> outlinePoints(const PatternModel& model, const geometry::Pose& pose, double scale = 1);

} // namespace vision

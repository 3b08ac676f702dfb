// target.h - corners of a checkerboard or centres of a dot grid in a picture, to a fraction of a px.
//
// Input   a grey picture; the kind of target with its inner corners or dots (columns × rows, 3 to 200 each) and pitch
//         (mm).
// Output  points with their column and row and their place in px; whether the orientation mark was seen. Part of a
//         target is an answer too, when at least 4 × 3 of its points hang together. Columns run to the right of rows as
//         seen from the front (never mirrored). With the mark the numbers are those of the whole target; without it x
//         runs along the columns and (0, 0) is the corner nearest the picture's upper left. Of a checkerboard whose
//         sheet shows half squares beyond the asked corners, the part with whole squares all round is taken, and that
//         is said.
// Fails   OutOfRange: columns, rows or pitch. NoResult with what was seen instead.
// Accuracy  0.02 px and better on clean pictures (tests/calibration_test.cpp). The window about a corner never reaches
//           a neighbour.
// Source  saddle points: Beaudet 1978 (determinant of the second derivatives); refinement: Förstner and Gülch 1987,
//         then a blurred corner fitted by least squares; dots: grey-weighted centroid. The mark: a small disc of the
//         opposite kind in each of three squares (checkerboard) or a hollow in each of three dots: the middle one, its
//         neighbour to the right and its neighbour below. Middle dot: (columns / 2, rows / 2); middle square: the one
//         whose upper left corner is ((columns - 1) / 2, (rows - 1) / 2), both rounded down.
// Cost    about 0.2 s at 5 MP.
#pragma once
#include "base/result.h"
#include "geometry/geometry.h"
#include "image/image.h"

#include <string>
#include <vector>

namespace vision
{

enum class TargetKind { Checkerboard, Dots };
struct Target {
    TargetKind kind = TargetKind::Checkerboard;
    int columns = 9, rows = 6; // inner corners or dots
    double pitch = 1;          // mm
    double dot = 0;            // mm, diameter of a dot; 0: half the pitch
    double dotDiameter() const { return dot > 0 ? dot : pitch / 2; }
    base::Status check() const;
};
struct TargetPoint {
    int column = 0, row = 0;
    geometry::Point at;
};
struct TargetFind {
    std::vector<TargetPoint> points; // row by row
    bool marked = false;             // the orientation mark was seen
    bool whole = false;              // every point of the target
    std::string note;                // what was left out of a sheet that shows more than the target
};
base::Result<TargetFind> findTarget(const image::GreyView& picture, const Target& target);
// Quick and safe enough for pictures of parts: does a target lie in this picture? Looks on a small copy only. Dots
// count when the mark is seen or at least 100 of them fill half the picture; parts have rows of holes too.
bool looksLikeTarget(const image::GreyView& picture);

} // namespace vision

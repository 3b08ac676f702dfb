// calibrate.h - lens, tilt and scale from pictures of a target: least squares over every point of every picture.
//
// Input   one or more finds of one target in pictures of one size; which of them shows the target lying where parts
//         will be measured.
// Output  a calibration; for every picture its residuals (found minus worked out, px) and the root of their mean
//         square.
// Fails   InvalidArgument: sizes differ, no picture. NoResult: too few points, or nothing that fits them to better than
//         20 px.
// Accuracy  generated targets: scale within 2e-5, places within 0.02 px inside the covered area
//           (tests/calibration_test.cpp).
// Source  Zhang 2000 for the start (planar homographies) and the model with Brown's distortion; all parameters together
//         by Levenberg and Marquardt (Ceres). What the pictures leave open (the focal length of a target seen straight
//         on) is held near a usual value by a weak pull; it does not move what they do determine. Centroids of dots:
//         corrected for the ellipse's centre (own derivation: docs/methods.md).
// Cost    about a second for 20 pictures of 1000 points.
#pragma once
#include "geometry/calibration.h"
#include "vision/target.h"

namespace vision
{

struct TargetView {
    std::string name;
    int width = 0, height = 0;
    std::vector<TargetPoint> points;
};
struct ViewFit {
    geometry::PlanePose plane;
    std::vector<geometry::Point> residuals; // px, of each point; dropped ones too
    std::vector<char> used;
    double rms = 0, max = 0; // px, of the 2-D distances of used points
};
struct LensFit {
    geometry::Calibration calibration;
    std::vector<ViewFit> views;
    double rms = 0, max = 0; // px, over all used points
    int points = 0, dropped = 0;
    bool focalKnown = false; // the pictures determine the focal length to better than 2 %
};
base::Result<LensFit> calibrate(const Target& target, const std::vector<TargetView>& views, int planeView = 0);

} // namespace vision

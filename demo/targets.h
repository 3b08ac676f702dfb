// targets.h - demo set 7: calibration targets seen by a known lens, tilted, and the reed plate again through the same
// lens.
#pragma once
#include "demo/reed_plate.h"
#include "vision/target.h"

namespace demo
{

// The lens of set 7: tilt, radial and tangential distortion. Its plane, in mm, has the field's size; (0, 0) lies at its
// upper left.
geometry::Calibration tiltedLens(const Field& field);
struct TargetScene {
    vision::Target target;
    geometry::PlanePose pose; // of the target before the camera
    bool marked = true;
    double noise = 2, fall = 0.25;
};
// A target as the camera of `lens` sees it in this pose, with uneven light.
image::Image drawTarget(const Field& field, const geometry::Calibration& lens, const TargetScene& scene,
                        Random& random);
// The n-th pose (from 0): the first lies in the measuring plane and fills the field, the others are tilted up to 30°,
// some partly outside.
geometry::PlanePose targetPose(const Field& field, const geometry::Calibration& lens, const vision::Target& target,
                               std::uint64_t seed, int n);

// `count` pictures each of a checkerboard (board-…) and a dot grid (dots-…) and truth.json into a folder. Fails with
// Io.
base::Status writeTargets(const std::string& folder, std::uint64_t seed, int count, const Field& field = {});
// Reed plates seen by the tilted lens, anywhere in its field, with a recipe that holds the lens as a calibration. Fails
// with Io.
base::Status writeTiltedPlates(const std::string& folder, std::uint64_t seed, int count, const Field& field = {});

} // namespace demo

// reed_plate.h - the first demo set: a brass reed plate before a backlight, good and faulty, with the truth beside it.
//
// All lengths in mm, the plate's frame in its middle: x along the plate, y down at angle 0. Seen by a telecentric lens,
// or by one with tilt and distortion; then places of the truth are those of the untilted field.
#pragma once
#include "base/result.h"
#include "demo/render.h"
#include "geometry/calibration.h"

#include <memory>
#include <optional>
#include <string>

namespace demo
{

enum class Fault { None, MissingSlot, HoleOff, Narrow, Absent, Cut, Burr, ShortSlot, BentEdge };
const char* name(Fault fault); // "", "missing slot", …

struct Field { // of view
    int width = 2448, height = 2048;
    double mmPerPixel = 0.052;
    std::shared_ptr<const geometry::Calibration> lens{};  // tilt and distortion; none: telecentric
    std::shared_ptr<const geometry::Calibration> found{}; // what the recipe is calibrated by, from pictures of targets
    // Where a place of the untilted field (px) is seen in the picture.
    geometry::Point seen(geometry::Point p) const { return lens ? lens->fromMm(p * mmPerPixel) : p; }
};

struct PlateTruth {
    Fault fault = Fault::None;
    geometry::Pose pose; // of the plate's middle, px
    double width = 26, pitch = 92;
    int slotCount = 10;
    double burr = 0, bow = 0; // how far a burr stands out of the upper or lower edge, how far the upper edge bows in
    int shortSlot = -1;       // which slot is too short, from 0
    double slotLost = 0;      // by how much
};

struct PlatePicture {
    PlateTruth truth;
    image::Image picture;
};

constexpr double kPlateLength = 100, kPlateWidth = 26, kHolePitch = 92, kHoleY = 9, kHoleRadius = 1.6, kSlotPitch = 8.2,
                 kFirstSlot = -38;
// The good part the recipe is drawn on: level, all dimensions nominal.
PlatePicture referencePlate(const Field& field);
// The n-th picture (from 0) of the series with this seed: every third one has a fault, each kind in turn.
PlatePicture plate(const Field& field, std::uint64_t seed, int n);
PlatePicture drawPlate(const Field& field, PlateTruth truth, Random& random);

// Pictures, truth.json, reference and the recipe "reed-plate.dikkat" into a folder. Fails with Io.
base::Status writeReedPlates(const std::string& folder, std::uint64_t seed, int count, const Field& field = {});
// The recipe as JSON text for a reference drawn in this field; trials as written by writeReedPlates.
std::string reedPlateRecipe(const Field& field, const std::vector<std::pair<std::string, std::string>>& trials);

} // namespace demo

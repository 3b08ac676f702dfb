// fitted_reeds.h - demo set 2: brass plates with ten steel reeds, each riveted at one end and glued beside the rivet; seen
// under white light, under red light that makes the glue shine, and by their heights. And a printed label whose print
// varies as it may.
#pragma once
#include "demo/set_writer.h"
#include "image/capture.h"

namespace demo
{

// A field of view in which both are about a megapixel.
inline Field reedField() { return {1600, 640, 0.07}; }

enum class ReedFault {
    None,
    ReedMissing,
    ReedReversed,
    ReedTurned,
    ReedShifted,
    RivetMissing,
    Scratch,
    GlueNone,
    GlueLittle,
    GlueMuch,
    GlueBridged,
    ReedLifted
};
const char* name(ReedFault fault); // "reed missing", "scratch", …; "": none
struct FittedTruth {
    ReedFault fault = ReedFault::None;
    int place = 0; // of the reed, rivet or joint, from 1; 0: none
    geometry::Pose pose;
    double amount = 0;     // degrees or mm; of a lifted reed how far its tip is
    double darkCorner = 0; // part of the light lost there; no fault
};
struct FittedPicture {
    FittedTruth truth;
    image::Image white, red, heights; // the last in steps of kReedStep mm from kReedFloor, 0: none
};
constexpr double kReedStep = 0.001, kReedFloor = -5;
image::HeightScale reedScale(const Field& field);
FittedPicture fittedReference(const Field& field);
FittedPicture fittedReeds(const Field& field, std::uint64_t seed, int n);
FittedPicture drawFitted(const Field& field, const FittedTruth& truth, Random& random);
image::Capture captureOf(FittedPicture made, const Field& field, const std::string& id);

// REEDS-001.png, -red.png and -z.png …, samples, truth.json, reference and the recipe fitted-reeds.dikkat into a folder.
// Fails with Io.
base::Status writeFittedReeds(const std::string& folder, std::uint64_t seed, int count, const Field& field = {});

enum class PrintFault { None, LineMissing, Blot, WeakColour, PrintOff };
const char* name(PrintFault fault);
struct LabelTruth {
    PrintFault fault = PrintFault::None;
    geometry::Pose pose;
    geometry::Point drift; // of the print against the outline, mm; up to 0.3 is good
    geometry::Point at;    // of the fault, mm from the label's middle
};
image::Image drawLabel(const Field& field, const LabelTruth& truth, Random& random);
LabelTruth labelTruth(const Field& field, std::uint64_t seed, int n);
base::Status writeLabelPrints(const std::string& folder, std::uint64_t seed, int count, const Field& field = {});

} // namespace demo

// calibrating.h - from pictures of a target to a calibration, and what a calibration is good for in words.
//
// Output  for every picture what was found or why not; the fit; the plain sentence a person trusts or doubts it by.
// Fails   never as a whole: `why` says what is missing.
// Threads pictures are searched at once; `progress` counts them, `cancel` stops between two.
#pragma once
#include "recipe/recipe.h"
#include "vision/calibrate.h"

#include <atomic>
#include <optional>

namespace inspect
{
// What the layers above say a target with; they do not reach down to vision.
using vision::Target;
using vision::TargetKind;

struct TargetPicture {
    std::string name;
    int width = 0, height = 0;
    std::optional<vision::TargetFind> found;
    std::string why; // when nothing was found
    std::optional<vision::ViewFit> fit;
};
struct Calibrating {
    std::vector<TargetPicture> pictures;
    std::optional<vision::LensFit> fit;
    int plane = -1; // the picture that shows the measuring plane
    std::string why;
    bool cancelled = false;
};
// `plane`: index of the picture that shows the target where parts will lie; -1: the first in which it was found.
Calibrating calibrateFrom(const vision::Target& target, const std::vector<std::string>& pictures, int plane = -1,
                          std::atomic<int>* progress = nullptr, const std::atomic<bool>* cancel = nullptr,
                          int threads = 0);
// "Good for ±0.004 mm inside the marked area, 83 % of the picture; the lower left is uncovered."
std::string calibrationSentence(const geometry::Calibration& calibration);
// What is wrong with measuring in this picture by this calibration: another size, or (asked for) a target among the
// parts. Empty: nothing.
std::string pictureWarning(const geometry::Calibration& calibration, const image::Capture& capture, bool lookForTarget);
// In what a capture is another kind of picture than the reference: size, colour, depth; empty: in nothing.
std::string otherThanReference(const image::Capture& reference, const image::Capture& capture);

} // namespace inspect

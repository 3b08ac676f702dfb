// recipe.h - all steps, calibration, reference and trials: a plain value, so undo keeps old ones.
#pragma once
#include "image/image.h"
#include "recipe/step_kind.h"

#include <memory>

namespace recipe
{

enum class Label { Open, Good, Bad };
const char* name(Label label); // "open", "good", "bad"

struct Trial {
    std::string picture; // path as it can be opened from here
    Label label = Label::Open;
    friend bool operator==(const Trial&, const Trial&) = default;
};

// The picture of a good part on which steps are drawn, with the bytes of its file so that it is saved as it came.
struct Reference {
    std::string name;   // file name inside the recipe
    std::string origin; // the picture it was taken from, for the title block
    std::shared_ptr<const std::string> bytes;
    std::shared_ptr<const image::Capture> capture;
    std::uint64_t fingerprint = 0;
    bool empty() const { return !capture; }
};
base::Result<Reference> makeReference(std::string name, std::string bytes, std::string origin);

struct Recipe {
    std::string name = "Untitled";
    int revision = 1;
    double mmPerPixel = 0;    // 0: not calibrated
    std::string calibratedBy; // how the factor came about, in words
    Reference reference;
    Reference empty; // the picture without a part, for uneven light; may be missing
    std::vector<Trial> trials;
    std::vector<Step> steps;
    // Where datums that are found by other steps lie on the reference; worked out from the rest when the recipe is prepared, never stored.
    std::map<std::string, geometry::Pose> datumPoses;

    const Step* find(const std::string& id) const;
    Step* find(const std::string& id);
    int indexOf(const std::string& id) const; // -1: not there
    std::string freshId() const;
    std::string freshName(const std::string& wanted) const; // "Width", "Width 2", …
    std::string freshLetter() const;
    int freshBalloon() const;
    // Ids of the steps this one reads: its datum and its inputs.
    static std::vector<std::string> reads(const Step& step);
    std::vector<std::string> readBy(const std::string& id) const;
    // The unit a value of this output has in this recipe.
    base::Unit unitOf(const Step& step, const OutputSpec& output) const;
};

// Indexes of the steps so that each stands after what it reads, else in their given order.
// Fails with InvalidArgument naming the steps when they read each other in a circle. What is missing is no failure here.
base::Result<std::vector<int>> orderByDependence(const std::vector<Step>& steps);

// A step of this kind with default settings, fresh id and name, and a check on its main output.
Step makeStep(const Recipe& recipe, const StepKind& kind);

} // namespace recipe

// recipe.h - all steps, calibration, reference and trials: a plain value, so undo keeps old ones.
#pragma once
#include "drawing/outline.h"
#include "geometry/calibration.h"
#include "image/capture_files.h"
#include "recipe/camera.h"
#include "recipe/outlet.h"
#include "recipe/proof_ask.h"
#include "recipe/screen.h"
#include "recipe/step_kind.h"

#include <memory>
#include <set>

namespace recipe
{

enum class Label { Open, Good, Bad };
const char* name(Label label); // "open", "good", "bad"

// Of one of several parts in a picture, kept by its place: finds come and go, parts do not.
struct ItemLabel {
    geometry::Point at; // the part's origin in the picture, px
    Label label = Label::Open;
    friend bool operator==(const ItemLabel&, const ItemLabel&) = default;
};
struct Trial {
    std::string picture;            // path as it can be opened from here
    Label label = Label::Open;      // of the whole picture
    std::vector<ItemLabel> items{}; // of single parts; they go before the picture's
    friend bool operator==(const Trial&, const Trial&) = default;
};

// Pairs of points that state a robot's frame.
struct RobotFrame {
    struct Pair {
        geometry::Point here; // picture px, or mm in the plane of the calibration
        bool inMm = false;
        geometry::Point robot; // mm
        friend bool operator==(const Pair&, const Pair&) = default;
    };
    std::vector<Pair> pairs;
    std::optional<bool> mirrored; // the robot looks from the other side; none: whichever fits, which takes three pairs
    friend bool operator==(const RobotFrame&, const RobotFrame&) = default;
};

// Something the recipe carries with it: the picture of a good part on which steps are drawn, the picture without a part,
// the drawing.
// With the bytes of its files, so that it is saved as it came.
struct Asset {
    struct File {
        std::string key;  // of the picture of a capture; "" when the recipe names none
        std::string name; // file name inside the recipe
        std::shared_ptr<const std::string> bytes;
    };
    std::vector<File> files;
    std::string origin;                              // the picture it was taken from, for the title block
    std::shared_ptr<const image::Capture> capture;   // of pictures
    std::shared_ptr<const drawing::Drawing> drawing; // of a drawing
    std::shared_ptr<const drawing::Outline> outline; // of the layers in use; none when nothing closes
    std::string noOutline;                           // and why
    std::uint64_t fingerprint = 0;
    bool empty() const { return !capture && !drawing; }
};
// How the recipe's drawing is to be read.
struct DrawingSettings {
    std::vector<std::string> layersOff;
    std::optional<drawing::LengthUnit> unit; // none: as the file says
    double joinMm = 0.01;                    // ends within it meet
    friend bool operator==(const DrawingSettings&, const DrawingSettings&) = default;
};
// Decodes its files. Fails as image::captureOf, and with NotFound when a picture of the naming is missing.
base::Result<Asset> makeAsset(const image::Naming& naming, std::vector<Asset::File> files, std::string origin);
// The drawing. Fails as drawing::readDxf; a drawing whose layers in use close to nothing is none to fail on.
base::Result<Asset> makeDrawing(const DrawingSettings& settings, Asset::File file, std::string origin);
// Of one picture.
base::Result<Asset> makeAsset(std::string name, std::string bytes, std::string origin);

// A picture of a good part that comparisons learn from, beside the reference; or, when it names places, of bare ground
// there.
struct LearnedSample {
    Asset picture;
    struct Bare {
        std::string step, place; // id and name
        friend bool operator==(const Bare&, const Bare&) = default;
    };
    std::vector<Bare> bare;
};
constexpr std::size_t kMostSamples = 64;

// Summed up over items and pictures: a formula over the item's results.
struct Total {
    std::string name, expression;
    base::Unit unit = base::Unit::None;
    friend bool operator==(const Total&, const Total&) = default;
};

struct Revision;                                              // history.h
using History = std::vector<std::shared_ptr<const Revision>>; // oldest first

struct Recipe {
    std::string name = "Untitled";
    int revision = 1;
    geometry::Calibration calibration;
    // real lengths are shown in mm, µm or inch; what is judged and logged stays in mm
    base::Unit shownIn = base::Unit::Millimetre;
    ToleranceClass toleranceClass = ToleranceClass::None;
    bool stopUnsaved = false;   // the line stops when an item could not be saved; else it goes on and says so
    bool guardBand = false;     // ISO 14253-1: limits are narrowed by each check's uncertainty
    bool guardMeasured = false; // where none is stated by the one worked out from the picture
    std::string rule;           // formula over checks, 1 for pass; empty: all checks pass
    std::string acceptWord = "ACCEPT", rejectWord = "REJECT";
    std::vector<Total> totals;
    std::vector<Outlet> outlets; // who is told of every item
    CameraSettings camera;       // what it wants of the camera
    Screen screen;               // what the operator sees
    RobotFrame robot;            // where places are told to a robot; no pairs: nowhere
    image::Naming pictures;      // of a capture; empty: one, whatever its file's name
    Asset reference;
    Asset empty; // the picture without a part, for uneven light; may be missing
    Asset drawing;
    DrawingSettings drawn; // how it is read
    std::vector<LearnedSample> samples;
    std::vector<Trial> trials;
    ProofAsk proof;
    bool trialsInside = false;         // their pictures are saved inside of the recipe, else by their paths
    std::vector<std::string> setAside; // pictures that are no parts (targets, empty ones): never trials
    std::vector<Step> steps;
    // How the window is arranged: "wide", "tall", or as the reference is.
    std::string arrangement;
    // Variants of the part, each a recipe of its own with its reference; this one is the one in work, `variant` its name.
    std::string variant;
    std::vector<std::shared_ptr<const Recipe>> variants; // the others, without others
    History history;                                     // what it was each time it was saved; no part of what it does
    // Where datums that are found by other steps lie on the reference; worked out from the rest when the recipe is
    // prepared, never stored.
    std::map<std::string, geometry::Pose> datumPoses;

    // What it carries, by the name each has in the file: the one list for reading, writing and identity.
    static std::array<std::pair<const char*, Asset Recipe::*>, 3> assets();
    // All it carries: those, and the samples' pictures.
    std::vector<std::pair<std::string, const Asset*>> carried() const;
    std::vector<std::pair<std::string, Asset*>> carried();
    const Step* find(const std::string& id) const;
    Step* find(const std::string& id);
    int indexOf(const std::string& id) const; // -1: not there
    std::string freshId() const;
    std::string freshName(const std::string& wanted) const; // "Width", "Width 2", …
    std::string freshLetter() const;
    int freshBalloon() const;
    // The pictures of a capture that steps in use look at, and the first one: what need not be taken is not among them.
    std::set<std::string> picturesNeeded() const;
    // The naming with pictures nobody looks at marked: they are not read.
    image::Naming picturesTaken() const;
    // Ids of the steps this one reads: its datum and its inputs.
    static std::vector<std::string> reads(const Step& step);
    std::vector<std::string> readBy(const std::string& id) const;
    bool calibrated() const { return calibration.kind() != geometry::Calibration::Kind::None; }
    double mmPerPixel() const { return calibration.mmPerPixel(); } // of a level px; 0: not calibrated
    // The unit a value of this output has in this recipe.
    base::Unit unitOf(const Step& step, const OutputSpec& output) const;
};

// Places in rows and columns: named 1.1, 1.2, …, from the first by steps of `column` and `row`. Reference px.
std::vector<Element> gridOfPlaces(int rows, int columns, geometry::Point first, geometry::Point column,
                                  geometry::Point row);

// Checks whose limits are in a unit the value no longer has, as pairs of step id and output.
std::vector<std::pair<std::string, std::string>> foreignLimits(const Recipe& recipe);
// The same check with its limits, elements and uncertainty in the unit its value has now: px by the scale, areas by its
// square, and back again. The way they were stated (nominal and tolerance, low and high) stays. Unchanged when there is
// no way between the units.
Check convertedCheck(const Recipe& recipe, const Step& step, const Check& check);
// The recipe with another calibration. Limits keep the unit they were entered in, or are converted; checks without
// limits take the new unit along. True places of position steps that were stated in the value's own unit keep the unit
// they had.
Recipe recalibrated(const Recipe& recipe, const geometry::Calibration& calibration, bool convertLimits);

// Indexes of the steps so that each stands after what it reads, else in their given order.
// Fails with InvalidArgument naming the steps when they read each other in a circle. What is missing is no failure
// here.
base::Result<std::vector<int>> orderByDependence(const std::vector<Step>& steps);

// A step of this kind with default settings, fresh id and name, and a check on its main output.
Step makeStep(const Recipe& recipe, const StepKind& kind);

} // namespace recipe

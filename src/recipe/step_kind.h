// step_kind.h - one step kind, declared once (declare.h); JSON, form, handles, command line and reference page are read
// from the declaration.
#pragma once
#include "recipe/evidence.h"
#include "recipe/offers.h"
#include "recipe/param.h"

#include <functional>
#include <nlohmann/json_fwd.hpp>
#include <span>

namespace recipe
{

struct StepKind {
    std::string key, label, help, source;
    std::string usualName; // of a new step; empty: the label
    std::string purpose;   // words a person may look for: "width gap thickness"
    std::string gesture;   // how a person makes one on the sheet: "stroke from one hole to the other"
    std::string symbol;    // name of the drawing symbol
    Question question = Question::What;
    int version = 1;
    bool datum = false; // finds parts; others follow it
    // Reads the recipe's drawing. A datum that does is taught by it alone and has its pose on the reference by being
    // found there.
    bool byDrawing = false;
    // Learns from the recipe's samples too: they are laid on the reference by the step's datum.
    bool bySamples = false;
    bool taughtOnReference() const { return teach && !(datum && byDrawing); }
    // made by drawing an area, not a stroke
    bool byArea = false;
    // which of the step's lists it reads
    bool leavesOut = false, hasFilters = false, hasSamples = false, hasPlaces = false, hasKinds = false;
    Roles roles;
    std::vector<ParamSpec> params;
    std::vector<RegionSpec> regions;
    std::vector<PointSpec> points;
    std::vector<PictureSpec> pictures;
    std::vector<InputSpec> inputs;
    std::vector<OutputSpec> outputs;
    FeatureType feature = FeatureType::Point;
    bool hasFeature = false; // its result is geometry others can read
    // Settings that are lengths in the unit a choice states ("" the value's own, "px", "mm" …); a change of calibration
    // must not read them anew.
    std::vector<std::string> lengths;
    std::string lengthUnit;
    std::vector<Ordered> ordered;
    std::any defaults;

    std::function<base::Result<RunOutput>(const std::any&, const RunInput&)> run;
    std::function<base::Result<std::any>(const std::any&, const TeachInput&)> teach;
    std::function<bool(const std::any&)> needsTeaching;                      // empty: always when it can be taught
    std::function<std::string(const std::any&, const std::any&)> taughtNote; // params, taught → weakness or nothing
    std::function<base::Result<Evidence>(const std::any&, const RunInput&)> evidence;
    // All that was looked at one by one, also what run() never made a row of; made on demand for one picture.
    std::function<base::Result<ObjectTable>(const std::any&, const RunInput&)> tell;
    // empty: the gesture is not for this kind
    std::function<std::vector<Offer>(const Gesture&, const OfferInput&)> offer;

    const ParamSpec* param(const std::string& name) const;
    bool isReversed(const std::any& params) const;
    bool isReversedRound(const std::any& params) const; // along a ring or arc
    bool takesColour(const std::any& params) const;     // shown by samples
    // OutOfRange when two settings that belong together contradict each other, naming both; labels for people, keys for
    // files.
    base::Status consistent(const std::any& params, bool labels = false) const;
    bool mustBeTaught(const std::any& params) const;
    bool isRead(const ParamSpec& param, const std::any& params) const; // under the choices that are made
    const RegionSpec* region(const std::string& name) const;
    const OutputSpec* output(const std::string& name) const;
    const InputSpec* input(const std::string& name) const;
    const PictureSpec* picture(const std::string& name) const;
    const OutputSpec* mainOutput() const;
    nlohmann::json paramsToJson(const std::any& values) const;
    // Fails with InvalidArgument or OutOfRange on an unknown key, wrong type or value out of range, naming key and
    // bound.
    base::Result<std::any> paramsFromJson(const nlohmann::json& json) const;
};

std::span<const StepKind> allStepKinds(); // generated list: see CMakeLists.txt
const StepKind* findKind(const std::string& key);

} // namespace recipe

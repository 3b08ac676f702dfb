// result.h - what an inspection says: a picture holds items, an item holds step results and checks.
#pragma once
#include "recipe/recipe.h"

#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace inspect
{

enum class State { Ok, Failed, NotRun };
enum class Verdict { Pass, Fail, NotMeasured, Unjudged };
// Of an item. Unjudged: nothing failed and nothing was judged; it is no accept.
enum class Outcome { Accept, Reject, Unjudged };
const char* name(State state);     // "ok", "failed", "not_run"
const char* name(Verdict verdict); // "pass", "fail", "not_measured", "unjudged"
const char* name(Outcome outcome); // "accept", "reject", "unjudged"

struct OutputValue {
    std::string name;
    base::Unit unit = base::Unit::None;
    bool list = false;
    std::vector<double> values; // one unless a list; NaN: this element is missing
};

struct StepResult {
    std::string step;
    State state = State::NotRun;
    std::string reason;       // why it failed or was not run
    bool absent = false;      // what was asked for is not there: a fault of the part
    bool surplus = false;     // of a part beyond the wanted ones: found, named, not inspected
    std::size_t unlisted = 0; // objects found beyond the longest list
    std::vector<OutputValue> outputs;
    std::map<std::string, recipe::Feature> features;
    std::vector<recipe::Mark> marks;
    std::vector<recipe::Find> finds, surplusFinds;
    std::map<std::string, std::vector<geometry::Point>> points;     // every edge point, for tolerances of form
    std::map<std::string, std::vector<std::string>> elementNames;   // by output; "": of every other list
    std::map<std::string, std::vector<std::string>> says;           // of those that fail, likewise
    std::map<std::string, recipe::Spreads> spreads, featureSpreads; // RunOutput; sources are the recipe's
    recipe::ObjectTable objects; // what was looked at one by one, px; also what was turned away late
    std::string note;            // said beside the values
    geometry::Motion motion;     // reference → picture, as the step used it
    double milliseconds = 0;
    std::uint64_t fingerprint = 0; // of everything the result depends on but the picture

    const OutputValue* output(const std::string& name) const;
    // Many objects, when that is what it found; null: something else.
    const recipe::Group* group() const;
    // What the element of an output's list is called; empty: it has no name.
    std::string elementName(const std::string& output, std::size_t i) const;
    // What is to be said of the element when it fails: "turned 14.1°"; empty: nothing.
    std::string elementSays(const std::string& output, std::size_t i) const;
    // Where each value of its lists was measured, level px, in the lists' order; empty when it does not say so.
    std::vector<geometry::Point> elementPlaces() const;
};
using StepResultPtr = std::shared_ptr<const StepResult>;

// One element of a list and its verdict.
struct ElementResult {
    std::string name; // as the person named it, else its number
    int value = -1;   // index into the values; -1: missing
    int listed = -1;  // index in the step's list, where a missing one has a place too; -1: in none
    Verdict verdict = Verdict::Unjudged;
    std::string reason;
    std::string says; // what is wrong in the kind's own words: "turned 14.1°"; empty: the value says it
    std::optional<double> nominal, low, high;
    std::optional<double> share;       // of the tolerance used
    std::optional<geometry::Point> at; // picture px: where it lies or should lie
    std::optional<double> uncertainty; // expanded, k = 2, in the check's unit; none: not known
};

struct CheckResult {
    std::string step, output, name;
    int balloon = 0;
    bool list = false;
    std::vector<double> values; // empty: not measured (a list may be empty and measured)
    base::Unit unit = base::Unit::None;
    base::Unit shownIn = base::Unit::Millimetre; // what real lengths are said in; values and limits here stay in `unit`
    std::optional<double> nominal, low, high;
    Verdict verdict = Verdict::Unjudged;
    std::string reason;
    std::optional<double> share; // of the tolerance used, worst element
    double guard = 0;            // uncertainty the limits were narrowed by, in `unit`
    // From this picture's own noise and the calibration: expanded, k = 2, in `unit`; of a list the largest. None: not known.
    std::optional<double> uncertainty;
    std::string fault;                   // what to say when it fails
    std::vector<ElementResult> elements; // of a list that is judged
    int missing = 0, surplus = 0;        // by place
    bool near() const { return verdict == Verdict::Pass && share && *share >= 0.8; }
    // Numbers (from 1) of the elements that failed, in order.
    std::vector<int> failed() const;

    // "25.982 mm", "10", "3 of 10 out", "not measured"
    std::string valueText() const;
    // "± 0.003", in the unit lengths are shown in; empty: not known.
    std::string uncertaintyText() const;
};

struct ItemResult {
    int number = 1;
    Outcome outcome = Outcome::Unjudged;
    std::string word; // the recipe's word for the outcome
    std::optional<geometry::Pose> pose;
    std::vector<StepResultPtr> steps; // in the recipe's order
    std::vector<CheckResult> checks;
    std::string reason; // of a reject that no check names
    double milliseconds = 0;

    bool accepted() const { return outcome == Outcome::Accept; }
    bool rejected() const { return outcome == Outcome::Reject; }
    const StepResult* step(const std::string& id) const;
    const CheckResult* check(const std::string& step, const std::string& output) const; // null: no such check
    // One sentence saying what is wrong: the first failing check, else what was not measured; "nothing was judged";
    // empty when accepted.
    std::string sentence() const;
};

struct PictureResult {
    std::string picture;
    std::optional<std::string> error;  // the picture could not be read
    std::vector<std::string> warnings; // a target among the parts, another size than was calibrated
    std::vector<ItemResult> items;
    double milliseconds = 0;
    bool cancelled = false;

    // The worst of its items; a picture that cannot be read is a reject.
    Outcome outcome() const;
    bool accepted() const { return outcome() == Outcome::Accept; }
    bool rejected() const { return outcome() == Outcome::Reject; }
};

} // namespace inspect

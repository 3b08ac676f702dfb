// inspect.h - recipe × capture → items. Pure: the same recipe and picture give the same answer, so it can be cached and
// run for many at once.
//
// Input   a prepared recipe (what is taught is derived from reference, region and settings), a capture, the picture's
//         earlier result or none.
// Output  items with step results and checks. Step results whose fingerprint is unchanged are taken over from the
//         earlier result.
// Fails   never as a whole: what does not work is a step's state with a reason, and every check that needs it is not
//         measured.
// Threads const and free of shared state; any number of pictures at once.
#pragma once
#include "inspect/placing.h"

#include <atomic>
#include <mutex>
#include <set>

namespace inspect
{

struct Taught {
    std::shared_ptr<const std::any> model; // none: failed, see reason
    std::string reason, note;
    std::uint64_t fingerprint = 0;
};

// A recipe with its taught models and its order; made when the recipe loads or changes.
class Prepared
{
public:
    // Models whose fingerprint is unchanged are taken over from `before`. Fails only on a circle of steps.
    static base::Result<Prepared> make(recipe::Recipe recipe, const Prepared* before = nullptr);
    // The same without what takes long: when it is not ready(), finish() must follow before it is used.
    static base::Result<Prepared> begin(recipe::Recipe recipe, const Prepared* before = nullptr);
    bool ready() const { return m_untaught.empty() && !m_posesMissing; }
    void finish(); // teaches, and finds on the reference what must be found there

    const recipe::Recipe& recipe() const { return m_recipe; }
    const std::vector<int>& order() const { return m_order; }
    const Taught* taught(const std::string& step) const;
    // Depends on everything that can change the step's result on a given picture; not on names, limits or labels.
    std::uint64_t fingerprint(const std::string& step) const;
    // The datum whose finds are the items: the first in order that follows none; -1 when there is none.
    int itemDatum() const { return m_itemDatum; }
    // Steps that are needed before the items are known.
    const std::vector<int>& beforeItems() const { return m_beforeItems; }

private:
    recipe::Recipe m_recipe;
    std::vector<int> m_order;
    std::map<std::string, Taught> m_taught;
    std::map<std::string, std::uint64_t> m_fingerprints;
    void teach(int step);
    void addSamples(const recipe::Step& step, recipe::TeachInput& in, std::string& note) const;
    std::vector<ItemResult> onSamples(const recipe::Step& step) const;
    std::set<std::string> neededForPoses() const;
    void findDatumPoses();

    std::vector<int> m_untaught;
    bool m_posesMissing = false;
    std::vector<int> m_beforeItems;
    int m_itemDatum = -1;
};

// `threads`: for the items and steps of this one picture; 0 one per core. The answer does not depend on it.
PictureResult evaluate(const Prepared& prepared, const image::Capture& capture, const PictureResult* before = nullptr,
                       const std::atomic<bool>* cancel = nullptr, int threads = 1);
// True when every step's result can be taken over: the picture itself is not needed.
bool complete(const Prepared& prepared, const PictureResult& result);
// New verdicts from the step results that are there; microseconds.
void judge(const recipe::Recipe& recipe, PictureResult& result);
CheckResult judgeCheck(const recipe::Recipe& recipe, const recipe::Step& step, const recipe::Check& check,
                       const StepResult* result);

// A check's limits as they hold for its value: general tolerances looked up, in the value's unit. Fails with the reason
// they cannot be used.
base::Result<recipe::Limits> limitsInValueUnit(const recipe::Recipe& recipe, const recipe::Step& step,
                                               const recipe::Check& check);
// What a formula names of an item's results, by "step" and "step.output"; `missing` says what was not measured.
std::map<std::string, recipe::NamedValue> namedResults(const recipe::Recipe& recipe, const ItemResult& item,
                                                       const std::string& text, std::string& missing);
// A total's share of one item. Fails with the reason when something it names was not measured.
base::Result<double> totalOf(const recipe::Recipe& recipe, const recipe::Total& total, const ItemResult& item);
// Sums over items and pictures, in the order of the recipe's totals. What was not measured is counted, not guessed.
class Totals
{
public:
    struct Sum {
        double value = 0;
        int items = 0, left = 0; // summed, and left out because something was not measured
        std::string reason;      // of the last one left out
    };
    void add(const recipe::Recipe& recipe, const PictureResult& result);
    void reset() { m_sums.clear(), m_items = 0; }
    const std::vector<Sum>& sums() const { return m_sums; }
    int items() const { return m_items; }

private:
    std::vector<Sum> m_sums;
    int m_items = 0;
};

// The plot behind one step's answer, made on demand for one item.
base::Result<recipe::Evidence> evidence(const Prepared& prepared, const image::Capture& capture, const ItemResult& item,
                                        const std::string& step);

// Whether steps of the kind look at anything one by one.
bool tellsOfObjects(const recipe::StepKind& kind);
// All that a step looked at one by one on one item, with every value (px, the units the kind declares) and its fate.
// Made on demand; fails where the step finds nothing one by one, or could not run.
base::Result<recipe::ObjectTable> told(const Prepared& prepared, const image::Capture& capture, const ItemResult& item,
                                       const std::string& step);

} // namespace inspect

// inspect.h - recipe × capture → items. Pure: the same recipe and picture give the same answer, so it can be cached and run for many at once.
//
// Input   a prepared recipe (what is taught is derived from reference, region and settings), a capture, the picture's earlier result or none.
// Output  items with step results and checks. Step results whose fingerprint is unchanged are taken over from the earlier result.
// Fails   never as a whole: what does not work is a step's state with a reason, and every check that needs it is not measured.
// Threads const and free of shared state; any number of pictures at once.
#pragma once
#include "inspect/result.h"

#include <atomic>
#include <mutex>

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
    void findDatumPoses(const Prepared* before);

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
CheckResult judgeCheck(const recipe::Recipe& recipe, const recipe::Step& step, const recipe::Check& check, const StepResult* result);

// The plot behind one step's answer, made on demand for one item.
base::Result<recipe::Evidence> evidence(const Prepared& prepared, const image::Capture& capture, const ItemResult& item, const std::string& step);
// Regions of a step as they lie in this picture for this item (nothing when its datum was not found).
std::map<std::string, geometry::Region> regionsInPicture(const recipe::Recipe& recipe, const recipe::Step& step, const ItemResult& item,
                                                         bool& placed);
// How places move from the reference to this picture for a step that follows `datum` ("" : the picture).
std::optional<geometry::Motion> motionOf(const recipe::Recipe& recipe, const std::string& datum, const ItemResult* item);
// The datum's pose on the reference: by how it was taught, or as it was found there when the recipe was prepared.
std::optional<geometry::Pose> referencePose(const recipe::Recipe& recipe, const std::string& datum);

} // namespace inspect

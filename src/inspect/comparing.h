// comparing.h - what a change of the recipe does to pictures: two recipes on the same ones.
//
// Output   for each picture what both say, the items' verdicts and the checks that changed theirs.
// Threads  as many pictures at once as asked for; the answer does not depend on it.
#pragma once
#include "inspect/inspect.h"

namespace inspect
{

struct CheckChange {
    int item = 1; // number of the item, as in the present recipe
    std::string name;
    Verdict before = Verdict::NotMeasured, now = Verdict::NotMeasured;
    std::string valueBefore, valueNow; // with unit; "" where there is no such check
};
struct PictureChange {
    std::string picture;
    std::optional<std::string> error; // it cannot be read
    Outcome before = Outcome::Unjudged, now = Outcome::Unjudged;
    std::string sentenceBefore, sentenceNow; // why it is rejected
    std::size_t itemsBefore = 0, itemsNow = 0;
    std::vector<CheckChange> checks;
    bool verdictChanged() const { return before != now; }
    bool same() const { return !verdictChanged() && checks.empty() && itemsBefore == itemsNow; }
};
// Checks are matched by step and value, items by their place (the nearest within half the part's own distance to the
// next). In the order of `pictures`; cancelled: only what was done.
std::vector<PictureChange> compareOn(const std::vector<std::string>& pictures, const recipe::Recipe& before,
                                     const recipe::Recipe& now, std::atomic<int>* progress = nullptr,
                                     const std::atomic<bool>* cancel = nullptr, int threads = 0);
std::string words(const CheckChange& change); // "Plate width: fail 26.12 mm, pass 26.12 mm before"

} // namespace inspect

// proposals.h - limits worked out from trials, from a complete sample and one with a gap, or from this picture; taken
// only on confirmation.
//
// Input   values of good and of bad parts (open ones count as good when nothing is labelled good), in one unit.
// Output  limits, their margin (from the outermost good value to the limit, as a share of the good values' spread or of
//         the gap to the bad ones), and what they would decide.
// Fails   NoResult: no values. InvalidArgument: a pair of samples that is equal, or swapped.
// Source  own rule: halfway to the nearest bad one, so that the limit stands in the middle of the gap; where there is
//         none, half the spread of the good ones beyond them.
#pragma once
#include "inspect/inspect.h"

namespace inspect
{

struct Proposal {
    std::string step, output, name;
    base::Unit unit = base::Unit::None;
    recipe::Limits limits;
    std::vector<double> good, bad;
    double margin = 0;               // in the unit; the smaller of both sides
    int goodPass = 0, badCaught = 0; // under the proposed limits
    bool labelled = true;            // no: no trial is labelled good, the open ones were taken for good
    std::string words(base::Unit length) const;
};
// Where a value is the better the larger (or smaller) it is, only the other side is limited; nothing is limited beyond
// what the value can be.
struct ValueSense {
    recipe::OutputSpec::Better better = recipe::OutputSpec::Better::Within;
    std::optional<double> least, most;
};
base::Result<Proposal> proposeLimits(const std::vector<double>& good, const std::vector<double>& bad, base::Unit unit,
                                     const ValueSense& sense = {});
// One result for each trial (null: not answered yet); for one check, or for every single check of the recipe.
base::Result<Proposal> proposeFor(const recipe::Recipe& recipe, const std::vector<const PictureResult*>& trials,
                                  const std::string& step, const std::string& output);
std::vector<Proposal> proposeAll(const recipe::Recipe& recipe, const std::vector<const PictureResult*>& trials);
// The limit lies midway between what the complete sample shows and what the one with a gap shows; `margin` says half
// their distance. The complete sample must be the larger: a swapped or an equal pair is refused.
base::Result<Proposal> proposeFromPair(const recipe::Recipe& recipe, const PictureResult& complete,
                                       const PictureResult& gap, const std::string& step, const std::string& output);
// Nominal from this item, rounded to what its unit shows, with ± tolerance; a list gets an element for each of its
// values, by order or by place (places carried back to the reference).
base::Result<recipe::Check> fromThisPart(const recipe::Recipe& recipe, const ItemResult& item,
                                         const recipe::Check& check, const std::string& step, double tolerance,
                                         bool byPlace);

} // namespace inspect

// review.h - what a careful colleague would ask about a recipe before it goes to the line.
//
// Input   a recipe and one result for each of its trials (null: not answered yet).
// Output  findings, the gravest kind first, then in the recipe's order: regions that do not follow the part, limits in
//         another unit than their value, what is not judged or was not measured, checks no bad trial ever fails, thin
//         margins, names nobody can tell apart, labels that disagree. An empty list is a clean bill for what was looked
//         at, no proof.
// Cost    microseconds for each trial and check; no picture is opened.
#pragma once
#include "inspect/inspect.h"

namespace inspect
{

enum class Doubt {
    Unit,
    Limits,
    NotMeasured,
    Fixed,
    Label,
    Picture,
    Unjudged,
    Unread,
    Uncertainty,
    NeverFails,
    ThinMargin,
    Names,
    Trials
};
const char* name(Doubt doubt);  // "unit", "limits", …; stored in JSON
const char* title(Doubt doubt); // "limit in another unit"

struct Finding {
    Doubt doubt = Doubt::Unit;
    std::string step, output; // ids; both empty: of the recipe as a whole
    int trial = -1;           // the trial that shows it best; -1: none
    std::string subject;      // what it is about: the check's, step's or trial's name
    std::string text;         // what is doubtful
    std::string remedy;       // what to do about it
};
// `thin`: a good part that leaves less than this share of the tolerance to a limit is a thin margin.
std::vector<Finding> review(const recipe::Recipe& recipe, const std::vector<const PictureResult*>& trials,
                            double thin = 0.1);

} // namespace inspect

// margins.h - how far good and bad parts lie from each check's limits, and what that lets expect.
//
// Input   the results of labelled trials without any change.
// Output  for each check the distance of its values from the nearest limit in units of their own spread; the share of
//         good parts it would reject with a one-sided 95 % bound; how many bad trials of it were seen, and how many
//         more would be needed for a stated risk. Everything with the number of trials it rests on.
// Fails   nothing: what too few trials show is not known, and said so.
// Source  normal tail of mean and spread; its bound by the noncentral position of the limit (Owen 1968, approximation
//         of Natrella 1963 for one-sided tolerance factors); without any failure seen in n trials the share is below
//         1 − 0.05^(1/n) with 95 % (Clopper and Pearson 1934).
#pragma once
#include "proof/strain.h"

namespace proof
{

struct Margin {
    std::string step, output, name;
    int balloon = 0;
    int good = 0, bad = 0;               // values that it rests on
    std::optional<double> goodSpreads;   // to the nearest limit, in spreads of the good values
    std::optional<double> badSpreads;    // of the nearest bad value beyond a limit, in the same unit
    std::optional<double> rejected;      // share of good parts, expected
    std::optional<double> rejectedBound; // 95 %
    std::optional<double> widthSpreads;  // low to high limit, in spreads of the good values
    bool oneSided = false;               // the value is the worse to both sides, and one has no limit
};
struct Margins {
    std::vector<Margin> checks;
    int good = 0, bad = 0;               // labelled trials
    int rejectedGood = 0, passedBad = 0; // as they stand
    double goodBound = 1, badBound = 1;  // shares of wrong answers, 95 %
    // Trials without a wrong answer that would prove a share of at most this.
    static int neededFor(double share);
};
Margins margins(const recipe::Recipe& recipe, const std::vector<Sample>& samples);

// Upper 95 % bound of a share of which k were seen in n.
double shareBound(int k, int n);

} // namespace proof

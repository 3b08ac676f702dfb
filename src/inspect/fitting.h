// fitting.h - a setting searched for: where the values of good and of bad trials lie farthest apart.
//
// Input   a recipe, one of its checks, one numeric setting of the check's step, labelled trials, a way to read pictures.
// Output  for each value of the setting the margin: the gap between the good trials' values and the nearest bad one by
//         that gap and the good ones' spread, −1 to 1; negative where a bad one lies among the good or a good one is not
//         measured. Bad trials that another check rejects anyway need not be told apart by this one.
// Fails   NoResult: no good trial, or neither a bad one this check must tell apart nor limits to keep clear of.
// Source  own rule; the middle of the widest stretch is taken, so that the setting may wander.
#pragma once
#include "inspect/trials.h"

namespace inspect
{

struct SettingMargin {
    double setting = 0, margin = -1;
    int good = 0, bad = 0; // trials that count
    int goodLost = 0;      // good ones without a value
    int badAmong = 0;      // bad ones whose value lies among those of the good ones
};
// The trials that count for a check: all good ones, and bad ones that no other check rejects. Indexes.
std::vector<int> trialsThatCount(const recipe::Recipe& recipe, const std::vector<const PictureResult*>& results,
                                 const std::string& step, const std::string& output);
// About `count` values to try within the setting's usual range, the present one among them; ascending.
std::vector<double> valuesToTry(const recipe::ParamSpec& setting, double now, int count = 13);
// Numeric settings a search makes sense for.
std::vector<const recipe::ParamSpec*> settingsToFit(const recipe::Step& step);

class SettingSearch
{
public:
    using Reader = std::function<base::Result<CapturePtr>(const std::string& picture)>;
    SettingSearch(recipe::Recipe recipe, std::string step, std::string output, std::vector<int> trials, Reader reader);
    // The margin with the setting at this value. Cancelled: nothing.
    base::Result<SettingMargin> at(const std::string& setting, double value, const std::atomic<bool>* cancel = nullptr);

private:
    recipe::Recipe m_recipe;
    std::string m_step, m_output;
    std::vector<int> m_trials;
    Reader m_reader;
    std::optional<Prepared> m_before;
    std::vector<PictureResult> m_results; // of the value before: what does not depend on the setting is kept
};
// The widest margin; among those about as wide the middle of the longest stretch. −1: none is positive.
int bestOf(const std::vector<SettingMargin>& tried);
// Of values, for one setting: what SettingSearch::at says of them.
SettingMargin marginOf(const std::vector<std::vector<double>>& good, const std::vector<std::vector<double>>& bad,
                       const recipe::Limits& limits);

} // namespace inspect

// naming.h - how a formula names results of other steps: [step] or [step.output], by id in files and in memory, by name
// where a person sees it.
//
// Input   a formula's text. A name may hold anything but brackets; without an output the step's main (or first) output
//         is meant. What verdicts say of a check, [step.failed] or [step.output.failed], is for the item's rule and
//         totals: a formula is worked out before.
// Output  the places of all namings, and the text with ids or with names. A naming that fits no step stays as it is.
#pragma once
#include <string>
#include <vector>

namespace recipe
{
struct Recipe;

struct Naming {
    std::size_t at = 0, length = 0; // of the brackets and what is between them, in bytes
    std::string step, output;       // output empty: the main one
    std::string count;              // "failed", "missing", "surplus": of a check, how many; else empty
    std::string key() const { return step + (output.empty() ? "" : "." + output) + (count.empty() ? "" : "." + count); }
};
std::vector<Naming> namings(const std::string& text);
std::string withIds(const std::string& text, const Recipe& recipe);
std::string withNames(const std::string& text, const Recipe& recipe);

} // namespace recipe

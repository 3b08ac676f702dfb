// picking.h - ranges from examples: objects shown as "like this" and "not this" become filters.
//
// Input   a table's columns, the rows that are wanted and those that are not, values in the columns' units.
// Output  the fewest ranges that keep every wanted row and no other, each bound in the middle of the gap; the margin is
//         the narrowest gap by the spread of the wanted values and that gap.
// Fails   NoResult when no column parts them, naming the rows that look alike.
// Source  greedy cover of the unwanted rows by one-column ranges, the widest relative gap first.
#pragma once
#include "recipe/objects.h"
#include "recipe/step.h"

#include "base/result.h"

#include <span>

namespace inspect
{

struct Picked {
    std::vector<recipe::Filter> filters;
    double margin = 0; // 0 to 1: how much of the range between both kinds is gap
};
using Values = std::vector<double>;

// Columns in `fixed` (places, which move from picture to picture) are not used.
base::Result<Picked> pick(const std::vector<recipe::ObjectTable::Column>& columns, std::span<const Values> wanted,
                          std::span<const Values> unwanted, std::span<const std::string> fixed = {});
// Whether a row keeps to the filters; a value that is not there keeps to none.
bool keeps(const recipe::ObjectTable& table, const Values& values, std::span<const recipe::Filter> filters);

} // namespace inspect

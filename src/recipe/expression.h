// expression.h - works out a formula over named values.
//
// Input   text with [names] that are looked up in `values`; lists stand only as an argument of a list function.
// Output  one number; comparisons and logic give 1 or 0.
// Fails   InvalidArgument: at which character what is wrong; NoResult: the result is no finite number, an element
//         beyond the end, an empty list.
// Source  muParser for the arithmetic; lists, names, and refusing "=" and division by zero are ours.
#pragma once
#include "recipe/step_kind.h"

namespace recipe
{

base::Result<double> evaluateFormula(const std::string& text, const std::map<std::string, NamedValue>& values);

} // namespace recipe

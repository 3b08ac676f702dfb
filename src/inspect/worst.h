// worst.h - where on the picture a person looks first: the place of a check's answer, and the worst of an item.
#pragma once
#include "inspect/result.h"

#include <optional>

namespace inspect
{

struct Spot {
    geometry::Point at; // picture px
    double reach = 0;   // px: half the size of what was measured there
    std::string step, output;
};
// Of a list its worst element, of the others the middle of what the step marked; nothing when it left no mark.
std::optional<Spot> spotOf(const ItemResult& item, const CheckResult& check);
// Of what fails, else is not measured, else uses most of its tolerance; nothing: no check has a place.
std::optional<Spot> worstSpot(const ItemResult& item);

} // namespace inspect

// uncertainty.h - how an uncertainty is said: with as many places as its unit has, more where that would show nothing.
#pragma once
#include "base/unit.h"

#include <cmath>
#include <string>

namespace inspect
{

inline int uncertaintyPlaces(double u, base::Unit unit)
{
    int places = base::decimals(unit);
    while (places < 9 && u > 0 && u * std::pow(10, places) < 1) ++places;
    return places;
}
// "0.003", without its unit.
inline std::string uncertaintyText(double u, base::Unit unit) { return base::toText(u, uncertaintyPlaces(u, unit)); }

} // namespace inspect

// limits.h - what a value must keep to. Ends are included.
//
// Either low/high (one may be missing) or a nominal with its own plus and minus; both with the unit they were entered in.
#pragma once
#include "base/result.h"
#include "base/unit.h"

#include <optional>
#include <string>

namespace recipe
{

struct Limits {
    std::optional<double> low, high; // stated limits
    std::optional<double> nominal;   // with plus and minus, else only for showing
    double plus = 0, minus = 0;      // both ≥ 0; count only when hasTolerance
    bool hasTolerance = false;
    base::Unit unit = base::Unit::None;

    bool any() const { return low || high || (nominal && hasTolerance); }
    std::optional<double> lowest() const { return nominal && hasTolerance ? std::optional(*nominal - minus) : low; }
    std::optional<double> highest() const { return nominal && hasTolerance ? std::optional(*nominal + plus) : high; }
    bool holds(double value) const { return (!lowest() || value >= *lowest()) && (!highest() || value <= *highest()); }
    // Part of the tolerance used: 0 at the middle (or nominal), 1 on a limit; nothing for one-sided limits without a natural end.
    std::optional<double> share(double value) const;
    // Moves one end, keeping the way the limits were stated.
    void setLowest(double value);
    void setHighest(double value);
    // Short text for row heads: "26 ±0.05", "≥ 0.65", "10", "3.1 .. 3.4".
    std::string text() const;
    base::Status check() const; // OutOfRange: low above high, a negative tolerance, not finite
    friend bool operator==(const Limits&, const Limits&) = default;
};

// Reads what a person types: "26 +-0.05", "26 ±0.05", "26 +0.1 -0.05", "25.9 .. 26.1", ">= 0.65", "<= 0.2", "10".
// Comma is taken as decimal point. Fails with InvalidArgument naming what was expected. "" clears the limits.
base::Result<Limits> parseLimits(const std::string& text, base::Unit unit);

} // namespace recipe

// limits.h - what a value must keep to. Ends are included.
//
// Either low/high (one may be missing), or a nominal with its own plus and minus, or a nominal with the recipe's
// general tolerance; all with the unit they were entered in.
//
// Source  general tolerances: ISO 2768-1:1989, tables 1 (lengths), 2 (broken edges: radii and chamfers) and 3 (angles).
#pragma once
#include "base/result.h"
#include "base/unit.h"

#include <optional>
#include <string>

namespace recipe
{

// Classes of ISO 2768-1: fine, medium, coarse, very coarse.
enum class ToleranceClass { None, F, M, C, V };
const char* name(ToleranceClass c); // "", "f", "m", "c", "v"
// Which table a nominal is looked up in.
enum class General { None, Length, Radius, Angle };
const char* name(General g); // "", "length", "radius", "angle"
// Half the tolerance zone, in mm or degrees; `nominal` in mm (Angle: the shorter side of the angle, in mm). Fails with
// OutOfRange for what the tables do not hold.
base::Result<double> generalTolerance(ToleranceClass c, General g, double nominal);

struct Span {
    double from = 0, to = 0; // ends included
    bool holds(double v) const { return v >= from && v <= to; }
    friend bool operator==(const Span&, const Span&) = default;
};

struct Limits {
    std::optional<double> low, high; // stated limits
    std::optional<double> nominal;   // with plus and minus, else only for showing
    double plus = 0, minus = 0;      // both ≥ 0; count only when hasTolerance
    bool hasTolerance = false;
    General general = General::None; // the nominal's plus and minus come from the recipe's class
    double shorterSide = 0;          // mm, of an angle with a general tolerance
    base::Unit unit = base::Unit::None;

    bool any() const { return low || high || (nominal && (hasTolerance || general != General::None)); }
    // With plus and minus of the general tolerance; without one the same. Fails when there is no class or the tables do
    // not hold it.
    base::Result<Limits> resolved(ToleranceClass c) const;
    // The same limits in another unit: converted exactly between real units, by `factor` otherwise.
    Limits in(base::Unit other, double factor = 1) const;
    std::optional<double> lowest() const { return nominal && hasTolerance ? std::optional(*nominal - minus) : low; }
    std::optional<double> highest() const { return nominal && hasTolerance ? std::optional(*nominal + plus) : high; }
    // Ends included; a rounding of 1e-12 of the limit is no difference (units are converted both ways).
    bool holds(double value) const;
    // Part of the tolerance used: 0 at the middle (or nominal), 1 on a limit; nothing for one-sided limits without a
    // natural end.
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
// "26 ISO 2768" (general tolerance; of a radius "4 ISO 2768 R", of an angle "30 ISO 2768 side 12" with its shorter side
// in mm), each with a unit behind it if it is not `unit`. Comma is taken as decimal point. Fails with InvalidArgument
// naming what was expected. "" clears the limits.
base::Result<Limits> parseLimits(const std::string& text, base::Unit unit);

} // namespace recipe

// unit.h - every number that crosses a layer carries one of these units.
#pragma once
#include <optional>
#include <string>
#include <string_view>

namespace base
{

enum class Unit {
    None,
    Pixel,
    Millimetre,
    SquarePixel,
    SquareMillimetre,
    Degree,
    GreyLevel,
    Percent,
    Micrometre,
    Inch,
    SquareMicrometre,
    SquareInch,
    CubicMillimetre
};

// Symbol as shown and as stored in files: "", "px", "mm", "px²", "mm²", "°", "grey", "%", "µm", "in", "µm²", "in²", "mm³".
const char* symbol(Unit unit);
// ASCII spellings are taken too ("px2", "mm2", "deg", "um", "inch"); nothing for an unknown one.
std::optional<Unit> unitFrom(std::string_view text);

// The unit a length or area has once a picture is calibrated; other units stay what they are.
Unit calibrated(Unit unit);
// What one pixel-based unit is worth in its calibrated unit: the factor for lengths, its square for areas, else 1.
double calibrationFactor(Unit unit, double mmPerPixel);

// True when one can be said in the other without a calibration: mm, µm and inch; their squares; each unit and itself.
bool convertible(Unit from, Unit to);
// The value in the other unit; only for convertible ones. An inch is 25.4 mm exactly.
double converted(double value, Unit from, Unit to);
// The unit a real length or area is shown in when lengths are shown in `length` (mm, µm or inch); other units as they
// are.
Unit shownAs(Unit unit, Unit length);

struct Quantity {
    double value = 0;
    Unit unit = Unit::None;
};

// Decimals that make sense for a unit: mm 3, µm 1, inch 4, px 2, degree 2, areas and counts 0 to 2.
int decimals(Unit unit);
// "25.982 mm"; locale independent, never an exponent for ordinary values; -0.000 is written 0.000.
std::string toText(double value, Unit unit);
// A length or area in the unit lengths are shown in: "1.0229 in".
std::string toText(double value, Unit unit, Unit length);
std::string toText(double value, int decimalPlaces);
// Shortest text that reads back as the same double; "null" is never written, not-a-number asserts.
std::string shortest(double value);

} // namespace base

#include "base/unit.h"

#include <array>
#include <cassert>
#include <charconv>
#include <cmath>
#include <utility>

namespace base
{
namespace
{
struct Row {
    Unit unit;
    const char* symbol;
    const char* ascii;
    int decimals;
};
constexpr std::array<Row, 13> kRows{{{Unit::None, "", "", 0},
                                     {Unit::Pixel, "px", "px", 2},
                                     {Unit::Millimetre, "mm", "mm", 3},
                                     {Unit::SquarePixel, "px²", "px2", 0},
                                     {Unit::SquareMillimetre, "mm²", "mm2", 2},
                                     {Unit::Degree, "°", "deg", 2},
                                     {Unit::GreyLevel, "grey", "grey", 1},
                                     {Unit::Percent, "%", "%", 1},
                                     {Unit::Micrometre, "µm", "um", 1},
                                     {Unit::Inch, "in", "inch", 4},
                                     {Unit::SquareMicrometre, "µm²", "um2", 0},
                                     {Unit::SquareInch, "in²", "in2", 5},
                                     {Unit::CubicMillimetre, "mm³", "mm3", 2}}};
const Row& row(Unit unit) { return kRows[std::size_t(unit)]; }
} // namespace

const char* symbol(Unit unit) { return row(unit).symbol; }

std::optional<Unit> unitFrom(std::string_view text)
{
    for (const Row& r : kRows)
        if (text == r.symbol || text == r.ascii) return r.unit;
    return std::nullopt;
}

Unit calibrated(Unit unit)
{
    if (unit == Unit::Pixel) return Unit::Millimetre;
    if (unit == Unit::SquarePixel) return Unit::SquareMillimetre;
    return unit;
}

double calibrationFactor(Unit unit, double mmPerPixel)
{
    if (unit == Unit::Pixel) return mmPerPixel;
    if (unit == Unit::SquarePixel) return mmPerPixel * mmPerPixel;
    return 1.0;
}

namespace
{
// mm or mm² one of the unit is worth; 0 for what is no real length or area. Second: its power of length.
std::pair<double, int> worth(Unit unit)
{
    switch (unit) {
    case Unit::Millimetre: return {1, 1};
    case Unit::Micrometre: return {1e-3, 1};
    case Unit::Inch: return {25.4, 1};
    case Unit::SquareMillimetre: return {1, 2};
    case Unit::SquareMicrometre: return {1e-6, 2};
    case Unit::SquareInch: return {25.4 * 25.4, 2};
    default: return {0, 0};
    }
}
} // namespace

bool convertible(Unit from, Unit to)
{
    return from == to || (worth(from).second > 0 && worth(from).second == worth(to).second);
}

double converted(double value, Unit from, Unit to)
{
    assert(convertible(from, to));
    if (from == to) return value;
    // µm to mm by division: 50 µm are the same number as 0.05 mm is.
    if (from == Unit::Micrometre) return to == Unit::Millimetre ? value / 1000 : value / 25400;
    if (to == Unit::Micrometre) return from == Unit::Millimetre ? value * 1000 : value * 25400;
    return value * worth(from).first / worth(to).first;
}

Unit shownAs(Unit unit, Unit length)
{
    if (unit == Unit::Millimetre && worth(length).second == 1) return length;
    if (unit == Unit::SquareMillimetre)
        return length == Unit::Micrometre ? Unit::SquareMicrometre : length == Unit::Inch ? Unit::SquareInch : unit;
    return unit;
}

std::string toText(double value, Unit unit, Unit length)
{
    const Unit shown = shownAs(unit, length);
    return toText(converted(value, unit, shown), shown);
}

int decimals(Unit unit) { return row(unit).decimals; }

std::string toText(double value, int places)
{
    std::array<char, 400> buffer{};
    const auto end =
        std::to_chars(buffer.data(), buffer.data() + buffer.size(), value, std::chars_format::fixed, places);
    std::string text(buffer.data(), end.ptr);
    if (text.front() == '-' && text.find_first_not_of("-0.") == std::string::npos) text.erase(0, 1);
    return text;
}

std::string toText(double value, Unit unit)
{
    int places = decimals(unit);
    // A unitless number is a count or a score; a score wants its decimals.
    if (unit == Unit::None && value != std::floor(value)) places = 3;
    std::string text = toText(value, places);
    if (unit != Unit::None) text += (unit == Unit::Degree ? "" : " ") + std::string(symbol(unit));
    return text;
}

std::string shortest(double value)
{
    assert(std::isfinite(value));
    std::array<char, 64> buffer{};
    const auto end = std::to_chars(buffer.data(), buffer.data() + buffer.size(), value);
    return {buffer.data(), end.ptr};
}

} // namespace base

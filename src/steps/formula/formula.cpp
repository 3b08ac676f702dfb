#include "steps/formula/formula.h"
#include "recipe/declare.h"
#include "recipe/expression.h"

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Point;
using P = FormulaParams;

namespace
{
// In the order of FormulaUnit.
constexpr Unit kFormulaUnits[] = {Unit::None,        Unit::Millimetre,     Unit::Pixel,   Unit::SquareMillimetre,
                                  Unit::SquarePixel, Unit::Degree,         Unit::Percent, Unit::Micrometre,
                                  Unit::Inch,        Unit::CubicMillimetre};

base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    if (p.expression.find_first_not_of(" \t") == std::string::npos)
        return base::fail(base::ErrorCode::NotFound, "the formula is empty");
    // A length in mm out of lengths in px, or the other way round, would be a number that means nothing.
    const auto real = [](Unit u) {
        return base::convertible(u, Unit::Millimetre) || base::convertible(u, Unit::SquareMillimetre);
    };
    const auto pixels = [](Unit u) { return u == Unit::Pixel || u == Unit::SquarePixel; };
    const Unit stated = kFormulaUnits[std::size_t(p.unit)];
    for (const auto& [name, value] : in.named)
        if ((real(stated) && pixels(value.unit)) || (pixels(stated) && real(value.unit)))
            return base::fail(base::ErrorCode::InvalidArgument, std::string("the formula's unit is ") +
                                                                    base::symbol(stated) + ", but it reads values in " +
                                                                    base::symbol(value.unit));
    const auto v = evaluateFormula(p.expression, in.named);
    if (!v) return base::passOn(v.error());
    RunOutput out;
    out.values["value"] = {*v};
    return out;
}
} // namespace

StepKind formula()
{
    return Declare<P>({"formula", "Formula", "Value worked out from named results of other steps."}, Question::SumUp, 1,
                      "arithmetic by the muParser library; lists as stated in the guide")
        .purpose("calculate formula sum mean ratio difference combine rule and or")
        .drawn("type it in the form")
        .param(&P::expression,
               {"expression", "Formula",
                "Results in square brackets, [step] or [step.value]; + - * / ^, < <= > >= == !=, and, or, not, min max "
                "abs sqrt round, and of a list "
                "sum, mean, count, "
                "minof, maxof, spread, countabove, countbelow, element."},
               Text{true, 2000}, true)
        .param(&P::unit,
               {"unit", "Unit",
                "The unit the value is stated in; the formula does not convert, and one in mm reads no values in px."},
               {{"", "None"},
                {"mm", "mm"},
                {"px", "px"},
                {"mm2", "mm²"},
                {"px2", "px²"},
                {"deg", "°"},
                {"%", "%"},
                {"um", "µm"},
                {"in", "inch"},
                {"mm3", "mm³"}},
               true)
        .output({"value", "Value", "What the formula gives; a comparison gives 1 for true and 0 for false.", Unit::None,
                 false, false, true, "unit"})
        .runs(run);
}

} // namespace steps

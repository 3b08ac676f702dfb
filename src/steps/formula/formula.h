// formula.h - step kind: a value worked out from named results of other steps.
#pragma once
#include "recipe/step_kind.h"

namespace steps
{

enum class FormulaUnit {
    None,
    Millimetre,
    Pixel,
    SquareMillimetre,
    SquarePixel,
    Degree,
    Percent,
    Micrometre,
    Inch,
    CubicMillimetre
};
struct FormulaParams {
    std::string expression;
    FormulaUnit unit = FormulaUnit::None;
};
recipe::StepKind formula();

} // namespace steps

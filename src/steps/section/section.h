// section.h - step kind: a section through the heights: how high, lines and arcs in it, a groove.
#pragma once
#include "steps/height_glue.h"

namespace steps
{

enum class PartAs { None, Line, Arc };
enum class GrooveAs { None, Groove, Ridge };
struct SectionParams {
    PartAs first = PartAs::None;
    double firstFrom = 5;
    double firstTo = 45;
    PartAs second = PartAs::None;
    double secondFrom = 55;
    double secondTo = 95;
    GrooveAs groove = GrooveAs::None;
    double shoulder = 20;
    double smooth = 3;
    double leftOut = 1;
};
recipe::StepKind section();

} // namespace steps

// step_symbols.h - one drawn symbol for each step kind and each question; tolerances of form as in ISO 1101.
#pragma once
#include "recipe/step_kind.h"

#include <QColor>
#include <QPainter>

namespace report
{

// Strokes as wide as a thirteenth of the box.
void drawKindSymbol(QPainter& p, const recipe::StepKind& kind, const QRectF& box, const QColor& colour);
// The kind a drawing states this output by: roundness of a circle by that tolerance's symbol, whatever measured it.
const recipe::StepKind& statedBy(const recipe::StepKind& kind, const std::string& output);
void drawQuestionSymbol(QPainter& p, recipe::Question question, const QRectF& box, const QColor& colour);

} // namespace report

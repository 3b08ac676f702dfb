// symbols.h - our own small drawings for kinds and questions, in the manner of drawing symbols.
#pragma once
#include "recipe/step_kind.h"

#include <QIcon>
#include <QPainter>

namespace desktop
{

// Drawn into a square box; an unknown kind shows its question's symbol.
void drawKindSymbol(QPainter& p, const recipe::StepKind& kind, const QRectF& box, const QColor& colour);
void drawQuestionSymbol(QPainter& p, recipe::Question question, const QRectF& box, const QColor& colour);
const char* questionWord(recipe::Question question); // "Where", …
QIcon kindIcon(const recipe::StepKind& kind);

} // namespace desktop

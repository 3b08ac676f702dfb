// symbols.h - words of the questions and icons of the kinds.
#pragma once
#include "recipe/step_kind.h"

#include <QIcon>

namespace desktop
{

const char* questionWord(recipe::Question question); // "Where", …
QIcon kindIcon(const recipe::StepKind& kind);

} // namespace desktop

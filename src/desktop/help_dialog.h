// help_dialog.h - what a kind of step does, needs and measures, written from its declaration.
#pragma once
#include "recipe/step_kind.h"

#include <QString>

class QWidget;

namespace desktop
{

QString helpText(const recipe::StepKind& kind); // rich text
void showHelp(const recipe::StepKind& kind, QWidget* parent);

} // namespace desktop

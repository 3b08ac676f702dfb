// help_dialog.h - what a kind of step does, needs and measures, written from its declaration.
#pragma once
#include "recipe/step_kind.h"

#include <QString>

class QWidget;

namespace desktop
{

QString helpText(const recipe::StepKind& kind);     // rich text
QString guidePageFor(const recipe::StepKind& kind); // file of the page that tells how such things are done
// Until it is closed; the guide page asked for in it, or nothing.
QString showHelp(const recipe::StepKind& kind, QWidget* parent);

} // namespace desktop

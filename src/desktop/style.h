// style.h - the theme as a Qt style sheet and palette.
#pragma once
class QApplication;

namespace desktop
{
void applyTheme(QApplication& application);
}

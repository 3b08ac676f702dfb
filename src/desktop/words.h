// words.h - numbers with their noun.
#pragma once
#include <QString>

namespace desktop
{

// "1 picture", "24 pictures".
inline QString counted(qsizetype n, const QString& one, const QString& many)
{
    return QString::number(n) + QLatin1Char(' ') + (n == 1 ? one : many);
}

} // namespace desktop

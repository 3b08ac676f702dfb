// person.h - who is at work: the name that stands with releases and revisions, as it was given last.
#pragma once
#include <QSettings>
#include <QString>

namespace desktop
{

inline QString person() { return QSettings().value(QStringLiteral("run/by"), qEnvironmentVariable("USER")).toString(); }
inline void setPerson(const QString& name) { QSettings().setValue(QStringLiteral("run/by"), name); }

} // namespace desktop

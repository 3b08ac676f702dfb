#include "desktop/recovery.h"

#include "base/files.h"
#include "recipe/recipe_file.h"

#include <QCoreApplication>
#include <QDateTime>
#include <QDir>
#include <QFile>
#include <QStandardPaths>
#include <csignal>

namespace desktop
{

QString Recovery::folder()
{
    return QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + QStringLiteral("/recovery");
}

namespace
{
QString own() { return Recovery::folder() + QStringLiteral("/%1.dikkat").arg(QCoreApplication::applicationPid()); }
} // namespace

base::Status Recovery::keep(const recipe::Recipe& recipe, const QString& original)
{
    QDir().mkpath(folder());
    // The place it came from goes first: a recipe without it can still be restored under a new name.
    if (auto ok = base::writeAtomic(base::realFiles(), (own() + QStringLiteral(".from")).toStdString(),
                                    original.toStdString());
        !ok)
        return ok;
    return recipe::save(recipe, own().toStdString(), base::realFiles(), false);
}

void Recovery::forget()
{
    QFile::remove(own());
    QFile::remove(own() + QStringLiteral(".from"));
}

std::optional<Recovery::Found> Recovery::find()
{
    for (const QFileInfo& f : QDir(folder()).entryInfoList({QStringLiteral("*.dikkat")}, QDir::Files, QDir::Time)) {
        const qint64 pid = f.baseName().toLongLong();
        // still at work
        if (pid == QCoreApplication::applicationPid() || (pid > 0 && ::kill(pid_t(pid), 0) == 0)) continue;
        Found found{f.absoluteFilePath(), {}, f.lastModified().toString(QStringLiteral("yyyy-MM-dd hh:mm"))};
        QFile from(found.file + QStringLiteral(".from"));
        if (from.open(QIODevice::ReadOnly)) found.original = QString::fromUtf8(from.readAll());
        return found;
    }
    return std::nullopt;
}

void Recovery::discard(const Found& found)
{
    QFile::remove(found.file);
    QFile::remove(found.file + QStringLiteral(".from"));
}

} // namespace desktop

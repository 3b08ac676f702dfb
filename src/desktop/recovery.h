// recovery.h - unsaved work, kept beside the program's state, found again after a crash.
//
// Each running program keeps at most one file, named by its process; what a process left behind that runs no more can
// be restored.
#pragma once
#include "base/result.h"
#include "recipe/recipe.h"

#include <QString>
#include <optional>

namespace desktop
{

class Recovery
{
public:
    struct Found {
        QString file;     // the kept recipe
        QString original; // where it had been saved; empty: never
        QString at;       // when it was kept
    };
    static base::Status keep(const recipe::Recipe& recipe, const QString& original);
    static void forget(); // this process's file
    static std::optional<Found> find();
    static void discard(const Found& found);
    static QString folder();
};

} // namespace desktop

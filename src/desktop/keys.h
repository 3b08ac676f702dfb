// keys.h - the one table of keys; menus, tooltips and the guide read it.
#pragma once
#include <QKeySequence>
#include <QString>
#include <vector>

class QAction;

namespace desktop
{

struct Key {
    const char* id;      // also the action's object name
    const char* label;   // "Save"
    const char* keys;    // "Ctrl+S"; "" for none
    const char* context; // "all", "setup", "run", "records"
    const char* help;    // one sentence for the tooltip
};
const std::vector<Key>& keyTable();
const Key& keyOf(const QString& id);
// An action with its words, key and a tooltip that names the key.
QAction* makeAction(const QString& id, QObject* parent);

} // namespace desktop

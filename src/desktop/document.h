// document.h - the recipe being worked on: a value with its undo, its file and its unsaved work.
//
// Promise  every change is one step of undo, or one with those of the same name before it; the last 500 can be undone.
//          Unsaved work is kept for recovery two seconds after a change, off the window's thread.
#pragma once
#include "desktop/latest_job.h"
#include "recipe/recipe.h"

#include <QTimer>
#include <optional>

namespace desktop
{

class Document : public QObject
{
    Q_OBJECT
public:
    explicit Document(QObject* parent = nullptr);

    const recipe::Recipe& recipe() const { return m_recipe; }
    const QString& path() const { return m_path; }
    bool modified() const { return m_modified; }

    void begin(recipe::Recipe recipe, const QString& path); // another one, as it is on disk
    // Counts the revision up when something changed, and keeps it with who saved it and why. The window goes on painting.
    base::Status saveTo(const QString& path, const QString& why = {});
    // What was begun is unsaved work of that file; kept for recovery again before this returns, or why not.
    base::Status restored(const QString& original);
    void forgetRecovery();                                    // nothing unsaved is to be found again
    void setRevision(int revision);                           // no step of undo
    void keepRevision(const QString& by, const QString& why); // as it is now; no step of undo

    // Fails, and changes nothing, when the steps would read each other in a circle.
    base::Status change(const QString& what, const std::function<void(recipe::Recipe&)>& edit, const QString& merge);
    // Shown but not done: no step of undo, nothing unsaved; the next change, step or save begins without it.
    void tryOut(const std::function<void(recipe::Recipe&)>& edit);
    bool takeBack(); // false: nothing is tried out
    bool merging() const { return !m_merge.isEmpty(); }
    void endMerge() { m_merge.clear(); }
    bool canUndo() const { return !m_undo.empty(); }
    bool canRedo() const { return !m_redo.empty(); }
    QString undoText() const { return m_undo.empty() ? QString() : m_undo.back().what; }
    QString redoText() const { return m_redo.empty() ? QString() : m_redo.back().what; }
    bool undo() { return step(m_undo, m_redo); } // false: there is nothing to undo
    bool redo() { return step(m_redo, m_undo); }

signals:
    void notKept(const QString& why); // unsaved work could not be kept for recovery

private:
    struct Kept {
        recipe::Recipe recipe;
        QString what;
    };
    bool step(std::vector<Kept>& from, std::vector<Kept>& to);
    void touched();
    void autosave();

    recipe::Recipe m_recipe;
    QString m_path, m_merge;
    std::optional<recipe::Recipe> m_before; // what is tried out
    bool m_modified = false;
    int m_keptRevision = -1; // the recipe as it is has been kept under this number
    std::vector<Kept> m_undo, m_redo;
    QTimer m_autosave;
    LatestJob m_keeper;
};

} // namespace desktop

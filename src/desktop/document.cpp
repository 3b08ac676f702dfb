#include "desktop/document.h"

#include "desktop/person.h"
#include "desktop/recovery.h"
#include "recipe/history.h"
#include "recipe/recipe_file.h"
#include "records/entry.h"

namespace desktop
{
using recipe::Recipe;

namespace
{
constexpr std::size_t kMostUndo = 500;
}

Document::Document(QObject* parent) : QObject(parent)
{
    m_autosave.setSingleShot(true);
    m_autosave.setInterval(2000);
    connect(&m_autosave, &QTimer::timeout, this, &Document::autosave);
}

void Document::begin(Recipe recipe, const QString& path)
{
    m_before.reset();
    forgetRecovery();
    m_recipe = std::move(recipe);
    m_path = path;
    m_undo.clear();
    m_redo.clear();
    m_merge.clear();
    m_modified = false;
    m_keptRevision = -1;
}

base::Status Document::saveTo(const QString& path, const QString& why)
{
    takeBack();
    Recipe copy = m_recipe;
    // What was released as it is has its number already.
    const bool numbered = !m_recipe.history.empty() && m_keptRevision == m_recipe.revision;
    if (m_modified && !m_path.isEmpty() && !numbered) ++copy.revision;
    base::Watch watch;
    const auto ok = watched(QObject::tr("Saving %1").arg(QFileInfo(path).fileName()), watch,
                            [&, by = person().toStdString()]() -> base::Status {
                                recipe::keepRevision(copy, by, why.toStdString(), records::nowUtc());
                                return recipe::save(copy, path.toStdString(), base::realFiles(), true, &watch);
                            });
    if (!ok) return ok;
    m_recipe.revision = copy.revision;
    m_recipe.history = std::move(copy.history);
    m_keptRevision = -1;
    m_path = path;
    m_modified = false;
    forgetRecovery();
    return {};
}

base::Status Document::restored(const QString& original)
{
    m_path = original;
    m_modified = true;
    return Recovery::keep(m_recipe, m_path); // at once: until then only the found file holds it
}

void Document::forgetRecovery()
{
    m_autosave.stop();
    m_keeper.wait(); // what is being kept would stand there again
    Recovery::forget();
}

void Document::setRevision(int revision)
{
    if (revision == m_recipe.revision) return;
    m_recipe.revision = revision;
    touched();
}

void Document::keepRevision(const QString& by, const QString& why)
{
    recipe::keepRevision(m_recipe, by.toStdString(), why.toStdString(), records::nowUtc());
    m_keptRevision = m_recipe.revision;
}

base::Status Document::change(const QString& what, const std::function<void(Recipe&)>& edit, const QString& merge)
{
    takeBack();
    Recipe old = m_recipe;
    edit(m_recipe);
    if (auto order = recipe::orderByDependence(m_recipe.steps); !order) {
        m_recipe = std::move(old);
        return base::passOn(order.error());
    }
    if (merge.isEmpty() || merge != m_merge || m_undo.empty()) m_undo.push_back({std::move(old), what});
    if (m_undo.size() > kMostUndo) m_undo.erase(m_undo.begin());
    m_merge = merge;
    m_redo.clear();
    touched();
    return {};
}

void Document::tryOut(const std::function<void(Recipe&)>& edit)
{
    takeBack();
    m_before = m_recipe;
    edit(m_recipe);
}

bool Document::takeBack()
{
    if (!m_before) return false;
    m_recipe = std::move(*m_before);
    m_before.reset();
    return true;
}

bool Document::step(std::vector<Kept>& from, std::vector<Kept>& to)
{
    takeBack();
    if (from.empty()) return false;
    const auto history = m_recipe.history; // what was saved stays saved
    to.push_back({std::move(m_recipe), from.back().what});
    m_recipe = std::move(from.back().recipe);
    m_recipe.history = history;
    from.pop_back();
    m_merge.clear();
    touched();
    return true;
}

void Document::touched()
{
    m_modified = true;
    m_keptRevision = -1;
    m_autosave.start();
}

void Document::autosave()
{
    if (!m_modified) return;
    m_keeper.ask([this, recipe = m_before ? *m_before : m_recipe, path = m_path]() -> LatestJob::Answer {
        const auto ok = Recovery::keep(recipe, path);
        if (ok) return {};
        return [this, why = QString::fromStdString(ok.error().text())] { emit notKept(why); };
    });
}

} // namespace desktop

// param_form.h - the settings of a step as a form made from its declaration; one editor type per domain, none per kind.
#pragma once
#include "recipe/recipe.h"

#include <QWidget>
#include <functional>
#include <set>
#include <string>

class QFormLayout;
class QToolButton;

namespace desktop
{

class ParamForm : public QWidget
{
    Q_OBJECT
public:
    explicit ParamForm(QWidget* parent = nullptr);
    // Shows a step of a recipe; `chosen` are the settings chosen for the place, shown first.
    void show(const recipe::Recipe& recipe, const recipe::Step& step, const std::vector<std::string>& chosen,
              bool draft);
    void clear();
    // Opens what hides a setting and gives it the keyboard.
    void showSetting(const std::string& key);

signals:
    // What to do to the step; `merge` joins a row of like edits into one undo.
    void edited(const QString& what, const std::function<void(recipe::Step&)>& edit, const QString& merge);
    void actWanted(const QString& action); // one of the window's, on the step
    void againWanted();                    // to be shown as things are now: fields say what they were made with
    void entered();                        // a field was finished by Enter: the keyboard may go back to the part
    void jumpTo(const QString& step);
    void problem(const QString& text);
    void detailsWanted(const QString& output); // of a check
    void convertWanted();                      // of all limits that are in another unit

private:
    QWidget* editorFor(const recipe::ParamSpec& spec, const recipe::Recipe& recipe, const recipe::Step& step);
    void addRow(const QString& label, QWidget* editor, const QString& help);
    void addPictures(const recipe::Recipe& recipe, const recipe::Step& step, const recipe::StepKind& kind);
    void addLists(const recipe::Recipe& recipe, const recipe::Step& step, const recipe::StepKind& kind);
    void addRegionOf(const recipe::Recipe& recipe, const recipe::Step& step, const recipe::RegionSpec& spec);
    void addFreeArea(const recipe::Recipe& recipe, const recipe::Step& step, const recipe::StepKind& kind,
                     const recipe::RegionSpec& spec);
    QToolButton* numbersButton(const recipe::RegionSpec& spec, QWidget* parent);
    bool canBeTyped(const recipe::Step& step, const recipe::RegionSpec& spec) const;
    void addNumbers(const recipe::Step& step, const recipe::RegionSpec& spec);
    void addKinds(const recipe::Step& step);
    void addPlaceActs(const recipe::Step& step, const recipe::StepKind& kind);
    void addLeftOutColoursAndPlaces(const recipe::Step& step, const recipe::StepKind& kind);
    void addFilter(const recipe::Filter& filter, std::size_t index, const recipe::OutputSpec& out);
    void addFilterBy(const recipe::Step& step, const recipe::StepKind& kind);
    void addLineWithButton(const QString& label, const QString& text, const QString& button, const QString& name,
                           const QString& help, const std::function<void(recipe::Step&)>& edit);
    void addCheck(const recipe::Recipe& recipe, const recipe::Step& step, const recipe::Check& check,
                  const recipe::OutputSpec& outputSpec);
    void addForeignLimits(const recipe::Recipe& recipe, const recipe::Step& step, const recipe::Check& check,
                          base::Unit unit);
    void addJudgeAlso(const recipe::Recipe& recipe, const recipe::Step& step, const recipe::StepKind& kind);

    QFormLayout* m_form = nullptr;
    QWidget* m_body = nullptr;
    bool m_all = false;
    std::set<std::string> m_numbers; // regions whose numbers are unfolded
    std::string m_numbersOffered;    // the region whose row has the button already
    std::string m_shown;
};

} // namespace desktop

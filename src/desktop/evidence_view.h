// evidence_view.h - the plot a person trusts the answer by, all values of all trials with the limits on them, and the
// settings below.
#pragma once
#include "desktop/evidence_plot.h"
#include "desktop/session.h"

#include <QLabel>
#include <QPushButton>
#include <QScrollArea>
#include <QToolButton>
#include <QWidget>

class QBoxLayout;

namespace desktop
{
class ElementMap;
class ObjectsView;
class PairView;
class TurningWidget;
class ParamForm;

class TiesLine;

class EvidenceView : public QWidget
{
    Q_OBJECT
public:
    explicit EvidenceView(Session& session, QWidget* parent = nullptr);
    // As they are now: what waits to be drawn is drawn first.
    EvidencePlot* picturePlot()
    {
        drawDue();
        return m_plot;
    }
    EvidencePlot* trialsPlot()
    {
        drawDue();
        return m_trials;
    }
    ParamForm* form()
    {
        drawDue();
        return m_form;
    }
    ElementMap* elementMap()
    {
        drawDue();
        return m_map;
    }
    PairView* pair()
    {
        drawDue();
        return m_pair;
    }
    ObjectsView* objects() const { return m_objects; }
    // The settings stand below the plots, or where the page has more room for them.
    QWidget* formArea() const { return m_scroll; }
    void formIsElsewhere(bool elsewhere);
    bool showsObjects() const { return m_showObjects; }
    void showTurning(bool on);
    bool showsTurning() const { return m_showTurning; }
    TurningWidget* turning() const { return m_turning; }
    void showObjects(bool on);

public slots:
    void refresh();

signals:
    void deleteWanted(); // of the chosen step
    void actWanted(const QString& action);

private:
    void makePages(QBoxLayout* layout);
    void refreshPages();
    void showStroke(const std::optional<recipe::Evidence>& live);
    void editStep(const QString& what, const std::function<void(recipe::Step&)>& edit, const QString& merge);
    void dragSetting(const QString& id, double value, bool released);
    void dragLimit(const QString& id, double value, bool released);
    void plotsSoon();   // many changes in a row draw the plots once, after the window has answered
    void drawPicture(); // of the picture in view
    void drawTrials();  // and of all trials
    void drawForm();
    void drawDue();
    void refreshHead();
    void refreshTies(const recipe::Recipe& recipe, const recipe::Step& step, const recipe::StepKind& kind);
    void followTie(const QString& to);
    QString formulaNumbers(const recipe::Recipe& recipe, const recipe::Step& step, const recipe::StepKind& kind) const;
    void refreshPlot();
    void drawPlot(const recipe::Evidence& evidence);
    void refreshTrials();
    void refreshMap();
    void refreshForm();
    const recipe::Check* shownCheck() const;

    Session& m_session;
    TiesLine* m_ties;
    QLabel *m_title, *m_about, *m_note, *m_plotTitle, *m_trialsTitle;
    EvidencePlot *m_plot, *m_trials;
    ElementMap* m_map;
    PairView* m_pair;
    ParamForm* m_form;
    QPushButton* m_take; // the proposed limits
    QWidget *m_plots, *m_tabs;
    QToolButton *m_plotTab, *m_objectsTab, *m_turningTab;
    TurningWidget* m_turning;
    ObjectsView* m_objects;
    QScrollArea* m_scroll = nullptr;
    bool m_showObjects = false, m_showTurning = false, m_formElsewhere = false;
    std::vector<recipe::Evidence::Handle> m_params;
    bool m_dragging = false, m_editing = false, m_due = false, m_trialsDue = false, m_formDue = false;
    std::string m_formFor;
    double m_low = 0, m_high = 1; // range of the trials plot while a limit is dragged
};

} // namespace desktop

// evidence_view.h - the plot a person trusts the answer by, all values of all trials with the limits on them, and the
// settings below.
#pragma once
#include "desktop/evidence_plot.h"
#include "desktop/session.h"

#include <QLabel>
#include <QPushButton>
#include <QWidget>

namespace desktop
{
class ElementMap;
class ParamForm;

class EvidenceView : public QWidget
{
    Q_OBJECT
public:
    explicit EvidenceView(Session& session, QWidget* parent = nullptr);
    EvidencePlot* picturePlot() const { return m_plot; }
    EvidencePlot* trialsPlot() const { return m_trials; }
    ParamForm* form() const { return m_form; }
    ElementMap* elementMap() const { return m_map; }

public slots:
    void refresh();

private:
    void showStroke(const std::optional<recipe::Evidence>& live);
    void editStep(const QString& what, const std::function<void(recipe::Step&)>& edit, const QString& merge);
    void dragSetting(const QString& id, double value, bool released);
    void dragLimit(const QString& id, double value, bool released);
    void refreshHead();
    void refreshPlot();
    void drawPlot(const recipe::Evidence& evidence);
    void refreshTrials();
    void refreshMap();
    void refreshForm();
    const recipe::Check* shownCheck() const;

    Session& m_session;
    QLabel *m_title, *m_about, *m_note, *m_plotTitle, *m_trialsTitle;
    EvidencePlot *m_plot, *m_trials;
    ElementMap* m_map;
    ParamForm* m_form;
    QPushButton* m_take; // the proposed limits
    std::vector<recipe::Evidence::Handle> m_params;
    bool m_dragging = false, m_editing = false;
    std::string m_formFor;
    double m_low = 0, m_high = 1; // range of the trials plot while a limit is dragged
};

} // namespace desktop

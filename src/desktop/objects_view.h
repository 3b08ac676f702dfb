// objects_view.h - everything a step looked at one by one: a table of this picture's with what became of each, and two of
// their values over all trials, with the filters drawn on them and dragged there.
#pragma once
#include "desktop/evidence_plot.h"
#include "desktop/latest_job.h"
#include "desktop/session.h"
#include "inspect/picking.h"

#include <QComboBox>
#include <QLabel>
#include <QPushButton>
#include <QTableView>

namespace desktop
{
class ObjectsModel;
class ObjectsOrder;

class ObjectsView : public QWidget
{
    Q_OBJECT
public:
    explicit ObjectsView(Session& session, QWidget* parent = nullptr);
    ~ObjectsView() override;
    // Whether the chosen step looks at anything one by one.
    bool available() const;
    const recipe::ObjectTable& table() const { return m_told; } // of the picture in view
    int kept() const;
    bool waiting() const { return m_job.busy() || m_asked; }
    EvidencePlot* plot() const { return m_plot; }
    QTableView* tableView() const { return m_view; }
    int chosen() const; // row of table(); -1: none

public slots:
    void refresh();
    void choose(int row);
    // The object at a place of the picture in view, and how it came to what became of it; said and chosen.
    void howCome(geometry::Point picture);
    bool chooseAt(geometry::Point picture); // false: there is nothing
    void example(bool wanted);              // the chosen object is like those that are wanted, or is not

signals:
    void toldChanged();
    void explained(const QString& text);

protected:
    void showEvent(QShowEvent*) override;

private:
    struct Example {
        std::string picture;
        geometry::Point at;
        inspect::Values values;
        bool wanted = true;
    };
    void ask();
    void answer(base::Result<recipe::ObjectTable> told);
    void explain();
    void drawPlot();
    void dragFilter(const QString& id, double value, bool released);
    void refreshExamples();
    void takeFilters();
    std::vector<recipe::Filter> filters() const; // those of the step, or as they are being dragged
    std::string picture() const;
    QString labelOf(const recipe::ObjectTable::Row& row) const;
    void fillAxes();

    Session& m_session;
    QLabel *m_words, *m_examplesText;
    QComboBox *m_x, *m_y;
    EvidencePlot* m_plot;
    QTableView* m_view;
    ObjectsModel* m_model;
    ObjectsOrder* m_order;
    QPushButton *m_like, *m_unlike, *m_take;
    recipe::ObjectTable m_told;
    std::string m_step, m_for;                 // the step the table is of; what it was asked for
    std::optional<geometry::Point> m_question; // level px, until the table is there
    std::vector<Example> m_examples;
    std::optional<inspect::Picked> m_picked;
    std::optional<std::vector<recipe::Filter>> m_dragged;
    bool m_asked = false, m_choosing = false;
    double m_range[4] = {0, 1, 0, 1}; // of the plot while a filter is dragged
    LatestJob m_job;                  // last: its thread ends first
};

} // namespace desktop

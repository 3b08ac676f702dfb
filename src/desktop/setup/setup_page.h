// setup_page.h - Set up: strip of questions, sheet, evidence, and the grid of trials below.
#pragma once
#include "desktop/evidence_view.h"
#include "desktop/grid_view.h"
#include "desktop/sheet_view.h"

#include <QElapsedTimer>
#include <QSettings>
#include <QSplitter>

class QToolButton;

namespace desktop
{

class StepActs;

// The grid's view of the session.
class TrialGrid : public GridSource
{
public:
    explicit TrialGrid(Session& session) : m_session(session) {}
    void rebuild();
    void toggleFold(int row);
    int rowOf(const std::string& step, const std::string& output = {}, int element = -1) const;
    int rows() const override { return int(m_rows.size()); }
    int columns() const override { return int(m_columns.size()); }
    GridRow row(int r) const override { return m_rows[std::size_t(r)]; }
    GridColumn column(int c) const override;
    GridCell cell(int r, int c) const override;
    QString verdictLine() const override;
    QString emptyHint() const override;
    bool onlyFailed() const { return m_onlyFailed; }
    void setOnlyFailed(bool on) { m_onlyFailed = on, rebuild(); }
    QString columnWord(int c) const override;
    recipe::Label labelOf(int c) const; // of the picture, or of the part the column stands for
    // What a column stands for: a picture, or one part of it.
    struct Column {
        int trial = 0, item = -1;
        bool lost = false, begins = true, bracket = false;
    };
    const Column& place(int c) const { return m_columns[std::size_t(c)]; }
    int columnOf(int trial, int item) const; // -1: it is filtered away
    bool itemsUnfolded() const { return m_items; }
    void unfoldItems(bool on) { m_items = on, rebuild(); }
    enum class Order { Taken, Label, Verdict, Name, Share };
    enum class Show { All, Failed, Disagreeing };
    Order order() const { return m_order; }
    Show show() const { return m_show; }
    void setOrder(Order order) { m_order = order, rebuild(); }
    void setShow(Show show) { m_show = show, rebuild(); }

private:
    void addGroup(const recipe::Recipe& recipe, const std::string& datum);
    void addTree(const recipe::Recipe& recipe, const std::string& datum, int depth);
    void addFixed(const recipe::Recipe& recipe);
    Session& m_session;
    std::vector<GridRow> m_rows;
    std::map<int, std::vector<std::string>> m_features; // features line → its steps
    std::set<std::string> m_unfolded;                   // datum ids, and step.output of lists
    void placeColumns();
    std::vector<Column> m_columns;
    bool m_onlyFailed = false, m_items = false;
    Order m_order = Order::Taken;
    Show m_show = Show::All;
};

class SetupPage : public QWidget
{
    Q_OBJECT
public:
    explicit SetupPage(Session& session, QWidget* parent = nullptr);
    SheetView* sheet() const { return m_sheet; }
    GridView* grid() const { return m_grid; }
    EvidenceView* evidence() const { return m_evidence; }
    QSplitter* upper() const { return m_upper; }
    QSplitter* whole() const { return m_whole; } // of evidence and grid when tall
    // Sizes a person has chosen, of either arrangement; the others are worked out.
    void keepSizes(QSettings& settings) const;
    void restoreSizes(const QSettings& settings);
    bool tall() const { return m_isTall; }
    QAction* action(const QString& id) const;

public slots:
    void showKinds();
    // by keys alone: in the middle of the view, or of the features that are there
    void makeInView(const recipe::StepKind& kind);
    void renameSelected();
    void refreshTheme();                      // after the theme changed
    void editSetting(const std::string& key); // of the chosen step, in the form
    void arm(const std::string& kind);
    void howCome(); // what is under the pointer

protected:
    bool eventFilter(QObject*, QEvent*) override;
    void resizeEvent(QResizeEvent*) override;

private:
    void makeActions();
    void makeStrip();
    void refreshGrid();
    void arrange();
    void arrangeTall();
    void setTall(bool on);
    bool wantsTall() const;
    void sizesOf(bool tall);
    bool beginLimits(const QString& text);
    void startFormula();
    void fillInputs(recipe::Offer& offer, const recipe::StepKind& kind,
                    const std::vector<const recipe::Step*>& givers) const;
    std::string stepLookingAt(geometry::Point at) const;
    void labelRestGood(); // those without a label
    void label(recipe::Label label);
    void labelAndGoOn(recipe::Label label);
    void nextTrialWhere(const std::function<bool(int)>& wanted, const QString& none);

    Session& m_session;
    TrialGrid m_source;
    StepActs* m_acts;
    SheetView* m_sheet;
    EvidenceView* m_evidence;
    GridView* m_grid;
    QWidget *m_strip, *m_lower, *m_side;
    // Wide: m_whole holds the upper row and the grid. Tall: m_right, beside the sheet, holds evidence and grid.
    QSplitter *m_upper, *m_whole, *m_right;
    QWidget* m_rightTop;
    QByteArray m_keptUpper[2], m_keptWhole[2]; // by arrangement: wide, tall
    bool m_isTall = false;
    std::vector<QToolButton*> m_questions;
    QToolButton* m_swap;
    bool m_heightsChosen = false, m_widthsChosen = false; // by a person
    QList<int> m_widths;                                  // of sheet and evidence before the evidence was made large
    QAction* m_held = nullptr;                            // a look that was switched by a key that may still be down
    QElapsedTimer m_heldSince;
};

} // namespace desktop

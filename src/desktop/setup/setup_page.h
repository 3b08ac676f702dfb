// setup_page.h - Set up: strip of questions, sheet, evidence, and the grid of trials below.
#pragma once
#include "desktop/evidence_view.h"
#include "desktop/fault_list.h"
#include "desktop/setup/trial_grid.h"
#include "desktop/sheet_view.h"

#include <QElapsedTimer>
#include <QSettings>
#include <QSplitter>

class QToolButton;

namespace desktop
{

class StepActs;

class SetupPage : public QWidget
{
    Q_OBJECT
public:
    explicit SetupPage(Session& session, QWidget* parent = nullptr);
    SheetView* sheet() const { return m_sheet; }
    GridView* grid() const { return m_grid; }
    FaultList* faults() const { return m_faults; }
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
    bool linkDropped(const std::string& step, QPoint global);
    bool wantsTall() const;
    void sizesOf(bool tall);
    void walkFaults(int by);
    void refreshFaults();
    void decideFault(const inspect::Fault& fault, bool confirmed);
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
    FaultList* m_faults;
    QString m_decidedOf;                                                   // the recipe's path
    std::map<std::string, std::map<std::string, FaultDecision>> m_decided; // by picture and item, then fault
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

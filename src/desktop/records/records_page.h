// records_page.h - the third workspace: every inspected item, from one to a million. A sentence of choices, the whole log as
// a ribbon, the item in view as it was logged, the chosen check over the items, all checks in the grid.
#pragma once
#include "desktop/records/record_sheet.h"
#include "desktop/records/records_model.h"
#include "records/table.h"

#include <QWidget>

class QAction;
class QLabel;
class QPushButton;
class QToolButton;
class QSettings;

namespace desktop
{
class CrossPanels;
class DistributionView;
class FailBars;
class RecordCells;
class RecordHeads;
class RecordRows;
class RibbonView;
class RunChart;
class SentenceBar;
class WordButton;

class RecordsPage : public QWidget
{
    Q_OBJECT
public:
    // The recipe in work, ready; null while it is not.
    using RecipeMaker = std::function<std::shared_ptr<const inspect::Prepared>()>;
    RecordsPage(QString logPath, RecipeMaker recipe, QWidget* parent = nullptr);
    ~RecordsPage() override;

    RecordsModel& model() { return m_model; }
    void wait(); // until everything asked is shown
    const SeenItem* item() const { return m_item.get(); }
    bool again() const { return m_again; }
    QString hint() const; // said where nothing is to be seen
    void setMayWrite(bool on);
    // A server that can be looked at instead of this station's own log; empty: none.
    void setServer(const QString& url);
    void setPlace(bool server);
    void focusText();
    void keepSizes(QSettings& settings) const;
    void restoreSizes(const QSettings& settings);

public slots:
    void refresh();
    void setAgain(bool on);
    void inspectAllAgain();
    void largePicture();
    void nextReject(int by);

signals:
    void runWanted();
    void said(const QString& text);

protected:
    void showEvent(QShowEvent*) override;
    void hideEvent(QHideEvent*) override;
    void keyPressEvent(QKeyEvent*) override;

private:
    void makeActions();
    void makePanels();
    void loadItem();
    void showItem();
    void refreshHint();
    void exportTable(records::TableForm form);
    void exportPictures();
    void reportItem();
    void reportChosen();
    std::vector<long long> chosenIds() const;
    std::shared_ptr<const inspect::Prepared> againRecipe();
    void chooseAgainRecipe();
    QString fileFor(const QString& what, const QString& filter, const QString& suffix);

    const QString m_own; // this station's log
    QString m_server;
    WordButton* m_place = nullptr;
    RecordsModel m_model;
    RecipeMaker m_recipe;
    std::shared_ptr<const inspect::Prepared> m_other; // inspected again with this one; null: the recipe in work
    SentenceBar* m_sentence;
    RibbonView* m_ribbon;
    CrossPanels* m_panels;
    RecordRows* m_rows;
    QWidget* m_itemPanel;
    RecordSheet* m_sheet;
    RunChart* m_chart;
    DistributionView* m_distribution;
    RecordHeads* m_heads;
    RecordCells* m_cells;
    FailBars* m_fails;
    QLabel* m_hint;
    QToolButton *m_asLogged, *m_againButton;
    QAction* m_allAgain = nullptr;
    std::vector<QWidget*> m_writers; // what writes files
    QTimer m_live, m_reading;
    bool m_again = false, m_letter = false;
    std::shared_ptr<const SeenItem> m_item;
    class Loader;
    std::shared_ptr<Loader> m_loader;
    LatestJob m_job; // last: it uses the others
};

} // namespace desktop

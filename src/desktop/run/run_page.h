// run_page.h - Run: large picture and verdict, values on one ladder, the latest items as a tape. Nothing here can change the recipe.
#pragma once
#include "desktop/grid_view.h"
#include "desktop/session.h"
#include "station/run_loop.h"

#include <QLabel>
#include <QPushButton>
#include <QWidget>
#include <deque>

class QComboBox;
class QLineEdit;

namespace desktop
{

// What is drawn for the item in view.
class RunSheet : public QWidget
{
    Q_OBJECT
public:
    explicit RunSheet(QWidget* parent = nullptr);
    void show(std::shared_ptr<const inspect::Prepared> prepared, const station::RunItem& item);

protected:
    void paintEvent(QPaintEvent*) override;

private:
    std::shared_ptr<const inspect::Prepared> m_prepared;
    station::RunItem m_item;
    QImage m_picture;
};

// Each value between its limits; all share one ladder.
class LadderView : public QWidget
{
    Q_OBJECT
public:
    explicit LadderView(QWidget* parent = nullptr);
    void show(const inspect::ItemResult* item);

protected:
    void paintEvent(QPaintEvent*) override;

private:
    std::vector<inspect::CheckResult> m_rows;
    int m_others = 0, m_othersOut = 0; // not shown; of them not passing
    bool m_has = false;
};

class VerdictBand : public QWidget
{
    Q_OBJECT
public:
    explicit VerdictBand(QWidget* parent = nullptr);
    void show(const inspect::PictureResult* result, long long items, long long accepted, double perMinute, bool present);
    QString word() const { return m_word; }
    QString sentence() const { return m_sentence; }

protected:
    void paintEvent(QPaintEvent*) override;

private:
    QColor outcomeColour() const;
    QString m_word, m_sentence, m_second;
    long long m_items = 0, m_accepted = 0;
    double m_rate = 0;
    inspect::Outcome m_outcome = inspect::Outcome::Unjudged;
    bool m_measured = true, m_present = true;
};

class RunPage : public QWidget, private GridSource
{
    Q_OBJECT
public:
    using SourceMaker = std::function<std::unique_ptr<station::PictureSource>()>;
    // `simulated` makes the station without a camera; `logPath` is the record log's file.
    RunPage(Session& session, SourceMaker simulated, QString logPath, QWidget* parent = nullptr);
    ~RunPage() override;
    bool running() const { return m_loop.running(); }
    long long itemCount() const { return m_items; }
    QString logPath() const { return m_log; }
    void refreshTheme() { m_grid->refresh(); }

signals:
    void itemLogged(); // after it is in the log and on the screen

public slots:
    void start();
    void takeOne();
    void stop();

private:
    void arrived(const station::RunItem& item);
    bool chooseSource();
    void recipeMayHaveChanged();
    void adoptRecipe();
    void pin(int column);
    // the tape
    int rows() const override { return int(m_rows.size()); }
    int columns() const override { return int(m_tape.size()); }
    GridRow row(int r) const override { return m_rows[std::size_t(r)]; }
    GridColumn column(int c) const override;
    GridCell cell(int r, int c) const override;
    QString verdictLine() const override;
    QString emptyHint() const override;
    QString columnWord(int c) const override { return tr("item %1").arg(m_tape[std::size_t(c)].number); }

    struct TapeItem {
        station::RunItem item;
        long long number;
        std::shared_ptr<const inspect::Prepared> prepared;
    };
    Session& m_session;
    SourceMaker m_simulated;
    QString m_log;
    RunSheet* m_sheet;
    LadderView* m_ladder;
    VerdictBand* m_band;
    GridView* m_grid;
    QComboBox* m_source;
    QLineEdit* m_batch;
    QPushButton *m_start, *m_one, *m_stop;
    QLabel *m_camera, *m_records, *m_trouble;
    std::deque<TapeItem> m_tape;
    std::vector<GridRow> m_rows;
    long long m_items = 0, m_accepted = 0;
    inspect::Totals m_totals;
    QWidget* m_totalsRow;
    QLabel* m_totalsText;
    void showTotals();
    std::deque<qint64> m_times;
    QString m_folder;
    int m_sourceIndex = -1, m_pinned = -1;
    bool m_stale = true; // the recipe changed since the loop last got it
    std::shared_ptr<const inspect::Prepared> m_used;
    station::RunLoop m_loop; // last: its thread ends first
};

} // namespace desktop

// run_page.h - Run: large picture and verdict, values on one ladder, the latest items as a tape. Nothing here can
// change the recipe, and no edit reaches the line: what runs is what was released.
#pragma once
#include "desktop/grid_view.h"
#include "desktop/run/line_bridge.h"
#include "desktop/run/run_views.h"
#include "desktop/session.h"
#include "station/tally.h"

#include <QLabel>
#include <QPushButton>
#include <deque>

class QComboBox;
class QLineEdit;

namespace desktop
{

class RunPage : public QWidget, private GridSource
{
    Q_OBJECT
public:
    using SourceMaker = std::function<std::unique_ptr<station::PictureSource>()>;
    // `simulated` makes the station without a camera; `logPath` is the record log's file.
    RunPage(Session& session, SourceMaker simulated, QString logPath, QWidget* parent = nullptr);
    ~RunPage() override;
    bool running() { return m_bridge.line().running(); }
    long long itemCount() const { return m_arrived; } // since the program started
    QString logPath() const { return m_log; }
    void refreshTheme() { m_grid->refresh(); }
    // Puts the recipe being edited on the line, by somebody's name; written into the log's events. Valid from the next
    // item.
    base::Status release(const QString& by);
    std::shared_ptr<const records::Release> released() const { return m_released; }
    // In what the recipe being edited differs from the one on the line.
    QStringList differences() const;

signals:
    void itemLogged();    // after it is in the log and on the screen
    void releaseWanted(); // Start was asked for and nothing is released
    void released(const QString& words);

public slots:
    void start();
    void takeOne();
    void stop();
    void nextItem(); // of the picture in view

protected:
    void keyPressEvent(QKeyEvent* e) override; // N: the next item

private:
    void arrived();
    void add(const station::Logged& logged);
    void putOnLine();
    bool ready();
    bool chooseSource();
    bool chooseCamera();
    void rebuildRows();
    void pin(int column);
    void showPinned();
    void showTotals();
    void showReleased();
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
        station::Logged item;
        long long number; // of its last item, from the program's start
    };
    QWidget* makeFeed();
    QWidget* makeTotals();

    Session& m_session;
    SourceMaker m_simulated;
    QString m_log;
    RunSheet* m_sheet = nullptr;
    LadderView* m_ladder = nullptr;
    VerdictBand* m_band = nullptr;
    GridView* m_grid = nullptr;
    QComboBox *m_source = nullptr, *m_keep = nullptr;
    QLineEdit* m_batch = nullptr;
    QPushButton *m_start = nullptr, *m_one = nullptr, *m_stop = nullptr;
    QLabel *m_camera = nullptr, *m_records = nullptr, *m_trouble = nullptr, *m_runs = nullptr;
    QWidget* m_totalsRow = nullptr;
    QLabel* m_totalsText = nullptr;
    std::deque<TapeItem> m_tape;
    // What a check's values were since this recipe ran: their ends for the row's scale, and the latest verdict.
    struct Seen {
        std::vector<double> ends;
        inspect::Verdict latest = inspect::Verdict::Unjudged;
    };
    std::map<std::pair<std::string, std::string>, Seen> m_seen; // by step and output
    std::string m_seenOf;                                       // the recipe's identity
    std::vector<GridRow> m_rows;
    long long m_arrived = 0, m_saved = 0, m_unsaved = 0;
    station::Tally m_tally;
    std::deque<qint64> m_times;
    QString m_folder;
    int m_sourceIndex = -1, m_pinned = -1, m_item = 0;
    std::shared_ptr<const records::Release> m_released;
    LineBridge m_bridge; // last: its threads end first
};

} // namespace desktop

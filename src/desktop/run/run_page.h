// run_page.h - Run: large picture and verdict, values on one ladder, the latest items as a tape, the last rejects.
// Nothing here can change the recipe but a limit the engineer released, within its bounds; no edit reaches the line:
// what runs is what was released.
#pragma once
#include "desktop/fault_list.h"
#include "desktop/grid_view.h"
#include "desktop/records/records_setup.h"
#include "desktop/run/feed.h"
#include "desktop/run/line_bridge.h"
#include "desktop/run/run_panels.h"
#include "desktop/run/run_views.h"
#include "desktop/signed_in.h"
#include "station/tally.h"

#include <QLabel>
#include <QPushButton>
#include <deque>

namespace desktop
{

class RunPage : public QWidget, private GridSource
{
    Q_OBJECT
public:
    using SourceMaker = Feed::SourceMaker;
    // `simulated` makes the station without a camera; `logPath` is the record log's file.
    RunPage(Session& session, SignedIn& who, SourceMaker simulated, QString logPath, QWidget* parent = nullptr);
    ~RunPage() override;
    bool running() { return m_bridge.line().running(); }
    long long itemCount() const { return m_arrived; } // since the program started
    QString logPath() const { return m_log; }
    // Where records go besides, and what is made of them; valid from the next item on.
    void setRecordsSetup(const RecordsSetup& setup);
    const RecordsSetup& recordsSetup() const { return m_recordsSetup; }
    const records::Forwarder* forwarder() const { return m_forwarder.get(); }
    void refreshTheme() { m_grid->refresh(); }
    // Puts the recipe being edited on the line, by somebody's name; written into the log's events. Valid from the next
    // item.
    base::Status release(const QString& by);
    std::shared_ptr<const records::Release> released() const { return m_released; }
    // In what the recipe being edited differs from the one on the line.
    QStringList differences() const;
    // Limits of what is on the line that may be moved here; in the unit they are stated in.
    struct Movable {
        std::string step, output;
        QString name, unit;
        bool upper = false;
        double now = 0;
        recipe::Span within;
        int decimals = 3;
    };
    std::vector<Movable> movable() const;
    // Valid from the next item; in the log before that, or not at all. Fails with OutOfRange naming the bounds.
    base::Status moveLimit(const Movable& limit, double value);
    // A person's verdict beside the recipe's, on the item in view.
    base::Status overrule(inspect::Outcome outcome, const QString& why);
    // What a person says of one fault of the item in view; it stands in the log's events with who and when.
    base::Status decideFault(const inspect::Fault& fault, bool confirmed, const QString& why);
    FaultList* faults() const { return m_faults; }
    void note(const QString& what, const QString& subject, const QString& before = {}, const QString& after = {});
    QString stationName() const;
    void setStationName(const QString& name);                         // from the next item on
    void letGoOfSource() { m_fed = !m_feed->letGo(m_bridge.line()); } // of a camera somebody else wants
    bool fullScreen() const { return m_full; }
    const Lamps* lamps() const { return m_lamps; }
    const SignedIn& who() const { return m_who; }

signals:
    void itemLogged();    // after it is in the log and on the screen
    void releaseWanted(); // Start was asked for and nothing is released
    void released(const QString& words);
    void signInWanted();
    void fullScreenWanted(bool on);

public slots:
    void start();
    void takeOne();
    void stop();
    void nextItem();  // of the picture in view
    void askLimits(); // those that may be moved here
    void askOverrule();
    void countAnew();
    void setFullScreen(bool on);     // the feed's line is gone
    void say(const QString& text);   // empty: nothing
    void unsay(const QString& text); // if that stands there

protected:
    void keyPressEvent(QKeyEvent* e) override;
    void resizeEvent(QResizeEvent*) override;

private:
    struct TapeItem {
        station::Logged item;
        long long number;                           // of its last item, from the program's start
        std::map<std::size_t, QString> overruled{}; // by item, from 0: what was said
    };
    void arrived();
    void add(const station::Logged& logged);
    void putOnLine();
    void tellOutputs();
    void makeChoices();
    base::Status choose(int number); // from any thread
    void chosen(int number);
    bool ready();
    void rebuildRows();
    void joinRows(const std::string& identity);
    GridCell joinedCell(const inspect::PictureResult& result) const;
    void pin(int column);
    void pinNumber(long long number);
    void showPinned();
    void walkFaults(int by);
    void refreshFaults();
    void askFault(const inspect::Fault& fault, bool confirmed);
    void showTotals();
    void showReleased();
    void showRights();
    void showCounts();
    void trouble(const QString& what, const QString& message);
    void over(const QString& what);
    QString savedWords() const;
    TapeItem* inView();
    long long recordInView();
    base::Status overrule(long long record, inspect::Outcome outcome, const QString& why);
    // the tape
    int rows() const override { return int(m_rows.size()); }
    int columns() const override { return int(m_tape.size()); }
    GridRow row(int r) const override { return m_rows[std::size_t(r)]; }
    GridColumn column(int c) const override;
    GridCell cell(int r, int c) const override;
    QString verdictLine() const override;
    QString emptyHint() const override;
    QString columnWord(int c) const override { return tr("item %1").arg(m_tape[std::size_t(c)].number); }

    QWidget* makeBottom();
    QWidget* makeTotals();

    Session& m_session;
    SignedIn& m_who;
    QString m_log;
    RecordsSetup m_recordsSetup;
    std::unique_ptr<records::Forwarder> m_forwarder;
    std::unique_ptr<report::AutoReports> m_reports;
    RunSheet* m_sheet = nullptr;
    FaultList* m_faults = nullptr;
    std::map<long long, std::map<std::string, FaultDecision>> m_decided; // by record
    LadderView* m_ladder = nullptr;
    VerdictBand* m_band = nullptr;
    GridView* m_grid = nullptr;
    Feed* m_feed = nullptr;
    Lamps* m_lamps = nullptr;
    RejectStrip* m_rejects = nullptr;
    CyclePlot* m_cycle = nullptr;
    QPushButton *m_start = nullptr, *m_one = nullptr, *m_stop = nullptr, *m_limits = nullptr, *m_overrule = nullptr,
                *m_anew = nullptr, *m_person = nullptr;
    QLabel *m_trouble = nullptr, *m_counts = nullptr;
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
    std::vector<std::pair<std::string, std::string>> m_joined; // checks without a fail in view: one row
    long long m_arrived = 0, m_saved = 0, m_unsaved = 0, m_overruled = 0;
    station::Tally m_tally;
    std::deque<qint64> m_times;
    int m_pinned = -1, m_item = 0;
    bool m_full = false;
    std::atomic<bool> m_fed{false}; // the line has a source
    std::shared_ptr<const records::Release> m_released;
    // The variants of what was released, in their names' order: what a controller chooses by number, from 1.
    std::mutex m_choosing;
    std::vector<std::shared_ptr<const records::Release>> m_choices; // null: this one cannot be used
    std::vector<recipe::Outlet> m_told;                             // those that are told now
    LineBridge m_bridge;                                            // last: its threads end first
};

} // namespace desktop

// records_model.h - what Records shows, worked out off the window's thread: which items the sentence chooses, what they
// say, which check, item and columns are in view. All panels read it; none holds anything of its own.
#pragma once
#include "desktop/latest_job.h"
#include "records/choice.h"
#include "records/column_reader.h"

#include <cmath>

namespace desktop
{

// Words of the sentence, each a choice, and spans brushed in a plot.
struct Sentence {
    enum class Time { Any, Today, Yesterday, Week };
    Time time = Time::Any;
    records::Choice words; // without `since` and `until` of the time
    struct Brush {
        enum class Of { Time, Items, Value } of = Of::Time;
        records::Choice::Span value{};
        std::int64_t since = 0, until = 0;
        long long from = 0, to = 0;
        bool operator==(const Brush&) const = default;
    };
    std::vector<Brush> brushes;
    bool operator==(const Sentence&) const = default;
    records::Choice choice() const;
};

// One answer; never changes.
struct RecordsView {
    std::shared_ptr<const records::Columns> columns = std::make_shared<records::Columns>();
    records::Choice choice;
    std::vector<records::Row> rows;
    records::ItemCounts counts;
    std::vector<records::CheckSummary> checks; // by check
    std::vector<int> order;                    // checks the chosen items have, in their recipes' order
    std::size_t per = 1;                       // items a column stands for
    std::vector<std::size_t> releaseChanges;   // chosen items of another release than the one before, 400 at most
    records::Ribbon ribbon;
    int check = -1, second = -1;
    std::shared_ptr<const records::CheckDetail> detail; // of the chosen check
    QString error;
};

class RecordsModel : public QObject
{
    Q_OBJECT
public:
    RecordsModel(QString path, QObject* parent);
    ~RecordsModel() override;
    const QString& path() const { return m_path; }
    void setPath(const QString& path); // another log, or a server's records
    const RecordsView& view() const { return *m_view; }
    bool answered() const { return m_answered; }
    double share() const; // of the log that is read, while it is read; 0 .. 1
    bool busy() const { return m_job.busy(); }
    void wait(); // until everything asked is answered

    void refresh(); // what came since
    const Sentence& sentence() const { return m_sentence; }
    void say(Sentence sentence); // with the one before it to go back to
    bool takeBack();             // the last word; false: there is none
    bool narrowed() const { return !(m_sentence == Sentence()); }

    // Which check is charted; of which the second is laid against it.
    void chooseCheck(int check);
    void chooseSecond(int check);
    records::ChartKind chartKind() const { return m_kind; }
    int group() const { return m_group; }
    void setChart(records::ChartKind kind, int group);
    void sortByFails(bool on);
    bool sortedByFails() const { return m_sort; }

    int item() const { return m_item; } // place among the chosen; -1: none
    long long itemId() const;
    void chooseItem(int place);

    void zoomRibbon(std::int64_t from, std::int64_t to); // both 0: all
    // Columns: as wide as there is room for, or as a person wants them.
    void setSpace(int px);
    void setWidth(int px); // 0: as there is room
    void widen(int steps); // among the widths there are
    bool widthChosen() const { return m_wanted > 0; }
    double width() const;      // of a column; whole where there is one for each of few items
    int left(int column) const // of it, px from the first
    {
        return int(std::lround(column * width()));
    }
    int columns() const { return int((m_view->rows.size() + m_view->per - 1) / m_view->per); }
    int columnOf(int place) const { return place / int(m_view->per); }
    // Of a column the item one looks for: the first as bad as its worst.
    int itemOfColumn(int column, int check = -1) const;
    int offset() const { return m_offset; } // px the columns are moved to the left
    void setOffset(int px);
    int widest() const { return left(columns()); }
    int space() const { return m_space; }

    // Values the chosen check's plots reach from and to.
    double lowest() const { return m_view->detail ? m_view->detail->low : 0; }
    double highest() const { return m_view->detail ? m_view->detail->high : 1; }

    static constexpr int kMargin = 6, kAxis = 48; // px left and right of the columns

signals:
    void changed();    // another view
    void moved();      // another item or other columns are looked at
    void itemChosen(); // the item itself changed

private:
    struct Wanted {
        records::Choice choice;
        std::optional<records::CheckName> check, second;
        records::ChartKind kind = records::ChartKind::Individuals;
        int group = 5, most = 1; // columns
        bool single = false;     // a column for each item
        std::int64_t from = 0, to = 0;
    };
    class Worker;
    void ask(bool reread);
    void answer(std::shared_ptr<const RecordsView> view);

    QString m_path;
    std::shared_ptr<Worker> m_worker, m_old; // m_old: of the place before, not closed yet
    std::shared_ptr<const RecordsView> m_view = std::make_shared<RecordsView>();
    bool m_answered = false, m_reread = false;
    Sentence m_sentence;
    std::vector<Sentence> m_before;
    std::optional<records::CheckName> m_check, m_second;
    records::ChartKind m_kind = records::ChartKind::Individuals;
    int m_group = 5;
    bool m_sort = false;
    int m_item = -1;
    long long m_itemId = 0;
    std::int64_t m_from = 0, m_to = 0;
    int m_space = 600, m_wanted = 0, m_offset = 0;
    LatestJob m_job; // last: it uses the others
};

// "26.002", without its unit.
QString figure(double value, const QString& unit);
QString shortFigure(double value, const QString& unit); // "26" instead of "26.000"
QString grouped(long long number);                      // "1 284"

} // namespace desktop

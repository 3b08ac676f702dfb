#include "desktop/records/records_model.h"

#include "records/server.h"
#include "report/charts.h"

#include <QDateTime>
#include <QFileInfo>
#include <QLocale>
#include <QTimer>
#include <cmath>

namespace desktop
{
using namespace records;

QString figure(double value, const QString& unit) { return report::figureOf(value, unit); } // as on the page
QString shortFigure(double value, const QString& unit)
{
    QString s = figure(value, unit);
    if (!s.contains(QLatin1Char('.'))) return s;
    while (s.endsWith(QLatin1Char('0'))) s.chop(1);
    if (s.endsWith(QLatin1Char('.'))) s.chop(1);
    return s;
}
QString grouped(long long number)
{
    QString s = QString::number(number);
    for (qsizetype i = s.size() - 3; i > (number < 0 ? 1 : 0); i -= 3) s.insert(i, QChar(0x202f));
    return s;
}

Choice Sentence::choice() const
{
    Choice c = words;
    const QDate day = QDate::currentDate();
    const auto begin = [](QDate d) { return d.startOfDay().toMSecsSinceEpoch(); };
    if (time == Time::Today) c.since = begin(day);
    if (time == Time::Yesterday) c.since = begin(day.addDays(-1)), c.until = begin(day);
    if (time == Time::Week) c.since = begin(day.addDays(-6));
    for (const Brush& b : brushes) {
        if (b.of == Brush::Of::Time) {
            c.since = std::max(c.since.value_or(b.since), b.since);
            c.until = std::min(c.until.value_or(b.until), b.until);
        } else if (b.of == Brush::Of::Items) {
            c.from = std::max(c.from, b.from);
            c.to = c.to > 0 ? std::min(c.to, b.to) : b.to;
        } else c.spans.push_back(b.value);
    }
    return c;
}

// What is known from the last answer is not worked out again.
class RecordsModel::Worker
{
public:
    explicit Worker(QString path) : m_path(std::move(path)) {}
    std::shared_ptr<const RecordsView> look(const Wanted& w, bool reread, int ribbonBins)
    {
        auto v = std::make_shared<RecordsView>(*m_last);
        v->error.clear();
        if (reread) v->error = read();
        const bool fresh = m_columns != v->columns;
        v->columns = m_columns;
        const Columns& c = *m_columns;
        const bool rows = fresh || !(w.choice == v->choice) || !m_any;
        if (rows) {
            v->choice = w.choice;
            v->rows = rowsOf(c, w.choice);
            v->counts = countsOf(c, v->rows);
            v->releaseChanges.clear();
            for (std::size_t i = 1; i < v->rows.size() && v->releaseChanges.size() < 400; ++i)
                if (c.release(v->rows[i]) != c.release(v->rows[i - 1])) v->releaseChanges.push_back(i);
        }
        const std::size_t n = v->rows.size(), most = std::size_t(std::max(1, w.most)),
                          per = w.single || n <= most ? 1 : (n + most - 1) / most;
        if (rows || per != v->per) {
            v->per = per;
            v->checks = summaries(c, v->rows, per > 1 ? per : 0, !w.choice.byOutcome());
            order(*v);
        }
        if (fresh || !m_any || w.from != m_wanted.from || w.to != m_wanted.to)
            v->ribbon = ribbonOf(c, std::size_t(ribbonBins), w.from, w.to);
        const int before = v->check;
        v->check = w.check ? checkIndex(c, *w.check) : -1;
        if (v->check < 0 || v->checks[std::size_t(v->check)].asked == 0) v->check = worst(*v);
        v->second = w.second ? checkIndex(c, *w.second) : -1;
        if (rows || v->check != before || w.kind != m_wanted.kind || w.group != m_wanted.group)
            v->detail = v->check < 0 ? nullptr
                                     : std::make_shared<const CheckDetail>(detailOf(
                                           c, v->rows, std::size_t(v->check), !w.choice.byOutcome(), w.kind, w.group));
        m_any = true;
        m_wanted = w;
        m_last = v;
        return v;
    }
    void close() { m_reader.reset(); }
    base::Watch watch; // of the reading; a window that goes does not wait for its end

private:
    QString read()
    {
        if (!m_reader) {
            if (!isServer(m_path) && !QFileInfo::exists(m_path)) return {};
            auto opened = ColumnReader::open(m_path);
            if (!opened) return QString::fromStdString(opened.error().text());
            m_reader = std::move(*opened);
        }
        auto columns = m_reader->update(&watch);
        if (!columns) {
            m_reader.reset(); // a server that went away is asked by a new connection
            return QString::fromStdString(columns.error().text());
        }
        m_columns = std::move(*columns);
        return {};
    }
    static void order(RecordsView& v)
    {
        v.order.clear();
        for (std::size_t i = 0; i < v.checks.size(); ++i)
            if (v.checks[i].asked > 0) v.order.push_back(int(i));
        std::stable_sort(v.order.begin(), v.order.end(), [&](int a, int b) {
            const CheckName &x = v.columns->checks[std::size_t(a)], &y = v.columns->checks[std::size_t(b)];
            return std::make_pair(x.recipe, x.position) < std::make_pair(y.recipe, y.position);
        });
    }
    // What one looks at first: the single value that failed most, else the first.
    static int worst(const RecordsView& v)
    {
        int best = -1;
        const auto better = [&](int a, int b) {
            const auto key = [&](int i) {
                const CheckSummary& s = v.checks[std::size_t(i)];
                return std::make_pair(s.measured > 0, s.failed);
            };
            return b < 0 || key(a) > key(b);
        };
        for (const int i : v.order)
            if (better(i, best)) best = i;
        return best;
    }

    QString m_path;
    std::unique_ptr<ColumnReader> m_reader;
    std::shared_ptr<const Columns> m_columns = std::make_shared<Columns>();
    std::shared_ptr<const RecordsView> m_last = std::make_shared<RecordsView>();
    Wanted m_wanted;
    bool m_any = false;
};

namespace
{
constexpr int kNarrow = 3, kRibbonBins = 244;
}

RecordsModel::RecordsModel(QString path, QObject* parent)
    : QObject(parent), m_path(std::move(path)), m_worker(std::make_shared<Worker>(m_path)), m_job(this)
{
}
double RecordsModel::share() const { return m_worker->watch.share; }

RecordsModel::~RecordsModel()
{
    m_worker->watch.cancel = true;
    // The log's connection belongs to the thread that opened it.
    m_job.ask([worker = m_worker, old = m_old]() -> LatestJob::Answer {
        if (old) old->close();
        worker->close();
        return {};
    });
    m_job.wait();
}

void RecordsModel::setPath(const QString& path)
{
    if (path == m_path) return;
    m_worker->watch.cancel = true;
    m_old = m_worker; // closed by the next look, on its own thread
    m_path = path;
    m_worker = std::make_shared<Worker>(m_path);
    m_before.clear();
    m_sentence = {};
    m_itemId = 0, m_item = -1;
    m_check.reset(), m_second.reset();
    m_view = std::make_shared<RecordsView>();
    m_answered = false;
    emit changed();
    ask(true);
}

void RecordsModel::ask(bool reread)
{
    m_reread = m_reread || reread; // what is asked meanwhile does not make it forgotten
    Wanted w;
    w.choice = m_sentence.choice();
    w.check = m_check, w.second = m_second;
    w.kind = m_kind, w.group = m_group;
    w.most = std::max(1, m_space / kNarrow), w.single = m_wanted > 0;
    w.from = m_from, w.to = m_to;
    m_job.ask([this, worker = m_worker, old = m_old, w, again = m_reread]() -> LatestJob::Answer {
        if (old) old->close();
        auto view = worker->look(w, again, kRibbonBins);
        return [this, view] { answer(view); };
    });
}
void RecordsModel::refresh() { ask(true); }

void RecordsModel::wait()
{
    m_job.wait();
    QCoreApplication::sendPostedEvents(&m_job);
}

void RecordsModel::answer(std::shared_ptr<const RecordsView> view)
{
    // Whoever looks at the newest item sees the next one when it comes.
    const bool follow = m_item == int(m_view->rows.size()) - 1 && view->choice == m_view->choice;
    m_view = std::move(view);
    m_answered = true, m_reread = false;
    m_old.reset();
    // Else the same item stays in view as long as it is chosen.
    const auto& rows = m_view->rows;
    m_item = int(rows.size()) - 1;
    if (m_itemId > 0 && !follow)
        if (const auto row = m_view->columns->rowOfId(m_itemId)) {
            const auto at = std::lower_bound(rows.begin(), rows.end(), *row);
            if (at != rows.end() && *at == *row) m_item = int(at - rows.begin());
        }
    const long long id = m_item >= 0 ? m_view->columns->id(rows[std::size_t(m_item)]) : 0;
    const bool other = id != m_itemId;
    m_itemId = id;
    m_offset = std::clamp(m_offset, 0, std::max(0, widest() - m_space));
    emit changed();
    if (other) emit itemChosen();
}

void RecordsModel::say(Sentence sentence)
{
    if (sentence == m_sentence) return;
    m_before.push_back(std::exchange(m_sentence, std::move(sentence)));
    ask(false);
}
bool RecordsModel::takeBack()
{
    if (m_before.empty()) return false;
    m_sentence = std::move(m_before.back());
    m_before.pop_back();
    ask(false);
    return true;
}

void RecordsModel::chooseCheck(int check)
{
    if (check < 0 || check >= int(m_view->columns->checks.size())) return;
    m_check = m_view->columns->checks[std::size_t(check)];
    m_second.reset();
    ask(false);
}
void RecordsModel::chooseSecond(int check)
{
    if (check < 0 || check == m_view->check || check == m_view->second) m_second.reset();
    else m_second = m_view->columns->checks[std::size_t(check)];
    if (m_view->check >= 0) m_check = m_view->columns->checks[std::size_t(m_view->check)];
    ask(false);
}
void RecordsModel::setChart(ChartKind kind, int group)
{
    m_kind = kind, m_group = group;
    ask(false);
}
void RecordsModel::sortByFails(bool on)
{
    m_sort = on;
    emit changed();
}

long long RecordsModel::itemId() const { return m_itemId; }
void RecordsModel::chooseItem(int place)
{
    if (m_view->rows.empty()) return;
    place = std::clamp(place, 0, int(m_view->rows.size()) - 1);
    const long long id = m_view->columns->id(m_view->rows[std::size_t(place)]);
    // Its column is in view.
    const int from = left(columnOf(place)), to = left(columnOf(place) + 1);
    int offset = m_offset;
    if (from < offset) offset = from;
    if (to > offset + m_space) offset = to - m_space;
    m_offset = std::clamp(offset, 0, std::max(0, widest() - m_space));
    const bool other = id != m_itemId;
    m_item = place, m_itemId = id;
    emit moved();
    if (other) emit itemChosen();
}

int RecordsModel::itemOfColumn(int column, int check) const
{
    const std::size_t per = m_view->per, first = std::size_t(column) * per,
                      end = std::min(m_view->rows.size(), first + per);
    if (per == 1 || first >= end) return int(std::min(first, m_view->rows.size() - 1));
    int worst = -1;
    std::size_t best = first;
    for (std::size_t i = first; i < end; ++i) {
        const Row r = m_view->rows[i];
        const int bad = check >= 0 ? harm(m_view->columns->cell(r, std::size_t(check)).state)
                                   : int(m_view->columns->verdict(r) != ItemVerdict::Accept);
        if (bad > worst) worst = bad, best = i;
    }
    return int(best);
}

void RecordsModel::zoomRibbon(std::int64_t from, std::int64_t to)
{
    m_from = from, m_to = to;
    ask(false);
}

void RecordsModel::setSpace(int px)
{
    px = std::max(30, px);
    if (px == m_space) return;
    m_space = px;
    m_offset = std::clamp(m_offset, 0, std::max(0, widest() - m_space));
    if (m_answered && m_wanted == 0 && m_view->rows.size() > std::size_t(px / kNarrow)) ask(false);
    else if (m_answered && m_view->per > 1) ask(false);
    emit moved();
}
void RecordsModel::setWidth(int px)
{
    if (px == m_wanted) return;
    const bool was = m_wanted > 0;
    m_wanted = px;
    if (was != (px > 0)) return ask(false);
    m_offset = 0;
    chooseItem(m_item);
    emit moved();
}
void RecordsModel::widen(int steps)
{
    static const int widths[] = {0, 3, 10, 28};
    int at = 0;
    while (at < 3 && widths[at] != m_wanted) ++at;
    setWidth(widths[std::clamp(at + steps, 0, 3)]);
}
double RecordsModel::width() const
{
    if (m_wanted > 0 && m_view->per == 1) return m_wanted;
    const int n = columns();
    if (m_view->per == 1)
        for (const int w : {28, 10})
            if (n * w <= m_space) return w;
    // Many take all the room there is.
    return n > 0 ? std::max(1.0, std::min(10.0, double(m_space) / n)) : kNarrow;
}
void RecordsModel::setOffset(int px)
{
    px = std::clamp(px, 0, std::max(0, widest() - m_space));
    if (px == m_offset) return;
    m_offset = px;
    emit moved();
}

} // namespace desktop

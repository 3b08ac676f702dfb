#include "desktop/records/again_dialog.h"

#include "desktop/records/records_model.h"
#include "report/theme.h"

#include <QDialogButtonBox>
#include <QFileInfo>
#include <QHeaderView>
#include <QLabel>
#include <QTableWidget>
#include <QVBoxLayout>
#include <thread>

namespace desktop
{
namespace
{
QString q(const std::string& s) { return QString::fromStdString(s); }
QString said(const std::vector<double>& values, const std::string& unit)
{
    if (values.empty()) return QObject::tr("not measured");
    if (values.size() > 3) return QObject::tr("%1 values").arg(values.size());
    QStringList all;
    for (const double v : values) all << figure(v, q(unit));
    return all.join(QStringLiteral("; ")) + QLatin1Char(' ') + q(unit);
}
QString differing(const AgainLine& l)
{
    QStringList out;
    // Where the verdict changed first: that is why.
    for (const bool verdict : {true, false})
        for (const auto& c : l.differing)
            if ((c.verdictBefore != c.verdictNow) == verdict) {
                if (!c.wasThere) out << QObject::tr("%1: new, %2").arg(q(c.name), said(c.now, c.unitNow));
                else if (!c.isThere) out << QObject::tr("%1: no longer in the recipe").arg(q(c.name));
                else if (c.before == c.now && c.unit == c.unitNow)
                    out << QObject::tr("%1: %2 → %3").arg(q(c.name), q(c.verdictBefore), q(c.verdictNow));
                else out << QObject::tr("%1: %2 → %3").arg(q(c.name), said(c.before, c.unit), said(c.now, c.unitNow));
            }
    return out.join(QStringLiteral(" · "));
}
} // namespace

base::Result<std::vector<AgainLine>> inspectAllAgain(const QString& path, const std::vector<long long>& ids,
                                                     const inspect::Prepared& with, base::Watch& watch)
{
    std::vector<AgainLine> out(ids.size());
    std::atomic<std::size_t> next{0}, done{0};
    std::mutex mutex;
    std::optional<base::Error> error;
    const auto work = [&] {
        const auto log = records::RecordLog::open(path);
        if (!log) {
            const std::lock_guard lock(mutex);
            error = log.error();
            return;
        }
        for (std::size_t i; !watch.cancel && (i = next++) < ids.size();) {
            AgainLine& l = out[i];
            l.id = ids[i];
            auto again = records::inspectAgain(**log, ids[i], with);
            if (!again) l.error = again.error().message;
            else {
                l.picture = again->row.picture.toStdString(), l.before = again->row.verdict.toStdString();
                l.now = again->verdictNow, l.sentence = again->sentenceNow;
                l.changed = again->verdictChanged(), l.same = again->same();
                for (auto& c : again->checks)
                    if (!c.same()) l.differing.push_back(std::move(c));
            }
            watch.share = double(++done) / double(ids.size());
        }
    };
    std::vector<std::thread> threads;
    for (unsigned i = 1; i < std::max(1u, std::thread::hardware_concurrency()); ++i) threads.emplace_back(work);
    work();
    for (std::thread& t : threads) t.join();
    if (error) return tl::unexpected<base::Error>(*error);
    if (watch.cancel) return base::fail(base::ErrorCode::Cancelled, "stopped");
    return out;
}

AgainDialog::AgainDialog(std::vector<AgainLine> lines, const QString& with, QWidget* parent) : QDialog(parent)
{
    setObjectName(QStringLiteral("againDialog"));
    setWindowTitle(tr("Inspected again"));
    setAttribute(Qt::WA_DeleteOnClose);
    resize(860, 520);
    long long changed = 0, values = 0, same = 0, missing = 0;
    for (const AgainLine& l : lines) {
        if (!l.error.empty()) ++missing;
        else if (l.changed) ++changed;
        else if (l.same) ++same;
        else ++values;
    }
    m_summary = tr("%1 items with %2: %3 with another verdict, %4 with other values, %5 the same to the last bit")
                    .arg(grouped((long long)(lines.size())), with, grouped(changed), grouped(values), grouped(same));
    if (missing > 0) m_summary += tr(", %1 not inspected").arg(grouped(missing));
    std::stable_sort(lines.begin(), lines.end(), [](const AgainLine& a, const AgainLine& b) {
        const auto rank = [](const AgainLine& l) { return l.changed ? 0 : !l.error.empty() ? 2 : l.same ? 3 : 1; };
        return rank(a) < rank(b);
    });
    auto* summary = new QLabel(m_summary, this);
    summary->setObjectName(QStringLiteral("againSummary"));
    summary->setWordWrap(true);
    m_table = new QTableWidget(0, 5, this);
    m_table->setObjectName(QStringLiteral("againTable"));
    m_table->setHorizontalHeaderLabels({tr("Item"), tr("Logged"), tr("Now"), tr("What differs"), tr("Picture")});
    m_table->verticalHeader()->hide();
    m_table->verticalHeader()->setDefaultSectionSize(24);
    m_table->setSelectionBehavior(QAbstractItemView::SelectRows);
    m_table->setSelectionMode(QAbstractItemView::SingleSelection);
    m_table->setEditTriggers(QAbstractItemView::NoEditTriggers);
    m_table->setShowGrid(false);
    m_table->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    const int shown = int(std::min<std::size_t>(lines.size(), 5000)); // the rest is the same or is counted above
    m_table->setRowCount(shown);
    for (int i = 0; i < shown; ++i) {
        const AgainLine& l = lines[std::size_t(i)];
        const QString cells[] = {QString::number(l.id), q(l.before), q(l.now),
                                 !l.error.empty() ? tr("not inspected: %1").arg(q(l.error))
                                 : l.same         ? tr("nothing")
                                                  : differing(l),
                                 QFileInfo(q(l.picture)).fileName()};
        for (int c = 0; c < 5; ++c) {
            auto* item = new QTableWidgetItem(cells[c]);
            item->setToolTip(cells[c]);
            if (l.changed && c == 2) item->setForeground(report::theme().fail);
            m_table->setItem(i, c, item);
        }
    }
    const int widths[] = {64, 74, 74, 430, 160};
    for (int c = 0; c < 5; ++c) m_table->setColumnWidth(c, widths[c]);
    m_table->horizontalHeader()->setStretchLastSection(true);
    connect(m_table, &QTableWidget::itemSelectionChanged, this, [this] {
        if (const auto* item = m_table->item(m_table->currentRow(), 0)) emit wanted(item->text().toLongLong());
    });
    auto* note = new QLabel(tr("Nothing logged has changed. A row leads to its item."), this);
    note->setProperty("aside", true);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close, this);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    auto* layout = new QVBoxLayout(this);
    layout->addWidget(summary);
    layout->addWidget(m_table, 1);
    layout->addWidget(note);
    layout->addWidget(buttons);
}

} // namespace desktop

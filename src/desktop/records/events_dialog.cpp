#include "desktop/records/events_dialog.h"

#include <QComboBox>
#include <QDateTime>
#include <QDialogButtonBox>
#include <QFileInfo>
#include <QHeaderView>
#include <QLabel>
#include <QTableWidget>
#include <QVBoxLayout>
#include <algorithm>

namespace desktop
{
namespace
{
constexpr std::size_t kMostRows = 5000;
// Identities are long; their beginning tells them apart.
QString shortened(const QString& s, bool identity) { return identity ? s.left(12) : s; }
} // namespace

EventsDialog::EventsDialog(const QString& logPath, QWidget* parent) : QDialog(parent)
{
    setObjectName(QStringLiteral("eventsDialog"));
    setWindowTitle(tr("Events"));
    resize(1000, 600);
    auto* whole = new QVBoxLayout(this);
    auto* row = new QHBoxLayout;
    m_what = new QComboBox(this);
    m_what->setObjectName(QStringLiteral("eventKind"));
    m_what->setAccessibleName(tr("Kind of event"));
    m_count = new QLabel(this);
    m_count->setObjectName(QStringLiteral("eventCount"));
    row->addWidget(m_what), row->addWidget(m_count, 1);
    whole->addLayout(row);
    m_table = new QTableWidget(0, 6, this);
    m_table->setObjectName(QStringLiteral("eventTable"));
    m_table->setAccessibleName(tr("Events"));
    m_table->setHorizontalHeaderLabels({tr("when"), tr("who"), tr("what"), tr("of what"), tr("before"), tr("after")});
    m_table->horizontalHeader()->setSectionResizeMode(3, QHeaderView::Stretch);
    m_table->horizontalHeader()->setSectionResizeMode(5, QHeaderView::Stretch);
    m_table->setColumnWidth(0, 150), m_table->setColumnWidth(1, 120), m_table->setColumnWidth(2, 110),
        m_table->setColumnWidth(4, 120);
    m_table->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    m_table->verticalHeader()->hide();
    m_table->verticalHeader()->setDefaultSectionSize(24);
    m_table->setEditTriggers(QAbstractItemView::NoEditTriggers);
    m_table->setShowGrid(false);
    whole->addWidget(m_table, 1);
    auto* close = new QDialogButtonBox(QDialogButtonBox::Close, this);
    connect(close, &QDialogButtonBox::rejected, this, &QDialog::reject);
    whole->addWidget(close);
    if (QFileInfo::exists(logPath)) {
        const auto log = records::RecordLog::open(logPath);
        auto events = log ? (*log)->events() : base::passOn(log.error());
        if (!events) {
            m_count->setText(QString::fromStdString(events.error().text()));
            return;
        }
        m_events = std::move(*events);
    }
    m_what->addItem(tr("all events"), QString());
    QStringList kinds;
    for (const auto& e : m_events)
        if (!kinds.contains(e.what)) kinds << e.what;
    kinds.sort();
    for (const QString& k : kinds) m_what->addItem(k, k);
    connect(m_what, &QComboBox::currentIndexChanged, this, &EventsDialog::fill);
    fill();
}

void EventsDialog::fill()
{
    const QString wanted = m_what->currentData().toString();
    std::vector<const records::EventRow*> shown;
    for (auto e = m_events.rbegin(); e != m_events.rend(); ++e)
        if (wanted.isEmpty() || e->what == wanted) shown.push_back(&*e);
    m_count->setText(shown.empty()              ? tr("nothing yet")
                     : shown.size() > kMostRows ? tr("the newest %1 of %2").arg(kMostRows).arg(shown.size())
                                                : tr("%1 events").arg(shown.size()));
    shown.resize(std::min(shown.size(), kMostRows));
    m_table->setRowCount(int(shown.size()));
    for (int i = 0; i < int(shown.size()); ++i) {
        const records::EventRow& e = *shown[std::size_t(i)];
        const bool release = e.what == QLatin1String("release");
        const QString when = QDateTime::fromString(e.at, Qt::ISODateWithMs)
                                 .toLocalTime()
                                 .toString(QStringLiteral("yyyy-MM-dd hh:mm:ss"));
        const QString subject = release ? tr("%1 revision %2").arg(e.subject).arg(e.revision) : e.subject;
        const QString cells[] = {
            when, e.by, e.what, subject, shortened(e.before, release), shortened(e.after, release)};
        for (int c = 0; c < 6; ++c) {
            auto* item = new QTableWidgetItem(cells[c]);
            item->setToolTip(c == 4 ? e.before : c == 5 ? e.after : cells[c]);
            m_table->setItem(i, c, item);
        }
    }
}

} // namespace desktop

#include "desktop/records/records_page.h"

#include "desktop/records/events_dialog.h"
#include "report/theme.h"

#include <QComboBox>
#include <QDateTime>
#include <QFileInfo>
#include <QHeaderView>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSplitter>
#include <QStyledItemDelegate>
#include <QTableWidget>
#include <QVBoxLayout>

namespace desktop
{
using report::theme;

namespace
{
// Verdicts keep their sign and word beside the colour.
class VerdictDelegate : public QStyledItemDelegate
{
public:
    using QStyledItemDelegate::QStyledItemDelegate;
    void paint(QPainter* p, const QStyleOptionViewItem& option, const QModelIndex& index) const override
    {
        const QString word = index.data().toString();
        if (option.state & QStyle::State_Selected) p->fillRect(option.rect, theme().selected);
        const QRectF sign(option.rect.left() + 6, option.rect.center().y() - 6, 13, 13);
        QColor colour = theme().ink;
        if (word == QLatin1String("accept") || word == QLatin1String("pass"))
            report::drawTick(*p, sign, colour = theme().pass, 1.8);
        else if (word == QLatin1String("reject") || word == QLatin1String("fail"))
            report::drawCross(*p, sign, colour = theme().fail, 2.2);
        else if (word == QLatin1String("unjudged")) report::drawDash(*p, sign, colour, 1.6);
        else if (word == QLatin1String("not measured")) report::hatch(*p, sign, colour = theme().notMeasured, 4);
        p->setPen(colour);
        p->setFont(report::uiFont(13));
        p->drawText(option.rect.adjusted(24, 0, 0, 0), Qt::AlignVCenter, word);
    }
};

QTableWidget* makeTable(const QStringList& heads, const char* name, QWidget* parent)
{
    auto* t = new QTableWidget(0, int(heads.size()), parent);
    t->setObjectName(QLatin1String(name));
    t->setHorizontalHeaderLabels(heads);
    t->verticalHeader()->hide();
    t->verticalHeader()->setDefaultSectionSize(24);
    t->setSelectionBehavior(QAbstractItemView::SelectRows);
    t->setSelectionMode(QAbstractItemView::SingleSelection);
    t->setEditTriggers(QAbstractItemView::NoEditTriggers);
    t->setShowGrid(false);
    t->setFrameShape(QFrame::NoFrame);
    t->horizontalHeader()->setHighlightSections(false);
    t->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    return t;
}
void put(QTableWidget* t, int row, int column, const QString& text, bool right = false)
{
    auto* item = new QTableWidgetItem(text);
    if (right) item->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
    t->setItem(row, column, item);
}
} // namespace

RecordsPage::RecordsPage(QString logPath, QWidget* parent) : QWidget(parent), m_path(std::move(logPath))
{
    setObjectName(QStringLiteral("recordsPage"));
    m_verdict = new QComboBox(this);
    m_verdict->setObjectName(QStringLiteral("verdictFilter"));
    m_verdict->setAccessibleName(tr("Verdict"));
    m_verdict->addItem(tr("all verdicts"), QString());
    m_verdict->addItem(tr("accepted"), QStringLiteral("accept"));
    m_verdict->addItem(tr("rejects"), QStringLiteral("reject"));
    m_verdict->addItem(tr("unjudged"), QStringLiteral("unjudged"));
    m_verdict->addItem(tr("unreadable"), QStringLiteral("error"));
    m_text = new QLineEdit(this);
    m_text->setObjectName(QStringLiteral("textFilter"));
    m_text->setPlaceholderText(tr("picture, batch, recipe or fault"));
    m_text->setClearButtonEnabled(true);
    m_count = new QLabel(this);
    m_count->setObjectName(QStringLiteral("recordCount"));
    m_hint = new QLabel(this);
    m_hint->setObjectName(QStringLiteral("recordsHint"));
    m_hint->setAlignment(Qt::AlignCenter);
    m_hint->setWordWrap(true);
    m_table = makeTable({tr("No."), tr("When"), tr("Verdict"), tr("Fault"), tr("Picture"), tr("Item"), tr("Batch"),
                         tr("Recipe"), tr("Rev.")},
                        "recordsTable", this);
    m_table->setItemDelegateForColumn(2, new VerdictDelegate(m_table));
    const int widths[] = {44, 162, 84, 232, 100, 38, 62, 92, 30};
    for (int i = 0; i < 9; ++i) m_table->setColumnWidth(i, widths[i]);
    m_table->horizontalHeader()->setStretchLastSection(true);
    m_values =
        makeTable({tr("Check"), tr("Value"), tr("Unit"), tr("Low"), tr("High"), tr("Verdict")}, "valuesTable", this);
    m_values->setItemDelegateForColumn(5, new VerdictDelegate(m_values));
    const int valueWidths[] = {128, 74, 44, 64, 64, 100};
    for (int i = 0; i < 6; ++i) m_values->setColumnWidth(i, valueWidths[i]);
    m_values->horizontalHeader()->setStretchLastSection(true);
    m_valuesTitle = new QLabel(this);
    m_valuesTitle->setObjectName(QStringLiteral("valuesTitle"));
    m_valuesTitle->setContentsMargins(12, 4, 12, 4);
    m_valuesTitle->setProperty("aside", true);
    m_valuesTitle->setWordWrap(true);

    auto* line = new QHBoxLayout;
    line->setContentsMargins(12, 8, 12, 8);
    line->addWidget(m_verdict);
    line->addSpacing(8);
    line->addWidget(m_text, 1);
    line->addSpacing(12);
    line->addWidget(m_count);
    auto* events = new QPushButton(tr("Events…"), this);
    events->setObjectName(QStringLiteral("showEvents"));
    events->setToolTip(tr("Releases, limits moved, verdicts overruled, signing in, faults: who, when, old and new"));
    connect(events, &QPushButton::clicked, this, [this] { EventsDialog(m_path, this).exec(); });
    line->addSpacing(12);
    line->addWidget(events);
    auto* right = new QWidget(this);
    auto* rightLayout = new QVBoxLayout(right);
    rightLayout->setContentsMargins(0, 0, 0, 0);
    rightLayout->addWidget(m_valuesTitle);
    rightLayout->addWidget(m_values, 1);
    auto* split = new QSplitter(Qt::Horizontal, this);
    split->setObjectName(QStringLiteral("recordsSplitter"));
    split->addWidget(m_table);
    split->addWidget(right);
    split->setSizes({790, 490});
    split->setChildrenCollapsible(false);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(0);
    layout->addLayout(line);
    layout->addWidget(m_hint);
    layout->addWidget(split, 1);
    connect(m_verdict, &QComboBox::currentIndexChanged, this, &RecordsPage::refresh);
    connect(m_text, &QLineEdit::textChanged, this, &RecordsPage::refresh);
    connect(m_table, &QTableWidget::itemSelectionChanged, this, &RecordsPage::showValues);
}

void RecordsPage::refresh()
{
    m_hint->clear();
    if (!m_log && QFileInfo::exists(m_path)) {
        auto opened = records::RecordLog::open(m_path);
        if (opened) m_log = std::move(*opened);
        else m_hint->setText(QString::fromStdString(opened.error().text()));
    }
    records::Filter filter;
    filter.verdict = m_verdict->currentData().toString();
    filter.text = m_text->text();
    std::vector<records::ItemRow> rows;
    records::RecordLog::Counts counts;
    if (m_log) {
        auto items = m_log->items(filter);
        auto n = m_log->counts(filter);
        if (!items) m_hint->setText(QString::fromStdString(items.error().text()));
        else rows = std::move(*items);
        if (n) counts = *n;
    }
    const QSignalBlocker quiet(m_table);
    m_table->setRowCount(int(rows.size()));
    for (int i = 0; i < int(rows.size()); ++i) {
        const auto& r = rows[std::size_t(i)];
        put(m_table, i, 0, QString::number(r.id));
        put(m_table, i, 1,
            QDateTime::fromString(r.at, Qt::ISODateWithMs)
                .toLocalTime()
                .toString(QStringLiteral("yyyy-MM-dd hh:mm:ss")));
        put(m_table, i, 2, r.verdict);
        put(m_table, i, 3,
            r.overruled.isEmpty()
                ? r.sentence
                : tr("overruled: %1 · %2").arg(r.overruled, r.sentence.isEmpty() ? r.overruledWhy : r.sentence));
        put(m_table, i, 4, QFileInfo(r.picture).fileName());
        put(m_table, i, 5, QString::number(r.item));
        put(m_table, i, 6, r.batch);
        put(m_table, i, 7, r.recipe);
        put(m_table, i, 8, QString::number(r.revision));
        for (int c = 0; c < 9; ++c) m_table->item(i, c)->setToolTip(m_table->item(i, c)->text());
    }
    m_count->setText(
        counts.items > (long long)(rows.size())
            ? tr("the newest %1 of %2 items, %3 rejects").arg(rows.size()).arg(counts.items).arg(counts.rejects)
            : tr("%1 items, %2 rejects").arg(counts.items).arg(counts.rejects));
    if (rows.empty() && m_hint->text().isEmpty())
        m_hint->setText(filter.verdict.isEmpty() && filter.text.isEmpty()
                            ? tr("Nothing logged yet. Items inspected in Run (Ctrl+2) land here.")
                            : tr("No item fits this filter."));
    m_hint->setVisible(!m_hint->text().isEmpty());
    m_hint->setContentsMargins(24, 12, 24, 12);
    if (!rows.empty()) m_table->selectRow(0);
    showValues();
}

namespace
{
// "10: 1.20; 1.19; …": how many, then the numbers themselves.
template <class Number> QString listText(const records::ValueRow& v, Number number)
{
    QStringList all;
    for (const double x : v.values) all << number(x);
    return QStringLiteral("%1: ").arg(all.size()) + all.join(QStringLiteral("; "));
}
} // namespace

void RecordsPage::showValues()
{
    m_values->setRowCount(0);
    m_valuesTitle->clear();
    const int row = m_table->currentRow();
    if (!m_log || row < 0 || !m_table->item(row, 0)) return;
    const long long id = m_table->item(row, 0)->text().toLongLong();
    QString title = tr("item %1 · %2 · %3").arg(id).arg(m_table->item(row, 1)->text(), m_table->item(row, 4)->text());
    if (const auto item = m_log->item(id)) {
        title += QStringLiteral("\n") + tr("revision %1").arg(item->revision);
        if (!item->by.isEmpty()) title += tr(", released by %1").arg(item->by);
        if (!item->station.isEmpty()) title += tr(" · station %1").arg(item->station);
        title += QStringLiteral("\n") + (item->kept.isEmpty()
                                             ? tr("picture not kept: %1").arg(item->notKept)
                                             : tr("picture kept: %1").arg(QFileInfo(item->kept).fileName().left(12)));
        if (!item->overruled.isEmpty())
            title += QStringLiteral("\n") +
                     tr("overruled: %1 by %2: %3").arg(item->overruled, item->overruledBy, item->overruledWhy);
        for (const QString& w : item->warnings) title += QStringLiteral("\n") + tr("beware: %1").arg(w);
        m_valuesTitle->setToolTip(item->kept);
    }
    m_valuesTitle->setWordWrap(true);
    m_valuesTitle->setText(title);
    auto values = m_log->values(id);
    if (!values) return m_valuesTitle->setText(QString::fromStdString(values.error().text()));
    m_values->setRowCount(int(values->size()));
    for (int i = 0; i < int(values->size()); ++i) {
        const auto& v = (*values)[std::size_t(i)];
        const auto unit = base::unitFrom(v.unit.toStdString()).value_or(base::Unit::None);
        const auto number = [&](const std::optional<double>& x) {
            return x ? QString::fromStdString(base::toText(*x, unit)).remove(v.unit).trimmed() : QStringLiteral("–");
        };
        put(m_values, i, 0, v.name);
        put(m_values, i, 1,
            v.list && !v.values.empty() ? listText(v, number)
            : v.values.empty()          ? QStringLiteral("–")
                                        : number(v.values.front()),
            true);
        put(m_values, i, 2, v.unit);
        const bool own = !v.elements.empty();
        put(m_values, i, 3, own ? tr("each its own") : number(v.low), true);
        put(m_values, i, 4, own ? tr("each its own") : number(v.high), true);
        put(m_values, i, 5, v.verdict == QLatin1String("not_measured") ? QStringLiteral("not measured") : v.verdict);
        // A list is read in full: a number a line, in order.
        QString whole = v.reason;
        for (std::size_t k = 0; k < v.elements.size() && k < 200; ++k) {
            const auto& e = v.elements[k];
            whole += (whole.isEmpty() ? QString() : QStringLiteral("\n")) +
                     tr("%1: %2 %3, limits %4 to %5, %6")
                         .arg(e.name, number(e.value), v.unit, number(e.low), number(e.high),
                              !e.value                                     ? tr("missing")
                              : e.verdict == QLatin1String("not_measured") ? tr("not measured")
                                                                           : e.verdict);
        }
        if (v.list && !own)
            for (std::size_t k = 0; k < v.values.size() && k < 200; ++k)
                whole += (whole.isEmpty() ? QString() : QStringLiteral("\n")) + QStringLiteral("%1: ").arg(k + 1) +
                         number(v.values[k]) + QStringLiteral(" ") + v.unit;
        if (v.nominal)
            whole += (whole.isEmpty() ? QString() : QStringLiteral("\n")) +
                     tr("nominal %1 %2").arg(number(v.nominal), v.unit);
        for (int c = 0; c < 6; ++c) m_values->item(i, c)->setToolTip(whole);
    }
}

} // namespace desktop

#include "desktop/fault_list.h"

#include "report/theme.h"

#include <QKeyEvent>
#include <QLabel>
#include <QListWidget>
#include <QPainter>
#include <QPushButton>
#include <QStyledItemDelegate>
#include <QToolButton>
#include <QVBoxLayout>
#include <algorithm>

namespace desktop
{

namespace
{
QString q(const std::string& s) { return QString::fromStdString(s); }

// ✕, number, name bold, why thinner, what was decided at the right.
class FaultRow : public QStyledItemDelegate
{
public:
    using QStyledItemDelegate::QStyledItemDelegate;
    QSize sizeHint(const QStyleOptionViewItem&, const QModelIndex&) const override { return {200, 26}; }
    void paint(QPainter* p, const QStyleOptionViewItem& o, const QModelIndex& i) const override
    {
        const report::Theme& th = report::theme();
        p->save();
        if (o.state & QStyle::State_Selected) p->fillRect(o.rect, th.selected);
        const bool measured = i.data(Qt::UserRole + 3).toBool();
        const QRect r = o.rect.adjusted(8, 0, -8, 0);
        const QColor& mark = measured ? th.fail : th.notMeasured;
        p->setFont(report::uiFont(13, true));
        p->setPen(mark);
        p->drawText(QRect(r.left(), r.top(), 16, r.height()), Qt::AlignVCenter,
                    measured ? QStringLiteral("✕") : QStringLiteral("?"));
        int x = r.left() + 20;
        const QString number = i.data(Qt::UserRole).toString(), name = i.data(Qt::UserRole + 1).toString(),
                      detail = i.data(Qt::UserRole + 2).toString(), decided = i.data(Qt::UserRole + 4).toString();
        p->drawText(QRect(x, r.top(), 46, r.height()), Qt::AlignVCenter, number);
        x += 50;
        p->setFont(report::uiFont(12));
        const int right =
            decided.isEmpty() ? 0 : std::min(p->fontMetrics().horizontalAdvance(decided) + 8, r.width() / 2);
        p->setFont(report::uiFont(13, true));
        const int room = r.right() - right - x;
        const QString bold = p->fontMetrics().elidedText(name, Qt::ElideRight, std::max(40, room));
        p->drawText(QRect(x, r.top(), room, r.height()), Qt::AlignVCenter, bold);
        x += p->fontMetrics().horizontalAdvance(bold) + 12;
        p->setFont(report::uiFont(12));
        p->setPen(th.second);
        if (r.right() - right - x > 40)
            p->drawText(QRect(x, r.top(), r.right() - right - x, r.height()), Qt::AlignVCenter,
                        p->fontMetrics().elidedText(detail, Qt::ElideRight, r.right() - right - x));
        p->setPen(th.ink);
        p->drawText(QRect(r.right() - right, r.top(), right, r.height()), Qt::AlignVCenter | Qt::AlignRight,
                    p->fontMetrics().elidedText(decided, Qt::ElideRight, right));
        p->restore();
    }
};
} // namespace

QString FaultDecision::words() const
{
    QString out = confirmed ? QObject::tr("confirmed") : QObject::tr("overruled");
    if (!by.isEmpty()) out += QStringLiteral(" ") + by;
    return why.isEmpty() ? out : out + QStringLiteral(": ") + why;
}

FaultList::FaultList(QWidget* parent) : QWidget(parent)
{
    setObjectName(QStringLiteral("faultList"));
    setAccessibleName(tr("Faults, worst first"));
    setAutoFillBackground(true);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(1, 1, 1, 1);
    layout->setSpacing(0);
    auto* head = new QHBoxLayout;
    head->setContentsMargins(8, 3, 4, 3);
    m_head = new QLabel(this);
    m_head->setObjectName(QStringLiteral("faultsHead"));
    m_head->setFont(report::uiFont(13, true));
    head->addWidget(m_head, 1);
    const auto button = [&](const char* name, const QString& text, const QString& help) {
        auto* b = new QPushButton(text, this);
        b->setObjectName(QLatin1String(name));
        b->setToolTip(help);
        b->setAutoDefault(false);
        head->addWidget(b);
        return b;
    };
    m_confirm = button("confirmFault", tr("Confirm  ⏎"), tr("It is a fault  (Enter in the list)"));
    m_overrule = button("overruleFault", tr("Overrule…"), tr("It is none: asks why  (Shift+Enter in the list)"));
    auto* close = new QToolButton(this);
    close->setObjectName(QStringLiteral("closeFaults"));
    close->setText(QStringLiteral("×"));
    close->setToolTip(tr("Closes the list; the full stop brings it back  (Esc)"));
    close->setAccessibleName(tr("Close"));
    head->addWidget(close);
    layout->addLayout(head);
    m_list = new QListWidget(this);
    m_list->setObjectName(QStringLiteral("faults"));
    m_list->setAccessibleName(tr("Faults"));
    m_list->setItemDelegate(new FaultRow(m_list));
    m_list->setFrameShape(QFrame::NoFrame);
    m_list->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    m_list->installEventFilter(this);
    layout->addWidget(m_list, 1);
    connect(m_confirm, &QPushButton::clicked, this, [this] { decide(true); });
    connect(m_overrule, &QPushButton::clicked, this, [this] { decide(false); });
    connect(close, &QToolButton::clicked, this, &FaultList::closed);
    connect(m_list, &QListWidget::currentRowChanged, this, [this](int row) {
        refreshButtons();
        if (!m_filling && row >= 0 && std::size_t(row) < m_faults.size()) emit led(m_faults[std::size_t(row)]);
    });
    hide();
}

QString FaultList::head() const { return m_head->text(); }

void FaultList::show(const QString& of, std::vector<inspect::Fault> faults,
                     std::map<std::string, FaultDecision> decided)
{
    const inspect::Fault* before = chosen();
    const std::string key = before ? before->key() : std::string();
    m_faults = std::move(faults), m_decided = std::move(decided);
    m_filling = true;
    m_list->clear();
    int row = m_faults.empty() ? -1 : 0, said = 0;
    for (std::size_t i = 0; i < m_faults.size(); ++i) {
        const inspect::Fault& f = m_faults[i];
        const auto d = m_decided.find(f.said());
        said += d != m_decided.end();
        auto* item = new QListWidgetItem(m_list);
        const QString words = d == m_decided.end() ? tr("open") : d->second.words();
        item->setData(Qt::UserRole, q(f.number));
        item->setData(Qt::UserRole + 1, q(f.name));
        item->setData(Qt::UserRole + 2, q(f.detail));
        item->setData(Qt::UserRole + 3, f.measured);
        item->setData(Qt::UserRole + 4, words);
        item->setToolTip(QStringLiteral("%1 %2\n%3\n%4").arg(q(f.number), q(f.name), q(f.detail), words));
        item->setData(Qt::AccessibleTextRole, QStringLiteral("%1 %2, %3").arg(q(f.number), q(f.name), words));
        if (f.key() == key) row = int(i);
    }
    m_list->setCurrentRow(row);
    m_filling = false;
    m_head->setText(m_faults.empty() ? tr("Faults of %1: none").arg(of)
                                     : tr("Faults of %1: %2, worst first%3")
                                           .arg(of)
                                           .arg(m_faults.size())
                                           .arg(said ? tr(" · %1 decided").arg(said) : QString()));
    refreshButtons();
}

const inspect::Fault* FaultList::chosen() const
{
    const int row = m_list->currentRow();
    return row >= 0 && std::size_t(row) < m_faults.size() ? &m_faults[std::size_t(row)] : nullptr;
}

void FaultList::walk(int by)
{
    const int n = int(m_faults.size());
    if (n == 0) return;
    const int row = m_list->currentRow();
    const int to = row < 0 ? 0 : ((row + by) % n + n) % n;
    if (to == row) emit led(m_faults[std::size_t(to)]);
    m_list->setCurrentRow(to);
}

void FaultList::decide(bool confirmed)
{
    if (const inspect::Fault* f = chosen()) emit decided(*f, confirmed);
}

void FaultList::refreshButtons()
{
    m_confirm->setEnabled(chosen() != nullptr), m_overrule->setEnabled(chosen() != nullptr);
}

// The list keeps Enter to itself; the window's own Enter is not meant while it has the keyboard.
bool FaultList::eventFilter(QObject* of, QEvent* e)
{
    if (of == m_list && (e->type() == QEvent::KeyPress || e->type() == QEvent::ShortcutOverride)) {
        auto* key = static_cast<QKeyEvent*>(e);
        if (key->key() == Qt::Key_Return || key->key() == Qt::Key_Enter) {
            e->accept();
            if (e->type() == QEvent::KeyPress) decide(!(key->modifiers() & Qt::ShiftModifier));
            return true;
        }
        if (key->key() == Qt::Key_Escape) {
            e->accept();
            if (e->type() == QEvent::KeyPress) emit closed();
            return true;
        }
    }
    return QWidget::eventFilter(of, e);
}

void FaultList::paintEvent(QPaintEvent*)
{
    QPainter p(this);
    p.setPen(QPen(report::theme().ink, 1));
    p.setBrush(report::theme().paper);
    p.drawRect(rect().adjusted(0, 0, -1, -1));
}

void FaultList::keyPressEvent(QKeyEvent* e)
{
    if (e->key() == Qt::Key_Escape) return emit closed();
    QWidget::keyPressEvent(e);
}

} // namespace desktop

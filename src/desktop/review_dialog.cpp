#include "desktop/review_dialog.h"

#include <QDialogButtonBox>
#include <QHeaderView>
#include <QLabel>
#include <QPushButton>
#include <QTableWidget>
#include <QVBoxLayout>

namespace desktop
{

ReviewDialog::ReviewDialog(Session& session, QWidget* parent) : QDialog(parent), m_session(session)
{
    setObjectName(QStringLiteral("reviewDialog"));
    setWindowTitle(tr("Review of the recipe"));
    resize(1040, 420);
    auto* whole = new QVBoxLayout(this);
    m_state = new QLabel(this);
    m_state->setObjectName(QStringLiteral("reviewState"));
    m_state->setWordWrap(true);
    whole->addWidget(m_state);
    m_table = new QTableWidget(0, 4, this);
    m_table->setObjectName(QStringLiteral("findings"));
    m_table->setAccessibleName(tr("Doubtful things"));
    m_table->setHorizontalHeaderLabels({tr("doubt"), tr("about"), tr("what is doubtful"), tr("what to do")});
    m_table->horizontalHeader()->setSectionResizeMode(QHeaderView::ResizeToContents);
    m_table->horizontalHeader()->setSectionResizeMode(2, QHeaderView::Stretch);
    m_table->verticalHeader()->hide();
    m_table->setWordWrap(true);
    m_table->setEditTriggers(QAbstractItemView::NoEditTriggers);
    m_table->setSelectionBehavior(QAbstractItemView::SelectRows);
    m_table->setSelectionMode(QAbstractItemView::SingleSelection);
    connect(m_table, &QTableWidget::itemActivated, this, [this](QTableWidgetItem* i) { emit wanted(i->row()); });
    connect(m_table, &QTableWidget::itemClicked, this, [this](QTableWidgetItem* i) { emit wanted(i->row()); });
    whole->addWidget(m_table, 1);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close, this);
    m_convert = buttons->addButton(tr("Convert all limits"), QDialogButtonBox::ActionRole);
    m_convert->setObjectName(QStringLiteral("reviewConvert"));
    connect(m_convert, &QPushButton::clicked, &m_session, &Session::convertLimits);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::hide);
    whole->addWidget(buttons);
}

void ReviewDialog::setFindings(const std::vector<inspect::Finding>& findings, bool complete)
{
    m_findings = findings;
    const int row = m_table->currentRow();
    m_table->setRowCount(int(findings.size()));
    bool units = false;
    for (int i = 0; i < int(findings.size()); ++i) {
        const inspect::Finding& f = findings[std::size_t(i)];
        units = units || f.doubt == inspect::Doubt::Unit;
        const QString texts[] = {QString::fromLatin1(inspect::title(f.doubt)), QString::fromStdString(f.subject),
                                 QString::fromStdString(f.text), QString::fromStdString(f.remedy)};
        for (int k = 0; k < 4; ++k) {
            auto* item = new QTableWidgetItem(texts[k]);
            item->setToolTip(texts[k]);
            m_table->setItem(i, k, item);
        }
    }
    m_table->resizeRowsToContents();
    if (row >= 0 && row < m_table->rowCount()) m_table->selectRow(row);
    m_convert->setVisible(units);
    m_state->setText(
        (findings.empty() ? tr("Nothing doubtful was found. That is no proof: it says what was looked at.")
         : findings.size() == 1
             ? tr("One thing to look at. A click leads there, F3 walks on.")
             : tr("%1 things to look at. A click leads there, F3 walks through them.").arg(findings.size())) +
        (complete ? QString() : tr(" Some trials have not answered yet.")));
}

void ReviewDialog::choose(int finding)
{
    if (finding >= 0 && finding < m_table->rowCount()) m_table->selectRow(finding);
}

} // namespace desktop

#include "desktop/proposals_dialog.h"

#include <QComboBox>
#include <QDialogButtonBox>
#include <QFileInfo>
#include <QFormLayout>
#include <QHeaderView>
#include <QLabel>
#include <QPushButton>
#include <QTableWidget>
#include <QVBoxLayout>
#include <algorithm>

namespace desktop
{
using namespace recipe;

namespace
{
QString q(const std::string& s) { return QString::fromStdString(s); }
} // namespace

ProposalsDialog::ProposalsDialog(Session& session, QWidget* parent) : QDialog(parent), m_session(session)
{
    setObjectName(QStringLiteral("proposalsDialog"));
    setWindowTitle(tr("Propose limits"));
    resize(1040, 560);
    auto* whole = new QVBoxLayout(this);
    auto* form = new QFormLayout;
    m_from = new QComboBox(this);
    m_from->setObjectName(QStringLiteral("proposeFrom"));
    m_from->addItems({tr("good and bad trials"), tr("a complete sample and one with a gap")});
    form->addRow(tr("From"), m_from);
    const auto trials = [&](const char* name) {
        auto* box = new QComboBox(this);
        box->setObjectName(QLatin1String(name));
        for (int t = 0; t < session.trialCount(); ++t)
            box->addItem(tr("trial %1, %2")
                             .arg(t + 1)
                             .arg(QFileInfo(q(session.recipe().trials[std::size_t(t)].picture)).fileName()));
        connect(box, &QComboBox::currentIndexChanged, this, [this] { refresh(); });
        return box;
    };
    m_complete = trials("completeSample");
    m_gap = trials("gapSample");
    m_complete->setCurrentIndex(std::max(0, session.trial()));
    form->addRow(tr("Complete"), m_complete);
    form->addRow(tr("With a gap"), m_gap);
    whole->addLayout(form);
    m_table = new QTableWidget(0, 6, this);
    m_table->setObjectName(QStringLiteral("proposalTable"));
    m_table->setHorizontalHeaderLabels(
        {tr("check"), tr("good"), tr("bad"), tr("proposed"), tr("margin"), tr("would decide")});
    m_table->horizontalHeader()->setSectionResizeMode(QHeaderView::ResizeToContents);
    m_table->horizontalHeader()->setStretchLastSection(true);
    m_table->verticalHeader()->hide();
    m_table->setEditTriggers(QAbstractItemView::NoEditTriggers);
    whole->addWidget(m_table, 1);
    m_state = new QLabel(this);
    m_state->setObjectName(QStringLiteral("proposalState"));
    m_state->setWordWrap(true);
    whole->addWidget(m_state);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Cancel, this);
    m_take = buttons->addButton(tr("Take what is ticked"), QDialogButtonBox::AcceptRole);
    m_take->setObjectName(QStringLiteral("takeProposals"));
    connect(buttons, &QDialogButtonBox::accepted, this, &ProposalsDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    whole->addWidget(buttons);
    connect(m_from, &QComboBox::currentIndexChanged, this, [this] { refresh(); });
    refresh();
}

void ProposalsDialog::refresh()
{
    if (!m_take) return; // not made yet
    const Recipe& r = m_session.recipe();
    const bool pair = m_from->currentIndex() == 1;
    for (QComboBox* box : {m_complete, m_gap}) {
        box->setVisible(pair);
        if (auto* form = qobject_cast<QFormLayout*>(layout()->itemAt(0)->layout()))
            form->labelForField(box)->setVisible(pair);
    }
    m_proposals.clear();
    QStringList refused;
    if (!pair) {
        m_proposals = inspect::proposeAll(r, m_session.results());
    } else {
        const auto *full = m_session.result(m_complete->currentIndex()), *gap = m_session.result(m_gap->currentIndex());
        if (full && gap)
            for (const Step& s : r.steps)
                for (const Check& c : s.checks) {
                    auto p = inspect::proposeFromPair(r, *full, *gap, s.id, c.output);
                    if (p) m_proposals.push_back(std::move(*p));
                    else if (s.id == m_session.selected())
                        refused << q(c.name) + QStringLiteral(": ") + q(p.error().message);
                }
    }
    m_table->setRowCount(0);
    const auto range = [&](const inspect::Proposal& p, const std::vector<double>& v) {
        if (v.empty()) return QString(QStringLiteral("–"));
        const auto [low, high] = std::minmax_element(v.begin(), v.end());
        const QString a = q(base::toText(*low, p.unit, r.shownIn)), b = q(base::toText(*high, p.unit, r.shownIn));
        return a == b ? a : a + QStringLiteral(" .. ") + b;
    };
    for (const auto& p : m_proposals) {
        const int n = m_table->rowCount();
        m_table->insertRow(n);
        const base::Unit unit = base::shownAs(p.unit, r.shownIn);
        bool has = false;
        for (const Step& s : r.steps)
            for (const Check& c : s.checks)
                if (s.id == p.step && c.output == p.output) has = c.limits.any() || !c.elements.empty();
        auto* name = new QTableWidgetItem(q(p.name));
        name->setFlags(Qt::ItemIsEnabled | Qt::ItemIsUserCheckable);
        // What has limits already is not overwritten by chance.
        name->setCheckState(has ? Qt::Unchecked : Qt::Checked);
        m_table->setItem(n, 0, name);
        m_table->setItem(n, 1, new QTableWidgetItem(range(p, p.good)));
        m_table->setItem(n, 2, new QTableWidgetItem(range(p, p.bad)));
        m_table->setItem(n, 3, new QTableWidgetItem(q(p.limits.in(unit).text() + " " + base::symbol(unit))));
        m_table->setItem(n, 4, new QTableWidgetItem(q(base::toText(p.margin, p.unit, r.shownIn))));
        m_table->setItem(n, 5,
                         new QTableWidgetItem(tr("%1 of %2 good pass, %3 of %4 bad fail%5")
                                                  .arg(p.goodPass)
                                                  .arg(p.good.size())
                                                  .arg(p.badCaught)
                                                  .arg(p.bad.size())
                                                  .arg(has ? tr(" · has limits") : QString())));
    }
    m_take->setEnabled(!m_proposals.empty());
    m_state->setText(!refused.isEmpty() ? refused.join(QStringLiteral("\n"))
                     : m_proposals.empty()
                         ? pair ? tr("These two samples differ in no value the right way round: equal or swapped "
                                     "samples give no limits.")
                                : tr("No trial has a value yet: add pictures and label some of them good.")
                         : QString());
}

void ProposalsDialog::accept()
{
    const Recipe& old = m_session.recipe();
    std::vector<const inspect::Proposal*> chosen;
    for (int i = 0; i < m_table->rowCount(); ++i)
        if (m_table->item(i, 0)->checkState() == Qt::Checked) chosen.push_back(&m_proposals[std::size_t(i)]);
    if (chosen.empty()) return m_state->setText(tr("Nothing is ticked"));
    const base::Unit length = old.shownIn;
    m_session.change(tr("proposed limits"), [&](Recipe& r) {
        for (const auto* p : chosen)
            if (Step* s = r.find(p->step))
                for (Check& c : s->checks)
                    if (c.output == p->output)
                        c.limits = p->limits.in(base::shownAs(p->unit, length)), c.elements.clear(),
                        c.match = Match::Order;
    });
    QDialog::accept();
}

} // namespace desktop

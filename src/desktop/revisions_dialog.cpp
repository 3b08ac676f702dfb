#include "desktop/revisions_dialog.h"

#include "desktop/words.h"
#include "recipe/differences.h"
#include "recipe/history.h"
#include "report/theme.h"

#include <QComboBox>
#include <QDateTime>
#include <QDialogButtonBox>
#include <QFileInfo>
#include <QHeaderView>
#include <QLabel>
#include <QListWidget>
#include <QProgressBar>
#include <QPushButton>
#include <QSplitter>
#include <QTableWidget>
#include <QVBoxLayout>

namespace desktop
{
using namespace recipe;

namespace
{
QString q(const std::string& s) { return QString::fromStdString(s); }
QString when(const std::string& at)
{
    const QDateTime t = QDateTime::fromString(q(at), Qt::ISODateWithMs).toLocalTime();
    return t.isValid() ? t.toString(QStringLiteral("yyyy-MM-dd hh:mm")) : q(at);
}
QTableWidget* table(const char* name, const QStringList& heads, QWidget* parent)
{
    auto* t = new QTableWidget(0, int(heads.size()), parent);
    t->setObjectName(QLatin1String(name));
    t->setHorizontalHeaderLabels(heads);
    t->verticalHeader()->hide();
    t->verticalHeader()->setDefaultSectionSize(26);
    t->setSelectionBehavior(QAbstractItemView::SelectRows);
    t->setSelectionMode(QAbstractItemView::SingleSelection);
    t->setEditTriggers(QAbstractItemView::NoEditTriggers);
    t->setShowGrid(false);
    t->setWordWrap(false);
    t->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    t->horizontalHeader()->setSectionResizeMode(QHeaderView::ResizeToContents);
    t->horizontalHeader()->setSectionResizeMode(int(heads.size()) - 1, QHeaderView::Stretch);
    return t;
}
void put(QTableWidget* t, int row, int column, const QString& text)
{
    auto* i = new QTableWidgetItem(text);
    i->setToolTip(text);
    t->setItem(row, column, i);
}
QString outcomeWord(const Recipe& r, inspect::Outcome o)
{
    return o == inspect::Outcome::Accept   ? q(r.acceptWord)
           : o == inspect::Outcome::Reject ? q(r.rejectWord)
                                           : QObject::tr("unjudged");
}
} // namespace

RevisionsDialog::RevisionsDialog(Session& session, QWidget* parent) : QDialog(parent), m_session(session), m_work(this)
{
    setObjectName(QStringLiteral("revisionsDialog"));
    setWindowTitle(tr("Revisions"));
    resize(1080, 680);
    auto* whole = new QVBoxLayout(this);
    auto* split = new QSplitter(Qt::Vertical, this);
    split->setChildrenCollapsible(false);
    m_table = table("revisions", {tr("revision"), tr("when"), tr("who"), tr("changes"), tr("why")}, this);
    m_table->setAccessibleName(tr("Revisions, newest first"));
    split->addWidget(m_table);
    auto* lower = new QWidget(split);
    auto* layout = new QVBoxLayout(lower);
    layout->setContentsMargins(0, 4, 0, 0);
    auto* row = new QHBoxLayout;
    m_head = new QLabel(lower);
    m_head->setObjectName(QStringLiteral("compareHead"));
    m_head->setFont(report::uiFont(15, true));
    row->addWidget(m_head, 1);
    auto* label = new QLabel(tr("Compare &with"), lower);
    m_with = new QComboBox(lower);
    m_with->setObjectName(QStringLiteral("compareWith"));
    m_with->setAccessibleName(tr("Compare with"));
    label->setBuddy(m_with);
    row->addWidget(label);
    row->addWidget(m_with);
    layout->addLayout(row);
    auto* beside = new QHBoxLayout;
    m_changes = new QListWidget(lower);
    m_changes->setObjectName(QStringLiteral("compareChanges"));
    m_changes->setAccessibleName(tr("What differs"));
    m_changes->setWordWrap(true);
    beside->addWidget(m_changes, 2);
    m_trials = table("compareTrials", {tr("trial"), tr("before"), tr("then"), tr("what changes")}, lower);
    m_trials->setAccessibleName(tr("Trials that change"));
    beside->addWidget(m_trials, 3);
    layout->addLayout(beside, 1);
    auto* foot = new QHBoxLayout;
    m_run = new QPushButton(tr("Compare on the trials"), lower);
    m_run->setObjectName(QStringLiteral("compareRun"));
    m_run->setToolTip(tr("Runs both on every trial and lists the verdicts that change"));
    m_stop = new QPushButton(tr("Stop"), lower);
    m_stop->setObjectName(QStringLiteral("compareStop"));
    m_stop->hide();
    m_progress = new QProgressBar(lower);
    m_progress->setObjectName(QStringLiteral("compareProgress"));
    m_progress->setMaximumWidth(200);
    m_progress->hide();
    m_said = new QLabel(lower);
    m_said->setObjectName(QStringLiteral("compareSaid"));
    m_said->setWordWrap(true);
    foot->addWidget(m_run);
    foot->addWidget(m_progress);
    foot->addWidget(m_stop);
    foot->addWidget(m_said, 1);
    m_go = new QPushButton(tr("Show this trial"), lower);
    m_go->setObjectName(QStringLiteral("compareGo"));
    foot->addWidget(m_go);
    layout->addLayout(foot);
    split->addWidget(lower);
    split->setSizes({190, 420});
    whole->addWidget(split, 1);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close, this);
    m_take = buttons->addButton(tr("Take it back"), QDialogButtonBox::ActionRole);
    m_take->setObjectName(QStringLiteral("takeRevision"));
    m_take->setToolTip(tr("Makes the recipe what it was in the chosen revision; trials stay, and it can be undone"));
    whole->addWidget(buttons);
    for (QPushButton* b : {m_run, m_stop, m_go, m_take}) b->setAutoDefault(false);
    buttons->button(QDialogButtonBox::Close)->setAutoDefault(false);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    connect(m_table, &QTableWidget::currentCellChanged, this, [this] { refresh(); });
    connect(m_with, &QComboBox::currentIndexChanged, this, [this] { refresh(); });
    connect(m_run, &QPushButton::clicked, this, [this] { runTrials(); });
    connect(m_stop, &QPushButton::clicked, this, [this] {
        m_work.stop();
        showTrials();
        m_said->setText(tr("stopped"));
    });
    connect(m_take, &QPushButton::clicked, this, [this] { takeBack(); });
    const auto go = [this] {
        const QTableWidgetItem* i = m_trials->item(m_trials->currentRow(), 0);
        if (!i) return;
        m_session.setShowReference(false);
        m_session.setTrial(i->data(Qt::UserRole).toInt());
        accept();
    };
    connect(m_go, &QPushButton::clicked, this, go);
    connect(m_trials, &QTableWidget::cellActivated, this, go);
    connect(&m_work, &Background::progressed, this,
            [this](int done, int of) { m_progress->setRange(0, of), m_progress->setValue(done); });
    fill();
}

void RevisionsDialog::fill()
{
    const auto& history = m_session.recipe().history;
    m_with->addItem(m_session.modified() ? tr("now, not saved") : tr("now"), -1);
    for (std::size_t i = history.size(); i-- > 0;) {
        const Revision& r = *history[i];
        const int row = m_table->rowCount();
        m_table->insertRow(row);
        put(m_table, row, 0, QString::number(r.number));
        m_table->item(row, 0)->setData(Qt::UserRole, int(i));
        put(m_table, row, 1, when(r.at));
        put(m_table, row, 2, q(r.by));
        QStringList changes;
        for (const std::string& c : r.changes) changes << q(c);
        put(m_table, row, 3,
            i == 0 && changes.isEmpty() ? tr("first") : counted(changes.size(), tr("change"), tr("changes")));
        m_table->item(row, 3)->setToolTip(changes.join(QLatin1Char('\n')));
        put(m_table, row, 4, q(r.why));
        m_with->addItem(tr("revision %1, %2").arg(r.number).arg(when(r.at)), int(i));
    }
    // What was saved last says nothing against what it is now, unless something was changed since.
    const int row = m_session.modified() || m_table->rowCount() < 2 ? 0 : 1;
    if (m_table->rowCount()) m_table->setCurrentCell(row, 0);
    m_table->setFocus();
    refresh();
}

const Revision* RevisionsDialog::chosen() const
{
    const QTableWidgetItem* i = m_table->item(m_table->currentRow(), 0);
    return i ? m_session.recipe().history[std::size_t(i->data(Qt::UserRole).toInt())].get() : nullptr;
}
const Revision* RevisionsDialog::other() const
{
    const int i = m_with->currentData().toInt();
    return i < 0 ? nullptr : m_session.recipe().history[std::size_t(i)].get();
}

void RevisionsDialog::refresh()
{
    m_work.stop();
    m_answers.clear();
    m_changes->clear();
    m_said->clear();
    const Revision* from = chosen();
    m_take->setEnabled(from != nullptr);
    m_run->setEnabled(from && m_session.trialCount() > 0);
    showTrials();
    if (!from) {
        m_head->setText(tr("No revision yet: each time the recipe is saved one is kept"));
        return;
    }
    const Revision* to = other();
    m_head->setText(to ? tr("From revision %1 to revision %2").arg(from->number).arg(to->number)
                       : tr("From revision %1 to now").arg(from->number));
    m_take->setText(tr("Take revision %1 back").arg(from->number));
    const auto before = recipeOf(*from);
    const auto now = to ? recipeOf(*to) : base::Result<Recipe>(m_session.recipe());
    if (!before || !now) {
        m_run->setEnabled(false), m_take->setEnabled(before.has_value());
        m_changes->addItem(q((before ? now : before).error().text()));
        return;
    }
    for (const std::string& c : differences(*before, *now)) m_changes->addItem(q(c));
    for (const std::string& c : trialDifferences(*before, *now)) m_changes->addItem(q(c));
    if (m_changes->count() == 0) m_changes->addItem(tr("Nothing differs"));
}

void RevisionsDialog::runTrials()
{
    const Revision* from = chosen();
    if (!from) return;
    const auto before = recipeOf(*from);
    const auto now = other() ? recipeOf(*other()) : base::Result<Recipe>(m_session.recipe());
    if (!before || !now) return;
    std::vector<std::string> pictures;
    for (const Trial& t : m_session.recipe().trials) pictures.push_back(t.picture);
    auto answers = std::make_shared<std::vector<inspect::PictureChange>>();
    m_run->setEnabled(false);
    m_progress->show(), m_stop->show();
    m_said->clear();
    m_work.start(
        int(pictures.size()),
        [this, pictures, answers, before = *before, now = *now] {
            *answers = inspect::compareOn(pictures, before, now, &m_work.done, &m_work.cancel);
        },
        [this, answers] {
            m_answers = std::move(*answers);
            showTrials();
            const auto changed =
                std::count_if(m_answers.begin(), m_answers.end(), [](const auto& c) { return c.verdictChanged(); });
            m_said->setText(changed == 0
                                ? tr("No trial changes its verdict (%1 compared)").arg(m_answers.size())
                                : tr("%1 of %2 trials change their verdict").arg(changed).arg(m_answers.size()));
        });
}

// Verdict changes first, then trials of which only single checks change.
void RevisionsDialog::showTrials()
{
    const bool running = m_work.running();
    m_progress->setVisible(running), m_stop->setVisible(running);
    m_run->setEnabled(!running && chosen() && m_session.trialCount() > 0);
    m_trials->setRowCount(0);
    const Recipe& r = m_session.recipe();
    for (const bool verdicts : {true, false})
        for (const inspect::PictureChange& c : m_answers) {
            if (c.same() || c.verdictChanged() != verdicts) continue;
            const auto trial =
                std::find_if(r.trials.begin(), r.trials.end(), [&](const Trial& t) { return t.picture == c.picture; });
            const int n = int(trial - r.trials.begin()), row = m_trials->rowCount();
            m_trials->insertRow(row);
            put(m_trials, row, 0, tr("%1  %2").arg(n + 1).arg(QFileInfo(q(c.picture)).fileName()));
            m_trials->item(row, 0)->setData(Qt::UserRole, n);
            put(m_trials, row, 1, outcomeWord(r, c.before));
            put(m_trials, row, 2, outcomeWord(r, c.now));
            QStringList what;
            if (c.itemsBefore != c.itemsNow) what << tr("%1 items, before %2").arg(c.itemsNow).arg(c.itemsBefore);
            for (const auto& k : c.checks) what << q(inspect::words(k));
            put(m_trials, row, 3, what.join(QStringLiteral(" · ")));
            m_trials->item(row, 3)->setToolTip(what.join(QLatin1Char('\n')));
        }
    m_go->setEnabled(m_trials->rowCount() > 0);
    if (m_trials->rowCount()) m_trials->setCurrentCell(0, 0);
}

void RevisionsDialog::takeBack()
{
    if (const Revision* r = chosen()) {
        m_session.takeRevision(*r);
        accept();
    }
}

} // namespace desktop

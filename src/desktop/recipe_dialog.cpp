#include "desktop/recipe_dialog.h"

#include "desktop/words.h"
#include "recipe/naming.h"
#include "recipe/recipe_file.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDialogButtonBox>
#include <QFormLayout>
#include <QHeaderView>
#include <QLabel>
#include <QLineEdit>
#include <QLocale>
#include <QPushButton>
#include <QTableWidget>
#include <QVBoxLayout>

namespace desktop
{
using namespace recipe;

namespace
{
QString q(const std::string& s) { return QString::fromStdString(s); }
constexpr base::Unit kUnits[] = {base::Unit::Millimetre, base::Unit::Micrometre, base::Unit::Inch};
} // namespace

RecipeDialog::RecipeDialog(Session& session, QWidget* parent) : QDialog(parent), m_session(session)
{
    const Recipe& r = session.recipe();
    setObjectName(QStringLiteral("recipeDialog"));
    setWindowTitle(tr("Recipe settings"));
    resize(620, 560);
    auto* whole = new QVBoxLayout(this);
    auto* form = new QFormLayout;
    m_unit = new QComboBox(this);
    m_unit->setObjectName(QStringLiteral("shownIn"));
    m_unit->addItems({tr("mm"), tr("µm"), tr("inch")});
    for (int i = 0; i < 3; ++i)
        if (kUnits[i] == r.shownIn) m_unit->setCurrentIndex(i);
    m_unit->setToolTip(tr("Only what is shown changes: verdicts, limits and records stay as they are"));
    form->addRow(tr("Lengths are shown in"), m_unit);
    m_class = new QComboBox(this);
    m_class->setObjectName(QStringLiteral("toleranceClass"));
    m_class->addItems({tr("none"), tr("ISO 2768-f, fine"), tr("ISO 2768-m, medium"), tr("ISO 2768-c, coarse"),
                       tr("ISO 2768-v, very coarse")});
    m_class->setCurrentIndex(int(r.toleranceClass));
    m_class->setToolTip(tr("For every check whose limits say \"26 ISO 2768\"; limits of its own override it"));
    form->addRow(tr("General tolerance"), m_class);
    m_guard = new QCheckBox(tr("Narrow limits by each check's uncertainty (ISO 14253-1)"), this);
    m_guard->setObjectName(QStringLiteral("guardBand"));
    m_guard->setChecked(r.guardBand);
    form->addRow(tr("Guard band"), m_guard);
    m_guardMeasured = new QCheckBox(tr("From the picture where none is stated: its noise and the calibration"), this);
    m_guardMeasured->setObjectName(QStringLiteral("guardMeasured"));
    m_guardMeasured->setChecked(r.guardMeasured), m_guardMeasured->setEnabled(r.guardBand);
    connect(m_guard, &QCheckBox::toggled, m_guardMeasured, &QCheckBox::setEnabled);
    form->addRow(QString(), m_guardMeasured);
    m_stop = new QCheckBox(tr("The line stops; else it goes on and says so"), this);
    m_stop->setObjectName(QStringLiteral("stopUnsaved"));
    m_stop->setToolTip(tr("A full disk or a log that cannot be written: nothing more is inspected without a record"));
    m_stop->setChecked(r.stopUnsaved);
    form->addRow(tr("When an item cannot be saved"), m_stop);
    const Carried there = recipe::carried(r);
    m_inside = new QCheckBox(
        tr("Kept inside the recipe's file: %1%2")
            .arg(counted(there.pictures, tr("picture"), tr("pictures")) + QStringLiteral(", ") +
                     QLocale().formattedDataSize(qint64(there.bytes)),
                 there.missing ? tr("; %1 cannot be read and stay where they are").arg(there.missing) : QString()),
        this);
    m_inside->setObjectName(QStringLiteral("trialsInside"));
    m_inside->setToolTip(tr("The file can then be carried to another desk with all its trials; else they stay where "
                            "they are and the recipe knows their paths"));
    m_inside->setChecked(r.trialsInside);
    form->addRow(tr("Pictures of the trials"), m_inside);
    if (!r.setAside.empty()) {
        m_back = new QCheckBox(tr("Bring back %1")
                                   .arg(counted(qsizetype(r.setAside.size()), tr("picture that was set aside"),
                                                tr("pictures that were set aside"))),
                               this);
        m_back->setObjectName(QStringLiteral("bringBack"));
        QStringList names;
        for (const std::string& p : r.setAside) names << q(p);
        m_back->setToolTip(names.mid(0, 20).join(QLatin1Char('\n')));
        form->addRow(tr("Set aside"), m_back);
    }
    m_rule = new QLineEdit(q(withNames(r.rule, r)), this);
    m_rule->setObjectName(QStringLiteral("itemRule"));
    m_rule->setPlaceholderText(tr("all checks pass"));
    m_rule->setToolTip(
        tr("Checks in square brackets, 1 when they pass: [Width] and ([Hole pitch] or [Slots]). Empty: all checks"));
    form->addRow(tr("Item is accepted when"), m_rule);
    m_accept = new QLineEdit(q(r.acceptWord), this);
    m_accept->setObjectName(QStringLiteral("acceptWord"));
    m_reject = new QLineEdit(q(r.rejectWord), this);
    m_reject->setObjectName(QStringLiteral("rejectWord"));
    form->addRow(tr("Word for accepted"), m_accept);
    form->addRow(tr("Word for rejected"), m_reject);
    whole->addLayout(form);
    whole->addWidget(new QLabel(
        tr("Totals over items and pictures; a formula over each item's results, such as [Slots] or [Slots] * 0.25"),
        this));
    m_totals = new QTableWidget(0, 4, this);
    m_totals->setObjectName(QStringLiteral("totals"));
    m_totals->setHorizontalHeaderLabels({tr("name"), tr("formula"), tr("unit"), tr("over the trials")});
    m_totals->horizontalHeader()->setSectionResizeMode(1, QHeaderView::Stretch);
    m_totals->verticalHeader()->hide();
    for (const Total& t : r.totals) {
        const int row = m_totals->rowCount();
        m_totals->insertRow(row);
        m_totals->setItem(row, 0, new QTableWidgetItem(q(t.name)));
        m_totals->setItem(row, 1, new QTableWidgetItem(q(withNames(t.expression, r))));
        m_totals->setItem(row, 2, new QTableWidgetItem(QString::fromUtf8(base::symbol(t.unit))));
        m_totals->setItem(row, 3, new QTableWidgetItem);
    }
    whole->addWidget(m_totals, 1);
    auto* row = new QHBoxLayout;
    auto* add = new QPushButton(tr("Add a total"), this);
    add->setObjectName(QStringLiteral("addTotal"));
    connect(add, &QPushButton::clicked, this, [this] {
        const int n = m_totals->rowCount();
        {
            const QSignalBlocker quiet(m_totals);
            m_totals->insertRow(n);
            m_totals->setItem(n, 0, new QTableWidgetItem(tr("Total %1").arg(n + 1)));
            for (int c = 1; c < 4; ++c) m_totals->setItem(n, c, new QTableWidgetItem);
        }
        refresh();
        m_totals->setCurrentCell(n, 1);
        m_totals->editItem(m_totals->item(n, 1));
    });
    auto* drop = new QPushButton(tr("Remove"), this);
    drop->setObjectName(QStringLiteral("removeTotal"));
    connect(drop, &QPushButton::clicked, this, [this] {
        if (m_totals->currentRow() >= 0) m_totals->removeRow(m_totals->currentRow());
    });
    row->addWidget(add);
    row->addWidget(drop);
    row->addStretch();
    whole->addLayout(row);
    m_state = new QLabel(this);
    m_state->setObjectName(QStringLiteral("recipeState"));
    m_state->setWordWrap(true);
    whole->addWidget(m_state);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel, this);
    connect(buttons, &QDialogButtonBox::accepted, this, &RecipeDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    whole->addWidget(buttons);
    for (QLineEdit* e : {m_rule, m_accept, m_reject}) connect(e, &QLineEdit::textChanged, this, [this] { refresh(); });
    connect(m_totals, &QTableWidget::itemChanged, this, [this](QTableWidgetItem* i) {
        if (i->column() != 3) refresh();
    });
    refresh();
}

base::Result<Recipe> RecipeDialog::edited() const
{
    using base::ErrorCode;
    Recipe r = m_session.recipe();
    r.shownIn = kUnits[m_unit->currentIndex()];
    r.toleranceClass = ToleranceClass(m_class->currentIndex());
    r.guardBand = m_guard->isChecked(), r.guardMeasured = m_guardMeasured->isChecked();
    r.stopUnsaved = m_stop->isChecked();
    r.trialsInside = m_inside->isChecked();
    r.rule = withIds(m_rule->text().trimmed().toStdString(), r);
    r.acceptWord = m_accept->text().trimmed().toStdString(), r.rejectWord = m_reject->text().trimmed().toStdString();
    if (r.acceptWord.empty() || r.rejectWord.empty() || r.acceptWord == r.rejectWord)
        return base::fail(ErrorCode::InvalidArgument,
                          "the words for accepted and rejected must be two different words");
    r.totals.clear();
    for (int i = 0; i < m_totals->rowCount(); ++i) {
        Total t;
        const auto text = [&](int c) {
            return m_totals->item(i, c) ? m_totals->item(i, c)->text().trimmed().toStdString() : std::string();
        };
        t.name = text(0), t.expression = withIds(text(1), r);
        const auto unit = base::unitFrom(text(2));
        if (!unit)
            return base::fail(ErrorCode::InvalidArgument,
                              "total " + std::to_string(i + 1) + ": unknown unit \"" + text(2) + "\"");
        if (t.name.empty())
            return base::fail(ErrorCode::InvalidArgument, "total " + std::to_string(i + 1) + " has no name");
        t.unit = *unit;
        r.totals.push_back(std::move(t));
    }
    return r;
}

void RecipeDialog::refresh()
{
    const auto r = edited();
    if (!r) return m_state->setText(q(r.error().message));
    // What it would say of the trials, before it is taken.
    int accepted = 0, answered = 0;
    std::string problem;
    inspect::Totals totals;
    for (const auto* result : m_session.results()) {
        if (!result || result->error) continue;
        inspect::PictureResult copy = *result;
        inspect::judge(*r, copy);
        totals.add(*r, copy);
        ++answered, accepted += copy.accepted();
        for (const auto& item : copy.items)
            if (item.reason.find("rule") != std::string::npos && problem.empty() && !r->rule.empty())
                problem = item.reason;
    }
    const QSignalBlocker quiet(m_totals);
    for (std::size_t i = 0; i < totals.sums().size() && int(i) < m_totals->rowCount(); ++i) {
        const auto& s = totals.sums()[i];
        m_totals->item(int(i), 3)->setFlags(Qt::ItemIsEnabled);
        m_totals->item(int(i), 3)->setText(s.items ? q(base::toText(s.value, r->totals[i].unit)) +
                                                         (s.left ? tr(", %1 left out").arg(s.left) : QString())
                                                   : q(s.reason));
    }
    m_state->setText(!problem.empty() && problem.find(":") != std::string::npos
                         ? q(problem)
                         : tr("%1 of %2 trials would be accepted").arg(accepted).arg(answered));
}

void RecipeDialog::accept()
{
    auto r = edited();
    if (!r) return m_state->setText(q(r.error().message));
    m_session.change(tr("recipe settings"), [&](Recipe& to) { to = *r; });
    if (m_back && m_back->isChecked()) m_session.bringBack();
    QDialog::accept();
}

} // namespace desktop

#include "desktop/run/line_dialogs.h"

#include "report/theme.h"

#include <QButtonGroup>
#include <QDialogButtonBox>
#include <QDoubleSpinBox>
#include <QGridLayout>
#include <QLineEdit>
#include <QVBoxLayout>
#include <cmath>

namespace desktop
{
namespace
{
QString q(const std::string& s) { return QString::fromStdString(s); }
} // namespace

LimitsDialog::LimitsDialog(RunPage& run, QWidget* parent) : QDialog(parent), m_run(run), m_limits(run.movable())
{
    setObjectName(QStringLiteral("limitsDialog"));
    setWindowTitle(tr("Limits"));
    setMinimumWidth(560);
    auto* whole = new QVBoxLayout(this);
    auto* about =
        new QLabel(tr("They hold from the next item on. Who, when, old and new are kept with the records."), this);
    about->setWordWrap(true);
    whole->addWidget(about);
    auto* grid = new QGridLayout;
    grid->setVerticalSpacing(8);
    int row = 0;
    for (const RunPage::Movable& l : m_limits) {
        auto* name = new QLabel(l.name + (l.upper ? tr(", at most") : tr(", at least")), this);
        name->setFont(report::uiFont(16, true));
        auto* field = new QDoubleSpinBox(this);
        field->setObjectName(QStringLiteral("limit_%1").arg(row));
        field->setAccessibleName(name->text());
        field->setMinimumHeight(44);
        field->setFont(report::uiFont(18));
        const double span = l.within.to - l.within.from;
        const int decimals = std::clamp(int(std::ceil(-std::log10(span))) + 2, l.decimals, 8);
        field->setDecimals(decimals);
        field->setRange(std::min(l.within.from, l.now), std::max(l.within.to, l.now));
        field->setSingleStep(std::pow(10, std::floor(std::log10(span / 10))));
        field->setSuffix(l.unit.isEmpty() ? QString() : QStringLiteral(" ") + l.unit);
        field->setValue(l.now);
        auto* bounds =
            new QLabel(tr("%1 to %2").arg(q(base::shortest(l.within.from)), q(base::shortest(l.within.to))), this);
        grid->addWidget(name, row, 0);
        grid->addWidget(field, row, 1);
        grid->addWidget(bounds, row, 2);
        m_fields.push_back(field);
        ++row;
    }
    whole->addLayout(grid);
    m_state = new QLabel(this);
    m_state->setObjectName(QStringLiteral("limitsState"));
    m_state->setWordWrap(true);
    whole->addWidget(m_state);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Cancel, this);
    auto* go = buttons->addButton(tr("Move"), QDialogButtonBox::AcceptRole);
    go->setObjectName(QStringLiteral("limitsGo"));
    for (auto* b : buttons->buttons()) b->setMinimumHeight(44);
    connect(buttons, &QDialogButtonBox::accepted, this, &LimitsDialog::apply);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    whole->addWidget(buttons);
}

void LimitsDialog::apply()
{
    for (std::size_t i = 0; i < m_limits.size(); ++i) {
        // What was not touched stays what it was, not what is shown of it.
        const double was = m_limits[i].now, shown = m_fields[i]->value();
        if (std::abs(shown - was) < 0.6 * std::pow(10, -m_fields[i]->decimals())) continue;
        const auto ok = m_run.moveLimit(m_limits[i], shown);
        if (!ok) return m_state->setText(tr("Not moved: %1").arg(q(ok.error().text())));
        m_limits[i].now = shown;
    }
    accept();
}

OverruleDialog::OverruleDialog(const inspect::ItemResult& item, QWidget* parent) : QDialog(parent)
{
    setObjectName(QStringLiteral("overruleDialog"));
    setWindowTitle(tr("Overrule"));
    setMinimumWidth(520);
    auto* whole = new QVBoxLayout(this);
    auto* about = new QLabel(tr("The recipe says %1: %2\nIts verdict stays in the record, yours stands beside it.")
                                 .arg(q(item.word), q(item.accepted() ? "" : item.sentence())),
                             this);
    about->setWordWrap(true);
    whole->addWidget(about);
    auto* row = new QHBoxLayout;
    auto* group = new QButtonGroup(this);
    const auto choice = [&](const char* name, const QString& text, bool on) {
        auto* b = new QPushButton(text, this);
        b->setObjectName(QLatin1String(name));
        b->setCheckable(true);
        b->setChecked(on);
        b->setMinimumHeight(56);
        b->setFont(report::uiFont(17, true));
        b->setAutoDefault(false);
        group->addButton(b);
        row->addWidget(b);
        return b;
    };
    m_accept = choice("overruleAccept", tr("Accept it"), item.rejected());
    m_reject = choice("overruleReject", tr("Reject it"), !item.rejected());
    whole->addLayout(row);
    m_why = new QLineEdit(this);
    m_why->setObjectName(QStringLiteral("overruleWhy"));
    m_why->setPlaceholderText(tr("why"));
    m_why->setAccessibleName(tr("Reason"));
    m_why->setMaxLength(300);
    m_why->setMinimumHeight(44);
    whole->addWidget(m_why);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Cancel, this);
    auto* go = buttons->addButton(tr("Overrule"), QDialogButtonBox::AcceptRole);
    go->setObjectName(QStringLiteral("overruleGo"));
    go->setDefault(true);
    for (auto* b : buttons->buttons()) b->setMinimumHeight(44);
    connect(m_why, &QLineEdit::textChanged, go, [this, go] { go->setEnabled(!m_why->text().trimmed().isEmpty()); });
    go->setEnabled(false);
    connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    whole->addWidget(buttons);
    m_why->setFocus();
}

inspect::Outcome OverruleDialog::outcome() const
{
    return m_accept->isChecked() ? inspect::Outcome::Accept : inspect::Outcome::Reject;
}
QString OverruleDialog::why() const { return m_why->text(); }

} // namespace desktop

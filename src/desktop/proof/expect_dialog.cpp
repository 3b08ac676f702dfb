#include "desktop/proof/expect_dialog.h"

#include "proof/change.h"
#include "proof/plant.h"

#include <QDialogButtonBox>
#include <QDoubleSpinBox>
#include <QGridLayout>
#include <QGroupBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QScrollArea>
#include <QVBoxLayout>

namespace desktop
{

ExpectDialog::ExpectDialog(Session& session, const std::string& change, QWidget* parent)
    : QDialog(parent), m_session(session)
{
    setObjectName(QStringLiteral("expectDialog"));
    setWindowTitle(tr("Expected on the line, asked of the recipe"));
    const auto& ask = session.recipe().proof;
    auto* whole = new QVBoxLayout(this);
    auto* about = new QLabel(
        tr("How far each change goes on your line; every check must hold that far. 0: it does not happen. Faults: from "
           "which size on "
           "one must be found for certain; 0: nothing is asked. Kept with the recipe, no part of what it does."),
        this);
    about->setWordWrap(true);
    whole->addWidget(about);
    auto* columns = new QHBoxLayout;
    whole->addLayout(columns);
    auto* left = new QGroupBox(tr("Changes"), this);
    auto* grid = new QGridLayout(left);
    int row = 0;
    QDoubleSpinBox* first = nullptr;
    for (const proof::ChangeKind& kind : proof::changeKinds()) {
        auto* spin = new QDoubleSpinBox(left);
        spin->setObjectName(QStringLiteral("expect_%1").arg(QLatin1String(kind.key)));
        spin->setRange(0, 10000), spin->setDecimals(2), spin->setSingleStep(kind.usual / 4);
        spin->setValue(proof::expectedOf(session.recipe(), kind));
        spin->setSuffix(QLatin1Char(' ') + QString::fromUtf8(kind.unit));
        spin->setSpecialValueText(tr("does not happen"));
        spin->setToolTip(QString::fromUtf8(kind.help));
        auto* label = new QLabel(QString::fromUtf8(kind.label), left);
        label->setBuddy(spin), label->setToolTip(spin->toolTip());
        grid->addWidget(label, row, 0), grid->addWidget(spin, row++, 1);
        m_changes[kind.key] = spin;
        if (change == kind.key) first = spin;
    }
    columns->addWidget(left);
    auto* right = new QGroupBox(tr("Planted faults found from"), this);
    auto* faults = new QGridLayout(right);
    const QString unit = session.recipe().calibrated() ? QStringLiteral(" mm") : QStringLiteral(" px");
    row = 0;
    for (const proof::FaultKind& kind : proof::faultKinds()) {
        if (!kind.sized) continue;
        auto* spin = new QDoubleSpinBox(right);
        spin->setObjectName(QStringLiteral("asked_%1").arg(QLatin1String(kind.key)));
        spin->setRange(0, 10000), spin->setDecimals(3), spin->setSingleStep(0.05);
        const auto it = ask.faults.find(kind.key);
        spin->setValue(it == ask.faults.end() ? 0 : it->second);
        spin->setSuffix(unit), spin->setSpecialValueText(tr("not asked"));
        spin->setToolTip(QString::fromUtf8(kind.help));
        auto* label = new QLabel(QString::fromUtf8(kind.label), right);
        label->setBuddy(spin), label->setToolTip(spin->toolTip());
        faults->addWidget(label, row, 0), faults->addWidget(spin, row++, 1);
        m_faults[kind.key] = spin;
    }
    m_share = new QDoubleSpinBox(right);
    m_share->setObjectName(QStringLiteral("askedShare"));
    m_share->setRange(0, 1000), m_share->setDecimals(0), m_share->setSuffix(QStringLiteral(" %")),
        m_share->setValue(100 * ask.uncertaintyShare);
    m_share->setSpecialValueText(tr("not asked"));
    m_share->setToolTip(tr("Twice the expanded uncertainty by the tolerance, at most"));
    faults->addWidget(new QLabel(tr("Uncertainty, of a tolerance"), right), row, 0),
        faults->addWidget(m_share, row++, 1);
    faults->setRowStretch(row, 1);
    columns->addWidget(right);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel, this);
    buttons->button(QDialogButtonBox::Ok)->setText(tr("Take"));
    whole->addWidget(buttons);
    connect(buttons, &QDialogButtonBox::accepted, this, &ExpectDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    if (first) first->setFocus(), first->selectAll();
}

void ExpectDialog::accept()
{
    recipe::ProofAsk ask = m_session.recipe().proof;
    for (const auto& [key, spin] : m_changes) {
        const auto* kind = proof::findChange(key);
        if (std::abs(spin->value() - kind->usual) < 1e-9) ask.changes.erase(key);
        else ask.changes[key] = spin->value();
    }
    for (const auto& [key, spin] : m_faults) {
        if (spin->value() <= 0) ask.faults.erase(key);
        else ask.faults[key] = spin->value();
    }
    ask.uncertaintyShare = m_share->value() / 100;
    if (!(ask == m_session.recipe().proof))
        m_session.change(tr("expected on the line"), [&](recipe::Recipe& r) { r.proof = ask; });
    QDialog::accept();
}

} // namespace desktop

#include "desktop/sign_in_dialog.h"

#include "desktop/person.h"
#include "report/theme.h"

#include <QComboBox>
#include <QDialogButtonBox>
#include <QFormLayout>
#include <QGridLayout>
#include <QHeaderView>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSpinBox>
#include <QTableWidget>
#include <QVBoxLayout>

namespace desktop
{
namespace
{
QString q(const std::string& s) { return QString::fromStdString(s); }
QLineEdit* pinField(const char* name, QWidget* parent)
{
    auto* e = new QLineEdit(parent);
    e->setObjectName(QLatin1String(name));
    e->setEchoMode(QLineEdit::Password);
    e->setMaxLength(int(people::kLongestPin));
    e->setAccessibleName(QObject::tr("PIN"));
    return e;
}
QLabel* stateLine(const char* name, QWidget* parent)
{
    auto* l = new QLabel(parent);
    l->setObjectName(QLatin1String(name));
    l->setWordWrap(true);
    QPalette p = l->palette();
    p.setColor(QPalette::WindowText, report::theme().fail);
    l->setPalette(p);
    return l;
}
} // namespace

// ---------------------------------------------------------------- sign in
SignInDialog::SignInDialog(SignedIn& who, QWidget* parent) : QDialog(parent), m_who(who)
{
    setObjectName(QStringLiteral("signInDialog"));
    setWindowTitle(tr("Sign in"));
    auto* whole = new QVBoxLayout(this);
    whole->setSpacing(10);
    m_name = new QComboBox(this);
    m_name->setObjectName(QStringLiteral("signInName"));
    m_name->setAccessibleName(tr("Name"));
    m_name->setMinimumHeight(44);
    m_name->setFont(report::uiFont(17));
    for (const people::Person& p : who.people().persons()) m_name->addItem(q(p.name));
    m_name->setCurrentText(person());
    m_pin = pinField("signInPin", this);
    m_pin->setMinimumHeight(44);
    m_pin->setFont(report::uiFont(20));
    m_pin->setPlaceholderText(tr("PIN"));
    whole->addWidget(m_name);
    whole->addWidget(m_pin);
    auto* pad = new QGridLayout;
    pad->setSpacing(8);
    const auto key = [&](const QString& text, int row, int column, auto call) {
        auto* b = new QPushButton(text, this);
        b->setObjectName(QStringLiteral("pin_") + text);
        b->setMinimumSize(84, 56);
        b->setFont(report::uiFont(19));
        b->setFocusPolicy(Qt::NoFocus);
        b->setAutoDefault(false);
        connect(b, &QPushButton::clicked, this, call);
        pad->addWidget(b, row, column);
    };
    for (int d = 1; d <= 9; ++d)
        key(QString::number(d), (d - 1) / 3, (d - 1) % 3, [this, d] { m_pin->insert(QString::number(d)); });
    key(tr("Clear"), 3, 0, [this] { m_pin->clear(); });
    key(QStringLiteral("0"), 3, 1, [this] { m_pin->insert(QStringLiteral("0")); });
    key(tr("Back"), 3, 2, [this] { m_pin->backspace(); });
    whole->addLayout(pad);
    m_state = stateLine("signInState", this);
    m_state->setMinimumHeight(36);
    m_state->setText(who.trouble().isEmpty() ? QString() : tr("Nobody can sign in: %1").arg(who.trouble()));
    whole->addWidget(m_state);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Cancel, this);
    m_go = buttons->addButton(tr("Sign in"), QDialogButtonBox::AcceptRole);
    m_go->setObjectName(QStringLiteral("signInGo"));
    m_go->setDefault(true);
    for (auto* b : buttons->buttons()) b->setMinimumHeight(44);
    whole->addWidget(buttons);
    connect(buttons, &QDialogButtonBox::accepted, this, &SignInDialog::tryIt);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    const auto refresh = [this] { m_go->setEnabled(m_who.trouble().isEmpty() && !m_pin->text().isEmpty()); };
    connect(m_pin, &QLineEdit::textChanged, this, refresh);
    refresh();
    m_pin->setFocus();
}

void SignInDialog::tryIt()
{
    m_go->setEnabled(false);
    m_state->setText(tr("…"));
    const auto ok = m_who.signIn(m_name->currentText(), m_pin->text());
    if (ok) return accept();
    m_state->setText(q(ok.error().message));
    m_pin->clear();
    m_pin->setFocus();
}

// ---------------------------------------------------------------- people
PeopleDialog::PeopleDialog(SignedIn& who, QWidget* parent) : QDialog(parent), m_who(who)
{
    setObjectName(QStringLiteral("peopleDialog"));
    setWindowTitle(tr("People"));
    resize(620, 520);
    auto* whole = new QVBoxLayout(this);
    auto* about = new QLabel(
        tr("While nobody is on file, everybody may everything. With the first person, an administrator, the window "
           "opens locked: anybody starts and stops the line; operators also name the batch, move released limits and "
           "overrule; engineers set up and release; administrators change this list."),
        this);
    about->setWordWrap(true);
    whole->addWidget(about);
    m_table = new QTableWidget(0, 3, this);
    m_table->setObjectName(QStringLiteral("peopleTable"));
    m_table->setAccessibleName(tr("People"));
    m_table->setHorizontalHeaderLabels({tr("name"), tr("may"), tr("state")});
    m_table->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
    m_table->horizontalHeader()->setSectionResizeMode(2, QHeaderView::Stretch);
    m_table->verticalHeader()->hide();
    m_table->setSelectionBehavior(QAbstractItemView::SelectRows);
    m_table->setSelectionMode(QAbstractItemView::SingleSelection);
    m_table->setEditTriggers(QAbstractItemView::NoEditTriggers);
    whole->addWidget(m_table, 1);
    m_name = new QLineEdit(this);
    m_name->setObjectName(QStringLiteral("personName"));
    m_name->setMaxLength(100);
    m_name->setPlaceholderText(tr("name"));
    m_role = new QComboBox(this);
    m_role->setObjectName(QStringLiteral("personRole"));
    for (const auto r : {people::Role::Operator, people::Role::Engineer, people::Role::Administrator})
        m_role->addItem(roleWord(r), int(r));
    m_pin = pinField("personPin", this);
    m_pin->setPlaceholderText(tr("PIN, %1 to %2").arg(people::kShortestPin).arg(people::kLongestPin));
    auto* row = new QHBoxLayout;
    row->addWidget(m_name, 2), row->addWidget(m_role), row->addWidget(m_pin, 1);
    whole->addLayout(row);
    auto* acts = new QHBoxLayout;
    const auto button = [&](const char* name, const QString& text, const QString& tip, auto call) {
        auto* b = new QPushButton(text, this);
        b->setObjectName(QLatin1String(name));
        b->setToolTip(tip);
        b->setAutoDefault(false);
        connect(b, &QPushButton::clicked, this, call);
        acts->addWidget(b);
        return b;
    };
    const auto role = [this] { return people::Role(m_role->currentData().toInt()); };
    m_add = button("addPerson", tr("Add"), tr("A new person with this name, role and PIN"), [this, role] {
        act(QStringLiteral("person added"), m_name->text().trimmed(),
            [n = m_name->text().trimmed().toStdString(), r = role(), pin = m_pin->text().toStdString()](auto& p) {
                return p.add(n, r, pin);
            });
    });
    m_newRole = button("setRole", tr("Give this role"), tr("The chosen person gets the role above"), [this, role] {
        act(QStringLiteral("role changed"), chosen(),
            [n = chosen().toStdString(), r = role()](auto& p) { return p.setRole(n, r); });
    });
    m_newPin =
        button("setPin", tr("Give this PIN"), tr("The chosen person gets the PIN above and is unlocked"), [this] {
            act(QStringLiteral("PIN changed"), chosen(),
                [n = chosen().toStdString(), pin = m_pin->text().toStdString()](auto& p) { return p.setPin(n, pin); });
        });
    m_remove = button("removePerson", tr("Remove"), tr("Takes the chosen person off the list"), [this] {
        act(QStringLiteral("person removed"), chosen(), [n = chosen().toStdString()](auto& p) { return p.remove(n); });
    });
    whole->addLayout(acts);
    m_minutes = new QSpinBox(this);
    m_minutes->setObjectName(QStringLiteral("signOutMinutes"));
    m_minutes->setRange(0, 1440);
    m_minutes->setSuffix(tr(" min"));
    m_minutes->setSpecialValueText(tr("never"));
    m_minutes->setKeyboardTracking(false);
    connect(m_minutes, &QSpinBox::valueChanged, this, [this](int minutes) {
        if (m_who.people().any() && minutes != m_who.people().signOutMinutes())
            act(QStringLiteral("time to sign out"), QString::number(minutes),
                [minutes](auto& p) { return p.setSignOutMinutes(minutes); });
    });
    auto* form = new QFormLayout;
    form->addRow(tr("Signed out after so long without a hand on the window"), m_minutes);
    whole->addLayout(form);
    m_state = stateLine("peopleState", this);
    whole->addWidget(m_state);
    auto* close = new QDialogButtonBox(QDialogButtonBox::Close, this);
    connect(close, &QDialogButtonBox::rejected, this, &QDialog::reject);
    whole->addWidget(close);
    connect(m_table, &QTableWidget::itemSelectionChanged, this, [this] {
        const bool any = !chosen().isEmpty();
        for (auto* b : {m_remove, m_newPin, m_newRole}) b->setEnabled(any);
        if (any) m_state->clear();
    });
    fill();
}

QString PeopleDialog::chosen() const
{
    const int row = m_table->currentRow();
    return row < 0 || m_table->selectedItems().isEmpty() ? QString() : m_table->item(row, 0)->text();
}

void PeopleDialog::fill()
{
    const QString kept = chosen();
    m_table->setRowCount(0);
    const std::time_t now = std::time(nullptr);
    for (const people::Person& p : m_who.people().persons()) {
        const int row = m_table->rowCount();
        m_table->insertRow(row);
        QString state;
        if (p.lockedUntil > now) state = tr("locked for %1 min").arg((p.lockedUntil - now + 59) / 60);
        else if (p.wrong > 0) state = p.wrong == 1 ? tr("1 wrong PIN") : tr("%1 wrong PINs").arg(p.wrong);
        m_table->setItem(row, 0, new QTableWidgetItem(q(p.name)));
        m_table->setItem(row, 1, new QTableWidgetItem(roleWord(p.role)));
        m_table->setItem(row, 2, new QTableWidgetItem(state));
        if (q(p.name) == kept) m_table->selectRow(row);
    }
    if (!m_who.people().any()) m_role->setCurrentIndex(2);
    m_minutes->setValue(m_who.people().signOutMinutes());
    m_minutes->setEnabled(m_who.people().any());
    const bool any = !chosen().isEmpty();
    for (auto* b : {m_remove, m_newPin, m_newRole}) b->setEnabled(any);
}

void PeopleDialog::act(const QString& what, const QString& subject,
                       const std::function<base::Status(people::People&)>& edit)
{
    const auto ok = m_who.change(what, subject, edit);
    if (ok) m_pin->clear(), m_name->clear();
    fill();
    m_state->setText(ok ? QString() : q(ok.error().text()));
}

} // namespace desktop

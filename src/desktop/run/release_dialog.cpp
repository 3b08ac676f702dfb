#include "desktop/run/release_dialog.h"

#include "desktop/person.h"
#include "recipe/recipe_file.h"
#include "recipe/soundness.h"

#include <QDateTime>
#include <QDialogButtonBox>
#include <QFormLayout>
#include <QLineEdit>
#include <QListWidget>
#include <QVBoxLayout>

namespace desktop
{
namespace
{
QString q(const std::string& s) { return QString::fromStdString(s); }
} // namespace

ReleaseDialog::ReleaseDialog(const Session& session, const RunPage& run, QWidget* parent) : QDialog(parent)
{
    setObjectName(QStringLiteral("releaseDialog"));
    setWindowTitle(tr("Release"));
    setMinimumWidth(520);
    const recipe::Recipe& r = session.recipe();
    const auto running = run.released();
    auto* layout = new QVBoxLayout(this);
    auto* head = new QLabel(this);
    head->setObjectName(QStringLiteral("releaseHead"));
    head->setWordWrap(true);
    head->setFont(report::uiFont(15, true));
    layout->addWidget(head);
    auto* list = new QListWidget(this);
    list->setObjectName(QStringLiteral("releaseList"));
    list->setSelectionMode(QAbstractItemView::NoSelection);
    list->setMinimumHeight(120);
    layout->addWidget(list, 1);
    bool may = !r.steps.empty();
    if (r.steps.empty()) {
        head->setText(tr("The recipe has no steps yet: nothing can be released"));
    } else if (const auto wrong = recipe::unsound(r); !wrong.empty()) {
        may = false;
        head->setText(tr("%1 cannot be released: something in it cannot work").arg(q(r.name)));
        for (const auto& e : wrong) list->addItem(q(e.text()));
    } else if (!running) {
        head->setText(tr("%1 goes on the line; nothing is released there yet").arg(q(r.name)));
        list->addItem(tr("%1 steps, revision %2").arg(r.steps.size()).arg(r.revision));
    } else {
        const QString other =
            r.name == running->recipe().name ? QString() : q(running->recipe().name) + QStringLiteral(" ");
        head->setText(tr("%1 goes on the line instead of %2revision %3, from the next item on")
                          .arg(q(r.name), other)
                          .arg(running->revision));
        for (const QString& d : run.differences()) list->addItem(d);
        if (list->count() == 0) list->addItem(tr("Nothing differs: the same recipe is on the line already"));
    }
    auto* form = new QFormLayout;
    m_by = new QLineEdit(person(), this);
    m_by->setObjectName(QStringLiteral("releaseBy"));
    m_by->setMaxLength(200);
    if (run.who().needed()) m_by->setText(run.who().name()), m_by->setReadOnly(true); // by nobody else's name
    m_by->setToolTip(tr("Who answers for it; kept with the records."));
    form->addRow(tr("Released by"), m_by);
    layout->addLayout(form);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Cancel, this);
    auto* go = buttons->addButton(tr("Release"), QDialogButtonBox::AcceptRole);
    go->setObjectName(QStringLiteral("releaseGo"));
    go->setDefault(true);
    layout->addWidget(buttons);
    const auto refresh = [this, go, may] { go->setEnabled(may && !m_by->text().trimmed().isEmpty()); };
    connect(m_by, &QLineEdit::textChanged, this, refresh);
    connect(buttons, &QDialogButtonBox::accepted, this, [this] {
        setPerson(by());
        accept();
    });
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    refresh();
    m_by->setFocus();
    m_by->selectAll();
}

QString ReleaseDialog::by() const { return m_by->text().trimmed(); }

} // namespace desktop

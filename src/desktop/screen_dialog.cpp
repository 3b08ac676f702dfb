#include "desktop/screen_dialog.h"

#include "report/theme.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDialogButtonBox>
#include <QFormLayout>
#include <QHeaderView>
#include <QLabel>
#include <QPushButton>
#include <QTableWidget>
#include <QVBoxLayout>

namespace desktop
{
namespace
{
QString q(const std::string& s) { return QString::fromStdString(s); }
enum Column { kSeen, kName, kLimits, kLow, kHigh, kColumns };

QString shown(const std::optional<recipe::Span>& span)
{
    return span ? q(base::shortest(span->from)) + QStringLiteral(" .. ") + q(base::shortest(span->to)) : QString();
}
// "25.9 .. 25.96", or nothing.
base::Result<std::optional<recipe::Span>> spanFrom(QString text)
{
    text = text.trimmed().replace(QLatin1Char(','), QLatin1Char('.'));
    if (text.isEmpty()) return std::optional<recipe::Span>();
    const auto parts = text.split(QStringLiteral(".."));
    bool a = false, b = false;
    recipe::Span s;
    if (parts.size() == 2) s = {parts[0].trimmed().toDouble(&a), parts[1].trimmed().toDouble(&b)};
    if (!a || !b)
        return base::fail(base::ErrorCode::InvalidArgument, "\"" + text.toStdString() + "\" is not \"from .. to\"");
    if (!(s.from < s.to))
        return base::fail(base::ErrorCode::OutOfRange, "\"" + text.toStdString() + "\" does not rise");
    return std::optional(s);
}
} // namespace

ScreenDialog::ScreenDialog(Session& session, QWidget* parent) : QDialog(parent), m_session(session)
{
    setObjectName(QStringLiteral("screenDialog"));
    setWindowTitle(tr("Operator's screen"));
    resize(820, 620);
    const recipe::Recipe& r = session.recipe();
    auto* whole = new QVBoxLayout(this);
    auto* about = new QLabel(tr("What is seen in Run. Fails, what is not measured and what comes near a limit always "
                                "stand first; ticked values follow, the rest is counted. Nothing ticked: all values."),
                             this);
    about->setWordWrap(true);
    whole->addWidget(about);
    auto* form = new QFormLayout;
    const auto combo = [&](const char* name, const QString& label) {
        auto* c = new QComboBox(this);
        c->setObjectName(QLatin1String(name));
        form->addRow(label, c);
        return c;
    };
    m_picture = combo("screenPicture", tr("Picture"));
    for (const auto& n : r.pictures) m_picture->addItem(q(n.key), q(n.key));
    if (r.pictures.empty()) m_picture->addItem(tr("the picture"), QString());
    m_picture->setCurrentIndex(std::max(0, m_picture->findData(q(r.screen.picture))));
    m_picture->setEnabled(r.pictures.size() > 1);
    m_turn = combo("screenTurn", tr("Turned for the person by"));
    for (const int turn : {0, 90, 180, 270}) m_turn->addItem(tr("%1°").arg(turn), turn);
    m_turn->setToolTip(tr("Clockwise. Values and regions do not change, text stays upright"));
    m_turn->setCurrentIndex(r.screen.turn / 90);
    m_marks = combo("screenMarks", tr("Marks on the picture"));
    m_marks->addItems({tr("all"), tr("of what fails"), tr("none")});
    m_marks->setCurrentIndex(int(r.screen.marks));
    auto* ticks = new QHBoxLayout;
    const auto tick = [&](const char* name, const QString& text, bool on) {
        auto* c = new QCheckBox(text, this);
        c->setObjectName(QLatin1String(name));
        c->setChecked(on);
        ticks->addWidget(c);
        return c;
    };
    m_rejects = tick("screenRejects", tr("last rejects"), r.screen.rejects);
    m_cycle = tick("screenCycle", tr("cycle time"), r.screen.cycle);
    m_totals = tick("screenTotals", tr("totals"), r.screen.totals);
    ticks->addStretch();
    form->addRow(tr("Below"), ticks);
    whole->addLayout(form);
    m_table = new QTableWidget(0, kColumns, this);
    m_table->setObjectName(QStringLiteral("screenValues"));
    m_table->setAccessibleName(tr("Values on the screen"));
    m_table->setHorizontalHeaderLabels(
        {tr("seen"), tr("value"), tr("limits"), tr("lower limit may be"), tr("upper limit may be")});
    m_table->horizontalHeader()->setSectionResizeMode(kName, QHeaderView::Stretch);
    m_table->setColumnWidth(kSeen, 52), m_table->setColumnWidth(kLimits, 150);
    m_table->setColumnWidth(kLow, 150), m_table->setColumnWidth(kHigh, 150);
    m_table->verticalHeader()->hide();
    m_table->verticalHeader()->setDefaultSectionSize(26);
    for (const recipe::Step& s : r.steps)
        for (const recipe::Check& c : s.checks) {
            const int row = m_table->rowCount();
            m_table->insertRow(row);
            auto* seen = new QTableWidgetItem;
            seen->setFlags(Qt::ItemIsEnabled | Qt::ItemIsUserCheckable | Qt::ItemIsSelectable);
            seen->setCheckState(c.onScreen ? Qt::Checked : Qt::Unchecked);
            m_table->setItem(row, kSeen, seen);
            const auto fixed = [&](int column, const QString& text) {
                auto* i = new QTableWidgetItem(text);
                i->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable);
                m_table->setItem(row, column, i);
            };
            fixed(kName, (c.balloon ? QString::number(c.balloon) + QStringLiteral("  ") : QString()) + q(c.name));
            const QString unit = QString::fromUtf8(base::symbol(c.limits.unit));
            fixed(kLimits,
                  q(c.limits.text()) + (unit.isEmpty() || !c.limits.any() ? QString() : QStringLiteral(" ") + unit));
            const auto limits = c.limits.resolved(r.toleranceClass);
            const auto may = [&](int column, bool there, const std::optional<recipe::Span>& span) {
                auto* i = new QTableWidgetItem(shown(span));
                if (!there) i->setFlags(Qt::ItemIsSelectable), i->setText(QString());
                i->setToolTip(there ? tr("\"from .. to\": the operator may move the limit so far. Empty: not at all")
                                    : tr("This value has no such limit"));
                m_table->setItem(row, column, i);
            };
            may(kLow, limits && limits->lowest(), c.lowMay);
            may(kHigh, limits && limits->highest(), c.highMay);
            m_rows.push_back({s.id, c.output, c});
        }
    whole->addWidget(m_table, 1);
    m_state = new QLabel(this);
    m_state->setObjectName(QStringLiteral("screenState"));
    m_state->setWordWrap(true);
    whole->addWidget(m_state);
    auto* ok = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel, this);
    connect(ok, &QDialogButtonBox::accepted, this, &ScreenDialog::accept);
    connect(ok, &QDialogButtonBox::rejected, this, &QDialog::reject);
    whole->addWidget(ok);
    connect(m_table, &QTableWidget::itemChanged, this, [this] { refresh(); });
    refresh();
}

base::Result<std::vector<recipe::Check>> ScreenDialog::edited() const
{
    std::vector<recipe::Check> out;
    const auto cls = m_session.recipe().toleranceClass;
    for (std::size_t i = 0; i < m_rows.size(); ++i) {
        recipe::Check c = m_rows[i].check;
        c.onScreen = m_table->item(int(i), kSeen)->checkState() == Qt::Checked;
        const auto limits = c.limits.resolved(cls);
        const auto read = [&](int column, const std::optional<double>& limit,
                              std::optional<recipe::Span>& to) -> base::Status {
            // What is shown may be rounded; what was not touched is not.
            const QString text = m_table->item(int(i), column)->text();
            if (text == shown(to)) return {};
            auto span = spanFrom(text);
            if (!span) return base::passOn(span.error(), c.name);
            if (*span && limit && !(*span)->holds(*limit))
                return base::fail(
                    base::ErrorCode::OutOfRange,
                    "the limit itself, " + base::shortest(*limit) + ", lies outside " + text.toStdString(), c.name);
            to = *span;
            return {};
        };
        if (auto ok = read(kLow, limits ? limits->lowest() : std::nullopt, c.lowMay); !ok)
            return base::passOn(ok.error());
        if (auto ok = read(kHigh, limits ? limits->highest() : std::nullopt, c.highMay); !ok)
            return base::passOn(ok.error());
        out.push_back(std::move(c));
    }
    return out;
}

void ScreenDialog::refresh()
{
    const auto checks = edited();
    if (!checks) return m_state->setText(q(checks.error().text()));
    const auto seen = std::count_if(checks->begin(), checks->end(), [](const auto& c) { return c.onScreen; });
    m_state->setText(seen == 0  ? tr("all values, eight at a time")
                     : seen > 8 ? tr("%1 values are ticked; eight have room").arg(seen)
                                : tr("%1 values and what fails").arg(seen));
}

void ScreenDialog::accept()
{
    const auto checks = edited();
    if (!checks) return m_state->setText(q(checks.error().text()));
    recipe::Screen screen;
    if (m_picture->currentIndex() > 0) screen.picture = m_picture->currentData().toString().toStdString();
    screen.turn = m_turn->currentData().toInt();
    screen.marks = recipe::Screen::Marks(m_marks->currentIndex());
    screen.totals = m_totals->isChecked(), screen.cycle = m_cycle->isChecked();
    screen.rejects = m_rejects->isChecked();
    bool differs = !(screen == m_session.recipe().screen);
    for (std::size_t i = 0; i < m_rows.size(); ++i) differs = differs || !((*checks)[i] == m_rows[i].check);
    if (differs)
        m_session.change(tr("operator's screen"), [&](recipe::Recipe& r) {
            r.screen = screen;
            for (std::size_t i = 0; i < m_rows.size(); ++i)
                if (recipe::Step* s = r.find(m_rows[i].step))
                    for (recipe::Check& c : s->checks)
                        if (c.output == m_rows[i].output) c = (*checks)[i];
        });
    QDialog::accept();
}

} // namespace desktop

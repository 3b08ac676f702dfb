#include "desktop/check_dialog.h"

#include "inspect/proposals.h"

#include <QComboBox>
#include <QDialogButtonBox>
#include <QDoubleSpinBox>
#include <QFormLayout>
#include <QHeaderView>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSpinBox>
#include <QTableWidget>
#include <QVBoxLayout>

namespace desktop
{
using namespace recipe;
using base::ErrorCode;

namespace
{
QString q(const std::string& s) { return QString::fromStdString(s); }
base::Result<double> numberFrom(const QString& text)
{
    bool right = false;
    QString t = text.trimmed();
    const double v = t.replace(QLatin1Char(','), QLatin1Char('.')).toDouble(&right);
    if (!right) return base::fail(ErrorCode::InvalidArgument, "\"" + text.toStdString() + "\" is not a number");
    return v;
}
} // namespace

CheckDialog::CheckDialog(Session& session, const std::string& step, const std::string& output, QWidget* parent)
    : QDialog(parent), m_session(session), m_step(step)
{
    setObjectName(QStringLiteral("checkDialog"));
    const Recipe& r = session.recipe();
    const Step& s = *r.find(step);
    for (const Check& c : s.checks)
        if (c.output == output) m_check = c;
    const OutputSpec& spec = *findKind(s.kind)->output(output);
    m_list = spec.list;
    m_unit = base::shownAs(r.unitOf(s, spec), r.shownIn);
    setWindowTitle(tr("Limits of %1").arg(q(m_check.name)));
    resize(m_list ? 640 : 480, m_list ? 620 : 300);
    auto* whole = new QVBoxLayout(this);
    auto* form = new QFormLayout;
    m_limits = new QLineEdit(this);
    m_limits->setObjectName(QStringLiteral("checkLimits"));
    m_limits->setPlaceholderText(tr("no limits"));
    m_limits->setToolTip(tr("26 +-0.05 · 26 +0.1 -0.05 · 25.9 .. 26.1 · >= 0.65 · <= 0.2 · 10 · 26 ISO 2768 (general "
                            "tolerance), ISO 2768 R (radii, chamfers), "
                            "30 ISO 2768 side 12 (an angle with its shorter side in mm); "
                            "a unit behind it if it is another one"));
    form->addRow(tr("Limits%1, in %2")
                     .arg(m_list ? tr(" of all") : QString(),
                          m_unit == base::Unit::None ? tr("no unit") : QString::fromUtf8(base::symbol(m_unit))),
                 m_limits);
    m_tolerance = new QDoubleSpinBox(this);
    m_tolerance->setObjectName(QStringLiteral("plusMinus"));
    m_tolerance->setDecimals(base::decimals(m_unit) + (m_unit == base::Unit::None ? 3 : 0));
    m_tolerance->setRange(0, 1e9);
    m_tolerance->setValue(std::pow(10.0, -base::decimals(m_unit)) * 50);
    m_tolerance->setPrefix(QStringLiteral("± "));
    auto* here = new QPushButton(m_list ? tr("Every element as in this part") : tr("Nominal from this part"), this);
    here->setObjectName(QStringLiteral("fromThisPart"));
    connect(here, &QPushButton::clicked, this, &CheckDialog::fromThisPart);
    auto* row = new QHBoxLayout;
    row->addWidget(m_tolerance, 1);
    row->addWidget(here);
    form->addRow(tr("Or"), row);
    m_uncertainty = new QLineEdit(this);
    m_uncertainty->setObjectName(QStringLiteral("uncertainty"));
    m_uncertainty->setPlaceholderText(tr("not stated"));
    m_uncertainty->setToolTip(tr("Expanded uncertainty, in the limits' unit; narrows the limits when the recipe's "
                                 "guard band is on. Repeatability can tell it"));
    form->addRow(tr("Uncertainty"), m_uncertainty);
    m_fault = new QLineEdit(this);
    m_fault->setObjectName(QStringLiteral("faultText"));
    m_fault->setPlaceholderText(tr("%1 and its value").arg(q(m_check.name)));
    form->addRow(tr("Say when it fails"), m_fault);
    m_match = new QComboBox(this);
    m_match->setObjectName(QStringLiteral("matchBy"));
    m_match->addItems({tr("in order"), tr("by place: a missing one is named and shifts nothing")});
    m_reach = new QDoubleSpinBox(this);
    m_reach->setObjectName(QStringLiteral("placeReach"));
    m_reach->setRange(0, 1e5);
    m_reach->setDecimals(1);
    m_reach->setSuffix(tr(" px"));
    m_reach->setSpecialValueText(tr("half the least distance"));
    whole->addLayout(form);
    m_elements = new QTableWidget(0, 4, this);
    m_elements->setObjectName(QStringLiteral("elements"));
    m_elements->setHorizontalHeaderLabels({tr("name"), tr("limits"), tr("place, px on the reference"), tr("here")});
    m_elements->horizontalHeader()->setSectionResizeMode(1, QHeaderView::Stretch);
    m_elements->horizontalHeader()->setSectionResizeMode(2, QHeaderView::ResizeToContents);
    if (m_list) {
        form->addRow(tr("Elements are matched"), m_match);
        form->addRow(tr("Reach of a place"), m_reach);
        whole->addWidget(m_elements, 1);
        auto* buttons = new QHBoxLayout;
        const auto button = [&](const char* name, const QString& text, auto call) {
            auto* b = new QPushButton(text, this);
            b->setObjectName(QLatin1String(name));
            connect(b, &QPushButton::clicked, this, call);
            buttons->addWidget(b);
        };
        button("addElement", tr("Add"), [this] {
            m_elements->insertRow(m_elements->rowCount());
            for (int c = 0; c < 4; ++c) m_elements->setItem(m_elements->rowCount() - 1, c, new QTableWidgetItem);
            refresh();
        });
        button("removeElement", tr("Remove"), [this] {
            if (m_elements->currentRow() >= 0) m_elements->removeRow(m_elements->currentRow());
            refresh();
        });
        button("rowsAndColumns", tr("Rows × columns…"), [this] { rowsAndColumns(); });
        buttons->addStretch();
        whole->addLayout(buttons);
    } else {
        m_match->hide(), m_reach->hide(), m_elements->hide();
    }
    m_state = new QLabel(this);
    m_state->setObjectName(QStringLiteral("checkState"));
    m_state->setWordWrap(true);
    whole->addWidget(m_state);
    auto* ok = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel, this);
    connect(ok, &QDialogButtonBox::accepted, this, &CheckDialog::accept);
    connect(ok, &QDialogButtonBox::rejected, this, &QDialog::reject);
    whole->addWidget(ok);
    fill(m_check);
    for (QLineEdit* e : {m_limits, m_uncertainty, m_fault})
        connect(e, &QLineEdit::textChanged, this, [this] { refresh(); });
    connect(m_match, &QComboBox::currentIndexChanged, this, [this] { refresh(); });
    connect(m_reach, &QDoubleSpinBox::valueChanged, this, [this] { refresh(); });
    connect(m_elements, &QTableWidget::itemChanged, this, [this](QTableWidgetItem* i) {
        if (i->column() != 3) refresh();
    });
    refresh();
}

void CheckDialog::fill(const Check& c)
{
    const QSignalBlocker a(m_limits), b(m_elements), d(m_match);
    m_filled = c;
    m_limits->setText(shown(c.limits));
    m_fault->setText(q(c.fault));
    m_uncertainty->setText(c.uncertainty ? q(base::shortest(*c.uncertainty)) : QString());
    m_match->setCurrentIndex(c.match == Match::Place);
    m_reach->setValue(c.reach);
    m_elements->setRowCount(0);
    for (const Element& e : c.elements) {
        const int n = m_elements->rowCount();
        m_elements->insertRow(n);
        m_elements->setItem(n, 0, new QTableWidgetItem(q(e.name)));
        m_elements->setItem(n, 1, new QTableWidgetItem(e.own ? shown(*e.own) : QString()));
        m_elements->setItem(n, 2, new QTableWidgetItem(e.at ? shown(*e.at) : QString()));
        m_elements->item(n, 0)->setData(Qt::UserRole, n); // which of the filled ones it is
        m_elements->setItem(n, 3, new QTableWidgetItem);
    }
}

QString CheckDialog::shown(const Limits& limits) const
{
    const QString text = q(limits.text());
    return text.isEmpty() || limits.unit == m_unit
               ? text
               : text + QStringLiteral(" ") + QString::fromUtf8(base::symbol(limits.unit));
}
QString CheckDialog::shown(const geometry::Point& place)
{
    return QStringLiteral("%1, %2").arg(place.x, 0, 'f', 1).arg(place.y, 0, 'f', 1);
}
base::Result<Limits> CheckDialog::read(const QString& text, const Limits& filled) const
{
    // What is shown may be rounded; what was not touched is not.
    if (filled.any() && text.trimmed() == shown(filled)) return filled;
    return parseLimits(text.trimmed().toStdString(), m_unit);
}

base::Result<Check> CheckDialog::edited() const
{
    Check c = m_check;
    auto limits = read(m_limits->text(), m_filled.limits);
    if (!limits) return base::passOn(limits.error());
    c.limits = *limits;
    c.fault = m_fault->text().trimmed().toStdString();
    c.uncertainty.reset();
    if (!m_uncertainty->text().trimmed().isEmpty()) {
        const auto u = numberFrom(m_uncertainty->text());
        if (!u) return base::passOn(u.error());
        if (*u < 0) return base::fail(ErrorCode::OutOfRange, "the uncertainty must not be below 0");
        c.uncertainty = *u;
    }
    c.match = m_list && m_match->currentIndex() == 1 ? Match::Place : Match::Order;
    c.reach = m_reach->value();
    c.elements.clear();
    for (int i = 0; m_list && i < m_elements->rowCount(); ++i) {
        const auto text = [&](int k) {
            return m_elements->item(i, k) ? m_elements->item(i, k)->text().trimmed() : QString();
        };
        Element e, before;
        const std::string where = "element " + std::to_string(i + 1);
        if (const QVariant n = m_elements->item(i, 0) ? m_elements->item(i, 0)->data(Qt::UserRole) : QVariant();
            n.isValid())
            before = m_filled.elements[std::size_t(n.toInt())];
        e.name = text(0).toStdString();
        if (!text(1).isEmpty()) {
            auto own = read(text(1), before.own.value_or(Limits{}));
            if (!own) return base::passOn(own.error(), where);
            if (c.limits.any() && !base::convertible(own->unit, c.limits.unit))
                return base::fail(ErrorCode::InvalidArgument, "its limits are in another unit than those of all",
                                  where);
            if (!c.limits.any()) c.limits.unit = own->unit;
            e.own = own->unit == c.limits.unit ? *own : own->in(c.limits.unit);
        }
        if (before.at && text(2) == shown(*before.at)) {
            e.at = before.at;
        } else if (!text(2).isEmpty()) {
            const QStringList xy =
                text(2).split(text(2).contains(QLatin1Char(';')) ? QLatin1Char(';') : QLatin1Char(','));
            const auto x =
                xy.size() == 2
                    ? numberFrom(xy[0])
                    : base::Result<double>(base::fail(ErrorCode::InvalidArgument, "the place is not \"x, y\"", where));
            const auto y = xy.size() == 2 ? numberFrom(xy[1]) : x;
            if (!x) return base::passOn(x.error(), where);
            if (!y) return base::passOn(y.error(), where);
            e.at = geometry::Point{*x, *y};
        }
        if (c.match == Match::Place && !e.at)
            return base::fail(ErrorCode::InvalidArgument, "matched by place, it needs a place", where);
        c.elements.push_back(std::move(e));
    }
    if (c.match == Match::Place && c.elements.empty())
        return base::fail(ErrorCode::InvalidArgument,
                          "matched by place, the list needs elements: take them from this part, or add rows × columns");
    return c;
}

void CheckDialog::refresh()
{
    const auto c = edited();
    m_state->setText(c ? QString() : q(c.error().text()));
    if (!c) return;
    // What it would say here and of all trials.
    const Recipe& r = m_session.recipe();
    const Step& s = *r.find(m_step);
    if (const auto* item = m_session.currentItem()) {
        const auto answer = inspect::judgeCheck(r, s, *c, item->step(m_step));
        m_state->setText(tr("here: %1%2")
                             .arg(q(answer.verdict == inspect::Verdict::NotMeasured ? "not measured"
                                                                                    : inspect::name(answer.verdict)),
                                  answer.reason.empty() ? QString() : QStringLiteral(" · ") + q(answer.reason)));
        const QSignalBlocker quiet(m_elements);
        for (int i = 0; i < m_elements->rowCount(); ++i) {
            QString text;
            if (i < int(answer.elements.size())) {
                const auto& e = answer.elements[std::size_t(i)];
                text = e.value < 0 ? tr("missing")
                                   : q(base::toText(answer.values[std::size_t(e.value)], answer.unit, answer.shownIn));
                if (e.verdict == inspect::Verdict::Fail && e.value >= 0) text += tr(" fails");
            }
            if (m_elements->item(i, 3))
                m_elements->item(i, 3)->setText(text), m_elements->item(i, 3)->setFlags(Qt::ItemIsEnabled);
        }
    }
    int pass = 0, all = 0;
    for (const auto* t : m_session.results()) {
        if (!t || t->error) continue;
        for (const auto& item : t->items)
            ++all, pass += inspect::judgeCheck(r, s, *c, item.step(m_step)).verdict == inspect::Verdict::Pass;
    }
    m_state->setText(m_state->text() + tr("\npasses in %1 of %2 trials").arg(pass).arg(all));
}

void CheckDialog::fromThisPart()
{
    m_session.awaitView();
    const auto* item = m_session.currentItem();
    if (!item) return m_state->setText(tr("No part is measured in this picture"));
    const auto c = inspect::fromThisPart(m_session.prepared()->recipe(), *item, m_check, m_step, m_tolerance->value(),
                                         m_match->currentIndex() == 1);
    if (!c) return m_state->setText(q(c.error().message));
    Check keep = *c;
    keep.fault = m_fault->text().toStdString();
    fill(keep);
    refresh();
}

void CheckDialog::rowsAndColumns()
{
    QDialog d(this);
    d.setObjectName(QStringLiteral("gridDialog"));
    d.setWindowTitle(tr("Rows × columns of places"));
    auto* form = new QFormLayout(&d);
    const auto whole = [&](const char* name, int v) {
        auto* s = new QSpinBox(&d);
        s->setObjectName(QLatin1String(name));
        s->setRange(1, 200), s->setValue(v);
        return s;
    };
    const auto real = [&](const char* name, double v) {
        auto* s = new QDoubleSpinBox(&d);
        s->setObjectName(QLatin1String(name));
        s->setRange(-1e5, 1e5), s->setDecimals(1), s->setValue(v), s->setSuffix(tr(" px"));
        return s;
    };
    auto *rows = whole("gridRows", 2), *columns = whole("gridColumns", 5);
    auto *x = real("gridX", 100), *y = real("gridY", 100), *cx = real("gridColumnX", 100), *cy = real("gridColumnY", 0),
         *rx = real("gridRowX", 0), *ry = real("gridRowY", 100);
    form->addRow(tr("Rows"), rows), form->addRow(tr("Columns"), columns);
    form->addRow(tr("First place x, on the reference"), x), form->addRow(tr("First place y"), y);
    form->addRow(tr("Next column: x"), cx), form->addRow(tr("Next column: y"), cy);
    form->addRow(tr("Next row: x"), rx), form->addRow(tr("Next row: y"), ry);
    auto* ok = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel, &d);
    connect(ok, &QDialogButtonBox::accepted, &d, &QDialog::accept);
    connect(ok, &QDialogButtonBox::rejected, &d, &QDialog::reject);
    form->addRow(ok);
    if (d.exec() != QDialog::Accepted) return;
    Check c = edited().value_or(m_check);
    c.elements = gridOfPlaces(rows->value(), columns->value(), {x->value(), y->value()}, {cx->value(), cy->value()},
                              {rx->value(), ry->value()});
    c.match = Match::Place;
    fill(c);
    refresh();
}

void CheckDialog::accept()
{
    const auto c = edited();
    if (!c) return m_state->setText(q(c.error().text()));
    m_session.setCheck(m_step, *c);
    QDialog::accept();
}

} // namespace desktop

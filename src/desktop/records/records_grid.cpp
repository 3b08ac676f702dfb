#include "desktop/records/records_grid.h"

#include "base/unit.h"
#include "desktop/grid_view.h"
#include "report/sheet_painter.h"
#include "report/step_symbols.h"

#include <QHelpEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolButton>
#include <QToolTip>
#include <cmath>

namespace desktop
{
using namespace records;
using report::theme;

namespace
{
inspect::Verdict verdictOf(CellState s)
{
    return s == CellState::Pass          ? inspect::Verdict::Pass
           : s == CellState::Fail        ? inspect::Verdict::Fail
           : s == CellState::NotMeasured ? inspect::Verdict::NotMeasured
                                         : inspect::Verdict::Unjudged;
}
CellState stateOf(const std::string& word)
{
    return word == "pass"           ? CellState::Pass
           : word == "fail"         ? CellState::Fail
           : word == "not_measured" ? CellState::NotMeasured
           : word.empty()           ? CellState::Absent
                                    : CellState::Unjudged;
}
QString listed(const std::vector<double>& values, bool list, const QString& unit)
{
    if (values.empty()) return list ? QObject::tr("none") : QStringLiteral("–");
    return list ? QObject::tr("%1 values").arg(values.size()) : figure(values.front(), unit);
}
} // namespace

// ---------------------------------------------------------------- rows
RecordRows::RecordRows(RecordsModel& model, QObject* parent) : QObject(parent), m_model(model)
{
    connect(&m_model, &RecordsModel::changed, this, &RecordRows::rework);
}
void RecordRows::rework()
{
    m_checks = m_model.view().order;
    if (m_model.sortedByFails())
        std::stable_sort(m_checks.begin(), m_checks.end(), [&](int a, int b) {
            const auto& s = m_model.view().checks;
            return std::make_pair(s[std::size_t(a)].failed, s[std::size_t(a)].notMeasured) >
                   std::make_pair(s[std::size_t(b)].failed, s[std::size_t(b)].notMeasured);
        });
    emit changed();
}
int RecordRows::rowAt(int y) const
{
    const int row = y < kHead ? -1 : (y - kHead + m_offset) / kRow;
    return row >= 0 && row < int(m_checks.size()) ? row : -1;
}
int RecordRows::rowOf(int check) const
{
    const auto at = std::find(m_checks.begin(), m_checks.end(), check);
    return at == m_checks.end() ? -1 : int(at - m_checks.begin());
}
void RecordRows::setOffset(int px, int room)
{
    px = std::clamp(px, 0, std::max(0, int(m_checks.size()) * kRow - room));
    if (px == m_offset) return;
    m_offset = px;
    emit changed();
}
void RecordRows::step(int by, bool second)
{
    if (m_checks.empty()) return;
    const int now = rowOf(second && m_model.view().second >= 0 ? m_model.view().second : m_model.view().check);
    const int row = std::clamp(now + by, 0, int(m_checks.size()) - 1);
    second ? m_model.chooseSecond(m_checks[std::size_t(row)]) : m_model.chooseCheck(m_checks[std::size_t(row)]);
}

// ---------------------------------------------------------------- heads
namespace
{
constexpr int kLimits = 92, kMeanWide = 58, kCpk = 44, kValue = 66;
}

RecordHeads::RecordHeads(RecordsModel& model, RecordRows& rows, QWidget* parent)
    : QWidget(parent), m_model(model), m_rows(rows)
{
    setObjectName(QStringLiteral("recordHeads"));
    setAccessibleName(tr("Checks of the item in view"));
    setFocusPolicy(Qt::StrongFocus);
    setMinimumWidth(360);
    connect(&m_rows, &RecordRows::changed, this, qOverload<>(&QWidget::update));
    connect(&m_model, &RecordsModel::moved, this, qOverload<>(&QWidget::update));
}
void RecordHeads::setItem(const std::vector<ValueRow>& values, std::shared_ptr<const Again> again)
{
    m_values = values;
    m_again = std::move(again);
    update();
}
const ValueRow* RecordHeads::valueOf(const CheckName& check) const
{
    for (const ValueRow& v : m_values)
        if (v.step == check.step && v.output == check.output && v.list == check.list && v.unit == check.unit) return &v;
    return nullptr;
}

RecordHeads::Row RecordHeads::rowFor(int check) const
{
    const RecordsView& v = m_model.view();
    const CheckName& name = v.columns->checks[std::size_t(check)];
    const CheckSummary& s = v.checks[std::size_t(check)];
    Row r;
    r.name = name.name, r.unit = name.unit, r.balloon = name.balloon;
    const auto limits = [&](const std::optional<double>& nominal, const std::optional<double>& low,
                            const std::optional<double>& high) -> QString {
        if (nominal && low && high &&
            std::abs((*high - *nominal) - (*nominal - *low)) < 1e-9 * (1 + std::abs(*nominal)))
            return QStringLiteral("%1 ±%2").arg(shortFigure(*nominal, name.unit),
                                                shortFigure(*high - *nominal, name.unit));
        if (low && high)
            return *low == *high
                       ? shortFigure(*low, name.unit)
                       : QStringLiteral("%1…%2").arg(shortFigure(*low, name.unit), shortFigure(*high, name.unit));
        if (low) return QStringLiteral("≥ %1").arg(shortFigure(*low, name.unit));
        if (high) return QStringLiteral("≤ %1").arg(shortFigure(*high, name.unit));
        return QStringLiteral("–");
    };
    if (const ValueRow* value = valueOf(name)) {
        r.state = stateOf(value->verdict.toStdString());
        r.logged = listed(value->values, value->list, name.unit);
        r.limits = !value->elements.empty() ? tr("each its own") : limits(value->nominal, value->low, value->high);
    } else if (m_model.item() >= 0) {
        r.logged = tr("not in it");
        r.limits = limits(s.limits.nominal, s.limits.low, s.limits.high);
    }
    if (m_again) {
        for (const CheckAgain& a : m_again->checks)
            if (QString::fromStdString(a.step) == name.step && QString::fromStdString(a.output) == name.output) {
                r.now = stateOf(a.verdictNow);
                r.again = a.isThere ? listed(a.now, name.list, QString::fromStdString(a.unitNow)) : tr("gone");
                r.changed = !a.same();
            }
        if (r.again.isEmpty()) r.again = QStringLiteral("–");
    }
    if (s.measured > 0 && !name.list) r.mean = figure(s.mean, name.unit);
    if (s.cpk) r.cpk = *s.cpk > 99 ? QStringLiteral("> 99") : QString::number(*s.cpk, 'f', *s.cpk > 10 ? 1 : 2);
    return r;
}
QStringList RecordHeads::rowText(int row) const
{
    const Row r = rowFor(m_rows.checks()[std::size_t(row)]);
    return {r.name, r.logged, r.again, r.limits, r.mean, r.cpk};
}

void RecordHeads::paintEvent(QPaintEvent*)
{
    QPainter p(this);
    const report::Theme& th = theme();
    p.fillRect(rect(), th.paper);
    if (m_model.view().rows.empty()) return;
    // Inspected again, the mean gives its room to the names.
    const int again = m_again ? kValue : 0, kMean = m_again && width() < 520 ? 0 : kMeanWide, right = width() - 6,
              cpk = right - kCpk, mean = cpk - kMean, limits = mean - kLimits, now = limits - again,
              logged = now - kValue, bottom = height() - RecordRows::kVerdict;
    const auto cell = [&](int left, int wide, int top, int high, const QString& text, const QColor& colour, bool bold) {
        p.setFont(report::uiFont(bold ? 13 : 12, bold));
        p.setPen(colour);
        p.drawText(QRect(left, top, wide - 5, high), Qt::AlignVCenter | Qt::AlignRight,
                   p.fontMetrics().elidedText(text, Qt::ElideRight, wide - 5));
    };
    p.save();
    p.setClipRect(0, RecordRows::kHead, width(), bottom - RecordRows::kHead);
    for (int i = 0; i < int(m_rows.checks().size()); ++i) {
        const int top = m_rows.top(i), check = m_rows.checks()[std::size_t(i)];
        if (top + RecordRows::kRow <= RecordRows::kHead || top >= bottom) continue;
        const Row r = rowFor(check);
        const QRect box(0, top, width(), RecordRows::kRow - 1);
        if (check == m_model.view().check) p.fillRect(box, th.selected);
        if (check == m_model.view().second) {
            p.setPen(QPen(th.datum, 1, Qt::DashLine));
            p.setBrush(Qt::NoBrush);
            p.drawRect(box.adjusted(1, 0, 0, -1));
        }
        const QColor colour = r.state == CellState::Absent ? th.second : th.of(verdictOf(r.state));
        p.setRenderHint(QPainter::Antialiasing);
        if (r.balloon > 0)
            report::paintBalloon(p, QPointF(15, box.center().y() + 0.5), 9, QString::number(r.balloon), colour,
                                 th.paper);
        else if (m_recipe)
            if (const recipe::Step* step =
                    m_recipe->recipe().find(m_model.view().columns->checks[std::size_t(check)].step.toStdString()))
                if (const recipe::StepKind* kind = recipe::findKind(step->kind))
                    report::drawKindSymbol(
                        p,
                        report::statedBy(*kind,
                                         m_model.view().columns->checks[std::size_t(check)].output.toStdString()),
                        QRectF(8, box.center().y() - 6.5, 14, 14), kind->datum ? th.datum : th.ink);
        p.setRenderHint(QPainter::Antialiasing, false);
        p.setFont(report::uiFont(13));
        const int room = logged - 32, unitWidth = r.unit.isEmpty() ? 0 : p.fontMetrics().horizontalAdvance(r.unit) + 3;
        const QString name = p.fontMetrics().elidedText(r.name, Qt::ElideRight, room - unitWidth);
        p.setPen(th.ink);
        p.drawText(QRect(30, top, room, box.height()), Qt::AlignVCenter, name);
        p.setPen(th.second);
        p.drawText(QRect(34 + p.fontMetrics().horizontalAdvance(name), top, unitWidth + 8, box.height()),
                   Qt::AlignVCenter, r.unit);
        if (r.state == CellState::NotMeasured)
            report::hatch(p, QRectF(logged + kValue - 34, top + 6, 28, box.height() - 12), th.notMeasured, 4);
        else cell(logged, kValue, top, box.height(), r.logged, colour, r.state != CellState::Absent);
        if (m_again) {
            const QColor of = r.now == CellState::Absent ? th.second : th.of(verdictOf(r.now));
            if (r.changed) p.fillRect(QRect(now + 3, top + 2, kValue - 4, box.height() - 4), th.selected);
            if (r.now == CellState::NotMeasured)
                report::hatch(p, QRectF(now + kValue - 34, top + 6, 28, box.height() - 12), th.notMeasured, 4);
            else cell(now, kValue, top, box.height(), r.again, of, r.changed);
        }
        cell(limits, kLimits, top, box.height(), r.limits, th.second, false);
        if (kMean > 0) cell(mean, kMean, top, box.height(), r.mean, th.second, false);
        cell(cpk, kCpk, top, box.height(), r.cpk, th.ink, check == m_model.view().check);
    }
    p.restore();
    constexpr int high = RecordRows::kHead;
    p.setFont(report::uiFont(12));
    p.setPen(th.second);
    p.drawText(QRect(10, 0, 120, high), Qt::AlignVCenter, tr("check"));
    cell(logged, kValue, 0, high, tr("logged"), th.second, false);
    if (m_again) cell(now, kValue, 0, high, tr("again"), th.second, false);
    cell(limits, kLimits, 0, high, tr("limits then"), th.second, false);
    if (kMean > 0) cell(mean, kMean, 0, high, tr("mean"), th.second, false);
    cell(cpk, kCpk, 0, high, tr("Cpk"), th.second, false);
    p.setPen(th.ink);
    p.drawLine(0, bottom, width(), bottom);
    p.setFont(report::uiFont(13));
    p.drawText(QRect(10, bottom, width() - 14, RecordRows::kVerdict), Qt::AlignVCenter,
               p.fontMetrics().elidedText(verdictLine(), Qt::ElideRight, width() - 16));
}

QString RecordHeads::verdictLine() const
{
    const ItemCounts& n = m_model.view().counts;
    QString text = tr("Verdict · %1 accept, %2 reject").arg(grouped(n.accepted), grouped(n.rejected));
    if (n.unjudged > 0) text += tr(", %1 unjudged").arg(grouped(n.unjudged));
    if (n.unreadable > 0) text += tr(", %1 unreadable").arg(grouped(n.unreadable));
    if (n.items > 0) text += tr(" · %1 % accepted").arg(100.0 * double(n.accepted) / double(n.items), 0, 'f', 1);
    return text;
}

void RecordHeads::mousePressEvent(QMouseEvent* e)
{
    const int row = m_rows.rowAt(e->position().toPoint().y());
    if (row < 0 || e->position().y() > height() - RecordRows::kVerdict) return;
    const int check = m_rows.checks()[std::size_t(row)];
    e->modifiers() & Qt::ControlModifier ? m_model.chooseSecond(check) : m_model.chooseCheck(check);
}
void RecordHeads::wheelEvent(QWheelEvent* e)
{
    m_rows.setOffset(m_rows.offset() - e->angleDelta().y() / 3, height() - RecordRows::kHead - RecordRows::kVerdict);
}
void RecordHeads::keyPressEvent(QKeyEvent* e)
{
    const bool second = e->modifiers() & Qt::ControlModifier;
    if (e->key() == Qt::Key_Down || e->key() == Qt::Key_Up)
        return m_rows.step(e->key() == Qt::Key_Down ? 1 : -1, second);
    QWidget::keyPressEvent(e);
}
void RecordHeads::setRecipe(std::shared_ptr<const inspect::Prepared> recipe)
{
    m_recipe = std::move(recipe);
    update();
}
QString RecordHeads::about(int row) const
{
    const int check = m_rows.checks()[std::size_t(row)];
    const CheckName& name = m_model.view().columns->checks[std::size_t(check)];
    const CheckSummary& s = m_model.view().checks[std::size_t(check)];
    QString text = tr("%1: %2 failed, %3 not measured of %4")
                       .arg(name.name, grouped(s.failed), grouped(s.notMeasured), grouped(s.asked));
    if (const ValueRow* v = valueOf(name)) {
        if (!v->reason.isEmpty()) text += QLatin1Char('\n') + v->reason;
        QStringList all;
        for (std::size_t k = 0; k < v->values.size() && k < 200 && v->list; ++k) all << figure(v->values[k], name.unit);
        if (!all.isEmpty())
            text += tr("\n%1 values: %2 %3").arg(v->values.size()).arg(all.join(QStringLiteral("; ")), name.unit);
        // A list whose elements have limits of their own is read with them, a missing one by its name.
        const auto limit = [&](const std::optional<double>& x) {
            return x ? shortFigure(*x, name.unit) : QStringLiteral("–");
        };
        for (std::size_t k = 0; k < v->elements.size() && k < 200; ++k) {
            const ElementRow& e = v->elements[k];
            text +=
                tr("\n%1: %2, limits %3 to %4, %5")
                    .arg(e.name, e.value ? figure(*e.value, name.unit) + QLatin1Char(' ') + name.unit : tr("missing"),
                         limit(e.low), limit(e.high),
                         e.verdict == QLatin1String("not_measured") ? tr("not measured") : e.verdict);
        }
    }
    if (s.limitsMoved)
        text +=
            tr("\nlimits were moved: Cpk is of the %1 values under the last ones").arg(grouped((long long)(s.counted)));
    return text;
}
bool RecordHeads::event(QEvent* e)
{
    if (e->type() != QEvent::ToolTip) return QWidget::event(e);
    const auto* help = static_cast<QHelpEvent*>(e);
    const int row = m_rows.rowAt(help->pos().y());
    if (row < 0) return QToolTip::hideText(), true;
    QToolTip::showText(help->globalPos(), about(row) + tr("\nCtrl and a click lay this check against the chosen one"),
                       this);
    return true;
}

// ---------------------------------------------------------------- cells
RecordCells::RecordCells(RecordsModel& model, RecordRows& rows, QWidget* parent)
    : QWidget(parent), m_model(model), m_rows(rows)
{
    setObjectName(QStringLiteral("recordCells"));
    setAccessibleName(tr("Checks over the chosen items"));
    setFocusPolicy(Qt::StrongFocus);
    setMinimumWidth(240);
    m_bar = new QScrollBar(Qt::Horizontal, this);
    m_bar->setObjectName(QStringLiteral("columnsBar"));
    m_bar->setFocusPolicy(Qt::NoFocus);
    connect(m_bar, &QScrollBar::valueChanged, &m_model, &RecordsModel::setOffset);
    connect(&m_rows, &RecordRows::changed, this, &RecordCells::refresh);
    connect(&m_model, &RecordsModel::moved, this, &RecordCells::refresh);
}
void RecordCells::refresh()
{
    const int most = std::max(0, m_model.widest() - m_model.space());
    m_bar->setRange(0, most);
    m_bar->setPageStep(m_model.space());
    m_bar->setSingleStep(int(m_model.width()));
    {
        const QSignalBlocker quiet(m_bar);
        m_bar->setValue(m_model.offset());
    }
    m_bar->setVisible(most > 0);
    update();
}
void RecordCells::resizeEvent(QResizeEvent*)
{
    m_bar->setGeometry(RecordsModel::kMargin, height() - RecordRows::kVerdict - 11,
                       width() - RecordsModel::kMargin - RecordsModel::kAxis, 10);
}
QRect RecordCells::cellRect(int row, int column) const
{
    return {leftOf(column), m_rows.top(row), wide(column), RecordRows::kRow - 4};
}
int RecordCells::columnAt(int x) const
{
    const double c = double(x - RecordsModel::kMargin + m_model.offset()) / m_model.width();
    return c < 0 || c >= m_model.columns() ? -1 : int(c);
}

void RecordCells::paintEvent(QPaintEvent*)
{
    QPainter p(this);
    const report::Theme& th = theme();
    p.fillRect(rect(), th.paper);
    const RecordsView& v = m_model.view();
    if (v.rows.empty()) return;
    const int bottom = height() - RecordRows::kVerdict, right = width() - RecordsModel::kAxis;
    const double each = m_model.width();
    const int first = std::max(0, int(m_model.offset() / each)),
              last = std::min(m_model.columns(), int((m_model.offset() + m_model.space()) / each) + 1);
    p.save();
    p.setClipRect(RecordsModel::kMargin, 0, right - RecordsModel::kMargin, height());
    const int at = m_model.item() >= 0 ? m_model.columnOf(m_model.item()) : -1;
    if (at >= first && at < last) p.fillRect(QRect(leftOf(at), RecordRows::kHead, wide(at), height()), th.selected);
    for (int i = 0; i < int(m_rows.checks().size()); ++i) {
        const int top = m_rows.top(i), check = m_rows.checks()[std::size_t(i)];
        if (top + RecordRows::kRow <= RecordRows::kHead || top >= bottom) continue;
        if (check == v.check) p.fillRect(QRect(0, top, width(), RecordRows::kRow - 1), th.selected);
        p.save();
        p.setClipRect(
            QRect(RecordsModel::kMargin, RecordRows::kHead, right - RecordsModel::kMargin, bottom - RecordRows::kHead));
        const CheckSummary& s = v.checks[std::size_t(check)];
        for (int c = first; c < last; ++c) {
            const int w = wide(c);
            const QRect box(leftOf(c), top + 2, w, RecordRows::kRow - 5);
            if (v.per > 1) {
                const CellState worst = s.worst[std::size_t(c)];
                if (worst == CellState::Absent) continue;
                paintPackedCells(p, int(v.per), int(s.fails[std::size_t(c)]), worst == CellState::NotMeasured ? 1 : 0,
                                 worst != CellState::Unjudged, box);
                continue;
            }
            const auto cell = v.columns->cell(v.rows[std::size_t(c)], std::size_t(check));
            if (cell.state == CellState::Absent) continue;
            GridCell g;
            g.asked = true;
            g.verdict = verdictOf(cell.state);
            if (!std::isnan(cell.value)) {
                double low = 0, high = 1;
                recipe::Limits limits;
                limits.low = cell.limits->low, limits.high = cell.limits->high;
                tickRange(limits, {s.least, s.most}, low, high);
                g.place = std::clamp((cell.value - low) / (high - low), 0.0, 1.0);
                g.tooHigh = cell.limits->high && cell.value > *cell.limits->high;
                g.tooLow = cell.limits->low && cell.value < *cell.limits->low;
                if (cell.limits->low && cell.limits->high && *cell.limits->high > *cell.limits->low)
                    g.near = std::abs(2 * cell.value - *cell.limits->low - *cell.limits->high) >=
                             0.8 * (*cell.limits->high - *cell.limits->low);
            }
            paintGridCell(p, g, box, RowKind::Check, w);
        }
        p.restore();
    }
    paintColumns(p, first, last);
    paintVerdicts(p, first, last);
    if (at >= first && at < last) {
        p.setRenderHint(QPainter::Antialiasing, false);
        p.setPen(QPen(th.datum, 2));
        for (const int x : {leftOf(at), leftOf(at) + wide(at)}) p.drawLine(x, RecordRows::kHead, x, height());
    }
    p.restore();
    p.setRenderHint(QPainter::Antialiasing, false);
    p.setPen(th.ink);
    p.drawLine(0, bottom, width(), bottom);
}

// Numbers of the items over their columns, that of the one in view in its colour.
void RecordCells::paintColumns(QPainter& p, int first, int last) const
{
    const report::Theme& th = theme();
    const RecordsView& v = m_model.view();
    p.fillRect(QRect(0, 0, width(), RecordRows::kHead), th.paper);
    const auto number = [&](int column) { return grouped(v.columns->id(v.rows[std::size_t(column) * v.per])); };
    p.setFont(report::uiFont(12));
    int free = -1000;
    const int widest = p.fontMetrics().horizontalAdvance(number(m_model.columns() - 1));
    const int every = std::max(1, int((widest + 18) / m_model.width()) + 1);
    const int at = m_model.item() >= 0 ? m_model.columnOf(m_model.item()) : -1;
    for (int c = first; c < last; ++c) {
        if (c % every != 0 && m_model.width() < 28) continue;
        const QString text = number(c);
        const int x = leftOf(c), broad = p.fontMetrics().horizontalAdvance(text);
        if (x < free || x + broad > width() - RecordsModel::kAxis) continue;
        p.setPen(th.hair);
        p.drawLine(x, 4, x, 18);
        p.setPen(th.second);
        p.drawText(QRect(x + 4, 2, broad + 4, 17), Qt::AlignVCenter, text);
        free = x + broad + 12;
    }
    // Releases, as above.
    int after = -1000;
    for (const std::size_t i : v.releaseChanges) {
        const int x = leftOf(m_model.columnOf(int(i)));
        if (x < 0 || x > width() || x < after) continue;
        const QString text = tr("rev %1").arg(v.columns->releases[v.columns->release(v.rows[i])].revision);
        p.setPen(QPen(th.datum, 1));
        p.drawLine(x, 20, x, height() - RecordRows::kVerdict);
        p.drawText(QRect(x + 4, 20, 80, 17), Qt::AlignVCenter, text);
        after = x + p.fontMetrics().horizontalAdvance(text) + 14;
    }
    if (at < first || at >= last) return;
    p.setFont(report::uiFont(12, true));
    const QString text = grouped(m_model.itemId());
    const int broad = p.fontMetrics().horizontalAdvance(text) + 8;
    const QRect plate(
        std::clamp(leftOf(at) + wide(at) / 2 - broad / 2, 0, std::max(0, width() - RecordsModel::kAxis - broad)), 21,
        broad, 17);
    p.fillRect(plate, th.selected);
    p.setPen(th.datum);
    p.drawText(plate, Qt::AlignCenter, text);
}

void RecordCells::paintVerdicts(QPainter& p, int first, int last) const
{
    const report::Theme& th = theme();
    const RecordsView& v = m_model.view();
    const int bottom = height() - RecordRows::kVerdict, room = RecordRows::kVerdict - 8;
    for (int c = first; c < last; ++c) {
        const int w = wide(c);
        const std::size_t begin = std::size_t(c) * v.per, end = std::min(v.rows.size(), begin + v.per);
        int bad = 0;
        for (std::size_t i = begin; i < end; ++i) {
            const ItemVerdict verdict = v.columns->verdict(v.rows[i]);
            bad += verdict == ItemVerdict::Reject || verdict == ItemVerdict::Error;
        }
        if (v.per > 1 || w < 8) {
            const int high = bad ? std::max(4, room * bad / int(end - begin)) : 0;
            p.fillRect(QRect(leftOf(c), bottom + 4 + room - high, std::max(1, w), high), th.fail);
            continue;
        }
        const QRectF sign(leftOf(c) + w / 2.0 - 6, bottom + 7, 12, 12);
        switch (v.columns->verdict(v.rows[begin])) {
        case ItemVerdict::Accept: report::drawTick(p, sign.adjusted(1, 1, -1, -1), th.pass, 1.5); break;
        case ItemVerdict::Reject: report::drawCross(p, sign, th.fail, 2); break;
        case ItemVerdict::Unjudged: report::drawDash(p, sign, th.ink, 1.6); break;
        case ItemVerdict::Error:
            report::hatch(p, QRectF(leftOf(c) + 1, bottom + 5, w - 2, room - 2), th.notMeasured, 4);
            break;
        }
        if (v.columns->overruled.count(v.columns->id(v.rows[begin]))) { // a person said otherwise
            p.setPen(QPen(th.datum, 1.5));
            p.drawLine(QPointF(leftOf(c) + 2, bottom + 23.5), QPointF(leftOf(c) + w - 2, bottom + 23.5));
        }
    }
}

void RecordCells::mousePressEvent(QMouseEvent* e)
{
    const QPoint at = e->position().toPoint();
    const int row = at.y() < height() - RecordRows::kVerdict ? m_rows.rowAt(at.y()) : -1, c = columnAt(at.x());
    const int check = row >= 0 ? m_rows.checks()[std::size_t(row)] : -1;
    if (c >= 0) m_model.chooseItem(m_model.itemOfColumn(c, check));
    if (check < 0) return;
    if (e->modifiers() & Qt::ControlModifier) m_model.chooseSecond(check);
    else if (check != m_model.view().check) m_model.chooseCheck(check);
}
void RecordCells::wheelEvent(QWheelEvent* e)
{
    const QPoint d = e->angleDelta();
    if (e->modifiers() & Qt::ControlModifier) return m_model.widen(d.y() > 0 ? 1 : -1);
    if (d.x() != 0 || (e->modifiers() & Qt::ShiftModifier))
        return m_model.setOffset(m_model.offset() - (d.x() ? d.x() : d.y()) / 2);
    m_rows.setOffset(m_rows.offset() - d.y() / 3, height() - RecordRows::kHead - RecordRows::kVerdict);
}
void RecordCells::keyPressEvent(QKeyEvent* e)
{
    const int step = int(m_model.view().per);
    switch (e->key()) {
    case Qt::Key_Left: return m_model.chooseItem(m_model.item() - step);
    case Qt::Key_Right: return m_model.chooseItem(m_model.item() + step);
    case Qt::Key_Home: return m_model.chooseItem(0);
    case Qt::Key_End: return m_model.chooseItem(int(m_model.view().rows.size()) - 1);
    case Qt::Key_Up: return m_rows.step(-1, e->modifiers() & Qt::ControlModifier);
    case Qt::Key_Down: return m_rows.step(1, e->modifiers() & Qt::ControlModifier);
    case Qt::Key_Return:
    case Qt::Key_Enter:
        if (!(e->modifiers() & Qt::ControlModifier)) return emit pictureWanted();
    }
    QWidget::keyPressEvent(e);
}

QString RecordCells::cellText(int row, int column) const
{
    const RecordsView& v = m_model.view();
    const std::size_t check = std::size_t(m_rows.checks()[std::size_t(row)]), begin = std::size_t(column) * v.per;
    const CheckName& name = v.columns->checks[check];
    if (v.per > 1)
        return tr("%1: %2 of %3 failed")
            .arg(name.name, grouped(v.checks[check].fails[std::size_t(column)]), grouped((long long)(v.per)));
    const auto cell = v.columns->cell(v.rows[begin], check);
    static const char* words[] = {"not in its recipe", "pass", "fail", "not measured", "unjudged"};
    QString text =
        tr("item %1, %2: %3").arg(grouped(v.columns->id(v.rows[begin])), name.name, tr(words[int(cell.state)]));
    if (!std::isnan(cell.value)) text += QStringLiteral(", %1 %2").arg(figure(cell.value, name.unit), name.unit);
    return text;
}
bool RecordCells::event(QEvent* e)
{
    if (e->type() != QEvent::ToolTip) return QWidget::event(e);
    const auto* help = static_cast<QHelpEvent*>(e);
    const int c = columnAt(help->pos().x()), row = m_rows.rowAt(help->pos().y());
    if (c < 0 || row < 0) return QToolTip::hideText(), true;
    QToolTip::showText(help->globalPos(), cellText(row, c), this);
    return true;
}

// ---------------------------------------------------------------- fails
FailBars::FailBars(RecordsModel& model, RecordRows& rows, QWidget* parent)
    : QWidget(parent), m_model(model), m_rows(rows)
{
    setObjectName(QStringLiteral("failBars"));
    setAccessibleName(tr("How often each check failed"));
    setMinimumWidth(90);
    m_sort = new QToolButton(this);
    m_sort->setObjectName(QStringLiteral("sortByFails"));
    m_sort->setProperty("page", true);
    m_sort->setText(tr("sort"));
    m_sort->setCheckable(true);
    m_sort->setToolTip(tr("Checks that fail most stand first: the grid is the Pareto chart of the faults"));
    connect(m_sort, &QToolButton::toggled, &m_model, &RecordsModel::sortByFails);
    connect(&m_rows, &RecordRows::changed, this, qOverload<>(&QWidget::update));
}
void FailBars::resizeEvent(QResizeEvent*)
{
    m_sort->adjustSize();
    m_sort->move(width() - m_sort->width() - 4, 8);
}

void FailBars::paintEvent(QPaintEvent*)
{
    QPainter p(this);
    const report::Theme& th = theme();
    p.fillRect(rect(), th.paper);
    p.setPen(th.hair);
    p.drawLine(0, 0, 0, height());
    const RecordsView& v = m_model.view();
    m_sort->setVisible(!v.rows.empty());
    if (v.rows.empty()) return;
    const int bottom = height() - RecordRows::kVerdict;
    p.setFont(report::uiFont(12));
    p.setPen(th.second);
    p.drawText(QRect(7, 0, width() - 12, RecordRows::kHead), Qt::AlignVCenter, tr("fails"));
    long long most = 1, all = 0;
    for (const int check : m_rows.checks()) {
        const CheckSummary& s = v.checks[std::size_t(check)];
        most = std::max(most, s.failed + s.notMeasured), all += s.failed + s.notMeasured;
    }
    p.save();
    p.setClipRect(0, RecordRows::kHead, width(), bottom - RecordRows::kHead);
    long long sum = 0;
    QPolygonF cumulative;
    const double left = 7, wide = width() - 60.0;
    for (int i = 0; i < int(m_rows.checks().size()); ++i) {
        const int top = m_rows.top(i), check = m_rows.checks()[std::size_t(i)];
        const CheckSummary& s = v.checks[std::size_t(check)];
        const long long bad = s.failed + s.notMeasured;
        sum += bad;
        if (all > 0)
            cumulative << QPointF(left + (width() - 14.0) * double(sum) / double(all), top + RecordRows::kRow / 2);
        if (top + RecordRows::kRow <= RecordRows::kHead || top >= bottom) continue;
        if (check == v.check) p.fillRect(QRect(1, top, width(), RecordRows::kRow - 1), th.selected);
        const double failed = wide * double(s.failed) / double(most),
                     lost = wide * double(s.notMeasured) / double(most);
        p.fillRect(QRectF(left, top + 6, s.failed ? std::max(2.0, failed) : 0, RecordRows::kRow - 13), th.fail);
        if (s.notMeasured > 0)
            report::hatch(p, QRectF(left + failed, top + 6, std::max(3.0, lost), RecordRows::kRow - 13), th.notMeasured,
                          4);
        p.setPen(bad ? th.ink : th.second);
        p.drawText(QRectF(left + failed + lost + 5, top, 60, RecordRows::kRow - 1), Qt::AlignVCenter, grouped(bad));
    }
    // The share of all faults up to each row.
    if (m_model.sortedByFails() && all > 0) {
        p.setRenderHint(QPainter::Antialiasing);
        p.setPen(QPen(th.datum, 1.4));
        p.setBrush(Qt::NoBrush);
        p.drawPolyline(cumulative);
    }
    p.restore();
    p.setRenderHint(QPainter::Antialiasing, false);
    p.setPen(th.ink);
    p.drawLine(0, bottom, width(), bottom);
    p.setFont(report::uiFont(13));
    p.drawText(QRect(7, bottom, width() - 10, RecordRows::kVerdict), Qt::AlignVCenter,
               p.fontMetrics().elidedText(
                   tr("%1 of %2").arg(grouped(v.counts.rejected + v.counts.unreadable), grouped(v.counts.items)),
                   Qt::ElideRight, width() - 10));
}
void FailBars::mousePressEvent(QMouseEvent* e)
{
    if (const int row = m_rows.rowAt(e->position().toPoint().y()); row >= 0)
        m_model.chooseCheck(m_rows.checks()[std::size_t(row)]);
}
void FailBars::wheelEvent(QWheelEvent* e)
{
    m_rows.setOffset(m_rows.offset() - e->angleDelta().y() / 3, height() - RecordRows::kHead - RecordRows::kVerdict);
}

} // namespace desktop

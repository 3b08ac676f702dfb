#include "desktop/records/run_chart.h"

#include "report/sheet_painter.h"
#include "report/theme.h"

#include <QActionGroup>
#include <QHelpEvent>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QToolButton>
#include <QToolTip>
#include <cmath>

namespace desktop
{
using namespace records;
using report::theme;

namespace
{
constexpr int kTop = 26, kLost = 20; // heading; row of what was not measured
QString kindWord(ChartKind kind, int group)
{
    return kind == ChartKind::Individuals    ? QObject::tr("single values")
           : kind == ChartKind::MeanAndRange ? QObject::tr("means of %1, ranges").arg(group)
                                             : QObject::tr("means of %1, deviations").arg(group);
}
QString limitsText(const LimitSet& l, const QString& unit)
{
    if (l.nominal && l.low && l.high && std::abs((*l.high - *l.nominal) - (*l.nominal - *l.low)) < 1e-9)
        return QStringLiteral("±%1").arg(shortFigure(*l.high - *l.nominal, unit));
    if (l.low && l.high) return QStringLiteral("%1…%2").arg(shortFigure(*l.low, unit), shortFigure(*l.high, unit));
    if (l.low) return QStringLiteral("≥ %1").arg(shortFigure(*l.low, unit));
    if (l.high) return QStringLiteral("≤ %1").arg(shortFigure(*l.high, unit));
    return QObject::tr("no limits");
}
} // namespace

RunChart::RunChart(RecordsModel& model, QWidget* parent) : QWidget(parent), m_model(model)
{
    setObjectName(QStringLiteral("runChart"));
    setAccessibleName(tr("Chosen check over the items"));
    setFocusPolicy(Qt::StrongFocus);
    setMinimumSize(240, 140);
    setMouseTracking(true);
    m_kind = new QToolButton(this);
    m_kind->setObjectName(QStringLiteral("chartKind"));
    m_kind->setProperty("page", true);
    m_kind->setAccessibleName(tr("Kind of control chart"));
    m_kind->setToolTip(tr("Control chart of single values with moving ranges, or of means of groups (ISO 7870-2)"));
    m_kind->setPopupMode(QToolButton::InstantPopup);
    auto* menu = new QMenu(m_kind);
    menu->addAction(kindWord(ChartKind::Individuals, 1), this, [this] { m_model.setChart(ChartKind::Individuals, 5); });
    for (const auto kind : {ChartKind::MeanAndRange, ChartKind::MeanAndDeviation})
        for (const int n : {2, 3, 4, 5, 10, 25})
            menu->addAction(kindWord(kind, n), this, [this, kind, n] { m_model.setChart(kind, n); });
    m_kind->setMenu(menu);
    connect(&m_model, &RecordsModel::changed, this, &RunChart::refresh);
    connect(&m_model, &RecordsModel::moved, this, qOverload<>(&QWidget::update));
    refresh();
}

void RunChart::refresh()
{
    m_kind->setText(kindWord(m_model.chartKind(), m_model.group()));
    m_kind->setVisible(m_model.view().check >= 0 && !m_model.view().choice.byOutcome());
    m_kind->adjustSize();
    m_kind->move(width() - m_kind->width() - 2, 1);
    update();
}
void RunChart::resizeEvent(QResizeEvent*)
{
    m_model.setSpace(width() - RecordsModel::kMargin - RecordsModel::kAxis);
    m_kind->move(width() - m_kind->width() - 2, 1);
}
void RunChart::setAgain(std::optional<double> value)
{
    m_again = value;
    update();
}

QRectF RunChart::spreads() const
{
    const auto& d = m_model.view().detail;
    if (height() < 230 || !d || d->chart.spreads.empty()) return {};
    const double high = std::min(84.0, height() * 0.24);
    return {double(RecordsModel::kMargin), height() - high - 4, double(m_model.space()), high};
}
QRectF RunChart::plot() const
{
    const QRectF below = spreads();
    const double bottom = (below.isEmpty() ? height() - 4.0 : below.top() - 6) - kLost;
    return {double(RecordsModel::kMargin), double(kTop), double(m_model.space()), bottom - kTop};
}
double RunChart::xOf(double column) const
{
    return RecordsModel::kMargin + column * m_model.width() - m_model.offset();
}
int RunChart::columnAt(double x) const
{
    const double c = (x - RecordsModel::kMargin + m_model.offset()) / m_model.width();
    return c < 0 || c >= m_model.columns() ? -1 : int(c);
}
double RunChart::yOf(double v) const
{
    const QRectF box = plot();
    return box.bottom() - box.height() * (v - m_model.lowest()) / (m_model.highest() - m_model.lowest());
}
double RunChart::valueAt(double y) const
{
    const QRectF box = plot();
    return m_model.lowest() + (box.bottom() - y) / box.height() * (m_model.highest() - m_model.lowest());
}

void RunChart::paintEvent(QPaintEvent*)
{
    QPainter p(this);
    const report::Theme& th = theme();
    p.fillRect(rect(), th.paper);
    const RecordsView& v = m_model.view();
    if (v.check < 0 || v.rows.empty()) return paintHint(p);
    paintHeading(p);
    const QRectF box = plot(), below = spreads();
    p.save();
    p.setClipRect(QRectF(box.left() - 5, kTop, box.width() + 10, height() - kTop));
    if (m_pressed >= 0 && std::abs(m_now - m_pressed) > 4)
        p.fillRect(QRectF(QPointF(std::min(m_pressed, m_now), kTop), QPointF(std::max(m_pressed, m_now), height())),
                   th.selected);
    paintTolerance(p, box);
    if (m_model.item() >= 0) {
        const double x = xOf(m_model.columnOf(m_model.item()));
        QColor ground = th.selected;
        ground.setAlpha(150);
        p.fillRect(QRectF(x, kTop, m_model.width(), height() - kTop), ground);
        p.setPen(QPen(th.datum, 2));
        for (const double side : {x, x + m_model.width()}) p.drawLine(QPointF(side, kTop), QPointF(side, height()));
    }
    paintControl(p, box);
    paintValues(p, box);
    paintHits(p, box);
    paintReleases(p, box);
    p.restore();
    if (!below.isEmpty()) paintSpreads(p, below);
    paintAxis(p, box);
}

void RunChart::paintHint(QPainter& p) const
{
    p.setFont(report::uiFont(13));
    p.setPen(theme().second);
    if (m_model.answered() && !m_model.view().rows.empty())
        p.drawText(rect().adjusted(24, 12, -24, -12), Qt::AlignCenter | Qt::TextWordWrap,
                   tr("No check was logged with these items"));
}

// Its heading and the signs in words, for those who do not see them.
QString RunChart::said() const
{
    const RecordsView& v = m_model.view();
    if (v.check < 0) return {};
    const CheckName& check = v.columns->checks[std::size_t(v.check)];
    const CheckSummary& s = v.checks[std::size_t(v.check)];
    QString text = (check.balloon > 0 ? QString::number(check.balloon) + QLatin1Char(' ') : QString()) + check.name +
                   (check.unit.isEmpty() ? QString() : QStringLiteral(", ") + check.unit) +
                   (check.list ? tr(" (worst of each list)") : QString());
    text += QStringLiteral(" · ") + tr("%1 items").arg(grouped(s.asked));
    if (s.notMeasured > 0) text += tr(", %1 not measured").arg(grouped(s.notMeasured));
    for (std::size_t i = 0; v.detail && i < v.detail->hits.size() && i < 12; ++i)
        text += QStringLiteral(" · %1 ").arg(QLatin1Char(letterOf(v.detail->hits[i].rule))) +
                QString::fromStdString(ruleText(v.detail->hits[i]));
    return text;
}

void RunChart::paintHeading(QPainter& p) const
{
    const report::Theme& th = theme();
    const RecordsView& v = m_model.view();
    const CheckName& check = v.columns->checks[std::size_t(v.check)];
    const CheckSummary& s = v.checks[std::size_t(v.check)];
    double x = RecordsModel::kMargin;
    const double end = m_kind->isVisible() ? m_kind->x() - 8.0 : width() - 4.0;
    if (check.balloon > 0) {
        report::paintBalloon(p, QPointF(x + 9, 13), 9, QString::number(check.balloon), th.ink, th.paper);
        x += 24;
    }
    const auto write = [&](const QString& text, bool bold, const QColor& colour) {
        p.setFont(report::uiFont(bold ? 13 : 12, bold));
        const double w = std::min(end - x, double(p.fontMetrics().horizontalAdvance(text)) + 1);
        if (w < 20) return;
        p.setPen(colour);
        p.drawText(QRectF(x, 2, w, 22), Qt::AlignVCenter, p.fontMetrics().elidedText(text, Qt::ElideRight, int(w)));
        x += w + 12;
    };
    write(check.name + (check.unit.isEmpty() ? QString() : QStringLiteral(", ") + check.unit), true, th.ink);
    QString counts = tr("%1 items").arg(grouped(s.asked));
    if (s.notMeasured > 0) counts += tr(", %1 not measured").arg(grouped(s.notMeasured));
    if (check.list) counts += tr(" · worst of each list");
    if (v.per > 1) counts += tr(" · lowest, mean and highest of %1 each").arg(grouped((long long)(v.per)));
    write(counts, false, th.second);
    // The key, where there is room.
    const auto key = [&](const QString& text, const QPen& pen) {
        p.setFont(report::uiFont(12));
        const double w = 26 + p.fontMetrics().horizontalAdvance(text);
        if (x + w > end) return;
        p.setPen(pen);
        p.drawLine(QPointF(x, 13.5), QPointF(x + 20, 13.5));
        p.setPen(th.second);
        p.drawText(QRectF(x + 26, 2, w, 22), Qt::AlignVCenter, text);
        x += w + 12;
    };
    const bool process = v.detail && v.detail->chart.places.size() > 1;
    if (process) key(tr("control limits"), QPen(th.ink, 1, Qt::DashLine));
    else if (v.choice.byOutcome()) write(tr("no control limits: not from chosen results alone"), false, th.second);
    if (s.limits.low || s.limits.high) key(tr("tolerance at that time"), QPen(th.pass, 2));
}

// As it was for every item; it steps where it was moved.
void RunChart::paintTolerance(QPainter& p, const QRectF& box) const
{
    const report::Theme& th = theme();
    const RecordsView& v = m_model.view();
    const int first = std::max(0, columnAt(box.left() + 1)), count = m_model.columns();
    const auto limitsOf = [&](int column) -> std::optional<LimitSet> {
        const std::size_t begin = std::size_t(column) * v.per, end = std::min(v.rows.size(), begin + v.per);
        for (std::size_t i = begin; i < end; ++i)
            if (const auto cell = v.columns->cell(v.rows[i], std::size_t(v.check)); cell.state != CellState::Absent)
                return *cell.limits;
        return std::nullopt;
    };
    for (int c = first; c < count && xOf(c) < box.right();) {
        const auto limits = limitsOf(c);
        int end = c + 1;
        // Columns without the check go on with what stood before.
        while (end < count && xOf(end) < box.right()) {
            const auto next = limitsOf(end);
            if (next && (!limits || !(*next == *limits))) break;
            ++end;
        }
        if (limits && (limits->low || limits->high)) {
            const double top = limits->high ? std::max(box.top(), yOf(*limits->high)) : box.top(),
                         bottom = limits->low ? std::min(box.bottom(), yOf(*limits->low)) : box.bottom();
            const QRectF band(QPointF(xOf(c), top), QPointF(std::min(xOf(end), box.right()), bottom));
            p.fillRect(band, th.passGround);
            p.setPen(QPen(th.pass, 2, Qt::SolidLine, Qt::FlatCap));
            if (limits->high) p.drawLine(band.topLeft(), band.topRight());
            if (limits->low) p.drawLine(band.bottomLeft(), band.bottomRight());
        }
        c = end;
    }
}

void RunChart::paintControl(QPainter& p, const QRectF& box) const
{
    const auto& d = m_model.view().detail;
    if (!d || d->chart.places.size() < 2) return;
    const report::Theme& th = theme();
    const double right = std::min(box.right(), xOf(m_model.columns()));
    p.setPen(QPen(th.ink, 1));
    p.drawLine(QPointF(box.left(), yOf(d->chart.mean)), QPointF(right, yOf(d->chart.mean)));
    p.setPen(QPen(th.ink, 1, Qt::CustomDashLine));
    QPen dashed(th.ink, 1);
    dashed.setDashPattern({6, 4});
    p.setPen(dashed);
    for (const double y : {yOf(d->chart.lower), yOf(d->chart.upper)})
        p.drawLine(QPointF(box.left(), y), QPointF(right, y));
}

void RunChart::paintValues(QPainter& p, const QRectF& box) const
{
    const report::Theme& th = theme();
    const RecordsView& v = m_model.view();
    const std::size_t check = std::size_t(v.check);
    const double w = m_model.width();
    const QColor grey = th.dark ? QColor("#8A919A") : QColor("#6F757D");
    const QRectF lost(box.left(), box.bottom() + 3, box.width(), kLost - 6);
    p.setRenderHint(QPainter::Antialiasing);
    bool anyLost = false;
    const auto hatched = [&](double x) {
        anyLost = true;
        const QRectF mark(x + 0.5, lost.top(), std::max(2.0, std::min(w, 12.0) - 1), lost.height());
        report::hatch(p, mark, th.notMeasured, 4);
        p.setPen(QPen(th.notMeasured, 1));
        p.setBrush(Qt::NoBrush);
        p.drawRect(mark);
    };
    if (v.per > 1) {
        const CheckSummary& s = v.checks[check];
        QPolygonF mean;
        for (int c = 0; c < int(s.worst.size()); ++c) {
            const std::size_t at = std::size_t(c);
            const double x = xOf(c + 0.5);
            if (s.worst[at] == CellState::NotMeasured) hatched(xOf(c));
            if (std::isnan(s.low[at])) continue;
            p.setPen(QPen(grey, 2, Qt::SolidLine, Qt::FlatCap));
            p.drawLine(QPointF(x, yOf(s.low[at]) + 0.5), QPointF(x, yOf(s.high[at]) - 0.5));
            mean << QPointF(x, yOf(s.middle[at]));
        }
        p.setPen(QPen(th.ink, 1.4));
        p.setBrush(Qt::NoBrush);
        p.drawPolyline(mean);
        for (int c = 0; c < int(s.worst.size()); ++c) { // over the lines, so that none is hidden
            const std::size_t at = std::size_t(c);
            if (s.fails[at] == 0 || std::isnan(s.low[at])) continue;
            const auto past = [&](double value, const std::optional<double>& limit, int side) {
                if (limit && side * (value - *limit) > 0)
                    p.fillRect(QRectF(xOf(c) - 0.5, yOf(value) - 2, w + 1, 4), th.fail);
            };
            past(s.high[at], s.limits.high, 1), past(s.low[at], s.limits.low, -1);
        }
    } else {
        const bool groups =
            m_model.chartKind() != ChartKind::Individuals && v.detail && !v.detail->chart.places.empty();
        const std::size_t first = std::size_t(std::max(0, columnAt(box.left() + 1))),
                          last = std::min(v.rows.size(), first + std::size_t(box.width() / w) + 2);
        QPainterPath line;
        bool open = false;
        for (std::size_t i = first; i < last; ++i) {
            const auto cell = v.columns->cell(v.rows[i], check);
            if (cell.state == CellState::Absent) continue;
            if (cell.state == CellState::NotMeasured) hatched(xOf(double(i)) + (w > 12 ? (w - 12) / 2 : 0));
            if (std::isnan(cell.value)) continue;
            const QPointF at(middleOf(i), yOf(cell.value));
            open ? line.lineTo(at) : line.moveTo(at);
            open = true;
        }
        p.setBrush(Qt::NoBrush);
        if (!groups) p.strokePath(line, QPen(grey, 1));
        const double r = w >= 10 ? 2.6 : w >= 5 ? 1.8 : 1.3;
        for (std::size_t i = first; i < last; ++i) {
            const auto cell = v.columns->cell(v.rows[i], check);
            if (cell.state == CellState::Absent || std::isnan(cell.value)) continue;
            const QPointF at(middleOf(i), yOf(cell.value));
            if (cell.state == CellState::Fail)
                report::drawCross(p, QRectF(at.x() - 6, at.y() - 6, 12, 12), th.fail, 2.4);
            else {
                p.setPen(Qt::NoPen);
                QColor dot = groups ? grey : th.ink;
                if (groups) dot.setAlpha(130);
                p.setBrush(dot);
                p.drawEllipse(at, r, r);
            }
        }
        if (groups) {
            QPolygonF means;
            const ControlChart& chart = v.detail->chart;
            for (std::size_t g = 0; g < chart.places.size(); ++g) {
                const std::size_t begin = v.detail->at[g * std::size_t(chart.group)], end = v.detail->itemOfPoint(g);
                means << QPointF((middleOf(begin) + middleOf(end)) / 2, yOf(chart.places[g]));
            }
            p.setPen(QPen(th.ink, 1.4));
            p.setBrush(th.ink);
            p.drawPolyline(means);
            for (const QPointF& at : means) p.drawRect(QRectF(at.x() - 2.5, at.y() - 2.5, 5, 5));
        }
    }
    if (m_again && m_model.item() >= 0) {
        p.setPen(QPen(th.datum, 2));
        p.setBrush(th.paper);
        p.drawEllipse(
            QPointF(middleOf(std::size_t(m_model.item())), std::clamp(yOf(*m_again), box.top(), box.bottom())), 4.5,
            4.5);
    }
    p.setRenderHint(QPainter::Antialiasing, false);
    if (anyLost && m_model.widest() < m_model.space() - 100) {
        p.setPen(th.second);
        p.setFont(report::uiFont(12));
        p.drawText(QRectF(xOf(m_model.columns()) + 8, lost.top() - 2, 120, lost.height() + 4), Qt::AlignVCenter,
                   tr("not measured"));
    }
}

std::vector<RunChart::Hit> RunChart::hits() const
{
    std::vector<Hit> out;
    const auto& d = m_model.view().detail;
    if (!d) return out;
    const QRectF box = plot();
    for (const RuleHit& h : d->hits) {
        const std::size_t begin = h.first * std::size_t(d->chart.group);
        const double left = xOf(m_model.columnOf(int(d->at[begin]))),
                     right = xOf(m_model.columnOf(int(d->itemOfPoint(h.last))) + 1);
        if (right < box.left() || left > box.right()) continue;
        double y = 1e9;
        for (std::size_t k = h.first; k <= h.last && k < h.first + 200; ++k) y = std::min(y, yOf(d->chart.places[k]));
        out.push_back({&h, left, right, std::max(box.top() + 20, y - 9)});
    }
    return out;
}

// A letter in a ring with a bracket over its points; of several at one place the first and how many more.
void RunChart::paintHits(QPainter& p, const QRectF& box) const
{
    const report::Theme& th = theme();
    const auto all = hits();
    const RecordsView& v = m_model.view();
    // Where hundreds lie beside each other letters say nothing: the words and the tooltip stay.
    const bool crowded = all.size() > 60;
    double free = -1e9;
    std::size_t more = 0;
    double lastX = 0, lastY = 0;
    const Hit* worded = nullptr;
    const std::size_t item = m_model.item() >= 0 ? std::size_t(m_model.item()) : 0;
    for (const Hit& h : all) {
        const std::size_t from = v.detail->at[h.rule->first * std::size_t(v.detail->chart.group)],
                          to = v.detail->itemOfPoint(h.rule->last);
        if (!worded || (item >= from && item <= to) ||
            (h.rule->rule != Rule::Beyond && worded->rule->rule == Rule::Beyond))
            worded = &h;
    }
    const auto also = [&] {
        if (more == 0) return;
        p.setFont(report::uiFont(12));
        p.setPen(th.ink);
        p.drawText(QRectF(lastX + 9, lastY - 8, 40, 16), Qt::AlignVCenter, QStringLiteral("+%1").arg(more));
        more = 0;
    };
    p.setRenderHint(QPainter::Antialiasing);
    for (const Hit& h : all) {
        if (crowded && &h != worded) continue;
        const double x = (h.left + h.right) / 2, y = h.y - 9;
        if (h.rule->rule != Rule::Beyond) {
            p.setPen(QPen(th.ink, 1.2));
            p.drawPolyline(
                QPolygonF({{h.left + 2, h.y + 5}, {h.left + 2, h.y}, {h.right - 2, h.y}, {h.right - 2, h.y + 5}}));
        }
        if (x < free && &h != worded) {
            ++more;
            continue;
        }
        also();
        p.setPen(QPen(th.ink, 1.4));
        p.setBrush(th.paper);
        p.drawEllipse(QPointF(x, y - 1), 8, 8);
        p.setFont(report::uiFont(12, true));
        p.drawText(QRectF(x - 8, y - 10, 16, 16), Qt::AlignCenter, QString(QLatin1Char(letterOf(h.rule->rule))));
        free = x + 34, lastX = x, lastY = y;
    }
    also();
    if (!worded) return;
    p.setFont(report::uiFont(12));
    const QString text = QString::fromStdString(ruleText(*worded->rule));
    const double w = p.fontMetrics().horizontalAdvance(text) + 8;
    double x = (worded->left + worded->right) / 2 + 14;
    if (x + w > box.right()) x = (worded->left + worded->right) / 2 - 14 - w;
    const QRectF plate(x, worded->y - 19, w, 18);
    p.fillRect(plate, th.paper);
    p.setPen(th.ink);
    p.drawText(plate, Qt::AlignCenter, text);
}

void RunChart::paintReleases(QPainter& p, const QRectF& box) const
{
    const report::Theme& th = theme();
    const RecordsView& v = m_model.view();
    struct Change {
        std::size_t at;
        QString text;
    };
    std::vector<Change> changes;
    const QString unit = v.columns->checks[std::size_t(v.check)].unit;
    for (const std::size_t i : v.releaseChanges) {
        const ReleaseName &before = v.columns->releases[v.columns->release(v.rows[i - 1])],
                          &now = v.columns->releases[v.columns->release(v.rows[i])];
        const auto was = v.columns->cell(v.rows[i - 1], std::size_t(v.check)),
                   is = v.columns->cell(v.rows[i], std::size_t(v.check));
        QString text = now.recipe != before.recipe ? now.recipe : tr("rev %1").arg(now.revision);
        if (now.recipe == before.recipe && was.limits && is.limits && !(*was.limits == *is.limits))
            text += QStringLiteral(": %1 → %2").arg(limitsText(*was.limits, unit), limitsText(*is.limits, unit));
        changes.push_back({i, text});
    }
    const bool crowded = changes.size() > 40;
    double free = -1e9;
    p.setFont(report::uiFont(12));
    for (const Change& c : changes) {
        const double x = std::floor(xOf(m_model.columnOf(int(c.at)))) + 0.5;
        if (x < box.left() - 2 || x > box.right() || (crowded && x < free)) continue;
        p.setPen(QPen(th.datum, 1.4));
        p.drawLine(QPointF(x, box.top()), QPointF(x, height()));
        if (x < free) continue;
        const double w = p.fontMetrics().horizontalAdvance(c.text) + 6;
        const bool left = x + w > box.right();
        const QRectF plate(left ? x - w - 2 : x + 3, box.top() - 1, w, 16);
        p.fillRect(plate, th.paper);
        p.drawText(plate, Qt::AlignCenter, c.text);
        free = x + w + 10;
    }
}

void RunChart::paintSpreads(QPainter& p, const QRectF& box) const
{
    const report::Theme& th = theme();
    const RecordsView& v = m_model.view();
    const ControlChart& c = v.detail->chart;
    const double most = std::max(c.upperSpread, *std::max_element(c.spreads.begin(), c.spreads.end())) * 1.1;
    const auto y = [&](double s) { return box.bottom() - 3 - (box.height() - 8) * s / std::max(most, 1e-300); };
    p.save();
    p.setClipRect(box.adjusted(-5, -6, RecordsModel::kAxis, 4));
    p.setPen(th.hair);
    p.drawLine(QPointF(0, box.top() - 4), QPointF(width(), box.top() - 4));
    const double right = std::min(box.right(), xOf(m_model.columns()));
    QPen dashed(th.ink, 1);
    dashed.setDashPattern({6, 4});
    p.setPen(dashed);
    p.drawLine(QPointF(box.left(), y(c.upperSpread)), QPointF(right, y(c.upperSpread)));
    if (c.lowerSpread > 0) p.drawLine(QPointF(box.left(), y(c.lowerSpread)), QPointF(right, y(c.lowerSpread)));
    p.setPen(QPen(th.ink, 1));
    p.drawLine(QPointF(box.left(), y(c.meanSpread)), QPointF(right, y(c.meanSpread)));
    // Points at the items they end at; where many share a column, its greatest.
    const bool single = c.kind == ChartKind::Individuals;
    std::vector<std::pair<double, double>> points; // x, spread
    for (std::size_t i = 0; i < c.spreads.size(); ++i) {
        const std::size_t item = single ? v.detail->at[i + 1] : v.detail->itemOfPoint(i);
        const double x = xOf(m_model.columnOf(int(item)) + 0.5);
        if (x < box.left() - 20 || x > box.right() + 20) continue;
        if (!points.empty() && std::abs(points.back().first - x) < 0.5)
            points.back().second = std::max(points.back().second, c.spreads[i]);
        else points.emplace_back(x, c.spreads[i]);
    }
    p.setRenderHint(QPainter::Antialiasing);
    QPolygonF line;
    for (const auto& [x, s] : points) line << QPointF(x, y(s));
    p.setPen(QPen(th.dark ? QColor("#8A919A") : QColor("#6F757D"), 1));
    p.drawPolyline(line);
    for (const auto& [x, s] : points)
        if (s > c.upperSpread) p.fillRect(QRectF(x - 2.5, y(s) - 2.5, 5, 5), th.ink);
        else if (m_model.width() >= 5) {
            p.setPen(Qt::NoPen);
            p.setBrush(th.ink);
            p.drawEllipse(QPointF(x, y(s)), 1.8, 1.8);
        }
    p.setFont(report::uiFont(12));
    p.setPen(th.second);
    const QString word = single                              ? tr("moving range")
                         : c.kind == ChartKind::MeanAndRange ? tr("range")
                                                             : tr("deviation");
    const QRectF plate(box.left() + 2, box.top() - 3, p.fontMetrics().horizontalAdvance(word) + 4, 14);
    p.fillRect(plate, th.paper);
    p.drawText(plate, Qt::AlignVCenter, word);
    const QString unit = v.columns->checks[std::size_t(v.check)].unit;
    p.drawText(QRectF(box.right() + 2, y(c.upperSpread) - 8, RecordsModel::kAxis - 4, 16),
               Qt::AlignVCenter | Qt::AlignRight, figure(c.upperSpread, unit));
    p.restore();
}

// Limits in their colour, else round figures; none over another.
void RunChart::paintAxis(QPainter& p, const QRectF& box) const
{
    const report::Theme& th = theme();
    const RecordsView& v = m_model.view();
    const QString unit = v.columns->checks[std::size_t(v.check)].unit;
    const QRectF axis(box.right() + 2, box.top(), RecordsModel::kAxis - 4, box.height());
    std::vector<double> taken;
    p.setFont(report::uiFont(12));
    const auto write = [&](double value, const QColor& colour) {
        const double y = yOf(value);
        if (y < box.top() - 2 || y > box.bottom() + 2) return;
        for (const double t : taken)
            if (std::abs(t - y) < 14) return;
        taken.push_back(y);
        p.setPen(colour);
        p.drawText(QRectF(axis.left(), y - 8, axis.width(), 16), Qt::AlignVCenter | Qt::AlignRight,
                   figure(value, unit));
    };
    const LimitSet& l = v.checks[std::size_t(v.check)].limits;
    if (l.low) write(*l.low, th.pass);
    if (l.high) write(*l.high, th.pass);
    if (v.detail && v.detail->chart.places.size() > 1)
        for (const double value : {v.detail->chart.mean, v.detail->chart.lower, v.detail->chart.upper})
            write(value, th.ink);
    const double span = m_model.highest() - m_model.lowest();
    double step = std::pow(10, std::floor(std::log10(span / 3)));
    for (const double k : {5.0, 2.0})
        if (span / (k * step) >= 3) {
            step *= k;
            break;
        }
    for (double value = std::ceil(m_model.lowest() / step) * step; value <= m_model.highest(); value += step)
        write(std::abs(value) < step * 1e-6 ? 0 : value, th.second);
}

// ---------------------------------------------------------------- hands
void RunChart::mousePressEvent(QMouseEvent* e)
{
    if (e->button() != Qt::LeftButton) return;
    m_pressed = m_now = e->position().x();
}
void RunChart::mouseMoveEvent(QMouseEvent* e)
{
    if (m_pressed < 0) return;
    m_now = e->position().x();
    update();
}
void RunChart::mouseReleaseEvent(QMouseEvent* e)
{
    if (e->button() != Qt::LeftButton || m_pressed < 0) return;
    const double from = std::min(m_pressed, m_now), to = std::max(m_pressed, m_now);
    m_pressed = -1;
    update();
    const RecordsView& v = m_model.view();
    if (v.rows.empty()) return;
    if (to - from <= 4) {
        if (const int c = columnAt(to); c >= 0) m_model.chooseItem(m_model.itemOfColumn(c, v.check));
        return;
    }
    // A stroke along the items chooses them.
    const auto held = [&](double x) {
        const double c = (x - RecordsModel::kMargin + m_model.offset()) / m_model.width();
        return std::clamp(int(std::floor(c)), 0, m_model.columns() - 1);
    };
    const std::size_t first = std::size_t(held(from)) * v.per,
                      last = std::min(v.rows.size(), (std::size_t(held(to)) + 1) * v.per) - 1;
    Sentence s = m_model.sentence();
    Sentence::Brush b;
    b.of = Sentence::Brush::Of::Items;
    b.from = v.columns->id(v.rows[first]), b.to = v.columns->id(v.rows[last]);
    std::erase_if(s.brushes, [](const auto& old) { return old.of == Sentence::Brush::Of::Items; });
    s.brushes.push_back(b);
    m_model.say(std::move(s));
}
void RunChart::mouseDoubleClickEvent(QMouseEvent*)
{
    m_pressed = -1;
    emit pictureWanted();
}

void RunChart::wheelEvent(QWheelEvent* e)
{
    const QPoint d = e->angleDelta();
    if (e->modifiers() & Qt::ControlModifier) return m_model.widen(d.y() > 0 ? 1 : -1);
    m_model.setOffset(m_model.offset() - (d.x() ? d.x() : d.y()) / 2);
}
void RunChart::keyPressEvent(QKeyEvent* e)
{
    const int step = int(m_model.view().per);
    switch (e->key()) {
    case Qt::Key_Left: return m_model.chooseItem(m_model.item() - step);
    case Qt::Key_Right: return m_model.chooseItem(m_model.item() + step);
    case Qt::Key_Home: return m_model.chooseItem(0);
    case Qt::Key_End: return m_model.chooseItem(int(m_model.view().rows.size()) - 1);
    case Qt::Key_Return:
    case Qt::Key_Enter:
        if (!(e->modifiers() & Qt::ControlModifier)) return emit pictureWanted();
    }
    QWidget::keyPressEvent(e);
}

QString RunChart::hitsText(int column) const
{
    QStringList out;
    const auto& d = m_model.view().detail;
    if (!d) return {};
    for (const RuleHit& h : d->hits) {
        const int first = m_model.columnOf(int(d->at[h.first * std::size_t(d->chart.group)])),
                  last = m_model.columnOf(int(d->itemOfPoint(h.last)));
        if (column >= first && column <= last && out.size() < 8)
            out << QStringLiteral("%1  %2").arg(QLatin1Char(letterOf(h.rule))).arg(QString::fromStdString(ruleText(h)));
    }
    return out.join(QLatin1Char('\n'));
}

bool RunChart::event(QEvent* e)
{
    if (e->type() != QEvent::ToolTip) return QWidget::event(e);
    const auto* help = static_cast<QHelpEvent*>(e);
    const RecordsView& v = m_model.view();
    const int c = columnAt(help->pos().x());
    QString text = tr("A click chooses an item · a stroke chooses those under it · Ctrl+wheel: wider");
    if (v.check >= 0 && c >= 0) {
        const std::size_t first = std::size_t(c) * v.per, last = std::min(v.rows.size(), first + v.per) - 1;
        const QString unit = v.columns->checks[std::size_t(v.check)].unit;
        if (v.per == 1) {
            const auto cell = v.columns->cell(v.rows[first], std::size_t(v.check));
            text = tr("item %1: %2")
                       .arg(grouped(v.columns->id(v.rows[first])),
                            std::isnan(cell.value) ? (cell.state == CellState::Absent        ? tr("not in its recipe")
                                                      : cell.state == CellState::NotMeasured ? tr("not measured")
                                                                                             : tr("no single value"))
                                                   : figure(cell.value, unit) + QLatin1Char(' ') + unit);
            if (cell.limits && (cell.limits->low || cell.limits->high))
                text += tr(", limits %1").arg(limitsText(*cell.limits, unit));
        } else {
            const CheckSummary& s = v.checks[std::size_t(v.check)];
            text = tr("items %1 – %2: %3 failed")
                       .arg(grouped(v.columns->id(v.rows[first])), grouped(v.columns->id(v.rows[last])),
                            grouped(s.fails[std::size_t(c)]));
            if (!std::isnan(s.low[std::size_t(c)]))
                text += tr("\n%1 to %2, mean %3 %4")
                            .arg(figure(s.low[std::size_t(c)], unit), figure(s.high[std::size_t(c)], unit),
                                 figure(s.middle[std::size_t(c)], unit), unit);
        }
        if (const QString signs = hitsText(c); !signs.isEmpty()) text += QLatin1Char('\n') + signs;
    }
    QToolTip::showText(help->globalPos(), text, this);
    return true;
}

} // namespace desktop

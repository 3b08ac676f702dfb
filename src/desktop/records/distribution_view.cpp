#include "desktop/records/distribution_view.h"

#include "report/theme.h"

#include <QHelpEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>
#include <cmath>

namespace desktop
{
using namespace records;
using report::theme;

namespace
{
constexpr std::size_t kBins = CheckDetail::kBins, kMostPoints = 4000;
QString index(const std::optional<double>& v)
{
    return !v ? QStringLiteral("–") : *v > 99 ? QStringLiteral("> 99") : QString::number(*v, 'f', *v > 10 ? 1 : 2);
}
} // namespace

DistributionView::DistributionView(RecordsModel& model, RunChart& chart, QWidget* parent)
    : QWidget(parent), m_model(model), m_chart(chart)
{
    setObjectName(QStringLiteral("distribution"));
    setAccessibleName(tr("How the values lie"));
    setMinimumWidth(90);
    connect(&m_model, &RecordsModel::changed, this, &DistributionView::rework);
    connect(&m_model, &RecordsModel::moved, this, qOverload<>(&QWidget::update));
    rework();
}

void DistributionView::rework()
{
    m_points.clear(), m_failed.clear();
    const RecordsView& v = m_model.view();
    if (v.detail && v.check >= 0 && scatters()) {
        m_low = 1e300, m_high = -1e300;
        const std::size_t step = v.detail->values.size() / kMostPoints + 1;
        for (std::size_t i = 0; i < v.detail->values.size(); i += step) {
            const Row r = v.rows[v.detail->at[i]];
            const auto other = v.columns->cell(r, std::size_t(v.second));
            if (other.state == CellState::Absent || std::isnan(other.value)) continue;
            m_points.emplace_back(other.value, v.detail->values[i]);
            m_failed.push_back(v.columns->cell(r, std::size_t(v.check)).state == CellState::Fail ||
                               other.state == CellState::Fail);
            m_low = std::min(m_low, other.value), m_high = std::max(m_high, other.value);
        }
        if (m_low > m_high) m_low = 0, m_high = 1;
        const double room = std::max(1e-9, 0.06 * (m_high - m_low));
        m_low -= room, m_high += room;
    }
    update();
}

std::vector<DistributionView::Line> DistributionView::head() const
{
    const RecordsView& v = m_model.view();
    if (!v.detail) return {};
    if (scatters()) return {{v.columns->checks[std::size_t(v.second)].name, Line::Sign::None, true}, {tr("across")}};
    if (v.choice.byOutcome()) return {{tr("no Cp, Cpk")}, {tr("of chosen results")}};
    const LimitSet& l = v.detail->limits;
    if (!l.low && !l.high) return {{tr("no limits")}};
    const auto& d = *v.detail;
    if (d.under < kEnoughForCapability)
        return {{tr("%1 needed").arg(kEnoughForCapability)}, {tr("for Cpk: %1").arg(d.under)}};
    if (!d.statistics.cpk && !d.statistics.ppk) return {{tr("no spread")}};
    if (d.quantiles) // not normally distributed: by quantiles
        return {{tr("Ppk %1").arg(index(d.quantiles->ppk)), Line::Sign::None, true},
                {tr("Pp %1").arg(index(d.quantiles->pp))},
                {tr("by quantiles")}};
    return {{tr("Cpk %1").arg(index(d.statistics.cpk)), Line::Sign::None, true},
            {tr("Cp %1").arg(index(d.statistics.cp))},
            {tr("Ppk %1").arg(index(d.statistics.ppk))}};
}
std::vector<DistributionView::Line> DistributionView::foot() const
{
    const RecordsView& v = m_model.view();
    if (!v.detail || scatters() || v.choice.byOutcome() || v.rows.empty()) return {};
    std::vector<Line> out;
    const auto& d = *v.detail;
    out.push_back({(d.limitsMoved ? tr("last limits, %1") : tr("%1 values")).arg(grouped((long long)(d.under)))});
    if (d.normality)
        out.push_back({d.normality->likely() ? tr("normal") : tr("not normal"),
                       d.normality->likely() ? Line::Sign::Yes : Line::Sign::No});
    if (d.chart.places.size() > 1)
        out.push_back({d.stable() ? tr("stable") : tr("not stable"), d.stable() ? Line::Sign::Yes : Line::Sign::No});
    return out;
}
QStringList DistributionView::said() const
{
    QStringList out;
    for (const auto& lines : {head(), foot()})
        for (const Line& l : lines) out << l.text;
    return out;
}

void DistributionView::write(QPainter& p, const std::vector<Line>& lines, double top) const
{
    const report::Theme& th = theme();
    for (const Line& l : lines) {
        const QRectF box(6, top, width() - 12, 16);
        p.setFont(report::uiFont(l.bold ? 13 : 12, l.bold));
        const double w = p.fontMetrics().horizontalAdvance(l.text);
        p.setPen(l.bold ? th.ink : th.second);
        p.drawText(box, Qt::AlignVCenter | Qt::AlignRight,
                   p.fontMetrics().elidedText(l.text, Qt::ElideRight, int(box.width())));
        const QRectF sign(box.right() - w - 17, top + 2, 12, 12);
        if (l.sign == Line::Sign::Yes) report::drawTick(p, sign, th.pass, 1.8);
        if (l.sign == Line::Sign::No) report::drawCross(p, sign, th.fail, 2);
        top += 16;
    }
}

QRectF DistributionView::field() const
{
    const QRectF box = m_chart.plot();
    return {6, box.top(), width() - 14.0, box.height()};
}
double DistributionView::xOf(double second) const
{
    return field().left() + field().width() * (second - m_low) / (m_high - m_low);
}

void DistributionView::paintEvent(QPaintEvent*)
{
    QPainter p(this);
    const report::Theme& th = theme();
    p.fillRect(rect(), th.paper);
    p.setPen(th.hair);
    p.drawLine(0, 0, 0, height());
    const RecordsView& v = m_model.view();
    if (v.check < 0 || v.rows.empty()) return;
    if (m_pressed) {
        QRectF stroke = QRectF(*m_pressed, m_now).normalized();
        if (!scatters()) stroke = QRectF(0, stroke.top(), width(), stroke.height());
        p.fillRect(stroke, th.selected);
    }
    scatters() ? paintScatter(p) : paintBins(p);
    // The newest limits go on across.
    p.setRenderHint(QPainter::Antialiasing, false);
    p.setPen(QPen(th.pass, 2));
    const LimitSet& l = v.checks[std::size_t(v.check)].limits;
    for (const auto& limit : {l.low, l.high})
        if (limit) p.drawLine(QPointF(1, m_chart.yOf(*limit)), QPointF(width(), m_chart.yOf(*limit)));
    const auto lines = head();
    QColor ground = th.paper;
    ground.setAlpha(225);
    p.fillRect(QRectF(1, 0, width(), 4 + 16.0 * double(lines.size())), ground);
    write(p, lines, 3);
    const auto below = foot();
    write(p, below, height() - 4 - 16.0 * double(below.size()));
}

void DistributionView::paintBins(QPainter& p) const
{
    const report::Theme& th = theme();
    const RecordsView& v = m_model.view();
    const QRectF box = field();
    if (!v.detail || v.detail->inForce.empty()) return;
    const auto &inForce = v.detail->inForce, &older = v.detail->older;
    std::uint32_t most = 1;
    for (std::size_t i = 0; i < kBins; ++i) most = std::max(most, inForce[i] + older[i]);
    const double high = box.height() / double(kBins);
    const QColor grey = th.dark ? QColor("#7C838C") : QColor("#8A8F96");
    const LimitSet& l = v.checks[std::size_t(v.check)].limits;
    for (std::size_t i = 0; i < kBins; ++i) {
        const double value =
            m_model.lowest() + (double(i) + 0.5) / double(kBins) * (m_model.highest() - m_model.lowest());
        const bool out = (l.low && value < *l.low) || (l.high && value > *l.high);
        const double y = box.bottom() - double(i + 1) * high;
        const auto wide = [&](std::uint32_t n) {
            return n ? std::max(2.0, box.width() * double(n) / double(most)) : 0;
        };
        const double filled = wide(inForce[i]);
        p.fillRect(QRectF(box.left(), y + 0.5, filled, std::max(1.0, high - 1)), out ? th.fail : grey);
        if (older[i] == 0) continue;
        p.setPen(QPen(grey, 1));
        p.setBrush(Qt::NoBrush);
        p.drawRect(QRectF(box.left() + filled, y + 0.5, wide(older[i]), std::max(1.0, high - 1.5)));
    }
}

void DistributionView::paintScatter(QPainter& p) const
{
    const report::Theme& th = theme();
    const RecordsView& v = m_model.view();
    p.setRenderHint(QPainter::Antialiasing);
    p.save();
    p.setClipRect(field().adjusted(-3, -3, 3, 3));
    const LimitSet& across = v.checks[std::size_t(v.second)].limits;
    p.setPen(QPen(th.pass, 2));
    for (const auto& limit : {across.low, across.high})
        if (limit) p.drawLine(QPointF(xOf(*limit), field().top()), QPointF(xOf(*limit), field().bottom()));
    for (std::size_t i = 0; i < m_points.size(); ++i) {
        const QPointF at(xOf(m_points[i].x()), m_chart.yOf(m_points[i].y()));
        if (m_failed[i]) report::drawCross(p, QRectF(at.x() - 4, at.y() - 4, 8, 8), th.fail, 1.8);
        else {
            p.setPen(Qt::NoPen);
            QColor dot = th.ink;
            dot.setAlpha(m_points.size() > 400 ? 90 : 190);
            p.setBrush(dot);
            p.drawEllipse(at, 1.8, 1.8);
        }
    }
    p.restore();
    const QString unit = v.columns->checks[std::size_t(v.second)].unit;
    p.setFont(report::uiFont(12));
    p.setPen(th.second);
    const double y = field().bottom() + 3;
    p.drawText(QRectF(4, y, width() - 8, 16), Qt::AlignLeft | Qt::AlignVCenter, figure(m_low, unit));
    p.drawText(QRectF(4, y, width() - 8, 16), Qt::AlignRight | Qt::AlignVCenter, figure(m_high, unit));
}

// A stroke takes the values under it; in the scatter those of both.
void DistributionView::mousePressEvent(QMouseEvent* e)
{
    if (e->button() == Qt::LeftButton) m_pressed = m_now = e->position();
}
void DistributionView::mouseMoveEvent(QMouseEvent* e)
{
    if (!m_pressed) return;
    m_now = e->position();
    update();
}
void DistributionView::mouseReleaseEvent(QMouseEvent* e)
{
    if (!m_pressed || e->button() != Qt::LeftButton) return;
    const QRectF stroke = QRectF(*m_pressed, m_now).normalized();
    m_pressed.reset();
    update();
    const RecordsView& v = m_model.view();
    if (v.check < 0 || stroke.height() < 4) return;
    Sentence s = m_model.sentence();
    const auto brush = [&](int check, double low, double high) {
        Sentence::Brush b;
        b.of = Sentence::Brush::Of::Value;
        b.value = {v.columns->checks[std::size_t(check)], low, high};
        std::erase_if(s.brushes, [&](const auto& old) {
            return old.of == Sentence::Brush::Of::Value && old.value.check.sameCheck(b.value.check);
        });
        s.brushes.push_back(b);
    };
    brush(v.check, m_chart.valueAt(stroke.bottom()), m_chart.valueAt(stroke.top()));
    const auto across = [&](double x) { return m_low + (x - field().left()) / field().width() * (m_high - m_low); };
    if (scatters() && stroke.width() >= 4) brush(v.second, across(stroke.left()), across(stroke.right()));
    m_model.say(std::move(s));
}

bool DistributionView::event(QEvent* e)
{
    if (e->type() != QEvent::ToolTip) return QWidget::event(e);
    const auto* help = static_cast<QHelpEvent*>(e);
    const RecordsView& v = m_model.view();
    QString text =
        tr("A stroke chooses the items whose values lie under it · Ctrl and a click on a second check lays one "
           "against the other");
    if (v.detail && v.check >= 0) {
        const QString unit = v.columns->checks[std::size_t(v.check)].unit;
        const Statistics& s = v.detail->statistics;
        QStringList lines;
        if (s.count > 0)
            lines << tr("%1 values: mean %2, standard deviation %3 %4")
                         .arg(grouped((long long)(s.count)), figure(s.mean, unit), QString::number(s.deviation, 'g', 3),
                              unit);
        if (s.cpk) lines << tr("Cp %1, Cpk %2: by the moving range").arg(index(s.cp), index(s.cpk));
        if (s.ppk) lines << tr("Pp %1, Ppk %2: by the standard deviation").arg(index(s.pp), index(s.ppk));
        if (v.detail->normality)
            lines << tr("normally distributed: %1 (Anderson and Darling, p = %2)")
                         .arg(v.detail->normality->likely() ? tr("nothing speaks against it") : tr("no"),
                              QString::number(v.detail->normality->probability, 'g', 2));
        if (v.detail->normality && !v.detail->normality->likely()) {
            if (const auto& q = v.detail->quantiles)
                lines << tr("Pp %1, Ppk %2: by quantiles 0.135, 50, 99.865 % (ISO 22514-2)")
                             .arg(index(q->pp), index(q->ppk));
            else lines << tr("by quantiles: %1 values needed").arg(kEnoughForQuantiles);
        }
        if (v.detail->chart.places.size() > 1)
            lines << (v.detail->stable() ? tr("stable: no sign of a special cause")
                                         : tr("not stable: %1 signs").arg(v.detail->hits.size()));
        text = lines.join(QLatin1Char('\n')) + QLatin1Char('\n') + text;
    }
    QToolTip::showText(help->globalPos(), text, this);
    return true;
}

} // namespace desktop

#include "desktop/proof/proof_views.h"

#include "report/proof_page.h"
#include "report/theme.h"

#include <QPainter>
#include <QWheelEvent>
#include <algorithm>
#include <cmath>

namespace desktop
{
namespace
{
QString q(const std::string& s) { return QString::fromStdString(s); }
QString figure(double v) { return QString::number(v, 'g', v >= 1 ? 3 : 2); }
} // namespace

FaultsView::FaultsView(QWidget* parent) : QWidget(parent)
{
    setObjectName(QStringLiteral("faultsView"));
    setAccessibleName(tr("Planted faults"));
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
}
void FaultsView::show(std::shared_ptr<const proof::Proof> proof)
{
    m_proof = std::move(proof);
    m_missed = {}, m_what.clear();
    QStringList words;
    if (m_proof)
        for (const auto& d : m_proof->faults) {
            const auto* kind = proof::findFault(d.kind);
            words << tr("%1: found 9 of 10 from %2 %3%4")
                         .arg(q(kind ? kind->label : d.kind), d.size90 ? figure(*d.size90) : tr("no size tried"),
                              q(base::symbol(d.unit)), d.gap ? tr(", a gap") : QString());
        }
    setAccessibleDescription(words.join(QStringLiteral("; ")));
    setToolTip(words.join(QLatin1Char('\n')));
    update();
}
void FaultsView::showMissed(const QImage& picture, const QString& what)
{
    m_missed = picture, m_what = what;
    update();
}

void FaultsView::paintEvent(QPaintEvent*)
{
    const report::Theme& th = report::theme();
    QPainter p(this);
    p.fillRect(rect(), th.paper);
    p.setFont(report::uiFont(13, true)), p.setPen(th.ink);
    p.drawText(QRect(10, 4, width() - 20, 22), Qt::AlignVCenter, tr("Faults planted: share found, %"));
    p.setFont(report::uiFont(12)), p.setPen(th.second);
    if (!m_proof || m_proof->faults.empty()) {
        p.drawText(rect().adjusted(16, 30, -16, 0), Qt::AlignCenter | Qt::TextWordWrap,
                   m_proof ? tr("None was planted: there is no good trial, or no part stands out of its ground.")
                           : tr("Burrs, bites, closed openings, blots … are made on good trials, and it is counted "
                                "which check sees them."));
        return;
    }
    const bool missed = !m_what.isEmpty();
    constexpr double kLine = 16;
    // What matters first: gaps, what is not met, then the others by size; what is always found comes last.
    std::vector<std::pair<const proof::Detection*, int>> order;
    int dashes = 0;
    for (const auto& d : m_proof->faults) order.emplace_back(&d, d.sizes.size() > 1 ? dashes++ : -1);
    const auto rank = [](const proof::Detection& d) {
        if (d.gap) return 0.0;
        if (!d.met()) return 1.0;
        return d.sizes.size() < 2 ? 3 - d.sizes.front().share() : d.size90 ? 2 - 1 / (1 + *d.size90) : 1.0;
    };
    std::stable_sort(order.begin(), order.end(),
                     [&](const auto& x, const auto& y) { return rank(*x.first) < rank(*y.first); });
    const double foot = missed ? 52 : 0, rows = kLine * (double(order.size()) + 1);
    const double plot = std::clamp(height() - 30 - rows - foot - 8, 96.0, 260.0);
    report::paintDetections(p, QRectF(6, 24, width() - 14, plot), m_proof->faults);
    double y = 24 + plot + 4;
    const double a = width() - 170, b = width() - 112, c = width() - 56;
    p.setFont(report::uiFont(12)), p.setPen(th.second);
    p.drawText(QRectF(a, y, 52, kLine), Qt::AlignRight, tr("9 of 10"));
    p.drawText(QRectF(b, y, 52, kLine), Qt::AlignRight, tr("sure"));
    p.drawText(QRectF(c, y, 38, kLine), Qt::AlignRight, tr("asked"));
    std::size_t told = 0;
    for (const auto& [which, dash] : order) {
        const auto& d = *which;
        y += kLine;
        if (y + 2 * kLine > height() - foot && told + 1 < order.size()) {
            p.setFont(report::uiFont(12)), p.setPen(th.second);
            p.drawText(QRectF(10, y, width() - 20, kLine), Qt::AlignVCenter,
                       tr("%1 more, found: see the page, or make the window higher").arg(order.size() - told));
            break;
        }
        ++told;
        if (dash >= 0) {
            p.setPen(QPen(th.ink, 1.4, report::dashOf(dash)));
            p.drawLine(QPointF(10, y + kLine / 2), QPointF(32, y + kLine / 2));
        }
        const auto* kind = proof::findFault(d.kind);
        const bool sized = d.sizes.size() > 1;
        p.setFont(report::uiFont(12, d.gap)), p.setPen(d.gap ? th.fail : th.ink);
        p.drawText(QRectF(38, y, a - 34, kLine), Qt::AlignVCenter,
                   p.fontMetrics().elidedText(q(kind ? kind->label : d.kind), Qt::ElideRight, int(a - 34)));
        p.setFont(report::uiFont(12, true)), p.setPen(d.met() ? th.pass : th.fail);
        const QString nine = !sized     ? QStringLiteral("%1 %").arg(100 * d.sizes.front().share(), 0, 'f', 0)
                             : d.size90 ? figure(*d.size90)
                             : d.gap    ? tr("gap")
                                        : QStringLiteral("–");
        p.drawText(QRectF(a, y, 52, kLine), Qt::AlignRight | Qt::AlignVCenter, nine);
        p.setFont(report::uiFont(12)), p.setPen(th.second);
        p.drawText(QRectF(b, y, 52, kLine), Qt::AlignRight | Qt::AlignVCenter,
                   d.bound ? figure(*d.bound) : QStringLiteral("–"));
        p.drawText(QRectF(c, y, 38, kLine), Qt::AlignRight | Qt::AlignVCenter,
                   d.asked ? figure(*d.asked) : QStringLiteral("–"));
        const QRectF sign(width() - 14, y + 3, 10, 10);
        if (d.asked || d.gap) d.met() ? report::drawTick(p, sign, th.pass) : report::drawCross(p, sign, th.fail);
    }
    if (!missed) return;
    const QRectF box(8, height() - foot + 2, width() - 16, foot - 6);
    p.setPen(QPen(th.fail, 1.6)), p.setBrush(th.raised);
    p.drawRect(box);
    if (!m_missed.isNull())
        p.drawImage(QRectF(box.left() + 4, box.top() + 4, 90, box.height() - 8), m_missed, QRectF(m_missed.rect()));
    p.setFont(report::uiFont(12, true)), p.setPen(th.fail);
    p.drawText(box.adjusted(102, 4, -6, -4), Qt::AlignVCenter | Qt::TextWordWrap, m_what);
}

SureView::SureView(QWidget* parent) : QWidget(parent)
{
    setObjectName(QStringLiteral("sureView"));
    setAccessibleName(tr("How sure is a value"));
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
}
void SureView::show(std::shared_ptr<const proof::Proof> proof, double mostShare, base::Unit shownIn)
{
    m_proof = std::move(proof), m_most = mostShare, m_shownIn = shownIn, m_from = 0;
    QStringList words;
    if (m_proof)
        for (const auto& s : m_proof->sure) words << tr("%1: %2").arg(q(s.name), report::sureText(s));
    setAccessibleDescription(words.join(QStringLiteral("; ")));
    setToolTip(words.join(QLatin1Char('\n')));
    update();
}
void SureView::wheelEvent(QWheelEvent* e)
{
    if (!m_proof) return;
    m_from = std::clamp(m_from + (e->angleDelta().y() < 0 ? 1 : -1), 0, std::max(0, int(m_proof->sure.size()) - 1));
    update();
}

void SureView::paintEvent(QPaintEvent*)
{
    const report::Theme& th = report::theme();
    QPainter p(this);
    p.fillRect(rect(), th.paper);
    p.setRenderHint(QPainter::Antialiasing);
    p.setFont(report::uiFont(13, true)), p.setPen(th.ink);
    p.drawText(QRect(10, 4, width() - 20, 22), Qt::AlignVCenter, tr("How sure is a value?"));
    p.setFont(report::uiFont(12)), p.setPen(th.second);
    p.drawText(QRect(10, 24, width() - 20, 18), Qt::AlignVCenter, tr("largest ± U, 95 %, in its limits"));
    if (!m_proof || m_proof->sure.empty()) {
        p.drawText(rect().adjusted(16, 40, -16, 0), Qt::AlignCenter | Qt::TextWordWrap,
                   m_proof ? tr("Nothing here knows its own uncertainty: counts, scores and comparisons have none.")
                           : tr("From the picture's noise, the edges' strength and the calibration, without a study."));
        return;
    }
    double y = 46;
    for (std::size_t i = std::size_t(m_from); i < m_proof->sure.size() && y + 40 <= height(); ++i, y += 46) {
        const auto& s = m_proof->sure[i];
        const bool over = m_most > 0 && s.share && *s.share > m_most;
        p.setFont(report::uiFont(12)), p.setPen(th.ink);
        const QString value = report::sureText(s);
        p.setFont(report::uiFont(12, true));
        const int wide = p.fontMetrics().horizontalAdvance(value);
        p.drawText(QRectF(10, y, width() - 18, 18), Qt::AlignRight | Qt::AlignVCenter, value);
        p.setFont(report::uiFont(12));
        const QString name = (s.balloon > 0 ? QString::number(s.balloon) + QLatin1Char(' ') : QString()) + q(s.name);
        p.drawText(QRectF(10, y, width() - 30 - wide, 18), Qt::AlignVCenter,
                   p.fontMetrics().elidedText(name, Qt::ElideRight, width() - 32 - wide));
        const QRectF ladder(60, y + 22, width() - 122, 12);
        if (!s.low || !s.high || !(*s.high > *s.low)) {
            p.setPen(th.second);
            p.drawText(QRectF(10, y + 18, width() - 20, 18), Qt::AlignVCenter,
                       tr("a limit is open: no share of a tolerance"));
            continue;
        }
        p.setPen(th.second);
        p.drawText(QRectF(0, ladder.top() - 4, ladder.left() - 4, 20), Qt::AlignRight | Qt::AlignVCenter,
                   QString::number(*s.low, 'g', 5));
        p.drawText(QRectF(ladder.right() + 4, ladder.top() - 4, 60, 20), Qt::AlignLeft | Qt::AlignVCenter,
                   QString::number(*s.high, 'g', 5));
        p.fillRect(ladder.adjusted(0, 2, 0, -2), th.passGround);
        p.setPen(QPen(th.pass, 1.8));
        p.drawLine(ladder.topLeft() + QPointF(0, -3), ladder.bottomLeft() + QPointF(0, 3)),
            p.drawLine(ladder.topRight() + QPointF(0, -3), ladder.bottomRight() + QPointF(0, 3));
        const auto x = [&](double v) {
            return ladder.left() + ladder.width() * std::clamp((v - *s.low) / (*s.high - *s.low), -0.05, 1.05);
        };
        const double m = ladder.center().y();
        p.setPen(QPen(over ? th.fail : th.ink, 1.6));
        p.drawLine(QPointF(x(s.value - s.uncertainty), m), QPointF(x(s.value + s.uncertainty), m));
        for (const double v : {s.value - s.uncertainty, s.value + s.uncertainty})
            p.drawLine(QPointF(x(v), m - 4), QPointF(x(v), m + 4));
        p.setPen(QPen(over ? th.fail : th.ink, 3));
        p.drawLine(QPointF(x(s.value), m - 5), QPointF(x(s.value), m + 5));
        if (over) {
            p.setPen(th.fail);
            p.drawText(
                QRectF(10, y + 34, width() - 20, 14), Qt::AlignLeft | Qt::AlignVCenter,
                tr("%1 % of its tolerance, asked %2 %").arg(100 * *s.share, 0, 'f', 0).arg(100 * m_most, 0, 'f', 0));
            y += 8;
        }
    }
}

} // namespace desktop

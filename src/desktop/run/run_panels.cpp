#include "desktop/run/run_panels.h"

#include "desktop/picture_cut.h"
#include "inspect/worst.h"
#include "report/theme.h"

#include <QDateTime>
#include <QHelpEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>
#include <algorithm>
#include <cmath>

namespace desktop
{
using report::theme;

namespace
{
QString q(const std::string& s) { return QString::fromStdString(s); }
constexpr int kText = 36; // px below a crop, two lines
} // namespace

// ---------------------------------------------------------------- last rejects
RejectStrip::RejectStrip(QWidget* parent) : QWidget(parent)
{
    setObjectName(QStringLiteral("lastRejects"));
    setAccessibleName(tr("Last rejects"));
    setFocusPolicy(Qt::TabFocus);
    setMinimumWidth(150);
}

void RejectStrip::add(const station::Logged& logged, long long number)
{
    const inspect::PictureResult& r = logged.result();
    const recipe::Screen& screen = logged.line().release->recipe().screen;
    for (std::size_t i = 0; i < r.items.size(); ++i) {
        const inspect::ItemResult& item = r.items[i];
        if (!item.rejected()) continue;
        Reject one;
        one.number = number + (long long)(i);
        one.time = QDateTime::fromString(q(logged.inspected.taken.at), Qt::ISODateWithMs)
                       .toLocalTime()
                       .toString(QStringLiteral("hh:mm:ss"));
        one.word = q(item.word);
        one.measured = false;
        for (const auto& c : item.checks)
            if (c.verdict == inspect::Verdict::Fail && one.fault.isEmpty()) {
                one.fault = (c.balloon ? QString::number(c.balloon) + QStringLiteral(" ") : QString()) +
                            q(c.fault.empty() ? c.name : c.fault) + QStringLiteral(" ") + q(c.valueText());
                one.measured = true;
            }
        if (one.fault.isEmpty()) one.fault = q(item.sentence());
        const auto& capture = logged.inspected.capture;
        if (capture) {
            const image::Picture* seen = nullptr;
            for (const image::Picture& p : capture->pictures())
                if (!seen || p.key == screen.picture) seen = &p;
            const auto spot = inspect::worstSpot(item);
            const double whole = std::max(seen->pixels.width(), seen->pixels.height());
            const double half = spot ? std::clamp(1.6 * spot->reach, 0.02 * whole, 0.25 * whole) : 0;
            const QSize size(150, 92);
            one.crop = cutOut(*seen, spot ? spot->at : geometry::Point{}, half, item.pose ? item.pose->angle : 0, size);
            if (spot) one.reach = std::min(spot->reach * size.height() / (2 * half) + 4, size.height() / 2.0 - 2);
        }
        m_rejects.push_front(std::move(one));
        if (m_rejects.size() > std::size_t(kKept)) m_rejects.pop_back();
    }
    update();
}

void RejectStrip::clear()
{
    m_rejects.clear();
    update();
}
void RejectStrip::setChosen(long long number)
{
    m_chosen = number;
    update();
}

QRect RejectStrip::cellAt(int i) const
{
    constexpr int wide = 158;
    const QRect cell(8 + i * wide, 4, wide - 8, height() - 8);
    return cell.right() > width() - 4 && i > 0 ? QRect() : cell;
}
int RejectStrip::indexAt(QPoint p) const
{
    for (int i = 0; i < count(); ++i)
        if (cellAt(i).contains(p)) return i;
    return -1;
}

void RejectStrip::paintEvent(QPaintEvent*)
{
    QPainter p(this);
    const report::Theme& th = theme();
    p.setRenderHint(QPainter::Antialiasing);
    p.fillRect(rect(), th.paper);
    if (m_rejects.empty()) {
        p.setFont(report::uiFont(13));
        p.setPen(th.second);
        p.drawText(rect().adjusted(12, 4, -12, -4), Qt::AlignCenter | Qt::TextWordWrap,
                   tr("The last rejects stand here; a click shows one again"));
        return;
    }
    for (int i = 0; i < count(); ++i) {
        const QRect cell = cellAt(i);
        if (cell.isEmpty()) break;
        const Reject& r = m_rejects[std::size_t(i)];
        const bool chosen = r.number == m_chosen;
        if (chosen) p.fillRect(cell.adjusted(-4, -2, 4, 2), th.selected);
        const QRectF picture(cell.left(), cell.top(), cell.width(), cell.height() - kText);
        p.fillRect(picture, th.hair);
        if (!r.crop.isNull()) {
            const QSizeF size = QSizeF(r.crop.deviceIndependentSize());
            const double k = std::max(picture.width() / size.width(), picture.height() / size.height());
            p.save();
            p.setClipRect(picture);
            p.setRenderHint(QPainter::SmoothPixmapTransform);
            const QRectF at(picture.center() - QPointF(size.width(), size.height()) * k / 2, size * k);
            p.drawImage(at, r.crop);
            if (r.reach > 0) {
                p.setPen(QPen(th.paper, 4));
                p.drawEllipse(picture.center(), r.reach * k, r.reach * k);
                p.setPen(QPen(th.fail, 2));
                p.drawEllipse(picture.center(), r.reach * k, r.reach * k);
            }
            p.restore();
        }
        p.setPen(QPen(r.measured ? th.fail : th.notMeasured, chosen ? 3 : 1.5));
        p.setBrush(Qt::NoBrush);
        p.drawRect(picture);
        p.setFont(report::uiFont(13, true));
        p.setPen(r.measured ? th.fail : th.notMeasured);
        p.drawText(QRectF(cell.left(), picture.bottom() + 2, cell.width(), 17), Qt::AlignVCenter,
                   p.fontMetrics().elidedText(r.fault, Qt::ElideRight, cell.width()));
        p.setFont(report::uiFont(12));
        p.setPen(th.second);
        p.drawText(QRectF(cell.left(), picture.bottom() + 18, cell.width(), 16), Qt::AlignVCenter,
                   tr("%1 · item %2").arg(r.time).arg(r.number));
    }
}

void RejectStrip::mousePressEvent(QMouseEvent* e)
{
    if (const int i = indexAt(e->position().toPoint()); i >= 0) emit chosen(numberAt(i));
}
void RejectStrip::keyPressEvent(QKeyEvent* e)
{
    if (e->key() != Qt::Key_Left && e->key() != Qt::Key_Right) return QWidget::keyPressEvent(e);
    int at = -1;
    for (int i = 0; i < count(); ++i)
        if (numberAt(i) == m_chosen) at = i;
    at = std::clamp(at + (e->key() == Qt::Key_Right ? 1 : -1), 0, count() - 1);
    if (count() > 0) emit chosen(numberAt(at));
}
bool RejectStrip::event(QEvent* e)
{
    if (e->type() != QEvent::ToolTip) return QWidget::event(e);
    const auto* help = static_cast<QHelpEvent*>(e);
    const int i = indexAt(help->pos());
    if (i < 0) QToolTip::hideText();
    else
        QToolTip::showText(help->globalPos(),
                           m_rejects[std::size_t(i)].word + QStringLiteral("\n") + m_rejects[std::size_t(i)].fault,
                           this);
    return true;
}

// ---------------------------------------------------------------- cycle time
CyclePlot::CyclePlot(QWidget* parent) : QWidget(parent)
{
    setObjectName(QStringLiteral("cyclePlot"));
    setAccessibleName(tr("Time from trigger to verdict"));
    setToolTip(tr("From the trigger until the item is inspected, logged and told, of the last 1000 items"));
    setMinimumSize(120, 40);
}
void CyclePlot::add(double milliseconds)
{
    m_times.push_back(milliseconds);
    if (m_times.size() > kKept) m_times.pop_front();
    update();
}
void CyclePlot::clear()
{
    m_times.clear();
    update();
}
CyclePlot::Figures CyclePlot::figures() const
{
    if (m_times.empty()) return {};
    std::vector<double> sorted(m_times.begin(), m_times.end());
    std::sort(sorted.begin(), sorted.end());
    // Nearest rank: of so many items the share that took at most as long.
    const auto rank = [&](double share) {
        return sorted[std::size_t(std::max(0.0, std::ceil(share * double(sorted.size())) - 1))];
    };
    return {rank(0.5), rank(0.99), sorted.back()};
}

void CyclePlot::paintEvent(QPaintEvent*)
{
    QPainter p(this);
    const report::Theme& th = theme();
    p.setRenderHint(QPainter::Antialiasing);
    p.fillRect(rect(), th.paper);
    p.setFont(report::uiFont(12));
    p.setPen(th.second);
    if (m_times.empty()) return p.drawText(rect(), Qt::AlignCenter, tr("cycle time: no item yet"));
    const Figures f = figures();
    const auto ms = [](double v) { return QString::number(v, 'f', v < 9.95 ? 1 : 0); };
    p.drawText(QRectF(0, 0, width(), 16), Qt::AlignVCenter,
               tr("median %1 · 99 % %2 · worst %3 ms").arg(ms(f.median), ms(f.most), ms(f.worst)));
    const QRectF box(0.5, 18.5, width() - 1, height() - 20);
    p.setPen(QPen(th.hair, 1));
    p.setBrush(th.raised);
    p.drawRect(box);
    const double top = std::max(1.0, 1.1 * f.worst);
    const auto y = [&](double v) { return box.bottom() - v / top * box.height(); };
    const std::size_t shown = std::min<std::size_t>(m_times.size(), 200), first = m_times.size() - shown;
    const double step = box.width() / 200;
    for (std::size_t i = 0; i < shown; ++i) {
        const double v = m_times[first + i];
        p.fillRect(QRectF(box.right() - double(shown - i) * step, y(v) - 1, std::max(1.5, step), 2.5),
                   v > f.most ? th.fail : th.ink);
    }
    p.setPen(QPen(th.datum, 1));
    p.drawLine(QPointF(box.left(), y(f.median)), QPointF(box.right(), y(f.median)));
    p.setPen(QPen(th.second, 1, Qt::DashLine));
    p.drawLine(QPointF(box.left(), y(f.most)), QPointF(box.right(), y(f.most)));
}

// ---------------------------------------------------------------- lamps
Lamps::Lamps(QWidget* parent) : QWidget(parent)
{
    setObjectName(QStringLiteral("lamps"));
    setMinimumHeight(26);
}
void Lamps::set(const QString& what, State state, const QString& words)
{
    if (!m_lamps.count(what)) m_order << what;
    m_lamps[what].state = state;
    m_lamps[what].words = words;
    QStringList said;
    for (const QString& one : m_order) said << one + QStringLiteral(": ") + m_lamps[one].words;
    setAccessibleName(said.join(QStringLiteral(", ")));
    update();
}
void Lamps::drop(const QString& what)
{
    m_order.removeAll(what);
    m_lamps.erase(what);
    update();
}
Lamps::State Lamps::state(const QString& what) const
{
    const auto it = m_lamps.find(what);
    return it == m_lamps.end() ? State::Off : it->second.state;
}
QString Lamps::words(const QString& what) const
{
    const auto it = m_lamps.find(what);
    return it == m_lamps.end() ? QString() : it->second.words;
}

void Lamps::paintEvent(QPaintEvent*)
{
    QPainter p(this);
    const report::Theme& th = theme();
    p.setRenderHint(QPainter::Antialiasing);
    p.fillRect(rect(), th.paper);
    // What is in trouble gets its words in full, the others share what is left.
    p.setFont(report::uiFont(14, true));
    double needed = 0, troubled = 0, calm = 0;
    for (const QString& what : m_order) {
        const Lamp& l = m_lamps[what];
        const double w = 34 + p.fontMetrics().horizontalAdvance(what + QStringLiteral(": ") + l.words);
        needed += w;
        (l.state == State::Trouble ? troubled : calm) += w;
    }
    const double squeezed =
        needed <= width() ? 1 : std::max(0.25, (width() - std::min(troubled, 0.7 * width())) / std::max(1.0, calm));
    double x = 4;
    for (const QString& what : m_order) {
        Lamp& l = m_lamps[what];
        const bool bad = l.state == State::Trouble;
        p.setFont(report::uiFont(14, bad));
        const QString text = what + QStringLiteral(": ") + l.words;
        double w = 34 + p.fontMetrics().horizontalAdvance(text);
        if (!bad) w *= squeezed;
        w = std::min(w, width() - x);
        if (w < 30) break;
        l.box = QRectF(x, 0, w, height());
        const QRectF sign(x + 2, height() / 2.0 - 7, 14, 14);
        if (bad) p.fillRect(QRectF(x - 2, 1, w - 6, height() - 2), th.fail);
        if (bad) report::drawCross(p, sign.adjusted(2, 2, -2, -2), th.paper, 2.4);
        else if (l.state == State::Well) report::drawTick(p, sign.adjusted(1, 1, -1, -1), th.pass, 2.2);
        else report::drawDash(p, sign.adjusted(2, 2, -2, -2), th.second, 2);
        p.setPen(bad ? th.paper : l.state == State::Well ? th.ink : th.second);
        p.drawText(QRectF(x + 21, 0, w - 30, height()), Qt::AlignVCenter,
                   p.fontMetrics().elidedText(text, Qt::ElideRight, int(w - 30)));
        x += w;
    }
}
bool Lamps::event(QEvent* e)
{
    if (e->type() != QEvent::ToolTip) return QWidget::event(e);
    const auto* help = static_cast<QHelpEvent*>(e);
    for (const auto& [what, l] : m_lamps)
        if (l.box.contains(help->pos())) {
            QToolTip::showText(help->globalPos(), what + QStringLiteral(": ") + l.words, this);
            return true;
        }
    QToolTip::hideText();
    return true;
}

} // namespace desktop

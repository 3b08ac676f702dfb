#include "desktop/run/run_views.h"

#include "desktop/grid_view.h"
#include "report/sheet_painter.h"

#include <QPainter>
#include <algorithm>
#include <cmath>

namespace desktop
{
using inspect::Outcome;
using inspect::Verdict;
using report::theme;

namespace
{
QString q(const std::string& s) { return QString::fromStdString(s); }
// Capitals of far text: readable from two metres.
int farSize(const QWidget* w) { return std::clamp(w->window()->height() / 18, 30, 60); }
} // namespace

// ---------------------------------------------------------------- sheet
RunSheet::RunSheet(QWidget* parent) : SheetCanvas(parent)
{
    setObjectName(QStringLiteral("runSheet"));
    setAccessibleName(tr("Picture of the item"));
    setToolTip(tr("Wheel: zoom · drag: move · double click: the whole picture"));
    setMinimumSize(300, 200);
}

void RunSheet::show(const station::Logged& logged, int item)
{
    m_logged = logged;
    m_item = item;
    m_hint.clear();
    const auto& capture = logged.inspected.capture;
    setPicture(capture ? report::toQImage(capture->first().pixels) : QImage());
    if (logged.result().error) m_hint = tr("The picture could not be read\n%1").arg(q(*logged.result().error));
    else if (!capture)
        m_hint = tr("This item's picture is no longer in memory\nIts values and verdict are shown beside and below");
    update();
}

void RunSheet::paintEvent(QPaintEvent*)
{
    QPainter p(this);
    p.fillRect(rect(), theme().dark ? QColor("#10141A") : QColor("#E9E6DD"));
    if (m_picture.isNull()) {
        p.setFont(report::uiFont(15));
        p.setPen(theme().second);
        p.drawText(rect().adjusted(24, 24, -24, -24), Qt::AlignCenter | Qt::TextWordWrap,
                   m_hint.isEmpty()
                       ? tr("No item yet\nStart (F6) feeds items one after another, Take one (F7) a single one")
                       : m_hint);
        return;
    }
    const QTransform t = toScreen();
    paintPicture(p, false);
    const recipe::Recipe& recipe = m_logged.line().release->recipe();
    report::SheetScene scene{&recipe, &m_logged.result(), std::max(0, m_item), {}, false, QSizeF(m_picture.size())};
    report::paintSheet(p, scene, t, QRectF(rect()));
}

// ---------------------------------------------------------------- values
LadderView::LadderView(QWidget* parent) : QWidget(parent)
{
    setObjectName(QStringLiteral("ladder"));
    setAccessibleName(tr("Values between their limits"));
    setMinimumWidth(320);
}

QString LadderView::othersText() const
{
    if (m_others == 0) return {};
    return m_othersOut == 0 ? tr("%1 others pass").arg(m_others)
                            : tr("%1 others, %2 of them do not pass").arg(m_others).arg(m_othersOut);
}

void LadderView::show(const inspect::ItemResult* item, const QString& title)
{
    m_title = title;
    m_rows.clear();
    m_others = 0;
    m_has = item != nullptr;
    if (item) {
        m_rows = item->checks;
        // Fails, not measured, near, then the recipe's order; eight at most.
        const auto rank = [](const inspect::CheckResult& c) {
            return c.verdict == Verdict::Fail          ? 0
                   : c.verdict == Verdict::NotMeasured ? 1
                   : c.share && *c.share >= 0.8        ? 2
                                                       : 3;
        };
        std::stable_sort(m_rows.begin(), m_rows.end(), [&](const auto& a, const auto& b) { return rank(a) < rank(b); });
        m_othersOut = 0;
        if (m_rows.size() > 8) {
            m_others = int(m_rows.size()) - 8;
            m_othersOut = int(std::count_if(m_rows.begin() + 8, m_rows.end(),
                                            [](const auto& c) { return c.verdict != Verdict::Pass; }));
            m_rows.resize(8);
        }
    }
    update();
}

void LadderView::paintEvent(QPaintEvent*)
{
    QPainter p(this);
    const report::Theme& th = theme();
    p.fillRect(rect(), th.paper);
    p.setRenderHint(QPainter::Antialiasing);
    if (m_rows.empty()) {
        p.setFont(report::uiFont(13));
        p.setPen(th.second);
        p.drawText(rect(), Qt::AlignCenter,
                   m_has ? tr("The recipe judges nothing yet") : tr("Values appear with the first item"));
        return;
    }
    const double head = m_title.isEmpty() ? 0 : 30;
    if (head > 0) {
        p.setFont(report::uiFont(15, true));
        p.setPen(th.ink);
        p.drawText(QRectF(12, 4, width() - 24, head), Qt::AlignVCenter, m_title);
    }
    const double row = std::min(50.0, (height() - head - (m_others ? 30.0 : 6.0)) / double(m_rows.size()));
    const double left = 0.62 * width(), right = width() - 34, span = right - left;
    for (std::size_t i = 0; i < m_rows.size(); ++i) {
        const auto& c = m_rows[i];
        const double top = 4 + head + double(i) * row, mid = top + row / 2;
        const QColor colour = th.of(c.verdict);
        if (c.balloon) report::paintBalloon(p, QPointF(20, mid), 11, QString::number(c.balloon), colour, th.paper);
        p.setFont(report::uiFont(15));
        p.setPen(th.ink);
        const double valueRight = left - 14;
        p.setFont(report::uiFont(17, true));
        const QString value = c.verdict == Verdict::NotMeasured ? tr("not measured") : q(c.valueText());
        const double valueWidth = p.fontMetrics().horizontalAdvance(value);
        p.setPen(colour);
        p.drawText(QRectF(0, top, valueRight, row), Qt::AlignVCenter | Qt::AlignRight, value);
        p.setFont(report::uiFont(15));
        p.setPen(th.ink);
        const double room = valueRight - valueWidth - 50;
        p.drawText(QRectF(40, top, room, row), Qt::AlignVCenter,
                   p.fontMetrics().elidedText(q(c.name), Qt::ElideRight, int(room)));
        p.setPen(QPen(th.hair, 1));
        p.drawLine(QPointF(8, top + row), QPointF(width() - 8, top + row));
        const QRectF bar(left, mid - 8, span, 16);
        if (c.verdict == Verdict::NotMeasured) {
            report::hatch(p, bar, th.notMeasured);
            continue;
        }
        if (!c.low && !c.high) {
            p.setFont(report::uiFont(12));
            p.setPen(th.second);
            p.drawText(bar, Qt::AlignVCenter, tr("no limits"));
            continue;
        }
        // Limits stand in line for all rows; 15 % beyond either side, what lies further is held at the end with an
        // arrow.
        const double inset = span * 0.15 / 1.3, l = left + inset, r = right - inset;
        p.fillRect(QRectF(l, bar.top(), r - l, bar.height()), th.passGround);
        p.setPen(QPen(th.pass, 2));
        if (c.low) p.drawLine(QPointF(l, bar.top() - 3), QPointF(l, bar.bottom() + 3));
        if (c.high) p.drawLine(QPointF(r, bar.top() - 3), QPointF(r, bar.bottom() + 3));
        recipe::Limits limits;
        limits.low = c.low, limits.high = c.high;
        double low = 0, high = 1;
        tickRange(limits, c.values, low, high);
        for (const double v : c.values) {
            const double at = (v - low) / (high - low), x = l + at * (r - l);
            const bool out = (c.low && v < *c.low) || (c.high && v > *c.high);
            const QColor tick = out ? th.fail : th.pass;
            if (x < left || x > right) {
                const double end = x < left ? left : right, s = x < left ? -1 : 1;
                p.setPen(QPen(th.fail, 3));
                p.drawLine(QPointF(end - 12 * s, mid), QPointF(end + 8 * s, mid));
                p.drawLine(QPointF(end + 8 * s, mid), QPointF(end + 1 * s, mid - 6));
                p.drawLine(QPointF(end + 8 * s, mid), QPointF(end + 1 * s, mid + 6));
            } else if (c.share && *c.share >= 0.8 && !out) {
                p.setPen(QPen(tick, 1.6));
                p.setBrush(Qt::NoBrush);
                p.drawRect(QRectF(x - 3, bar.top() - 1, 6, bar.height() + 2));
            } else {
                p.fillRect(QRectF(x - (c.list ? 1 : 2.5), bar.top() - 1, c.list ? 2 : 5, bar.height() + 2), tick);
            }
        }
    }
    if (m_others) {
        p.setFont(report::uiFont(13));
        p.setPen(th.second);
        p.drawText(QRectF(20, height() - 26, width() - 30, 22), Qt::AlignVCenter, othersText());
    }
}

// ---------------------------------------------------------------- verdict
VerdictBand::VerdictBand(QWidget* parent) : QWidget(parent)
{
    setObjectName(QStringLiteral("verdictBand"));
    setMinimumHeight(96);
    setMaximumHeight(130);
}

void VerdictBand::show(const inspect::PictureResult* result, const Counts& counts, bool present)
{
    m_counts = counts;
    m_present = present;
    m_word.clear();
    m_sentence.clear();
    m_second.clear();
    if (result && result->error) {
        m_outcome = Outcome::Reject;
        m_measured = false;
        m_word = tr("NO PICTURE");
        m_sentence = tr("the picture could not be read");
        m_second = q(*result->error);
    } else if (result) {
        m_outcome = result->outcome();
        m_word = m_outcome == Outcome::Accept   ? tr("ACCEPT")
                 : m_outcome == Outcome::Reject ? tr("REJECT")
                                                : tr("UNJUDGED");
        for (const auto& item : result->items) // the recipe's own words
            if (item.outcome == m_outcome && !item.word.empty()) m_word = q(item.word);
        m_measured = false;
        QStringList more;
        for (const auto& item : result->items) {
            for (const auto& c : item.checks)
                if (c.verdict == Verdict::Fail) {
                    m_measured = true;
                    const QString text = (result->items.size() > 1 ? tr("item %1: ").arg(item.number) : QString()) +
                                         (c.balloon ? QString::number(c.balloon) + QStringLiteral(" ") : QString()) +
                                         (c.fault.empty() ? QString() : q(c.fault) + QStringLiteral(" · ")) +
                                         q(c.name) + QStringLiteral(" ") + q(c.valueText());
                    if (m_sentence.isEmpty()) {
                        m_sentence = text;
                        if (!c.reason.empty()) more << q(c.reason);
                    } else {
                        more << text;
                    }
                }
            if (m_sentence.isEmpty() && item.rejected())
                m_sentence =
                    (result->items.size() > 1 ? tr("item %1: ").arg(item.number) : QString()) + q(item.sentence());
        }
        const bool all = std::all_of(result->items.begin(), result->items.end(), [](const auto& item) {
            return std::none_of(item.checks.begin(), item.checks.end(), [](const auto& c) {
                return c.verdict == Verdict::Fail || c.verdict == Verdict::NotMeasured;
            });
        });
        if (m_outcome == Outcome::Accept)
            m_sentence = all ? tr("all checks pass") : tr("accepted by the recipe's rule"), m_measured = true;
        if (m_outcome == Outcome::Unjudged)
            m_sentence = tr("no check has limits: nothing was judged"), m_measured = true;
        m_second = more.join(QStringLiteral(" · "));
    }
    setAccessibleName(m_word + QStringLiteral(" ") + m_sentence);
    update();
}

QColor VerdictBand::outcomeColour() const
{
    return m_outcome == Outcome::Accept ? theme().pass : m_outcome == Outcome::Reject ? theme().fail : theme().ink;
}

void VerdictBand::paintEvent(QPaintEvent*)
{
    QPainter p(this);
    const report::Theme& th = theme();
    p.setRenderHint(QPainter::Antialiasing);
    p.fillRect(rect(), th.paper);
    p.setPen(QPen(th.ink, 2));
    p.drawLine(0, 1, width(), 1);
    p.drawLine(0, height() - 1, width(), height() - 1);
    const int far = farSize(this);
    const QRectF stamp(0, 2, 6.1 * far, height() - 3);
    if (!m_word.isEmpty()) {
        const bool reject = m_outcome == Outcome::Reject;
        const QColor colour = outcomeColour();
        if (reject && m_measured) p.fillRect(stamp, colour);
        if (reject && !m_measured) report::hatch(p, stamp, th.notMeasured, 6);
        if (!reject || !m_measured) {
            p.setPen(QPen(colour, 3));
            p.setBrush(!reject ? QBrush(Qt::NoBrush) : QBrush(th.paper));
            p.drawRect(!reject ? stamp.adjusted(8, 8, -8, -8) : stamp.adjusted(16, 14, -16, -14));
        }
        p.setFont(report::sheetFont(far));
        p.setPen(reject && m_measured ? th.paper : colour);
        p.drawText(stamp, Qt::AlignCenter, m_word);
    }
    const double counts = 210;
    const QRectF text(stamp.right() + 18, 6, width() - stamp.right() - counts - 30, height() - 12);
    if (m_word.isEmpty()) {
        p.setFont(report::uiFont(15));
        p.setPen(th.second);
        p.drawText(text, Qt::AlignVCenter, tr("waiting for the first item"));
    } else {
        // The sentence shrinks before it is cut.
        double px = far;
        p.setFont(report::sheetFont(px));
        while (px > 18 && p.fontMetrics().horizontalAdvance(m_sentence) > text.width())
            p.setFont(report::sheetFont(px -= 2));
        p.setPen(outcomeColour());
        p.drawText(text.adjusted(0, 0, 0, -26), Qt::AlignVCenter | Qt::AlignLeft,
                   p.fontMetrics().elidedText(m_sentence, Qt::ElideRight, int(text.width())));
        p.setFont(report::uiFont(14));
        p.setPen(th.second);
        const QString second =
            m_present ? m_second : tr("this is not the present item: Start or click the last column to go on");
        p.drawText(QRectF(text.left(), text.bottom() - 26, text.width(), 24), Qt::AlignVCenter,
                   p.fontMetrics().elidedText(second, Qt::ElideRight, int(text.width())));
    }
    const QRectF right(width() - counts, 8, counts - 16, height() - 16);
    p.setPen(QPen(th.rule, 1));
    p.drawLine(QPointF(right.left() - 10, 8), QPointF(right.left() - 10, height() - 8));
    const auto line = [&](int i, const QString& name, const QString& value) {
        const QRectF r(right.left(), right.top() + i * right.height() / 3, right.width(), right.height() / 3);
        p.setFont(report::uiFont(14));
        p.setPen(th.second);
        p.drawText(r, Qt::AlignVCenter | Qt::AlignLeft, name);
        p.setFont(report::uiFont(15, true));
        p.setPen(th.ink);
        p.drawText(r, Qt::AlignVCenter | Qt::AlignRight, value);
    };
    line(0, tr("items"), QString::number(m_counts.items));
    line(1, tr("accepted"),
         m_counts.items ? tr("%1 · %2 %")
                              .arg(m_counts.accepted)
                              .arg(100.0 * double(m_counts.accepted) / double(m_counts.items), 0, 'f', 1)
                        : QStringLiteral("–"));
    line(2, tr("rate"),
         m_counts.perMinute > 0 ? tr("%1 a minute").arg(m_counts.perMinute, 0, 'f', 0) : QStringLiteral("–"));
}

} // namespace desktop

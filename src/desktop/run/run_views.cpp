#include "desktop/run/run_views.h"

#include "desktop/grid_view.h"
#include "report/sheet_painter.h"

#include <QLocale>
#include <QPainter>
#include <QScreen>
#include <algorithm>
#include <cmath>
#include <set>

namespace desktop
{
using inspect::Outcome;
using inspect::Verdict;
using report::theme;

namespace
{
QString q(const std::string& s) { return QString::fromStdString(s); }
// Far text is readable from two metres: capitals of 9.5 mm on the screen it stands on, where that says how large it is,
// and never more than the window has room for.
int farSize(const QWidget* w)
{
    const int byWindow = w->window()->height() / 18;
    const QScreen* screen = w->screen();
    const double mm = screen ? screen->physicalSize().height() : 0;
    if (!(mm > 80 && mm < 2000)) return std::clamp(byWindow, 30, 60);
    const double capitals = 9.5 * screen->size().height() / mm; // px
    const double share = QFontMetricsF(report::sheetFont(100)).capHeight() / 100;
    return std::clamp(int(capitals / std::clamp(share, 0.5, 1.0)), 30, std::max(30, w->window()->height() / 15));
}
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
    const recipe::Screen& screen = logged.line().release->recipe().screen;
    m_turn = -geometry::radians(screen.turn);
    const image::Picture* seen = nullptr;
    if (capture)
        for (const image::Picture& one : capture->pictures())
            if (!seen || one.key == screen.picture) seen = &one;
    setPicture(seen ? report::toQImage(*seen) : QImage());
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
    m_labels = 0;
    if (recipe.screen.marks == recipe::Screen::Marks::None) return;
    report::SheetScene scene{&recipe, &m_logged.result(), std::max(0, m_item), {}, false, QSizeF(m_picture.size())};
    scene.onlyFailed = recipe.screen.marks == recipe::Screen::Marks::Failed;
    m_labels = report::paintSheet(p, scene, t, QRectF(rect())).size();
    if (!m_pointed || !m_pointed->at) return;
    const QPointF at = t.map(QPointF(m_pointed->at->x + 0.5, m_pointed->at->y + 0.5));
    p.setRenderHint(QPainter::Antialiasing);
    p.setBrush(Qt::NoBrush);
    for (const auto& [colour, wide] : {std::pair{theme().paper, 6.0}, {theme().datum, 2.5}}) {
        p.setPen(QPen(colour, wide));
        p.drawEllipse(at, 26, 26);
    }
}

void RunSheet::point(const std::optional<inspect::Fault>& fault)
{
    m_pointed = fault;
    update();
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

QStringList LadderView::shownNames() const
{
    QStringList out;
    for (const auto& c : m_rows) out << q(c.name);
    return out;
}

void LadderView::showNothing()
{
    m_rows.clear();
    m_title.clear();
    m_others = 0, m_has = false;
    update();
}

void LadderView::show(const inspect::ItemResult& item, const recipe::Recipe& recipe, const QString& title)
{
    m_title = title;
    m_rows.clear();
    m_others = 0;
    m_has = true;
    m_rows = item.checks;
    // Fails, not measured, near, then what the engineer chose (else the recipe's order); eight at most.
    bool any = false;
    std::set<std::pair<std::string, std::string>> wanted;
    for (const recipe::Step& s : recipe.steps)
        for (const recipe::Check& c : s.checks)
            if (c.onScreen) any = true, wanted.insert({s.id, c.output});
    // What nothing judges pushes no judged value out. The last rank is not shown.
    constexpr int hidden = 5;
    const auto rank = [&](const inspect::CheckResult& c) {
        return c.verdict == Verdict::Fail                 ? 0
               : c.verdict == Verdict::NotMeasured        ? 1
               : c.share && *c.share >= 0.8               ? 2
               : any && !wanted.count({c.step, c.output}) ? hidden
               : c.verdict == Verdict::Unjudged && !any   ? 4
                                                          : 3;
    };
    std::stable_sort(m_rows.begin(), m_rows.end(), [&](const auto& a, const auto& b) { return rank(a) < rank(b); });
    const auto seen = std::min<std::ptrdiff_t>(8, std::find_if(m_rows.begin(), m_rows.end(), [&](const auto& c) {
                                                      return rank(c) == hidden;
                                                  }) - m_rows.begin());
    m_others = int(m_rows.size() - seen);
    m_othersOut = int(
        std::count_if(m_rows.begin() + seen, m_rows.end(), [](const auto& c) { return c.verdict != Verdict::Pass; }));
    m_rows.resize(std::size_t(seen));
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
}

// Of a reject the first fault by its short text; its limit and the further faults in near text.
VerdictBand::Part VerdictBand::partOf(const inspect::ItemResult& item)
{
    Part part;
    part.outcome = item.outcome;
    part.word = !item.word.empty()                ? q(item.word)
                : item.outcome == Outcome::Accept ? tr("ACCEPT")
                : item.outcome == Outcome::Reject ? tr("REJECT")
                                                  : tr("UNJUDGED");
    QStringList more;
    bool anyFail = false, allMeasured = true;
    for (const auto& c : item.checks) {
        allMeasured = allMeasured && c.verdict != Verdict::NotMeasured;
        if (c.verdict != Verdict::Fail) continue;
        const QString text = (c.balloon ? QString::number(c.balloon) + QStringLiteral(" ") : QString()) +
                             q(c.fault.empty() ? c.name : c.fault) + QStringLiteral(" ") + q(c.valueText());
        if (anyFail) {
            more << text;
            continue;
        }
        anyFail = true;
        part.sentence = text;
        if (!c.fault.empty()) more << q(c.name);
        if (!c.reason.empty()) more << q(c.reason);
    }
    // Nothing but what could not be measured: no fault is proved, and none excluded.
    part.measured = anyFail || item.outcome != Outcome::Reject;
    if (!part.measured) part.word = tr("NOT MEASURED");
    if (part.sentence.isEmpty())
        part.sentence = item.outcome == Outcome::Accept
                            ? (allMeasured ? tr("all checks pass") : tr("accepted by the recipe's rule"))
                        : item.outcome == Outcome::Unjudged ? tr("no check has limits: nothing was judged")
                                                            : q(item.sentence());
    else if (item.outcome == Outcome::Accept) part.sentence = tr("accepted by the recipe's rule");
    part.second = more.join(QStringLiteral(" · "));
    return part;
}

VerdictBand::Part VerdictBand::inView() const
{
    for (const Part& p : m_parts)
        if (p.chosen) return p;
    return m_parts.empty() ? Part{} : m_parts.front();
}

void VerdictBand::show(const inspect::PictureResult* result, long long number, int chosen, const Counts& counts,
                       bool present, const QString& note)
{
    m_counts = counts;
    m_present = present;
    m_number = number;
    m_note = note;
    m_word.clear();
    m_parts.clear();
    m_more = m_moreOut = 0;
    if (result && result->error) {
        m_word = tr("NO PICTURE");
        m_parts.push_back(
            {m_word, tr("the picture could not be read"), q(*result->error), Outcome::Reject, false, true});
    } else if (result) {
        for (std::size_t i = 0; i < result->items.size(); ++i) {
            const auto& item = result->items[i];
            Part part = partOf(item);
            part.chosen = int(i) == chosen;
            if (result->items.size() > 1) part.sentence = tr("item %1: ").arg(item.number) + part.sentence;
            if (m_word.isEmpty() && item.outcome == result->outcome()) m_word = part.word;
            m_parts.push_back(std::move(part));
        }
        if (m_parts.size() > kMostParts) {
            std::stable_sort(m_parts.begin(), m_parts.end(), [](const Part& a, const Part& b) {
                return (a.outcome == Outcome::Reject) > (b.outcome == Outcome::Reject);
            });
            m_more = int(m_parts.size()) - kMostParts;
            m_moreOut = int(std::count_if(m_parts.begin() + kMostParts, m_parts.end(),
                                          [](const Part& p) { return p.outcome == Outcome::Reject; }));
            m_parts.resize(kMostParts);
        }
    }
    setAccessibleName(m_word + QStringLiteral(" ") + sentence());
    update();
}

void VerdictBand::paintPart(QPainter& p, const Part& part, QRectF box, bool alone) const
{
    const report::Theme& th = theme();
    const int far = alone ? farSize(this) : std::min(farSize(this), int(box.width() / 9));
    const QRectF stamp(box.left(), box.top(), alone ? 6.1 * far : 5.2 * far, box.height());
    const bool reject = part.outcome == Outcome::Reject, filled = reject && part.measured;
    const QColor colour = part.outcome == Outcome::Accept ? th.pass : reject ? th.fail : th.ink;
    if (filled) p.fillRect(stamp, colour);
    if (reject && !part.measured) report::hatch(p, stamp, th.notMeasured, 6);
    if (!filled) {
        p.setPen(QPen(colour, 3));
        p.setBrush(!reject ? QBrush(Qt::NoBrush) : QBrush(th.paper));
        p.drawRect(!reject ? stamp.adjusted(8, 8, -8, -8) : stamp.adjusted(16, 14, -16, -14));
    }
    double px = far;
    p.setFont(report::sheetFont(px));
    while (px > 14 && p.fontMetrics().horizontalAdvance(part.word) > stamp.width() - 40)
        p.setFont(report::sheetFont(px -= 1));
    p.setPen(filled ? th.paper : colour);
    p.drawText(stamp, Qt::AlignCenter, part.word);
    const QRectF text(stamp.right() + (alone ? 18 : 10), box.top() + 4, box.right() - stamp.right() - (alone ? 24 : 14),
                      box.height() - 8);
    // The sentence shrinks before it is cut; beside others it takes two lines.
    px = alone ? far : far * 0.6;
    p.setFont(report::sheetFont(px));
    const double room = alone ? text.width() : 1.8 * text.width();
    while (px > 15 && p.fontMetrics().horizontalAdvance(part.sentence) > room) p.setFont(report::sheetFont(px -= 1));
    p.setPen(colour);
    const QString second = !m_note.isEmpty() ? m_note
                           : m_present       ? part.second
                                       : tr("this is not the present item: Start or click the last column to go on");
    if (!alone) {
        p.drawText(text, Qt::AlignVCenter | Qt::AlignLeft | Qt::TextWordWrap, part.sentence);
    } else {
        p.drawText(text.adjusted(0, 0, 0, second.isEmpty() ? 0 : -26), Qt::AlignVCenter | Qt::AlignLeft,
                   p.fontMetrics().elidedText(part.sentence, Qt::ElideRight, int(text.width())));
        p.setFont(report::uiFont(14));
        p.setPen(th.second);
        p.drawText(QRectF(text.left(), text.bottom() - 26, text.width(), 24), Qt::AlignVCenter,
                   p.fontMetrics().elidedText(second, Qt::ElideRight, int(text.width())));
    }
    if (!alone && part.chosen) {
        p.setPen(QPen(th.datum, 4));
        p.drawLine(QPointF(box.left() + 2, box.bottom() - 2), QPointF(box.right() - 4, box.bottom() - 2));
    }
}

void VerdictBand::paintEvent(QPaintEvent*)
{
    QPainter p(this);
    const report::Theme& th = theme();
    p.setRenderHint(QPainter::Antialiasing);
    p.fillRect(rect(), m_present || m_parts.empty() ? th.paper : th.selected);
    p.setPen(QPen(th.ink, 2));
    p.drawLine(0, 1, width(), 1);
    p.drawLine(0, height() - 1, width(), height() - 1);
    const int far = farSize(this);
    // The item's number at the right, far text too.
    const QString number =
        m_number > 0 ? QLocale::c().toString(m_number).replace(QLatin1Char(','), QChar(0x2009)) : QString();
    p.setFont(report::sheetFont(far * 0.8));
    const double right = m_number > 0 ? std::max(104.0, p.fontMetrics().horizontalAdvance(number) + 36.0) : 0;
    if (m_number > 0) {
        p.setPen(QPen(th.rule, 1));
        p.drawLine(QPointF(width() - right, 10), QPointF(width() - right, height() - 10));
        p.setPen(th.ink);
        p.drawText(QRectF(width() - right, 0, right, height() - 22), Qt::AlignCenter, number);
        p.setFont(report::uiFont(13));
        p.setPen(th.second);
        p.drawText(QRectF(width() - right, height() - 30, right, 24), Qt::AlignCenter,
                   m_present ? tr("item") : tr("not present"));
    }
    if (m_parts.empty()) {
        p.setFont(report::uiFont(15));
        p.setPen(th.second);
        p.drawText(QRectF(24, 6, width() - right - 30, height() - 12), Qt::AlignVCenter,
                   tr("waiting for the first item"));
        return;
    }
    const double more = m_more ? 120 : 0, each = (width() - right - more) / double(m_parts.size());
    for (std::size_t i = 0; i < m_parts.size(); ++i)
        paintPart(p, m_parts[i], QRectF(double(i) * each, 2, each - (m_parts.size() > 1 ? 4 : 0), height() - 3),
                  m_parts.size() == 1);
    if (m_more) {
        p.setFont(report::uiFont(15, true));
        p.setPen(th.ink);
        p.drawText(QRectF(width() - right - more, 2, more, height() - 4), Qt::AlignCenter,
                   m_moreOut ? tr("%1 more,\n%2 rejected").arg(m_more).arg(m_moreOut)
                             : tr("%1 more,\nnone rejected").arg(m_more));
    }
}

} // namespace desktop

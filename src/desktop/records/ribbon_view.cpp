#include "desktop/records/ribbon_view.h"

#include "report/theme.h"

#include <QDateTime>
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
constexpr double kSide = 12, kClick = 4;
QString dated(std::int64_t at, bool clock)
{
    const QDateTime t = QDateTime::fromMSecsSinceEpoch(at);
    const bool today = t.date() == QDate::currentDate();
    return (today ? QObject::tr("today ") : QLocale::c().toString(t, QStringLiteral("d MMM "))) +
           (clock ? t.toString(QStringLiteral("HH:mm")) : QString());
}
} // namespace

RibbonView::RibbonView(RecordsModel& model, QWidget* parent) : QWidget(parent), m_model(model)
{
    setObjectName(QStringLiteral("ribbon"));
    setAccessibleName(tr("The whole log by time"));
    setFixedHeight(44);
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    connect(&m_model, &RecordsModel::changed, this, qOverload<>(&QWidget::update));
}

QRectF RibbonView::bars() const { return {kSide, 4, width() - 2 * kSide, 23}; }
double RibbonView::xOf(std::int64_t at) const
{
    const Ribbon& r = m_model.view().ribbon;
    return r.to > r.from ? bars().left() + bars().width() * double(at - r.from) / double(r.to - r.from) : bars().left();
}
std::int64_t RibbonView::timeAt(double x) const
{
    const Ribbon& r = m_model.view().ribbon;
    const double share = std::clamp((x - bars().left()) / bars().width(), 0.0, 1.0);
    return r.from + std::int64_t(share * double(r.to - r.from));
}
std::optional<std::pair<std::int64_t, std::int64_t>> RibbonView::span() const
{
    if (m_stroke) return m_stroke;
    for (const auto& b : m_model.sentence().brushes)
        if (b.of == Sentence::Brush::Of::Time) return std::make_pair(b.since, b.until);
    return std::nullopt;
}

void RibbonView::paintEvent(QPaintEvent*)
{
    QPainter p(this);
    const report::Theme& th = theme();
    p.fillRect(rect(), th.paper);
    const Ribbon& r = m_model.view().ribbon;
    const QRectF box = bars();
    p.setPen(th.rule);
    p.drawLine(QPointF(box.left(), box.bottom() + 0.5), QPointF(box.right(), box.bottom() + 0.5));
    if (r.items.empty()) return;
    const auto chosen = span();
    if (chosen)
        p.fillRect(QRectF(QPointF(xOf(chosen->first), box.top() - 3), QPointF(xOf(chosen->second), box.bottom())),
                   th.selected);
    std::uint32_t most = 1;
    for (const std::uint32_t n : r.items) most = std::max(most, n);
    const double wide = box.width() / double(r.items.size());
    const QColor grey = th.dark ? QColor("#7C838C") : QColor("#8A8F96");
    for (std::size_t i = 0; i < r.items.size(); ++i) {
        if (r.items[i] == 0) continue;
        const double high = std::max(2.0, box.height() * double(r.items[i]) / double(most)),
                     bad = r.rejects[i] > 0 ? std::max(2.0, high * double(r.rejects[i]) / double(r.items[i])) : 0,
                     x = box.left() + double(i) * wide;
        p.fillRect(QRectF(x, box.bottom() - high, std::max(1.0, wide - 1), high), grey);
        p.fillRect(QRectF(x, box.bottom() - bad, std::max(1.0, wide - 1), bad), th.fail);
    }
    // Posts and triangles, with their names where there is room.
    p.setFont(report::uiFont(12));
    double free = box.left() - 4;
    const QString begin = dated(r.from, true), end = dated(r.to, true);
    const double endLeft = box.right() - p.fontMetrics().horizontalAdvance(end);
    const double textTop = box.bottom() + 2;
    const auto write = [&](double x, const QString& text, const QColor& colour) {
        const double w = p.fontMetrics().horizontalAdvance(text);
        if (x < free || x + w > endLeft - 8) return;
        p.setPen(colour);
        p.drawText(QRectF(x, textTop, w + 2, 15), Qt::AlignVCenter, text);
        free = x + w + 8;
    };
    const Columns& c = *m_model.view().columns;
    // The first of each kind begins at the log's beginning and says nothing.
    std::vector<std::tuple<double, QString, bool>> marks;
    const auto shared = [&](double x) { // with a triangle, which stands before it
        for (const auto& m : r.releases)
            if (m.at > r.from && std::abs(xOf(m.at) - x) < 9) return true;
        return false;
    };
    for (const auto& m : r.batches)
        marks.emplace_back(xOf(m.at), c.batches[m.word].isEmpty() ? QString() : tr("batch %1").arg(c.batches[m.word]),
                           true);
    for (const auto& m : r.releases)
        if (m.at > r.from) marks.emplace_back(xOf(m.at), tr("rev %1").arg(c.releases[m.word].revision), false);
    std::stable_sort(marks.begin(), marks.end(),
                     [](const auto& a, const auto& b) { return std::get<0>(a) < std::get<0>(b); });
    const bool many = marks.size() > 120;
    if (marks.empty() || std::get<0>(marks.front()) > box.left() + 90) write(box.left(), begin, th.second);
    for (const auto& [x, text, batch] : marks) {
        p.setRenderHint(QPainter::Antialiasing, !batch);
        if (batch) {
            if (many) continue;
            p.setPen(QPen(th.ink, 1));
            p.drawLine(QPointF(std::floor(x) + 0.5, box.top() - 2), QPointF(std::floor(x) + 0.5, box.bottom() + 4));
            write(x + (shared(x) ? 10 : 4), text, th.second);
        } else {
            p.setPen(QPen(th.datum, 1.3));
            p.setBrush(Qt::NoBrush);
            p.drawPolygon(QPolygonF({{x, box.bottom() + 2}, {x - 5, box.bottom() + 10}, {x + 5, box.bottom() + 10}}));
            write(x + 8, text, th.datum);
        }
    }
    p.setRenderHint(QPainter::Antialiasing, false);
    p.fillRect(QRectF(endLeft - 4, textTop, box.right() - endLeft + 16, 15), th.paper);
    p.setPen(th.second);
    p.drawText(QRectF(endLeft, textTop, box.right() - endLeft + 2, 15), Qt::AlignVCenter, end);
    if (!chosen) return;
    p.setPen(QPen(th.datum, 1.5));
    for (const double x : {xOf(chosen->first), xOf(chosen->second)}) {
        p.drawLine(QPointF(x, box.top() - 3), QPointF(x, box.bottom()));
        p.setBrush(th.raised);
        p.drawRect(QRectF(x - 4, box.center().y() - 5, 8, 9));
    }
}

void RibbonView::take(std::int64_t from, std::int64_t to)
{
    Sentence s = m_model.sentence();
    std::erase_if(s.brushes, [](const auto& b) { return b.of == Sentence::Brush::Of::Time; });
    if (from < to) {
        Sentence::Brush b;
        b.of = Sentence::Brush::Of::Time, b.since = from, b.until = to;
        s.brushes.push_back(b);
    }
    m_model.say(std::move(s));
}

void RibbonView::mousePressEvent(QMouseEvent* e)
{
    if (e->button() != Qt::LeftButton) return;
    m_pressed = e->position().x();
    m_handle = 0;
    if (const auto s = span()) {
        if (std::abs(m_pressed - xOf(s->first)) < 8) m_handle = 1;
        else if (std::abs(m_pressed - xOf(s->second)) < 8) m_handle = 2;
        if (m_handle) m_stroke = s;
    }
}
void RibbonView::mouseMoveEvent(QMouseEvent* e)
{
    if (!(e->buttons() & Qt::LeftButton) || m_pressed < 0) {
        const auto s = span();
        const double x = e->position().x();
        setCursor(s && (std::abs(x - xOf(s->first)) < 8 || std::abs(x - xOf(s->second)) < 8) ? Qt::SizeHorCursor
                                                                                             : Qt::CrossCursor);
        return;
    }
    if (!m_handle && std::abs(e->position().x() - m_pressed) < kClick) return;
    const std::int64_t here = timeAt(e->position().x());
    const std::int64_t other = m_handle == 1 ? m_stroke->second : m_handle == 2 ? m_stroke->first : timeAt(m_pressed);
    if (m_handle) { // handles may pass each other
        m_stroke = {std::min(here, other), std::max(here, other)};
        m_handle = here < other ? 1 : 2;
    } else m_stroke = {std::min(here, other), std::max(here, other)};
    update();
}
void RibbonView::mouseReleaseEvent(QMouseEvent* e)
{
    if (e->button() != Qt::LeftButton || m_pressed < 0) return;
    m_pressed = -1;
    if (m_stroke) {
        const auto s = *std::exchange(m_stroke, std::nullopt);
        m_handle = 0;
        return take(s.first, std::max(s.first + 1, s.second));
    }
    // A post is its batch, a triangle its revision.
    bool batch = false;
    if (const auto* m = markAt(e->position(), batch)) {
        Sentence s = m_model.sentence();
        const Columns& c = *m_model.view().columns;
        if (batch) s.words.batch = c.batches[m->word].isEmpty() ? QStringLiteral("") : c.batches[m->word];
        else s.words.revisions = {c.releases[m->word].revision};
        m_model.say(std::move(s));
    }
}
void RibbonView::mouseDoubleClickEvent(QMouseEvent*)
{
    m_pressed = -1;
    take(0, 0);
}

void RibbonView::wheelEvent(QWheelEvent* e)
{
    const Ribbon& r = m_model.view().ribbon;
    if (r.to <= r.from || e->angleDelta().y() == 0) return;
    const Ribbon all = ribbonOf(*m_model.view().columns, 1);
    const std::int64_t at = timeAt(e->position().x());
    const double k = std::pow(0.999, e->angleDelta().y());
    const std::int64_t from = std::max(all.from, at - std::int64_t(double(at - r.from) * k)),
                       to = std::min(all.to, at + std::int64_t(double(r.to - at) * k));
    if (to - from < 2000) return;
    if (from <= all.from && to >= all.to) m_model.zoomRibbon(0, 0);
    else m_model.zoomRibbon(from, to);
}

// Left and right move the span by its width, + and - zoom, Backspace takes it away.
void RibbonView::keyPressEvent(QKeyEvent* e)
{
    const auto s = span();
    const Ribbon& r = m_model.view().ribbon;
    const bool left = e->key() == Qt::Key_Left, right = e->key() == Qt::Key_Right;
    if ((left || right) && r.to > r.from) {
        const std::int64_t wide = s ? s->second - s->first : (r.to - r.from) / 8;
        const std::int64_t from = s ? s->first + (right ? wide : -wide) : right ? r.from : r.to - wide;
        const std::int64_t held = std::clamp(from, r.from, std::max(r.from, r.to - wide));
        return take(held, held + wide);
    }
    if (e->key() == Qt::Key_Backspace || e->key() == Qt::Key_Delete) return take(0, 0);
    QWidget::keyPressEvent(e);
}

const Ribbon::Mark* RibbonView::markAt(QPointF at, bool& batch) const
{
    const Ribbon& r = m_model.view().ribbon;
    const Ribbon::Mark* best = nullptr;
    double nearest = 7;
    const auto look = [&](const std::vector<Ribbon::Mark>& marks, bool batches) {
        for (const auto& m : marks)
            if (const double d = std::abs(xOf(m.at) - at.x()); d < nearest) nearest = d, best = &m, batch = batches;
    };
    if (at.y() > bars().bottom()) look(r.releases, false);
    look(r.batches, true);
    return best;
}

bool RibbonView::event(QEvent* e)
{
    if (e->type() != QEvent::ToolTip) return QWidget::event(e);
    const auto* help = static_cast<QHelpEvent*>(e);
    const Ribbon& r = m_model.view().ribbon;
    const Columns& c = *m_model.view().columns;
    QString text = tr("A stroke takes a span · double click takes it away · wheel zooms · a post is its batch");
    bool batch = false;
    if (const auto* m = markAt(help->pos(), batch))
        text = (batch ? tr("batch %1").arg(c.batches[m->word])
                      : tr("%1, revision %2").arg(c.releases[m->word].recipe).arg(c.releases[m->word].revision)) +
               tr(" from %1").arg(dated(m->at, true));
    else if (!r.items.empty() && bars().contains(help->pos())) {
        const std::size_t i = std::min(r.items.size() - 1, std::size_t((help->pos().x() - bars().left()) /
                                                                       bars().width() * double(r.items.size())));
        text = tr("%1: %2 items, %3 rejected\n")
                   .arg(dated(timeAt(help->pos().x()), true), grouped(r.items[i]), grouped(r.rejects[i])) +
               text;
    }
    QToolTip::showText(help->globalPos(), text, this);
    return true;
}

} // namespace desktop

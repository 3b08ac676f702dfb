#include "desktop/grid_view.h"

#include "desktop/symbols.h"
#include "report/sheet_painter.h"
#include "report/step_symbols.h"

#include <QAccessible>
#include <QBuffer>
#include <QHelpEvent>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QScrollBar>
#include <QToolTip>
#include <algorithm>
#include <cmath>

namespace desktop
{
using inspect::Verdict;
using report::theme;

namespace
{
constexpr int kVerdict = 26, kBar = 10, kCrop = 46;
constexpr int kWide = 60;  // from this width on a cell shows its figure
constexpr int kPacked = 3; // at this width all columns are in view, several in one where there are many
bool taken(const inspect::PictureResult& result, const inspect::ItemResult& item, int only)
{
    return only < 0 || &item == &result.items[std::size_t(std::min(only, int(result.items.size()) - 1))];
}
int severity(Verdict v)
{
    return v == Verdict::Fail ? 3 : v == Verdict::NotMeasured ? 2 : v == Verdict::Unjudged ? 0 : 1;
}
} // namespace

void tickRange(const recipe::Limits& limits, const std::vector<double>& values, double& low, double& high)
{
    const auto lo = limits.lowest(), hi = limits.highest();
    double least = 0, most = 0;
    if (!values.empty()) {
        const auto [a, b] = std::minmax_element(values.begin(), values.end());
        least = *a, most = *b;
    }
    // The free side of a one-sided limit is the value's natural end.
    const bool score = lo && !hi && *lo >= 0 && *lo <= 1 && most <= 1.0001;
    low = lo ? *lo : hi ? std::min(0.0, least) : least;
    high = hi ? *hi : score ? 1.0 : lo ? std::max(most, *lo + std::abs(*lo) * 0.1 + 1e-9) : most;
    if (high - low < 1e-12) low -= 0.5, high += 0.5;
}

GridCell cellFor(const inspect::PictureResult* result, const std::string& step, const std::string& output, double low,
                 double high, int only)
{
    GridCell cell;
    if (!result || result->error) {
        if (result)
            cell.asked = true, cell.verdict = Verdict::NotMeasured, cell.text = QString::fromStdString(*result->error);
        return cell;
    }
    const inspect::CheckResult* worst = nullptr;
    for (const auto& item : result->items)
        if (const auto* c = taken(*result, item, only) ? item.check(step, output) : nullptr;
            c && (!worst || severity(c->verdict) > severity(worst->verdict)))
            worst = c;
    if (!worst) return cell;
    cell.asked = true;
    cell.verdict = worst->verdict;
    double value = worst->values.empty() ? 0 : worst->values.front();
    std::optional<double> least = worst->low, most = worst->high;
    if (worst->list && !worst->values.empty()) { // the worst element stands for the list, between its own limits
        const auto far = [&](double v) { return std::abs(v - (low + high) / 2); };
        value = *std::max_element(worst->values.begin(), worst->values.end(),
                                  [&](double a, double b) { return far(a) < far(b); });
        double reach = -1;
        for (const auto& e : worst->elements) {
            if (e.value < 0 || !e.low || !e.high || *e.high <= *e.low) continue;
            const double v = worst->values[std::size_t(e.value)],
                         off = std::abs(v - (*e.low + *e.high) / 2) / (*e.high - *e.low);
            if (off > reach) reach = off, value = v, low = *e.low, high = *e.high, least = e.low, most = e.high;
        }
    }
    if (!worst->values.empty()) {
        cell.place = std::clamp((value - low) / (high - low), 0.0, 1.0);
        // Its unit stands in the row's head.
        const std::string unit = base::symbol(base::shownAs(worst->unit, worst->shownIn));
        cell.figure = QString::fromStdString(base::toText(value, worst->unit, worst->shownIn));
        if (cell.figure.endsWith(QString::fromStdString(unit))) cell.figure.chop(QString::fromStdString(unit).size());
        cell.figure = cell.figure.trimmed();
    }
    cell.near = worst->near();
    cell.tooHigh = most && value > *most;
    cell.tooLow = least && value < *least;
    cell.text = QString::fromStdString(
        worst->name + ", " + (worst->verdict == Verdict::NotMeasured ? "not measured" : inspect::name(worst->verdict)) +
        ", " + worst->valueText());
    if (worst->share) cell.text += QStringLiteral(", %1 % of tolerance").arg(100 * *worst->share, 0, 'f', 0);
    if (!worst->reason.empty()) cell.text += QStringLiteral("\n") + QString::fromStdString(worst->reason);
    return cell;
}

GridCell elementCell(const inspect::PictureResult* result, const std::string& step, const std::string& output,
                     int element, int only)
{
    GridCell cell;
    if (!result || result->error) return cell;
    for (const auto& item : result->items)
        for (const auto& c : item.checks) {
            if (!taken(*result, item, only) || c.step != step || c.output != output ||
                element >= int(c.elements.size()))
                continue;
            const auto& e = c.elements[std::size_t(element)];
            if (cell.asked && severity(e.verdict) <= severity(cell.verdict)) continue;
            cell.asked = true;
            cell.verdict = e.verdict;
            const QString value =
                e.value >= 0 ? QString::fromStdString(base::toText(c.values[std::size_t(e.value)], c.unit, c.shownIn))
                             : QObject::tr("missing");
            cell.text = QString::fromStdString(c.name + " " + e.name) + QStringLiteral(", ") + value;
            if (!e.reason.empty()) cell.text += QStringLiteral("\n") + QString::fromStdString(e.reason);
            if (e.value < 0) continue; // it was asked for and is not there: a fail
            const double v = c.values[std::size_t(e.value)];
            if (e.low && e.high && *e.high > *e.low)
                cell.place = std::clamp((v - *e.low) / (*e.high - *e.low), 0.0, 1.0);
            cell.tooHigh = e.high && v > *e.high, cell.tooLow = e.low && v < *e.low;
        }
    return cell;
}

GridCell featureCell(const inspect::PictureResult* result, const std::vector<std::string>& steps, int only)
{
    GridCell cell;
    if (!result || result->error) return cell;
    for (const auto& item : result->items)
        for (const std::string& id : steps) {
            const auto* r = taken(*result, item, only) ? item.step(id) : nullptr;
            if (!r || r->state == inspect::State::Ok) continue;
            cell.asked = true;
            cell.verdict = Verdict::NotMeasured;
            if (cell.text.isEmpty()) cell.text = QString::fromStdString(r->reason);
        }
    return cell;
}

GridView::GridView(GridSource& source, QWidget* parent) : QAbstractScrollArea(parent), m_source(source)
{
    setObjectName(QStringLiteral("grid"));
    setAccessibleName(tr("Grid"));
    setFrameShape(QFrame::NoFrame);
    setFocusPolicy(Qt::StrongFocus);
    viewport()->setMouseTracking(true);
    setMinimumHeight(120);
    layOut();
}

int GridView::headWidth() const
{
    if (!m_heads) return 190;
    return 46 + m_nameWidth + dotsWidth() + valueWidth() + m_limitsWidth;
}
int GridView::dotsWidth() const { return m_crops && window()->width() >= 1600 ? 84 : 0; }
bool GridView::showsCrops() const { return m_crops && m_width >= kWide && m_source.columns() > 0; }
int GridView::topHeight() const { return (m_heads ? 38 : 22) + (showsCrops() ? kCrop + 4 : 0); }
int GridView::valueWidth() const { return window()->width() >= 1600 ? 110 : 92; }

int GridView::rowHeight(RowKind kind)
{
    switch (kind) {
    case RowKind::FeaturesLine:
    case RowKind::Feature: return 18;
    case RowKind::FixedHead: return 18;
    case RowKind::Element: return 16;
    case RowKind::Map: return 44;
    default: return 22;
    }
}

void GridView::layOut()
{
    m_tops.assign(1, 0);
    const bool wide = window()->width() >= 1600;
    const QFontMetrics limits(report::uiFont(12, true)), names(report::uiFont(13));
    m_limitsWidth = wide ? 110 : 78, m_nameWidth = wide ? 194 : 132;
    for (int r = 0; r < m_source.rows(); ++r) {
        const GridRow row = m_source.row(r);
        m_tops.push_back(m_tops.back() + rowHeight(row.kind) + 1);
        m_limitsWidth = std::max(m_limitsWidth, limits.horizontalAdvance(row.limits) + 12);
        if (row.kind == RowKind::Check || row.kind == RowKind::Datum)
            m_nameWidth = std::max(m_nameWidth, names.horizontalAdvance(row.name) + 6);
    }
    // A third of the width at most: the columns are what the grid is for.
    m_limitsWidth = std::min(m_limitsWidth, wide ? 200 : 140), m_nameWidth = std::min(m_nameWidth, wide ? 260 : 176);
    verticalScrollBar()->setRange(0, std::max(0, m_tops.back() - (viewport()->height() - topHeight() - kVerdict)));
    verticalScrollBar()->setPageStep(viewport()->height() - topHeight() - kVerdict);
    const int seen = std::max(1, viewport()->width() - headWidth() - kBar);
    const bool atEnd = horizontalScrollBar()->value() == horizontalScrollBar()->maximum();
    m_per = m_width <= kPacked ? std::max(1, (m_source.columns() * m_width + seen - 1) / seen) : 1;
    m_packed.clear();
    horizontalScrollBar()->setRange(0, std::max(0, (m_source.columns() + m_per - 1) / m_per * m_width - seen));
    horizontalScrollBar()->setPageStep(seen);
    horizontalScrollBar()->setSingleStep(m_width);
    if (m_follow && atEnd) horizontalScrollBar()->setValue(horizontalScrollBar()->maximum());
}

void GridView::refresh()
{
    layOut();
    viewport()->update();
}
void GridView::resizeEvent(QResizeEvent*) { layOut(); }

int GridView::neededWidth(int columnWidth) const
{
    return headWidth() + m_source.columns() * columnWidth + kBar + verticalScrollBar()->sizeHint().width();
}

int GridView::neededHeight() const { return topHeight() + m_tops.back() + kVerdict + 4; }

void GridView::setColumnWidth(int width)
{
    if (width == m_width) return;
    m_width = width;
    refresh();
    emit needsChanged();
}

void GridView::setCurrent(int row, int column)
{
    m_row = row, m_column = column;
    if (column >= 0) {
        const int seen = viewport()->width() - headWidth() - kBar, slot = column / m_per,
                  x = slot * m_width - horizontalScrollBar()->value();
        if (x < 0) horizontalScrollBar()->setValue(slot * m_width);
        else if (x + m_width > seen) horizontalScrollBar()->setValue((slot + 1) * m_width - seen);
    }
    if (row >= 0 && row + 1 < int(m_tops.size())) {
        const int seen = viewport()->height() - topHeight() - kVerdict,
                  y = m_tops[std::size_t(row)] - verticalScrollBar()->value();
        if (y < 0) verticalScrollBar()->setValue(m_tops[std::size_t(row)]);
        else if (y + 24 > seen) verticalScrollBar()->setValue(m_tops[std::size_t(row)] + 24 - seen);
    }
    // Spoken: "trial 7: Plate width, pass, 25.98 mm, 40 % of tolerance".
    if (row >= 0 && row < m_source.rows() && column >= 0 && column < m_source.columns()) {
        setAccessibleDescription(m_source.columnWord(column) + QStringLiteral(": ") + m_source.cell(row, column).text);
        QAccessibleEvent spoken(this, QAccessible::DescriptionChanged);
        QAccessible::updateAccessibility(&spoken);
    }
    viewport()->update();
}

int GridView::rowTop(int r) const { return topHeight() + m_tops[std::size_t(r)] - verticalScrollBar()->value(); }
int GridView::rowAt(int y) const
{
    if (y < topHeight() || y >= viewport()->height() - kVerdict) return -1;
    for (int r = 0; r + 1 < int(m_tops.size()); ++r)
        if (y >= rowTop(r) && y < rowTop(r + 1)) return r;
    return -1;
}
int GridView::leftOf(int slot) const { return headWidth() + slot * m_width - horizontalScrollBar()->value(); }
int GridView::columnAt(int x) const
{
    const int c = (x - headWidth() + horizontalScrollBar()->value()) / m_width * m_per;
    return x >= headWidth() && x < viewport()->width() - kBar && c < m_source.columns() ? c : -1;
}
QRect GridView::cellRect(int row, int column) const
{
    return {leftOf(column / m_per), rowTop(row), m_width, rowTop(row + 1) - rowTop(row) - 1};
}

const GridView::Packed& GridView::packed(int row, int slot)
{
    const int n = m_source.columns(), painted = (n + m_per - 1) / m_per;
    m_packed.resize(std::size_t(painted) * (m_tops.size() - 1));
    Packed& cell = m_packed[std::size_t(row) * std::size_t(painted) + std::size_t(slot)];
    if (cell.known) return cell;
    cell.known = true;
    for (int c = slot * m_per; c < std::min(n, (slot + 1) * m_per); ++c) {
        const GridCell one = m_source.cell(row, c);
        if (!one.asked) continue;
        ++cell.asked;
        cell.failed += one.verdict == Verdict::Fail, cell.unmeasured += one.verdict == Verdict::NotMeasured;
        if (cell.worst >= 0 && severity(one.verdict) <= severity(cell.verdict)) continue;
        cell.worst = c, cell.verdict = one.verdict;
    }
    return cell;
}

void paintPackedCells(QPainter& p, int asked, int failed, int unmeasured, bool judged, QRect box)
{
    const report::Theme& th = theme();
    if (asked == 0) return;
    if (failed + unmeasured < asked && judged) p.fillRect(box, th.passGround);
    // The height of the block says how many fail.
    const auto block = [&](int count) {
        const int high =
            std::clamp(int(std::lround(double(box.height()) * count / asked)), std::min(4, box.height()), box.height());
        return QRect(box.left(), box.bottom() + 1 - high, box.width(), high);
    };
    if (failed > 0) return p.fillRect(block(failed), th.fail);
    if (unmeasured == 0) return;
    p.setPen(th.notMeasured);
    p.setBrush(Qt::NoBrush);
    p.drawRect(block(unmeasured).adjusted(0, 0, -1, -1));
}

void paintGridCell(QPainter& p, const GridCell& c, QRect box, RowKind kind, int width)
{
    const report::Theme& th = theme();
    if (!c.asked) return;
    p.setRenderHint(QPainter::Antialiasing, false);
    const QRect in = box.adjusted(1, 0, -1, 0);
    const bool glyphs = width >= 24;
    if (kind == RowKind::FeaturesLine || kind == RowKind::Feature) {
        if (c.verdict == Verdict::NotMeasured) report::hatch(p, QRectF(in), th.notMeasured, 5);
        return;
    }
    switch (c.verdict) {
    case Verdict::Fail: {
        p.fillRect(in, th.fail);
        if (glyphs) {
            if (width >= kWide && !c.figure.isEmpty()) {
                p.setFont(report::uiFont(12, true));
                p.setPen(th.paper);
                p.drawText(in.adjusted(2, 0, -16, 0), Qt::AlignVCenter | Qt::AlignRight,
                           p.fontMetrics().elidedText(c.figure, Qt::ElideLeft, in.width() - 18));
                report::drawCross(p, QRectF(in.right() - 14, in.center().y() - 5, 11, 11), th.paper, 2);
            } else {
                report::drawCross(p, QRectF(in.center().x() - 6, in.center().y() - 6, 13, 13), th.paper, 2);
            }
            // A notch says on which side.
            p.setRenderHint(QPainter::Antialiasing);
            p.setPen(Qt::NoPen);
            p.setBrush(th.paper);
            const double m = in.center().x() + 0.5;
            if (c.tooHigh)
                p.drawPolygon(QPolygonF({{m - 4, double(in.top())}, {m + 4, double(in.top())}, {m, in.top() + 3.5}}));
            if (c.tooLow)
                p.drawPolygon(
                    QPolygonF({{m - 4, in.bottom() + 1.0}, {m + 4, in.bottom() + 1.0}, {m, in.bottom() - 2.5}}));
        }
        return;
    }
    case Verdict::NotMeasured:
        if (glyphs) {
            report::hatch(p, QRectF(in), th.notMeasured, 5);
        } else {
            p.setPen(th.notMeasured);
            p.setBrush(Qt::NoBrush);
            p.drawRect(
                QRect(in.left(), in.center().y() - in.height() / 4, std::max(1, in.width() - 1), in.height() / 2));
        }
        return;
    case Verdict::Pass: p.fillRect(in, th.passGround); break;
    case Verdict::Unjudged:
        if (c.place >= 0) { // an ink ring on the range of all trials
            p.setRenderHint(QPainter::Antialiasing);
            p.setPen(QPen(th.ink, 1.2));
            p.setBrush(Qt::NoBrush);
            p.drawEllipse(QPointF(in.center().x() + 0.5, in.bottom() - 4 - c.place * (in.height() - 8)), 2.6, 2.6);
        }
        return;
    }
    if (width >= kWide && !c.figure.isEmpty()) { // a figure, and the tick at its side
        p.setFont(report::uiFont(12));
        p.setPen(th.ink);
        p.drawText(in.adjusted(2, 0, -14, 0), Qt::AlignVCenter | Qt::AlignRight,
                   p.fontMetrics().elidedText(c.figure, Qt::ElideLeft, in.width() - 16));
    }
    if (c.place < 0 || width < 8) return;
    const int tick = std::min(10, width - 2);
    const double y = in.bottom() - 2 - c.place * (in.height() - 5);
    const QRectF mark(width >= kWide ? in.right() - tick - 1.5 : in.center().x() - tick / 2 + 0.5, y - 1.5, tick, 3);
    if (c.near) {
        p.setPen(QPen(th.pass, 1));
        const int limit = c.place > 0.5 ? in.top() : in.bottom();
        p.drawLine(in.left(), limit, in.right(), limit);
        p.setBrush(Qt::NoBrush);
        p.drawRect(mark.adjusted(0, 0, -1, 0));
    } else {
        p.fillRect(mark, th.pass);
    }
}

namespace
{
// Fixed to the picture: the camera sees it where it is.
void paintCamera(QPainter& p, QPointF c, const QColor& colour)
{
    p.save();
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(QPen(colour, 1.3));
    p.setBrush(Qt::NoBrush);
    p.drawRect(QRectF(c.x() - 7, c.y() - 4, 14, 9));
    p.drawEllipse(c + QPointF(0, 0.5), 2.6, 2.6);
    p.drawLine(c + QPointF(-4, -4), c + QPointF(-2.5, -6));
    p.drawLine(c + QPointF(-2.5, -6), c + QPointF(2.5, -6));
    p.drawLine(c + QPointF(2.5, -6), c + QPointF(4, -4));
    p.restore();
}
} // namespace

void GridView::paintHead(QPainter& p, int r, QRect box)
{
    const GridRow row = m_source.row(r);
    const report::Theme& th = theme();
    const int limitsWidth = m_heads ? m_limitsWidth : 0, valueWidth = m_heads ? this->valueWidth() : 0;
    if (r == m_row) p.fillRect(box, th.selected);
    const QColor colour = row.inUse ? th.of(row.verdict) : th.second;
    if (row.kind == RowKind::FixedHead) {
        paintCamera(p, QPointF(box.left() + 15, box.center().y() + 0.5), th.second);
        p.setFont(report::uiFont(12));
        p.setPen(th.second);
        p.drawText(box.adjusted(32, 0, 0, 0), Qt::AlignVCenter, row.name);
        return;
    }
    // What the chosen row reads and what reads it.
    if (row.tie != GridRow::Tie::None) {
        p.setRenderHint(QPainter::Antialiasing);
        p.setPen(QPen(th.datum, 1.4));
        p.setBrush(row.tie == GridRow::Tie::Read ? QBrush(th.datum) : QBrush(Qt::NoBrush));
        p.drawEllipse(QPointF(box.right() + 4, box.center().y() + 0.5), 2.8, 2.8);
        p.setRenderHint(QPainter::Antialiasing, false);
    }
    // A datum in a datum stands under it, with a rail at its left.
    for (int d = 0; d < row.depth; ++d)
        p.fillRect(QRect(box.left() + 3 + 10 * d, box.top(), 2, box.height()), th.datum);
    box.setLeft(box.left() + 10 * row.depth);
    if (row.kind == RowKind::FeaturesLine) {
        p.setRenderHint(QPainter::Antialiasing);
        p.setPen(Qt::NoPen);
        p.setBrush(th.second);
        const QPointF c(box.left() + 32, box.center().y() + 1);
        p.drawPolygon(row.unfolded ? QPolygonF({c + QPointF(-4, -2), c + QPointF(4, -2), c + QPointF(0, 4)})
                                   : QPolygonF({c + QPointF(-2, -4), c + QPointF(4, 0), c + QPointF(-2, 4)}));
        p.setFont(report::uiFont(12));
        p.setPen(th.second);
        p.drawText(box.adjusted(48, 0, 0, 0), Qt::AlignVCenter, row.name);
        return;
    }
    if (row.kind == RowKind::Map) {
        p.setFont(report::uiFont(12));
        p.setPen(th.second);
        return p.drawText(box.adjusted(52, 0, 0, 0), Qt::AlignVCenter, row.name);
    }
    if (row.bracket != GridRow::Bracket::None) { // several checks of one place
        using B = GridRow::Bracket;
        p.setPen(QPen(th.second, 1));
        const int left = box.left() + 2, top = row.bracket == B::First ? box.center().y() - 4 : box.top() - 1,
                  bottom = row.bracket == B::Last ? box.center().y() + 4 : box.bottom() + 1;
        p.drawLine(left, top, left, bottom);
        if (row.bracket == B::First) p.drawLine(left, top, left + 3, top);
        if (row.bracket == B::Last) p.drawLine(left, bottom, left + 3, bottom);
    }
    int x = box.left() + 6;
    if (row.kind == RowKind::Datum) {
        p.setRenderHint(QPainter::Antialiasing);
        p.setPen(QPen(th.datum, 1.4));
        p.setBrush(th.paper);
        const QRectF frame(x, box.center().y() - 8, 17, 17);
        p.drawRect(frame);
        p.setFont(report::sheetFont(14));
        p.drawText(frame, Qt::AlignCenter, row.letter);
    } else if (row.kind == RowKind::Check && !row.balloon.isEmpty()) {
        report::paintBalloon(p, QPointF(x + 9, box.center().y() + 0.5), 9, row.balloon, colour, th.paper);
    }
    x += 26;
    if (row.kind == RowKind::Element) x += 8;
    else if (row.folds) { // a list opens into its elements
        p.setRenderHint(QPainter::Antialiasing);
        p.setPen(Qt::NoPen);
        p.setBrush(th.second);
        const QPointF c(x + 6, box.center().y() + 1);
        p.drawPolygon(row.unfolded ? QPolygonF({c + QPointF(-5, -3), c + QPointF(5, -3), c + QPointF(0, 5)})
                                   : QPolygonF({c + QPointF(-3, -5), c + QPointF(5, 0), c + QPointF(-3, 5)}));
    } else if (row.stepKind)
        report::drawKindSymbol(p, *row.stepKind, QRectF(x, box.center().y() - 6.5, 14, 14),
                               row.kind == RowKind::Datum ? th.datum : th.ink);
    x += 20;
    const int nameRight = box.right() - limitsWidth - valueWidth - (m_heads ? dotsWidth() : 0);
    p.setFont(report::uiFont(row.kind == RowKind::Feature || row.kind == RowKind::Element ? 12 : 13));
    p.setPen(row.inUse ? th.ink : th.second);
    p.drawText(QRect(x, box.top(), nameRight - x, box.height()), Qt::AlignVCenter,
               p.fontMetrics().elidedText(row.name, Qt::ElideRight, nameRight - x - 4));
    if (!m_heads || row.kind == RowKind::Feature) return;
    if (dotsWidth() > 0 && row.dots) paintDots(p, row, QRect(nameRight, box.top(), dotsWidth() - 10, box.height()));
    const int valueLeft = nameRight + dotsWidth();
    // Value in its verdict's colour, unit beside it.
    p.setFont(report::uiFont(13, true));
    p.setPen(colour);
    const int unitWidth = row.unit.isEmpty() ? 0 : QFontMetrics(report::uiFont(12)).horizontalAdvance(row.unit) + 4;
    const QRect valueBox(valueLeft, box.top(), valueWidth - 8, box.height());
    if (row.verdict == Verdict::NotMeasured && row.value.isEmpty()) {
        p.setFont(report::uiFont(12));
        p.drawText(valueBox, Qt::AlignVCenter | Qt::AlignRight, QStringLiteral("–"));
    } else {
        p.drawText(valueBox.adjusted(0, 0, -unitWidth, 0), Qt::AlignVCenter | Qt::AlignRight, row.value);
        p.setFont(report::uiFont(12));
        p.setPen(th.second);
        p.drawText(valueBox, Qt::AlignVCenter | Qt::AlignRight, row.unit);
    }
    p.setPen(row.flagged ? th.fail : th.second);
    p.setFont(report::uiFont(12, row.flagged));
    const QRect limitsBox(box.right() - limitsWidth, box.top(), limitsWidth - 6, box.height());
    p.drawText(limitsBox, Qt::AlignVCenter | Qt::AlignRight,
               p.fontMetrics().elidedText(row.limits, Qt::ElideRight, limitsBox.width()));
}

// All values on one line between their limits; what lies beyond is held at the ends.
void GridView::paintDots(QPainter& p, const GridRow& row, QRect box) const
{
    const report::Theme& th = theme();
    const double left = box.left() + 8, wide = box.width() - 16, y = box.center().y() + 0.5;
    p.setRenderHint(QPainter::Antialiasing, false);
    p.setPen(QPen(th.rule, 1));
    p.drawLine(QPointF(left, y), QPointF(left + wide, y));
    if (row.limited)
        for (const double x : {left, left + wide}) p.drawLine(QPointF(x, y - 5), QPointF(x, y + 5));
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(Qt::NoPen);
    for (const float v : *row.dots) {
        const bool out = row.limited && (v < 0 || v > 1);
        QColor colour = out ? th.fail : row.limited ? th.pass : th.ink;
        colour.setAlpha(out ? 255 : 150);
        p.setBrush(colour);
        p.drawEllipse(QPointF(left + wide * std::clamp(double(v), -0.08, 1.08), y), 2.2, 2.2);
    }
}

void GridView::paintMap(QPainter& p, const std::vector<GridSpot>& spots, QRect box) const
{
    if (spots.empty() || m_width < 24) return;
    const report::Theme& th = theme();
    const QRectF room = QRectF(box).adjusted(5, 5, -5, -5);
    double widest = 0, highest = 0;
    for (const GridSpot& s : spots) widest = std::max(widest, double(s.x)), highest = std::max(highest, double(s.y));
    const double k = std::min(widest > 0 ? room.width() / widest : 1e9, highest > 0 ? room.height() / highest : 1e9);
    const double r = m_width >= kWide ? 2.6 : 1.6;
    p.setRenderHint(QPainter::Antialiasing);
    for (const GridSpot& s : spots) {
        const QPointF at = room.center() + QPointF(s.x - widest / 2, s.y - highest / 2) * k;
        const bool fails = s.verdict == Verdict::Fail;
        p.setPen(fails ? QPen(th.fail, 1.2) : Qt::NoPen);
        p.setBrush(fails && s.missing           ? QBrush(Qt::NoBrush)
                   : fails                      ? QBrush(th.fail)
                   : s.verdict == Verdict::Pass ? QBrush(th.pass)
                                                : QBrush(th.notMeasured));
        // Larger and square when it fails: told apart without colour.
        if (fails) p.drawRect(QRectF(at.x() - r - 0.6, at.y() - r - 0.6, 2 * r + 1.2, 2 * r + 1.2));
        else p.drawEllipse(at, 0.7 * r, 0.7 * r);
    }
}

void GridView::paintEvent(QPaintEvent*)
{
    QPainter p(viewport());
    const View v = view();
    p.fillRect(v.all, v.th.paper);
    if (m_source.rows() == 0 || m_source.columns() == 0) {
        p.setFont(report::uiFont(13));
        p.setPen(v.th.second);
        p.drawText(v.all.adjusted(24, 12, -24, -12), Qt::AlignCenter | Qt::TextWordWrap, m_source.emptyHint());
        if (m_source.rows() == 0 && m_source.columns() == 0) return;
    }
    paintCells(p, v);
    paintHeads(p, v);
    paintColumns(p, v);
    paintVerdicts(p, v);
}

GridView::View GridView::view() const
{
    const QRect all = viewport()->rect();
    const int head = headWidth(), painted = (m_source.columns() + m_per - 1) / m_per,
              at = m_column >= 0 ? m_column / m_per : -1, first = std::max(0, horizontalScrollBar()->value() / m_width),
              last = std::min(painted, first + (all.width() - head - kBar) / m_width + 2);
    return {all,
            theme(),
            head,
            all.height() - kVerdict,
            first,
            last,
            at >= first && at < last,
            QRect(leftOf(at), 0, m_width, all.height())};
}

void GridView::paintCells(QPainter& p, const View& v)
{
    p.save();
    p.setClipRect(v.head, topHeight(), v.all.width() - v.head - kBar, v.bottom - topHeight());
    if (v.column) p.fillRect(v.current, v.th.selected);
    for (int r = 0; r + 1 < int(m_tops.size()); ++r) {
        const int top = rowTop(r);
        if (top >= v.bottom || rowTop(r + 1) <= topHeight()) continue;
        const GridRow row = m_source.row(r);
        const int h = rowTop(r + 1) - top - 1;
        if (r == m_row) p.fillRect(QRect(v.head, top, v.all.width(), h), v.th.selected);
        for (int c = v.first; c < v.last; ++c) {
            const QRect box(leftOf(c), top, m_width, h);
            if (row.kind == RowKind::Map) {
                if (m_per == 1) paintMap(p, m_source.spots(r, c), box);
            } else if (m_per > 1) {
                const Packed& cell = packed(r, c);
                paintPackedCells(p, cell.asked, cell.failed, cell.unmeasured, cell.verdict != Verdict::Unjudged, box);
            } else paintGridCell(p, m_source.cell(r, c), box, row.kind, m_width);
        }
        if (row.kind == RowKind::Draft) {
            p.setPen(QPen(v.th.datum, 1, Qt::DashLine));
            p.drawLine(v.head, top, v.all.width(), top);
            p.drawLine(v.head, top + h, v.all.width(), top + h);
        }
    }
    p.restore();
}

void GridView::paintHeads(QPainter& p, const View& v)
{
    p.save();
    p.setClipRect(0, topHeight(), v.head, v.bottom - topHeight());
    for (int r = 0; r + 1 < int(m_tops.size()); ++r) {
        const int top = rowTop(r), h = rowTop(r + 1) - top - 1;
        if (top >= v.bottom || top + h <= topHeight()) continue;
        p.setRenderHint(QPainter::Antialiasing, false);
        paintHead(p, r, QRect(0, top, v.head - 8, h));
        if (m_source.row(r).kind == RowKind::Draft) {
            p.setRenderHint(QPainter::Antialiasing, false);
            p.setPen(QPen(v.th.datum, 1, Qt::DashLine));
            p.setBrush(Qt::NoBrush);
            p.drawRect(QRect(1, top, v.head - 10, h));
        }
    }
    p.restore();
    p.setFont(report::uiFont(12));
    p.setPen(v.th.second);
    if (m_heads) {
        const int limitsWidth = m_limitsWidth, valueWidth = this->valueWidth();
        constexpr int high = 38;
        p.drawText(QRect(8, 0, 200, high), Qt::AlignVCenter, tr("recipe"));
        p.drawText(QRect(v.head - 8 - limitsWidth - valueWidth, 0, valueWidth - 8, high),
                   Qt::AlignVCenter | Qt::AlignRight, m_column >= 0 ? m_source.columnWord(m_column) : QString());
        p.drawText(QRect(v.head - 8 - limitsWidth, 0, limitsWidth - 6, high), Qt::AlignVCenter | Qt::AlignRight,
                   tr("limits"));
        if (dotsWidth() > 0)
            p.drawText(QRect(v.head - 8 - limitsWidth - valueWidth - dotsWidth(), 0, dotsWidth() - 10, high),
                       Qt::AlignCenter, tr("all trials"));
    }
}

// Number and label over each column, its verdict under it; of packed ones how many are rejected.
void GridView::paintColumns(QPainter& p, const View& v)
{
    p.save();
    p.setClipRect(v.head, 0, v.all.width() - v.head - kBar, v.all.height());
    const int n = m_source.columns();
    for (int slot = v.first; slot < v.last && m_per > 1; ++slot) { // as high as many of them are rejected
        int bad = 0, count = 0;
        for (int c = slot * m_per; c < std::min(n, (slot + 1) * m_per); ++c, ++count) {
            const GridColumn col = m_source.column(c);
            bad += col.error || (col.answered && col.outcome == inspect::Outcome::Reject);
        }
        const int room = kVerdict - 8, high = bad ? std::max(4, room * bad / count) : 0;
        p.fillRect(QRect(leftOf(slot), v.bottom + 4 + room - high, m_width, high), v.th.fail);
    }
    for (int c = v.first; c < v.last && m_per == 1; ++c) paintColumn(p, v, c);
    if (v.column) {
        p.setRenderHint(QPainter::Antialiasing, false);
        p.setPen(QPen(v.th.datum, 2));
        p.drawLine(v.current.left(), 0, v.current.left(), v.all.height());
        p.drawLine(v.current.right() + 1, 0, v.current.right() + 1, v.all.height());
    }
    p.restore();
}

void GridView::paintColumn(QPainter& p, const View& v, int c)
{
    const GridColumn col = m_source.column(c);
    const QRect box(leftOf(c), 0, m_width, topHeight());
    p.setPen(c == m_column ? v.th.datum : v.th.ink);
    p.setFont(report::uiFont(12, c == m_column));
    if (m_width >= 24) p.drawText(QRect(box.left() - 6, 2, box.width() + 12, 17), Qt::AlignCenter, col.head);
    if (showsCrops()) {
        const QImage seen = m_source.crop(-1, c);
        const QRect at(box.left() + 3, 38, m_width - 6, kCrop);
        if (!seen.isNull()) {
            const double wide = seen.width() / seen.devicePixelRatio(), k = std::min(1.0, at.width() / wide);
            const QSizeF size(k * wide, k * seen.height() / seen.devicePixelRatio());
            p.drawImage(QRectF(at.center().x() - size.width() / 2 + 0.5, at.top(), size.width(), size.height()), seen);
        }
        p.setPen(QPen(v.th.rule, 1));
        p.setBrush(Qt::NoBrush);
        p.drawRect(at.adjusted(0, 0, -1, -1));
        p.setPen(c == m_column ? v.th.datum : v.th.ink);
    }
    if (col.bracket) { // the columns of one picture stand under one bracket
        p.setPen(QPen(v.th.second, 1));
        p.drawLine(box.left() + (col.begins ? 3 : 0), 1, box.right(), 1);
        if (col.begins) p.drawLine(box.left() + 3, 1, box.left() + 3, 5);
        p.setPen(c == m_column ? v.th.datum : v.th.ink);
    }
    if (col.lost) {
        report::hatch(p, QRectF(box.left() + 2, v.bottom + 4, m_width - 4, kVerdict - 8), v.th.notMeasured, 5);
        return;
    }
    if (col.label && m_width >= 8)
        report::drawLabelSign(p, QPointF(box.center().x() + 0.5, 27), 3.6, *col.label, v.th.ink);
    if (col.flag && m_width >= 24) { // label and verdict disagree
        p.setRenderHint(QPainter::Antialiasing);
        const double x = box.center().x() + 8;
        p.setPen(QPen(v.th.ink, 1.4));
        p.drawLine(QPointF(x, 21), QPointF(x, 33));
        p.setBrush(v.th.ink);
        p.drawPolygon(QPolygonF({{x, 21}, {x + 6, 23.5}, {x, 26}}));
    }
    const QRectF sign(box.center().x() - 6, v.bottom + 6, 13, 13);
    if (col.error)
        report::hatch(p, QRectF(box.left() + 2, v.bottom + 4, m_width - 4, kVerdict - 8), v.th.notMeasured, 5);
    else if (col.answered && m_width >= 24) {
        if (col.outcome == inspect::Outcome::Accept) report::drawTick(p, sign, v.th.pass, 1.8);
        else if (col.outcome == inspect::Outcome::Reject) report::drawCross(p, sign, v.th.fail, 2.2);
        else report::drawDash(p, sign, v.th.ink, 1.6);
    } else if (col.answered && col.outcome == inspect::Outcome::Reject)
        p.fillRect(QRectF(box.left() + 0.5, v.bottom + 6, std::max(1, m_width - 1), kVerdict - 12), v.th.fail);
}

// The verdict line, and the bar of all rows.
void GridView::paintVerdicts(QPainter& p, const View& v)
{
    p.setRenderHint(QPainter::Antialiasing, false);
    p.setPen(QPen(v.th.ink, 1));
    p.drawLine(0, v.bottom, v.all.width(), v.bottom);
    p.setFont(report::uiFont(13));
    p.drawText(QRect(8, v.bottom, v.head - 12, kVerdict), Qt::AlignVCenter,
               p.fontMetrics().elidedText(m_source.verdictLine(), Qt::ElideRight, v.head - 16));
    const int rows = m_source.rows();
    if (rows > 0) {
        const double step = double(v.bottom - topHeight()) / rows;
        for (int r = 0; r < rows; ++r) {
            const GridRow row = m_source.row(r);
            if (row.verdict == Verdict::Fail)
                p.fillRect(QRectF(v.all.width() - 8, topHeight() + r * step, 8, std::max(2.0, step - 1)), v.th.fail);
            else if (row.verdict == Verdict::NotMeasured)
                report::hatch(p, QRectF(v.all.width() - 8, topHeight() + r * step, 8, std::max(2.0, step - 1)),
                              v.th.notMeasured, 4);
        }
    }
    p.setPen(v.th.hair);
    p.drawLine(v.all.width() - 9, topHeight(), v.all.width() - 9, v.bottom);
}

void GridView::mousePressEvent(QMouseEvent* e)
{
    const QPoint at = e->position().toPoint();
    if (at.x() >= viewport()->width() - kBar && m_source.rows() > 0) { // the bar of all rows
        const int bottom = viewport()->height() - kVerdict;
        const int r = std::clamp((at.y() - topHeight()) * m_source.rows() / std::max(1, bottom - topHeight()), 0,
                                 m_source.rows() - 1);
        emit chosen(r, -1);
        return;
    }
    const int r = rowAt(at.y());
    int c = columnAt(at.x());
    // of several the worst is what one looks for
    if (c >= 0 && r >= 0 && m_per > 1) c = std::max(c, packed(r, c / m_per).worst);
    if (c >= 0 && m_per == 1 && m_heads && at.y() >= 19 && at.y() < 38) { // on the label's sign
        emit labelClicked(c, e->modifiers().testFlag(Qt::ShiftModifier));
        return;
    }
    if (r >= 0 && c < 0 &&
        (m_source.row(r).kind == RowKind::FeaturesLine || (m_source.row(r).folds && at.x() < 26 + 20))) {
        emit foldToggled(r);
        return;
    }
    if (r >= 0 || c >= 0) emit chosen(r, c);
}

void GridView::mouseDoubleClickEvent(QMouseEvent* e)
{
    const int r = rowAt(int(e->position().y()));
    if (r < 0 || e->position().x() >= headWidth()) return;
    if (m_heads && e->position().x() > headWidth() - 8 - m_limitsWidth) emit limitsWanted(r);
    else emit renameWanted(r);
}

void GridView::keyPressEvent(QKeyEvent* e)
{
    const auto row = [&](int step) {
        int r = m_row;
        do r += step;
        while (r >= 0 && r < m_source.rows() &&
               (m_source.row(r).kind == RowKind::FeaturesLine || m_source.row(r).kind == RowKind::FixedHead ||
                m_source.row(r).kind == RowKind::Map));
        if (r >= 0 && r < m_source.rows()) emit chosen(r, -1);
    };
    switch (e->key()) {
    case Qt::Key_Left: return m_column > 0 ? emit chosen(-1, m_column - 1) : void();
    case Qt::Key_Right: return m_column + 1 < m_source.columns() ? emit chosen(-1, m_column + 1) : void();
    case Qt::Key_Up: return row(-1);
    case Qt::Key_Down: return row(+1);
    case Qt::Key_Home: return m_source.columns() ? emit chosen(-1, 0) : void();
    case Qt::Key_End: return m_source.columns() ? emit chosen(-1, m_source.columns() - 1) : void();
    case Qt::Key_U:
        if (m_row >= 0 && m_row < m_source.rows() && m_source.row(m_row).folds) return emit foldToggled(m_row);
        for (int r = 0; r < m_source.rows(); ++r)
            if (m_source.row(r).kind == RowKind::FeaturesLine) return emit foldToggled(r);
        return;
    default: QAbstractScrollArea::keyPressEvent(e);
    }
}

void GridView::wheelEvent(QWheelEvent* e)
{
    if (e->modifiers().testFlag(Qt::ControlModifier)) { // width about the pointer
        const std::vector<int> widths{3, 10, 28, 72};
        const int now = m_width >= 24 && m_width < 28 ? 28 : m_width;
        m_widthChosen = true;
        auto at = std::find(widths.begin(), widths.end(), now);
        if (e->angleDelta().y() > 0 && at + 1 != widths.end()) ++at;
        else if (e->angleDelta().y() < 0 && at != widths.begin()) --at;
        const double under = (e->position().x() - headWidth() + horizontalScrollBar()->value()) / m_width * m_per;
        setColumnWidth(*at);
        horizontalScrollBar()->setValue(int(under / m_per * m_width - (e->position().x() - headWidth())));
        return;
    }
    if (e->modifiers().testFlag(Qt::ShiftModifier) || e->angleDelta().x() != 0) {
        horizontalScrollBar()->setValue(horizontalScrollBar()->value() -
                                        (e->angleDelta().x() ? e->angleDelta().x() : e->angleDelta().y()));
        return;
    }
    verticalScrollBar()->setValue(verticalScrollBar()->value() - e->angleDelta().y() / 2);
}

void GridView::cropsCame()
{
    if (showsCrops()) viewport()->update();
    if (QToolTip::isVisible() && !m_tipAt.isNull()) showTip(m_tipAt, m_tipGlobal);
}

void GridView::showTip(QPoint at, QPoint global)
{
    const int r = rowAt(at.y()), c = columnAt(at.x());
    QString text;
    QImage seen;
    if (c >= 0 && m_per > 1) {
        const int lastOne = std::min(m_source.columns(), c + m_per) - 1;
        text = m_source.columnWord(c) + QStringLiteral(" – ") + m_source.columnWord(lastOne);
        if (r >= 0 && m_source.row(r).kind != RowKind::Map) {
            const Packed& cell = packed(r, c / m_per);
            text += QStringLiteral("\n") +
                    tr("%1 of %2 fail, %3 not measured").arg(cell.failed).arg(cell.asked).arg(cell.unmeasured);
            if (cell.worst >= 0 && severity(cell.verdict) > 1) {
                text += QStringLiteral("\n") + m_source.columnWord(cell.worst) + QStringLiteral(": ") +
                        m_source.cell(r, cell.worst).text;
                seen = m_source.crop(r, cell.worst);
            }
        }
    } else if (c >= 0 && r >= 0) {
        text = m_source.column(c).tip + QStringLiteral("\n") + m_source.cell(r, c).text;
        seen = m_source.crop(r, c);
    } else if (c >= 0) {
        text = m_source.column(c).tip;
        seen = m_source.whole(c);
    } else if (r >= 0) {
        text = m_source.row(r).name +
               (m_source.row(r).stepKind ? QStringLiteral("\n") + QString::fromStdString(m_source.row(r).stepKind->help)
                                         : QString());
    }
    text = text.trimmed();
    if (!seen.isNull()) {
        QByteArray png;
        QBuffer buffer(&png);
        buffer.open(QIODevice::WriteOnly);
        seen.save(&buffer, "PNG");
        text = QStringLiteral("<p>%1</p><img width=%2 height=%3 src='data:image/png;base64,%4'>")
                   .arg(text.toHtmlEscaped().replace(QLatin1Char('\n'), QStringLiteral("<br>")))
                   .arg(2 * seen.width() / seen.devicePixelRatio())
                   .arg(2 * seen.height() / seen.devicePixelRatio())
                   .arg(QString::fromLatin1(png.toBase64()));
    }
    m_tipAt = at, m_tipGlobal = global;
    QToolTip::showText(global, text, viewport());
}

bool GridView::viewportEvent(QEvent* e)
{
    if (e->type() == QEvent::Leave) m_tipAt = {};
    if (e->type() == QEvent::ToolTip) {
        const auto* help = static_cast<QHelpEvent*>(e);
        showTip(help->pos(), help->globalPos());
        return true;
    }
    return QAbstractScrollArea::viewportEvent(e);
}

} // namespace desktop

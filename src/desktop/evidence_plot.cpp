#include "desktop/evidence_plot.h"

#include <algorithm>
#include <cmath>

namespace desktop
{
using report::theme;

namespace
{
// Figures with as many decimals as their step needs: no two neighbours read alike, none has a tail of nines.
class PlainTicker : public QCPAxisTicker
{
public:
    explicit PlainTicker(bool whole) : m_whole(whole) {}

protected:
    double getTickStep(const QCPRange& range) override
    {
        m_step = QCPAxisTicker::getTickStep(range);
        if (m_whole && m_step < 1) m_step = 1;
        if (m_whole && m_step > 1) m_step = std::round(m_step);
        return m_step;
    }
    QString getTickLabel(double tick, const QLocale& locale, QChar, int) override
    {
        int decimals = 0;
        for (double s = std::abs(m_step); decimals < 12 && std::abs(s - std::round(s)) > 1e-6 * s; s *= 10) ++decimals;
        if (std::abs(tick) < std::abs(m_step) * 1e-9) tick = 0;
        return locale.toString(tick, 'f', decimals);
    }

private:
    bool m_whole;
    double m_step = 1;
};
} // namespace

EvidencePlot::EvidencePlot(QWidget* parent) : QCustomPlot(parent)
{
    setMinimumHeight(104);
    setFocusPolicy(Qt::NoFocus);
    // As many figures as can stand above each other.
    connect(this, &QCustomPlot::beforeReplot, this, [this] {
        if (auto* powers = dynamic_cast<QCPAxisTickerLog*>(yAxis->ticker().data()))
            powers->setLogBase(height() < 110 ? 100 : 10);
        else yAxis->ticker()->setTickCount(height() < 96 ? 2 : 4);
        // Figures of many places need more room beside each other.
        const double most = std::max(std::abs(xAxis->range().lower), std::abs(xAxis->range().upper));
        if (xAxis->scaleType() == QCPAxis::stLinear)
            xAxis->ticker()->setTickCount(std::clamp(width() / (most >= 10000 ? 95 : most >= 1000 ? 75 : 60), 2, 6));
    });
    clearAll();
}

void EvidencePlot::clearAll()
{
    clearItems();
    clearPlottables();
    m_items.clear();
    m_handles.clear();
    const report::Theme& th = theme();
    setBackground(th.paper);
    axisRect()->setMinimumMargins(QMargins(8, 8, 14, 4));
    for (QCPAxis* a : {xAxis, yAxis}) {
        a->setBasePen(QPen(th.rule));
        a->setTickPen(QPen(th.rule));
        a->setSubTickPen(Qt::NoPen);
        a->setTickLabelFont(report::uiFont(12));
        a->setTickLabelColor(th.second);
        a->setLabelFont(report::uiFont(12));
        a->setLabelColor(th.second);
        a->grid()->setVisible(false);
        a->setTickLengthIn(0), a->setTickLengthOut(4);
        a->setScaleType(QCPAxis::stLinear);
        a->setTicker(QSharedPointer<QCPAxisTicker>(new PlainTicker(false)));
        a->setTicks(true), a->setTickLabels(true);
        a->setNumberFormat(QStringLiteral("g")), a->setNumberPrecision(6);
        a->ticker()->setTickCount(a == xAxis ? 6 : 4);
    }
}

void EvidencePlot::wholeNumbers(bool x, bool y)
{
    if (x) xAxis->setTicker(QSharedPointer<QCPAxisTicker>(new PlainTicker(true))), xAxis->ticker()->setTickCount(6);
    if (y) yAxis->setTicker(QSharedPointer<QCPAxisTicker>(new PlainTicker(true))), yAxis->ticker()->setTickCount(4);
}

void EvidencePlot::names(const QString& x, const QString& y)
{
    xAxis->setLabel(x);
    yAxis->setLabel(y);
}

void EvidencePlot::curve(const QVector<double>& x, const QVector<double>& y, const QColor& colour, bool filled,
                         Qt::PenStyle style)
{
    QCPGraph* g = addGraph();
    g->setData(x, y);
    g->setPen(QPen(colour, 1.3, style));
    g->setAntialiased(true);
    if (filled) {
        QColor c = colour;
        c.setAlpha(60);
        g->setBrush(c);
        g->setLineStyle(QCPGraph::lsStepCenter);
    }
}

void EvidencePlot::line(const QVector<double>& x, const QVector<double>& y, const QPen& pen)
{
    QCPGraph* g = addGraph();
    g->setData(x, y);
    g->setPen(pen);
    g->setAntialiased(true);
}

void EvidencePlot::hatched(double from, double to)
{
    auto* r = new QCPItemRect(this);
    r->setLayer(QStringLiteral("background"));
    for (QCPItemPosition* p : {r->topLeft, r->bottomRight}) {
        p->setTypeX(QCPItemPosition::ptPlotCoords);
        p->setTypeY(QCPItemPosition::ptAxisRectRatio);
    }
    r->topLeft->setCoords(from, 0);
    r->bottomRight->setCoords(to, 1);
    r->setPen(Qt::NoPen);
    r->setBrush(QBrush(QColor("#6F6B62"), Qt::BDiagPattern));
}

void EvidencePlot::rule(double at, double from, double to, const QString& text, const QColor& colour)
{
    auto* line = new QCPItemLine(this);
    line->start->setCoords(at, from);
    line->end->setCoords(at, to);
    line->setPen(QPen(colour, 1.6));
    line->setHead(QCPLineEnding(QCPLineEnding::esSpikeArrow, 7, 9));
    line->setTail(QCPLineEnding(QCPLineEnding::esSpikeArrow, 7, 9));
    auto* label = new QCPItemText(this);
    label->setText(text);
    label->setFont(report::uiFont(12));
    label->setColor(colour);
    label->setBrush(theme().paper);
    label->setPen(QPen(colour, 1));
    label->setPadding(QMargins(5, 1, 5, 1));
    label->setPositionAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    label->position->setCoords(at, (from + to) / 2);
}

void EvidencePlot::dots(const QVector<double>& x, const QVector<double>& y, const QCPScatterStyle& style)
{
    QCPGraph* g = addGraph();
    g->setData(x, y);
    g->setLineStyle(QCPGraph::lsNone);
    g->setScatterStyle(style);
}

void EvidencePlot::stem(double at, double height, const QString& text, const QColor& colour, bool counts)
{
    auto* line = new QCPItemLine(this);
    line->start->setCoords(at, 0);
    line->end->setCoords(at, height);
    line->setPen(QPen(colour, counts ? 2.2 : 1.2, counts ? Qt::SolidLine : Qt::DashLine));
    auto* head = new QCPItemTracer(this);
    head->position->setCoords(at, height);
    head->setStyle(QCPItemTracer::tsCircle);
    head->setSize(counts ? 8 : 6);
    head->setPen(QPen(colour, 1.4));
    head->setBrush(counts ? QBrush(colour) : QBrush(theme().paper));
    if (text.isEmpty()) return;
    auto* label = new QCPItemText(this);
    label->setText(text);
    label->setFont(report::uiFont(12));
    label->setColor(colour);
    label->setPositionAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    label->position->setCoords(at, height);
    label->setPadding(QMargins(8, 0, 0, 0));
}

void EvidencePlot::band(double low, double high)
{
    auto* r = new QCPItemRect(this);
    r->setLayer(QStringLiteral("background"));
    r->topLeft->setTypeX(QCPItemPosition::ptAxisRectRatio);
    r->bottomRight->setTypeX(QCPItemPosition::ptAxisRectRatio);
    r->topLeft->setTypeY(QCPItemPosition::ptPlotCoords);
    r->bottomRight->setTypeY(QCPItemPosition::ptPlotCoords);
    r->topLeft->setCoords(0, high);
    r->bottomRight->setCoords(1, low);
    r->setPen(Qt::NoPen);
    r->setBrush(theme().passGround);
}

void EvidencePlot::level(double y, const QColor& colour)
{
    auto* l = new QCPItemStraightLine(this);
    l->point1->setCoords(0, y);
    l->point2->setCoords(1, y);
    l->setPen(QPen(colour, 1.2, Qt::DashLine));
}

void EvidencePlot::vertical(double at, const QColor& colour)
{
    auto* l = new QCPItemStraightLine(this);
    l->point1->setCoords(at, 0);
    l->point2->setCoords(at, 1);
    l->setPen(QPen(colour, 1, Qt::DotLine));
}

void EvidencePlot::setHandles(std::vector<PlotHandle> handles)
{
    m_handles = std::move(handles);
    drawHandles();
}

void EvidencePlot::drawHandles()
{
    for (const auto& i : m_items)
        if (i) removeItem(i);
    m_items.clear();
    for (const PlotHandle& h : m_handles) {
        const QColor colour = h.dashed ? theme().datum : h.alongX ? theme().datum : theme().pass;
        auto* line = new QCPItemStraightLine(this);
        line->point1->setCoords(h.alongX ? h.value : 0, h.alongX ? 0 : h.value);
        line->point2->setCoords(h.alongX ? h.value : 1, h.alongX ? 1 : h.value);
        line->setPen(QPen(colour, 1.6, h.dashed ? Qt::DashLine : Qt::SolidLine));
        auto* square = new QCPItemTracer(this);
        square->setStyle(QCPItemTracer::tsSquare);
        square->setSize(10);
        square->setPen(QPen(colour, 1.6));
        square->setBrush(theme().paper);
        square->setClipToAxisRect(false);
        if (h.alongX) {
            square->position->setTypeY(QCPItemPosition::ptAxisRectRatio);
            square->position->setCoords(h.value, 0);
        } else {
            square->position->setTypeX(QCPItemPosition::ptAxisRectRatio);
            square->position->setCoords(1, h.value);
        }
        m_items.push_back(line);
        m_items.push_back(square);
    }
}

QPointF EvidencePlot::handlePoint(int i) const
{
    const PlotHandle& h = m_handles[std::size_t(i)];
    return h.alongX ? QPointF(xAxis->coordToPixel(h.value), axisRect()->top())
                    : QPointF(axisRect()->right(), yAxis->coordToPixel(h.value));
}

int EvidencePlot::handleAt(QPointF p) const
{
    int best = -1;
    double least = 7;
    for (int i = 0; i < int(m_handles.size()); ++i) {
        const PlotHandle& h = m_handles[std::size_t(i)];
        const double d =
            h.alongX ? std::abs(p.x() - xAxis->coordToPixel(h.value)) : std::abs(p.y() - yAxis->coordToPixel(h.value));
        if (d < least) least = d, best = i;
    }
    return best;
}

void EvidencePlot::mousePressEvent(QMouseEvent* e)
{
    if (e->button() != Qt::LeftButton) return;
    m_dragged = handleAt(e->position());
    m_pressed = e->position();
    if (m_dragged >= 0) m_startValue = m_handles[std::size_t(m_dragged)].value;
    else emit clickedAt(xAxis->pixelToCoord(e->position().x()), yAxis->pixelToCoord(e->position().y()));
}

void EvidencePlot::mouseMoveEvent(QMouseEvent* e)
{
    if (m_dragged < 0) {
        const int over = handleAt(e->position());
        setCursor(over < 0                              ? Qt::ArrowCursor
                  : m_handles[std::size_t(over)].alongX ? Qt::SplitHCursor
                                                        : Qt::SplitVCursor);
        return;
    }
    PlotHandle& h = m_handles[std::size_t(m_dragged)];
    QCPAxis* axis = h.alongX ? xAxis : yAxis;
    const double now = h.alongX ? e->position().x() : e->position().y(),
                 start = h.alongX ? m_pressed.x() : m_pressed.y();
    const double fine = e->modifiers().testFlag(Qt::ShiftModifier) ? 0.1 : 1;
    h.value = axis->pixelToCoord(axis->coordToPixel(m_startValue) + (now - start) * fine);
    drawHandles();
    replot(QCustomPlot::rpQueuedReplot);
    emit handleMoved(h.id, h.value, false);
}

void EvidencePlot::mouseReleaseEvent(QMouseEvent*)
{
    if (m_dragged < 0) return;
    const int was = std::exchange(m_dragged, -1);
    if (was < int(m_handles.size()))
        emit handleMoved(m_handles[std::size_t(was)].id, m_handles[std::size_t(was)].value, true);
}

} // namespace desktop

#include "desktop/symbols.h"

#include "report/theme.h"

#include <QPainterPath>

namespace desktop
{
using recipe::Question;

const char* questionWord(Question q)
{
    switch (q) {
    case Question::Where: return QT_TRANSLATE_NOOP("desktop", "Where");
    case Question::What: return QT_TRANSLATE_NOOP("desktop", "What");
    case Question::HowMany: return QT_TRANSLATE_NOOP("desktop", "How many");
    case Question::HowBig: return QT_TRANSLATE_NOOP("desktop", "How big");
    case Question::HowTrue: return QT_TRANSLATE_NOOP("desktop", "How true");
    case Question::Same: return QT_TRANSLATE_NOOP("desktop", "Same");
    case Question::SumUp: return QT_TRANSLATE_NOOP("desktop", "Sum up");
    }
    return "";
}

namespace
{
// Coordinates run from 0 to 1 in the box.
struct Pen {
    QPainter& p;
    QRectF box;
    QPointF at(double x, double y) const { return {box.left() + x * box.width(), box.top() + y * box.height()}; }
    void line(double x0, double y0, double x1, double y1) const { p.drawLine(at(x0, y0), at(x1, y1)); }
    void ring(double x, double y, double r) const { p.drawEllipse(at(x, y), r * box.width(), r * box.height()); }
    void head(double x, double y, double dx, double dy) const
    {
        line(x, y, x - 0.16 * dx - 0.1 * dy, y - 0.16 * dy - 0.1 * dx);
        line(x, y, x - 0.16 * dx + 0.1 * dy, y - 0.16 * dy + 0.1 * dx);
    }
};
void begin(QPainter& p, const QRectF& box, const QColor& colour)
{
    p.save();
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(QPen(colour, std::max(1.3, box.width() / 13), Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
    p.setBrush(Qt::NoBrush);
}
} // namespace

void drawQuestionSymbol(QPainter& p, Question q, const QRectF& box, const QColor& colour)
{
    begin(p, box, colour);
    const Pen s{p, box};
    switch (q) {
    case Question::Where: // a frame's origin with its two arrows
        s.line(0.2, 0.15, 0.2, 0.8), s.line(0.2, 0.8, 0.88, 0.8), s.head(0.2, 0.12, 0, -1), s.head(0.9, 0.8, 1, 0),
            s.ring(0.2, 0.8, 0.08);
        break;
    case Question::What: s.ring(0.38, 0.42, 0.26), s.line(0.5, 0.9, 0.95, 0.45); break;
    case Question::HowMany:
        p.setBrush(colour);
        for (const auto& [x, y] :
             {std::pair{0.25, 0.3}, {0.6, 0.2}, {0.42, 0.58}, {0.78, 0.55}, {0.3, 0.84}, {0.68, 0.86}})
            s.ring(x, y, 0.07);
        break;
    case Question::HowBig:
        s.line(0.08, 0.5, 0.92, 0.5), s.head(0.06, 0.5, -1, 0), s.head(0.94, 0.5, 1, 0), s.line(0.04, 0.2, 0.04, 0.8),
            s.line(0.96, 0.2, 0.96, 0.8);
        break;
    case Question::HowTrue: s.line(0.3, 0.85, 0.5, 0.15), s.line(0.55, 0.85, 0.75, 0.15); break;
    case Question::Same: s.ring(0.38, 0.5, 0.28), s.ring(0.62, 0.5, 0.28); break;
    case Question::SumUp: {
        QPainterPath path;
        path.moveTo(s.at(0.8, 0.22)), path.lineTo(s.at(0.8, 0.12)), path.lineTo(s.at(0.2, 0.12)),
            path.lineTo(s.at(0.55, 0.5)), path.lineTo(s.at(0.2, 0.88)), path.lineTo(s.at(0.8, 0.88)),
            path.lineTo(s.at(0.8, 0.78));
        p.drawPath(path);
        break;
    }
    }
    p.restore();
}

void drawKindSymbol(QPainter& p, const recipe::StepKind& kind, const QRectF& box, const QColor& colour)
{
    begin(p, box, colour);
    const Pen s{p, box};
    bool known = true;
    if (kind.symbol == "line")
        s.line(0.05, 0.7, 0.95, 0.3), s.line(0.35, 0.35, 0.45, 0.75), s.line(0.6, 0.22, 0.7, 0.62);
    else if (kind.symbol == "circle") s.ring(0.5, 0.5, 0.3), s.line(0.5, 0.05, 0.5, 0.95), s.line(0.05, 0.5, 0.95, 0.5);
    else if (kind.symbol == "edge_point")
        s.line(0.5, 0.1, 0.5, 0.9), s.line(0.05, 0.5, 0.4, 0.5), s.head(0.45, 0.5, 1, 0), s.ring(0.5, 0.5, 0.07);
    else if (kind.symbol == "distance")
        s.ring(0.15, 0.7, 0.1), s.ring(0.85, 0.7, 0.1), s.line(0.15, 0.35, 0.85, 0.35), s.head(0.13, 0.35, -1, 0),
            s.head(0.87, 0.35, 1, 0);
    else known = false;
    p.restore();
    if (!known) drawQuestionSymbol(p, kind.question, box, colour);
}

QIcon kindIcon(const recipe::StepKind& kind)
{
    QPixmap pixmap(40, 40);
    pixmap.fill(Qt::transparent);
    QPainter p(&pixmap);
    drawKindSymbol(p, kind, QRectF(6, 6, 28, 28), report::theme().ink);
    return QIcon(pixmap);
}

} // namespace desktop

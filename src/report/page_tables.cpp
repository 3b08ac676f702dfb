#include "report/page_tables.h"

#include "report/theme.h"

#include <QDateTime>
#include <QLocale>

namespace report
{

QString madeAt()
{
    return QObject::tr("made %1").arg(
        QLocale::c().toString(QDateTime::currentDateTime(), QStringLiteral("d MMM yyyy HH:mm:ss")));
}

void paintCells(QPainter& p, QRectF box, const std::vector<Cell>& cells, double px)
{
    double x = box.left();
    for (const Cell& c : cells) {
        const QRectF at(x + 2, box.top(), c.share * box.width() - 4, box.height());
        p.setFont(printFont(px, c.bold));
        p.setPen(c.colour.isValid() ? c.colour : lightTheme().ink);
        p.drawText(at, Qt::AlignVCenter | c.align,
                   p.fontMetrics().elidedText(c.text, Qt::ElideRight, int(at.width()) + 1));
        x += c.share * box.width();
    }
}
void rule(QPainter& p, QRectF box, double width, const QColor& colour)
{
    p.setPen(QPen(colour, width));
    p.drawLine(box.bottomLeft(), box.bottomRight());
}
void addRow(Pages& pages, std::vector<Cell> cells, double height)
{
    pages.add(height, [cells = std::move(cells)](QPainter& p, QRectF box) {
        paintCells(p, box, cells);
        rule(p, box, 0.4, lightTheme().hair);
    });
}
void addHead(Pages& pages, std::vector<Cell> cells)
{
    for (Cell& c : cells) c.colour = lightTheme().second;
    pages.setHead(20, [cells = std::move(cells)](QPainter& p, QRectF box) {
        paintCells(p, box, cells, 10);
        rule(p, box, 1, lightTheme().ink);
    });
}
// Facts in two columns: a word and what it is.
void addFacts(Pages& pages, const std::vector<std::pair<QString, QString>>& facts)
{
    for (std::size_t i = 0; i < facts.size(); i += 2) {
        std::vector<Cell> cells;
        for (std::size_t k = i; k < std::min(facts.size(), i + 2); ++k) {
            cells.push_back({0.13, facts[k].first, Qt::AlignLeft, false, lightTheme().second});
            cells.push_back({0.37, facts[k].second, Qt::AlignLeft});
        }
        pages.add(16, [cells](QPainter& p, QRectF box) { paintCells(p, box, cells); });
    }
}
void addHeading(Pages& pages, const QString& text, const QString& verdict)
{
    pages.add(40, [=](QPainter& p, QRectF box) {
        p.setFont(printFont(19, true));
        p.setPen(lightTheme().ink);
        p.drawText(box.adjusted(0, 0, -130, 0), Qt::AlignVCenter,
                   p.fontMetrics().elidedText(text, Qt::ElideRight, int(box.width()) - 130));
        if (verdict.isEmpty()) return;
        const QRectF stamp(box.right() - 118, box.top() + 4, 118, 30);
        const bool bad = verdict == QLatin1String("REJECT");
        const QColor colour = bad                                  ? lightTheme().fail
                              : verdict == QLatin1String("ACCEPT") ? lightTheme().pass
                                                                   : lightTheme().ink;
        p.setPen(QPen(colour, 2));
        p.setBrush(bad ? QBrush(colour) : QBrush(Qt::NoBrush));
        p.drawRect(stamp);
        p.setFont(printSheetFont(17));
        p.setPen(bad ? QColor(Qt::white) : colour);
        p.drawText(stamp, Qt::AlignCenter, verdict);
    });
    pages.add(4, [](QPainter& p, QRectF box) { rule(p, box, 1.2, lightTheme().ink); });
    pages.gap(6);
}
} // namespace report

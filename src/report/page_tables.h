// page_tables.h - what reports are made of: a heading, facts in two columns, tables whose head comes again on every page.
#pragma once
#include "report/pages.h"

namespace report
{

struct Cell {
    double share; // of the page's width
    QString text;
    Qt::Alignment align = Qt::AlignRight;
    bool bold = false;
    QColor colour{};
};
void paintCells(QPainter& p, QRectF box, const std::vector<Cell>& cells, double px = 10.5);
void addRow(Pages& pages, std::vector<Cell> cells, double height = 18);
void addHead(Pages& pages, std::vector<Cell> cells);
void addFacts(Pages& pages, const std::vector<std::pair<QString, QString>>& facts);
// With a verdict stamped beside it, or without.
void addHeading(Pages& pages, const QString& text, const QString& verdict);
// A line under a row.
void rule(QPainter& p, QRectF box, double width, const QColor& colour);
QString madeAt(); // "made 30 Nov 2026 05:10:00"

} // namespace report

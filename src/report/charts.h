// charts.h - small charts of one check for the page: values over the items with tolerance and control limits, and how they
// lie.
#pragma once
#include "records/choice.h"

#include <QPainter>

namespace report
{

struct ChartValues {
    const records::CheckDetail* detail = nullptr;
    QString unit;
    // Places among the items of values that failed, and of items that were not measured.
    std::vector<std::uint32_t> failed, lost;
    std::size_t items = 0;
};
// The run chart takes four fifths of the box, the histogram the rest, on one axis.
void paintChart(QPainter& p, const ChartValues& values, QRectF box);
// "26.002", its unit left out.
QString figureOf(double value, const QString& unit);

} // namespace report

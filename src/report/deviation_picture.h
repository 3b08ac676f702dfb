// deviation_picture.h - how far a part lies from its drawing, drawn over it: the drawn line, a comb from it to the edge
// that was found (enlarged), the places beyond the tolerance marked inside of the part.
//
// Colours say the sign and no verdict: violet for too little material, olive for too much; the side of the line says it
// too.
#pragma once
#include "inspect/result.h"
#include "recipe/feature.h"

#include <QColor>
#include <QPainter>
#include <QTransform>
#include <optional>

namespace report
{

// Offset as a share of the tolerance: -2 and beyond, 0, +2 and beyond.
QColor deviationColour(double share);
struct DeviationView {
    double tolerance = 0; // mm, to both sides
    int times = 1;        // how much larger than life the comb is
};
// Of the step that is looked at, else of the first that has one; `unit` is the size of one screen px.
std::optional<DeviationView> deviationView(const inspect::ItemResult& item, const std::string& step,
                                           const QTransform& toScreen, double unit);
void paintDeviation(QPainter& p, const recipe::Mark& mark, const QTransform& toScreen, double unit, int times);
// The three worst places of a step that has such marks: leader, number, value in mm.
void paintWorst(QPainter& p, const inspect::StepResult& step, const QTransform& toScreen, const QRectF& area,
                double unit);

} // namespace report

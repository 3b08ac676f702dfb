// labels.h - what is said of a check on the sheet, and how a drawing states it: on a plate with a leader, along a
// dimension line, at a circle, at an angle's arc, in a tolerance frame.
#pragma once
#include "inspect/inspect.h"
#include "report/pencil.h"
#include "report/sheet_painter.h"

#include <array>
#include <functional>
#include <optional>

namespace report
{

struct LabelItem {
    enum class How { Rail, Lane, Round, Angle, Free }; // free: without a leader
    const inspect::CheckResult* check = nullptr;
    QString number, text;
    QColor colour;
    How how = How::Rail;
    bool bare = false; // a balloon alone
    // Of a tolerance frame: whose symbol, and the datum it refers to.
    const recipe::StepKind* frame = nullptr;
    QString datum;
    geometry::Point from, to; // of a lane; picture
    QPointF anchor;           // screen; where its leader ends
    QPointF home{};           // screen; what its place is chosen by: the same in every trial of a steady view
    // Round: centre and radius on the screen, the part of it that was seen (radians, clockwise as seen).
    QPointF centre;
    double radius = 0, start = 0, sweep = 2 * geometry::kPi;
    std::array<QPointF, 3> arc{}; // Angle: places on the first leg, half way and on the second leg; screen
    int rank = 0;
    std::optional<QPointF> own; // screen; where the person put it, or where it stood
    int row = 0;                // of the recipe's checks
    double ownTurn = 0;         // of a plate along its dimension, degrees
    bool kept = false;          // stands where it stood
};

QSizeF plateSize(const LabelItem& label, double unit);
void paintPlate(QPainter& p, const LabelItem& label, QRectF box, double unit);
// From the plate to what it names.
QLineF leaderOf(const LabelItem& label, const QRectF& box);
void paintLeader(const Pencil& pencil, const LabelItem& label, const QRectF& box);
// The arc with its heads, and the legs as far as they do not reach it.
void paintAngle(const Pencil& pencil, const LabelItem& label);

// Lanes beside the item, parallel to the datum's axes.
struct Lanes {
    bool has = false;
    geometry::Pose frame;
    double left = 0, right = 0, top = 0, bottom = 0; // of the item, datum coordinates
    std::array<int, 4> used{};                       // top, bottom, left, right
};
// Draws the dimension line; its plate is appended to `plates`, to be drawn when no line follows any more.
PlacedLabel paintDimension(const Pencil& pencil, const LabelItem& label, Lanes& lanes, const QTransform& toScreen,
                           const QRectF& area, const std::vector<PlacedLabel>& taken,
                           std::vector<std::function<void()>>& plates);

} // namespace report

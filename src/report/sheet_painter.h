// sheet_painter.h - results over the picture the way a drawing states them: datum letters, dimensions, balloons, title
// block, stamp.
//
// One painter for the sheet on screen and the annotated picture; marks are cased, so that they stay readable on any
// grey.
#pragma once
#include "image/capture.h"
#include "inspect/inspect.h"
#include "report/deviation_picture.h"
#include "report/height_picture.h"

#include <QImage>
#include <QPainter>
#include <QTransform>

namespace report
{

QImage toQImage(const image::Image& picture); // 8-bit for showing; no heights
// As it came; heights in colours, by default those of its own range.
QImage toQImage(const image::Picture& picture, std::optional<HeightRange> range = {}, bool contours = false);

struct PlacedLabel {
    std::string step, output;
    QRectF box;
    QLineF leader{};   // of those on a rail: from the box to what it names
    double turn = 0;   // of a plate that lies along its dimension, degrees clockwise
    bool bare = false; // a balloon without its value
};
struct SheetScene {
    const recipe::Recipe* recipe = nullptr;
    const inspect::PictureResult* result = nullptr;
    int item = 0;
    std::string selected; // step id
    bool all = false;     // every label, however many
    QSizeF pictureSize;
    QRectF obstacle{};        // painter units; labels keep clear of it
    QRectF covered{};         // by what lies over the sheet: labels keep clear of it too
    bool onlyFailed = false;  // labels of passing checks are left out
    bool uncertainty = false; // values with what is known of their own uncertainty
    // Where labels stood before, so that the eye finds them there again; others are laid out about them. Null: anew.
    const std::vector<PlacedLabel>* stood = nullptr;
    int told = 0, checks = 0; // labels that say a value, of so many; the title block says when there are more
    // Of a height picture: its colours' scale, a row of its own in the title block.
    struct Heights {
        double covered = 0;     // percent of the picture
        HeightRange all, shown; // what the bar shows; the colours' ends on it
    };
    std::optional<Heights> heights{};
    std::optional<DeviationView> deviation{}; // of a drawing: its scale, a row of its own in the title block
    bool pending = false;                     // the result is an earlier recipe's: no verdict is stamped
};
// `toScreen` maps picture px to painter units; `area` is what may be drawn on; `unit` is the size of one screen px
// (more for large pictures).
std::vector<PlacedLabel> paintSheet(QPainter& p, const SheetScene& scene, const QTransform& toScreen,
                                    const QRectF& area, double unit = 1);
// Where the handles of the colours' ends stand in the title block, low and high; and the bar they stand on.
struct HeightHandles {
    QPointF low, high;
    QRectF bar;
    double heightAt(double x) const; // of a place on the bar
    HeightRange all;
};
std::optional<HeightHandles> heightHandles(const SheetScene& scene, const QString& picture, const QRectF& area,
                                           double unit = 1);
QRectF titleBlockBox(const SheetScene& scene, const QString& picture, const QRectF& area, double unit = 1);
// Title block with picture, scale, unit, item and the stamped verdict, in the lower right of `area`; the rectangle it
// took.
QRectF paintTitleBlock(QPainter& p, const SheetScene& scene, const QString& picture, const QRectF& area,
                       double unit = 1);
void paintRegion(QPainter& p, const geometry::Region& region, bool searchesAcross, bool reversed,
                 const QTransform& toScreen, double unit = 1, bool faint = false, bool round = false);
void paintBalloon(QPainter& p, QPointF centre, double radius, const QString& text, const QColor& colour,
                  const QColor& ground);

QImage annotated(const image::Capture& capture, const recipe::Recipe& recipe, const inspect::PictureResult& result);

} // namespace report

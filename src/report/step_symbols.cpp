#include "report/step_symbols.h"

#include <QPainterPath>
#include <algorithm>
#include <map>
#include <string>
#include <vector>

namespace report
{
using recipe::Question;

namespace
{
// What a symbol is made of; coordinates run from 0 to 1 in its box, y down.
struct Part {
    enum class What { Line, Dashed, Ring, Dot, Arc, Box, Head, Oval } what;
    double a = 0, b = 0, c = 0, d = 0; // line: x0 y0 x1 y1; ring, dot: x y r; arc: x y r and its degrees below
    double from = 0, sweep = 0;        // arc: degrees, counter-clockwise from the right; oval: its turn
};
using Parts = std::vector<Part>;
constexpr Part line(double x0, double y0, double x1, double y1) { return {Part::What::Line, x0, y0, x1, y1}; }
constexpr Part dashed(double x0, double y0, double x1, double y1) { return {Part::What::Dashed, x0, y0, x1, y1}; }
constexpr Part ring(double x, double y, double r) { return {Part::What::Ring, x, y, r}; }
constexpr Part dot(double x, double y, double r = 0.08) { return {Part::What::Dot, x, y, r}; }
constexpr Part arc(double x, double y, double r, double from, double sweep)
{
    return {Part::What::Arc, x, y, r, 0, from, sweep};
}
constexpr Part box(double x, double y, double w, double h) { return {Part::What::Box, x, y, w, h}; }
// At x, y, pointing along dx, dy.
constexpr Part head(double x, double y, double dx, double dy) { return {Part::What::Head, x, y, dx, dy}; }
constexpr Part oval(double x, double y, double w, double h, double turn)
{
    return {Part::What::Oval, x, y, w, h, turn};
}

const std::map<std::string, Parts>& symbols()
{
    static const std::map<std::string, Parts> all{
        // where
        {"pattern", {box(0.08, 0.08, 0.84, 0.84), ring(0.5, 0.5, 0.2), line(0.5, 0.3, 0.5, 0.7)}},
        {"corner", {line(0.2, 0.08, 0.2, 0.82), line(0.12, 0.82, 0.92, 0.82), head(0.95, 0.82, 1, 0), dot(0.2, 0.82)}},
        {"two_holes",
         {ring(0.2, 0.62, 0.14), ring(0.82, 0.62, 0.1), line(0.34, 0.62, 0.68, 0.62), head(0.72, 0.62, 1, 0),
          line(0.2, 0.2, 0.2, 0.48)}},
        {"drawing_datum",
         {box(0.08, 0.26, 0.84, 0.48), ring(0.28, 0.5, 0.08), ring(0.72, 0.5, 0.08), line(0.08, 0.9, 0.4, 0.9),
          head(0.44, 0.9, 1, 0)}},
        {"outline_profile", {arc(0.5, 0.68, 0.4, 0, 180)}}, // profile of a line
        {"drawn_circle", {ring(0.5, 0.5, 0.3), line(0.14, 0.86, 0.86, 0.14)}},
        {"drawn_line",
         {line(0.08, 0.66, 0.92, 0.66), line(0.08, 0.4, 0.26, 0.4), line(0.4, 0.4, 0.6, 0.4),
          line(0.74, 0.4, 0.92, 0.4)}},
        {"blob_datum", {oval(0.5, 0.5, 0.8, 0.46, 25), dot(0.5, 0.5), line(0.5, 0.5, 0.86, 0.36)}},
        // heights: a profile of the ground
        {"height_base",
         {line(0.05, 0.72, 0.95, 0.56), dashed(0.2, 0.3, 0.2, 0.66), dashed(0.8, 0.2, 0.8, 0.56),
          line(0.3, 0.9, 0.7, 0.84)}},
        {"height_area",
         {line(0.05, 0.86, 0.95, 0.86), box(0.25, 0.36, 0.5, 0.5), line(0.5, 0.12, 0.5, 0.3), head(0.5, 0.36, 0, 1)}},
        {"height_between",
         {line(0.05, 0.8, 0.45, 0.8), line(0.55, 0.3, 0.95, 0.3), line(0.5, 0.36, 0.5, 0.74), head(0.5, 0.3, 0, -1),
          head(0.5, 0.8, 0, 1)}},
        {"height_step", {line(0.05, 0.78, 0.5, 0.78), line(0.5, 0.78, 0.5, 0.28), line(0.5, 0.28, 0.95, 0.28)}},
        {"height_edge",
         {line(0.05, 0.78, 0.5, 0.78), line(0.5, 0.78, 0.5, 0.28), line(0.5, 0.28, 0.95, 0.28), dot(0.5, 0.28, 0.1)}},
        {"height_line",
         {line(0.08, 0.62, 0.92, 0.3), dashed(0.08, 0.86, 0.92, 0.54), dot(0.3, 0.535), dot(0.7, 0.385)}},
        {"height_blobs",
         {line(0.02, 0.82, 0.98, 0.82), box(0.12, 0.52, 0.26, 0.3), box(0.6, 0.52, 0.26, 0.3),
          dashed(0.02, 0.34, 0.98, 0.34)}},
        {"section",
         {line(0.02, 0.4, 0.3, 0.4), line(0.3, 0.4, 0.42, 0.82), line(0.42, 0.82, 0.6, 0.82),
          line(0.6, 0.82, 0.72, 0.4), line(0.72, 0.4, 0.98, 0.4)}},
        {"flatness",
         {line(0.28, 0.28, 0.98, 0.28), line(0.02, 0.74, 0.72, 0.74), line(0.28, 0.28, 0.02, 0.74),
          line(0.98, 0.28, 0.72, 0.74)}},
        {"height_parallelism", {line(0.2, 0.85, 0.5, 0.15), line(0.5, 0.85, 0.8, 0.15), line(0.05, 0.95, 0.95, 0.95)}},
        {"volume",
         {line(0.05, 0.82, 0.95, 0.82), arc(0.5, 0.82, 0.36, 0, 180), line(0.36, 0.64, 0.64, 0.64),
          line(0.28, 0.73, 0.72, 0.73)}},
        {"highest_point",
         {line(0.05, 0.85, 0.5, 0.3), line(0.5, 0.3, 0.95, 0.85), dot(0.5, 0.26, 0.1), line(0.3, 0.1, 0.7, 0.1)}},
        {"height_places",
         {box(0.08, 0.14, 0.22, 0.22), box(0.39, 0.14, 0.22, 0.22), box(0.7, 0.14, 0.22, 0.22),
          box(0.08, 0.56, 0.22, 0.22), dashed(0.39, 0.67, 0.61, 0.67), box(0.7, 0.56, 0.22, 0.22),
          line(0.05, 0.94, 0.95, 0.94)}},
        // same: two waves, of a surface, of places, of joints
        {"learned_area",
         {arc(0.28, 0.4, 0.18, 0, 180), arc(0.64, 0.4, 0.18, 180, 180), arc(0.28, 0.7, 0.18, 0, 180),
          arc(0.64, 0.7, 0.18, 180, 180)}},
        {"component_places", {box(0.12, 0.1, 0.3, 0.8), dot(0.27, 0.76), box(0.58, 0.1, 0.3, 0.8), dot(0.73, 0.24)}},
        {"joint_areas",
         {dot(0.24, 0.5, 0.16), dot(0.76, 0.5, 0.16), dashed(0.24, 0.5, 0.76, 0.5), line(0.06, 0.84, 0.94, 0.84)}},
        // what
        {"line", {line(0.05, 0.7, 0.95, 0.3), line(0.35, 0.35, 0.45, 0.75), line(0.6, 0.22, 0.7, 0.62)}},
        {"circle", {ring(0.5, 0.5, 0.3), line(0.5, 0.05, 0.5, 0.95), line(0.05, 0.5, 0.95, 0.5)}},
        {"ellipse", {oval(0.5, 0.5, 0.86, 0.48, 0), line(0.5, 0.12, 0.5, 0.88), line(0.02, 0.5, 0.98, 0.5)}},
        {"edge_point",
         {line(0.6, 0.1, 0.6, 0.9), line(0.05, 0.5, 0.46, 0.5), head(0.5, 0.5, 1, 0), dot(0.6, 0.5, 0.09)}},
        {"contour",
         {arc(0.38, 0.42, 0.3, 60, 200), arc(0.62, 0.6, 0.28, -110, 210), line(0.53, 0.16, 0.86, 0.45),
          line(0.28, 0.7, 0.5, 0.86)}},
        {"midpoint", {dot(0.12, 0.5), dot(0.88, 0.5), line(0.2, 0.5, 0.8, 0.5), line(0.5, 0.28, 0.5, 0.72)}},
        {"foot",
         {line(0.05, 0.8, 0.95, 0.8), dashed(0.5, 0.16, 0.5, 0.8), dot(0.5, 0.14), line(0.5, 0.62, 0.68, 0.62),
          line(0.68, 0.62, 0.68, 0.8)}},
        {"crossing", {line(0.1, 0.15, 0.9, 0.85), line(0.1, 0.8, 0.9, 0.2), dot(0.51, 0.5, 0.1)}},
        {"bisector", {line(0.1, 0.85, 0.9, 0.85), line(0.1, 0.85, 0.62, 0.12), dashed(0.1, 0.85, 0.92, 0.4)}},
        {"line_through", {line(0.04, 0.82, 0.96, 0.18), dot(0.3, 0.64), dot(0.72, 0.35)}},
        {"circle_through", {arc(0.5, 0.5, 0.36, 0, 360), dot(0.5, 0.14), dot(0.19, 0.68), dot(0.81, 0.68)}},
        // how many
        {"blobs", {dot(0.26, 0.3, 0.13), dot(0.68, 0.24, 0.1), dot(0.74, 0.7, 0.15), dot(0.32, 0.76, 0.11)}},
        {"area_share",
         {box(0.1, 0.1, 0.8, 0.8), line(0.1, 0.66, 0.66, 0.1), line(0.1, 0.42, 0.42, 0.1), line(0.1, 0.9, 0.9, 0.1)}},
        // how big
        {"distance",
         {ring(0.15, 0.7, 0.1), ring(0.85, 0.7, 0.1), line(0.15, 0.35, 0.85, 0.35), head(0.13, 0.35, -1, 0),
          head(0.87, 0.35, 1, 0)}},
        {"distances",
         {line(0.1, 0.1, 0.1, 0.9), line(0.1, 0.22, 0.9, 0.22), line(0.1, 0.5, 0.66, 0.5), line(0.1, 0.78, 0.8, 0.78),
          dot(0.9, 0.22, 0.06), dot(0.66, 0.5, 0.06), dot(0.8, 0.78, 0.06)}},
        {"edge_pair",
         {line(0.14, 0.12, 0.14, 0.88), line(0.86, 0.12, 0.86, 0.88), line(0.2, 0.5, 0.8, 0.5), head(0.2, 0.5, -1, 0),
          head(0.8, 0.5, 1, 0)}},
        {"angle", {line(0.1, 0.86, 0.94, 0.86), line(0.1, 0.86, 0.72, 0.14), arc(0.1, 0.86, 0.5, 0, 49)}},
        {"farthest",
         {line(0.05, 0.72, 0.95, 0.72), line(0.38, 0.72, 0.5, 0.3), line(0.5, 0.3, 0.62, 0.72),
          line(0.82, 0.3, 0.82, 0.66), head(0.82, 0.26, 0, -1)}},
        {"each_object", {box(0.06, 0.18, 0.2, 0.64), box(0.4, 0.18, 0.2, 0.64), box(0.74, 0.18, 0.2, 0.64)}},
        // how true: symbols of ISO 1101
        {"straightness", {line(0.08, 0.5, 0.92, 0.5)}},
        {"roundness", {ring(0.5, 0.5, 0.34)}},
        {"parallelism", {line(0.22, 0.86, 0.48, 0.14), line(0.52, 0.86, 0.78, 0.14)}},
        {"perpendicularity", {line(0.1, 0.85, 0.9, 0.85), line(0.5, 0.12, 0.5, 0.85)}},
        {"position", {ring(0.5, 0.5, 0.26), line(0.5, 0.06, 0.5, 0.94), line(0.06, 0.5, 0.94, 0.5)}},
        // sum up
        {"formula",
         {line(0.08, 0.36, 0.44, 0.36), line(0.26, 0.18, 0.26, 0.54), line(0.56, 0.6, 0.92, 0.6),
          line(0.56, 0.78, 0.92, 0.78), line(0.3, 0.92, 0.7, 0.08)}},
        {"element",
         {dot(0.16, 0.3, 0.08), ring(0.5, 0.3, 0.15), dot(0.84, 0.3, 0.08), line(0.5, 0.92, 0.5, 0.58),
          head(0.5, 0.54, 0, -1)}},
    };
    return all;
}

const Parts& questionParts(Question q)
{
    static const std::vector<Parts> all{
        // a frame's origin with its two arrows
        {line(0.2, 0.15, 0.2, 0.8), line(0.2, 0.8, 0.88, 0.8), head(0.2, 0.12, 0, -1), head(0.9, 0.8, 1, 0),
         ring(0.2, 0.8, 0.08)},
        {ring(0.38, 0.42, 0.26), line(0.5, 0.9, 0.95, 0.45)},
        {dot(0.25, 0.3, 0.07), dot(0.6, 0.2, 0.07), dot(0.42, 0.58, 0.07), dot(0.78, 0.55, 0.07), dot(0.3, 0.84, 0.07),
         dot(0.68, 0.86, 0.07)},
        {line(0.08, 0.5, 0.92, 0.5), head(0.06, 0.5, -1, 0), head(0.94, 0.5, 1, 0), line(0.04, 0.2, 0.04, 0.8),
         line(0.96, 0.2, 0.96, 0.8)},
        {line(0.3, 0.85, 0.5, 0.15), line(0.55, 0.85, 0.75, 0.15)},
        {ring(0.38, 0.5, 0.28), ring(0.62, 0.5, 0.28)},
        {line(0.8, 0.22, 0.8, 0.12), line(0.8, 0.12, 0.2, 0.12), line(0.2, 0.12, 0.55, 0.5), line(0.55, 0.5, 0.2, 0.88),
         line(0.2, 0.88, 0.8, 0.88), line(0.8, 0.88, 0.8, 0.78)},
    };
    return all[std::size_t(q)];
}

void draw(QPainter& p, const Parts& parts, const QRectF& in, const QColor& colour)
{
    p.save();
    p.setRenderHint(QPainter::Antialiasing);
    const QPen pen(colour, std::max(1.3, in.width() / 13), Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin);
    const auto at = [&](double x, double y) { return QPointF(in.left() + x * in.width(), in.top() + y * in.height()); };
    const double w = in.width(), h = in.height();
    for (const Part& s : parts) {
        p.setPen(pen);
        p.setBrush(Qt::NoBrush);
        switch (s.what) {
        case Part::What::Dashed: {
            QPen thin = pen;
            thin.setDashPattern({1.5, 1.8});
            p.setPen(thin);
            p.drawLine(at(s.a, s.b), at(s.c, s.d));
            break;
        }
        case Part::What::Line: p.drawLine(at(s.a, s.b), at(s.c, s.d)); break;
        case Part::What::Ring: p.drawEllipse(at(s.a, s.b), s.c * w, s.c * h); break;
        case Part::What::Dot:
            p.setPen(Qt::NoPen);
            p.setBrush(colour);
            p.drawEllipse(at(s.a, s.b), std::max(1.4, s.c * w), std::max(1.4, s.c * h));
            break;
        case Part::What::Arc:
            p.drawArc(QRectF(at(s.a - s.c, s.b - s.c), QSizeF(2 * s.c * w, 2 * s.c * h)), int(16 * s.from),
                      int(16 * s.sweep));
            break;
        case Part::What::Box: p.drawRect(QRectF(at(s.a, s.b), QSizeF(s.c * w, s.d * h))); break;
        case Part::What::Head:
            p.drawLine(at(s.a, s.b), at(s.a - 0.16 * s.c - 0.1 * s.d, s.b - 0.16 * s.d - 0.1 * s.c));
            p.drawLine(at(s.a, s.b), at(s.a - 0.16 * s.c + 0.1 * s.d, s.b - 0.16 * s.d + 0.1 * s.c));
            break;
        case Part::What::Oval:
            p.save();
            p.translate(at(s.a, s.b));
            p.rotate(-s.from);
            p.drawEllipse(QPointF(), s.c * w / 2, s.d * h / 2);
            p.restore();
            break;
        }
    }
    p.restore();
}
} // namespace

void drawQuestionSymbol(QPainter& p, Question q, const QRectF& box, const QColor& colour)
{
    draw(p, questionParts(q), box, colour);
}

void drawKindSymbol(QPainter& p, const recipe::StepKind& kind, const QRectF& box, const QColor& colour)
{
    const auto own = symbols().find(kind.symbol);
    draw(p, own == symbols().end() ? questionParts(kind.question) : own->second, box, colour);
}

const recipe::StepKind& statedBy(const recipe::StepKind& kind, const std::string& output)
{
    const recipe::StepKind* named = recipe::findKind(output);
    return named && named->question == recipe::Question::HowTrue ? *named : kind;
}

} // namespace report

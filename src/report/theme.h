// theme.h - colours, spacing and fonts of everything Dikkat draws; one light theme, one dark variant of it.
#pragma once
#include "inspect/result.h"

#include <QColor>
#include <QFont>
#include <QPainter>

namespace report
{

struct Theme {
    QColor paper, raised, ink, second, hair, rule;
    QColor pass, passGround, fail, notMeasured, datum, selected, button, buttonText;
    bool dark = false;
    const QColor& of(inspect::Verdict v) const
    {
        return v == inspect::Verdict::Pass          ? pass
               : v == inspect::Verdict::Fail        ? fail
               : v == inspect::Verdict::NotMeasured ? notMeasured
                                                    : ink;
    }
};
const Theme& lightTheme();
const Theme& darkTheme();
const Theme& theme(); // the one in use
void useDarkTheme(bool dark);

void loadFonts(); // once, after the application object was made
QFont uiFont(int px, bool bold = false);
QFont sheetFont(double px);

// Signs are drawn, not typed: no font has to have them.
void drawTick(QPainter& p, QRectF box, const QColor& colour, double width = 2);
void drawCross(QPainter& p, QRectF box, const QColor& colour, double width = 2);
void drawDash(QPainter& p, QRectF box, const QColor& colour, double width = 2);
void hatch(QPainter& p, QRectF box, const QColor& colour, double gap = 5);
enum class Sign { Good, Bad, Open };
void drawLabelSign(QPainter& p, QPointF centre, double radius, Sign sign, const QColor& ink);

} // namespace report

#include "report/theme.h"

#include <QFile>
#include <QFontDatabase>
#include <QPainterPath>

// Outside any namespace, as the resource compiler wants it.
static void initFontResources() { Q_INIT_RESOURCE(fonts); }

namespace report
{
namespace
{
bool g_dark = false;
QString g_ui = QStringLiteral("B612"), g_sheet = QStringLiteral("osifont"), g_wide = QStringLiteral("DejaVu Sans");
} // namespace

const Theme& lightTheme()
{
    static const Theme t{QColor("#FBFAF6"), QColor("#FFFFFF"), QColor("#1F2A37"), QColor("#5A626C"), QColor("#DDD9CE"),
                         QColor("#B9B4A6"), QColor("#08605C"), QColor("#EAF2EF"), QColor("#C2361B"), QColor("#6F6B62"),
                         QColor("#3B48B5"), QColor("#E8EAF8"), QColor("#1F2A37"), QColor("#FBFAF6"), false};
    return t;
}
const Theme& darkTheme()
{
    static const Theme t{QColor("#161B21"), QColor("#1D242C"), QColor("#E8E6DF"), QColor("#A9AFB8"), QColor("#2C343D"),
                         QColor("#46505B"), QColor("#6FD8CB"), QColor("#1C2C2E"), QColor("#F0683F"), QColor("#A7A296"),
                         QColor("#A3A8FF"), QColor("#272C48"), QColor("#E8E6DF"), QColor("#161B21"), true};
    return t;
}
const Theme& theme() { return g_dark ? darkTheme() : lightTheme(); }
void useDarkTheme(bool dark) { g_dark = dark; }

void loadFonts()
{
    static bool done = false;
    if (done) return;
    done = true;
    initFontResources();
    const auto family = [](const char* file, const QString& fallback, bool own = false) {
        QFile f(QStringLiteral(":/fonts/") + QLatin1String(file));
        if (!f.open(QIODevice::ReadOnly)) return fallback;
        QByteArray data = f.readAll();
        // Installed fonts of the same family may claim its regular style for another face (a monospaced one does). In
        // memory ours gets a name of its own, so that it is always ours that is shown.
        if (own) data.replace(QByteArray("\0B\0006\0001\0002", 8), QByteArray("\0D\0k\0u\0i", 8));
        const int id = QFontDatabase::addApplicationFontFromData(data);
        const QStringList names = id < 0 ? QStringList() : QFontDatabase::applicationFontFamilies(id);
        return names.isEmpty() ? fallback : names.front();
    };
    g_ui = family("B612-Regular.otf", g_ui, true);
    family("B612-Bold.otf", g_ui, true);
    g_sheet = family("osifont.ttf", g_sheet);
    g_wide = family("wide.ttf", g_wide);
}

QFont uiFont(int px, bool bold)
{
    QFont f;
    f.setFamilies({g_ui, g_wide});
    f.setPixelSize(px);
    f.setBold(bold);
    return f;
}
QFont sheetFont(double px)
{
    QFont f;
    f.setFamilies({g_sheet, g_wide});
    f.setPixelSize(std::max(1, int(px + 0.5)));
    return f;
}

void drawTick(QPainter& p, QRectF b, const QColor& colour, double width)
{
    p.save();
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(QPen(colour, width, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
    p.setBrush(Qt::NoBrush);
    p.drawPolyline(QPolygonF({{b.left() + 0.18 * b.width(), b.top() + 0.55 * b.height()},
                              {b.left() + 0.42 * b.width(), b.top() + 0.8 * b.height()},
                              {b.left() + 0.84 * b.width(), b.top() + 0.2 * b.height()}}));
    p.restore();
}
void drawCross(QPainter& p, QRectF b, const QColor& colour, double width)
{
    p.save();
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(QPen(colour, width, Qt::SolidLine, Qt::RoundCap));
    p.drawLine(QPointF(b.left() + 0.22 * b.width(), b.top() + 0.22 * b.height()),
               QPointF(b.right() - 0.22 * b.width(), b.bottom() - 0.22 * b.height()));
    p.drawLine(QPointF(b.right() - 0.22 * b.width(), b.top() + 0.22 * b.height()),
               QPointF(b.left() + 0.22 * b.width(), b.bottom() - 0.22 * b.height()));
    p.restore();
}
void drawDash(QPainter& p, QRectF box, const QColor& colour, double width)
{
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(QPen(colour, width, Qt::SolidLine, Qt::FlatCap));
    p.drawLine(QPointF(box.left() + 0.15 * box.width(), box.center().y()),
               QPointF(box.right() - 0.15 * box.width(), box.center().y()));
}
void hatch(QPainter& p, QRectF b, const QColor& colour, double gap)
{
    p.save();
    p.setClipRect(b, Qt::IntersectClip);
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(QPen(colour, 1));
    // Stripes keep their place in the window, so that neighbouring cells join.
    const double start = std::floor((b.left() + b.top()) / gap) * gap;
    for (double s = start; s <= b.right() + b.bottom(); s += gap)
        p.drawLine(QPointF(s - b.top(), b.top()), QPointF(s - b.bottom(), b.bottom()));
    p.restore();
}
void drawLabelSign(QPainter& p, QPointF c, double r, Sign sign, const QColor& ink)
{
    p.save();
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(QPen(ink, 1.4));
    if (sign == Sign::Open) {
        p.drawRect(QRectF(c.x() - 0.7 * r, c.y() - 0.7 * r, 1.4 * r, 1.4 * r));
    } else {
        p.setBrush(sign == Sign::Bad ? QBrush(ink) : QBrush(Qt::NoBrush));
        p.drawEllipse(c, r, r);
    }
    p.restore();
}

} // namespace report

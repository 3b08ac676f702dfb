#include "desktop/picture_cut.h"

#include "report/sheet_painter.h"
#include "report/theme.h"

#include <QPainter>
#include <algorithm>
#include <cmath>

namespace desktop
{

QImage cutOut(const image::Picture& picture, geometry::Point at, double half, double turn, QSize size)
{
    QImage out(2 * size, QImage::Format_RGB32);
    out.setDevicePixelRatio(2);
    out.fill(report::lightTheme().hair);
    const QImage all = report::toQImage(picture);
    QPainter p(&out);
    p.setRenderHint(QPainter::SmoothPixmapTransform);
    p.translate(size.width() / 2.0, size.height() / 2.0);
    if (half <= 0) {
        const double k = std::min(double(size.width()) / all.width(), double(size.height()) / all.height());
        const QImage small = all.scaled(int(2 * k * all.width()), int(2 * k * all.height()), Qt::IgnoreAspectRatio,
                                        Qt::SmoothTransformation);
        p.drawImage(QRectF(-k * all.width() / 2, -k * all.height() / 2, k * all.width(), k * all.height()), small);
        return out;
    }
    // Only what is seen is scaled, in steps of two first, so that fine lines stay.
    const double reach = half * std::hypot(1.0, double(size.width()) / size.height());
    const QRect part =
        QRect(int(at.x - reach), int(at.y - reach), int(2 * reach), int(2 * reach)).intersected(all.rect());
    if (part.isEmpty()) return out;
    const double k = size.height() / (2 * half);
    const double finest = std::min(1.0, 2 * k);
    const QImage seen = all.copy(part);
    const QImage small = seen.scaled(std::max(1, int(part.width() * finest)), std::max(1, int(part.height() * finest)),
                                     Qt::IgnoreAspectRatio, Qt::SmoothTransformation);
    p.rotate(geometry::degrees(turn));
    p.scale(k, k);
    p.drawImage(QRectF(part.x() - at.x - 0.5, part.y() - at.y - 0.5, part.width(), part.height()), small);
    return out;
}

} // namespace desktop

#include "report/target_pdf.h"

#include "base/files.h"
#include "base/unit.h"
#include "report/theme.h"

#include <QBuffer>
#include <QPainter>
#include <QPdfWriter>

namespace report
{
using inspect::Target;
using inspect::TargetKind;

namespace
{
constexpr double kRuler = 14; // mm, below the target
double rim(const Target& t) { return std::max(8.0, t.pitch); }
} // namespace

PageSize targetPage(const Target& t)
{
    const double squares = t.kind == TargetKind::Checkerboard ? 1 : 0; // squares stand round the inner corners
    const double wide = (t.columns - 1 + 2 * squares) * t.pitch + (squares > 0 ? 0 : t.dotDiameter());
    const double high = (t.rows - 1 + 2 * squares) * t.pitch + (squares > 0 ? 0 : t.dotDiameter());
    return {std::max(60.0, wide + 2 * rim(t)), high + 2 * rim(t) + kRuler};
}

base::Status writeTargetPdf(const std::string& path, const Target& t, bool marked)
{
    if (auto ok = t.check(); !ok) return ok;
    const PageSize page = targetPage(t);
    if (page.width > 5000 || page.height > 5000)
        return base::fail(base::ErrorCode::OutOfRange, "the page would be " + base::toText(page.width, 0) + " × " +
                                                           base::toText(page.height, 0) +
                                                           " mm; at most 5000 mm can be written");
    QByteArray bytes;
    QBuffer buffer(&bytes);
    buffer.open(QIODevice::WriteOnly);
    {
        QPdfWriter pdf(&buffer);
        pdf.setResolution(1200);
        pdf.setPageSize(
            QPageSize(QSizeF(page.width, page.height), QPageSize::Millimeter, QString(), QPageSize::ExactMatch));
        pdf.setPageMargins(QMarginsF(0, 0, 0, 0));
        pdf.setTitle(QStringLiteral("Calibration target"));
        QPainter p(&pdf);
        const double k = 1200 / 25.4;
        p.scale(k, k); // mm from here on
        p.setPen(Qt::NoPen);
        p.setBrush(Qt::black);
        const bool squares = t.kind == TargetKind::Checkerboard;
        const double span = (t.columns - 1) * t.pitch;
        // (0, 0) of the target on the page.
        const QPointF zero((page.width - span) / 2, rim(t) + (squares ? t.pitch : t.dotDiameter() / 2));
        p.save();
        p.translate(zero);
        const auto disc = [&](double x, double y, double d, const QColor& c) {
            p.setBrush(c);
            p.drawEllipse(QPointF(x, y), d / 2, d / 2);
        };
        if (squares) {
            const int mx = (t.columns - 1) / 2, my = (t.rows - 1) / 2;
            for (int r = -1; r < t.rows; ++r)
                for (int c = -1; c < t.columns; ++c) {
                    const bool black = (r + c) % 2 == 0;
                    p.setBrush(Qt::black);
                    if (black) p.drawRect(QRectF(c * t.pitch, r * t.pitch, t.pitch, t.pitch));
                    if (marked && ((r == my && (c == mx || c == mx + 1)) || (r == my + 1 && c == mx)))
                        disc((c + 0.5) * t.pitch, (r + 0.5) * t.pitch, 0.4 * t.pitch, black ? Qt::white : Qt::black);
                }
        } else {
            for (int r = 0; r < t.rows; ++r)
                for (int c = 0; c < t.columns; ++c) {
                    disc(c * t.pitch, r * t.pitch, t.dotDiameter(), Qt::black);
                    const int mx = t.columns / 2, my = t.rows / 2;
                    if (marked && ((r == my && (c == mx || c == mx + 1)) || (r == my + 1 && c == mx)))
                        disc(c * t.pitch, r * t.pitch, t.dotDiameter() / 2.25, Qt::white);
                }
        }
        p.restore();
        // The ruler: a whole number of tens of mm, as long as fits.
        const double length = std::max(10.0, std::floor((page.width - 20) / 10) * 10);
        const double y = page.height - 8, x = (page.width - length) / 2;
        p.setPen(QPen(Qt::black, 0.2));
        p.drawLine(QPointF(x, y), QPointF(x + length, y));
        for (int i = 0; i * 10 <= length + 1e-9; ++i)
            p.drawLine(QPointF(x + 10 * i, y - 1.2), QPointF(x + 10 * i, y + 1.2));
        QFont font = uiFont(10);
        font.setPointSizeF(7);
        p.setFont(font);
        // Text is set in the device's own units.
        p.resetTransform();
        p.drawText(
            QRectF(0, (y + 1.6) * k, page.width * k, 5 * k), Qt::AlignCenter,
            QObject::tr(
                "print at 100 %, without fitting to the page · this line must measure %1 mm · %2 × %3 %4, pitch %5 mm")
                .arg(length, 0, 'f', 0)
                .arg(t.columns)
                .arg(t.rows)
                .arg(squares ? QObject::tr("inner corners") : QObject::tr("dots"))
                .arg(QString::fromStdString(base::shortest(t.pitch))));
    }
    return base::writeAtomic(base::realFiles(), path, std::string(bytes.constData(), std::size_t(bytes.size())));
}

} // namespace report

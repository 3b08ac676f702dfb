// The title block: what the picture is, its scale and unit, and the verdict stamped.
#include "report/pencil.h"
#include "report/sheet_painter.h"

#include <QFontMetricsF>
#include <QLinearGradient>
#include <algorithm>

namespace report
{
using inspect::Verdict;

namespace
{
int rowsOf(const SheetScene& s) { return s.heights || s.deviation ? 4 : 3; }
QString heightText(double z, const HeightRange& all)
{
    const double wide = all.high - all.low;
    return QString::number(z, 'f', wide > 50 ? 1 : wide > 5 ? 2 : 3);
}
} // namespace

double HeightHandles::heightAt(double x) const
{
    const double share = std::clamp((x - bar.left()) / std::max(1.0, bar.width()), 0.0, 1.0);
    return all.low + share * (all.high - all.low);
}

std::optional<HeightHandles> heightHandles(const SheetScene& scene, const QString& picture, const QRectF& area,
                                           double unit)
{
    if (!scene.heights) return std::nullopt;
    const QRectF box = titleBlockBox(scene, picture, area, unit);
    const double stampWidth = 92 * unit, row = 20 * unit, side = 78 * unit;
    HeightHandles h;
    h.all = scene.heights->all;
    h.bar = QRectF(box.left() + side, box.bottom() - row + 5 * unit, box.width() - stampWidth - 2 * side - 12 * unit,
                   row - 10 * unit);
    const auto at = [&](double z) {
        return QPointF(h.bar.left() + std::clamp((z - h.all.low) / std::max(1e-12, h.all.high - h.all.low), 0.0, 1.0) *
                                          h.bar.width(),
                       h.bar.center().y());
    };
    h.low = at(scene.heights->shown.low), h.high = at(scene.heights->shown.high);
    return h;
}

QRectF titleBlockBox(const SheetScene& scene, const QString& picture, const QRectF& area, double unit)
{
    const double left = std::clamp(QFontMetricsF(sheetFont(15 * unit)).horizontalAdvance(picture) + 18 * unit,
                                   (scene.heights || scene.deviation ? 340 : 214) * unit,
                                   (scene.heights || scene.deviation ? 340 : 330) * unit),
                 stampWidth = 92 * unit, row = 20 * unit;
    const double room = std::max(120 * unit, area.width() - stampWidth - 16 * unit);
    const double high = rowsOf(scene) * row;
    return {area.right() - std::min(left, room) - stampWidth - 8 * unit, area.bottom() - high - 8 * unit,
            std::min(left, room) + stampWidth, high};
}

QRectF paintTitleBlock(QPainter& p, const SheetScene& scene, const QString& picture, const QRectF& area, double unit)
{
    const Theme& th = ink();
    const bool has = scene.result && !scene.result->items.empty();
    const QString name = picture.isEmpty() ? QStringLiteral("no picture") : picture;
    p.save();
    p.setRenderHint(QPainter::Antialiasing);
    const QFont font = sheetFont(15 * unit);
    const QFontMetricsF metrics(font);
    const QRectF box = titleBlockBox(scene, picture, area, unit);
    const double stampWidth = 92 * unit, left = box.width() - stampWidth, row = 20 * unit;
    p.setPen(QPen(th.ink, unit));
    p.setBrush(th.paper);
    p.drawRect(box);
    p.drawLine(QPointF(box.left() + left, box.top()), QPointF(box.left() + left, box.bottom()));
    for (int i = 1; i < rowsOf(scene); ++i)
        p.drawLine(QPointF(box.left(), box.top() + i * row), QPointF(box.left() + left, box.top() + i * row));
    const double split = box.left() + 0.56 * left;
    p.drawLine(QPointF(split, box.top() + row), QPointF(split, box.top() + 3 * row));
    p.setFont(font);
    const auto cell = [&](double x0, double x1, int line, const QString& text) {
        const QRectF r(x0 + 6 * unit, box.top() + line * row, x1 - x0 - 9 * unit, row);
        p.drawText(r, Qt::AlignVCenter | Qt::AlignLeft, metrics.elidedText(text, Qt::ElideMiddle, r.width()));
    };
    const double right = box.left() + left;
    cell(box.left(), right, 0, name);
    const double factor = scene.recipe ? scene.recipe->mmPerPixel() : 0;
    cell(box.left(), split, 1,
         factor <= 0 ? QStringLiteral("not calibrated") : QString::number(factor, 'g', 4) + QStringLiteral(" mm/px"));
    cell(split, right, 1,
         QStringLiteral("unit ") +
             QString::fromUtf8(base::symbol(factor > 0 ? scene.recipe->shownIn : base::Unit::Pixel)));
    if (has)
        cell(box.left(), split, 2,
             QStringLiteral("item %1 of %2")
                 .arg(std::clamp(scene.item + 1, 1, int(scene.result->items.size())))
                 .arg(scene.result->items.size()));
    if (scene.heights) cell(split, right, 2, QStringLiteral("covered %1 %").arg(scene.heights->covered, 0, 'f', 0));
    else if (scene.deviation) cell(split, right, 2, QStringLiteral("deviation ×%1").arg(scene.deviation->times));
    else if (scene.told < scene.checks)
        cell(split, right, 2, QStringLiteral("%1/%2 shown").arg(scene.told).arg(scene.checks));
    else cell(split, right, 2, QStringLiteral("%1×%2").arg(scene.pictureSize.width()).arg(scene.pictureSize.height()));
    if (const auto h = heightHandles(scene, picture, area, unit)) {
        QLinearGradient scale(h->low, h->high);
        for (int i = 0; i <= 16; ++i) scale.setColorAt(i / 16.0, QColor(heightColour(i / 16.0)));
        p.setPen(QPen(th.rule, unit));
        p.setBrush(scale);
        p.drawRect(h->bar);
        p.setPen(QPen(th.ink, unit));
        const QRectF low(box.left() + 6 * unit, box.bottom() - row, h->bar.left() - box.left() - 12 * unit, row),
            high(h->bar.right() + 8 * unit, box.bottom() - row, right - h->bar.right() - 10 * unit, row);
        p.drawText(low, Qt::AlignVCenter | Qt::AlignLeft,
                   QStringLiteral("z ") + heightText(scene.heights->shown.low, h->all));
        p.drawText(high, Qt::AlignVCenter | Qt::AlignLeft,
                   heightText(scene.heights->shown.high, h->all) + QStringLiteral(" mm"));
        p.setPen(QPen(th.datum, 1.6 * unit));
        p.setBrush(th.paper);
        for (const QPointF at : {h->low, h->high})
            p.drawRect(QRectF(at.x() - 4 * unit, at.y() - 7 * unit, 8 * unit, 14 * unit));
    }
    if (scene.deviation && !scene.heights) {
        const double end = 2 * scene.deviation->tolerance, side = 92 * unit;
        const QRectF bar(box.left() + side, box.bottom() - row + 5 * unit, left - 2 * side, row - 10 * unit);
        QLinearGradient scale(bar.left(), 0, bar.right(), 0);
        for (int i = 0; i <= 16; ++i) scale.setColorAt(i / 16.0, deviationColour(i / 4.0 - 2));
        p.setPen(QPen(th.rule, unit));
        p.setBrush(scale);
        p.drawRect(bar);
        p.setPen(QPen(th.ink, 1.6 * unit)); // the tolerance
        for (const double x : {0.25, 0.75})
            p.drawLine(QPointF(bar.left() + x * bar.width(), bar.top() - 2 * unit),
                       QPointF(bar.left() + x * bar.width(), bar.bottom() + 2 * unit));
        const QString size = QString::number(end, 'g', 3);
        p.drawText(QRectF(box.left() + 6 * unit, box.bottom() - row, side - 12 * unit, row),
                   Qt::AlignVCenter | Qt::AlignLeft, QStringLiteral("less −") + size);
        p.drawText(QRectF(bar.right() + 6 * unit, box.bottom() - row, side - 8 * unit, row),
                   Qt::AlignVCenter | Qt::AlignLeft, QStringLiteral("+%1 more").arg(size));
    }
    // The stamp.
    const QRectF stamp =
        QRectF(right, box.top(), stampWidth, box.height()).adjusted(8 * unit, 14 * unit, -8 * unit, -14 * unit);
    QString word;
    QColor colour = th.second;
    bool filled = false, hatched = false;
    if (scene.result && scene.result->error) word = QStringLiteral("ERROR"), colour = th.fail;
    else if (has && !scene.pending) {
        const auto& item =
            scene.result->items[std::size_t(std::clamp(scene.item, 0, int(scene.result->items.size()) - 1))];
        const bool failed = std::any_of(item.checks.begin(), item.checks.end(),
                                        [](const auto& c) { return c.verdict == Verdict::Fail; });
        word = QString::fromStdString(item.word);
        if (item.rejected()) colour = th.fail, filled = true, hatched = !failed;
        else colour = item.accepted() ? th.pass : th.ink;
    }
    if (!word.isEmpty()) {
        p.setPen(QPen(colour, 1.6 * unit));
        p.setBrush(filled && !hatched ? QBrush(colour) : QBrush(Qt::NoBrush));
        p.drawRect(stamp);
        if (hatched) {
            hatch(p, stamp, th.notMeasured, 5 * unit);
            p.fillRect(stamp.adjusted(6 * unit, 6 * unit, -6 * unit, -6 * unit), th.paper);
        }
        // A long word of the recipe's own is set smaller.
        const double room = stamp.width() - 8 * unit,
                     wanted = QFontMetricsF(sheetFont(20 * unit)).horizontalAdvance(word);
        p.setFont(sheetFont(wanted > room ? std::max(9 * unit, 20 * unit * room / wanted) : 20 * unit));
        p.setPen(filled && !hatched ? th.paper : colour);
        p.drawText(stamp, Qt::AlignCenter, word);
    }
    p.restore();
    return box;
}

} // namespace report

#include "report/charts.h"

#include "base/unit.h"
#include "report/pages.h"
#include "report/theme.h"

#include <algorithm>
#include <cmath>

namespace report
{

QString figureOf(double value, const QString& unit)
{
    const auto known = base::unitFrom(unit.toStdString()).value_or(base::Unit::None);
    return QString::fromStdString(base::toText(value, known)).remove(unit).trimmed();
}

void paintChart(QPainter& p, const ChartValues& c, QRectF box)
{
    const Theme& th = lightTheme();
    const records::CheckDetail& d = *c.detail;
    if (d.values.empty()) return;
    double low = *std::min_element(d.values.begin(), d.values.end()),
           high = *std::max_element(d.values.begin(), d.values.end());
    const auto take = [&](double v) { low = std::min(low, v), high = std::max(high, v); };
    for (const auto& limit : {d.limits.low, d.limits.high})
        if (limit) take(*limit);
    if (d.chart.places.size() > 1) take(d.chart.lower), take(d.chart.upper);
    const double room = high > low ? 0.06 * (high - low) : std::max(1e-9, 0.01 * std::abs(high));
    low -= room, high += room;
    const double axis = 46;
    const QRectF plot(box.left(), box.top() + 4, 0.8 * (box.width() - axis), box.height() - 8);
    const QRectF bins(plot.right() + axis, plot.top(), box.right() - plot.right() - axis, plot.height());
    const auto y = [&](double v) { return plot.bottom() - plot.height() * (v - low) / (high - low); };
    const auto x = [&](double item) {
        return plot.left() + plot.width() * (item + 0.5) / double(std::max<std::size_t>(1, c.items));
    };
    p.setRenderHint(QPainter::Antialiasing);
    const double top = d.limits.high ? y(*d.limits.high) : plot.top(),
                 bottom = d.limits.low ? y(*d.limits.low) : plot.bottom();
    if (d.limits.low || d.limits.high)
        for (const QRectF& b : {plot, bins}) p.fillRect(QRectF(b.left(), top, b.width(), bottom - top), th.passGround);
    p.setPen(QPen(th.pass, 1.2));
    for (const auto& limit : {d.limits.low, d.limits.high})
        if (limit)
            for (const QRectF& b : {plot, bins})
                p.drawLine(QPointF(b.left(), y(*limit)), QPointF(b.right(), y(*limit)));
    if (d.chart.places.size() > 1) {
        p.setPen(QPen(th.ink, 0.6));
        p.drawLine(QPointF(plot.left(), y(d.chart.mean)), QPointF(plot.right(), y(d.chart.mean)));
        QPen dashed(th.ink, 0.6);
        dashed.setDashPattern({8, 5});
        p.setPen(dashed);
        for (const double v : {d.chart.lower, d.chart.upper})
            p.drawLine(QPointF(plot.left(), y(v)), QPointF(plot.right(), y(v)));
    }
    // Many values: lowest to highest of each column; few: each.
    const std::size_t columns = std::size_t(plot.width());
    if (d.values.size() > columns) {
        std::vector<std::pair<double, double>> reach(columns, {1e300, -1e300});
        for (std::size_t i = 0; i < d.values.size(); ++i) {
            auto& r = reach[std::min(columns - 1, std::size_t(double(d.at[i]) / double(c.items) * double(columns)))];
            r.first = std::min(r.first, d.values[i]), r.second = std::max(r.second, d.values[i]);
        }
        p.setPen(QPen(th.second, 1));
        for (std::size_t i = 0; i < columns; ++i)
            if (reach[i].first <= reach[i].second)
                p.drawLine(QPointF(plot.left() + double(i) + 0.5, y(reach[i].first) + 0.4),
                           QPointF(plot.left() + double(i) + 0.5, y(reach[i].second) - 0.4));
    } else {
        QPolygonF line;
        for (std::size_t i = 0; i < d.values.size(); ++i) line << QPointF(x(d.at[i]), y(d.values[i]));
        p.setPen(QPen(th.second, 0.5));
        p.drawPolyline(line);
        p.setPen(Qt::NoPen);
        p.setBrush(th.ink);
        const double r = d.values.size() > 200 ? 0.8 : 1.5;
        for (const QPointF& at : line) p.drawEllipse(at, r, r);
    }
    for (const std::uint32_t item : c.failed) {
        const auto at = std::lower_bound(d.at.begin(), d.at.end(), item);
        if (at == d.at.end() || *at != item) continue;
        drawCross(p, QRectF(x(item) - 4, y(d.values[std::size_t(at - d.at.begin())]) - 4, 8, 8), th.fail, 1.4);
    }
    for (const std::uint32_t item : c.lost) hatch(p, QRectF(x(item) - 2, plot.bottom() - 7, 4, 7), th.notMeasured, 3);
    p.setPen(QPen(th.rule, 0.6));
    p.setBrush(Qt::NoBrush);
    p.drawRect(plot), p.drawRect(bins);
    // The histogram.
    constexpr std::size_t kBins = 20;
    std::vector<int> n(kBins, 0);
    int most = 1;
    for (const double v : d.values)
        most = std::max(most, ++n[std::min(kBins - 1, std::size_t((v - low) / (high - low) * kBins))]);
    for (std::size_t i = 0; i < kBins; ++i) {
        const double value = low + (double(i) + 0.5) / kBins * (high - low), step = plot.height() / kBins;
        const bool out = (d.limits.low && value < *d.limits.low) || (d.limits.high && value > *d.limits.high);
        p.fillRect(QRectF(bins.left(), plot.bottom() - double(i + 1) * step + 0.4, (bins.width() - 3) * n[i] / most,
                          step - 0.8),
                   out ? th.fail : QColor("#8A8F96"));
    }
    // Figures beside the plot, none over another.
    p.setFont(printFont(9));
    std::vector<double> taken;
    const auto write = [&](double v, const QColor& colour) {
        for (const double t : taken)
            if (std::abs(t - y(v)) < 10) return;
        taken.push_back(y(v));
        p.setPen(colour);
        p.drawText(QRectF(plot.right() + 2, y(v) - 7, axis - 6, 14), Qt::AlignVCenter | Qt::AlignRight,
                   figureOf(v, c.unit));
    };
    for (const auto& limit : {d.limits.low, d.limits.high})
        if (limit) write(*limit, th.pass);
    if (d.chart.places.size() > 1)
        for (const double v : {d.chart.mean, d.chart.lower, d.chart.upper}) write(v, th.ink);
}

} // namespace report

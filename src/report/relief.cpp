#include "report/relief.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace report
{
using geometry::Point;

Relief::Relief(const image::Picture& p, double pixelMm)
{
    if (p.content != image::Content::Height) return;
    const image::HeightView v = p.heights();
    m_width = v.width, m_height = v.height;
    m_step = std::max(1, int(std::ceil(std::sqrt(double(m_width) * m_height / kCells))));
    m_columns = (m_width + m_step - 1) / m_step, m_rows = (m_height + m_step - 1) / m_step;
    m_z.assign(std::size_t(m_columns) * std::size_t(m_rows), std::numeric_limits<float>::quiet_NaN());
    const double none = v.scale.missing.value_or(std::nan(""));
    std::vector<double> sum(static_cast<std::size_t>(m_columns));
    std::vector<int> count(static_cast<std::size_t>(m_columns));
    std::vector<float> all;
    v.visit([&](auto view) {
        for (int r = 0; r < m_rows; ++r) {
            std::fill(sum.begin(), sum.end(), 0.0), std::fill(count.begin(), count.end(), 0);
            const int end = std::min(m_height, (r + 1) * m_step);
            for (int y = r * m_step; y < end; ++y) {
                const auto* row = view.row(y);
                for (int x = 0; x < m_width; ++x) {
                    const auto raw = double(row[x]);
                    if (std::isnan(raw) || raw == none) continue;
                    sum[std::size_t(x / m_step)] += raw;
                    ++count[std::size_t(x / m_step)];
                }
            }
            for (int c = 0; c < m_columns; ++c) {
                const int n = count[std::size_t(c)],
                          full = (end - r * m_step) * (std::min(m_width, (c + 1) * m_step) - c * m_step);
                if (2 * n <= full) continue; // mostly missing
                const auto z = float(v.scale.offsetMm + v.scale.mmPerStep * sum[std::size_t(c)] / n);
                m_z[std::size_t(r) * std::size_t(m_columns) + std::size_t(c)] = z;
                all.push_back(z);
            }
        }
    });
    if (all.empty()) {
        m_z.clear();
        return;
    }
    std::sort(all.begin(), all.end());
    m_low = all[all.size() / 200], m_high = all[all.size() - 1 - all.size() / 200];
    m_pixelMm = pixelMm;
}

Relief::Projection Relief::projection(QSize size, const TurningView& view, const HeightRange& colours) const
{
    Projection p{};
    const double room = 0.35 * (colours.high - colours.low);
    p.low = std::max(m_low, colours.low - room), p.high = std::max(p.low + 1e-9, std::min(m_high, colours.high + room));
    // True to scale when that can be seen, else stretched until it can.
    const double wide = std::max(m_width, m_height), range = p.high - p.low;
    const double stretch =
        std::clamp(m_pixelMm > 0 ? 1 / m_pixelMm : 0.16 * wide / range, 0.07 * wide / range, 0.35 * wide / range);
    const double turn = geometry::radians(view.turn), rise = geometry::radians(std::clamp(view.rise, 5.0, 90.0));
    const double c = std::cos(turn), s = std::sin(turn), up = std::sin(rise), flat = std::cos(rise);
    // The whole body fits at zoom 1, however it is turned.
    const double reach = std::hypot(m_width, m_height), high = range * stretch;
    const double k =
        view.zoom *
        std::min(size.width() / (std::abs(m_width * c) + std::abs(m_height * s) + 1) * 0.94,
                 size.height() / ((std::abs(m_width * s) + std::abs(m_height * c)) * up + high * flat + 0.02 * reach) *
                     0.92);
    p.xx = k * c, p.xy = -k * s;
    p.yx = k * s * up, p.yy = k * c * up, p.yz = -k * flat * stretch;
    p.dx = s * flat, p.dy = c * flat, p.dz = up * stretch;
    p.stretch = stretch;
    const double mx = m_width / 2.0, my = m_height / 2.0, mz = (p.low + p.high) / 2;
    p.x0 = size.width() / 2.0 + view.shift.x() - (p.xx * mx + p.xy * my);
    p.y0 = size.height() / 2.0 + view.shift.y() - (p.yx * mx + p.yy * my + p.yz * mz);
    return p;
}

QPointF Relief::at(Point place, double z, QSize size, const TurningView& view, const HeightRange& colours) const
{
    return projection(size, view, colours).screen(place.x, place.y, z);
}

namespace
{
struct Corner {
    float x, y, depth;
};
// Fills a triangle of one colour where it is nearer than what is there.
void fillTriangle(const Corner& a, const Corner& b, const Corner& c, QRgb colour, int width, int height, QRgb* pixels,
                  float* depths)
{
    const float left = std::min({a.x, b.x, c.x}), right = std::max({a.x, b.x, c.x}), top = std::min({a.y, b.y, c.y}),
                bottom = std::max({a.y, b.y, c.y});
    if (!(right >= 0 && bottom >= 0 && left < float(width) && top < float(height))) return;
    const int y0 = std::max(0, int(std::ceil(top - 0.5f))), y1 = std::min(height - 1, int(std::floor(bottom - 0.5f)));
    const int x0 = std::max(0, int(std::ceil(left - 0.5f))), x1 = std::min(width - 1, int(std::floor(right - 0.5f)));
    const float area = (b.x - a.x) * (c.y - a.y) - (b.y - a.y) * (c.x - a.x);
    if (x1 < x0 || y1 < y0 || std::abs(area) < 1e-6f) return;
    const float inverse = 1 / area;
    const float ux = (b.y - c.y) * inverse, uy = (c.x - b.x) * inverse, vx = (c.y - a.y) * inverse,
                vy = (a.x - c.x) * inverse;
    for (int y = y0; y <= y1; ++y) {
        const float py = float(y) + 0.5f;
        float u = ux * (float(x0) + 0.5f - c.x) + uy * (py - c.y), v = vx * (float(x0) + 0.5f - c.x) + vy * (py - c.y);
        for (int x = x0; x <= x1; ++x, u += ux, v += vx) {
            const float w = 1 - u - v;
            if (u < -1e-4f || v < -1e-4f || w < -1e-4f) continue;
            const float depth = u * a.depth + v * b.depth + w * c.depth;
            float& there = depths[std::size_t(y) * std::size_t(width) + std::size_t(x)];
            if (depth <= there) continue;
            there = depth;
            pixels[std::size_t(y) * std::size_t(width) + std::size_t(x)] = colour;
        }
    }
}
} // namespace

QImage Relief::draw(QSize size, const TurningView& view, const HeightRange& colours, QRgb ground) const
{
    QImage out(size, QImage::Format_RGB32);
    out.fill(ground);
    if (m_z.empty() || size.isEmpty()) return out;
    const Projection p = projection(size, view, colours);
    std::vector<float> depths(std::size_t(size.width()) * std::size_t(size.height()),
                              -std::numeric_limits<float>::infinity());
    auto* pixels = reinterpret_cast<QRgb*>(out.bits()); // rows of 32 bit are without gaps
    std::vector<Corner> corners(m_z.size());
    for (int r = 0; r < m_rows; ++r)
        for (int c = 0; c < m_columns; ++c) {
            const std::size_t i = std::size_t(r) * std::size_t(m_columns) + std::size_t(c);
            const double x = (c + 0.5) * m_step - 0.5, y = (r + 0.5) * m_step - 0.5, z = double(m_z[i]);
            const QPointF s = p.screen(x, y, z);
            corners[i] = {float(s.x()), float(s.y()), float(p.depth(x, y, z))};
        }
    constexpr int kShades = 24, kSteps = 128;
    static const auto table = [] {
        std::vector<QRgb> t;
        for (int k = 0; k < kShades; ++k)
            for (int i = 0; i < kSteps; ++i) {
                const QRgb base = heightColour(double(i) / (kSteps - 1));
                const double f = 0.62 + 0.5 * k / (kShades - 1);
                const auto of = [&](int v) { return std::clamp(int(v * f), 0, 255); };
                t.push_back(qRgb(of(qRed(base)), of(qGreen(base)), of(qBlue(base))));
            }
        return t;
    }();
    const double wide = std::max(1e-12, colours.high - colours.low), steep = p.stretch / m_step;
    for (int r = 0; r + 1 < m_rows; ++r)
        for (int c = 0; c + 1 < m_columns; ++c) {
            const std::size_t i = std::size_t(r) * std::size_t(m_columns) + std::size_t(c), right = i + 1,
                              below = i + std::size_t(m_columns), across = below + 1;
            const float a = m_z[i], b = m_z[right], d = m_z[below], e = m_z[across];
            if (std::isnan(a) || std::isnan(b) || std::isnan(d) || std::isnan(e)) continue;
            const auto near = [&](float z) { return std::clamp(double(z), p.low, p.high); };
            const double za = near(a), zb = near(b), zd = near(d), ze = near(e);
            const double sx = (zb - za + ze - zd) / 2 * steep, sy = (zd - za + ze - zb) / 2 * steep;
            // The light comes from the upper left.
            const double light = (0.62 + 0.42 * (sx * 0.6 + sy * 0.55)) / std::sqrt(1 + 0.4 * (sx * sx + sy * sy));
            const int shade = std::clamp(int(light * kShades), 0, kShades - 1);
            const double share = (double(a + b + d + e) / 4 - colours.low) / wide;
            const int step = std::clamp(int(share * (kSteps - 1) + 0.5), 0, kSteps - 1);
            const QRgb colour = table[std::size_t(shade * kSteps + step)];
            fillTriangle(corners[i], corners[right], corners[below], colour, size.width(), size.height(), pixels,
                         depths.data());
            fillTriangle(corners[right], corners[across], corners[below], colour, size.width(), size.height(), pixels,
                         depths.data());
        }
    return out;
}

} // namespace report

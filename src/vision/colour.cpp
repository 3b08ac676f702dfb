#include "vision/colour.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace vision
{

Lab labOf(double red, double green, double blue)
{
    const auto linear = [](double v) {
        v /= 255;
        return v <= 0.04045 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4);
    };
    const double r = linear(red), g = linear(green), b = linear(blue);
    const auto f = [](double t) { return t > 216.0 / 24389 ? std::cbrt(t) : (24389.0 / 27 * t + 16) / 116; };
    const double x = f((0.4124564 * r + 0.3575761 * g + 0.1804375 * b) / 0.95047),
                 y = f(0.2126729 * r + 0.7151522 * g + 0.0721750 * b),
                 z = f((0.0193339 * r + 0.1191920 * g + 0.9503041 * b) / 1.08883);
    return {116 * y - 16, 500 * (x - y), 200 * (y - z)};
}

std::pair<double, double> hueOf(const std::array<double, 3>& rgb)
{
    const Lab c = labOf(rgb[0], rgb[1], rgb[2]);
    const double hue = std::atan2(c[2], c[1]) * 180 / 3.14159265358979323846;
    return {hue < 0 ? hue + 360 : hue, std::hypot(c[1], c[2])};
}
double colourDistance(const Lab& a, const Lab& b, double lightness)
{
    const double l = (a[0] - b[0]) * lightness, u = a[1] - b[1], v = a[2] - b[2];
    return std::sqrt(l * l + u * u + v * v);
}

namespace
{
// L*a*b* of the centres of all cells, worked out once.
const std::vector<std::array<float, 3>>& cells()
{
    static const std::vector<std::array<float, 3>> all = [] {
        std::vector<std::array<float, 3>> out(64 * 64 * 64);
        for (int r = 0; r < 64; ++r)
            for (int g = 0; g < 64; ++g)
                for (int b = 0; b < 64; ++b) {
                    const Lab l = labOf(4 * r + 1.5, 4 * g + 1.5, 4 * b + 1.5);
                    out[std::size_t((r << 12) | (g << 6) | b)] = {float(l[0]), float(l[1]), float(l[2])};
                }
        return out;
    }();
    return all;
}
std::array<int, 3> rgbAt(const image::Image& p, int x, int y)
{
    const std::uint8_t* row = p.row(y);
    const auto* wide = reinterpret_cast<const std::uint16_t*>(row);
    switch (p.format()) {
    case image::PixelFormat::Grey8: return {row[x], row[x], row[x]};
    case image::PixelFormat::Grey16: return {wide[x] / 257, wide[x] / 257, wide[x] / 257};
    case image::PixelFormat::Colour8: return {row[3 * x], row[3 * x + 1], row[3 * x + 2]};
    case image::PixelFormat::Colour16: return {wide[3 * x] / 257, wide[3 * x + 1] / 257, wide[3 * x + 2] / 257};
    case image::PixelFormat::Real32: break; // heights have no colour
    }
    return {};
}
} // namespace

ColourModel::ColourModel(const std::vector<ColourSample>& samples, double tolerance, double lightness)
{
    auto taken = std::make_shared<std::vector<bool>>(cells().size(), false);
    const float w = float(lightness), limit = float(tolerance * tolerance);
    for (std::size_t i = 0; i < cells().size(); ++i) {
        const auto& c = cells()[i];
        float like = 1e30f, unlike = 1e30f;
        for (const ColourSample& s : samples) {
            const float l = (c[0] - float(s.colour[0])) * w, u = c[1] - float(s.colour[1]),
                        v = c[2] - float(s.colour[2]);
            const float d = l * l + u * u + v * v;
            (s.refused ? unlike : like) = std::min(s.refused ? unlike : like, d);
        }
        (*taken)[i] = like <= limit && like < unlike;
    }
    m_taken = std::move(taken);
}

image::Image colourMask(const image::Image& picture, const ColourModel& model, int left, int top, int width, int height)
{
    image::Image out = image::Image::unwritten(width, height, image::PixelFormat::Grey8);
    for (int y = 0; y < height; ++y) {
        std::uint8_t* to = out.row(y);
        if (picture.format() == image::PixelFormat::Colour8) {
            const std::uint8_t* row = picture.row(top + y) + 3 * left;
            for (int x = 0; x < width; ++x) to[x] = model.takes(row[3 * x], row[3 * x + 1], row[3 * x + 2]) ? 255 : 0;
            continue;
        }
        for (int x = 0; x < width; ++x) {
            const auto c = rgbAt(picture, left + x, top + y);
            to[x] = model.takes(c[0], c[1], c[2]) ? 255 : 0;
        }
    }
    return out;
}

ColourSample sampleAt(const image::Image& picture, double px, double py, int reach)
{
    double sum[3] = {}, n = 0;
    const int cx = int(std::lround(std::clamp(px, -1e6, 1e6))), cy = int(std::lround(std::clamp(py, -1e6, 1e6)));
    for (int y = cy - reach; y <= cy + reach; ++y)
        for (int x = cx - reach; x <= cx + reach; ++x) {
            if (x < 0 || y < 0 || x >= picture.width() || y >= picture.height()) continue;
            const auto c = rgbAt(picture, x, y);
            for (std::size_t k = 0; k < 3; ++k) sum[k] += c[k];
            ++n;
        }
    ColourSample s;
    if (n > 0) s.colour = labOf(sum[0] / n, sum[1] / n, sum[2] / n);
    return s;
}

std::vector<ColourSample> samplesOf(const image::Image& picture, const std::vector<std::array<int, 2>>& pixels,
                                    double share)
{
    // Cells of 16 levels a channel, so that noise does not make a sample of its own.
    struct Cell {
        double sum[3] = {};
        int n = 0;
    };
    std::map<int, Cell> found;
    for (const auto& [x, y] : pixels) {
        const auto c = rgbAt(picture, x, y);
        Cell& cell = found[((c[0] >> 4) << 8) | ((c[1] >> 4) << 4) | (c[2] >> 4)];
        for (std::size_t k = 0; k < 3; ++k) cell.sum[k] += c[k];
        ++cell.n;
    }
    std::vector<ColourSample> out;
    for (const auto& [key, c] : found)
        if (c.n >= share * double(pixels.size()))
            out.push_back({labOf(c.sum[0] / c.n, c.sum[1] / c.n, c.sum[2] / c.n), false});
    return out;
}

} // namespace vision

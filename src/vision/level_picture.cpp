#include "vision/level_picture.h"

#include <algorithm>

namespace vision
{
using geometry::Point;

LevelPicture levelPicture(const image::GreyView& view, const geometry::Calibration& calibration)
{
    if (view.width < 2 || view.height < 2) { // nothing to read between; nothing is found in it either
        LevelPicture one;
        one.picture = image::Image(1, 1, image::PixelFormat::Grey8);
        return one;
    }
    // As far as the picture's border reaches, but not to the horizon.
    double left = 1e300, right = -1e300, top = 1e300, bottom = -1e300;
    const auto take = [&](double x, double y) {
        const Point p = calibration.level({x, y});
        left = std::min(left, p.x), right = std::max(right, p.x), top = std::min(top, p.y),
        bottom = std::max(bottom, p.y);
    };
    for (int i = 0; i <= 16; ++i) {
        const double x = (view.width - 1) * i / 16.0, y = (view.height - 1) * i / 16.0;
        take(x, 0), take(x, view.height - 1), take(0, y), take(view.width - 1, y);
    }
    left = std::floor(std::max(left, -0.4 * view.width)), right = std::ceil(std::min(right, 1.4 * view.width));
    top = std::floor(std::max(top, -0.4 * view.height)), bottom = std::ceil(std::min(bottom, 1.4 * view.height));
    LevelPicture out;
    out.origin = {left, top};
    const int width = std::max(1, int(right - left) + 1), height = std::max(1, int(bottom - top) + 1);
    out.picture = image::Image::unwritten(width, height, image::PixelFormat::Grey8);
    // Places are exact every 16 px and linear between: the lens bends by less than 0.01 px over so little.
    constexpr int kGap = 16;
    const int columns = (width + kGap - 1) / kGap + 1, rows = (height + kGap - 1) / kGap + 1;
    std::vector<Point> net(std::size_t(columns) * std::size_t(rows));
    for (int j = 0; j < rows; ++j)
        for (int i = 0; i < columns; ++i)
            net[std::size_t(j) * std::size_t(columns) + std::size_t(i)] =
                calibration.picture(out.origin + Point{double(i * kGap), double(j * kGap)});
    view.visit([&](auto v) {
        const float k = float(v.levelsPerStep);
        const double mostX = view.width - 1.001, mostY = view.height - 1.001;
        for (int y = 0; y < height; ++y) {
            const int j = y / kGap;
            const double dy = double(y - j * kGap) / kGap;
            std::uint8_t* row = out.picture.row(y);
            for (int i = 0; i * kGap < width; ++i) {
                const Point* at = &net[std::size_t(j) * std::size_t(columns) + std::size_t(i)];
                const Point a = at[0] * (1 - dy) + at[columns] * dy, b = at[1] * (1 - dy) + at[columns + 1] * dy;
                const Point step = (b - a) * (1.0 / kGap);
                const int end = std::min(kGap, width - i * kGap);
                for (int n = 0; n < end; ++n) {
                    const double px = std::clamp(a.x + step.x * n, 0.0, mostX),
                                 py = std::clamp(a.y + step.y * n, 0.0, mostY);
                    const int ix = int(px), iy = int(py);
                    const float u = float(px - ix), w = float(py - iy);
                    const auto *p = v.row(iy) + ix, *q = v.row(iy + 1) + ix;
                    const float up = float(p[0]) + u * (float(p[1]) - float(p[0])),
                                low = float(q[0]) + u * (float(q[1]) - float(q[0]));
                    row[i * kGap + n] = std::uint8_t((up + w * (low - up)) * k + 0.5f);
                }
            }
        }
    });
    return out;
}

} // namespace vision

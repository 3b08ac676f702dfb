#include "demo/render.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace demo
{
using geometry::Point;

Random::Random(std::uint64_t seed)
{
    for (auto& s : m_state) { // splitmix64
        seed += 0x9e3779b97f4a7c15ULL;
        std::uint64_t z = seed;
        z = (z ^ (z >> 30)) * 0xbf58476d1ce4e5b9ULL;
        z = (z ^ (z >> 27)) * 0x94d049bb133111ebULL;
        s = z ^ (z >> 31);
    }
}
std::uint64_t Random::bits()
{
    const auto rotate = [](std::uint64_t x, int k) { return (x << k) | (x >> (64 - k)); };
    const std::uint64_t out = rotate(m_state[1] * 5, 7) * 9, t = m_state[1] << 17;
    m_state[2] ^= m_state[0], m_state[3] ^= m_state[1], m_state[1] ^= m_state[2], m_state[0] ^= m_state[3],
        m_state[2] ^= t;
    m_state[3] = rotate(m_state[3], 45);
    return out;
}
double Random::uniform(double low, double high) { return low + (high - low) * double(bits() >> 11) * 0x1.0p-53; }
double Random::normal(double sigma, double cut)
{
    const double u = std::max(1e-12, uniform(0, 1)), v = uniform(0, 1);
    return std::clamp(sigma * std::sqrt(-2 * std::log(u)) * std::cos(2 * geometry::kPi * v), -cut, cut);
}

Coverage::Coverage(int width, int height)
    : m_width(width), m_height(height), m_area(std::size_t(width + 2) * std::size_t(height), 0.f)
{
}

void Coverage::add(const std::vector<Point>& outline, double sign)
{
    // Pixel centres are whole numbers: pixel x covers x - 0.5 to x + 0.5.
    double area = 0;
    for (std::size_t i = 0; i < outline.size(); ++i)
        area += geometry::cross(outline[i], outline[(i + 1) % outline.size()]);
    const double way = area > 0 ? sign : -sign;
    for (std::size_t i = 0; i < outline.size(); ++i) {
        const Point a = outline[i], b = outline[(i + 1) % outline.size()];
        edge({a.x + 0.5, a.y + 0.5}, {b.x + 0.5, b.y + 0.5}, way);
    }
}

void Coverage::edge(Point a, Point b, double sign)
{
    if (a.y == b.y) return;
    if (a.y > b.y) std::swap(a, b), sign = -sign;
    const double slope = (b.x - a.x) / (b.y - a.y);
    const double y0 = std::max(a.y, 0.0), y1 = std::min(b.y, double(m_height));
    for (int y = int(std::floor(y0)); y < m_height && y < y1; ++y) {
        const double top = std::max(y0, double(y)), bottom = std::min(y1, y + 1.0);
        const double dy = bottom - top;
        if (dy <= 0) continue;
        double xa = a.x + (top - a.y) * slope, xb = a.x + (bottom - a.y) * slope;
        if (xa > xb) std::swap(xa, xb);
        float* row = m_area.data() + std::size_t(y) * std::size_t(m_width + 2);
        // Everything to the left of the picture covers whole rows, everything to the right none.
        if (xb <= 0) {
            row[0] -= float(sign * dy);
            continue;
        }
        if (xa >= m_width) continue;
        // Split into pixel columns: each gives the part of its pixel that lies right of the edge.
        const double whole = xb - xa;
        double x = xa;
        while (true) {
            const double cell = std::floor(x), next = std::min(xb, cell + 1);
            const double part = whole > 1e-12 ? dy * (next - x) / whole : dy;
            const double middle = 0.5 * (x + next) - cell; // mean place inside the pixel
            const int i = int(cell);
            if (i < 0) row[0] -= float(sign * part);
            else if (i < m_width)
                row[i] -= float(sign * part * (1 - middle)), row[i + 1] -= float(sign * part * middle);
            if (next >= xb) break;
            x = next;
        }
    }
}

std::vector<float> Coverage::resolve() const
{
    std::vector<float> out(std::size_t(m_width) * std::size_t(m_height));
    for (int y = 0; y < m_height; ++y) {
        const float* row = m_area.data() + std::size_t(y) * std::size_t(m_width + 2);
        double sum = 0;
        for (int x = 0; x < m_width; ++x) {
            sum += double(row[x]);
            out[std::size_t(y) * std::size_t(m_width) + std::size_t(x)] = float(std::clamp(sum, 0.0, 1.0));
        }
    }
    return out;
}

std::vector<Point> circleOutline(Point centre, double radius)
{
    constexpr int n = 720;
    // a polygon of the circle's own area
    const double r = radius * std::sqrt(2 * geometry::kPi / (n * std::sin(2 * geometry::kPi / n)));
    std::vector<Point> out;
    for (int i = 0; i < n; ++i) out.push_back(centre + geometry::direction(2 * geometry::kPi * i / n) * r);
    return out;
}

std::vector<Point> roundedBox(double left, double top, double right, double bottom, double radius)
{
    std::vector<Point> out;
    const std::array<Point, 4> centres{{{right - radius, top + radius},
                                        {left + radius, top + radius},
                                        {left + radius, bottom - radius},
                                        {right - radius, bottom - radius}}};
    for (int corner = 0; corner < 4; ++corner)
        for (int i = 0; i <= 24; ++i)
            out.push_back(centres[std::size_t(corner)] +
                          geometry::direction(geometry::kPi / 2 * (corner + i / 24.0)) * radius);
    return out;
}

void blur(std::vector<float>& picture, int width, int height, double sigma)
{
    const int r = std::max(1, int(std::ceil(3.5 * sigma)));
    std::vector<float> k;
    float sum = 0;
    for (int i = -r; i <= r; ++i) k.push_back(float(std::exp(-0.5 * i * i / (sigma * sigma)))), sum += k.back();
    for (float& x : k) x /= sum;
    const std::size_t w = std::size_t(width);
    std::vector<float> line(w + 2 * std::size_t(r)), out(picture.size(), 0.f);
    for (int y = 0; y < height; ++y) {
        const float* in = picture.data() + std::size_t(y) * w;
        for (int x = -r; x < width + r; ++x) line[std::size_t(x + r)] = in[std::clamp(x, 0, width - 1)];
        // Rows first, each spread at once over the rows it reaches.
        std::vector<float> smooth(w, 0.f);
        for (int j = 0; j <= 2 * r; ++j)
            for (std::size_t x = 0; x < w; ++x) smooth[x] += k[std::size_t(j)] * line[x + std::size_t(j)];
        for (int j = -r; j <= r; ++j) {
            const int to = y + j;
            if (to < 0 || to >= height) continue;
            float* target = out.data() + std::size_t(to) * w;
            float weight = k[std::size_t(j + r)];
            // The picture goes on beyond its first and last row as it ended.
            for (std::size_t x = 0; x < w; ++x) target[x] += weight * smooth[x];
        }
        if (y == 0 || y == height - 1)
            for (int beyond = 1; beyond <= r; ++beyond)
                for (int j = -r; j <= r; ++j) {
                    const int to = (y == 0 ? -beyond : height - 1 + beyond) + j;
                    if (to < 0 || to >= height) continue;
                    for (std::size_t x = 0; x < w; ++x)
                        out[std::size_t(to) * w + x] += k[std::size_t(j + r)] * smooth[x];
                }
    }
    picture = std::move(out);
}

std::vector<float> blurredCoverage(const std::vector<std::vector<Point>>& outlines,
                                   const std::vector<std::vector<Point>>& holes, int width, int height, double sigma,
                                   int finer)
{
    const int w = width * finer, h = height * finer;
    Coverage c(w, h);
    const auto draw = [&](std::vector<Point> outline, double sign) {
        for (Point& p : outline) p = {(p.x + 0.5) * finer - 0.5, (p.y + 0.5) * finer - 0.5};
        c.add(outline, sign);
    };
    for (const auto& o : outlines) draw(o, 1);
    for (const auto& o : holes) draw(o, -1);
    std::vector<float> fine = c.resolve();
    blur(fine, w, h, sigma * finer);
    if (finer == 1) return fine;
    std::vector<float> out(std::size_t(width) * std::size_t(height), 0.f);
    const float k = 1.f / float(finer * finer);
    for (int y = 0; y < h; ++y) {
        const float* from = fine.data() + std::size_t(y) * std::size_t(w);
        float* to = out.data() + std::size_t(y / finer) * std::size_t(width);
        for (int x = 0; x < width; ++x)
            for (int j = 0; j < finer; ++j) to[x] += k * from[x * finer + j];
    }
    return out;
}

namespace
{
// Quantiles of the normal distribution at (i + 0.5) / 4096, by bisection of the error function.
const std::array<float, 4096>& quantiles()
{
    static const std::array<float, 4096> table = [] {
        std::array<float, 4096> t{};
        for (std::size_t i = 0; i < t.size(); ++i) {
            const double p = (double(i) + 0.5) / double(t.size());
            double low = -6, high = 6;
            for (int k = 0; k < 60; ++k) {
                const double m = 0.5 * (low + high);
                (0.5 * std::erfc(-m / std::sqrt(2.0)) < p ? low : high) = m;
            }
            t[i] = float(0.5 * (low + high));
        }
        return t;
    }();
    return table;
}
} // namespace

image::Image backlit(const std::vector<float>& coverage, int width, int height, const Light& light, Random& random)
{
    image::Image out(width, height, image::PixelFormat::Grey8);
    const auto& q = quantiles();
    const double cx = (width - 1) / 2.0, cy = (height - 1) / 2.0, far2 = cx * cx + cy * cy;
    for (int y = 0; y < height; ++y) {
        std::uint8_t* row = out.row(y);
        const float* part = coverage.data() + std::size_t(y) * std::size_t(width);
        const double dy = y - cy;
        std::uint64_t pool = 0;
        int left = 0;
        for (int x = 0; x < width; ++x) {
            const double dx = x - cx;
            const double field = 1 - light.fall * (dx * dx + dy * dy) / std::max(1.0, far2) +
                                 light.tiltX * dx / std::max(1.0, cx) + light.tiltY * dy / std::max(1.0, cy);
            const double level = light.bright * field * double(1 - part[x]) + light.dark * double(part[x]);
            if (left == 0) pool = random.bits(), left = 5;
            const double n = light.noise * double(q[pool & 4095]);
            pool >>= 12, --left;
            row[x] = std::uint8_t(std::clamp(std::lround(level + n), 0L, 255L));
        }
    }
    return out;
}

} // namespace demo

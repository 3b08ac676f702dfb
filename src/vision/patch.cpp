#include "vision/patch.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <cstring>
#include <limits>
#include <optional>
#include <type_traits>

namespace vision
{
using geometry::Point;
using image::PixelFormat;

namespace
{
constexpr int kBlock = 16; // within so many px every carry is straight enough
constexpr float kNone = std::numeric_limits<float>::quiet_NaN();
constexpr double kLeastGain = 0.5, kMostOffset = 8; // how much a light changes

bool whole(Point p) { return std::abs(p.x - std::round(p.x)) < 1e-7 && std::abs(p.y - std::round(p.y)) < 1e-7; }

// The shift in whole px that the carry is, when it is one.
std::optional<std::array<int, 2>> wholeShift(const PatchBox& b, const Carry& carry)
{
    const Point origin{double(b.left), double(b.top)};
    const Point first = carry(origin);
    if (!whole(first) || std::abs(first.x) > 1e8 || std::abs(first.y) > 1e8) return {};
    const Point d = first - origin;
    const Point places[] = {{double(b.width), 0},
                            {0, double(b.height)},
                            {double(b.width), double(b.height)},
                            {b.width / 2.0, b.height / 2.0}};
    for (const Point p : places)
        if (geometry::distance(carry(origin + p), origin + p + d) > 1e-7) return {};
    return std::array<int, 2>{int(std::lround(first.x)), int(std::lround(first.y))};
}

template <int Channels, class T, class Out>
void sampleRow(const T* data, std::ptrdiff_t stride, int width, int height, const double* xs, const double* ys, int n,
               Out* to, std::uint8_t* unseen)
{
    using Whole = std::conditional_t<sizeof(T) == 1, std::int32_t, std::int64_t>;
    // Where both ends lie inside, all between them do.
    const auto within = [&](double x, double y) { return x >= 0 && y >= 0 && x < width - 1 && y < height - 1; };
    bool inside = false;
    for (int i = 0; i < n; ++i) {
        const double x = xs[i], y = ys[i];
        if (i % kBlock == 0) {
            const int end = std::min(n, i + kBlock) - 1;
            inside = within(x, y) && within(xs[end], ys[end]);
        }
        if (inside) {
            const int ix = int(x), iy = int(y);
            const auto fx = Whole((x - ix) * 256 + 0.5), fy = Whole((y - iy) * 256 + 0.5);
            const T* a = data + iy * stride + ix * Channels;
            for (int k = 0; k < Channels; ++k, ++a) {
                const Whole top = Whole(a[0]) * (256 - fx) + Whole(a[Channels]) * fx;
                const Whole low = Whole(a[stride]) * (256 - fx) + Whole(a[stride + Channels]) * fx;
                to[Channels * i + k] = Out((top * (256 - fy) + low * fy + 32768) >> 16);
            }
            continue;
        }
        if (!(x >= 0 && y >= 0 && x <= width - 1 && y <= height - 1)) {
            for (int k = 0; k < Channels; ++k) to[Channels * i + k] = Out(0);
            unseen[i] = 1;
            continue;
        }
        const int ix = std::min(int(x), std::max(0, width - 2)), iy = std::min(int(y), std::max(0, height - 2));
        const int dx = width > 1 ? Channels : 0;
        const std::ptrdiff_t dy = height > 1 ? stride : 0;
        const int fx = int((x - ix) * 256 + 0.5), fy = int((y - iy) * 256 + 0.5);
        const T* a = data + iy * stride + ix * Channels;
        for (int k = 0; k < Channels; ++k, ++a) {
            const std::int64_t top = std::int64_t(a[0]) * (256 - fx) + std::int64_t(a[dx]) * fx;
            const std::int64_t low = std::int64_t(a[dy]) * (256 - fx) + std::int64_t(a[dy + dx]) * fx;
            to[Channels * i + k] = Out((top * (256 - fy) + low * fy + 32768) >> 16);
        }
    }
}

void heightRow(const image::HeightView& v, const double* xs, const double* ys, int n, float* to, std::uint8_t* unseen)
{
    for (int i = 0; i < n; ++i) {
        const double x = xs[i], y = ys[i];
        to[i] = kNone, unseen[i] = 1;
        if (!(x >= 0 && y >= 0 && x <= v.width - 1 && y <= v.height - 1)) continue;
        const int ix = std::min(int(x), std::max(0, v.width - 2)), iy = std::min(int(y), std::max(0, v.height - 2));
        const double fx = x - ix, fy = y - iy;
        double sum = 0;
        bool all = true;
        for (int k = 0; k < 4 && all; ++k) {
            const int px = ix + (k & 1), py = iy + (k >> 1);
            const double w = ((k & 1) ? fx : 1 - fx) * ((k >> 1) ? fy : 1 - fy);
            if (w == 0) continue;
            all = px < v.width && py < v.height && !v.missing(px, py);
            if (all) sum += w * v.mm(px, py);
        }
        if (all) to[i] = float(sum), unseen[i] = 0;
    }
}

// Places of the row's pixels in the picture: at the ends of blocks by the carry, straight between them.
struct Places {
    Places(const PatchBox& box, const Carry& carry) : m_box(box), m_columns((box.width + kBlock - 1) / kBlock + 1)
    {
        const int rows = (box.height + kBlock - 1) / kBlock + 1;
        m_at.reserve(std::size_t(m_columns) * std::size_t(rows));
        for (int j = 0; j < rows; ++j)
            for (int i = 0; i < m_columns; ++i)
                m_at.push_back(carry({double(box.left + i * kBlock), double(box.top + j * kBlock)}));
    }
    void row(int y, double* xs, double* ys) const
    {
        const Point* above = m_at.data() + std::size_t(y / kBlock) * std::size_t(m_columns);
        const Point* below = above + m_columns;
        const double f = double(y % kBlock) / kBlock;
        for (int x = 0; x < m_box.width; x += kBlock) {
            const int i = x / kBlock;
            const Point a = above[i] * (1 - f) + below[i] * f, b = above[i + 1] * (1 - f) + below[i + 1] * f;
            const Point step = (b - a) * (1.0 / kBlock);
            const int n = std::min(kBlock, m_box.width - x);
            for (int k = 0; k < n; ++k) xs[x + k] = a.x + step.x * k, ys[x + k] = a.y + step.y * k;
        }
    }

private:
    PatchBox m_box;
    int m_columns;
    std::vector<Point> m_at;
};

// 16 bit colour is compared as 8 bit.
image::Image eightBit(const image::Image& colour)
{
    image::Image out = image::Image::unwritten(colour.width(), colour.height(), PixelFormat::Colour8);
    for (int y = 0; y < colour.height(); ++y) {
        const auto* from = reinterpret_cast<const std::uint16_t*>(colour.row(y));
        std::uint8_t* to = out.row(y);
        for (int i = 0; i < 3 * colour.width(); ++i) to[i] = std::uint8_t((from[i] + 128) / 257);
    }
    return out;
}
} // namespace

float Patch::level(std::size_t i) const
{
    const std::uint8_t* p = pixels.row(0);
    switch (pixels.format()) {
    case PixelFormat::Grey8: return p[i];
    case PixelFormat::Grey16: return float(reinterpret_cast<const std::uint16_t*>(p)[i]) / 257.0f;
    case PixelFormat::Real32: return reinterpret_cast<const float*>(p)[i];
    default: return 0.299f * float(p[3 * i]) + 0.587f * float(p[3 * i + 1]) + 0.114f * float(p[3 * i + 2]);
    }
}
std::array<float, 3> Patch::rgb(std::size_t i) const
{
    if (!colour()) return {level(i), level(i), level(i)};
    const std::uint8_t* p = pixels.row(0) + 3 * i;
    return {float(p[0]), float(p[1]), float(p[2])};
}

Patch laid(const image::Picture& picture, bool inColour, const PatchBox& box, const Carry& carry)
{
    Patch out;
    out.box = box;
    const bool heights = picture.content == image::Content::Height;
    const image::Image* source = inColour && !heights ? &picture.pixels : &picture.levels();
    image::Image narrowed;
    if (source->format() == PixelFormat::Colour16) narrowed = eightBit(*source), source = &narrowed;
    const PixelFormat format = heights ? PixelFormat::Real32 : source->format();
    out.pixels = image::Image::unwritten(box.width, box.height, format);
    const int w = source->width(), h = source->height();
    if (!heights)
        if (const auto shift = wholeShift(box, carry)) {
            const auto [x, y] = *shift;
            if (x >= 0 && y >= 0 && x + box.width <= w && y + box.height <= h) {
                const std::size_t bytes = out.pixels.rowBytes(), each = bytes / std::size_t(box.width);
                for (int j = 0; j < box.height; ++j)
                    std::memcpy(out.pixels.row(j), source->row(y + j) + std::size_t(x) * each, bytes);
                return out;
            }
        }
    const Places places(box, carry);
    std::vector<double> xs(std::size_t(box.width)), ys(std::size_t(box.width));
    out.unseen.assign(box.count(), 0);
    bool any = false;
    for (int y = 0; y < box.height; ++y) {
        places.row(y, xs.data(), ys.data());
        std::uint8_t* unseen = out.unseen.data() + std::size_t(y) * std::size_t(box.width);
        std::uint8_t* to = out.pixels.row(y);
        if (heights)
            heightRow(picture.heights(), xs.data(), ys.data(), box.width, reinterpret_cast<float*>(to), unseen);
        else if (format == PixelFormat::Colour8)
            sampleRow<3>(source->row(0), 3 * std::ptrdiff_t(w), w, h, xs.data(), ys.data(), box.width, to, unseen);
        else if (format == PixelFormat::Grey16)
            sampleRow<1>(reinterpret_cast<const std::uint16_t*>(source->row(0)), w, w, h, xs.data(), ys.data(),
                         box.width, reinterpret_cast<std::uint16_t*>(to), unseen);
        else sampleRow<1>(source->row(0), w, w, h, xs.data(), ys.data(), box.width, to, unseen);
        any = any || std::memchr(unseen, 1, std::size_t(box.width));
    }
    if (!any) out.unseen.clear();
    return out;
}

std::array<double, 3> Light::along(int row, const PatchBox& box) const
{
    const double y = box.height > 1 ? 2.0 * row / (box.height - 1) - 1 : 0;
    const double k = box.width > 1 ? 2.0 / (box.width - 1) : 0, x0 = box.width > 1 ? -1 : 0;
    const double p = gain[0] + gain[2] * y + gain[5] * y * y, q = gain[1] + gain[4] * y, r = gain[3];
    return {p + q * x0 + r * x0 * x0, k * (q + 2 * r * x0), r * k * k};
}

namespace
{
// At most `most` pixels that count and were seen, evenly over the patch.
std::vector<std::size_t> some(const Patch& here, const std::vector<float>& usual,
                              const std::vector<std::uint8_t>& counts, std::size_t most)
{
    const std::size_t n = here.box.count();
    const int step = std::max(1, int(std::sqrt(double(n) / double(most))));
    std::vector<std::size_t> out;
    for (int y = step / 2; y < here.box.height; y += step)
        for (int x = step / 2; x < here.box.width; x += step) {
            const std::size_t i = std::size_t(y) * std::size_t(here.box.width) + std::size_t(x);
            if ((counts.empty() || counts[i]) && here.sees(i) && std::isfinite(usual[i])) out.push_back(i);
        }
    return out;
}
double medianOf(std::vector<double> v)
{
    if (v.empty()) return 0;
    const auto mid = v.begin() + std::ptrdiff_t(v.size() / 2);
    std::nth_element(v.begin(), mid, v.end());
    return *mid;
}
double tukey(double r, double cut)
{
    const double u = r / cut;
    return std::abs(u) < 1 ? (1 - u * u) * (1 - u * u) : 0;
}
} // namespace

Light lightOf(const Patch& here, const std::vector<float>& usual, const std::vector<std::uint8_t>& counts,
              LightFollowed follow)
{
    Light light;
    if (follow == LightFollowed::AsItIs || here.heights()) return light;
    const auto at = some(here, usual, counts, 6000);
    if (at.size() < 30) return light;
    std::vector<double> ratios;
    // What is as white as can be tells nothing of the light, as long as there is something else.
    constexpr float kWhite = 252;
    const auto dull =
        std::count_if(at.begin(), at.end(), [&](std::size_t i) { return usual[i] > 8 && here.level(i) < kWhite; });
    const auto asked = [&](std::size_t i) { return dull < 100 || here.level(i) < kWhite; };
    for (const std::size_t i : at)
        if (usual[i] > 8 && asked(i)) ratios.push_back(double(here.level(i)) / double(usual[i]));
    if (ratios.size() < 30) return light;
    light.gain[0] = std::clamp(medianOf(ratios), 0.05, 20.0);
    const int n = follow == LightFollowed::Uneven ? 7 : 2;
    const auto width = std::size_t(here.box.width);
    const auto unit = [](double v, int size) { return size > 1 ? 2 * v / (size - 1) - 1 : 0; };
    std::vector<double> off(at.size());
    for (int round = 0; round < 6; ++round) {
        for (std::size_t k = 0; k < at.size(); ++k) {
            const double x = unit(double(at[k] % width), here.box.width),
                         y = unit(double(at[k] / width), here.box.height);
            off[k] = double(here.level(at[k])) - light.gainAt(x, y) * double(usual[at[k]]) - light.offset;
        }
        std::vector<double> sizes;
        for (std::size_t k = 0; k < at.size(); ++k)
            if (asked(at[k])) sizes.push_back(std::abs(off[k]));
        const double cut = std::max(6.0, 4.685 * 1.4826 * medianOf(sizes));
        using Rows = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, 0, 7, 7>; // on the stack
        using Row = Eigen::Matrix<double, Eigen::Dynamic, 1, 0, 7, 1>;
        Rows a = Rows::Zero(n, n);
        Row b = Row::Zero(n);
        double weights = 0;
        for (std::size_t k = 0; k < at.size(); ++k) {
            const double w = double(here.level(at[k])) - off[k] > 250 ? 0 : tukey(off[k], cut);
            if (w == 0) continue;
            const double x = unit(double(at[k] % width), here.box.width),
                         y = unit(double(at[k] / width), here.box.height);
            const double u = double(usual[at[k]]);
            Row row(n);
            if (n == 7) row << u, u * x, u * y, u * x * x, u * x * y, u * y * y, 1;
            else row << u, 1;
            a += w * row * row.transpose(), b += w * double(here.level(at[k])) * row;
            weights += w;
        }
        if (weights < 20) break;
        // Where nothing tells an offset from a gain there is none.
        a(n - 1, n - 1) += 1e-3 * weights;
        for (int k = 1; k + 1 < n; ++k) a(k, k) += 1e-3 * a(0, 0);
        const Row s = a.ldlt().solve(b);
        if (!s.allFinite() || s(0) < 0.02) break;
        for (int k = 0; k + 1 < n; ++k) light.gain[std::size_t(k)] = s(k);
        light.offset = s(n - 1);
    }
    // What is paler or darker than a light makes it is no light: faded print must stay a difference.
    light.gain[0] = std::clamp(light.gain[0], kLeastGain, 1 / kLeastGain);
    light.offset = std::clamp(light.offset, -kMostOffset, kMostOffset);
    return light;
}

namespace
{
struct Small {
    int width = 0, height = 0;
    std::vector<float> usual, here;
    std::vector<std::uint8_t> counts;
};
Small halved(const Small& s)
{
    Small o;
    o.width = s.width / 2, o.height = s.height / 2;
    const auto n = std::size_t(o.width) * std::size_t(o.height);
    o.usual.resize(n), o.here.resize(n), o.counts.resize(n);
    for (int y = 0; y < o.height; ++y)
        for (int x = 0; x < o.width; ++x) {
            const std::size_t a = std::size_t(2 * y) * std::size_t(s.width) + std::size_t(2 * x);
            const std::size_t b = a + std::size_t(s.width);
            const auto i = std::size_t(y) * std::size_t(o.width) + std::size_t(x);
            o.usual[i] = (s.usual[a] + s.usual[a + 1] + s.usual[b] + s.usual[b + 1]) / 4;
            o.here[i] = (s.here[a] + s.here[a + 1] + s.here[b] + s.here[b + 1]) / 4;
            o.counts[i] = s.counts[a] & s.counts[a + 1] & s.counts[b] & s.counts[b + 1];
        }
    return o;
}
float between(const Small& s, const std::vector<float>& v, double x, double y)
{
    const int ix = int(x), iy = int(y);
    const auto fx = float(x - ix), fy = float(y - iy);
    const float* a = v.data() + std::size_t(iy) * std::size_t(s.width) + std::size_t(ix);
    const float* b = a + s.width;
    return (a[0] + (a[1] - a[0]) * fx) * (1 - fy) + (b[0] + (b[1] - b[0]) * fx) * fy;
}
// Mean difference at a shift, each no more than `cut`.
double apart(const Small& s, int dx, int dy, float cut)
{
    double sum = 0;
    std::int64_t n = 0;
    const int step = std::max(1, int(std::sqrt(double(s.width) * s.height / 20000)));
    for (int y = std::max(0, -dy); y < std::min(s.height, s.height - dy); y += step)
        for (int x = std::max(0, -dx); x < std::min(s.width, s.width - dx); x += step) {
            const auto i = std::size_t(y) * std::size_t(s.width) + std::size_t(x);
            if (!s.counts[i]) continue;
            const auto k = std::size_t(y + dy) * std::size_t(s.width) + std::size_t(x + dx);
            sum += std::min(cut, std::abs(s.here[k] - s.usual[i])), ++n;
        }
    return n > 30 ? sum / double(n) : 1e300;
}
// One level: where the gradient is large, weighed by how well it fits.
Point refined(const Small& s, Point d, int rounds)
{
    const int step = std::max(1, int(std::sqrt(double(s.width) * s.height / 40000)));
    for (int round = 0; round < rounds; ++round) {
        double a = 0, b = 0, c = 0, p = 0, q = 0;
        std::vector<double> sizes;
        std::vector<std::array<double, 3>> rows;
        for (int y = 1; y + 1 < s.height; y += step)
            for (int x = 1; x + 1 < s.width; x += step) {
                const auto i = std::size_t(y) * std::size_t(s.width) + std::size_t(x);
                const double hx = x + d.x, hy = y + d.y;
                if (!s.counts[i] || hx < 1 || hy < 1 || hx >= s.width - 2 || hy >= s.height - 2) continue;
                const double gx = (double(s.usual[i + 1]) - double(s.usual[i - 1])) / 2;
                const double gy =
                    (double(s.usual[i + std::size_t(s.width)]) - double(s.usual[i - std::size_t(s.width)])) / 2;
                if (gx * gx + gy * gy < 4) continue;
                const double r = double(between(s, s.here, hx, hy)) - double(s.usual[i]);
                rows.push_back({gx, gy, r}), sizes.push_back(std::abs(r));
            }
        if (rows.size() < 12) return d;
        const double cut = std::max(8.0, 4.685 * 1.4826 * medianOf(sizes));
        for (const auto& [gx, gy, r] : rows) {
            const double w = tukey(r, cut);
            a += w * gx * gx, b += w * gx * gy, c += w * gy * gy, p += w * gx * r, q += w * gy * r;
        }
        // A little held back where edges run one way only.
        const double ridge = 1e-3 * (a + c);
        a += ridge, c += ridge;
        const double det = a * c - b * b;
        if (!(det > 0)) return d;
        const Point move{-(c * p - b * q) / det, -(a * q - b * p) / det};
        const double length = geometry::distance(move, {});
        d = d + (length > 1 ? move * (1 / length) : move);
        if (length < 0.002) break;
    }
    return d;
}
} // namespace

Point shiftOf(const Patch& here, const std::vector<float>& usual, const std::vector<std::uint8_t>& counts,
              const Light& light, double most)
{
    if (most <= 0) return {};
    Small s;
    s.width = here.box.width, s.height = here.box.height;
    const std::size_t n = here.box.count();
    s.usual.resize(n), s.here.resize(n), s.counts.resize(n);
    const float scale = here.heights() ? 100.0f : 1.0f; // 1 µm weighs a tenth of a grey level
    for (int y = 0; y < s.height; ++y) {
        const auto g = light.along(y, here.box);
        for (int x = 0; x < s.width; ++x) {
            const std::size_t i = std::size_t(y) * std::size_t(s.width) + std::size_t(x);
            const bool known = std::isfinite(usual[i]);
            s.usual[i] = known ? usual[i] * scale : 0;
            s.here[i] =
                here.sees(i)
                    ? float((double(here.level(i)) - light.offset) / std::max(0.02, g[0] + g[1] * x + g[2] * x * x)) *
                          scale
                    : 0;
            s.counts[i] = (counts.empty() || counts[i]) && known && here.sees(i);
        }
    }
    std::vector<Small> stack{std::move(s)};
    while (most / double(1 << (stack.size() - 1)) > 4 && stack.back().width > 24 && stack.back().height > 24)
        stack.push_back(halved(stack.back()));
    Point d;
    const Small& top = stack.back();
    const int reach = std::max(1, int(std::ceil(most / double(1 << (stack.size() - 1)))));
    double least = apart(top, 0, 0, 60) * 0.999;
    for (int dy = -reach; dy <= reach; ++dy)
        for (int dx = -reach; dx <= reach; ++dx)
            if (const double a = apart(top, dx, dy, 60); a < least) least = a, d = {double(dx), double(dy)};
    for (std::size_t k = stack.size(); k-- > 0;) {
        const Small& level = stack[k];
        if (&level != &top) {
            // The next finer level tells half a step.
            const int x = int(std::lround(d.x)), y = int(std::lround(d.y));
            double best = apart(level, x, y, 60) * 0.999;
            for (int dy = -1; dy <= 1; ++dy)
                for (int dx = -1; dx <= 1; ++dx)
                    if (const double a = apart(level, x + dx, y + dy, 60); a < best)
                        best = a, d = {double(x + dx), double(y + dy)};
        }
        d = refined(level, d, k == 0 ? 12 : 6);
        if (k > 0) d = d * 2;
    }
    const double length = geometry::distance(d, {});
    return length > most ? d * (most / length) : d;
}

Settled settled(const image::Picture& picture, bool inColour, const PatchBox& box, const Carry& carry,
                const std::vector<float>& usual, const std::vector<std::uint8_t>& counts, LightFollowed follow,
                double most)
{
    Settled s;
    const auto lay = [&] {
        s.patch = laid(
            picture, inColour, box, s.shift == Point{} ? carry : [&](Point p) { return carry(p + s.shift); });
        s.light = lightOf(s.patch, usual, counts, follow);
    };
    lay();
    for (int round = 0; round < 3 && most > 0; ++round) {
        const Point d = shiftOf(s.patch, usual, counts, s.light, round == 0 ? most : std::min(most, 1.5));
        if (geometry::distance(d, {}) < 0.005) break;
        s.shift = s.shift + d;
        if (const double length = geometry::distance(s.shift, {}); length > most) s.shift = s.shift * (most / length);
        lay();
    }
    return s;
}

} // namespace vision

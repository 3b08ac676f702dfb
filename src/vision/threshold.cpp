#include "vision/threshold.h"

#include "vision/simd/kernels.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <functional>

namespace vision
{

double Histogram::mean() const
{
    double sum = 0;
    for (std::size_t i = 0; i < 256; ++i) sum += double(i) * double(count[i]);
    return total ? sum / double(total) : 0;
}

Histogram histogram(const image::GreyView& picture, const std::vector<geometry::Span>& region)
{
    Histogram h;
    picture.visit([&](auto v) {
        // Four tables, so that equal neighbours do not wait for each other.
        std::uint32_t part[4][256] = {};
        std::int64_t waiting = 0;
        const auto flush = [&] {
            for (auto& p : part)
                for (std::size_t i = 0; i < 256; ++i) h.count[i] += p[i], p[i] = 0;
            waiting = 0;
        };
        // Large regions are counted by pairs of pixels: half the additions.
        std::vector<std::uint32_t> pairs;
        if (sizeof(typename decltype(v)::Sample) == 1 && geometry::pixelCount(region) > 300'000)
            pairs.assign(2 * 65536, 0);
        for (const geometry::Span& s : region) {
            const auto* p = v.row(s.y);
            int x = s.from;
            if constexpr (sizeof(*p) == 1) {
                if (!pairs.empty()) {
                    std::uint32_t *even = pairs.data(), *odd = even + 65536;
                    for (; x + 8 <= s.to; x += 8) {
                        std::uint64_t eight = 0;
                        std::memcpy(&eight, p + x, 8);
                        ++even[eight & 65535], ++odd[(eight >> 16) & 65535], ++even[(eight >> 32) & 65535],
                            ++odd[eight >> 48];
                    }
                }
                for (; x + 8 <= s.to; x += 8) {
                    std::uint64_t eight = 0;
                    std::memcpy(&eight, p + x, 8);
                    ++part[0][eight & 255], ++part[1][(eight >> 8) & 255], ++part[2][(eight >> 16) & 255],
                        ++part[3][(eight >> 24) & 255];
                    ++part[0][(eight >> 32) & 255], ++part[1][(eight >> 40) & 255], ++part[2][(eight >> 48) & 255],
                        ++part[3][eight >> 56];
                }
                for (; x < s.to; ++x) ++part[0][p[x]];
            } else {
                for (; x + 4 <= s.to; x += 4)
                    ++part[0][p[x] / 257u], ++part[1][p[x + 1] / 257u], ++part[2][p[x + 2] / 257u],
                        ++part[3][p[x + 3] / 257u];
                for (; x < s.to; ++x) ++part[0][p[x] / 257u];
            }
            h.total += s.to - s.from;
            if ((waiting += s.to - s.from) > 2'000'000'000) flush();
        }
        flush();
        for (std::size_t i = 0; i < pairs.size(); ++i)
            h.count[i & 255] += pairs[i], h.count[(i >> 8) & 255] += pairs[i];
    });
    return h;
}

base::Result<double> automaticThreshold(const Histogram& h)
{
    if (h.total == 0) return base::fail(base::ErrorCode::NoResult, "the region holds no pixel of the picture");
    double all = 0;
    for (std::size_t i = 0; i < 256; ++i) all += double(i) * double(h.count[i]);
    double below = 0, sumBelow = 0, best = 0;
    int first = -1, last = -1;
    for (int t = 1; t < 256; ++t) {
        below += double(h.count[std::size_t(t - 1)]);
        sumBelow += double(t - 1) * double(h.count[std::size_t(t - 1)]);
        const double above = double(h.total) - below;
        if (below <= 0 || above <= 0) continue;
        const double gap = sumBelow / below - (all - sumBelow) / above;
        const double between = below * above * gap * gap;
        if (between > best * (1 + 1e-12)) best = between, first = last = t;
        else if (between >= best * (1 - 1e-12) && last == t - 1) last = t;
    }
    if (first < 0) return base::fail(base::ErrorCode::NoResult, "all pixels of the region have one grey level");
    return 0.5 * (first + last);
}

base::Result<double> twoPeaksThreshold(const Histogram& h)
{
    if (h.total == 0) return base::fail(base::ErrorCode::NoResult, "the region holds no pixel of the picture");
    std::vector<double> v(h.count.begin(), h.count.end());
    for (int round = 0; round < 4000; ++round) {
        std::vector<double> next(256);
        for (std::size_t i = 0; i < 256; ++i)
            next[i] = (v[i ? i - 1 : 0] + 2 * v[i] + v[std::min<std::size_t>(i + 1, 255)]) / 4;
        v = std::move(next);
        std::vector<std::size_t> peaks;
        for (std::size_t i = 0; i < 256; ++i) {
            const double before = i ? v[i - 1] : -1, after = i < 255 ? v[i + 1] : -1;
            if (v[i] > 0 && v[i] > before && v[i] >= after) peaks.push_back(i);
        }
        if (peaks.size() == 2 && round >= 8) return 0.5 * double(peaks[0] + peaks[1]) + 0.5;
        if (peaks.size() < 2) break;
    }
    return base::fail(base::ErrorCode::NoResult, "the histogram of the region has no two peaks");
}

Greys greys(const image::GreyView& picture, const std::vector<geometry::Span>& region)
{
    std::int64_t n = 0;
    double mean = 0, square = 0;
    picture.visit([&](auto v) {
        std::int64_t sum = 0;
        for (const geometry::Span& s : region) {
            n += s.to - s.from;
            for (int x = s.from; x < s.to; ++x) sum += v.at(x, s.y);
        }
        if (n == 0) return;
        mean = double(sum) / double(n);
        for (const geometry::Span& s : region)
            for (int x = s.from; x < s.to; ++x) square += (v.at(x, s.y) - mean) * (v.at(x, s.y) - mean);
        mean *= v.levelsPerStep, square *= v.levelsPerStep * v.levelsPerStep;
    });
    return {mean, n ? std::sqrt(square / double(n)) : 0.0};
}

namespace
{
// The place in the picture that stands for one beyond it: mirrored about the border pixel.
int mirrored(int i, int n)
{
    if (n == 1) return 0;
    const int period = 2 * (n - 1);
    i = std::abs(i) % period;
    return i < n ? i : period - i;
}
// Mean and spread of every window; slower than the mean alone.
template <class V> void bySpread(const V& v, int reach, double offset, bool bright, double spreads, image::Image& out)
{
    const int w = v.width, h = v.height, side = 2 * reach + 1;
    const double area = double(side) * side;
    std::vector<double> sums(std::size_t(w), 0), squares(std::size_t(w), 0);
    const auto add = [&](int y, double sign) {
        const auto* p = v.row(mirrored(y, h));
        for (int x = 0; x < w; ++x) {
            const double l = double(p[x]) * v.levelsPerStep;
            sums[std::size_t(x)] += sign * l, squares[std::size_t(x)] += sign * l * l;
        }
    };
    for (int y = -reach - 1; y < reach; ++y) add(y, 1);
    for (int y = 0; y < h; ++y) {
        add(y + reach, 1), add(y - reach - 1, -1);
        double sum = 0, square = 0;
        const auto column = [&](int x, double sign) {
            const auto k = std::size_t(mirrored(x, w));
            sum += sign * sums[k], square += sign * squares[k];
        };
        for (int x = -reach - 1; x < reach; ++x) column(x, 1);
        for (int x = 0; x < w; ++x) {
            column(x + reach, 1), column(x - reach - 1, -1);
            const double mean = sum / area, spread = std::sqrt(std::max(0.0, square / area - mean * mean));
            const double d = (double(v.at(x, y)) * v.levelsPerStep - mean) * (bright ? 1 : -1);
            out.row(y)[x] = d > std::max(std::abs(offset), spreads * spread) ? 255 : 0;
        }
    }
}
} // namespace

image::Image localThreshold(const image::GreyView& picture, int reach, double offset, bool bright, double spreads)
{
    const int w = picture.width, h = picture.height;
    image::Image out = image::Image::unwritten(w, h, image::PixelFormat::Grey8);
    const int side = 2 * reach + 1;
    const double area = double(side) * side;
    picture.visit([&](auto v) {
        using T = typename decltype(v)::Sample;
        if (spreads > 0) return bySpread(v, reach, offset, bright, spreads, out);
        const auto row = [&](int y) { return v.row(mirrored(y, h)); };
        // Where the columns of a window come from.
        std::vector<std::size_t> from(std::size_t(w + 2 * reach));
        for (int x = 0; x < w + 2 * reach; ++x) from[std::size_t(x)] = std::size_t(mirrored(x - reach, w));
        if constexpr (sizeof(T) == 1) {
            if (area * 255 < 2e9) {
                // Sums of columns slide down; prefix sums of them give every window by one subtraction.
                std::vector<std::uint32_t> sums(std::size_t(w), 0), prefix(std::size_t(w + side + 1), 0);
                for (int y = -reach - 1; y < reach; ++y)
                    for (int x = 0; x < w; ++x) sums[std::size_t(x)] += row(y)[x];
                const auto k = std::int32_t(std::floor(std::abs(offset) * area)) * (bright ? 1 : -1);
                for (int y = 0; y < h; ++y) {
                    simd::slide(sums.data(), row(y + reach), row(y - reach - 1), w);
                    std::uint32_t total = 0;
                    std::uint32_t* p = prefix.data();
                    const auto put = [&](std::uint32_t s) { *p++ = total, total += s; };
                    for (int x = 0; x < reach; ++x) put(sums[from[std::size_t(x)]]);
                    for (int x = 0; x < w; ++x) put(sums[std::size_t(x)]);
                    for (int x = 0; x < reach; ++x) put(sums[from[std::size_t(w + reach + x)]]);
                    *p = total;
                    simd::below(v.row(y), prefix.data(), side, w, std::uint32_t(area), k, bright, out.row(y));
                }
                return;
            }
        }
        std::vector<std::int64_t> sums(std::size_t(w), 0), prefix(std::size_t(w + side + 1), 0);
        for (int y = -reach - 1; y < reach; ++y)
            for (int x = 0; x < w; ++x) sums[std::size_t(x)] += row(y)[x];
        const double k = std::abs(offset) / v.levelsPerStep * area;
        for (int y = 0; y < h; ++y) {
            const T *in = row(y + reach), *gone = row(y - reach - 1), *here = v.row(y);
            for (int x = 0; x < w; ++x) sums[std::size_t(x)] += std::int64_t(in[x]) - std::int64_t(gone[x]);
            for (int x = 0; x < w + 2 * reach; ++x)
                prefix[std::size_t(x) + 1] = prefix[std::size_t(x)] + sums[from[std::size_t(x)]];
            for (int x = 0; x < w; ++x) {
                const double d =
                    double(here[x]) * area - double(prefix[std::size_t(x + side)] - prefix[std::size_t(x)]);
                out.row(y)[x] = (bright ? d > k : d < -k) ? 255 : 0;
            }
        }
    });
    return out;
}

image::Image medianOf(const image::GreyView& picture, int side)
{
    const int reach = std::clamp(side / 2, 0, 500), w = picture.width, h = picture.height;
    image::Image out =
        image::Image::unwritten(w, h, picture.wide ? image::PixelFormat::Grey16 : image::PixelFormat::Grey8);
    picture.visit([&](auto v) {
        using T = typename decltype(v)::Sample;
        // Counts of single values, and of all with one upper byte (of 8 bit: one upper half byte).
        constexpr int shift = sizeof(T) == 1 ? 4 : 8;
        std::vector<std::int32_t> fine(sizeof(T) == 1 ? 256 : 65536), coarse(sizeof(T) == 1 ? 16 : 256);
        const int middle = (2 * reach + 1) * (2 * reach + 1) / 2;
        for (int y = 0; y < h; ++y) {
            std::fill(fine.begin(), fine.end(), 0), std::fill(coarse.begin(), coarse.end(), 0);
            const auto column = [&](int x, int sign) {
                x = mirrored(x, w);
                for (int dy = -reach; dy <= reach; ++dy) {
                    const T l = v.at(x, mirrored(y + dy, h));
                    fine[l] += sign, coarse[l >> shift] += sign;
                }
            };
            for (int x = -reach - 1; x < reach; ++x) column(x, 1);
            for (int x = 0; x < w; ++x) {
                column(x + reach, 1), column(x - reach - 1, -1);
                int below = 0, block = 0;
                while (below + coarse[std::size_t(block)] <= middle) below += coarse[std::size_t(block++)];
                int l = block << shift;
                while (below + fine[std::size_t(l)] <= middle) below += fine[std::size_t(l++)];
                reinterpret_cast<T*>(out.row(y))[x] = T(l);
            }
        }
    });
    return out;
}

image::Image gaussianOf(const image::GreyView& picture, double sigma)
{
    const int w = picture.width, h = picture.height, reach = std::clamp(int(std::ceil(3.5 * sigma)), 1, 2000);
    std::vector<float> kernel(std::size_t(2 * reach + 1));
    double all = 0;
    for (int i = -reach; i <= reach; ++i)
        all += kernel[std::size_t(i + reach)] = float(std::exp(-0.5 * i * i / (sigma * sigma)));
    for (float& k : kernel) k = float(k / all);
    image::Image out =
        image::Image::unwritten(w, h, picture.wide ? image::PixelFormat::Grey16 : image::PixelFormat::Grey8);
    picture.visit([&](auto v) {
        using T = typename decltype(v)::Sample;
        std::vector<float> rows(std::size_t(w) * std::size_t(h)), line(std::size_t(w + 2 * reach));
        for (int y = 0; y < h; ++y) {
            for (int x = 0; x < w + 2 * reach; ++x) line[std::size_t(x)] = float(v.at(mirrored(x - reach, w), y));
            float* to = rows.data() + std::size_t(y) * std::size_t(w);
            std::fill_n(to, w, 0.f);
            for (std::size_t k = 0; k < kernel.size(); ++k)
                for (int x = 0; x < w; ++x) to[x] += kernel[k] * line[std::size_t(x) + k];
        }
        std::vector<float> sum(static_cast<std::size_t>(w));
        for (int y = 0; y < h; ++y) {
            std::fill(sum.begin(), sum.end(), 0.f);
            for (int k = -reach; k <= reach; ++k) {
                const float* from = rows.data() + std::size_t(mirrored(y + k, h)) * std::size_t(w);
                const float weight = kernel[std::size_t(k + reach)];
                for (int x = 0; x < w; ++x) sum[std::size_t(x)] += weight * from[x];
            }
            for (int x = 0; x < w; ++x)
                reinterpret_cast<T*>(out.row(y))[x] = T(std::clamp(sum[std::size_t(x)] + 0.5f, 0.f, float(v.maximum)));
        }
    });
    return out;
}

namespace
{
// Level less what `ground` says for the pixel (grey levels), plus the ground's mean.
template <class Ground> image::Image taken(const image::GreyView& picture, double mean, Ground ground)
{
    image::Image out = image::Image::unwritten(picture.width, picture.height,
                                               picture.wide ? image::PixelFormat::Grey16 : image::PixelFormat::Grey8);
    picture.visit([&](auto v) {
        using T = typename decltype(v)::Sample;
        for (int y = 0; y < v.height; ++y)
            for (int x = 0; x < v.width; ++x) {
                const double level = double(v.at(x, y)) - (ground(x, y) - mean) / v.levelsPerStep;
                reinterpret_cast<T*>(out.row(y))[x] = T(std::clamp(level + 0.5, 0.0, double(v.maximum)));
            }
    });
    return out;
}
} // namespace

image::Image groundTaken(const image::GreyView& picture, int side, bool bright)
{
    const int w = picture.width, h = picture.height;
    // The ground changes slowly: whole grey levels, smoothed, are fine enough for both depths.
    image::Image levels = image::Image::unwritten(w, h, image::PixelFormat::Grey8);
    picture.visit([&](auto v) {
        for (int y = 0; y < h; ++y)
            for (int x = 0; x < w; ++x) levels.row(y)[x] = std::uint8_t(double(v.at(x, y)) * v.levelsPerStep + 0.5);
    });
    const image::Image rough = bright ? opened(levels.grey(), side, side) : closed(levels.grey(), side, side);
    // Smoothed on 16 bit, so that whole levels leave no steps.
    image::Image deep = image::Image::unwritten(w, h, image::PixelFormat::Grey16);
    for (int y = 0; y < h; ++y)
        for (int x = 0; x < w; ++x)
            reinterpret_cast<std::uint16_t*>(deep.row(y))[x] = std::uint16_t(rough.row(y)[x] * 257);
    const image::Image ground = gaussianOf(deep.grey(), std::max(1.0, side / 4.0));
    const image::GreyView g = ground.grey();
    const double mean = greys(g, geometry::spans(geometry::Region::whole(), w, h)).mean;
    return taken(picture, mean, [&](int x, int y) { return g.levelAt(x, y); });
}

image::Image planeTaken(const image::GreyView& picture, const std::vector<geometry::Span>& region)
{
    struct Seen {
        double x, y, level;
    };
    std::vector<Seen> seen;
    const long long n = geometry::pixelCount(region), step = std::max<long long>(1, n / 40000);
    long long at = 0;
    for (const geometry::Span& s : region)
        for (int x = s.from; x < s.to; ++x)
            if (at++ % step == 0) seen.push_back({double(x), double(s.y), picture.levelAt(x, s.y)});
    double a = 0, b = 0, c = 0, cx = 0, cy = 0;
    for (const Seen& p : seen) cx += p.x / double(seen.size()), cy += p.y / double(seen.size());
    std::vector<double> off(seen.size(), 0);
    for (int round = 0; round < 6 && !seen.empty(); ++round) {
        std::vector<double> size;
        for (std::size_t i = 0; i < seen.size(); ++i) size.push_back(std::abs(off[i]));
        std::nth_element(size.begin(), size.begin() + std::ptrdiff_t(size.size() / 2), size.end());
        const double cut = std::max(1.0, 4.685 * 1.4826 * size[size.size() / 2]);
        // Normal equations of the weighted plane about the middle.
        double m[3][4] = {};
        for (std::size_t i = 0; i < seen.size(); ++i) {
            const double u = off[i] / cut, w = round == 0 ? 1 : std::abs(u) < 1 ? (1 - u * u) * (1 - u * u) : 0;
            const double v[4] = {seen[i].x - cx, seen[i].y - cy, 1, seen[i].level};
            for (int r = 0; r < 3; ++r)
                for (int k = 0; k < 4; ++k) m[r][k] += w * v[r] * v[k];
        }
        for (int r = 0; r < 3; ++r) {
            if (std::abs(m[r][r]) < 1e-9) continue;
            for (int o = 0; o < 3; ++o)
                if (o != r) {
                    const double f = m[o][r] / m[r][r];
                    for (int k = r; k < 4; ++k) m[o][k] -= f * m[r][k];
                }
        }
        const auto solved = [&](int r) { return std::abs(m[r][r]) < 1e-9 ? 0 : m[r][3] / m[r][r]; };
        a = solved(0), b = solved(1), c = solved(2);
        for (std::size_t i = 0; i < seen.size(); ++i)
            off[i] = seen[i].level - (a * (seen[i].x - cx) + b * (seen[i].y - cy) + c);
    }
    return taken(picture, c, [&](int x, int y) { return a * (x - cx) + b * (y - cy) + c; });
}

image::Image shadingCorrected(const image::GreyView& picture, const image::GreyView& empty, double mean)
{
    image::Image out = image::Image::unwritten(picture.width, picture.height,
                                               picture.wide ? image::PixelFormat::Grey16 : image::PixelFormat::Grey8);
    picture.visit([&](auto p) {
        empty.visit([&](auto e) {
            using T = typename decltype(p)::Sample;
            const double darkest = 1 / e.levelsPerStep, scale = mean / e.levelsPerStep;
            for (int y = 0; y < p.height; ++y) {
                const auto* from = p.row(y);
                const auto* light = e.row(y);
                auto* to = reinterpret_cast<T*>(out.row(y));
                for (int x = 0; x < p.width; ++x)
                    to[x] = T(std::min(double(p.maximum),
                                       double(from[x]) * scale / std::max(darkest, double(light[x])) + 0.5));
            }
        });
    });
    return out;
}

image::Image difference(const image::GreyView& a, const image::GreyView& b, int least)
{
    const int w = std::min(a.width, b.width), h = std::min(a.height, b.height);
    image::Image out = image::Image::unwritten(w, h, image::PixelFormat::Grey8);
    if (!a.wide && !b.wide) {
        const auto* p = static_cast<const std::uint8_t*>(a.data);
        const auto* q = static_cast<const std::uint8_t*>(b.data);
        for (int y = 0; y < h; ++y)
            simd::differs(p + y * a.stride, q + y * b.stride, w, std::uint8_t(std::clamp(least, 0, 255)), out.row(y));
        return out;
    }
    for (int y = 0; y < h; ++y)
        for (int x = 0; x < w; ++x) out.row(y)[x] = std::abs(a.levelAt(x, y) - b.levelAt(x, y)) > least ? 255 : 0;
    return out;
}

image::Image rangeMask(const image::GreyView& picture, double low, double high, bool outside)
{
    image::Image out = image::Image::unwritten(picture.width, picture.height, image::PixelFormat::Grey8);
    picture.visit([&](auto v) {
        for (int y = 0; y < v.height; ++y) {
            const auto* p = v.row(y);
            for (int x = 0; x < v.width; ++x) {
                const double level = double(p[x]) * v.levelsPerStep;
                out.row(y)[x] = (level >= low && level <= high) != outside ? 255 : 0;
            }
        }
    });
    return out;
}

namespace
{
// Whole rows: the row of this number, asked for in rising order; it stays for as many further rows as the one who asks
// is high.
using RowAt = std::function<const std::uint8_t*(int y)>;

// The extreme over a rectangle, row by row: down the columns directly for low windows, after van Herk in blocks for
// high ones; along the row by doubling shifted copies. Rows come in as they are needed and go out at once, so that an
// opening needs no picture in between.
class Extreme
{
public:
    Extreme(int w, int h, int width, int height, bool lowest, RowAt input)
        : m_w(w), m_h(h), m_width(std::clamp(width, 1, 2 * w + 1)), m_height(std::clamp(height, 1, 2 * h + 1)),
          m_lowest(lowest), m_nothing(lowest ? 255 : 0), m_input(std::move(input)),
          m_line(std::size_t(w + m_width) + 64, m_nothing), m_outside(std::size_t(w), m_nothing),
          m_window(std::size_t(m_height) + 1)
    {
        if (direct()) {
            m_ahead.resize(std::size_t(w));
            return;
        }
        const std::size_t all = std::size_t(w) * std::size_t(m_height);
        m_suffix.assign(all, m_nothing), m_prefix.assign(std::size_t(w), m_nothing);
    }
    int rowsKept() const { return m_height + 1; } // how many of the input's rows are looked at together
    void next(std::uint8_t* to)
    {
        // Down the columns into the line, with room on both sides, then along it.
        std::uint8_t* down = m_width == 1 ? to : m_line.data() + m_width / 2;
        if (m_dirty) std::fill(m_line.begin(), m_line.end(), m_nothing);
        direct() ? columns(down) : block(down);
        ++m_y;
        if (m_width > 1) along(to);
    }

private:
    bool direct() const { return m_height <= 11; }
    int top() const { return m_height / 2; }
    const std::uint8_t* row(int y) { return y < 0 || y >= m_h ? m_outside.data() : m_input(y); }
    std::uint8_t* suffix(int k) { return m_suffix.data() + std::size_t(k) * std::size_t(m_w); }
    void pick(const std::uint8_t* a, const std::uint8_t* b, int n, std::uint8_t* to) const
    {
        (m_lowest ? simd::lower : simd::higher)(a, b, n, to);
    }
    void columns(std::uint8_t* to)
    {
        // Two rows share all of their windows but one row each.
        if (m_y % 2 == 1 && m_height > 1) {
            std::memcpy(to, m_ahead.data(), std::size_t(m_w));
            return;
        }
        for (int k = 0; k <= m_height; ++k) m_window[std::size_t(k)] = row(m_y - top() + k);
        if (m_height == 1) std::memcpy(to, m_window[0], std::size_t(m_w));
        else
            (m_lowest ? simd::lowestOfTwo : simd::highestOfTwo)(m_window.data(), m_height + 1, m_w, to, m_ahead.data());
    }
    // Window of output y: input rows y - top .. y - top + height - 1: the suffix of one block and the prefix of the
    // next.
    void block(std::uint8_t* to)
    {
        const int k = m_y % m_height, first = m_y - top();
        if (k == 0) {
            for (int i = 0; i < m_height; ++i) m_window[std::size_t(i)] = row(first + i);
            std::memcpy(suffix(m_height - 1), m_window[std::size_t(m_height - 1)], std::size_t(m_w));
            for (int i = m_height - 2; i >= 0; --i) pick(m_window[std::size_t(i)], suffix(i + 1), m_w, suffix(i));
            std::memcpy(to, suffix(0), std::size_t(m_w));
            return;
        }
        const std::uint8_t* newest = row(first + m_height - 1);
        if (k == 1) std::memcpy(m_prefix.data(), newest, std::size_t(m_w));
        else pick(m_prefix.data(), newest, m_w, m_prefix.data());
        pick(suffix(k), m_prefix.data(), m_w, to);
    }
    void along(std::uint8_t* to)
    {
        if (m_width <= 6) return (m_lowest ? simd::lowest : simd::highest)(m_line.data(), m_w, m_width, to);
        const int padded = m_w + m_width;
        int have = 1; // line[i] is the extreme over i .. i + have - 1
        for (; have * 2 <= m_width; have *= 2) pick(m_line.data(), m_line.data() + have, padded - have, m_line.data());
        pick(m_line.data(), m_line.data() + (m_width - have), m_w, to);
        m_dirty = true;
    }

    int m_w, m_h, m_width, m_height;
    bool m_lowest, m_dirty = false;
    std::uint8_t m_nothing;
    RowAt m_input;
    std::vector<std::uint8_t> m_line, m_outside, m_suffix, m_prefix, m_ahead;
    std::vector<const std::uint8_t*> m_window;
    int m_y = 0;
};

RowAt rowsOf(const image::GreyView& picture)
{
    return [data = static_cast<const std::uint8_t*>(picture.data), stride = picture.stride](int y) {
        return data + stride * y;
    };
}
image::Image collected(int w, int h, Extreme& rows)
{
    image::Image out = image::Image::unwritten(w, h, image::PixelFormat::Grey8);
    for (int y = 0; y < h; ++y) rows.next(out.row(y));
    return out;
}
image::Image twice(const image::GreyView& p, int width, int height, bool lowestFirst)
{
    Extreme first(p.width, p.height, width, height, lowestFirst, rowsOf(p));
    // As many rows of the first are kept as the second looks at together.
    const int kept = first.rowsKept();
    std::vector<std::uint8_t> ring(std::size_t(p.width) * std::size_t(kept));
    int made = 0;
    const auto at = [&](int y) { return ring.data() + std::size_t(y % kept) * std::size_t(p.width); };
    Extreme second(p.width, p.height, width, height, !lowestFirst, [&](int y) -> const std::uint8_t* {
        for (; made <= y; ++made) first.next(at(made));
        return at(y);
    });
    return collected(p.width, p.height, second);
}
} // namespace

image::Image eroded(const image::GreyView& p, int width, int height)
{
    Extreme rows(p.width, p.height, width, height, true, rowsOf(p));
    return collected(p.width, p.height, rows);
}
image::Image dilated(const image::GreyView& p, int width, int height)
{
    Extreme rows(p.width, p.height, width, height, false, rowsOf(p));
    return collected(p.width, p.height, rows);
}
image::Image opened(const image::GreyView& picture, int width, int height)
{
    return twice(picture, width, height, true);
}
image::Image closed(const image::GreyView& picture, int width, int height)
{
    return twice(picture, width, height, false);
}

} // namespace vision

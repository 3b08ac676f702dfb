#include "vision/threshold.h"

#include "vision/simd/kernels.h"

#include <algorithm>
#include <cmath>
#include <cstring>

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
        if (sizeof(typename decltype(v)::Sample) == 1 && geometry::pixelCount(region) > 300'000) pairs.assign(2 * 65536, 0);
        for (const geometry::Span& s : region) {
            const auto* p = v.row(s.y);
            int x = s.from;
            if constexpr (sizeof(*p) == 1) {
                if (!pairs.empty()) {
                    std::uint32_t *even = pairs.data(), *odd = even + 65536;
                    for (; x + 8 <= s.to; x += 8) {
                        std::uint64_t eight = 0;
                        std::memcpy(&eight, p + x, 8);
                        ++even[eight & 65535], ++odd[(eight >> 16) & 65535], ++even[(eight >> 32) & 65535], ++odd[eight >> 48];
                    }
                }
                for (; x + 8 <= s.to; x += 8) {
                    std::uint64_t eight = 0;
                    std::memcpy(&eight, p + x, 8);
                    ++part[0][eight & 255], ++part[1][(eight >> 8) & 255], ++part[2][(eight >> 16) & 255], ++part[3][(eight >> 24) & 255];
                    ++part[0][(eight >> 32) & 255], ++part[1][(eight >> 40) & 255], ++part[2][(eight >> 48) & 255], ++part[3][eight >> 56];
                }
                for (; x < s.to; ++x) ++part[0][p[x]];
            } else {
                for (; x + 4 <= s.to; x += 4)
                    ++part[0][p[x] / 257u], ++part[1][p[x + 1] / 257u], ++part[2][p[x + 2] / 257u], ++part[3][p[x + 3] / 257u];
                for (; x < s.to; ++x) ++part[0][p[x] / 257u];
            }
            h.total += s.to - s.from;
            if ((waiting += s.to - s.from) > 2'000'000'000) flush();
        }
        flush();
        for (std::size_t i = 0; i < pairs.size(); ++i) h.count[i & 255] += pairs[i], h.count[(i >> 8) & 255] += pairs[i];
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
        for (std::size_t i = 0; i < 256; ++i) next[i] = (v[i ? i - 1 : 0] + 2 * v[i] + v[std::min<std::size_t>(i + 1, 255)]) / 4;
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

image::Image localThreshold(const image::GreyView& picture, int reach, double offset, bool bright)
{
    const int w = picture.width, h = picture.height;
    image::Image out = image::Image::unwritten(w, h, image::PixelFormat::Grey8);
    const int side = 2 * reach + 1;
    const double area = double(side) * side;
    picture.visit([&](auto v) {
        using T = typename decltype(v)::Sample;
        const auto row = [&](int y) { return v.row(std::clamp(y, 0, h - 1)); };
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
                    for (int x = 0; x < reach; ++x) put(sums.front());
                    for (int x = 0; x < w; ++x) put(sums[std::size_t(x)]);
                    for (int x = 0; x <= reach; ++x) put(sums.back());
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
            for (int x = 0; x <= w + 2 * reach; ++x)
                prefix[std::size_t(x) + 1] = prefix[std::size_t(x)] + sums[std::size_t(std::clamp(x - reach, 0, w - 1))];
            for (int x = 0; x < w; ++x) {
                const double d = double(here[x]) * area - double(prefix[std::size_t(x + side)] - prefix[std::size_t(x)]);
                out.row(y)[x] = (bright ? d > k : d < -k) ? 255 : 0;
            }
        }
    });
    return out;
}

image::Image shadingCorrected(const image::GreyView& picture, const image::GreyView& empty, double mean)
{
    image::Image out = image::Image::unwritten(picture.width, picture.height, picture.wide ? image::PixelFormat::Grey16 : image::PixelFormat::Grey8);
    picture.visit([&](auto p) {
        empty.visit([&](auto e) {
            using T = typename decltype(p)::Sample;
            const double darkest = 1 / e.levelsPerStep, scale = mean / e.levelsPerStep;
            for (int y = 0; y < p.height; ++y) {
                const auto* from = p.row(y);
                const auto* light = e.row(y);
                auto* to = reinterpret_cast<T*>(out.row(y));
                for (int x = 0; x < p.width; ++x)
                    to[x] = T(std::min(double(p.maximum), double(from[x]) * scale / std::max(darkest, double(light[x])) + 0.5));
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
        for (int y = 0; y < h; ++y) simd::differs(p + y * a.stride, q + y * b.stride, w, std::uint8_t(std::clamp(least, 0, 255)), out.row(y));
        return out;
    }
    for (int y = 0; y < h; ++y)
        for (int x = 0; x < w; ++x) out.row(y)[x] = std::abs(a.levelAt(x, y) - b.levelAt(x, y)) > least ? 255 : 0;
    return out;
}

image::Image rangeMask(const image::GreyView& picture, double low, double high)
{
    image::Image out = image::Image::unwritten(picture.width, picture.height, image::PixelFormat::Grey8);
    picture.visit([&](auto v) {
        for (int y = 0; y < v.height; ++y) {
            const auto* p = v.row(y);
            for (int x = 0; x < v.width; ++x) {
                const double level = double(p[x]) * v.levelsPerStep;
                out.row(y)[x] = level >= low && level <= high ? 255 : 0;
            }
        }
    });
    return out;
}

namespace
{
using Pair = void (*)(const std::uint8_t*, const std::uint8_t*, int, std::uint8_t*);
using Along = void (*)(const std::uint8_t*, int, int, std::uint8_t*);

// One extreme over a rectangle: along the row by doubling shifted copies, down the columns after van Herk in blocks of `height` rows.
image::Image extreme(const image::GreyView& picture, int width, int height, Pair pick, Along along, std::uint8_t nothing)
{
    const int w = picture.width, h = picture.height;
    image::Image out = image::Image::unwritten(w, h, image::PixelFormat::Grey8);
    width = std::clamp(width, 1, 2 * w + 1), height = std::clamp(height, 1, 2 * h + 1);
    const auto* data = static_cast<const std::uint8_t*>(picture.data);
    const int left = width / 2, padded = w + width;
    std::vector<std::uint8_t> line(std::size_t(padded) + 64, nothing);
    const auto alongRow = [&](const std::uint8_t* in, std::uint8_t* to) {
        if (width > 32) std::fill(line.begin(), line.end(), nothing);
        std::memcpy(line.data() + left, in, std::size_t(w));
        if (width <= 32) return along(line.data(), w, width, to);
        int have = 1; // line[i] is the extreme over i .. i + have - 1
        while (have * 2 <= width) {
            pick(line.data(), line.data() + have, padded - have, line.data());
            have *= 2;
        }
        pick(line.data(), line.data() + (width - have), w, to);
    };
    if (height == 1) {
        for (int y = 0; y < h; ++y) alongRow(data + y * picture.stride, out.row(y));
        return out;
    }
    const int top = height / 2;
    const std::size_t pitch = std::size_t(w);
    std::vector<std::uint8_t> suffix(pitch * std::size_t(height), nothing), rows(pitch * std::size_t(height), nothing), prefix(pitch, nothing);
    const auto fetch = [&](int y, std::uint8_t* to) {
        if (y < 0 || y >= h) std::fill_n(to, w, nothing);
        else alongRow(data + y * picture.stride, to);
    };
    // Window of output y: input rows y - top .. y - top + height - 1.
    for (int k = 0; k < height; ++k) fetch(k - top, rows.data() + std::size_t(k) * pitch);
    for (int start = 0; start < h; start += height) {
        std::memcpy(suffix.data() + std::size_t(height - 1) * pitch, rows.data() + std::size_t(height - 1) * pitch, pitch);
        for (int k = height - 2; k >= 0; --k)
            pick(rows.data() + std::size_t(k) * pitch, suffix.data() + std::size_t(k + 1) * pitch, w, suffix.data() + std::size_t(k) * pitch);
        std::memcpy(out.row(start), suffix.data(), pitch);
        for (int k = 1; k < height && start + k < h; ++k) {
            std::uint8_t* next = rows.data() + std::size_t(k - 1) * pitch;
            fetch(start - top + height + k - 1, next);
            if (k == 1) std::memcpy(prefix.data(), next, pitch);
            else pick(prefix.data(), next, w, prefix.data());
            pick(suffix.data() + std::size_t(k) * pitch, prefix.data(), w, out.row(start + k));
        }
        if (start + height < h) fetch(start - top + 2 * height - 1, rows.data() + std::size_t(height - 1) * pitch);
    }
    return out;
}
} // namespace

image::Image eroded(const image::GreyView& picture, int width, int height) { return extreme(picture, width, height, simd::lower, simd::lowest, 255); }
image::Image dilated(const image::GreyView& picture, int width, int height)
{
    return extreme(picture, width, height, simd::higher, simd::highest, 0);
}
image::Image opened(const image::GreyView& picture, int width, int height)
{
    const image::Image e = eroded(picture, width, height);
    return dilated(e.grey(), width, height);
}
image::Image closed(const image::GreyView& picture, int width, int height)
{
    const image::Image d = dilated(picture, width, height);
    return eroded(d.grey(), width, height);
}

} // namespace vision

#include "report/height_picture.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace report
{
namespace
{
constexpr std::array<QRgb, 5> kEnds{0xff2a1e46, 0xff5a4673, 0xff8c7694, 0xffbdaab2, 0xffede2d6};

// Points spread over the picture, at most so many.
std::vector<float> sampleOf(const image::HeightView& v)
{
    constexpr std::size_t kMost = 40000;
    const std::size_t all = std::size_t(v.width) * std::size_t(v.height), step = all / kMost + 1;
    std::vector<float> out;
    for (std::size_t k = 0; k < all; k += step) {
        const int x = int(k % std::size_t(v.width)), y = int(k / std::size_t(v.width));
        if (!v.missing(x, y)) out.push_back(float(v.mm(x, y)));
    }
    return out;
}
// The mean of the points in a square of 13 px about each pixel; NaN where fewer than a third of them are.
std::vector<float> meansOf(const image::HeightView& v)
{
    constexpr int kReach = 6;
    const auto w = std::size_t(v.width), h = std::size_t(v.height);
    const double zero = v.scale.offsetMm;
    std::vector<double> sums(w, 0.0);
    std::vector<int> counts(w, 0);
    std::vector<float> out(w * h, std::nanf(""));
    const auto add = [&](int y, int sign) {
        if (y < 0 || y >= v.height) return;
        for (int x = 0; x < v.width; ++x)
            if (!v.missing(x, y)) sums[std::size_t(x)] += sign * (v.mm(x, y) - zero), counts[std::size_t(x)] += sign;
    };
    for (int y = 0; y < kReach; ++y) add(y, 1);
    for (int y = 0; y < v.height; ++y) {
        add(y + kReach, 1);
        add(y - kReach - 1, -1);
        double sum = 0;
        int n = 0;
        for (int x = 0; x < std::min(kReach, v.width); ++x) sum += sums[std::size_t(x)], n += counts[std::size_t(x)];
        for (int x = 0; x < v.width; ++x) {
            if (x + kReach < v.width) sum += sums[std::size_t(x + kReach)], n += counts[std::size_t(x + kReach)];
            if (x > kReach) sum -= sums[std::size_t(x - kReach - 1)], n -= counts[std::size_t(x - kReach - 1)];
            if (3 * n >= (2 * kReach + 1) * (2 * kReach + 1))
                out[std::size_t(y) * w + std::size_t(x)] = float(zero + sum / n);
        }
    }
    return out;
}
HeightRange opened(double low, double high)
{
    const double least = std::max(1e-4, 1e-7 * std::abs(low));
    if (high - low < least) return {low - least / 2, low + least / 2};
    return {low, high};
}
} // namespace

std::optional<HeightRange> usualRange(const image::Picture& p)
{
    if (p.content != image::Content::Height) return std::nullopt;
    std::vector<float> z = sampleOf(p.heights());
    if (z.empty()) return std::nullopt;
    std::sort(z.begin(), z.end());
    std::size_t first = z.size() / 100, last = z.size() - 1 - z.size() / 250;
    // The widest gap with a few flyers in it at most.
    const std::size_t few = std::max<std::size_t>(2, z.size() / 400);
    const double all = double(z[last]) - double(z[first]);
    for (std::size_t i = first; i + few < z.size() * 3 / 4; ++i)
        if (double(z[i + few]) - double(z[i]) > 0.4 * all) {
            first = i + few + (z.size() - i) / 100;
            while (i + 1 + few < z.size() * 3 / 4 && double(z[i + 1 + few]) - double(z[i + 1]) > 0.4 * all)
                ++i, ++first;
        }
    const double low = z[first], high = z[std::max(first, last)], room = 0.03 * (high - low);
    return opened(low - room, high + room);
}

std::optional<HeightRange> wholeRange(const image::Picture& p)
{
    if (p.content != image::Content::Height) return std::nullopt;
    const image::HeightView v = p.heights();
    double low = 1e300, high = -1e300;
    const double none = v.scale.missing.value_or(std::nan(""));
    v.visit([&](auto view) {
        for (int y = 0; y < view.height; ++y) {
            const auto* row = view.row(y);
            for (int x = 0; x < view.width; ++x) {
                const auto raw = double(row[x]);
                if (std::isnan(raw) || raw == none) continue;
                low = std::min(low, raw), high = std::max(high, raw);
            }
        }
    });
    if (low > high) return std::nullopt;
    const double a = v.scale.offsetMm + v.scale.mmPerStep * low, b = v.scale.offsetMm + v.scale.mmPerStep * high;
    return opened(std::min(a, b), std::max(a, b));
}

double coveredShare(const image::Picture& p)
{
    if (p.content != image::Content::Height) return 0;
    const image::HeightView v = p.heights();
    const double none = v.scale.missing.value_or(std::nan(""));
    std::size_t there = 0;
    v.visit([&](auto view) {
        for (int y = 0; y < view.height; ++y) {
            const auto* row = view.row(y);
            for (int x = 0; x < view.width; ++x) {
                const auto raw = double(row[x]);
                there += !std::isnan(raw) && raw != none;
            }
        }
    });
    return 100 * double(there) / (double(v.width) * v.height);
}

QRgb heightColour(double share)
{
    const double at = std::clamp(share, 0.0, 1.0) * double(kEnds.size() - 1);
    const auto k = std::min(std::size_t(at), kEnds.size() - 2);
    const double f = at - double(k);
    const auto mix = [&](int a, int b) { return int(std::lround(a + (b - a) * f)); };
    return qRgb(mix(qRed(kEnds[k]), qRed(kEnds[k + 1])), mix(qGreen(kEnds[k]), qGreen(kEnds[k + 1])),
                mix(qBlue(kEnds[k]), qBlue(kEnds[k + 1])));
}

double contourStep(const HeightRange& r)
{
    const double rough = (r.high - r.low) / 12, power = std::pow(10, std::floor(std::log10(rough)));
    for (const double m : {1.0, 2.0, 5.0})
        if (rough <= m * power) return m * power;
    return 10 * power;
}

QImage heightImage(const image::Picture& p, const HeightRange& range, bool contours)
{
    const image::HeightView v = p.heights();
    QImage out(v.width, v.height, QImage::Format_RGB32);
    std::array<QRgb, 256> colours{};
    for (std::size_t i = 0; i < colours.size(); ++i) colours[i] = heightColour(double(i) / 255);
    // share × 255 = raw × step + start
    const double wide = std::max(1e-12, range.high - range.low);
    const auto step = float(255 * v.scale.mmPerStep / wide), start = float(255 * (v.scale.offsetMm - range.low) / wide);
    const float none = v.scale.missing ? float(*v.scale.missing) : std::nanf("");
    constexpr int kHatch = 7;
    v.visit([&](auto view) {
        for (int y = 0; y < view.height; ++y) {
            const auto* row = view.row(y);
            auto* to = reinterpret_cast<QRgb*>(out.scanLine(y));
            for (int x = 0; x < view.width; ++x) {
                const auto raw = float(row[x]);
                if (std::isnan(raw) || raw == none) {
                    to[x] = (x + y) % kHatch < 2 ? kNoPointLine : kNoPoint;
                    continue;
                }
                const float share = raw * step + start;
                to[x] = colours[std::size_t(share <= 0 ? 0 : share >= 255 ? 255 : int(share + 0.5f))];
            }
        }
    });
    if (!contours) return out;
    // Of the mean of the points about a pixel, so that noise makes no lines of its own; a line where the next pixel to
    // the right or below lies in another band. Light on dark, dark on light; none beyond the colours.
    const std::vector<float> z = meansOf(v);
    const double band = contourStep(range);
    const auto at = [&](int x, int y) { return z[std::size_t(y) * std::size_t(v.width) + std::size_t(x)]; };
    const auto bandOf = [&](float h) { return int(std::floor((double(h) - range.low) / band)); };
    for (int y = 0; y + 1 < v.height; ++y) {
        auto* to = reinterpret_cast<QRgb*>(out.scanLine(y));
        for (int x = 0; x + 1 < v.width; ++x) {
            const float here = at(x, y), right = at(x + 1, y), below = at(x, y + 1);
            if (std::isnan(here) || std::isnan(right) || std::isnan(below) || v.missing(x, y)) continue;
            const double share = (double(here) - range.low) / wide;
            if (share < 0 || share > 1) continue;
            const int own = bandOf(here);
            if (own == bandOf(right) && own == bandOf(below)) continue;
            to[x] = share < 0.5 ? heightColour(0.85) : heightColour(0.08);
        }
    }
    return out;
}

} // namespace report

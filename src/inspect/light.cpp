#include "inspect/light.h"

#include <algorithm>
#include <cmath>

namespace inspect
{
namespace
{
Window clipped(const image::Picture& p, Window w)
{
    w.left = std::clamp(w.left, 0, p.pixels.width()), w.right = std::clamp(w.right, w.left, p.pixels.width());
    w.top = std::clamp(w.top, 0, p.pixels.height()), w.bottom = std::clamp(w.bottom, w.top, p.pixels.height());
    return w;
}
// Calls with every pixel's darkest and brightest channel and what the samples can hold at most.
template <class Call> void eachPixel(const image::Picture& p, Window w, Call call)
{
    const image::Image& in = p.pixels;
    const int channels = image::channels(in.format());
    const auto rows = [&](auto sample, int most) {
        using Sample = decltype(sample);
        for (int y = w.top; y < w.bottom; ++y) {
            const Sample* row = reinterpret_cast<const Sample*>(in.row(y)) + std::ptrdiff_t(w.left) * channels;
            for (int x = w.left; x < w.right; ++x, row += channels) {
                int low = row[0], high = row[0];
                for (int c = 1; c < channels; ++c) low = std::min<int>(low, row[c]), high = std::max<int>(high, row[c]);
                call(low, high, most);
            }
        }
    };
    if (image::bytesPerSample(in.format()) == 2) rows(std::uint16_t(), 65535);
    else if (image::bytesPerSample(in.format()) == 1) rows(std::uint8_t(), 255);
}
} // namespace

Window wholeOf(const image::Picture& p) { return {0, 0, p.pixels.width(), p.pixels.height()}; }

Levels levelsOf(const image::Picture& picture, Window window)
{
    Levels out;
    const Window w = clipped(picture, window);
    std::uint64_t n = 0, black = 0, white = 0;
    double sum = 0;
    eachPixel(picture, w, [&](int low, int high, int most) {
        const int shift = most > 255 ? 8 : 0;
        // Of colour the brightest channel is the one that clips first.
        ++out.counts[std::size_t(high >> shift)];
        black += low == 0, white += high == most;
        sum += high / double(1 << shift);
        ++n;
    });
    if (n == 0) return out;
    out.black = double(black) / double(n), out.white = double(white) / double(n), out.mean = sum / double(n);
    // In between levels by where in its level the share is reached.
    const auto quantile = [&](double share) {
        const double wanted = share * double(n);
        double below = 0;
        for (std::size_t v = 0; v < 256; ++v) {
            const double here = double(out.counts[v]);
            if (below + here >= wanted && here > 0)
                return double(v) + std::clamp((wanted - below) / here, 0.0, 1.0) - 0.5;
            below += here;
        }
        return 255.0;
    };
    out.low = quantile(0.001), out.high = quantile(0.999);
    return out;
}

double sharpnessOf(const image::Picture& picture, Window window)
{
    if (picture.content == image::Content::Height) return 0;
    const Window w = clipped(picture, window);
    double gradients = 0, sum = 0;
    std::uint64_t n = 0;
    picture.grey().visit([&](auto v) {
        for (int y = std::max(1, w.top); y < std::min(v.height - 1, w.bottom); ++y) {
            const auto *a = v.row(y - 1), *b = v.row(y), *c = v.row(y + 1);
            for (int x = std::max(1, w.left); x < std::min(v.width - 1, w.right); ++x) {
                const double gx = double(a[x + 1]) - double(a[x - 1]) + 2.0 * (double(b[x + 1]) - double(b[x - 1])) +
                                  double(c[x + 1]) - double(c[x - 1]);
                const double gy = double(c[x - 1]) + 2.0 * double(c[x]) + double(c[x + 1]) - double(a[x - 1]) -
                                  2.0 * double(a[x]) - double(a[x + 1]);
                gradients += (gx * gx + gy * gy) / 64, sum += double(b[x]);
                ++n;
            }
        }
    });
    if (n == 0 || !(sum > 0)) return 0;
    const double mean = sum / double(n);
    return gradients / double(n) / (mean * mean);
}

Evenness evennessOf(const image::Picture& picture, int columns, int rows)
{
    Evenness out{columns, rows, {}, 1};
    const int width = picture.pixels.width(), height = picture.pixels.height();
    for (int r = 0; r < rows; ++r)
        for (int c = 0; c < columns; ++c) {
            const Levels l = levelsOf(
                picture, {c * width / columns, r * height / rows, (c + 1) * width / columns, (r + 1) * height / rows});
            double n = 0, below = 0, level = 0;
            for (const auto k : l.counts) n += double(k);
            for (std::size_t v = 0; v < 256; ++v)
                if (below += double(l.counts[v]); below >= 0.9 * n) {
                    level = double(v);
                    break;
                }
            out.shares.push_back(level);
        }
    const double most = out.shares.empty() ? 0 : *std::max_element(out.shares.begin(), out.shares.end());
    for (double& s : out.shares) s = most > 0 ? s / most : 0, out.least = std::min(out.least, s);
    return out;
}

AutoExposure::AutoExposure(double least, double most, double start)
    : m_least(least), m_most(most), m_next(std::clamp(start, least, most)), m_best(least), m_dark(0), m_bright(1e300)
{
}

void AutoExposure::saw(const Levels& levels)
{
    if (done()) return;
    ++m_pictures;
    const double now = m_next;
    if (levels.white > kClipped || levels.high >= 254.4) {
        m_bright = std::min(m_bright, now);
        if (now <= m_least) m_outcome = Outcome::TooBright, m_best = m_least;
        // How far beyond white it is nobody can see: down by much, until one does not clip.
        m_next = m_dark > 0 ? std::sqrt(m_dark * m_bright) : now * (levels.white > 0.2 ? 0.12 : 0.4);
    } else {
        m_dark = std::max(m_dark, now);
        m_best = m_dark;
        if (levels.high >= kLow && levels.high <= kHigh) m_outcome = Outcome::Found;
        else if (now >= m_most) m_outcome = Outcome::TooDark;
        // Light is linear; a picture that is nearly black says little about how dark it is.
        const double factor = (kLow + kHigh) / 2 / std::max(2.0, levels.high);
        m_next = now * std::clamp(factor, 0.5, 24.0);
        if (m_bright < 1e300 && m_next >= m_bright) m_next = std::sqrt(m_dark * m_bright);
    }
    m_next = std::clamp(m_next, m_least, m_most);
    // The scene moves: what did not clip before does now at less.
    if (!done() && m_dark >= m_bright) m_outcome = Outcome::Unsteady, m_best = std::min(m_best, m_bright * 0.9);
    if (!done() && m_pictures >= kMostPictures) m_outcome = m_dark > 0 ? Outcome::Found : Outcome::Unsteady;
}

} // namespace inspect

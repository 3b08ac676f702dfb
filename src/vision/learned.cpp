#include "vision/learned.h"

#include "vision/simd/kernels.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace vision
{
using geometry::Point;
using image::PixelFormat;

namespace
{
constexpr float kInfinite = std::numeric_limits<float>::infinity();
constexpr float kNone = std::numeric_limits<float>::quiet_NaN();

// CIELAB of sRGB by tables, within 0.05 of labOf().
struct LabTables {
    std::vector<float> linear, root;
    LabTables() : linear(4097), root(4097)
    {
        for (std::size_t i = 0; i < linear.size(); ++i) {
            const double c = double(i) / 4096;
            linear[i] = float(c <= 0.04045 ? c / 12.92 : std::pow((c + 0.055) / 1.055, 2.4));
            // Finer near 0, where it is steep: by the square root of its place.
            const double t = c * c;
            root[i] = float(t > 216.0 / 24389 ? std::cbrt(t) : (24389.0 / 27 * t + 16) / 116);
        }
    }
    static float read(const std::vector<float>& table, float at)
    {
        const float place = std::clamp(at, 0.0f, 1.0f) * 4096;
        const auto i = std::min(std::size_t(place), std::size_t(4095));
        return table[i] + (table[i + 1] - table[i]) * (place - float(i));
    }
    std::array<float, 3> lab(float r, float g, float b) const
    {
        const float lr = read(linear, r / 255), lg = read(linear, g / 255), lb = read(linear, b / 255);
        const auto f = [&](float t) { return read(root, std::sqrt(std::max(0.0f, t))); };
        const float fx = f((0.4124564f * lr + 0.3575761f * lg + 0.1804375f * lb) / 0.95047f);
        const float fy = f(0.2126729f * lr + 0.7151522f * lg + 0.0721750f * lb);
        const float fz = f((0.0193339f * lr + 0.1191920f * lg + 0.9503041f * lb) / 1.08883f);
        return {116 * fy - 16, 500 * (fx - fy), 200 * (fy - fz)};
    }
};
const LabTables& tables()
{
    static const LabTables t;
    return t;
}

// The patch's value at a pixel, the light taken out; planes of it.
struct Values {
    const Patch& patch;
    std::array<double, 3> gain{1, 0, 0};
    double offset = 0;
    int row = -1;
    const Light& light;
    Values(const Patch& p, const Light& l) : patch(p), offset(l.offset), light(l) {}
    void goTo(int y)
    {
        if (y == row) return;
        row = y;
        gain = light.along(y, patch.box);
    }
    float scale(int x) const { return float(1 / std::max(0.02, gain[0] + gain[1] * x + gain[2] * x * x)); }
    // level or mm
    float level(std::size_t i, int x) const
    {
        if (patch.heights()) return patch.level(i);
        return (patch.level(i) - float(offset)) * scale(x);
    }
    void read(std::size_t i, int x, int planes, float* to) const
    {
        if (planes == 1) {
            to[0] = level(i, x);
            return;
        }
        const float k = scale(x);
        const auto c = patch.rgb(i);
        const auto o = float(offset);
        const auto lab = tables().lab((c[0] - o) * k, (c[1] - o) * k, (c[2] - o) * k);
        for (int p = 0; p < 3; ++p) to[p] = lab[std::size_t(p)];
    }
};

float medianOf(float* v, int n)
{
    const int mid = n / 2;
    std::nth_element(v, v + mid, v + n);
    if (n % 2) return v[mid];
    return (v[mid] + *std::max_element(v, v + mid)) / 2;
}
// Makes the median absolute deviation of n normal values unbiased; for n of 2 to 9 by Croux and Rousseeuw 1992.
float unbiased(int n)
{
    constexpr float few[] = {1, 1, 1.196f, 1.495f, 1.363f, 1.206f, 1.200f, 1.140f, 1.129f, 1.107f};
    return 1.4826f * (n <= 9 ? few[n] : float(n) / (float(n) - 0.8f));
}
// Largest of the 3 × 3 neighbours, infinite ones not counted.
std::vector<float> largestNear(const std::vector<float>& v, int w, int h)
{
    std::vector<float> rows(v.size()), out(v.size());
    const auto at = [&](int x, int y) { return std::size_t(y) * std::size_t(w) + std::size_t(x); };
    for (int y = 0; y < h; ++y)
        for (int x = 0; x < w; ++x)
            rows[at(x, y)] = std::max({v[at(x, y)], v[at(std::max(0, x - 1), y)], v[at(std::min(w - 1, x + 1), y)]});
    for (int y = 0; y < h; ++y)
        for (int x = 0; x < w; ++x)
            out[at(x, y)] =
                std::max({rows[at(x, y)], rows[at(x, std::max(0, y - 1))], rows[at(x, std::min(h - 1, y + 1))]});
    return out;
}
// Root of the mean square of the 3 × 3 neighbours.
std::vector<float> quietedNear(const std::vector<float>& v, int w, int h)
{
    std::vector<float> rows(v.size()), out(v.size());
    const auto at = [&](int x, int y) { return std::size_t(y) * std::size_t(w) + std::size_t(x); };
    const auto sq = [&](int x, int y) {
        const float s = v[at(std::clamp(x, 0, w - 1), std::clamp(y, 0, h - 1))];
        return s * s;
    };
    for (int y = 0; y < h; ++y)
        for (int x = 0; x < w; ++x) rows[at(x, y)] = sq(x - 1, y) + sq(x, y) + sq(x + 1, y);
    for (int y = 0; y < h; ++y)
        for (int x = 0; x < w; ++x)
            out[at(x, y)] =
                std::sqrt((rows[at(x, std::max(0, y - 1))] + rows[at(x, y)] + rows[at(x, std::min(h - 1, y + 1))]) / 9);
    return out;
}
} // namespace

// The steps of Learned::make().
struct Learning {
    const std::vector<Patch>& good;
    Learned& to;
    std::vector<Light> lights;

    std::size_t count() const { return to.m_box.count(); }
    int width() const { return to.m_box.width; }
    int height() const { return to.m_box.height; }

    // Usual level (or mm) of the pixels, each patch's light taken out.
    void takeLevels()
    {
        std::vector<float> v(good.size());
        std::vector<Values> values;
        for (std::size_t s = 0; s < good.size(); ++s) values.emplace_back(good[s], lights[s]);
        std::vector<float> out(count());
        for (int y = 0; y < height(); ++y) {
            for (Values& one : values) one.goTo(y);
            for (int x = 0; x < width(); ++x) {
                const auto i = std::size_t(y) * std::size_t(width()) + std::size_t(x);
                int n = 0;
                for (std::size_t s = 0; s < good.size(); ++s)
                    if (good[s].sees(i)) v[std::size_t(n++)] = values[s].level(i, x);
                // Heights that some good ones lack are not known.
                const bool known = n > 0 && (!to.m_heights || n == int(good.size()));
                out[i] = known ? medianOf(v.data(), n) : kNone;
            }
        }
        to.m_levels = std::move(out);
    }
    void takeLights()
    {
        for (std::size_t s = 0; s < good.size(); ++s)
            lights[s] = lightOf(good[s], to.m_levels, to.m_counts, to.m_options.light);
    }
    // Usual values in all planes, and how far the good ones spread about them.
    std::vector<float> takeValues()
    {
        const int planes = to.m_planes;
        std::vector<Values> values;
        for (std::size_t s = 0; s < good.size(); ++s) values.emplace_back(good[s], lights[s]);
        to.m_usual.assign(count() * std::size_t(planes), kNone);
        std::vector<float> spread(count(), 0);
        std::vector<float> all(good.size() * 3), sorted(good.size()), off(good.size());
        for (int y = 0; y < height(); ++y) {
            for (Values& one : values) one.goTo(y);
            for (int x = 0; x < width(); ++x) {
                const auto i = std::size_t(y) * std::size_t(width()) + std::size_t(x);
                if (!std::isfinite(to.m_levels[i])) continue;
                int n = 0;
                for (std::size_t s = 0; s < good.size(); ++s)
                    if (good[s].sees(i)) values[s].read(i, x, planes, all.data() + 3 * std::size_t(n++));
                float usual[3] = {};
                for (int p = 0; p < planes; ++p) {
                    for (int s = 0; s < n; ++s) sorted[std::size_t(s)] = all[std::size_t(3 * s + p)];
                    usual[p] = medianOf(sorted.data(), n);
                    to.m_usual[std::size_t(p) * count() + i] = usual[p];
                }
                if (n < 2) continue;
                for (int s = 0; s < n; ++s) {
                    float sum = 0;
                    for (int p = 0; p < planes; ++p) {
                        const float d = all[std::size_t(3 * s + p)] - usual[p];
                        sum += d * d;
                    }
                    off[std::size_t(s)] = std::sqrt(sum);
                }
                spread[i] = unbiased(n) * medianOf(off.data(), n);
            }
        }
        return spread;
    }
    // Steepness of the usual values, a px.
    std::vector<float> steepness() const
    {
        std::vector<float> out(count(), 0);
        for (int p = 0; p < to.m_planes; ++p) {
            const float* u = to.m_usual.data() + std::size_t(p) * count();
            for (int y = 0; y < height(); ++y)
                for (int x = 0; x < width(); ++x) {
                    const auto at = [&](int dx, int dy) {
                        const int px = std::clamp(x + dx, 0, width() - 1), py = std::clamp(y + dy, 0, height() - 1);
                        return u[std::size_t(py) * std::size_t(width()) + std::size_t(px)];
                    };
                    const float gx = (at(1, 0) - at(-1, 0)) / 2, gy = (at(0, 1) - at(0, -1)) / 2;
                    const float g = gx * gx + gy * gy;
                    if (std::isfinite(g)) out[std::size_t(y) * std::size_t(width()) + std::size_t(x)] += g;
                }
        }
        for (float& g : out) g = std::sqrt(g);
        return out;
    }
    void takeAllowed(const std::vector<float>& spread)
    {
        const LearnOptions& o = to.m_options;
        std::vector<float> quiet = good.size() > 1 ? quietedNear(spread, width(), height()) : spread;
        std::vector<float> sorted;
        for (std::size_t i = 0; i < count(); i += std::max<std::size_t>(1, count() / 20000))
            if (to.m_counts[i] && std::isfinite(to.m_levels[i])) sorted.push_back(quiet[i]);
        to.m_noise = sorted.empty() || good.size() < 2 ? 0 : double(medianOf(sorted.data(), int(sorted.size())));
        const auto floor = float(std::max(o.least, o.spreads * to.m_noise));
        quiet = largestNear(quiet, width(), height());
        const std::vector<float> steep = largestNear(steepness(), width(), height());
        to.m_allowed.assign(count(), kInfinite);
        for (std::size_t i = 0; i < count(); ++i)
            if (to.m_counts[i] && std::isfinite(to.m_levels[i]))
                to.m_allowed[i] = std::max(floor, float(o.spreads) * quiet[i]) + float(o.edge) * steep[i],
                ++to.m_compared;
    }
    void takeBytes()
    {
        to.m_bytes = to.m_planes == 1 && !to.m_heights && good.front().pixels.format() == PixelFormat::Grey8;
        if (!to.m_bytes) return;
        to.m_usualByte.resize(count()), to.m_weight.resize(count());
        for (std::size_t i = 0; i < count(); ++i) {
            const float u = to.m_levels[i];
            const bool compared = std::isfinite(to.m_allowed[i]);
            to.m_usualByte[i] = compared ? std::uint8_t(std::lround(std::clamp(u, 0.0f, 255.0f))) : 0;
            to.m_weight[i] =
                compared ? std::uint16_t(std::lround(std::clamp(51200.0f / to.m_allowed[i], 1.0f, 51000.0f))) : 0;
        }
    }
};

base::Result<Learned> Learned::make(const std::vector<Patch>& good, std::vector<std::uint8_t> counts,
                                    const LearnOptions& options, std::vector<Light> lights)
{
    if (good.empty()) return base::fail(base::ErrorCode::InvalidArgument, "nothing to learn from");
    for (const Patch& p : good)
        if (!(p.box == good.front().box) || p.pixels.format() != good.front().pixels.format())
            return base::fail(base::ErrorCode::InvalidArgument, "good samples are of different sorts of pictures");
    Learned to;
    to.m_box = good.front().box;
    to.m_options = options;
    to.m_samples = int(good.size());
    to.m_heights = good.front().heights();
    to.m_planes = good.front().colour() ? 3 : 1;
    to.m_counts = counts.empty() ? std::vector<std::uint8_t>(to.m_box.count(), 1) : std::move(counts);
    const bool known = lights.size() == good.size();
    Learning l{good, to, known ? std::move(lights) : std::vector<Light>(good.size())};
    // The first one's light is the usual one.
    to.m_levels.resize(to.m_box.count());
    for (std::size_t i = 0; i < to.m_levels.size(); ++i)
        to.m_levels[i] = good.front().sees(i) ? good.front().level(i) : kNone;
    if (good.size() > 1 && !known) {
        l.takeLights();
        l.takeLevels();
        l.takeLights();
        l.lights.front() = {};
    }
    l.takeLevels();
    const std::vector<float> spread = l.takeValues();
    l.takeAllowed(spread);
    l.takeBytes();
    for (std::size_t s = 0; s < good.size(); ++s)
        to.m_own.push_back(differ(to, good[s], known ? l.lights[s] : to.focused(good[s], to.light(good[s]))).worst);
    return to;
}

float Learned::softer(int plane, int x, int y) const
{
    const float* u = m_usual.data() + std::size_t(plane) * m_box.count();
    const int x0 = std::max(0, x - 1), x1 = std::min(m_box.width - 1, x + 1);
    const auto across = [&](int row) {
        const float* r = u + std::size_t(std::clamp(row, 0, m_box.height - 1)) * std::size_t(m_box.width);
        return r[x0] + 2 * r[x] + r[x1];
    };
    const float d = (across(y - 1) + 2 * across(y) + across(y + 1)) / 16 -
                    u[std::size_t(y) * std::size_t(m_box.width) + std::size_t(x)];
    return std::isfinite(d) ? d : 0;
}
namespace
{
// The largest value that can be seen in this light, in the units of the first plane; none above white.
float whitest(const Light& light, double gain, int planes)
{
    const auto level = float(std::min(1e9, (light.white - light.offset) / std::max(0.02, gain)));
    if (planes == 1 || level >= 255) return level >= 255 ? kInfinite : level;
    return tables().lab(level, level, level)[0];
}
} // namespace
float Learned::usualIn(int plane, int x, int y, const Light& light) const
{
    float u = m_usual[std::size_t(plane) * m_box.count() + std::size_t(y) * std::size_t(m_box.width) + std::size_t(x)];
    if (light.focus != 0) u += float(light.focus) * softer(plane, x, y);
    if (plane > 0 || m_heights || light.white >= 1e9) return u;
    if (light.even()) return std::min(u, whitest(light, light.gain[0], m_planes));
    const auto g = light.along(y, m_box);
    return std::min(u, whitest(light, g[0] + g[1] * x + g[2] * x * x, m_planes));
}
const float* Learned::usualRow(int plane, int y, const Light& light, std::vector<float>& buffer) const
{
    const auto g = light.along(y, m_box);
    const bool white = plane == 0 && !m_heights && light.white < 1e9 &&
                       (!light.even() || whitest(light, light.gain[0], m_planes) < kInfinite);
    const float* u = m_usual.data() + std::size_t(plane) * m_box.count() + std::size_t(y) * std::size_t(m_box.width);
    if (light.focus == 0 && !white) return u;
    buffer.assign(u, u + m_box.width);
    if (light.focus != 0) {
        // softer() for a whole row, without a branch.
        const int w = m_box.width;
        const float* above = y > 0 ? u - w : u;
        const float* below = y + 1 < m_box.height ? u + w : u;
        thread_local std::vector<float> sums;
        sums.resize(std::size_t(w) + 2);
        float *sum = sums.data() + 1, *to = buffer.data();
        for (int x = 0; x < w; ++x) sum[x] = above[x] + 2 * u[x] + below[x];
        sum[-1] = sum[0], sum[w] = sum[w - 1];
        const auto k = float(light.focus);
        for (int x = 0; x < w; ++x) {
            const float d = (sum[x - 1] + 2 * sum[x] + sum[x + 1]) * 0.0625f - u[x];
            to[x] += k * (d - d == 0 ? d : 0);
        }
    }
    if (!white) return buffer.data();
    const float most = whitest(light, light.gain[0], m_planes);
    for (int x = 0; x < m_box.width; ++x) {
        float& v = buffer[std::size_t(x)];
        v = std::min(v, light.even() ? most : whitest(light, g[0] + g[1] * x + g[2] * x * x, m_planes));
    }
    return buffer.data();
}
Light Learned::focused(const Patch& here, Light light) const
{
    light.focus = 0;
    if (m_heights || here.heights()) return light;
    light.white = 255;
    if (m_options.light == LightFollowed::AsItIs) return light;
    constexpr std::size_t kMost = 40000;
    constexpr float kShows = 1.5f; // levels a blur must change at a pixel that is asked
    constexpr double kSharper = -0.7, kSofter = 1.2, kNothing = 0.04;
    struct Asked {
        double off, softer;
    };
    std::vector<Asked> all;
    Values v(here, light);
    const std::size_t stride = std::max<std::size_t>(1, m_box.count() / kMost) | 1;
    for (std::size_t i = 0; i < m_box.count(); i += stride) {
        if (!std::isfinite(m_allowed[i]) || !here.sees(i)) continue;
        const int x = int(i % std::size_t(m_box.width)), y = int(i / std::size_t(m_box.width));
        const float by = softer(0, x, y) * (m_planes == 3 ? 2.55f : 1.0f); // lightness, 0 to 100
        if (std::abs(by) < kShows) continue;
        v.goTo(y);
        float value[3] = {};
        v.read(i, x, m_planes, value);
        all.push_back({double(value[0] - m_usual[i]) * (m_planes == 3 ? 2.55 : 1), double(by)});
    }
    if (all.size() < 200) return light;
    // Robust: what is another thing says nothing of the focus.
    double focus = 0, cut = 1e9;
    std::vector<double> sizes(all.size());
    for (int round = 0; round < 6; ++round) {
        double up = 0, down = 0;
        for (const Asked& a : all) {
            const double u = (a.off - focus * a.softer) / cut;
            if (std::abs(u) >= 1) continue;
            const double w = (1 - u * u) * (1 - u * u);
            up += w * a.off * a.softer, down += w * a.softer * a.softer;
        }
        if (down <= 0) return light;
        focus = up / down;
        for (std::size_t k = 0; k < all.size(); ++k) sizes[k] = std::abs(all[k].off - focus * all[k].softer);
        std::nth_element(sizes.begin(), sizes.begin() + std::ptrdiff_t(sizes.size() / 2), sizes.end());
        cut = std::max(3.0, 4.685 * 1.4826 * sizes[sizes.size() / 2]);
    }
    focus = std::clamp(focus, kSharper, kSofter);
    if (std::abs(focus) > kNothing) light.focus = focus;
    return light;
}

Learned::Likeness Learned::likeness(const Patch& here, const Light& light) const
{
    Values v(here, light);
    constexpr float most = 5;
    std::size_t n = 0, same = 0;
    double off = 0;
    std::array<std::vector<float>, 3> buffers;
    std::array<const float*, 3> usual{};
    for (int y = 0; y < m_box.height; ++y) {
        v.goTo(y);
        for (int p = 0; p < m_planes; ++p) usual[std::size_t(p)] = usualRow(p, y, light, buffers[std::size_t(p)]);
        for (int x = 0; x < m_box.width; ++x) {
            const auto i = std::size_t(y) * std::size_t(m_box.width) + std::size_t(x);
            if (!std::isfinite(m_allowed[i])) continue;
            ++n;
            if (!here.sees(i)) {
                off += double(most);
                continue;
            }
            float value[3] = {}, sum = 0;
            v.read(i, x, m_planes, value);
            for (int p = 0; p < m_planes; ++p) {
                const float d = value[p] - usual[std::size_t(p)][x];
                sum += d * d;
            }
            const float ratio = std::sqrt(sum) / m_allowed[i];
            same += ratio <= 1;
            off += double(std::min(most, ratio));
        }
    }
    if (n == 0) return {};
    return {double(same) / double(n), off / double(n)};
}

image::Image Learned::picture() const
{
    image::Image out(m_box.width, m_box.height, PixelFormat::Grey8);
    float low = 0, high = 255;
    if (m_heights) {
        low = kInfinite, high = -kInfinite;
        for (const float v : m_levels)
            if (std::isfinite(v)) low = std::min(low, v), high = std::max(high, v);
        if (!(high > low)) high = low + 1;
    }
    for (std::size_t i = 0; i < m_box.count(); ++i)
        if (std::isfinite(m_levels[i]))
            out.row(0)[i] =
                std::uint8_t(std::lround(std::clamp(255 * (m_levels[i] - low) / (high - low), 0.0f, 255.0f)));
    return out;
}
image::Image Learned::map(double& low, double& high) const
{
    std::vector<float> sorted;
    for (std::size_t i = 0; i < m_allowed.size(); ++i)
        if (std::isfinite(m_allowed[i])) sorted.push_back(m_allowed[i]);
    low = 0, high = 1;
    if (!sorted.empty()) {
        const auto end = sorted.begin() + std::ptrdiff_t(double(sorted.size() - 1) * 0.999);
        std::nth_element(sorted.begin(), end, sorted.end());
        high = double(*end);
        low = double(*std::min_element(sorted.begin(), sorted.end()));
        if (!(high > low)) high = low + 1;
    }
    image::Image out(m_box.width, m_box.height, PixelFormat::Grey8);
    for (std::size_t i = 0; i < m_allowed.size(); ++i)
        out.row(0)[i] = std::isfinite(m_allowed[i])
                            ? std::uint8_t(std::lround(
                                  255 - 255 * std::clamp((double(m_allowed[i]) - low) / (high - low), 0.0, 1.0)))
                            : 255;
    return out;
}

double Learned::ratio(const Patch& here, const Light& light, std::size_t i, float* side) const
{
    if (side) *side = 0;
    if (!std::isfinite(m_allowed[i])) return 0;
    if (!here.sees(i)) return m_heights ? kMostRatio : 0;
    Values v(here, light);
    const int x = int(i % std::size_t(m_box.width));
    v.goTo(int(i / std::size_t(m_box.width)));
    float value[3] = {}, sum = 0;
    v.read(i, x, m_planes, value);
    for (int p = 0; p < m_planes; ++p) {
        const float d = value[p] - usualIn(p, x, int(i / std::size_t(m_box.width)), light);
        if (p == 0 && side) *side = d;
        sum += d * d;
    }
    return std::min(kMostRatio, double(std::sqrt(sum) / m_allowed[i]));
}

// Rows of a comparison.
struct ComparingRows {
    const Learned& learned;
    const Patch& here;
    Difference& to;

    void bytes(const Light& light, double limit)
    {
        const int w = learned.m_box.width;
        const auto over = std::uint16_t(std::clamp(std::lround(limit * 200), 1L, 65535L));
        std::uint16_t worst = 0;
        int worstRow = -1;
        // Seven bits behind the point: level × 128 / gain.
        const auto quick = [&](double gain) { return gain > 0.502 && gain < 100; };
        std::vector<float> buffer;
        std::vector<std::uint8_t> worked(static_cast<std::size_t>(w));
        for (int y = 0; y < learned.m_box.height; ++y) {
            const auto from = std::size_t(y) * std::size_t(w);
            const std::uint8_t *p = here.pixels.row(y), *usual = learned.m_usualByte.data() + from;
            if (const float* row = learned.usualRow(0, y, light, buffer); row == buffer.data()) {
                std::uint8_t* byte = worked.data(); // what is not known has no weight
                for (int x = 0; x < w; ++x) {
                    const float v = row[x] + 0.5f;
                    byte[x] = std::uint8_t(int(v > 0 ? (v < 255 ? v : 255) : 0));
                }
                usual = byte;
            }
            std::uint16_t most = 0;
            if (light.even() && quick(light.gain[0])) {
                simd::RatioRow r;
                r.scale = std::uint16_t(std::lround(32768 / light.gain[0]));
                r.offset = std::int16_t(std::lround(std::clamp(128 * light.offset / light.gain[0], -16000.0, 16000.0)));
                r.over = over;
                most = simd::ratios(p, usual, learned.m_weight.data() + from, w, r, to.over.row(y));
            } else {
                const auto g = light.along(y, learned.m_box);
                for (int x = 0; x < w; ++x) {
                    const double v = (p[x] - light.offset) / std::max(0.02, g[0] + g[1] * x + g[2] * x * x);
                    const double r = std::abs(v - usual[x]) * learned.m_weight[from + std::size_t(x)] / 256;
                    const auto q = std::uint16_t(std::min(65535.0, r));
                    most = std::max(most, q);
                    to.over.row(y)[x] = q > over ? 255 : 0;
                }
            }
            if (most > worst) worst = most, worstRow = y;
        }
        to.worst = std::min(kMostRatio, worst / 200.0);
        if (worstRow < 0) return;
        double found = -1;
        for (int x = 0; x < w; ++x) {
            const auto i = std::size_t(worstRow) * std::size_t(w) + std::size_t(x);
            if (const double r = learned.ratio(here, light, i); r > found) found = r, to.at = i;
        }
    }
    void others(const Light& light, double limit)
    {
        const int w = learned.m_box.width;
        Values v(here, light);
        std::array<std::vector<float>, 3> buffers;
        std::array<const float*, 3> usual{};
        for (int y = 0; y < learned.m_box.height; ++y) {
            v.goTo(y);
            for (int p = 0; p < learned.m_planes; ++p)
                usual[std::size_t(p)] = learned.usualRow(p, y, light, buffers[std::size_t(p)]);
            std::uint8_t* row = to.over.row(y);
            for (int x = 0; x < w; ++x) {
                const auto i = std::size_t(y) * std::size_t(w) + std::size_t(x);
                double r = 0;
                if (!std::isfinite(learned.m_allowed[i])) r = 0;
                else if (!here.sees(i)) r = learned.m_heights ? kMostRatio : 0;
                else {
                    float value[3] = {}, sum = 0;
                    v.read(i, x, learned.m_planes, value);
                    for (int p = 0; p < learned.m_planes; ++p) {
                        const float d = value[p] - usual[std::size_t(p)][x];
                        sum += d * d;
                    }
                    r = std::min(kMostRatio, double(std::sqrt(sum) / learned.m_allowed[i]));
                }
                if (r > to.worst) to.worst = r, to.at = i;
                row[x] = r > limit ? 255 : 0;
            }
        }
    }
};

Difference differ(const Learned& learned, const Patch& here, const Light& light, double limit)
{
    Difference to;
    to.over = image::Image::unwritten(learned.box().width, learned.box().height, PixelFormat::Grey8);
    to.compared = learned.compared();
    if (!here.unseen.empty())
        for (std::size_t i = 0; i < learned.box().count(); ++i)
            to.unseen += here.unseen[i] && std::isfinite(learned.allowed(i));
    ComparingRows rows{learned, here, to};
    const bool likeTaught = here.pixels.format() == PixelFormat::Grey8 && here.unseen.empty();
    if (learned.quick() && likeTaught) rows.bytes(light, limit);
    else rows.others(light, limit);
    return to;
}

std::vector<DifferentPlace> places(const Learned& learned, const Patch& here, const Light& light,
                                   const Difference& difference, double leastArea, std::size_t most)
{
    BlobOptions o;
    o.low = 128, o.high = 255, o.leastArea = leastArea;
    const PatchBox& box = learned.box();
    const BlobList list = findBlobs(difference.over.grey(), geometry::Region::whole(), o);
    std::vector<DifferentPlace> out(list.blobs.size());
    for (std::size_t b = 0; b < list.blobs.size(); ++b) {
        const Blob& blob = list.blobs[b];
        out[b].area = blob.area, out[b].centre = blob.centroid;
        out[b].left = blob.left, out[b].top = blob.top, out[b].right = blob.right, out[b].bottom = blob.bottom;
    }
    for (const Run& run : list.runs) {
        if (run.blob < 0) continue;
        DifferentPlace& p = out[std::size_t(run.blob)];
        for (int x = run.from; x < run.to; ++x) {
            float side = 0;
            const double r =
                learned.ratio(here, light, std::size_t(run.y) * std::size_t(box.width) + std::size_t(x), &side);
            if (r > p.worst) p.worst = r, p.worstAt = {double(x), double(run.y)};
            p.brighter += side > 0;
        }
    }
    std::vector<std::size_t> order(out.size());
    for (std::size_t i = 0; i < order.size(); ++i) order[i] = i;
    std::stable_sort(order.begin(), order.end(),
                     [&](std::size_t a, std::size_t b) { return out[a].worst > out[b].worst; });
    const BlobRuns runs(list);
    std::vector<DifferentPlace> sorted;
    for (const std::size_t i : order) {
        DifferentPlace& p = out[i];
        p.brighter /= p.area;
        if (sorted.size() < most) {
            auto lines = runs.outlines(int(i));
            if (!lines.empty()) p.outline = std::move(lines.front());
        }
        sorted.push_back(std::move(p));
    }
    return sorted;
}

} // namespace vision

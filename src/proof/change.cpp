#include "proof/change.h"

#include "base/unit.h"
#include "image/decode.h"
#include "proof/random.h"
#include "vision/edges.h"
#include "vision/threshold.h"

#include <algorithm>
#include <cstring>
#include <jpeglib.h>

namespace proof
{
using geometry::Point;
using image::Image;
using image::PixelFormat;

namespace
{
constexpr ChangeKind kKinds[] = {
    {"darker", "darker", "%", "Less light all over: an old lamp, a closed aperture.", 20, false, true, false},
    {"brighter", "brighter", "%", "More light all over, cut off at white.", 20, false, true, false},
    {"uneven", "uneven", "%", "Light that falls off across the picture by so much.", 15, false, true, false},
    {"blur", "blur", "px", "Out of focus: a Gaussian of this sigma on top of the picture's own blur.", 1.2, false, true,
     false},
    {"noise", "noise", "grey", "Noise of this sigma at middle grey, more where it is bright.", 6, false, true, false},
    {"turn", "turn", "°", "The picture turned about its middle, to either side.", 3, false, false, true},
    {"shift", "shift", "px", "The picture shifted, to any side.", 20, false, false, false},
    {"size", "size", "%", "Larger or smaller: another distance, another lens.", 0.1, false, false, true},
    {"tilt", "tilt", "°", "The part tilted against the camera, seen from 20 widths away.", 2, false, false, true},
    {"dust", "dust", "specks", "Dark and bright specks of 2 to 5 px anywhere, in a million pixels.", 20, false, true,
     false},
    {"cover", "cover", "%", "Something dark over a corner, this share of the picture's width.", 4, false, true, false},
    {"jpeg", "JPEG", "loss", "Kept as JPEG; 0 is best quality, 100 is worst.", 30, false, true, false},
    {"lines", "lost lines", "lines", "Lines that come twice because one was lost.", 1, false, false, false},
    {"bands", "bands", "%", "Bright and dark bands: a lamp on mains under a moving shutter.", 5, false, true, false},
    {"colour", "colour of light", "%", "More red and less blue, or the other way round.", 10, true, true, true},
};
constexpr double kRipple = 48; // px, half a band

bool wide(const Image& p) { return image::bytesPerSample(p.format()) == 2; }
// Each sample by `f(level 0 to 255, x, y, channel)`.
template <class F> Image mapped(const Image& in, F f)
{
    Image out = Image::unwritten(in.width(), in.height(), in.format());
    const int ch = image::channels(in.format());
    for (int y = 0; y < in.height(); ++y) {
        if (wide(in)) {
            const auto* from = reinterpret_cast<const std::uint16_t*>(in.row(y));
            auto* to = reinterpret_cast<std::uint16_t*>(out.row(y));
            for (int x = 0; x < in.width() * ch; ++x)
                to[x] = std::uint16_t(std::clamp(f(from[x] / 257.0, x / ch, y, x % ch) * 257.0 + 0.5, 0.0, 65535.0));
        } else {
            const auto* from = in.row(y);
            auto* to = out.row(y);
            for (int x = 0; x < in.width() * ch; ++x)
                to[x] = std::uint8_t(std::clamp(f(double(from[x]), x / ch, y, x % ch) + 0.5, 0.0, 255.0));
        }
    }
    return out;
}
// One factor for all: by table.
Image brightened(const Image& in, double gain)
{
    if (wide(in)) return mapped(in, [&](double v, int, int, int) { return v * gain; });
    std::array<std::uint8_t, 256> table;
    for (int i = 0; i < 256; ++i) table[std::size_t(i)] = std::uint8_t(std::clamp(i * gain + 0.5, 0.0, 255.0));
    Image out = Image::unwritten(in.width(), in.height(), in.format());
    for (int y = 0; y < in.height(); ++y) {
        const auto* from = in.row(y);
        auto* to = out.row(y);
        for (std::size_t x = 0; x < in.rowBytes(); ++x) to[x] = table[from[x]];
    }
    return out;
}
// A factor for each row and column: gain = 1 + along x + along y.
Image shaded(const Image& in, const std::vector<float>& columns, const std::vector<float>& rows)
{
    Image out = Image::unwritten(in.width(), in.height(), in.format());
    const int ch = image::channels(in.format());
    for (int y = 0; y < in.height(); ++y) {
        const float base = 1 + rows[std::size_t(y)];
        const auto each = [&](const auto* from, auto* to, float most) {
            for (int x = 0; x < in.width(); ++x) {
                const float g = base + columns[std::size_t(x)];
                for (int c = 0; c < ch; ++c) {
                    const float v = float(from[x * ch + c]) * g + 0.5f;
                    to[x * ch + c] = std::remove_reference_t<decltype(to[0])>(std::min(std::max(v, 0.f), most));
                }
            }
        };
        if (wide(in))
            each(reinterpret_cast<const std::uint16_t*>(in.row(y)), reinterpret_cast<std::uint16_t*>(out.row(y)),
                 65535.f);
        else each(in.row(y), out.row(y), 255.f);
    }
    return out;
}

Image noisy(const Image& in, double sigma, std::uint64_t seed)
{
    // Normal numbers from a table, begun anew at a random place in each row.
    static const std::vector<float> table = [] {
        Random r(77);
        std::vector<float> t(1 << 16);
        for (float& v : t) v = float(r.normal());
        return t;
    }();
    std::array<float, 256> at; // by level: half of the variance is there without light
    for (int i = 0; i < 256; ++i) at[std::size_t(i)] = float(sigma * std::sqrt(0.5 + 0.5 * i / 128.0));
    Image out = Image::unwritten(in.width(), in.height(), in.format());
    const int samples = in.width() * image::channels(in.format());
    Random random(seed);
    for (int y = 0; y < in.height(); ++y) {
        std::uint32_t state = std::uint32_t(random.bits()) | 1;
        if (wide(in)) {
            const auto* from = reinterpret_cast<const std::uint16_t*>(in.row(y));
            auto* to = reinterpret_cast<std::uint16_t*>(out.row(y));
            for (int x = 0; x < samples; ++x) {
                state = state * 1664525u + 1013904223u;
                const float v = float(from[x]) + 257 * at[from[x] >> 8] * table[state >> 16];
                to[x] = std::uint16_t(std::min(std::max(v + 0.5f, 0.f), 65535.f));
            }
            continue;
        }
        const auto* from = in.row(y);
        auto* to = out.row(y);
        for (int x = 0; x < samples; ++x) {
            state = state * 1664525u + 1013904223u;
            const float v = float(from[x]) + at[from[x]] * table[state >> 16];
            to[x] = std::uint8_t(std::min(std::max(v + 0.5f, 0.f), 255.f));
        }
    }
    return out;
}

// Every channel by itself.
Image blurred(const Image& in, double sigma)
{
    if (sigma < 0.05) return in.clone();
    if (image::channels(in.format()) == 1) return vision::gaussianOf(in.grey(), sigma);
    Image out = Image::unwritten(in.width(), in.height(), in.format());
    Image plane = Image::unwritten(in.width(), in.height(), wide(in) ? PixelFormat::Grey16 : PixelFormat::Grey8);
    for (int c = 0; c < 3; ++c) {
        const auto copy = [&](auto sample, const Image& from, Image& to, bool apart) {
            using Sample = decltype(sample);
            for (int y = 0; y < in.height(); ++y) {
                const auto* a = reinterpret_cast<const Sample*>(from.row(y));
                auto* b = reinterpret_cast<Sample*>(to.row(y));
                for (int x = 0; x < in.width(); ++x) (apart ? b[x] : b[3 * x + c]) = apart ? a[3 * x + c] : a[x];
            }
        };
        wide(in) ? copy(std::uint16_t{}, in, plane, true) : copy(std::uint8_t{}, in, plane, true);
        const Image soft = vision::gaussianOf(plane.grey(), sigma);
        wide(in) ? copy(std::uint16_t{}, soft, out, false) : copy(std::uint8_t{}, soft, out, false);
    }
    return out;
}

// The picture at places `from(x, y)`; beyond its border the border goes on. Heights take their nearest.
template <class From> Image warped(const Image& in, From from)
{
    Image out = Image::unwritten(in.width(), in.height(), in.format());
    const int ch = image::channels(in.format()), w = in.width(), h = in.height();
    const auto each = [&](auto sample) {
        using Sample = decltype(sample);
        for (int y = 0; y < h; ++y) {
            auto* to = reinterpret_cast<Sample*>(out.row(y));
            for (int x = 0; x < w; ++x) {
                const Point p = from(x, y);
                const double px = std::clamp(p.x, 0.0, w - 1.0), py = std::clamp(p.y, 0.0, h - 1.0);
                const int ix = std::min(int(px), std::max(0, w - 2)), iy = std::min(int(py), std::max(0, h - 2));
                const float fx = float(px - ix), fy = float(py - iy);
                const auto* a = reinterpret_cast<const Sample*>(in.row(iy)) + ix * ch;
                const auto* b = reinterpret_cast<const Sample*>(in.row(std::min(iy + 1, h - 1))) + ix * ch;
                const int dx = w > 1 ? ch : 0;
                for (int c = 0; c < ch; ++c) {
                    if constexpr (std::is_same_v<Sample, float>) {
                        to[x * ch + c] = (fy < 0.5f ? a : b)[c + (fx < 0.5f ? 0 : dx)];
                    } else {
                        const float top = float(a[c]) + (float(a[c + dx]) - float(a[c])) * fx;
                        const float low = float(b[c]) + (float(b[c + dx]) - float(b[c])) * fx;
                        to[x * ch + c] = Sample(top + (low - top) * fy + 0.5f);
                    }
                }
            }
        }
    };
    if (in.format() == PixelFormat::Real32) each(float{});
    else if (wide(in)) each(std::uint16_t{});
    else each(std::uint8_t{});
    return out;
}
// Heights of 16 bit must not be mixed: a missing one is a value of its own.
template <class From> Image nearest(const Image& in, From from)
{
    return warped(in, [&](int x, int y) {
        const Point p = from(x, y);
        return Point{std::round(p.x), std::round(p.y)};
    });
}

Image specks(const Image& in, double count, std::uint64_t seed)
{
    Image out = in.clone();
    Random r(seed);
    const int n = int(std::lround(count * double(in.width()) * in.height() / 1e6));
    const int ch = image::channels(in.format());
    for (int i = 0; i < n; ++i) {
        const double cx = r.uniform(0, in.width()), cy = r.uniform(0, in.height()), radius = r.uniform(1, 2.5);
        const double level = r.below(2) ? r.uniform(0, 40) : r.uniform(200, 255);
        for (int y = std::max(0, int(cy - radius - 2)); y <= std::min(in.height() - 1, int(cy + radius + 2)); ++y)
            for (int x = std::max(0, int(cx - radius - 2)); x <= std::min(in.width() - 1, int(cx + radius + 2)); ++x) {
                const double share = std::clamp(radius + 0.5 - std::hypot(x - cx, y - cy), 0.0, 1.0);
                for (int c = 0; c < ch; ++c) {
                    if (wide(out)) {
                        auto& v = reinterpret_cast<std::uint16_t*>(out.row(y))[x * ch + c];
                        v = std::uint16_t(v + share * (level * 257 - v));
                    } else {
                        auto& v = out.row(y)[x * ch + c];
                        v = std::uint8_t(v + share * (level - v));
                    }
                }
            }
    }
    return out;
}
Image covered(const Image& in, double share, std::uint64_t seed)
{
    const double size = share / 100 * in.width() * std::sqrt(2.0);
    const int corner = Random(seed).below(4);
    return mapped(in, [&](double v, int x, int y, int) {
        const double dx = corner & 1 ? in.width() - 1 - x : x, dy = corner & 2 ? in.height() - 1 - y : y;
        return v + std::clamp(size - dx - dy, 0.0, 1.0) * (20 - v);
    });
}

// Through a JPEG file of this quality, 8 bit.
Image throughJpeg(const Image& in, int quality)
{
    if (wide(in) || in.empty()) return in.clone();
    const int ch = image::channels(in.format());
    jpeg_compress_struct c{};
    jpeg_error_mgr errors{};
    c.err = jpeg_std_error(&errors);
    jpeg_create_compress(&c);
    unsigned char* bytes = nullptr;
    unsigned long size = 0;
    jpeg_mem_dest(&c, &bytes, &size);
    c.image_width = JDIMENSION(in.width()), c.image_height = JDIMENSION(in.height());
    c.input_components = ch, c.in_color_space = ch == 3 ? JCS_RGB : JCS_GRAYSCALE;
    jpeg_set_defaults(&c);
    jpeg_set_quality(&c, quality, TRUE);
    jpeg_start_compress(&c, TRUE);
    while (c.next_scanline < c.image_height) {
        JSAMPROW row = const_cast<std::uint8_t*>(in.row(int(c.next_scanline)));
        jpeg_write_scanlines(&c, &row, 1);
    }
    jpeg_finish_compress(&c);
    jpeg_destroy_compress(&c);
    auto back = image::decode(std::string(reinterpret_cast<const char*>(bytes), size), "kept.jpg");
    std::free(bytes);
    return back && back->format() == in.format() ? std::move(*back) : in.clone();
}
Image doubledLines(const Image& in, int lines, std::uint64_t seed)
{
    Random r(seed);
    std::vector<int> lost;
    for (int i = 0; i < lines; ++i) lost.push_back(r.below(in.height()));
    std::sort(lost.begin(), lost.end());
    Image out = Image::unwritten(in.width(), in.height(), in.format());
    int from = 0;
    std::size_t next = 0;
    for (int y = 0; y < in.height(); ++y) {
        while (next < lost.size() && lost[next] == y) ++next, ++from; // what follows moves up
        std::memcpy(out.row(y), in.row(std::min(from, in.height() - 1)), in.rowBytes());
        ++from;
    }
    return out;
}

struct Changing {
    const std::string& key;
    double strength;
    std::uint64_t seed;
    bool flip() const { return (seed & 1) != 0; }

    // Where what is seen at (x, y) lay before; false: the change is none of place.
    bool moves(int w, int h, std::function<Point(int, int)>& from) const
    {
        const Point c{(w - 1) / 2.0, (h - 1) / 2.0};
        const double sign = flip() ? -1 : 1;
        if (key == "turn") {
            const double a = geometry::radians(strength) * sign, co = std::cos(a), si = std::sin(a);
            from = [=](int x, int y) {
                const double dx = x - c.x, dy = y - c.y;
                return Point{c.x + co * dx - si * dy, c.y + si * dx + co * dy};
            };
            return true;
        }
        if (key == "shift") {
            const double way = Random(seed).uniform(0, 2 * geometry::kPi);
            const Point d{std::round(strength * std::cos(way)), std::round(strength * std::sin(way))};
            from = [=](int x, int y) { return Point{x - d.x, y - d.y}; };
            return true;
        }
        if (key == "size") {
            const double by = 1 + sign * strength / 100;
            from = [=](int x, int y) { return Point{c.x + (x - c.x) / by, c.y + (y - c.y) / by}; };
            return true;
        }
        if (key == "tilt") {
            const double a = geometry::radians(strength) * sign, away = 20.0 * w, co = std::cos(a), si = std::sin(a);
            from = [=](int x, int y) {
                // A ray through the picture meets the tilted plane.
                const double dx = x - c.x, dy = y - c.y, t = 1 / (co - si * dx / away);
                return Point{c.x + dx * t, c.y + dy * t * co};
            };
            return true;
        }
        return false;
    }
    Image light(const Image& in) const
    {
        const double s = strength;
        if (key == "darker") return brightened(in, std::max(0.0, 1 - s / 100));
        if (key == "brighter") return brightened(in, 1 + s / 100);
        if (key == "uneven" || key == "bands") {
            std::vector<float> columns(static_cast<std::size_t>(in.width()), 0.f),
                rows(static_cast<std::size_t>(in.height()), 0.f);
            if (key == "bands") {
                for (int y = 0; y < in.height(); ++y)
                    rows[std::size_t(y)] = float(s / 100 * std::sin(geometry::kPi * y / kRipple + double(seed % 7)));
                return shaded(in, columns, rows);
            }
            const double way = Random(seed).uniform(0, 2 * geometry::kPi),
                         across = std::abs(std::cos(way)) + std::abs(std::sin(way));
            for (int x = 0; x < in.width(); ++x)
                columns[std::size_t(x)] = float(s / 100 / across * std::cos(way) * (double(x) / in.width() - 0.5));
            for (int y = 0; y < in.height(); ++y)
                rows[std::size_t(y)] = float(s / 100 / across * std::sin(way) * (double(y) / in.height() - 0.5));
            return shaded(in, columns, rows);
        }
        if (key == "blur") {
            Image out = blurred(in, s);
            const image::GreyView before = image::channels(in.format()) == 3 ? image::GreyView{} : in.grey();
            if (before.data && s > 0.05) {
                const double had = vision::noise(before), left = vision::noise(out.grey());
                if (had > left) out = noisy(out, std::sqrt(had * had - left * left), seed);
            }
            return out;
        }
        if (key == "noise") return noisy(in, s, seed);
        if (key == "dust") return specks(in, s, seed);
        if (key == "cover") return covered(in, s, seed);
        if (key == "jpeg") return throughJpeg(in, std::clamp(int(std::lround(100 - s)), 1, 100));
        if (key == "colour" && image::channels(in.format()) == 3) {
            const double by = s / 100 * (flip() ? -1 : 1);
            return mapped(in, [&](double v, int, int, int c) {
                return c == 0 ? v * (1 + by) : c == 2 ? v * (1 - by) : v;
            });
        }
        return in.clone();
    }
};
} // namespace

std::span<const ChangeKind> changeKinds() { return kKinds; }
const ChangeKind* findChange(const std::string& key)
{
    for (const ChangeKind& k : kKinds)
        if (key == k.key) return &k;
    return nullptr;
}
double expectedOf(const recipe::Recipe& recipe, const ChangeKind& kind)
{
    const auto it = recipe.proof.changes.find(kind.key);
    return it == recipe.proof.changes.end() ? kind.usual : it->second;
}
std::vector<const ChangeKind*> changesFor(const recipe::Recipe& recipe, const image::Capture& capture)
{
    bool light = false, colour = false;
    for (const image::Picture& p : capture.pictures()) {
        light = light || p.content != image::Content::Height;
        colour = colour || p.content == image::Content::Colour;
    }
    std::vector<const ChangeKind*> out;
    for (const ChangeKind& k : kKinds)
        if (expectedOf(recipe, k) > 0 && (!k.light || light) && (!k.colour || colour)) out.push_back(&k);
    return out;
}

image::Capture changed(const image::Capture& capture, const std::string& key, double strength, std::uint64_t seed)
{
    const Changing how{key, strength, seed};
    std::vector<image::Picture> pictures;
    for (const image::Picture& p : capture.pictures()) {
        const bool heights = p.content == image::Content::Height;
        std::function<Point(int, int)> from;
        Image next;
        if (how.moves(p.pixels.width(), p.pixels.height(), from)) {
            next = heights || key == "shift" ? nearest(p.pixels, from) : warped(p.pixels, from);
        } else if (key == "lines") next = doubledLines(p.pixels, int(std::lround(strength)), seed);
        else next = heights ? p.pixels.clone() : how.light(p.pixels);
        pictures.push_back(redrawn(p, std::move(next)));
    }
    return {capture.id(), std::move(pictures)};
}

image::Picture redrawn(const image::Picture& like, Image pixels)
{
    image::Picture out = like.content == image::Content::Height
                             ? image::makeHeights(std::move(pixels), *like.scale, like.key)
                             : image::makePicture(std::move(pixels), like.key);
    out.joined = like.joined;
    return out;
}

std::string said(const ChangeKind& kind, double strength)
{
    const int places = strength < 2 ? 2 : strength < 10 ? 1 : 0;
    return std::string(kind.label) + " " + base::toText(strength, places) + " " + kind.unit;
}

} // namespace proof

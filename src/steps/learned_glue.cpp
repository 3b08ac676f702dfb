#include "steps/learned_glue.h"

#include <algorithm>
#include <cmath>

namespace steps
{
using namespace recipe;
using geometry::Point;
using geometry::Region;
using image::PixelFormat;
using vision::Patch;
using vision::PatchBox;

vision::LearnOptions learnOptions(const LearnSettings& s)
{
    vision::LearnOptions o;
    o.spreads = s.spreads;
    o.least = s.by == CompareBy::Colour ? s.leastColour : s.leastGrey;
    o.edge = s.edge;
    o.light = s.light;
    return o;
}

namespace
{
// A motion is asked for every pixel: its sine and cosine are worked out once.
vision::Carry carried(const geometry::Motion& motion, Point shift)
{
    const Point o = motion.carry(shift), x = motion.carry(shift + Point{1, 0}) - o,
                y = motion.carry(shift + Point{0, 1}) - o;
    return [=](Point p) { return o + x * p.x + y * p.y; };
}
} // namespace

vision::Carry carryTo(const RunInput& in, Point shift)
{
    if (!in.bends()) return carried(in.motion, shift);
    return [&in, shift](Point p) { return in.picture(in.motion.carry(in.level(p + shift))); };
}
vision::Carry carryTo(const TeachInput& in, const SampleInput& sample, Point shift)
{
    const geometry::Calibration* c = in.calibration && in.calibration->bends() ? in.calibration : nullptr;
    if (!c) return carried(sample.motion, shift);
    return [c, motion = sample.motion, shift](Point p) { return c->picture(motion.carry(c->level(p + shift))); };
}
const image::Picture* pictureOf(const TeachInput& in, const SampleInput& sample, const std::string& key)
{
    const image::Picture* p = sample.capture ? sample.capture->find(key) : nullptr;
    const image::Picture* like = key == in.seen().key ? &in.seen() : in.reference.find(key);
    return p && like && p->content == like->content ? p : nullptr;
}

std::optional<PatchBox> boxOf(const Region& region, double more, const image::Picture& reference)
{
    const int w = reference.pixels.width(), h = reference.pixels.height();
    double left = 0, top = 0, right = w - 1, bottom = h - 1;
    if (region.shape != geometry::Shape::Whole) {
        left = top = 1e9, right = bottom = -1e9;
        for (const auto& outline : region.outlines())
            for (const Point p : outline) {
                left = std::min(left, p.x), right = std::max(right, p.x);
                top = std::min(top, p.y), bottom = std::max(bottom, p.y);
            }
        left -= more, top -= more, right += more, bottom += more;
    }
    const int l = int(std::max(0.0, std::floor(left))), t = int(std::max(0.0, std::floor(top)));
    const int r = int(std::min(w - 1.0, std::ceil(right))), b = int(std::min(h - 1.0, std::ceil(bottom)));
    if (r - l < 2 || b - t < 2) return {};
    return PatchBox{l, t, r - l + 1, b - t + 1};
}
std::vector<std::uint8_t> countsIn(const Region& region, const std::vector<Region>& leftOut, const PatchBox& box,
                                   const image::Picture& reference)
{
    const int w = reference.pixels.width(), h = reference.pixels.height();
    std::vector<std::uint8_t> out(box.count(), 0);
    for (const geometry::Span& s : geometry::without(geometry::spans(region, w, h), leftOut, w, h)) {
        if (s.y < box.top || s.y >= box.top + box.height) continue;
        const int from = std::max(s.from, box.left), to = std::min(s.to, box.left + box.width);
        if (from >= to) continue;
        const std::size_t row = std::size_t(s.y - box.top) * std::size_t(box.width);
        std::fill(out.begin() + std::ptrdiff_t(row + std::size_t(from - box.left)),
                  out.begin() + std::ptrdiff_t(row + std::size_t(to - box.left)), std::uint8_t(1));
    }
    return out;
}

std::string fewSamples(int samples)
{
    if (samples >= 5) return {};
    return samples == 1
               ? "variation unknown: learned from one good part alone; add some 7 good ones"
               : "variation hardly known: learned from " + std::to_string(samples) + " good parts; 8 are better";
}
std::string sideOf(double brighter)
{
    return brighter > 0.75 ? "brighter" : brighter < 0.25 ? "darker" : "brighter and darker";
}

namespace
{
image::Image toGreyShown(const Patch& patch)
{
    image::Image shown = shownPatch(patch);
    return shown.format() == PixelFormat::Colour8 ? image::toGrey(shown) : std::move(shown);
}
} // namespace

image::Image differencePicture(const vision::Learned& learned, const Patch& here, const vision::Light& light,
                               const Patch& shown)
{
    const PatchBox &box = learned.box(), &all = shown.box;
    image::Image out(all.width, all.height, PixelFormat::Colour8);
    const image::Image grey = toGreyShown(shown);
    for (int y = 0; y < all.height; ++y)
        for (int x = 0; x < all.width; ++x) {
            std::uint8_t* to = out.row(y) + 3 * x;
            const int bx = x + all.left - box.left, by = y + all.top - box.top;
            // Paper where nothing differs; the two signs of the deviation scale beyond what is allowed.
            const double pale = 175 + grey.row(y)[x] / 255.0 * 70;
            double much = 0;
            float side = 0;
            if (bx >= 0 && by >= 0 && bx < box.width && by < box.height) {
                const double r =
                    learned.ratio(here, light, std::size_t(by) * std::size_t(box.width) + std::size_t(bx), &side);
                much = std::min(1.0, std::max(0.0, r - 0.5) / 1.5);
            }
            const double dark[3] = {138, 42, 122}, bright[3] = {79, 90, 16};
            for (int k = 0; k < 3; ++k)
                to[k] = std::uint8_t(std::lround(pale * (1 - much) + (side < 0 ? dark[k] : bright[k]) * much));
        }
    return out;
}
image::Image shownPatch(const Patch& patch)
{
    if (patch.colour() || patch.pixels.format() == PixelFormat::Grey8) return patch.pixels.clone();
    image::Image out(patch.box.width, patch.box.height, PixelFormat::Grey8);
    float low = 0, high = 255;
    if (patch.heights()) {
        low = 1e30f, high = -1e30f;
        for (std::size_t i = 0; i < patch.box.count(); ++i)
            if (patch.sees(i)) low = std::min(low, patch.level(i)), high = std::max(high, patch.level(i));
        if (!(high > low)) high = low + 1;
    }
    for (std::size_t i = 0; i < patch.box.count(); ++i)
        if (patch.sees(i))
            out.row(0)[i] =
                std::uint8_t(std::lround(std::clamp(255 * (patch.level(i) - low) / (high - low), 0.0f, 255.0f)));
    return out;
}

} // namespace steps

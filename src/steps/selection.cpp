#include "steps/selection.h"

#include <algorithm>
#include <cmath>
#include <optional>

namespace steps
{
using namespace recipe;

bool selectionIsTaught(const SelectionSettings& s)
{
    return s.mode == TakeBy::Colour || (s.once && (s.mode == TakeBy::Automatic || s.mode == TakeBy::TwoPeaks));
}

namespace
{
base::Result<double> workedOut(const SelectionSettings& s, const vision::Histogram& h)
{
    return s.mode == TakeBy::TwoPeaks ? vision::twoPeaksThreshold(h) : vision::automaticThreshold(h);
}
} // namespace

namespace
{
// The upright box of the spans with a margin, cut to the picture: nothing beyond it needs to be worked on.
struct Box {
    int x, y, width, height;
};
Box boxOf(const std::vector<geometry::Span>& where, int margin, int width, int height)
{
    int left = width, right = 0, top = height, bottom = 0;
    for (const geometry::Span& s : where)
        left = std::min(left, s.from), right = std::max(right, s.to), top = std::min(top, s.y),
        bottom = std::max(bottom, s.y + 1);
    left = std::max(0, left - margin), top = std::max(0, top - margin);
    right = std::min(width, right + margin), bottom = std::min(height, bottom + margin);
    return {left, top, std::max(1, right - left), std::max(1, bottom - top)};
}
image::GreyView cut(image::GreyView v, const Box& box)
{
    v.data = static_cast<const std::uint8_t*>(v.data) + (box.y * v.stride + box.x) * (v.wide ? 2 : 1);
    v.width = box.width, v.height = box.height;
    return v;
}
// The part back in its place of a whole picture; outside nothing is taken.
image::Image inPlace(const image::Image& part, const Box& box, int width, int height)
{
    if (part.width() == width && part.height() == height) return part.clone();
    image::Image out(width, height, part.format());
    const std::size_t bytes = part.rowBytes() / std::size_t(part.width());
    for (int y = 0; y < box.height; ++y)
        std::copy_n(part.row(y), part.rowBytes(), out.row(box.y + y) + std::size_t(box.x) * bytes);
    return out;
}

// The picture as the limits see it: smoothed, its light evened out, its background taken away. Only the box is worked
// on.
struct Worked {
    image::GreyView view; // of the whole picture
    std::shared_ptr<const image::Image> owned;
};
base::Result<Worked> workedPicture(const SelectionSettings& s, image::GreyView picture,
                                   const image::Picture& emptyPicture, const Box& box,
                                   const std::vector<geometry::Span>& where)
{
    const int width = picture.width, height = picture.height;
    std::optional<image::Image> part;
    const auto now = [&] { return part ? part->grey() : cut(picture, box); };
    if (s.smooth == Smooth::Median) part = vision::medianOf(now(), s.smoothSize);
    if (s.smooth == Smooth::Gaussian) part = vision::gaussianOf(now(), s.smoothSize / 4.0);
    if (s.shading) {
        if (emptyPicture.pixels.empty())
            return base::fail(base::ErrorCode::NotFound, "the recipe has no empty picture to even out the light with");
        const image::GreyView empty = emptyPicture.grey();
        if (empty.width != width || empty.height != height)
            return base::fail(base::ErrorCode::InvalidArgument, "the empty picture is " + std::to_string(empty.width) +
                                                                    "×" + std::to_string(empty.height) +
                                                                    " px, this one " + std::to_string(width) + "×" +
                                                                    std::to_string(height));
        const double mean = vision::greys(empty, geometry::spans(geometry::Region::whole(), width, height)).mean;
        part = vision::shadingCorrected(now(), cut(empty, box), mean);
    }
    if (s.ground == Ground::Opening) part = vision::groundTaken(now(), s.groundSize | 1, s.objects == Objects::Bright);
    if (s.ground == Ground::Plane) {
        std::vector<geometry::Span> inBox;
        for (const geometry::Span& r : where) inBox.push_back({r.y - box.y, r.from - box.x, r.to - box.x});
        part = vision::planeTaken(now(), inBox);
    }
    if (!part) return Worked{picture, nullptr};
    Worked out;
    out.owned = std::make_shared<const image::Image>(inPlace(*part, box, width, height));
    out.view = out.owned->grey();
    return out;
}
// How far beyond the region the neighbourhood of its pixels reaches: the answer is that of the whole picture.
int marginOf(const SelectionSettings& s)
{
    return (s.mode == TakeBy::Local ? s.localWindow / 2 + 1 : 0) + 2 * (s.opening + s.closing) +
           (s.smooth == Smooth::None ? 0 : s.smoothSize + 1) + (s.ground == Ground::Opening ? 2 * s.groundSize : 0);
}
} // namespace

base::Result<SelectionTaught> teachSelection(const SelectionSettings& s, const TeachInput& in)
{
    SelectionTaught out;
    const image::Image& shown = in.seen().pixels;
    if (s.mode != TakeBy::Colour) {
        const auto it = in.regions.find("region");
        const auto where =
            geometry::without(geometry::spans(it == in.regions.end() ? geometry::Region::whole() : it->second,
                                              shown.width(), shown.height()),
                              in.leaveOut, shown.width(), shown.height());
        if (geometry::pixelCount(where) == 0)
            return base::fail(base::ErrorCode::NoResult, "the region lies outside the reference");
        const image::GreyView grey = in.seen().grey();
        const auto worked =
            workedPicture(s, grey, in.emptyPicture(), boxOf(where, marginOf(s), grey.width, grey.height), where);
        if (!worked) return base::passOn(worked.error(), "on the reference");
        const auto t = workedOut(s, vision::histogram(worked->view, where));
        if (!t) return base::passOn(t.error(), "on the reference");
        out.threshold = *t;
        return out;
    }
    std::vector<vision::ColourSample> samples;
    for (const Sample& x : in.samples) {
        vision::ColourSample one;
        if (x.colour) one.colour = vision::labOf((*x.colour)[0], (*x.colour)[1], (*x.colour)[2]);
        else if (x.at.x < -0.5 || x.at.y < -0.5 || x.at.x > shown.width() - 0.5 || x.at.y > shown.height() - 0.5)
            return base::fail(base::ErrorCode::OutOfRange, "a colour sample lies outside the reference");
        else one = vision::sampleAt(shown, x.at.x, x.at.y, 1);
        one.refused = x.refused;
        samples.push_back(one);
    }
    if (const auto it = in.regions.find("learn"); it != in.regions.end()) {
        std::vector<std::array<int, 2>> pixels;
        for (const geometry::Span& span : geometry::spans(it->second, shown.width(), shown.height()))
            for (int x = span.from; x < span.to; ++x) pixels.push_back({x, span.y});
        for (const auto& one : vision::samplesOf(shown, pixels, 0.01)) samples.push_back(one);
    }
    if (std::none_of(samples.begin(), samples.end(), [](const auto& x) { return !x.refused; }))
        return base::fail(base::ErrorCode::NoResult,
                          "no colour has been shown: click one on the reference, or draw the area to learn from");
    out.colour.emplace(samples, s.tolerance, s.lightness);
    return out;
}

std::vector<geometry::Span> selectionSpans(const RunInput& in)
{
    const int w = in.grey().width, h = in.grey().height;
    return geometry::without(geometry::spans(in.region("region"), w, h), in.leaveOut, w, h);
}

base::Result<Selection> select(const SelectionSettings& s, const RunInput& in, const std::vector<geometry::Span>& where)
{
    Selection out;
    out.view = in.grey();
    const auto* taught = in.taught ? &std::any_cast<const SelectionTaught&>(*in.taught) : nullptr;
    if (s.mode == TakeBy::Colour && (!taught || !taught->colour))
        return base::fail(base::ErrorCode::NoResult, "not taught: the recipe has no reference");
    const Box box = boxOf(where, marginOf(s), out.view.width, out.view.height);
    const int width = out.view.width, height = out.view.height;
    auto worked = workedPicture(s, in.grey(), in.emptyPicture(), box, where);
    if (!worked) return base::passOn(worked.error());
    out.view = out.judged = worked->view;
    out.owned = out.judgedOwned = worked->owned;
    const auto own = [&](const image::Image& part) {
        out.owned = std::make_shared<const image::Image>(inPlace(part, box, width, height));
        out.view = out.owned->grey();
        out.mask = true;
        out.low = out.high = 255;
    };
    switch (s.mode) {
    case TakeBy::Colour:
        own(vision::colourMask(in.seen().pixels, *taught->colour, box.x, box.y, box.width, box.height));
        break;
    case TakeBy::Local:
        own(vision::localThreshold(cut(out.view, box), s.localWindow / 2, s.localOffset, s.objects == Objects::Bright,
                                   s.localSpread));
        break;
    case TakeBy::Fixed:
        out.low = s.low, out.high = s.high, out.threshold = s.low;
        if (s.outside) own(vision::rangeMask(cut(out.view, box), s.low, s.high, true));
        break;
    case TakeBy::Automatic:
    case TakeBy::TwoPeaks: {
        const auto t = taught && taught->threshold ? base::Result<double>(*taught->threshold)
                                                   : workedOut(s, vision::histogram(out.view, where));
        if (!t && s.mode == TakeBy::TwoPeaks) return base::passOn(t.error());
        if (!t) {
            out.nothing = true;
            return out;
        }
        // Levels below the bright side's lowest one; a 16-bit level of 99.6 belongs to bin 99, thus to the dark side of
        // 100.
        if (s.objects == Objects::Bright) out.low = std::ceil(*t), out.threshold = out.low;
        else out.low = 0, out.high = std::ceil(*t) - (out.view.wide ? 1.0 / 257.0 : 1.0), out.threshold = out.high;
        break;
    }
    }
    if (s.opening > 1 || s.closing > 1) {
        image::Image part = vision::rangeMask(cut(out.view, box), out.low, out.high);
        if (s.opening > 1) part = vision::opened(part.grey(), s.opening, s.opening);
        if (s.closing > 1) part = vision::closed(part.grey(), s.closing, s.closing);
        own(part);
    }
    return out;
}

base::Result<Evidence> selectionEvidence(const SelectionSettings& s, const RunInput& in,
                                         const std::vector<geometry::Span>& where)
{
    if (geometry::pixelCount(where) == 0)
        return base::fail(base::ErrorCode::NoResult, "the region lies outside the picture");
    const auto taken = select(s, in, where);
    // Of the picture the limits are compared with.
    const vision::Histogram h = vision::histogram(taken ? taken->judged : in.grey(), where);
    Evidence e;
    e.title = "histogram of the region";
    e.xLabel = "grey", e.yLabel = "pixels";
    e.logarithmic = true;
    Evidence::Curve c{"pixels", {}, {}, true, false};
    for (std::size_t i = 0; i < 256; ++i) c.x.push_back(double(i)), c.y.push_back(double(h.count[i]));
    e.curves = {c};
    if (!taken) {
        e.note = taken.error().message;
        return e;
    }
    if (taken->nothing) return e;
    e.takes = true, e.low = taken->low, e.high = taken->high;
    if (taken->owned) {
        e.low = 0, e.high = 255;
        e.mask = taken->mask
                     ? taken->owned
                     : std::make_shared<const image::Image>(vision::rangeMask(taken->view, taken->low, taken->high));
    }
    switch (s.mode) {
    case TakeBy::Local:
        e.note = "local threshold: compared with the mean of the " + std::to_string(s.localWindow | 1) +
                 " px square about each pixel";
        break;
    case TakeBy::Colour: e.note = "taken by colour; the plot shows the grey levels only"; break;
    default:
        // Dragging a limit fixes it.
        if (const bool fixed = s.mode == TakeBy::Fixed; true) {
            const double low = fixed ? s.low
                               : taken->mask && taken->threshold
                                   ? (s.objects == Objects::Bright ? *taken->threshold : 0)
                                   : taken->low;
            const double high = fixed ? s.high
                                : taken->mask && taken->threshold
                                    ? (s.objects == Objects::Bright ? 255 : *taken->threshold)
                                    : taken->high;
            e.handles.push_back({"low", "low", true, low, {{"mode", std::string("fixed")}, {"high", high}}});
            e.handles.push_back({"high", "high", true, high, {{"mode", std::string("fixed")}, {"low", low}}});
        }
        e.note = s.mode == TakeBy::Fixed
                     ? (s.outside ? "fixed limits; what lies outside them is taken" : "fixed limits")
                 : s.once ? "automatic threshold, worked out on the reference; drag a limit to fix it"
                          : "automatic threshold, worked out for each picture; drag a limit to fix it";
    }
    return e;
}

} // namespace steps

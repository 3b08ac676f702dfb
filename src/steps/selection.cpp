#include "steps/selection.h"

#include <cmath>

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

base::Result<SelectionTaught> teachSelection(const SelectionSettings& s, const TeachInput& in, const std::string& region)
{
    SelectionTaught out;
    const image::Image& shown = in.reference.shown();
    if (s.mode != TakeBy::Colour) {
        const auto it = in.regions.find(region);
        const auto where =
            geometry::without(geometry::spans(it == in.regions.end() ? geometry::Region::whole() : it->second, shown.width(), shown.height()),
                              in.leaveOut, shown.width(), shown.height());
        const auto t = workedOut(s, vision::histogram(in.reference.grey.grey(), where));
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
        return base::fail(base::ErrorCode::NoResult, "no colour has been shown: click one on the reference, or draw the area to learn from");
    out.colour.emplace(samples, s.tolerance, s.lightness);
    return out;
}

base::Result<Selection> select(const SelectionSettings& s, const RunInput& in, const std::vector<geometry::Span>& where)
{
    Selection out;
    out.view = in.grey();
    const auto own = [&](image::Image made) {
        out.owned = std::make_shared<const image::Image>(std::move(made));
        out.view = out.owned->grey();
    };
    if (s.shading) {
        if (!in.empty) return base::fail(base::ErrorCode::NotFound, "the recipe has no empty picture to even out the light with");
        const image::GreyView empty = in.empty->grey.grey();
        if (empty.width != out.view.width || empty.height != out.view.height)
            return base::fail(base::ErrorCode::InvalidArgument, "the empty picture is " + std::to_string(empty.width) + "×" +
                                                                    std::to_string(empty.height) + " px, this one " + std::to_string(out.view.width) +
                                                                    "×" + std::to_string(out.view.height));
        own(vision::shadingCorrected(out.view, empty));
    }
    const auto* taught = in.taught ? &std::any_cast<const SelectionTaught&>(*in.taught) : nullptr;
    switch (s.mode) {
    case TakeBy::Colour:
        if (!taught || !taught->colour) return base::fail(base::ErrorCode::NoResult, "not taught: the recipe has no reference");
        own(vision::colourMask(in.capture.shown(), *taught->colour));
        out.low = out.high = 255;
        break;
    case TakeBy::Local:
        own(vision::localThreshold(out.view, s.localWindow / 2, s.localOffset, s.objects == Objects::Bright));
        out.low = out.high = 255;
        break;
    case TakeBy::Fixed: out.low = s.low, out.high = s.high, out.threshold = s.low; break;
    case TakeBy::Automatic:
    case TakeBy::TwoPeaks: {
        const auto t = taught && taught->threshold ? base::Result<double>(*taught->threshold) : workedOut(s, vision::histogram(out.view, where));
        if (!t && s.mode == TakeBy::TwoPeaks) return base::passOn(t.error());
        if (!t) {
            out.nothing = true;
            return out;
        }
        // Levels below the bright side's lowest one; a 16-bit level of 99.6 belongs to bin 99, thus to the dark side of 100.
        if (s.objects == Objects::Bright) out.low = std::ceil(*t), out.threshold = out.low;
        else out.low = 0, out.high = std::ceil(*t) - (out.view.wide ? 1.0 / 257.0 : 1.0), out.threshold = out.high;
        break;
    }
    }
    if (s.opening > 1 || s.closing > 1) {
        if (!out.isMask()) own(vision::rangeMask(out.view, out.low, out.high)), out.low = out.high = 255;
        if (s.opening > 1) own(vision::opened(out.view, s.opening, s.opening));
        if (s.closing > 1) own(vision::closed(out.view, s.closing, s.closing));
    }
    return out;
}

base::Result<Evidence> selectionEvidence(const SelectionSettings& s, const RunInput& in, const std::vector<geometry::Span>& where)
{
    const vision::Histogram h = vision::histogram(in.grey(), where);
    if (h.total == 0) return base::fail(base::ErrorCode::NoResult, "the region lies outside the picture");
    Evidence e;
    e.title = "histogram of the region";
    e.xLabel = "grey", e.yLabel = "pixels";
    e.logarithmic = true;
    Evidence::Curve c{"pixels", {}, {}, true, false};
    for (std::size_t i = 0; i < 256; ++i) c.x.push_back(double(i)), c.y.push_back(double(h.count[i]));
    e.curves = {c};
    const auto taken = select(s, in, where);
    if (!taken) {
        e.note = taken.error().message;
        return e;
    }
    if (taken->nothing) return e;
    e.takes = true, e.low = taken->low, e.high = taken->high;
    if (taken->owned) {
        e.low = 0, e.high = 255;
        e.mask = taken->isMask() ? taken->owned : std::make_shared<const image::Image>(vision::rangeMask(taken->view, taken->low, taken->high));
    }
    switch (s.mode) {
    case TakeBy::Local:
        e.note = "local threshold: compared with the mean of the " + std::to_string(s.localWindow | 1) + " px square about each pixel";
        break;
    case TakeBy::Colour: e.note = "taken by colour; the plot shows the grey levels only"; break;
    default:
        // Dragging a limit fixes it.
        e.handles.push_back({"low", "low", true, taken->low, {{"mode", std::string("fixed")}, {"high", taken->high}}});
        e.handles.push_back({"high", "high", true, taken->high, {{"mode", std::string("fixed")}, {"low", taken->low}}});
        e.note = s.mode == TakeBy::Fixed ? "fixed limits"
                 : s.once                ? "automatic threshold, worked out on the reference; drag a limit to fix it"
                                         : "automatic threshold, worked out for each picture; drag a limit to fix it";
    }
    return e;
}

} // namespace steps

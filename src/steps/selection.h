// selection.h - which pixels belong to an object, as settings several step kinds share: grey limits, a local limit, or
// a colour.
#pragma once
#include "recipe/declare.h"
#include "vision/colour.h"
#include "vision/threshold.h"

namespace steps
{

enum class TakeBy { Automatic, TwoPeaks, Fixed, Local, Colour };
enum class Objects { Bright, Dark };
enum class Smooth { None, Median, Gaussian };
enum class Ground { Kept, Opening, Plane };
struct SelectionSettings {
    TakeBy mode = TakeBy::Automatic;
    Objects objects = Objects::Bright;
    bool once = false; // the automatic threshold is worked out on the reference and kept
    double low = 128;
    double high = 255;
    bool outside = false;
    int localWindow = 51;
    double localOffset = 10;
    double localSpread = 0;
    double tolerance = 12;
    double lightness = 0.5;
    bool shading = false;
    Smooth smooth = Smooth::None;
    int smoothSize = 5;
    Ground ground = Ground::Kept;
    int groundSize = 101;
    int opening = 1;
    int closing = 1;
};
struct SelectionTaught {
    std::optional<double> threshold;
    std::optional<vision::ColourModel> colour;
};

// Pixels of `view` with low ≤ level ≤ high are taken.
struct Selection {
    image::GreyView view;
    std::shared_ptr<const image::Image> owned; // when the view is not the picture itself
    double low = 0, high = 255;
    std::optional<double> threshold; // grey level at which objects begin
    bool mask = false;               // the view holds 0 and 255 only
    image::GreyView judged;          // the picture the limits are compared with: smoothed, its light evened out
    std::shared_ptr<const image::Image> judgedOwned;
    bool nothing = false; // one grey level everywhere: there is no object, and that is an answer
};
// The pixels a step looks at: its region less what is left out.
std::vector<geometry::Span> selectionSpans(const recipe::RunInput& in);
base::Result<Selection> select(const SelectionSettings& s, const recipe::RunInput& in,
                               const std::vector<geometry::Span>& where);
bool selectionIsTaught(const SelectionSettings& s);
base::Result<SelectionTaught> teachSelection(const SelectionSettings& s, const recipe::TeachInput& in);
// Histogram with its limits as handles, and what is taken.
base::Result<recipe::Evidence> selectionEvidence(const SelectionSettings& s, const recipe::RunInput& in,
                                                 const std::vector<geometry::Span>& where);

template <class P> recipe::Declare<P>& declareSelection(recipe::Declare<P>& d)
{
    using base::Unit;
    using namespace recipe;
    base::Result<SelectionTaught> (*teach)(const P&, const TeachInput&) = [](const P& p, const TeachInput& in) {
        return teachSelection(p, in);
    };
    bool (*taught)(const P&) = [](const P& p) { return selectionIsTaught(p); };
    return d.template inherits<SelectionSettings>()
        .picture()
        .leavesOut()
        .samples()
        .region({"learn",
                 "Learn colour from",
                 "With colour: an area on the reference whose colours are taken.",
                 {geometry::Shape::Rectangle, geometry::Shape::Circle, geometry::Shape::Polygon},
                 false,
                 true,
                 true})
        .teaches(teach)
        .needsTeachingIf(taught)
        .param(static_cast<TakeBy P::*>(&SelectionSettings::mode),
               {"mode", "Threshold",
                "How pixels are taken: grey limits worked out (largest variance between the classes, or midway between "
                "two peaks), "
                "fixed limits, a limit that follows uneven light, or a colour that was shown."},
               {{"automatic", "Automatic"},
                {"two_peaks", "Between two peaks"},
                {"fixed", "Fixed"},
                {"local", "Local"},
                {"colour", "Colour"}},
               true)
        .param(static_cast<Objects P::*>(&SelectionSettings::objects),
               {"objects", "Objects are", "Which side of the threshold the objects are on."},
               {{"bright", "Bright"}, {"dark", "Dark"}}, true)
        .param(&P::once,
               {"once", "Worked out once",
                "The automatic threshold is worked out on the reference and kept, instead of in each picture."})
        .param(&P::low, {"low", "Lowest grey", "With fixed limits: darker pixels do not belong to an object."},
               Unit::GreyLevel, Real{0, 255, 1}, true)
        .param(&P::high, {"high", "Highest grey", "With fixed limits: brighter pixels do not belong to an object."},
               Unit::GreyLevel, Real{0, 255, 1}, true)
        .param(&P::outside, {"outside", "Turned inside out",
                             "With fixed limits: what lies outside them is taken instead of what lies between."})
        .ordered("low", "high", "mode", "fixed")
        .colourWhen("mode", "colour", "learn")
        .colourTolerance("tolerance")
        .param(&P::localWindow,
               {"local_window", "Local window",
                "With the local threshold: side of the square whose mean is compared; larger than the objects."},
               Unit::Pixel, Whole{3, 1001})
        .param(&P::localOffset,
               {"local_offset", "Local offset",
                "With the local threshold: how much brighter or darker than the mean an object must be."},
               Unit::GreyLevel, Real{0, 255, 1, 2, 80})
        .param(&P::localSpread,
               {"local_spread", "Local offset by contrast",
                "With the local threshold: how many standard deviations of the window more than its mean an object "
                "must be, so that the offset "
                "grows with the contrast; 0: the offset alone."},
               Unit::None, Real{0, 10, 0.1, 0, 3})
        .param(&P::tolerance,
               {"tolerance", "Colour tolerance",
                "With colour: how far from a sample still counts; turn it up to take more."},
               Unit::None, Real{1, 100, 1, 3, 40})
        .param(&P::lightness,
               {"lightness", "Weight of lightness",
                "With colour: 0 ignores how light or dark the colour is, 1 counts it in full."},
               Unit::None, Real{0, 1, 0.1})
        .param(&P::shading, {"shading", "Even out the light",
                             "Divides by the recipe's empty picture first, so that uneven light does no harm."})
        .param(static_cast<Smooth P::*>(&SelectionSettings::smooth),
               {"smooth", "Smoothed first",
                "Quiets the picture before the threshold: the median keeps borders, the Gaussian is the better one "
                "against noise."},
               {{"none", "Not at all"}, {"median", "Median"}, {"gaussian", "Gaussian"}})
        .param(&P::smoothSize,
               {"smooth_size", "Size of smoothing",
                "Median: side of its square. Gaussian: four times its standard deviation."},
               Unit::Pixel, Whole{2, 101})
        .param(static_cast<Ground P::*>(&SelectionSettings::ground),
               {"background", "Background",
                "Estimated from the picture itself and subtracted, its mean level kept: what is left when narrower "
                "objects are "
                "taken away, or a plane through the region."},
               {{"kept", "Kept"}, {"opening", "Without narrower objects"}, {"plane", "A plane"}})
        .param(&P::groundSize,
               {"background_size", "Narrower than",
                "With the background without narrower objects: what is narrower than this is no background."},
               Unit::Pixel, Whole{3, 1001})
        .param(&P::opening,
               {"opening", "Remove specks", "Objects narrower than this square are removed; 1 removes nothing."},
               Unit::Pixel, Whole{1, 301})
        .param(&P::closing, {"closing", "Close gaps", "Gaps narrower than this square are closed; 1 closes nothing."},
               Unit::Pixel, Whole{1, 301})
        .readWhen({"objects"}, "mode", {"automatic", "two_peaks", "local", "fixed"})
        .readWhen({"once"}, "mode", {"automatic", "two_peaks"})
        .readWhen({"low", "high", "outside"}, "mode", {"fixed"})
        .readWhen({"local_window", "local_offset", "local_spread"}, "mode", {"local"})
        .readWhen({"tolerance", "lightness"}, "mode", {"colour"})
        .readWhen({"smooth_size"}, "smooth", {"median", "gaussian"})
        .readWhen({"background_size"}, "background", {"opening"});
}

} // namespace steps

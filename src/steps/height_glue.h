// height_glue.h - what the kinds that read heights share: the base plane, covered points, sections and side views.
#pragma once
#include "recipe/declare.h"
#include "steps/glue.h"
#include "vision/section.h"

namespace steps
{

// Which height stands for an area.
enum class HeightOf { Median, Mean, Highest, Lowest };
inline std::vector<recipe::Choice> heightOfChoices()
{
    return {{"median", "Median"}, {"mean", "Mean"}, {"highest", "Highest"}, {"lowest", "Lowest"}};
}
double heightOf(const vision::HeightStats& s, HeightOf which);

// Bounds in height of the area a step looks at.
struct BandSettings {
    double from = -1e6;
    double to = 1e6;
    vision::HeightBand band() const
    {
        return {from > -1e6 ? from : vision::HeightBand{}.low, to < 1e6 ? to : vision::HeightBand{}.high};
    }
};
// How much of its area must have been measured.
struct CoverSettings {
    double leastCovered = 50;
};
// The plane of the input "base", else 0 of the picture's scale.
geometry::HeightPlane baseOf(const recipe::RunInput& in);

struct HeightArea {
    std::vector<geometry::Span> where;
    double pixels = 0; // of the region, also of what lies beyond the picture: nothing was measured there
    double covered(std::size_t points) const { return pixels > 0 ? 100.0 * double(points) / pixels : 0; }
};
HeightArea heightArea(const recipe::RunInput& in, const geometry::Region& region);
// Share of the area in which points were measured, whatever their heights.
double coveredOf(const recipe::RunInput& in, const HeightArea& area);
// Fails with NoResult when it has no pixel in the picture.
base::Result<HeightArea> heightArea(const recipe::RunInput& in, const std::string& key);
// "12 % of the area has points, at least 50 % are needed"
std::string tooFewPoints(double covered, double least);

// mm when it is known how many a pixel is, else px.
double alongUnit(const recipe::RunInput& in);
recipe::Evidence sectionEvidence(const recipe::RunInput& in, const vision::Section& section);
// A line of the section, bold where it was fitted and thin beyond, in the evidence's units.
void addLine(recipe::Evidence& e, const recipe::RunInput& in, const vision::SectionLine& line, double from, double to);
// The area seen from the side, along `direction`: the highest and the lowest point of every step of the way.
recipe::Evidence sideView(const recipe::RunInput& in, const HeightArea& area, const geometry::HeightPlane& over,
                          geometry::Point direction);
// How often each height is there.
recipe::Evidence heightHistogram(const std::vector<float>& heights);
// The direction of a region's longer side, else the datum's x direction.
geometry::Point lengthwise(const recipe::RunInput& in, const geometry::Region& region);

// One sigma of a section's heights, mm, by the median of its second differences.
double heightNoise(const vision::Section& section);
// Outlines of the runs' areas of `least` px and more, the largest first, at most 100.
std::vector<recipe::Mark> areaMarks(const recipe::RunInput& in, std::vector<vision::Run> runs,
                                    const std::vector<geometry::Span>& where, double least, recipe::MarkRole role);
void markRegion(const recipe::RunInput& in, const geometry::Region& region, recipe::RunOutput& out,
                recipe::MarkRole role = recipe::MarkRole::Found, const std::string& text = {}, int element = 0);

// Id of a step that found a plane; empty: none.
std::string planeThere(const recipe::OfferInput& in);
// Whether things stand out of the area's ground, and the heights between which they do.
struct StandsOut {
    double ground = 0, noise = 0, low = 0, high = 0;
};
std::optional<StandsOut> standsOut(const recipe::OfferInput& in, const geometry::Region& region);
geometry::HeightPlane planeOf(const recipe::OfferInput& in);
// The kind's offer on a framed area.
template <class P>
std::vector<recipe::Offer> areaOffer(const recipe::Gesture& g, const recipe::OfferInput& in, P params, const char* name,
                                     const char* words, int rankFlat, int rankObjects)
{
    const auto region = framedBy(g, in);
    if (!region) return {};
    recipe::Offer o;
    o.step.params = params;
    o.step.name = name;
    o.step.regions["region"] = *region;
    if (const std::string plane = planeThere(in); !plane.empty()) o.step.inputs["base"] = plane;
    o.words = words;
    o.rank = standsOut(in, *region) ? rankObjects : rankFlat;
    return {o};
}

template <class P> recipe::Declare<P>& declareHeights(recipe::Declare<P>& d, bool base = true)
{
    using namespace recipe;
    d.picture({"picture", "Height picture", "Which height picture of the capture is looked at.", true}).leavesOut();
    if (base)
        d.input({"base",
                 "Base",
                 "Plane the heights are measured over; without it they are over 0 of the picture's scale.",
                 {FeatureType::Plane},
                 false});
    return d;
}
template <class P> recipe::Declare<P>& declareBand(recipe::Declare<P>& d)
{
    using namespace recipe;
    return d.template inherits<BandSettings>()
        .param(&P::from,
               {"from", "Only from",
                "Points below this height over the base count as missing: the area has a bound in height too."},
               base::Unit::Millimetre, Real{-1e6, 1e6, 0.01, -1, 1})
        .param(&P::to, {"to", "Only to", "Points above this height over the base count as missing."},
               base::Unit::Millimetre, Real{-1e6, 1e6, 0.01, -1, 1});
}
template <class P> recipe::Declare<P>& declareCover(recipe::Declare<P>& d, const char* help, bool shown = true)
{
    return d.template inherits<CoverSettings>().param(&P::leastCovered,
                                                      {"least_covered", "Least share of points", help},
                                                      base::Unit::Percent, recipe::Real{0, 100, 1}, shown);
}
inline recipe::RegionSpec heightRegion(const char* help)
{
    using geometry::Shape;
    return {
        "region", "Region", help, {Shape::Rectangle, Shape::Circle, Shape::Ring, Shape::Arc, Shape::Polygon}, false};
}
inline const recipe::Real kHeightRange{-1e6, 1e6, 0.01, -1, 1};
inline const recipe::Real kShareRange{0, 100, 1};

} // namespace steps

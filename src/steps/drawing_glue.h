// drawing_glue.h - what the step kinds that read a drawing share: the drawing as it lies, edges where it says they are,
// outlines of the picture.
#pragma once
#include "drawing/deviation.h"
#include "steps/glue.h"
#include "steps/selection.h"

namespace steps
{

// Elements are counted from 1, as the drawing's list does.
inline const recipe::Whole kElementRange{0, 2'000'000};

// Where the drawing lies: level px. Fails with NotFound when the step follows no datum that lays it.
base::Result<drawing::Laid> laidFor(const recipe::RunInput& in);

// ---- edges where they are drawn
struct DrawnEdge {
    std::size_t station = 0;
    geometry::Point found; // level px, blur and bend undone
    double strength = 0;
};
struct DrawnEdges {
    std::vector<DrawnEdge> edges;
    std::size_t asked = 0; // stations that lie in the picture
    double blur = 0;       // px², half of it over the radius moves an edge
};
struct EdgeSearch {
    bool dark = true;          // the material
    double reach = 6;          // level px to both sides
    double averaging = 3;      // px along the edge
    double leastStrength = 10; // grey levels
    double smoothing = 1.2;    // px
    bool strongest = true;     // of several; else the one nearest to the drawing
};
DrawnEdges edgesAt(const recipe::RunInput& in, const drawing::Laid& laid,
                   const std::vector<drawing::Outline::Foot>& stations, const EdgeSearch& search);
// Stations away from sharp corners, about so many.
std::vector<drawing::Outline::Foot> openStations(const drawing::Outline& outline, double cornerMm, std::size_t about);

// ---- outlines of the picture
// Of every area of `leastArea` px² inside the region, with its holes; material at the right hand.
base::Result<std::vector<drawing::FoundLoop>> outlinesFor(const SelectionSettings& settings, const recipe::RunInput& in,
                                                          double leastArea, double averaging);

// ---- one element of the drawing, measured where it is drawn
struct DrawnSettings {
    int element = 1;
    double reach = 0.5;        // mm
    double leastStrength = 10; // grey levels
    double averaging = 3;      // px
    double leastSeen = 50;     // percent of the places
};
struct DrawnElement {
    drawing::Laid laid;
    drawing::Element element;
    std::vector<geometry::Point> points; // level px
    std::size_t asked = 0;
};
// Arcs of one circle count together, pieces of one line as well. Fails with NotFound: no such element; NoResult: fewer
// than `least` edges are seen.
base::Result<DrawnElement> measureElement(const DrawnSettings& settings, const recipe::RunInput& in, bool arc);
template <class P> recipe::Declare<P>& declareDrawn(recipe::Declare<P>& d)
{
    using base::Unit;
    using namespace recipe;
    return d.template inherits<DrawnSettings>()
        .picture()
        .leavesOut()
        .readsDrawing()
        .param(static_cast<int P::*>(&DrawnSettings::element),
               {"element", "Element", "Number of the element of the drawing that is measured."}, Unit::None,
               Whole{1, 2'000'000}, true)
        .param(static_cast<double P::*>(&DrawnSettings::reach),
               {"reach", "Reach", "How far from where it is drawn an edge is looked for, mm; never less than 3 px."},
               Unit::Millimetre, Real{0, 50, 0.05, 0.05, 5}, true)
        .param(static_cast<double P::*>(&DrawnSettings::leastStrength),
               {"least_strength", "Least strength", "Grey difference an edge must have."}, Unit::GreyLevel,
               kStrengthRange)
        .param(static_cast<double P::*>(&DrawnSettings::averaging),
               {"averaging", "Averaged over", "Width along the edge over which each place is averaged."}, Unit::Pixel,
               Real{1, 51, 1, 1, 15})
        .param(static_cast<double P::*>(&DrawnSettings::leastSeen),
               {"least_seen", "Least share seen",
                "With less of it seen it is not measured: a part hidden or cut off is no good one."},
               Unit::Percent, Real{1, 100, 1, 30, 95});
}
// What an offer looks at, as a step that follows the drawing would.
recipe::RunInput onto(const recipe::OfferInput& in);
// Whether the material is darker than what is round it, from the edges themselves.
bool materialIsDark(const recipe::RunInput& in, const drawing::Laid& laid);
// Two elements of the drawing a stroke runs between, as steps that measure them (named "+0" and "+1"), and what the
// drawing says of them: distance in mm of centres and parallel lines, angle in degrees of others. Nothing when either end
// lies on something that was found already, or on no element.
struct DrawnPair {
    std::vector<recipe::Step> before;
    std::optional<double> distance, angle;
    std::string words;
};
std::optional<DrawnPair> drawnPair(const recipe::Gesture& g, const recipe::OfferInput& in);
// The element of a closed outline nearest to a place, level px; none within `reach` px.
std::optional<int> elementNear(const recipe::RunInput& in, const drawing::Laid& laid, geometry::Point p, double reach);

// A drawn loop as marks.
std::vector<recipe::Mark> drawnMarks(const drawing::Outline& outline, const drawing::Laid& laid);
// "hole ⌀2.7 at 46, 15", "outline of 250 mm", "edge of 40 mm"
std::string loopWords(const drawing::Outline& outline, int loop);
std::string elementWords(const drawing::Element& element);

} // namespace steps

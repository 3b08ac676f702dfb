// tracing.h - a drawing made of a part that has none: outline and holes as lines and arcs.
//
// Input   a grey picture with one part (or several, each with its outline), a calibration, a tolerance in mm.
// Output  a drawing in mm with layers "outline" and "holes", its origin at the lower left of the smallest box about the
//         outline, x along the longer side; how far the points lie from what was drawn.
// Fails   NotFound: no calibration; NoResult: nothing stands out from its ground, or it is cut by the picture's border.
// Accuracy  arc centres and radii within 0.02 px on rendered parts (tests/trace_test.cpp).
// Source  drawing/trace.h over the refined pixel outlines (vision/refined_outline.h).
#pragma once
#include "drawing/trace.h"
#include "image/capture.h"
#include "recipe/recipe.h"

namespace inspect
{

struct TraceSettings {
    double toleranceMm = 0;   // 0: half a pixel
    std::optional<bool> dark; // the material; none: what does not touch the picture's border
    double leastArea = 30;    // px²
};
struct TracedOutline {
    std::vector<int> elements; // indexes in the drawing
    std::vector<bool> tangent; // at the beginning of each
    bool hole = false;
    double rmsMm = 0, worstMm = 0;
    std::vector<geometry::Point> points; // as found, mm, y down, in the drawing's frame
};
struct Traced {
    drawing::Drawing drawing;
    std::vector<TracedOutline> outlines;
    drawing::Laid laid; // where it lies in the picture
    bool dark = true;
    double toleranceMm = 0;
};
base::Result<Traced> trace(const image::GreyView& picture, const geometry::Calibration& calibration,
                           const TraceSettings& settings = {});
// The same with another frame: `origin` (mm) becomes 0, 0 and `angle` (radians) its x direction.
void reframe(Traced& traced, geometry::Point origin, double angle);
// Whether a part stands dark before a bright ground: by what reaches the picture's border.
bool partIsDark(const image::GreyView& picture);

// Nominals a person may mean: directions to 15°, lines along the frame, radii, diameters and centres of whole circles to
// the nearest grain, where that moves them no farther than `reach`; outlines of lines and fillets are drawn anew with
// tangent joints. How many values were changed.
int roundNominals(Traced& traced, double grainMm, double reachMm);

} // namespace inspect

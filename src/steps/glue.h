// glue.h - what several step kinds share between vision and recipe.
#pragma once
#include "recipe/step_kind.h"
#include "vision/edges.h"

namespace steps
{

// In the order of vision::Polarity.
inline std::vector<recipe::Choice> polarityChoices()
{
    return {{"any", "Any"}, {"dark_to_bright", "Dark to bright"}, {"bright_to_dark", "Bright to dark"}};
}
// In the order of vision::Pick.
inline std::vector<recipe::Choice> pickChoices() { return {{"first", "First"}, {"last", "Last"}, {"strongest", "Strongest"}}; }
inline const recipe::Real kStrengthRange{0.5, 255, 0.5, 1, 120};
inline const recipe::Real kSmoothingRange{0.4, 10, 0.1, 0.5, 4};

std::string noEdgeText(double leastStrength);
// Grey profile with its edges as stems and the least strength as a handle; `counts` says which edges are used.
recipe::Evidence profileEvidence(const vision::Profile& profile, const std::vector<vision::Edge>& edges, double leastStrength, double smoothing,
                                 const std::function<bool(std::size_t)>& counts);
// 40 % of the weaker of the edges that matter, never under 4 × the picture's noise; whole grey levels.
double leastStrengthFor(double weakest, double noise);
// 5 % of the stroke, 7 to 41 px, unless the person chose one.
double averagingWidth(const recipe::Gesture& gesture);
// Turns a stroke square to the edge met at `at` when it is within 8° of square; leaves it as it is otherwise.
double squareTurn(const image::GreyView& picture, const vision::Edge& edge, geometry::Point along, double width, const vision::EdgeOptions& options);
recipe::Mark pointsMark(std::vector<geometry::Point> points, recipe::MarkRole role);
recipe::Mark lineMark(geometry::Point from, geometry::Point to, recipe::MarkRole role = recipe::MarkRole::Found);
// A short cross line at an edge, square to the search.
recipe::Mark edgeMark(const vision::Edge& edge, geometry::Point along, double width, recipe::MarkRole role);

} // namespace steps

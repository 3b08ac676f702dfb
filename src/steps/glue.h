// glue.h - what several step kinds share between vision and recipe.
#pragma once
#include "geometry/zones.h"
#include "recipe/declare.h"
#include "vision/edges.h"

namespace steps
{

// In the order of vision::Polarity.
inline std::vector<recipe::Choice> polarityChoices()
{
    return {{"any", "Any"}, {"dark_to_bright", "Dark to bright"}, {"bright_to_dark", "Bright to dark"}};
}
// In the order of vision::Pick.
inline std::vector<recipe::Choice> pickChoices()
{
    return {{"first", "First"}, {"last", "Last"}, {"strongest", "Strongest"}};
}
inline const recipe::Real kStrengthRange{0.5, 255, 0.5, 1, 120};
inline const recipe::Real kSmoothingRange{0.4, 10, 0.1, 0.5, 4};

std::string noEdgeText(double leastStrength);
// Grey noise (one sigma) of the picture about a region.
double noiseAbout(const recipe::RunInput& in, const geometry::Region& region);
// How far an edge may lie off along its search, px, as a source of its own.
recipe::Spread edgeSpread(const vision::Edge& edge, double noise, std::uint64_t source);
// A place that lies off along one direction only.
recipe::Spreads alongSpread(geometry::Point direction, const recipe::Spread& s);
// factor × s, and a + factor × b.
recipe::Spread scaled(recipe::Spread s, double factor);
recipe::Spread plus(recipe::Spread a, const recipe::Spread& b, double factor = 1);
// Grey profile with its edges as stems and the least strength as a handle; `counts` says which edges are used.
recipe::Evidence profileEvidence(const vision::Profile& profile, const std::vector<vision::Edge>& edges,
                                 double leastStrength, double smoothing,
                                 const std::function<bool(std::size_t)>& counts);
// Every edge of a profile down to 2 grey levels, with what turned it away; `means` says which ones the step took.
recipe::ObjectTable edgeTable(const recipe::RunInput& in, const vision::Profile& profile, vision::EdgeOptions options,
                              const std::function<bool(const vision::Edge&)>& means);
// 40 % of the weaker of the edges that matter, never under 4 × the picture's noise; whole grey levels.
double leastStrengthFor(double weakest, double noise);
// 5 % of the stroke, 7 to 41 px, unless the person chose one.
double averagingWidth(const recipe::Gesture& gesture);
// Turns a stroke square to the edge met at `at` when it is within 8° of square; leaves it as it is otherwise.
double squareTurn(const image::GreyView& picture, const vision::Edge& edge, geometry::Point along, double width,
                  const vision::EdgeOptions& options);
recipe::Mark pointsMark(std::vector<geometry::Point> points, recipe::MarkRole role);
// A mark in picture px carried over to level px, as results are.
recipe::Mark levelled(const recipe::RunInput& in, recipe::Mark mark);
// A circle, or the arc of it that was seen.
recipe::Mark roundMark(const geometry::Circle& circle, recipe::MarkRole role = recipe::MarkRole::Found);
recipe::Mark lineMark(geometry::Point from, geometry::Point to, recipe::MarkRole role = recipe::MarkRole::Found);
// A short cross line at an edge, square to the search.
recipe::Mark edgeMark(const vision::Edge& edge, geometry::Point along, double width, recipe::MarkRole role);

// Values x, y, along_x, along_y, the feature "point" and a mark there.
recipe::RunOutput pointResult(const recipe::RunInput& in, geometry::Point p);
// Values angle, datum_angle, length, the feature "line" and a mark.
recipe::RunOutput lineResult(const recipe::RunInput& in, const geometry::Segment& s);
// The frame of an area gesture, level with the datum; nothing: another gesture, or hardly a frame.
std::optional<geometry::Region> framedBy(const recipe::Gesture& g, const recipe::OfferInput& in);
// The places of a step, each with an outline: its own, else the region "outline" about it. Without places that region is
// the only one. `picture`: from the frame the places are in to the outlines'.
std::vector<recipe::Place> outlinedPlaces(const std::vector<recipe::Place>& places,
                                          const std::map<std::string, geometry::Region>& regions,
                                          const std::function<geometry::Point(geometry::Point)>& picture);
// An offer's one place, framed.
recipe::Place framedPlace(const geometry::Region& frame);
// An offer of a kind with inputs "first" and "second" when a stroke runs between two features that fit.
template <class P, class Fits>
std::vector<recipe::Offer> pairOffer(const recipe::Gesture& g, const recipe::OfferInput& in, P params,
                                     const char* words, int rank, Fits fits)
{
    if (g.type != recipe::Gesture::Type::Stroke || g.fromFeature.empty() || g.toFeature.empty() ||
        g.fromFeature == g.toFeature)
        return {};
    const auto a = in.features.find(g.fromFeature), b = in.features.find(g.toFeature);
    if (a == in.features.end() || b == in.features.end() || !fits(a->second, b->second)) return {};
    recipe::Offer o;
    o.step.params = params;
    o.step.inputs = {{"first", g.fromFeature}, {"second", g.toFeature}};
    o.words = words;
    o.rank = rank;
    return {o};
}
// How far the way of a stroke leaves the straight line between its ends, px.
double bulge(const std::vector<geometry::Point>& path);
// Where a stroke of two straight legs is bent by 20° or more; nothing: it is straight or curved.
std::optional<geometry::Point> bentLegs(const std::vector<geometry::Point>& path);
// Stands for one place: a point, or something with a centre.
inline bool hasPlace(const recipe::Feature& f)
{
    const auto t = recipe::typeOf(f);
    return t == recipe::FeatureType::Point || t == recipe::FeatureType::Circle || t == recipe::FeatureType::Ellipse ||
           t == recipe::FeatureType::Contour;
}
// The feature a click lies on, a stroke is pulled from into empty space, or both ends of a stroke lie on; null: another
// gesture.
const recipe::Feature* pulledFrom(const recipe::Gesture& gesture, const recipe::OfferInput& in);
// Every edge of dense profiles square to a line or circle found by another step, left-out areas excepted.
struct DenseSettings {
    double reach = 15;
    double spacing = 1;
    double windowWidth = 3;
    double leastStrength = 12;
    double smoothing = 1.5;
    double margin = 0; // px left off at both ends of a line
    double gap = 0;    // px: points farther from the feature do not belong to it; 0: all within reach
};
struct DenseEdge {
    vision::Edge edge;
    double offset = 0; // px: positive to the left of a line, outward of a circle
};
base::Result<std::vector<DenseEdge>> densePoints(const recipe::RunInput& in, const recipe::Feature& feature,
                                                 const DenseSettings& s);
// Zone width, its two borders and its points, for tolerances of form that are strips.
recipe::RunOutput stripResult(const geometry::StripZone& zone, std::vector<geometry::Point> points);
// The line a tolerance refers to: the input "datum", else the datum's x direction.
geometry::Point datumDirection(const recipe::RunInput& in);
// Of each profile the strongest edge that has the polarity most of them have: the outline itself.
std::vector<geometry::Point> outlineOf(const std::vector<DenseEdge>& edges);
template <class P> recipe::Declare<P>& declareDense(recipe::Declare<P>& d)
{
    using namespace recipe;
    using base::Unit;
    return d.template inherits<DenseSettings>()
        .picture()
        .leavesOut()
        .param(&P::reach, {"reach", "Reach", "How far from the feature, to both sides, edges are looked for."},
               Unit::Pixel, Real{2, 2000, 1, 5, 100}, true)
        .param(
            &P::spacing,
            {"spacing", "Spacing", "Distance of neighbouring profiles along the feature; none is left out afterwards."},
            Unit::Pixel, Real{0.25, 100, 0.5, 0.5, 5})
        .param(&P::windowWidth, {"window_width", "Window width", "Averaging width of each profile along the feature."},
               Unit::Pixel, Real{1, 100, 1, 1, 9})
        .param(&P::leastStrength,
               {"least_strength", "Least strength", "Edges with a smaller grey difference are ignored."},
               Unit::GreyLevel, kStrengthRange, true)
        .param(&P::smoothing, {"smoothing", "Smoothing", "Width of the Gaussian that quiets the profiles."},
               Unit::Pixel, kSmoothingRange)
        .param(&P::margin, {"margin", "Left off at the ends", "Length at both ends of a line that is not looked at."},
               Unit::Pixel, Real{0, 10000, 1})
        .param(&P::gap,
               {"gap", "Belongs within",
                "Points farther from the feature than this belong to something else; 0: all within reach count."},
               Unit::Pixel, Real{0, 2000, 0.5});
}

} // namespace steps

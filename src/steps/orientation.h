// orientation.h - what the tolerances of orientation share (ISO 1101): an edge against a datum line, every point of it
// in a strip.
#pragma once
#include "geometry/zones.h"
#include "steps/glue.h"

#include <algorithm>
#include <cmath>

namespace steps
{

// The strip along the datum's direction, or square to it, that holds every edge point of the feature.
template <class P> base::Result<recipe::RunOutput> runOrientation(const P& p, const recipe::RunInput& in, bool square)
{
    const auto edges = densePoints(in, in.inputs.at("of"), p);
    if (!edges) return base::passOn(edges.error());
    const std::vector<geometry::Point> points = outlineOf(*edges);
    const geometry::Point along = datumDirection(in);
    return stripResult(geometry::stripAlong(points, square ? geometry::leftOf(along) : along), points);
}

// From an edge to the one it refers to; pulled into empty space: against the datum's x direction. Nothing when they
// stand the other way.
template <class P>
std::vector<recipe::Offer> offerOrientation(const recipe::Gesture& g, const recipe::OfferInput& in, bool square,
                                            const char* words)
{
    using recipe::FeatureType;
    if (g.type != recipe::Gesture::Type::Stroke) return {};
    const auto a = in.features.find(g.fromFeature), b = in.features.find(g.toFeature);
    if (a == in.features.end() || typeOf(a->second) != FeatureType::Line || a == b) return {};
    if (!g.toFeature.empty() && (b == in.features.end() || typeOf(b->second) != FeatureType::Line)) return {};
    const auto& line = std::get<geometry::Segment>(a->second);
    const geometry::Segment datum =
        g.toFeature.empty() ? geometry::Segment{in.datum.origin, in.datum.origin + geometry::direction(in.datum.angle)}
                            : std::get<geometry::Segment>(b->second);
    const double turn = geometry::angleBetween(line, datum);
    if (square ? !(turn > geometry::kPi / 4) : !(turn <= geometry::kPi / 4)) return {};
    P p;
    p.leastStrength = std::max(8.0, std::round(5 * in.noise));
    recipe::Offer o;
    o.step.params = p;
    o.step.inputs["of"] = g.fromFeature;
    if (!g.toFeature.empty()) o.step.inputs["datum"] = g.toFeature;
    o.words = words;
    o.rank = 4;
    return {o};
}

} // namespace steps

// flatness.h - step kind: flatness of an area, as minimum zone.
#pragma once
#include "steps/height_glue.h"
#include "vision/minimum_zone.h"

namespace steps
{

// Of both kinds that judge a zone.
struct ZoneSettings : CoverSettings {
    double leftOut = 0;
};
struct FlatnessParams : ZoneSettings {
};
// The zone's width, its points and its evidence, for both kinds that judge one.
recipe::RunOutput zoneResult(const recipe::RunInput& in, const vision::FlatZone& zone, const HeightArea& area,
                             double leastCovered, const char* output);
recipe::Evidence zoneEvidence(const recipe::RunInput& in, const vision::FlatZone& zone, const HeightArea& area);
template <class P> recipe::Declare<P>& declareZone(recipe::Declare<P>& d, const char* coverHelp)
{
    d.template inherits<ZoneSettings>().param(
        &P::leftOut,
        {"left_out", "Left out at both ends",
         "Share of the points that count as spikes; 0: every point counts, as the standard asks."},
        base::Unit::Percent, recipe::Real{0, 20, 0.1, 0, 2}, true);
    return declareCover(d, coverHelp, false);
}
recipe::StepKind flatness();

} // namespace steps

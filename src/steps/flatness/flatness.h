// flatness.h - step kind: flatness of an area, as minimum zone.
#pragma once
#include "steps/height_glue.h"
#include "vision/minimum_zone.h"

namespace steps
{

struct FlatnessParams {
    double leftOut = 0;
    double leastCovered = 50;
};
// The zone's width, its points and its evidence, for both kinds that judge one.
recipe::RunOutput zoneResult(const recipe::RunInput& in, const vision::FlatZone& zone, const HeightArea& area,
                             double leastCovered, const char* output);
recipe::Evidence zoneEvidence(const recipe::RunInput& in, const vision::FlatZone& zone, const HeightArea& area);
recipe::StepKind flatness();

} // namespace steps

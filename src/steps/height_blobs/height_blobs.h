// height_blobs.h - step kind: objects whose height lies in a band, with their heights, their volume and what they are
// called.
#pragma once
#include "steps/height_glue.h"
#include "steps/objects_found.h"

namespace steps
{

struct HeightBlobsParams : ObjectSettings, CoverSettings {
    double low = 0.1;
    double high = 1000;
    HeightOf of = HeightOf::Median;
    double leftOut = 2;
};
recipe::StepKind height_blobs();

} // namespace steps

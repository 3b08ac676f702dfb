// blobs.h - step kind: connected areas of taken pixels, filtered, ordered, counted, described. Algorithm and accuracy:
// vision/blobs.h.
#pragma once
#include "steps/objects_found.h"
#include "steps/selection.h"

namespace steps
{

struct BlobsParams : SelectionSettings, ObjectSettings {
};
recipe::StepKind blobs();

} // namespace steps

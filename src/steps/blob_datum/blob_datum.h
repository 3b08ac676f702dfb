// blob_datum.h - step kind: a datum of a blob, of each blob, or of the frame round all of them.
#pragma once
#include "recipe/step_kind.h"

namespace steps
{

enum class BlobFrame { Largest, First, Each, All };
struct BlobDatumParams {
    BlobFrame of = BlobFrame::Largest;
    bool turned = true;
    int expected = 0;
};
recipe::StepKind blob_datum();

} // namespace steps

// blobs.h - step kind: connected areas in a grey range, filtered, ordered, counted. Algorithm and accuracy: vision/blobs.h.
#pragma once
#include "recipe/step_kind.h"

namespace steps
{

enum class ThresholdMode { Automatic, Fixed };
enum class Objects { Bright, Dark };
enum class BlobOrder { DatumX, DatumY, Largest };
struct BlobsParams {
    ThresholdMode mode = ThresholdMode::Automatic;
    Objects objects = Objects::Bright;
    double low = 128;
    double high = 255;
    double leastArea = 50;
    double mostArea = 1e9;
    bool fillHoles = true;
    bool dropBorder = true;
    BlobOrder order = BlobOrder::DatumX;
};
recipe::StepKind blobs();

} // namespace steps

// blobs.h - step kind: connected areas of taken pixels, filtered, ordered, counted, described. Algorithm and accuracy:
// vision/blobs.h.
#pragma once
#include "steps/selection.h"

namespace steps
{

enum class BlobOrder { DatumX, DatumY, Rows, Columns, Largest, Smallest, Round };
enum class BorderOf { Region, Picture };
enum class Connectivity { Eight, Four };
struct BlobsParams : SelectionSettings {
    double leastArea = 50;
    double mostArea = 1e9;
    bool fillHoles = true;
    bool dropBorder = true;
    BorderOf borderOf = BorderOf::Region;
    Connectivity connectivity = Connectivity::Eight;
    double split = 0;
    BlobOrder order = BlobOrder::DatumX;
    int mostObjects = 1000;
    double placeReach = 20;
};
recipe::StepKind blobs();

} // namespace steps

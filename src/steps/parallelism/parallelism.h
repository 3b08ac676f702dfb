// parallelism.h - step kind: parallelism of an edge to a datum line: width of the strip along the datum that holds
// every edge point.
#pragma once
#include "steps/glue.h"

namespace steps
{

struct ParallelismParams : DenseSettings {
};
recipe::StepKind parallelism();

} // namespace steps

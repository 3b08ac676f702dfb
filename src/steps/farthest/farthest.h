// farthest.h - step kind: the farthest point off a line or circle: burr, flash, sink, chip. Every edge point counts,
// none is dropped as stray.
#pragma once
#include "steps/glue.h"

namespace steps
{

enum class Side { Outward, Inward, Both };
enum class Material { Dark, Bright };
struct FarthestParams : DenseSettings {
    Side side = Side::Outward;
    Material material = Material::Dark;
};
recipe::StepKind farthest();

} // namespace steps

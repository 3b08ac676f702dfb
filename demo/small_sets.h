// small_sets.h - demo set 3, several small plates at any angle in one picture, and set 4, a tuning ring with notches;
// truth beside them.
#pragma once
#include "demo/reed_plate.h"

namespace demo
{

// Pictures, truth.json, reference and the recipe (small-plates.dikkat, tuning-ring.dikkat) into a folder. Fails with
// Io.
base::Status writeSmallPlates(const std::string& folder, std::uint64_t seed, int count, const Field& field = {});
base::Status writeTuningRings(const std::string& folder, std::uint64_t seed, int count, const Field& field = {});

} // namespace demo

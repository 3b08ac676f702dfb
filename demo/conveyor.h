// conveyor.h - reed plates as a simulated camera over a belt sees them.
#pragma once
#include "demo/reed_plate.h"

namespace demo
{

// The picture under `light` times its light (clipped at white), smeared by `smear` px along its rows while the part
// moved, with noise that grows with the signal. Grey of 8 bits.
image::Image exposed(const image::Image& picture, double light, double smear, std::uint64_t seed);
// The plate that passes as number `n`, good or with one of the faults in turn.
image::Image passingPlate(const Field& field, std::uint64_t seed, int n, bool faulty, double light, double smearMm);

} // namespace demo

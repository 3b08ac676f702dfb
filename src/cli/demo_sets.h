// demo_sets.h - the made-up sets of pictures by name.
#pragma once
#include "base/result.h"
#include "demo/reed_plate.h"

#include <string>

namespace cli
{

using DemoSet = base::Status (*)(const std::string& folder, std::uint64_t seed, int count, const demo::Field& field);
// Fails with InvalidArgument naming those that are there.
base::Result<DemoSet> demoSet(const std::string& name);

} // namespace cli

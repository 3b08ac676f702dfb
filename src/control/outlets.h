// outlets.h - the outputs a recipe asks for, made.
#pragma once
#include "control/modbus_output.h"

namespace control
{

// Those in use, in the recipe's order.
std::vector<std::unique_ptr<station::Output>> outputsOf(const recipe::Recipe& recipe, ModbusOutput::Commands commands);
// Fails with InvalidArgument when a pattern cannot be read, naming output and character: before anything runs.
base::Status checkOutlets(const recipe::Recipe& recipe);

} // namespace control

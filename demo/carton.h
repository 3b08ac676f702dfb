// carton.h - demo set 5: printed carton panels in colour; margins of a printed frame, a row of ten control dots, a
// colour mark. Truth beside them.
#pragma once
#include "demo/reed_plate.h"

namespace demo
{

// Pictures, truth.json, reference and the recipe carton-panel.dikkat into a folder. Fails with Io.
base::Status writeCartonPanels(const std::string& folder, std::uint64_t seed, int count, const Field& field = {});

} // namespace demo

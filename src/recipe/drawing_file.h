// drawing_file.h - how a recipe says its drawing is read.
#pragma once
#include "recipe/recipe.h"

#include <nlohmann/json_fwd.hpp>

namespace recipe
{

// The words a unit has in files: "mm", "cm", "m", "um", "inch", "foot", "mil".
const char* key(drawing::LengthUnit unit); // "" when it is not stated
base::Result<drawing::LengthUnit> lengthUnitOf(const std::string& key, const std::string& where);
nlohmann::json drawingSettingsToJson(const DrawingSettings& settings);
// Fails with InvalidArgument or OutOfRange naming field and bound.
base::Result<DrawingSettings> drawingSettingsFromJson(const nlohmann::json& json, const std::string& where);

} // namespace recipe

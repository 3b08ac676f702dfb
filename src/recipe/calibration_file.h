// calibration_file.h - a calibration as JSON, alone in a file or inside a recipe; written down in docs/file-formats.md.
//
// Fails   Io, Corrupt, InvalidArgument (unknown or wrong field), OutOfRange; the message names file, field and bound.
#pragma once
#include "geometry/calibration.h"

#include <nlohmann/json_fwd.hpp>

namespace recipe
{

constexpr int kCalibrationVersion = 1;
nlohmann::json calibrationToJson(const geometry::Calibration& calibration);
// The object inside a recipe. Not calibrated is an empty object.
base::Result<geometry::Calibration> calibrationFromJson(const nlohmann::json& json, const std::string& where);
// A file of its own; other fields beside the calibration are left alone.
base::Result<geometry::Calibration> loadCalibration(const std::string& path);

} // namespace recipe

// camera.h - what a recipe wants of the camera; applied when the line takes it up, read back, and refused with its bound.
#pragma once
#include "base/result.h"

#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>

namespace recipe
{

struct CameraSettings {
    std::optional<double> exposure; // µs
    std::optional<double> gain;     // as the camera counts it, mostly dB
    std::string format;             // of pixels by its standard name, "Mono8"; empty: as the camera has it
    struct Window {
        int x = 0, y = 0, width = 0, height = 0; // px of the sensor
        friend bool operator==(const Window&, const Window&) = default;
    };
    std::optional<Window> window;
    // Free: as fast as it can; software: when the line asks; else the name of the camera's line that triggers, "Line1".
    std::string trigger; // "", "software", "Line1"
    bool any() const { return exposure || gain || window || !format.empty() || !trigger.empty(); }
    friend bool operator==(const CameraSettings&, const CameraSettings&) = default;
};
nlohmann::json cameraToJson(const CameraSettings& camera);
// Fails with InvalidArgument or OutOfRange naming field and bound.
base::Result<CameraSettings> cameraFromJson(const nlohmann::json& json, const std::string& where);

} // namespace recipe

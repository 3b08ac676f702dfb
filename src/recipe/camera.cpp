#include "recipe/camera.h"

#include "recipe/recipe_json.h"

namespace recipe
{
using nlohmann::json;

json cameraToJson(const CameraSettings& c)
{
    json j = json::object();
    if (c.exposure) j["exposure_us"] = *c.exposure;
    if (c.gain) j["gain"] = *c.gain;
    if (!c.format.empty()) j["format"] = c.format;
    if (c.window)
        j["window"] = {
            {"x", c.window->x}, {"y", c.window->y}, {"width", c.window->width}, {"height", c.window->height}};
    if (!c.trigger.empty()) j["trigger"] = c.trigger;
    return j;
}

base::Result<CameraSettings> cameraFromJson(const json& j, const std::string& where)
{
    ObjectReader o(j, where);
    CameraSettings c;
    double value = 0;
    if (o.field("exposure_us")) o.number("exposure_us", value, 1, 1e8), c.exposure = value;
    if (o.field("gain")) o.number("gain", value, -100, 1000), c.gain = value;
    o.text("format", c.format), o.text("trigger", c.trigger);
    const json* window = o.field("window");
    if (auto ok = o.done(); !ok) return base::passOn(ok.error());
    if (window) {
        ObjectReader w(*window, where + ": window");
        CameraSettings::Window at;
        w.whole("x", at.x, 0, 100000), w.whole("y", at.y, 0, 100000);
        w.whole("width", at.width, 1, 100000, true), w.whole("height", at.height, 1, 100000, true);
        if (auto ok = w.done(); !ok) return base::passOn(ok.error());
        c.window = at;
    }
    return c;
}

} // namespace recipe

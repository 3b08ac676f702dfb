#include "recipe/drawing_file.h"

#include "recipe/recipe_json.h"

#include <array>

namespace recipe
{
using drawing::LengthUnit;
using nlohmann::json;

namespace
{
constexpr std::array kKeys{"", "mm", "cm", "m", "um", "inch", "foot", "mil"};
constexpr std::size_t kMostLayers = 10000;
} // namespace

const char* key(LengthUnit unit) { return kKeys[std::size_t(unit)]; }

base::Result<LengthUnit> lengthUnitOf(const std::string& word, const std::string& where)
{
    for (std::size_t i = 1; i < kKeys.size(); ++i)
        if (word == kKeys[i]) return LengthUnit(i);
    return base::fail(base::ErrorCode::InvalidArgument,
                      "unit = \"" + word + "\" is not one of: mm, cm, m, um, inch, foot, mil", where);
}

json drawingSettingsToJson(const DrawingSettings& s)
{
    json j = json::object();
    if (!s.layersOff.empty()) j["layers_off"] = s.layersOff;
    if (s.unit) j["unit"] = key(*s.unit);
    if (s.joinMm != DrawingSettings{}.joinMm) j["join_mm"] = s.joinMm;
    return j;
}

base::Result<DrawingSettings> drawingSettingsFromJson(const json& j, const std::string& where)
{
    DrawingSettings out;
    ObjectReader o(j, where);
    std::string unit;
    o.text("unit", unit);
    o.number("join_mm", out.joinMm, 0, 100);
    if (const json* layers = o.field("layers_off")) {
        if (!layers->is_array() || layers->size() > kMostLayers)
            o.wrong("layers_off must be a list of at most " + std::to_string(kMostLayers));
        else
            for (const json& one : *layers) {
                if (one.is_string()) out.layersOff.push_back(one.get<std::string>());
                else o.wrong("layers_off must be a list of texts");
            }
    }
    if (auto ok = o.done(); !ok) return base::passOn(ok.error());
    if (!unit.empty()) {
        auto u = lengthUnitOf(unit, where);
        if (!u) return base::passOn(u.error());
        out.unit = *u;
    }
    return out;
}

} // namespace recipe

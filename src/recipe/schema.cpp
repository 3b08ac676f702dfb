// The JSON Schema of a recipe, made from the declarations.
#include "recipe/recipe_file.h"

#include <nlohmann/json.hpp>

namespace recipe
{
using nlohmann::json;

namespace
{
template <class... F> struct Overload : F... {
    using F::operator()...;
};
template <class... F> Overload(F...) -> Overload<F...>;

json object(json properties, json needed = json::array())
{
    json j{{"type", "object"}, {"additionalProperties", false}, {"properties", std::move(properties)}};
    if (!needed.empty()) j["required"] = std::move(needed);
    return j;
}
json paramSchema(const ParamSpec& p)
{
    json j{{"description", p.help}};
    std::visit(Overload{[&](const Real& r) { j["type"] = "number", j["minimum"] = r.min, j["maximum"] = r.max; },
                        [&](const Whole& w) { j["type"] = "integer", j["minimum"] = w.min, j["maximum"] = w.max; },
                        [&](const Flag&) { j["type"] = "boolean"; },
                        [&](const Choices& c) {
                            j["enum"] = json::array();
                            for (const Choice& x : c.all) j["enum"].push_back(x.key);
                        },
                        [&](const Text& t) { j["type"] = "string", j["maxLength"] = t.most; }},
               p.domain);
    std::visit([&](const auto& v) { j["default"] = v; }, p.fallback);
    return j;
}
json regionSchema(const RegionSpec& spec)
{
    const json point{{"$ref", "#/$defs/point"}}, size{{"type", "number"}, {"exclusiveMinimum", 0}};
    json any = json::array();
    for (const geometry::Shape s : spec.shapes) {
        json p{{"shape", {{"const", geometry::name(s)}}}};
        json needed{"shape"};
        const auto add = [&](const char* key, const json& schema, bool need = true) {
            p[key] = schema;
            if (need) needed.push_back(key);
        };
        switch (s) {
        case geometry::Shape::Whole: break;
        case geometry::Shape::Window: add("from", point), add("to", point), add("width", size); break;
        case geometry::Shape::Rectangle:
            add("centre", point), add("size", point), add("angle", {{"type", "number"}}, false);
            break;
        case geometry::Shape::Circle: add("centre", point), add("radius", size); break;
        case geometry::Shape::Ring:
            add("centre", point), add("inner", {{"type", "number"}, {"minimum", 0}}), add("outer", size);
            break;
        case geometry::Shape::Arc:
            add("centre", point), add("inner", {{"type", "number"}, {"minimum", 0}}), add("outer", size),
                add("start", {{"type", "number"}}), add("sweep", size);
            break;
        case geometry::Shape::Polyline: add("width", size); [[fallthrough]];
        case geometry::Shape::Polygon:
            add("points", {{"type", "array"}, {"items", point}, {"maxItems", geometry::kMostCorners}});
            break;
        }
        any.push_back(object(p, needed));
    }
    if (!spec.teaching)
        any.push_back(
            object({{"shape", {{"const", "result"}}}, {"of", {{"type", "string"}}}, {"grow", {{"type", "number"}}}},
                   {"shape", "of"}));
    return {{"description", spec.help}, {"anyOf", any}};
}
} // namespace

json jsonSchema()
{
    const json text{{"type", "string"}}, number{{"type", "number"}}, distance{{"type", "number"}, {"minimum", 0}};
    const json unit{{"enum",
                     {"", "px", "mm", "µm", "um", "in", "inch", "px²", "px2", "mm²", "mm2", "µm²", "um2", "in²", "in2",
                      "°", "deg", "grey", "%"}}};
    const json place{{"$ref", "#/$defs/point"}}, count{{"type", "integer"}, {"minimum", 1}, {"maximum", 1000}};
    const json limits{{"low", number},           {"high", number},
                      {"nominal", number},       {"plus", distance},
                      {"minus", distance},       {"general", {{"enum", {"length", "radius", "angle"}}}},
                      {"shorter_side", distance}};
    const auto withLimits = [&](json properties) {
        properties.update(limits);
        return object(std::move(properties));
    };
    const json element = withLimits({{"name", text}, {"at", place}});
    const auto numbers = [&](int n) {
        return json{{"type", "array"}, {"items", number}, {"minItems", n}, {"maxItems", n}};
    };
    json lens{{"width", {{"type", "integer"}}},
              {"height", {{"type", "integer"}}},
              {"rotation", numbers(3)},
              {"translation", numbers(3)},
              {"covered", {{"type", "array"}, {"items", place}}}};
    for (const char* key :
         {"fx", "fy", "cx", "cy", "k1", "k2", "p1", "p2", "k3", "rms_px", "max_px", "rms_mm", "max_mm"})
        lens[key] = number;
    json kinds = json::array();
    for (const StepKind& k : allStepKinds()) {
        json params = json::object(), regions = json::object(), points = json::object(), inputs = json::object(),
             pictures = json::object(), outputs = json::array();
        for (const auto& p : k.pictures) pictures[p.key] = {{"type", "string"}, {"description", p.help}};
        for (const auto& p : k.params) params[p.key] = paramSchema(p);
        for (const auto& r : k.regions) regions[r.key] = regionSchema(r);
        for (const auto& p : k.points) points[p.key] = {{"$ref", "#/$defs/point"}, {"description", p.help}};
        for (const auto& i : k.inputs)
            inputs[i.key] = {{"type", "string"}, {"description", i.help + " The id of another step."}};
        for (const auto& o : k.outputs) outputs.push_back(o.key);
        const json check = withLimits(
            {{"output", {{"enum", outputs}}},
             {"name", text},
             {"balloon", {{"type", "integer"}, {"minimum", 0}}},
             {"unit", unit},
             {"fault", text},
             {"uncertainty", distance},
             {"on_screen", {{"type", "boolean"}}},
             {"low_may_be", numbers(2)},
             {"high_may_be", numbers(2)},
             {"match", {{"enum", {"order", "place"}}}},
             {"reach", distance},
             {"label_at", {{"$ref", "#/$defs/point"}}},
             {"elements", {{"type", "array"}, {"items", element}}},
             {"grid", object({{"rows", count}, {"columns", count}, {"first", place}, {"column", place}, {"row", place}},
                             {"rows", "columns", "first", "column", "row"})}});
        json step = object({{"id", text},
                            {"kind", {{"const", k.key}}},
                            {"version", {{"type", "integer"}, {"minimum", 1}, {"maximum", k.version}}},
                            {"name", text},
                            {"datum", text},
                            {"letter", text},
                            {"in_use", {{"type", "boolean"}}},
                            {"params", object(params)},
                            {"regions", object(regions)},
                            {"points", object(points)},
                            {"inputs", object(inputs)},
                            {"pictures", object(pictures)},
                            {"checks", {{"type", "array"}, {"items", check}}}},
                           {"id", "kind"});
        if (k.leavesOut) {
            RegionSpec any{"leave_out",
                           "",
                           "Left out of the region.",
                           {std::begin(geometry::kAllShapes) + 1, std::end(geometry::kAllShapes)},
                           true,
                           true,
                           true};
            step["properties"]["leave_out"] = {{"type", "array"}, {"items", regionSchema(any)}};
        }
        json lists = json::array();
        for (const auto& o : k.outputs)
            if (o.list) lists.push_back(o.key);
        if (k.hasFilters)
            step["properties"]["filters"] = {
                {"type", "array"},
                {"items", object({{"output", {{"enum", lists}}}, {"low", number}, {"high", number}}, {"output"})}};
        const json level{{"type", "integer"}, {"minimum", 0}, {"maximum", 255}}, at{{"$ref", "#/$defs/point"}};
        if (k.hasSamples)
            step["properties"]["samples"] = {
                {"type", "array"},
                {"items", object({{"at", at},
                                  {"colour", {{"type", "array"}, {"items", level}, {"minItems", 3}, {"maxItems", 3}}},
                                  {"not", {{"type", "boolean"}}}})}};
        const RegionSpec outline{"outline",
                                 "Outline",
                                 "What the component covers.",
                                 {geometry::Shape::Rectangle, geometry::Shape::Circle, geometry::Shape::Polygon},
                                 false,
                                 true,
                                 true};
        if (k.hasPlaces)
            step["properties"]["places"] = {{"type", "array"},
                                            {"items", object({{"name", text},
                                                              {"at", at},
                                                              {"outline", regionSchema(outline)},
                                                              {"marked", {{"type", "boolean"}}},
                                                              {"picture", text}},
                                                             {"name", "at"})}};
        if (k.hasKinds)
            step["properties"]["kinds"] = {
                {"type", "array"},
                {"items",
                 object(
                     {{"name", text}, {"low", number}, {"high", number}, {"least_area", number}, {"most_area", number}},
                     {"name"})}};
        step["description"] = k.help;
        kinds.push_back(std::move(step));
    }
    const json raster{{"type", "integer"}, {"minimum", 0}, {"maximum", 200'000}};
    const json height = object({{"mm_per_step", number},
                                {"offset_mm", number},
                                {"pixel_mm", distance},
                                {"missing", number},
                                {"left_mm", number},
                                {"top_mm", number},
                                {"width", raster},
                                {"height", raster}},
                               {"mm_per_step"});
    const json asset{{"anyOf",
                      {text, object({{"file", text},
                                     {"files", {{"type", "object"}, {"additionalProperties", text}}},
                                     {"taken_from", text}})}}};
    const auto whole = [](int low, int high) { return json{{"type", "integer"}, {"minimum", low}, {"maximum", high}}; };
    const json flag{{"type", "boolean"}}, port = whole(1, 65535);
    const json outlets{object({{"kind", {{"const", "text"}}},
                               {"name", text},
                               {"in_use", flag},
                               {"way", {{"enum", {"connect", "listen", "serial"}}}},
                               {"host", text},
                               {"port", port},
                               {"device", text},
                               {"baud", whole(50, 4000000)},
                               {"pattern", text}},
                              {"kind", "name", "pattern"}),
                       object({{"kind", {{"const", "mqtt"}}},
                               {"name", text},
                               {"in_use", flag},
                               {"host", text},
                               {"port", port},
                               {"topic", text},
                               {"user", text},
                               {"password_file", text},
                               {"authority", text}},
                              {"kind", "name"}),
                       object({{"kind", {{"const", "modbus"}}},
                               {"name", text},
                               {"in_use", flag},
                               {"host", text},
                               {"port", port},
                               {"unit", whole(1, 247)},
                               {"elements", whole(0, 200)},
                               {"low_word_first", flag},
                               {"values", {{"enum", {"float32", "int16", "int32"}}}},
                               {"scale", {{"type", "number"}, {"minimum", 1e-6}, {"maximum", 1e9}}},
                               {"handshake", flag}},
                              {"kind", "name"})};
    const json tile = object({{"name", text}, {"x", number}, {"y", number}, {"held", flag}}, {"name", "x", "y"});
    const json tiles = object({{"reach_px", {{"type", "number"}, {"minimum", 0}, {"maximum", 1000}}},
                               {"by", {{"enum", {"picture", "plan"}}}},
                               {"even_light", flag},
                               {"places", {{"type", "array"}, {"items", tile}}}},
                              {"places"});
    const json levels{{"type", "object"}, {"additionalProperties", {{"type", "number"}, {"minimum", 0}}}};
    const json reason = object({{"point", text}, {"text", text}, {"by", text}, {"at", text}}, {"point", "text"});
    const json proof = object({{"changes", levels},
                               {"faults", levels},
                               {"uncertainty_share", {{"type", "number"}, {"minimum", 0}, {"maximum", 10}}},
                               {"reasons", {{"type", "array"}, {"items", reason}}}});
    json out = object(
        {{"$schema", text},
         {"format", {{"const", "dikkat-recipe"}}},
         {"version", {{"type", "integer"}, {"minimum", 1}, {"maximum", kFormatVersion}}},
         {"name", text},
         {"revision", {{"type", "integer"}, {"minimum", 1}}},
         {"calibration",
          object({{"mm_per_px", {{"type", "number"}, {"minimum", 1e-6}, {"maximum", 1000}}},
                  {"by", text},
                  {"lens", object(lens, {"width", "height", "fx", "fy", "cx", "cy", "rotation", "translation"})},
                  {"thickness", number},
                  {"scale_spread", {{"type", "number"}, {"minimum", 0}, {"maximum", 0.5}}},
                  {"lens_distance", distance}})},
         {"shown_in", {{"enum", {"mm", "µm", "um", "in", "inch"}}}},
         {"general_tolerance",
          {{"enum", {"ISO 2768-f", "ISO 2768-m", "ISO 2768-c", "ISO 2768-v", "f", "m", "c", "v"}}}},
         {"guard_band", {{"type", "boolean"}}},
         {"guard_from_picture", {{"type", "boolean"}}},
         {"when_not_saved", {{"enum", {"go_on", "stop"}}}},
         {"rule", text},
         {"accept_word", text},
         {"reject_word", text},
         {"totals",
          {{"type", "array"},
           {"items", object({{"name", text}, {"expression", text}, {"unit", unit}}, {"name", "expression"})}}},
         {"screen", object({{"picture", text},
                            {"turn", {{"enum", {0, 90, 180, 270}}}},
                            {"marks", {{"enum", {"all", "failed", "none"}}}},
                            {"totals", flag},
                            {"cycle", flag},
                            {"rejects", flag}})},
         {"drawn", object({{"layers_off", {{"type", "array"}, {"maxItems", 10000}, {"items", text}}},
                           {"unit", {{"enum", {"mm", "cm", "m", "um", "inch", "foot", "mil"}}}},
                           {"join_mm", {{"type", "number"}, {"minimum", 0}, {"maximum", 100}}}})},
         {"samples",
          {{"type", "array"},
           {"maxItems", kMostSamples},
           {"items",
            object({{"file", text},
                    {"files", {{"type", "object"}, {"additionalProperties", text}}},
                    {"taken_from", text},
                    {"bare",
                     {{"type", "array"}, {"items", object({{"step", text}, {"place", text}}, {"step", "place"})}}}})}}},
         {"robot", object({{"pairs",
                            {{"type", "array"},
                             {"maxItems", 100},
                             {"items", object({{"picture", place}, {"mm", place}, {"robot", place}}, {"robot"})}}},
                           {"mirrored", flag}},
                          {"pairs"})},
         {"camera", object({{"exposure_us", {{"type", "number"}, {"minimum", 1}, {"maximum", 1e8}}},
                            {"gain", {{"type", "number"}, {"minimum", -100}, {"maximum", 1000}}},
                            {"format", text},
                            {"trigger", text},
                            {"window", object({{"x", whole(0, 100000)},
                                               {"y", whole(0, 100000)},
                                               {"width", whole(1, 100000)},
                                               {"height", whole(1, 100000)}},
                                              {"width", "height"})}})},
         {"outputs", {{"type", "array"}, {"maxItems", kMostOutlets}, {"items", {{"anyOf", outlets}}}}},
         {"pictures",
          {{"type", "array"},
           {"items", object({{"key", text}, {"file", text}, {"height", height}, {"tiles", tiles}}, {"key", "file"})}}},
         {"assets", object({{"reference", asset}, {"empty", asset}, {"drawing", asset}})},
         {"reference", {{"anyOf", {text, object({{"picture", text}, {"taken_from", text}}, {"picture"})}}}},
         {"empty_picture", {{"anyOf", {text, object({{"picture", text}, {"taken_from", text}}, {"picture"})}}}},
         {"trials",
          {{"type", "array"},
           {"items", object({{"picture", text},
                             {"label", {{"enum", {"good", "bad", "open"}}}},
                             {"items",
                              {{"type", "array"},
                               {"items", object({{"at", {{"$ref", "#/$defs/point"}}},
                                                 {"label", {{"enum", {"good", "bad", "open"}}}}},
                                                {"at"})}}}},
                            {"picture"})}}},
         {"arrangement", {{"enum", {"wide", "tall"}}}},
         {"variant", text},
         {"variants", {{"type", "array"}, {"items", {{"$ref", "#"}}}}},
         {"proof", proof},
         {"trials_inside", {{"type", "boolean"}}},
         {"set_aside", {{"type", "array"}, {"items", text}}},
         {"steps", {{"type", "array"}, {"items", {{"anyOf", kinds}}}}}},
        {"format", "version"});
    out["$schema"] = "https://json-schema.org/draft/2020-12/schema";
    out["title"] = "Dikkat recipe, format version " + std::to_string(kFormatVersion);
    out["$defs"]["point"] = {{"type", "array"},
                             {"items", {{"type", "number"}}},
                             {"minItems", 2},
                             {"maxItems", 2},
                             {"description", "[x, y] in px of the reference; pixel centres are whole numbers, y down"}};
    return out;
}

} // namespace recipe

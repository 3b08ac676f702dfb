#include "recipe/robot.h"

#include "recipe/recipe_json.h"

namespace recipe
{
using nlohmann::json;

geometry::Point planeOf(const Recipe& recipe, geometry::Point picture)
{
    return recipe.calibrated() ? recipe.calibration.mm(picture) : picture;
}

base::Result<geometry::PlanarMap> robotMap(const Recipe& recipe)
{
    std::vector<std::pair<geometry::Point, geometry::Point>> pairs;
    for (std::size_t i = 0; i < recipe.robot.pairs.size(); ++i) {
        const RobotFrame::Pair& p = recipe.robot.pairs[i];
        if (p.inMm && !recipe.calibrated())
            return base::fail(base::ErrorCode::InvalidArgument, "is in mm, but the recipe is not calibrated",
                              "robot: pairs[" + std::to_string(i) + "]");
        pairs.emplace_back(p.inMm ? p.here : planeOf(recipe, p.here), p.robot);
    }
    auto map = geometry::fitPlanarMap(pairs, recipe.robot.mirrored);
    if (!map) return base::passOn(map.error(), "robot: pairs");
    return map;
}

RobotPose robotPose(const Recipe& recipe, const geometry::PlanarMap& map, const geometry::Pose& pose)
{
    // A direction as two places, so that it follows the lens too.
    const geometry::Point along = pose.origin + geometry::direction(pose.angle) * 10.0;
    const geometry::Point at = map.map(planeOf(recipe, pose.origin)), to = map.map(planeOf(recipe, along));
    return {at.x, at.y, geometry::degrees(std::atan2(to.y - at.y, to.x - at.x))};
}

json robotToJson(const RobotFrame& r)
{
    json j = json::object();
    for (const RobotFrame::Pair& p : r.pairs)
        j["pairs"].push_back({{p.inMm ? "mm" : "picture", pointJson(p.here)}, {"robot", pointJson(p.robot)}});
    if (r.mirrored) j["mirrored"] = *r.mirrored;
    return j;
}

base::Result<RobotFrame> robotFromJson(const json& j, const std::string& where)
{
    ObjectReader o(j, where);
    RobotFrame out;
    const json* pairs = o.field("pairs");
    bool mirrored = false;
    const bool stated = o.field("mirrored") != nullptr;
    o.flag("mirrored", mirrored);
    if (stated) out.mirrored = mirrored;
    if (!pairs || !pairs->is_array() || pairs->size() > 100) o.wrong("pairs must be a list of at most 100");
    if (auto ok = o.done(); !ok) return base::passOn(ok.error());
    for (std::size_t i = 0; i < pairs->size(); ++i) {
        ObjectReader p((*pairs)[i], where + ": pairs[" + std::to_string(i) + "]");
        RobotFrame::Pair one;
        one.inMm = p.field("mm") != nullptr;
        if (one.inMm && p.field("picture")) p.wrong("give either mm or picture, not both");
        readPoint(p, one.inMm ? "mm" : "picture", one.here);
        readPoint(p, "robot", one.robot);
        if (auto ok = p.done(); !ok) return base::passOn(ok.error());
        out.pairs.push_back(one);
    }
    return out;
}

} // namespace recipe

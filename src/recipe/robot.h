// robot.h - places and angles for a robot: its frame is stated by pairs of points, seen here and driven to there.
#pragma once
#include "geometry/planar_map.h"
#include "recipe/recipe.h"

#include <nlohmann/json_fwd.hpp>

namespace recipe
{

// In the plane of the calibration, mm, where there is one; else in px of the picture.
geometry::Point planeOf(const Recipe& recipe, geometry::Point picture);
// From planeOf() to the robot's mm. Fails with InvalidArgument when there are fewer than two pairs or they lie on one
// place, or a pair is in mm and the recipe is not calibrated.
base::Result<geometry::PlanarMap> robotMap(const Recipe& recipe);
// Where the robot finds this pose of the picture: x and y in mm, the angle of its x axis in degrees, from
// the robot's x towards its y.
struct RobotPose {
    double x = 0, y = 0, angle = 0;
};
RobotPose robotPose(const Recipe& recipe, const geometry::PlanarMap& map, const geometry::Pose& pose);

nlohmann::json robotToJson(const RobotFrame& robot);
base::Result<RobotFrame> robotFromJson(const nlohmann::json& json, const std::string& where);

} // namespace recipe

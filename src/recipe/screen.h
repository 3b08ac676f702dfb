// screen.h - what the operator sees of a recipe while it runs; which values, each check says itself (Check::onScreen).
#pragma once
#include "base/result.h"

#include <nlohmann/json_fwd.hpp>
#include <string>

namespace recipe
{

struct Screen {
    std::string picture; // key of the picture of a capture that is shown; empty: the first
    int turn = 0;        // of the view, degrees clockwise: 0, 90, 180, 270; nothing measured depends on it
    enum class Marks { All, Failed, None } marks = Marks::All;
    bool totals = true, cycle = true, rejects = true; // what is shown below
    friend bool operator==(const Screen&, const Screen&) = default;
};
const char* name(Screen::Marks marks); // "all", "failed", "none"
nlohmann::json screenToJson(const Screen& screen);
// Fails with InvalidArgument or OutOfRange naming field and bound.
base::Result<Screen> screenFromJson(const nlohmann::json& json, const std::string& where);

} // namespace recipe

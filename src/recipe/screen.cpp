#include "recipe/screen.h"

#include "recipe/recipe_json.h"

namespace recipe
{
using nlohmann::json;

const char* name(Screen::Marks marks)
{
    return marks == Screen::Marks::All ? "all" : marks == Screen::Marks::Failed ? "failed" : "none";
}

json screenToJson(const Screen& s)
{
    const Screen usual;
    json j = json::object();
    if (!s.picture.empty()) j["picture"] = s.picture;
    if (s.turn != usual.turn) j["turn"] = s.turn;
    if (s.marks != usual.marks) j["marks"] = name(s.marks);
    if (!s.totals) j["totals"] = false;
    if (!s.cycle) j["cycle"] = false;
    if (!s.rejects) j["rejects"] = false;
    return j;
}

base::Result<Screen> screenFromJson(const json& j, const std::string& where)
{
    ObjectReader o(j, where);
    Screen s;
    std::string marks = name(s.marks);
    o.text("picture", s.picture), o.text("marks", marks);
    o.whole("turn", s.turn, 0, 270);
    o.flag("totals", s.totals), o.flag("cycle", s.cycle), o.flag("rejects", s.rejects);
    if (s.turn % 90 != 0) o.wrong("turn = " + std::to_string(s.turn) + " is not one of: 0, 90, 180, 270");
    bool known = false;
    for (const auto m : {Screen::Marks::All, Screen::Marks::Failed, Screen::Marks::None})
        if (marks == name(m)) s.marks = m, known = true;
    if (!known) o.wrong("marks = \"" + marks + "\" is not one of: all, failed, none");
    if (auto ok = o.done(); !ok) return base::passOn(ok.error());
    return s;
}

} // namespace recipe

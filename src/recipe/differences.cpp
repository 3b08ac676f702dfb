#include "recipe/differences.h"

#include "base/text.h"
#include "recipe/recipe_file.h"

#include <filesystem>
#include <map>
#include <nlohmann/json.hpp>

namespace recipe
{
namespace
{
using nlohmann::json;

std::string quoted(const std::string& name) { return "\"" + name + "\""; }

void addChecks(const Step& before, const Step& now, std::vector<std::string>& out)
{
    const auto of = [](const Step& s, const std::string& output) {
        const auto it =
            std::find_if(s.checks.begin(), s.checks.end(), [&](const Check& c) { return c.output == output; });
        return it == s.checks.end() ? nullptr : &*it;
    };
    for (const Check& c : now.checks) {
        const Check* old = of(before, c.output);
        if (!old) out.push_back("check " + quoted(c.name) + " is new");
        else if (old->limits.text() != c.limits.text())
            out.push_back(quoted(c.name) + ": limits " + c.limits.text() + " instead of " + old->limits.text());
    }
    for (const Check& c : before.checks)
        if (!of(now, c.output)) out.push_back("check " + quoted(c.name) + " is gone");
}
std::string plain(const json& value)
{
    if (value.is_number()) return base::shortest(value.get<double>());
    return value.is_string() ? value.get<std::string>() : value.dump();
}
// Each setting of its own, then what else differs (regions, inputs, filters, places).
void addSettings(const Step& before, const Step& now, std::vector<std::string>& out)
{
    const json a = stepToJson(before), b = stepToJson(now);
    const StepKind* kind = findKind(now.kind);
    if (kind && before.kind == now.kind) {
        const json none = json::object(), &x = a.contains("params") ? a["params"] : none,
                   &y = b.contains("params") ? b["params"] : none;
        for (const ParamSpec& p : kind->params) {
            const json u = x.value(p.key, json()), v = y.value(p.key, json());
            if (u != v) out.push_back(quoted(now.name) + ": " + p.label + " " + plain(v) + " instead of " + plain(u));
        }
    }
    const auto rest = [](json j) {
        for (const char* key : {"params", "checks", "name", "in_use"}) j.erase(key);
        return j;
    };
    if (rest(a) != rest(b)) out.push_back("step " + quoted(now.name) + ": regions or inputs differ");
}
bool sameBytes(const Asset& a, const Asset& b)
{
    return std::equal(a.files.begin(), a.files.end(), b.files.begin(), b.files.end(), [](const auto& x, const auto& y) {
        return x.key == y.key && (x.bytes == y.bytes || *x.bytes == *y.bytes);
    });
}
// The recipe's own settings, without steps, pictures and trials.
json bareSettings(const Recipe& r)
{
    Recipe bare = bareOf(r);
    bare.steps.clear();
    bare.outlets.clear();
    bare.camera = {};
    bare.screen = {};
    bare.robot = {};
    bare.drawn = {};
    bare.calibration = {};
    bare.name.clear();
    return toJson(bare, "");
}
} // namespace

std::vector<std::string> differences(const Recipe& before, const Recipe& now)
{
    std::vector<std::string> out;
    if (before.name != now.name) out.push_back("named " + quoted(now.name) + " instead of " + quoted(before.name));
    for (const Step& s : now.steps) {
        const Step* old = before.find(s.id);
        if (!old) {
            out.push_back("step " + quoted(s.name) + " is new");
            continue;
        }
        const std::size_t said = out.size();
        addChecks(*old, s, out);
        addSettings(*old, s, out);
        if (old->name != s.name) out.push_back("step " + quoted(old->name) + " is named " + quoted(s.name));
        if (old->inUse != s.inUse)
            out.push_back("step " + quoted(s.name) + (s.inUse ? " is in use" : " is out of use"));
        if (out.size() == said && stepToJson(*old) != stepToJson(s))
            out.push_back("step " + quoted(s.name) + ": details of its checks differ");
    }
    for (const Step& s : before.steps)
        if (!now.find(s.id)) out.push_back("step " + quoted(s.name) + " is gone");
    if (!sameBytes(before.reference, now.reference)) out.push_back("another reference");
    if (!sameBytes(before.empty, now.empty)) out.push_back("another empty picture");
    if (!sameBytes(before.drawing, now.drawing)) out.push_back("another drawing");
    if (!(before.drawn == now.drawn)) out.push_back("the drawing is read another way");
    Recipe a, b;
    a.calibration = before.calibration;
    b.calibration = now.calibration;
    if (toJson(a, "") != toJson(b, "")) out.push_back("another calibration");
    if (!(before.camera == now.camera)) out.push_back("other settings of the camera");
    if (!(before.screen == now.screen)) out.push_back("another screen for the operator");
    if (!(before.robot == now.robot)) out.push_back("another frame of the robot");
    for (const Outlet& o : now.outlets) {
        const auto was = std::find_if(before.outlets.begin(), before.outlets.end(),
                                      [&](const Outlet& x) { return x.name == o.name; });
        if (was == before.outlets.end()) out.push_back("output " + quoted(o.name) + " is new");
        else if (!(*was == o)) out.push_back("output " + quoted(o.name) + " is another");
    }
    for (const Outlet& o : before.outlets)
        if (std::none_of(now.outlets.begin(), now.outlets.end(), [&](const Outlet& x) { return x.name == o.name; }))
            out.push_back("output " + quoted(o.name) + " is gone");
    if (bareSettings(before) != bareSettings(now)) out.push_back("recipe settings");
    if (out.empty() && identity(before) != identity(now)) out.push_back("the order of its steps");
    return out;
}

std::vector<std::string> trialDifferences(const Recipe& before, const Recipe& now)
{
    // A picture is known by its file's name: it may have moved, or gone inside of the recipe.
    const auto labels = [](const Recipe& r) {
        std::multimap<std::string, std::pair<Label, std::vector<ItemLabel>>> out;
        for (const Trial& t : r.trials)
            out.emplace(std::filesystem::path(t.picture).filename().string(), std::pair{t.label, t.items});
        return out;
    };
    auto was = labels(before);
    std::size_t added = 0, relabelled = 0;
    for (const auto& [picture, label] : labels(now)) {
        const auto it = was.find(picture);
        if (it == was.end()) {
            ++added;
            continue;
        }
        relabelled += it->second != label;
        was.erase(it);
    }
    std::vector<std::string> out;
    const auto say = [&](std::size_t n, const std::string& what) {
        if (n) out.push_back(std::to_string(n) + (n == 1 ? " trial " : " trials ") + what);
    };
    say(added, "added");
    say(was.size(), "taken away");
    say(relabelled, "labelled anew");
    if (before.setAside.size() != now.setAside.size())
        out.push_back(std::to_string(now.setAside.size()) + " pictures set aside instead of " +
                      std::to_string(before.setAside.size()));
    const auto byName = [](const Recipe& r) {
        std::map<std::string, const Recipe*> named;
        for (const auto& v : r.variants) named[v->variant] = v.get();
        return named;
    };
    auto old = byName(before);
    for (const auto& [name, variant] : byName(now)) {
        if (name == before.variant) continue; // it was in work
        const auto it = old.find(name);
        if (it == old.end()) {
            out.push_back("variant " + quoted(name) + " is new");
            continue;
        }
        for (const std::string& d : differences(*it->second, *variant))
            out.push_back("variant " + quoted(name) + ": " + d);
    }
    for (const auto& [name, variant] : old)
        if (name != now.variant && !byName(now).count(name)) out.push_back("variant " + quoted(name) + " is gone");
    if (before.variant != now.variant)
        out.push_back("variant " + quoted(now.variant) + " in work instead of " + quoted(before.variant));
    return out;
}

} // namespace recipe

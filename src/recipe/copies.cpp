#include "recipe/copies.h"

#include "recipe/recipe_file.h"

#include <algorithm>
#include <nlohmann/json.hpp>
#include <set>

namespace recipe
{
using base::ErrorCode;
using base::fail;
using geometry::Motion;
using geometry::Point;
using json = nlohmann::json;

namespace
{
void replaceIds(Step& s, const std::map<std::string, std::string>& fresh)
{
    const auto mapped = [&](std::string& id) {
        if (const auto it = fresh.find(id); it != fresh.end()) id = it->second;
    };
    mapped(s.datum);
    for (auto& [key, id] : s.inputs) mapped(id);
    for (auto& [key, of] : s.regionsOf) mapped(of.step);
    const StepKind* kind = findKind(s.kind);
    for (const ParamSpec& p : kind->params) {
        const auto* text = std::get_if<Text>(&p.domain);
        if (!text || !text->formula) continue;
        std::string now = std::get<std::string>(p.get(s.params)), made;
        for (std::size_t at = 0; at < now.size();) {
            const std::size_t end = now[at] == '[' ? now.find_first_of(".]", at) : std::string::npos;
            const auto it = end == std::string::npos ? fresh.end() : fresh.find(now.substr(at + 1, end - at - 1));
            if (it == fresh.end()) {
                made += now[at++];
                continue;
            }
            made += "[" + it->second;
            at = end;
        }
        p.put(s.params, made);
    }
}

void carry(Step& s, const Motion& motion)
{
    for (auto& [key, r] : s.regions) r = r.carried(motion);
    for (auto& [key, p] : s.points) p = motion.carry(p);
    for (auto& r : s.leaveOut) r = r.carried(motion);
    for (auto& p : s.places) {
        p.at = motion.carry(p.at);
        if (p.outline) p.outline = p.outline->carried(motion);
    }
    for (Check& c : s.checks) {
        for (Element& e : c.elements)
            if (e.at) e.at = motion.carry(*e.at);
        if (c.labelAt) c.labelAt = motion.carry(*c.labelAt);
    }
}

// What the step is made of and nothing else needs: features without checks that only it reads, the first first.
std::vector<std::string> madeOf(const Recipe& recipe, const std::string& id)
{
    std::vector<std::string> out{id};
    std::set<std::string> in{id};
    for (std::size_t i = 0; i < out.size(); ++i)
        for (const auto& [key, from] : recipe.find(out[i])->inputs) {
            const Step* s = recipe.find(from);
            const StepKind* kind = s ? findKind(s->kind) : nullptr;
            if (!kind || kind->datum || kind->regions.empty() || in.count(from)) continue;
            in.insert(from), out.push_back(from);
        }
    std::reverse(out.begin(), out.end());
    return out;
}

// A name of its own: "Gap 2" after "Gap"; checks that bore the step's name follow.
void rename(Step& s, const std::string& name)
{
    for (Check& c : s.checks)
        if (c.name == s.name) c.name = name;
    s.name = name;
}
void makeFresh(Recipe& with, Step& s)
{
    s.id = with.freshId();
    rename(s, with.freshName(s.name));
    const StepKind* kind = findKind(s.kind);
    if (kind->datum) s.letter = with.freshLetter();
    const bool hadBalloons = !kind->datum;
    for (Check& c : s.checks) c.balloon = 0;
    with.steps.push_back(s);
    if (hadBalloons)
        for (std::size_t i = 0; i < s.checks.size(); ++i)
            with.steps.back().checks[i].balloon = s.checks[i].balloon = with.freshBalloon();
}
} // namespace

Motion placeOf(const Repeat& r, int n)
{
    Motion m;
    if (!r.round) {
        m.now.origin = r.columnStep * double(n % r.columns) + r.rowStep * double(n / r.columns);
        return m;
    }
    const bool whole = std::abs(std::abs(r.sweep) - 2 * geometry::kPi) < 1e-9;
    m.reference.origin = m.now.origin = r.centre;
    m.now.angle = r.sweep * n / (whole ? r.count : std::max(1, r.count - 1));
    return m;
}

base::Result<std::vector<Step>> repeated(const Recipe& recipe, const std::string& id, const Repeat& repeat)
{
    constexpr int most = 500;
    const int copies = repeat.copies();
    if (copies < 1 || copies > most)
        return fail(ErrorCode::OutOfRange,
                    std::to_string(copies) + " copies; 1 to " + std::to_string(most) + " can be made");
    if (!recipe.find(id)) return fail(ErrorCode::NotFound, "no step \"" + id + "\"");
    const std::vector<std::string> chain = madeOf(recipe, id);
    const bool placed = std::any_of(chain.begin(), chain.end(),
                                    [&](const std::string& one) { return !recipe.find(one)->regions.empty(); });
    if (!placed)
        return fail(ErrorCode::InvalidArgument,
                    recipe.find(id)->name + " has no region of its own that could be repeated");
    Recipe with = recipe;
    std::vector<Step> out;
    for (int n = 1; n <= copies; ++n) {
        std::map<std::string, std::string> fresh;
        for (const std::string& one : chain) {
            Step s = *recipe.find(one);
            carry(s, placeOf(repeat, n));
            makeFresh(with, s);
            fresh[one] = s.id;
            replaceIds(s, fresh);
            *with.find(s.id) = s;
            out.push_back(std::move(s));
        }
    }
    return out;
}

std::string stepsToText(const Recipe& recipe, const std::vector<std::string>& ids)
{
    json j{{"dikkat", "steps"}, {"steps", json::array()}};
    for (const Step& s : recipe.steps) {
        if (std::find(ids.begin(), ids.end(), s.id) == ids.end()) continue;
        j["steps"].push_back(stepToJson(s));
        for (const std::string& from : Recipe::reads(s))
            if (const Step* of = recipe.find(from)) j["names"][from] = of->name;
    }
    return j.dump(1);
}

base::Result<Pasted> stepsFromText(const Recipe& into, const std::string& text)
{
    const json j = json::parse(text, nullptr, false);
    if (!j.is_object() || j.value("dikkat", json()) != "steps" || !j.contains("steps") || !j["steps"].is_array())
        return fail(ErrorCode::InvalidArgument, "the clipboard holds no steps");
    Pasted out;
    Recipe with = into;
    std::vector<Step> read;
    for (std::size_t i = 0; i < j["steps"].size(); ++i) {
        auto s = stepFromJson(j["steps"][i], "steps[" + std::to_string(i) + "]");
        if (!s) return base::passOn(s.error());
        read.push_back(std::move(*s));
    }
    std::map<std::string, std::string> fresh;
    for (Step& s : read) {
        const std::string old = s.id;
        makeFresh(with, s);
        fresh[old] = s.id;
    }
    for (Step& s : read) {
        for (const std::string& id : Recipe::reads(s)) {
            if (fresh.count(id) || into.find(id)) continue;
            // Another recipe: a step of the same name stands for it.
            const std::string name = j.contains("names") && j["names"].is_object() ? j["names"].value(id, "") : "";
            const auto same = std::find_if(into.steps.begin(), into.steps.end(),
                                           [&](const Step& x) { return !name.empty() && x.name == name; });
            if (same != into.steps.end()) fresh[id] = same->id;
            else out.missing.push_back(s.name + " reads " + (name.empty() ? id : name) + ", which is not here");
        }
    }
    for (Step& s : read) replaceIds(s, fresh);
    out.steps = std::move(read);
    return out;
}

base::Status moveStep(Recipe& recipe, const std::string& id, int direction)
{
    const int at = recipe.indexOf(id);
    if (at < 0) return fail(ErrorCode::NotFound, "no step \"" + id + "\"");
    const auto group = [&](const Step& s) {
        const StepKind* k = findKind(s.kind);
        return (k && k->datum ? "datum:" : "") + s.datum + (s.checks.empty() ? ":feature" : ":check");
    };
    const Step moved = recipe.steps[std::size_t(at)];
    int to = at + direction;
    while (to >= 0 && to < int(recipe.steps.size()) && group(recipe.steps[std::size_t(to)]) != group(moved))
        to += direction;
    if (to < 0 || to >= int(recipe.steps.size()))
        return fail(ErrorCode::InvalidArgument,
                    moved.name + (direction < 0 ? " is the first" : " is the last") + " of its group");
    for (int i = at + direction;; i += direction) {
        const Step& passed = recipe.steps[std::size_t(i)];
        const Step &reader = direction < 0 ? moved : passed, &from = direction < 0 ? passed : moved;
        const auto reads = Recipe::reads(reader);
        if (std::find(reads.begin(), reads.end(), from.id) != reads.end())
            return fail(ErrorCode::InvalidArgument,
                        direction < 0 ? moved.name + " needs " + passed.name : passed.name + " needs " + moved.name);
        if (i == to) break;
    }
    recipe.steps.erase(recipe.steps.begin() + at);
    recipe.steps.insert(recipe.steps.begin() + to, moved);
    return {};
}

std::vector<std::string> withReaders(const Recipe& recipe, const std::string& id)
{
    std::vector<std::string> out{id};
    for (std::size_t i = 0; i < out.size(); ++i)
        for (const std::string& by : recipe.readBy(out[i]))
            if (std::find(out.begin(), out.end(), by) == out.end()) out.push_back(by);
    return out;
}

} // namespace recipe

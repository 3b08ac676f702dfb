#include "cli/checked_recipe.h"

#include "base/files.h"
#include "cli/arguments.h"
#include "cli/json_results.h"
#include "inspect/inspect.h"
#include "recipe/recipe_file.h"
#include "recipe/soundness.h"
#include "recipe/variants.h"

#include <filesystem>

namespace cli
{
namespace fs = std::filesystem;
using nlohmann::ordered_json;

std::optional<recipe::Recipe> soundRecipe(const std::string& path, std::ostream& err, const std::string& variant)
{
    auto loaded = recipe::load(path);
    if (!loaded) {
        badInput(err, loaded.error());
        return std::nullopt;
    }
    if (!variant.empty()) loaded = recipe::withVariant(*loaded, variant);
    if (!loaded) {
        badInput(err, loaded.error());
        return std::nullopt;
    }
    const auto wrong = recipe::unsound(*loaded);
    for (base::Error e : wrong) badInput(err, std::move(e).within(path));
    if (!wrong.empty()) return std::nullopt;
    return std::move(*loaded);
}

namespace
{
std::vector<base::Error> wrongIn(const recipe::Recipe& recipe)
{
    auto wrong = recipe::unsound(recipe);
    if (!wrong.empty()) return wrong;
    // What is taught shows only when it is taught.
    auto prepared = inspect::Prepared::make(recipe);
    if (!prepared) return {prepared.error()};
    for (std::size_t i = 0; i < prepared->recipe().steps.size(); ++i)
        if (const auto* t = prepared->taught(prepared->recipe().steps[i].id);
            t && !t->model && prepared->recipe().steps[i].inUse)
            wrong.push_back({base::ErrorCode::NoResult, t->reason,
                             "steps[" + std::to_string(i) + "] \"" + prepared->recipe().steps[i].id + "\""});
    return wrong;
}
} // namespace

int check(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err)
{
    const auto a = Arguments::read(arguments, {"--json"}, {});
    if (!a) return badInput(err, a.error());
    if (a->words.size() != 1) {
        err << "dikkat-cli: check takes one recipe (dikkat-cli help says how)\n";
        return kBadInput;
    }
    const std::string path = a->words[0], json = a->option("--json");
    if (auto ok = keepsInputs("--json", json, {path}); !ok) return badInput(err, ok.error());
    std::vector<base::Error> wrong;
    auto loaded = recipe::load(path);
    std::size_t steps = 0;
    if (!loaded) {
        wrong.push_back(loaded.error());
    } else {
        steps = loaded->steps.size();
        std::vector<std::string> variants = recipe::variantNames(*loaded);
        if (variants.empty()) variants.push_back("");
        for (const std::string& name : variants) {
            const auto each = recipe::withVariant(*loaded, name);
            for (base::Error e : wrongIn(*each))
                wrong.push_back(name.empty() ? e : std::move(e).within("variant \"" + name + "\""));
        }
        for (base::Error& e : wrong) e = std::move(e).within(path);
    }
    std::ostream& table = json == "-" ? err : out;
    for (const base::Error& e : wrong) table << e.text() << "\n";
    if (wrong.empty()) table << path << ": nothing is wrong; " << steps << (steps == 1 ? " step\n" : " steps\n");
    else table << wrong.size() << (wrong.size() == 1 ? " thing is wrong\n" : " things are wrong\n");
    ordered_json list = ordered_json::array();
    for (const base::Error& e : wrong) list.push_back({{"where", e.where}, {"message", e.message}});
    if (const int code = writeJson(json, {{"recipe", path}, {"sound", wrong.empty()}, {"wrong", list}}, out, err);
        code != kDone)
        return code;
    return wrong.empty() ? kDone : kBadInput;
}

base::Status keepsInputs(const std::string& what, const std::string& output, const std::vector<std::string>& inputs)
{
    if (output.empty() || output == "-") return {};
    for (const std::string& in : inputs)
        if (base::sameFile(in, output))
            return base::fail(base::ErrorCode::InvalidArgument,
                              what + ": this file is read in the same run (" + in + "); it is never written over",
                              output);
    return {};
}

std::vector<std::string> filesOf(const std::string& path, const recipe::Recipe& recipe)
{
    std::error_code ignored;
    const bool folder = fs::is_directory(path, ignored);
    std::vector<std::string> out{folder ? (fs::path(path) / "recipe.json").string() : path};
    const fs::path place = folder ? fs::path(path) : fs::path(path).parent_path();
    for (const auto* f : recipe::assetFiles(recipe)) out.push_back((place / f->name).string());
    for (const recipe::Trial& t : recipe.trials)
        if (const auto files = image::filesOf(recipe.pictures, t.picture))
            for (const auto& [key, file] : files->files) out.push_back(file);
    return out;
}

} // namespace cli

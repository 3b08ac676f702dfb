// recipe_file.h - a recipe on disk: one zip file, the same as a folder, or its recipe.json alone beside its pictures.
//
// Input   any of the three; picture paths inside are relative to the recipe's place (a zip's trials: to the folder the zip lies in).
// Output  the recipe, its reference decoded. Save writes the kind the path asks for: an existing folder or ".json" stays plain, else a zip.
// Fails   NotFound, Io; Corrupt: not a zip, not JSON, a member damaged; Unsupported: made by a newer version (named), unknown kind;
//         InvalidArgument, OutOfRange: unknown field, wrong type, value out of range, circle of steps. `where` names file, member and field.
// Source  format in docs/file-formats.md; JSON Schema made by jsonSchema().
#pragma once
#include "base/files.h"
#include "recipe/recipe.h"

#include <nlohmann/json_fwd.hpp>

namespace recipe
{

constexpr int kFormatVersion = 1;

base::Result<Recipe> load(const std::string& path);
base::Status save(const Recipe& recipe, const std::string& path, base::FileSystem& files = base::realFiles());
base::Status pack(const std::string& folder, const std::string& recipePath);
base::Status unpack(const std::string& recipePath, const std::string& folder);

// Picture paths are written relative to `folder` when they lie below it, else as they are.
nlohmann::json toJson(const Recipe& recipe, const std::string& folder);
nlohmann::json stepToJson(const Step& step);
nlohmann::json regionToJson(const geometry::Region& region);
base::Result<geometry::Region> regionFromJson(const nlohmann::json& json);
nlohmann::json jsonSchema();

} // namespace recipe
